"""Strings that read wrong."""

from gumboot.core.diagnose.engine import Cause, Look, Problem

LIVE = "Live in light. Insulated gloves; part no connector under load."
PARTED = "Its PV switch or breaker off, the string parted from its unit, no current."

LOW_VOC = Problem(
    "low_voc",
    "A string reads too few volts open",
    (
        Cause("fewer", "Fewer modules in it than planned", 30, "Put in what is missing"),
        Cause("bypass", "A bypass diode is shorted", 12, "Replace the module or its diode"),
        Cause("hot", "Cells hotter, or the light weaker, than taken for", 30, "Read the cells"),
        Cause("turned", "One module is turned round in the string", 8, "Turn it"),
        Cause("type", "Modules of another type among them", 8, "Exchange them"),
        Cause("earth", "An earth fault pulls it through the tester", 12, "Find the fault first"),
    ),
    (
        Look(
            "beside",
            "Volts beside another string, in the same minute, by the module",
            4,
            ("alike by the module", "a whole module less", "two modules less", "a third less"),
            {"fewer": 1, "bypass": 3, "hot": 0, "turned": 2, "type": (0, 3), "earth": (0, 1, 3)},
            ("string +", "string −"),
            PARTED,
        ),
        Look(
            "to-earth",
            "Volts of each pole to earth",
            4,
            ("both die away to nothing", "they stand, and add up to the string's"),
            {"fewer": 0, "bypass": 0, "hot": 0, "turned": 0, "type": 0, "earth": 1},
            ("string + then −", "PE"),
            PARTED,
        ),
        Look(
            "count",
            "Modules counted on the roof, by eye or from a photograph",
            10,
            ("as planned", "one or more fewer"),
            {"fewer": 1, "bypass": 0, "hot": 0, "turned": 0, "type": 0, "earth": 0},
        ),
        Look(
            "cells",
            "A sensor on a cell's back, and the light in the array's plane",
            5,
            ("as taken for", "hotter or darker: it explains it"),
            {"fewer": 0, "bypass": 0, "hot": 1, "turned": 0, "type": 0, "earth": 0},
        ),
        Look(
            "halves",
            "The string parted in the middle, each half by itself",
            20,
            ("halves as they should", "one half low by a third", "one half low by two modules"),
            {"fewer": 0, "bypass": 1, "hot": 0, "turned": 2, "type": 0, "earth": 0},
            ("half +", "half −"),
            LIVE,
        ),
        Look(
            "plates",
            "Type plates of the modules, all of them",
            15,
            ("one type", "two types"),
            {"fewer": 0, "bypass": 0, "hot": 0, "turned": 0, "type": 1, "earth": 0},
        ),
    ),
)
HIGH_VOC = Problem(
    "high_voc",
    "A string reads too many volts open",
    (
        Cause("more", "More modules in it than planned", 40, "Take out what is too much"),
        Cause("cold", "Cells colder than taken for", 30, "Read the cells, and expect anew"),
        Cause("swapped", "It is another string under this label", 20, "Label both ends anew"),
        Cause("type", "Modules of another type", 10, "Enter what hangs there, and size it anew"),
    ),
    (
        Look(
            "beside",
            "Volts beside another string, in the same minute, by the module",
            4,
            ("alike by the module", "a whole module more", "as the other string should"),
            {"more": 1, "cold": 0, "swapped": 2, "type": (0, 1)},
            ("string +", "string −"),
            PARTED,
        ),
        Look(
            "cells",
            "A sensor on a cell's back, and the light in the array's plane",
            5,
            ("as taken for", "colder: it explains it"),
            {"more": 0, "cold": 1, "swapped": 0, "type": 0},
        ),
        Look(
            "sound",
            "Both ends sounded through: which string comes out at this label",
            10,
            ("this one", "another one"),
            {"more": 0, "cold": 0, "swapped": 1, "type": 0},
            ("far end", "near end"),
            PARTED,
        ),
        Look(
            "count",
            "Modules counted on the roof",
            10,
            ("as planned", "one or more too many"),
            {"more": 1, "cold": 0, "swapped": 0, "type": 0},
        ),
        Look(
            "plates",
            "Type plates of the modules",
            12,
            ("as planned", "another type"),
            {"more": 0, "cold": 0, "swapped": 0, "type": 1},
        ),
    ),
)
LOW_ISC = Problem(
    "low_isc",
    "A string gives too little current shorted, or too little power",
    (
        Cause("shade", "Shade or dirt on it", 40, "Take it away, or expect less"),
        Cause("light", "The light was less than taken for", 25, "Read it in the array's plane"),
        Cause("contact", "A poor contact: a connector not seated", 15, "Part, look, seat anew"),
        Cause("module", "A damaged module", 12, "Replace it"),
        Cause("type", "A module of less current among them", 8, "Exchange it"),
    ),
    (
        Look(
            "eye",
            "The array looked over, from the ground or by a photograph",
            3,
            ("clean and in full light", "shade or dirt on a part", "a broken or stained module"),
            {"shade": 1, "light": 0, "contact": 0, "module": (0, 2), "type": 0},
        ),
        Look(
            "plane",
            "Irradiance in the array's own plane",
            3,
            ("as taken for", "less: it explains it"),
            {"shade": 0, "light": 1, "contact": 0, "module": 0, "type": 0},
        ),
        Look(
            "curve",
            "An I-V curve",
            10,
            ("whole, only lower", "a step in it", "a flat slope at the end", "whole and right"),
            {"shade": 1, "light": 0, "contact": 2, "module": (1, 2), "type": 1},
            ("string +", "string −"),
            LIVE,
        ),
        Look(
            "warm",
            "Connectors and modules by a thermal camera, under load",
            10,
            ("alike", "one connector warm", "one module warm", "a shaded patch"),
            {"shade": 3, "light": 0, "contact": 1, "module": 2, "type": 0},
        ),
        Look(
            "plates",
            "Type plates of the modules",
            12,
            ("one type", "two types"),
            {"shade": 0, "light": 0, "contact": 0, "module": 0, "type": 1},
        ),
    ),
)
LOW_INSULATION = Problem(
    "low_insulation",
    "Insulation of an array is too low",
    (
        Cause("wet", "Wet connectors or boxes", 35, "Dry them; seat or replace them"),
        Cause("pinched", "A lead pinched on the frame or roof", 30, "Free it, and replace it"),
        Cause("homerun", "The lead to the house is hurt", 15, "Replace it"),
        Cause("module", "A module's own insulation failed", 10, "Replace it"),
        Cause("surge", "A surge protector was left connected", 10, "Part it, and test again"),
    ),
    (
        Look(
            "surge",
            "Surge protection parted, and tested again",
            5,
            ("as low as before", "good now"),
            {"wet": 0, "pinched": 0, "homerun": 0, "module": 0, "surge": 1},
            ("both poles", "PE"),
            PARTED,
        ),
        Look(
            "divider",
            "Volts of each pole to earth: V+ and V−, in light",
            5,
            (
                "both near nothing",
                "they stand: the fault is at a join between two modules",
                "one is nothing: the fault is at an end or in the lead",
                "they stand: the fault is inside one module",
            ),
            {"wet": 1, "pinched": 1, "homerun": 2, "module": 3, "surge": 0},
            ("string + then −", "PE"),
            LIVE,
        ),
        Look(
            "roof-end",
            "The lead to the house parted at the roof, both parts tested",
            15,
            ("the lead is low", "the array is low"),
            {"wet": 1, "pinched": 1, "homerun": 0, "module": 1, "surge": 0},
            ("lead", "PE"),
            LIVE,
        ),
        Look(
            "dry",
            "Tested again on a dry afternoon, or after drying the join found",
            15,
            ("as low", "good now"),
            {"wet": 1, "pinched": 0, "homerun": 0, "module": 0, "surge": 0},
            ("both poles", "PE"),
            PARTED,
        ),
        Look(
            "join",
            "The join or lead found looked at",
            15,
            ("water in a connector", "insulation cut or pinched", "nothing to see"),
            {"wet": 0, "pinched": 1, "homerun": 1, "module": 2, "surge": 2},
            caution=LIVE,
        ),
    ),
)
PV = (LOW_VOC, HIGH_VOC, LOW_ISC, LOW_INSULATION)
