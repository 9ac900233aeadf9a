"""Packs and their link."""

from gumboot.core.diagnose.engine import Cause, Look, Problem

COVERED = "Insulated tools, no jewellery: a pack cannot be switched off at its posts."

UNEQUAL = Problem(
    "unequal_packs",
    "Packs do not share the current",
    (
        Cause("lug", "A lug or bus joint is loose or dirty", 35, "Clean it, and land it anew"),
        Cause("lengths", "Leads of unlike length or size", 25, "Make them alike"),
        Cause("soc", "Packs at unlike charge: they level out yet", 25, "Charge full, and rest"),
        Cause("bms", "A pack's BMS holds it back", 10, "Read its alarm; cool or charge it"),
        Cause("old", "A pack has aged or a cell is weak", 5, "Have the maker test it"),
    ),
    (
        Look(
            "drop",
            "Millivolts from post to bus of each pack, under load",
            8,
            ("alike by their current", "one joint drops far more", "drops as the lengths differ"),
            {"lug": 1, "lengths": 2, "soc": 0, "bms": 0, "old": 0},
            ("pack post", "bus"),
            COVERED,
        ),
        Look(
            "rest",
            "Volts of each pack by itself, an hour unloaded, breakers open",
            10,
            ("alike", "apart by more than 0.2 V"),
            {"lug": 0, "lengths": 0, "soc": 1, "bms": 0, "old": 0},
            ("pack +", "pack −"),
            COVERED,
        ),
        Look(
            "alarms",
            "Each pack's own display or record: alarms and limits",
            3,
            ("nothing", "one limits its current or reports a cell"),
            {"lug": 0, "lengths": 0, "soc": 0, "bms": 1, "old": (0, 1)},
        ),
        Look(
            "tape",
            "Leads measured, both poles",
            5,
            ("alike", "unlike"),
            {"lug": 0, "lengths": 1, "soc": 0, "bms": 0, "old": 0},
        ),
        Look(
            "cells",
            "Cell volts of each pack at the end of a charge",
            15,
            ("within 30 mV", "one cell far off"),
            {"lug": 0, "lengths": 0, "soc": 0, "bms": 0, "old": 1},
        ),
        Look(
            "warm",
            "Lugs by a thermometer, after half an hour",
            5,
            ("alike", "one warmer by 10 K or more"),
            {"lug": 1, "lengths": 0, "soc": 0, "bms": 0, "old": 0},
        ),
    ),
)
SOC_APART = Problem(
    "soc_apart",
    "State of charge differs on unit and pack",
    (
        Cause("link", "The unit does not hear the BMS: it guesses", 40, "Mend the link"),
        Cause("late", "One shows late", 20, "Read both after a quiet quarter of an hour"),
        Cause("one", "The unit shows one pack, not the bank", 15, "Read the bank's on the master"),
        Cause("capacity", "The capacity keyed is another", 15, "Key the bank's"),
        Cause("drift", "The pack has not been full for long", 10, "Charge full once"),
    ),
    (
        Look(
            "menu",
            "Battery type, link and capacity in the unit's menu, and its link lamp",
            3,
            ("lithium by link, the bank's capacity", "no link, or another type", "other capacity"),
            {"link": 1, "late": 0, "one": 0, "capacity": 2, "drift": 0},
        ),
        Look(
            "record",
            "When the pack was last full, by its record or the monitoring",
            3,
            ("within a month", "longer ago"),
            {"link": 0, "late": 0, "one": 0, "capacity": 0, "drift": 1},
        ),
        Look(
            "quiet",
            "Both read again, a quarter of an hour without charge or load",
            16,
            ("apart as before", "they agree now"),
            {"link": 0, "late": 1, "one": 0, "capacity": 0, "drift": 0},
        ),
        Look(
            "each",
            "Every pack's own state of charge",
            4,
            ("alike, and unlike the unit's", "unlike: the unit shows one of them"),
            {"link": 0, "late": 0, "one": 1, "capacity": 0, "drift": (0, 1)},
        ),
        Look(
            "full",
            "Charged until the pack says full",
            120,
            ("they agree then", "apart still"),
            {"link": 1, "late": 0, "one": 1, "capacity": 1, "drift": 0},
        ),
    ),
)
NO_LINK = Problem(
    "no_link",
    "Unit and pack do not speak",
    (
        Cause("lead", "A straight network lead: made pin to pin", 30, "Make it by function"),
        Cause("port", "In the wrong port", 20, "Into the port of Link's sheet"),
        Cause("protocol", "Another protocol or bit rate", 25, "Set it, then power-cycle the pack"),
        Cause("address", "The master's address, or two alike", 15, "Set the switches as Link says"),
        Cause("terminator", "A terminator missing, or one too many", 10, "As Link says"),
    ),
    (
        Look(
            "port",
            "Both plugs traced to their ports",
            2,
            ("as Link says", "another port"),
            {"lead": 0, "port": 1, "protocol": 0, "address": 0, "terminator": 0},
        ),
        Look(
            "pins",
            "The lead sounded through, pin by pin",
            5,
            ("as its sheet says", "pin to pin, or crossed"),
            {"lead": 1, "port": 0, "protocol": 0, "address": 0, "terminator": 0},
            ("plug at the unit", "plug at the pack"),
        ),
        Look(
            "ohm",
            "Ω across the pair, everything off",
            3,
            ("60 Ω", "120 Ω or open", "40 Ω or less"),
            {"lead": 1, "port": 1, "protocol": 0, "address": 0, "terminator": (1, 2)},
            ("CAN H", "CAN L"),
        ),
        Look(
            "menu",
            "Protocol in the unit's menu and on the pack's switches",
            3,
            ("alike", "unlike"),
            {"lead": 0, "port": 0, "protocol": 1, "address": 0, "terminator": 0},
        ),
        Look(
            "switches",
            "Address switches of every pack",
            4,
            ("as Link says", "another pattern, or two alike"),
            {"lead": 0, "port": 0, "protocol": 0, "address": 1, "terminator": 0},
        ),
        Look(
            "bus",
            "Link, Packs: who is heard on the bus",
            4,
            ("nobody", "all, in another protocol", "two at one address, or no master"),
            {"lead": 0, "port": 0, "protocol": 1, "address": 2, "terminator": 0},
        ),
    ),
)
BATTERY = (UNEQUAL, SOC_APART, NO_LINK)
