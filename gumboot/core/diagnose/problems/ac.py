"""What goes wrong behind the inverter: island, start, export, loop, residual current, heat."""

from gumboot.core.diagnose.engine import Cause, Look, Problem

LIVE = "Live work: a licensed person, a proved tester, a second person beside."

NO_ISLAND = Problem(
    "no_island",
    "The backed-up loads stay dark when the grid goes",
    (
        Cause("setting", "Output in an outage is off", 25, "Key it on"),
        Cause("breaker", "A breaker or changeover toward the loads is open", 25, "Close it"),
        Cause("soc", "The battery is below its floor, or asleep", 20, "Charge it, or wake it"),
        Cause("overload", "It starts, and gives up under the loads", 15, "Shed loads, then start"),
        Cause("sense", "It does not see the grid go: relay or sense pair", 10, "Mend the pair"),
        Cause("fault", "The unit has an alarm", 5, "Look at its code"),
    ),
    (
        Look(
            "output",
            "Volts at the unit's own output, grid off",
            3,
            ("nothing", "right volts", "comes and goes"),
            {
                **{"setting": 0, "breaker": 1, "soc": 0, "overload": 2, "sense": (0, 1)},
                "fault": 0,
            },
            ("output L1", "output N"),
            LIVE,
        ),
        Look(
            "display",
            "The unit's display and its alarm list",
            2,
            ("with the grid, it believes", "waits, no alarm", "battery low", "overload", "a code"),
            {"setting": 1, "breaker": 1, "soc": 2, "overload": 3, "sense": 0, "fault": 4},
        ),
        Look(
            "menu",
            "Output in an outage, in its menu",
            2,
            ("on", "off"),
            {"setting": 1, "breaker": 0, "soc": 0, "overload": 0, "sense": 0, "fault": 0},
        ),
        Look(
            "walk",
            "Every breaker from the unit to the loads",
            4,
            ("all closed", "one open"),
            {"setting": 0, "breaker": 1, "soc": 0, "overload": 0, "sense": 0, "fault": 0},
        ),
        Look(
            "alone",
            "Tried with every load off",
            6,
            ("dark as before", "it runs"),
            {"setting": 0, "breaker": 0, "soc": 0, "overload": 1, "sense": 0, "fault": 0},
        ),
    ),
)
START = Problem(
    "overload_start",
    "A motor's start trips the unit",
    (
        Cause("lra", "It draws more at the start than the unit gives", 40, "Fit a soft starter"),
        Cause("others", "Too much runs beside it", 25, "Interlock, or start it alone"),
        Cause("low", "The battery sags: lug, cold, low charge", 20, "Land it anew; charge; warm"),
        Cause("leg", "All of it on one leg", 10, "Move circuits between the legs"),
        Cause("stuck", "The motor does not turn free", 5, "Free it, or have it looked at"),
    ),
    (
        Look(
            "alone",
            "Started with everything else off",
            4,
            ("trips all the same", "it starts"),
            {"lra": 0, "others": 1, "low": 0, "leg": (0, 1), "stuck": 0},
        ),
        Look(
            "dc",
            "Battery volts at the unit, during the start",
            4,
            ("hold", "sag to the cut-off"),
            {"lra": 0, "others": 0, "low": 1, "leg": 0, "stuck": 0},
            ("battery +", "battery −"),
            LIVE,
        ),
        Look(
            "clamp",
            "Peak amperes of each line, by a clamp that holds the peak",
            5,
            ("as its plate says", "far above its plate, and it stays", "one leg carries all"),
            {"lra": 0, "others": 0, "low": 0, "leg": 2, "stuck": 1},
            ("round the line", ""),
            LIVE,
        ),
        Look(
            "grid",
            "Started on the grid",
            5,
            ("starts in a second", "is slow, hums, or trips there too"),
            {"lra": 0, "others": 0, "low": 0, "leg": 0, "stuck": 1},
        ),
        Look(
            "board",
            "What is on, and on which leg",
            4,
            ("little, spread well", "much is on", "all on one leg"),
            {"lra": 0, "others": 1, "low": 0, "leg": 2, "stuck": 0},
        ),
    ),
)
EXPORT = Problem(
    "export_not_held",
    "More is exported than the limit allows",
    (
        Cause("ct", "A current transformer is wrong", 45, "Link's CT test finds which"),
        Cause("setting", "The limit is keyed otherwise, or off", 20, "Key it, and read back"),
        Cause("phase", "The meter counts each phase, the unit the sum", 12, "Key it per phase"),
        Cause("other", "Another PV inverter feeds that nobody limits", 15, "Put it under control"),
        Cause("slow", "It is held, but late", 8, "Compare with the operator's time"),
    ),
    (
        Look(
            "keyed",
            "The export lines of the menu, read back",
            3,
            ("as planned", "another value"),
            {"ct": 0, "setting": 1, "phase": 0, "other": 0, "slow": 0},
        ),
        Look(
            "shown",
            "Export by the unit beside the utility's meter",
            3,
            ("alike", "the unit sees another figure", "alike in sum, not by phase"),
            {"ct": 1, "setting": 0, "phase": 2, "other": (0, 1), "slow": 0},
        ),
        Look(
            "ct",
            "Link: the transformers' test",
            15,
            ("it passes", "it finds one wrong"),
            {"ct": 1, "setting": 0, "phase": 0, "other": 0, "slow": 0},
            ("round the line", ""),
            LIVE,
        ),
        Look(
            "off",
            "The other PV inverter switched off",
            4,
            ("no change", "the limit holds now"),
            {"ct": 0, "setting": 0, "phase": 0, "other": 1, "slow": 0},
        ),
        Look(
            "wait",
            "Export over half a minute after a load goes off",
            3,
            ("stays above", "falls to the limit"),
            {"ct": 0, "setting": 0, "phase": 0, "other": 0, "slow": 1},
        ),
    ),
)
LOOP = Problem(
    "loop_high",
    "The loop impedance of a circuit is too high",
    (
        Cause("joint", "A loose joint or terminal on the way", 40, "Land it anew"),
        Cause("earth", "The earth path: electrode, bonding, its clamp", 20, "Mend it; measure it"),
        Cause("long", "Longer or thinner than planned", 20, "Size it anew, or protect by RCD"),
        Cause("island", "Measured in the island: the unit is the source", 12, "RCD protects there"),
        Cause("leads", "The tester's leads were not nulled", 8, "Null them, and read again"),
    ),
    (
        Look(
            "null",
            "Leads nulled, and read again",
            2,
            ("as high", "right now"),
            {"joint": 0, "earth": 0, "long": 0, "island": 0, "leads": 1},
        ),
        Look(
            "ln",
            "Loop of line to neutral at the same place",
            3,
            ("low", "as high", "higher than at the board, as the length says"),
            {"joint": 1, "earth": 0, "long": 2, "island": 1, "leads": 2},
            ("L", "N"),
            LIVE,
        ),
        Look(
            "board",
            "Loop at the board this circuit comes from",
            4,
            ("low", "high there already"),
            {"joint": 0, "earth": 1, "long": 0, "island": 1, "leads": (0, 1)},
            ("L", "PE"),
            LIVE,
        ),
        Look(
            "grid",
            "Read with the grid on",
            4,
            ("as high", "right"),
            {"joint": 0, "earth": 0, "long": 0, "island": 1, "leads": 0},
            ("L", "PE"),
            LIVE,
        ),
        Look(
            "dead",
            "Dead: line to PE bridged at the board, Ω read at the end, joints tugged",
            10,
            ("as the length says", "it moves with a joint"),
            {"joint": 1, "earth": 0, "long": 0, "island": 0, "leads": 0},
            ("L", "PE"),
        ),
    ),
)
RCD = Problem(
    "rcd_trips",
    "A residual-current device trips by itself",
    (
        Cause("swap", "Neutrals of two devices are mixed", 25, "Part them"),
        Cause("leak", "Leakage adds up: filters, long leads, many loads", 30, "Spread the loads"),
        Cause("fault", "One circuit or appliance has an earth fault", 25, "Find it, mend it"),
        Cause(
            "type", "Its type does not suit the inverter", 10, "Fit type B, or as the maker says"
        ),
        Cause("bond", "Neutral is bonded twice behind it", 10, "Take the second bond away"),
    ),
    (
        Look(
            "clamp",
            "Leakage by a clamp round all live conductors",
            4,
            ("far under half its rating", "near half or more, steady", "comes with one circuit"),
            {"swap": (0, 1), "leak": 1, "fault": 2, "type": 0, "bond": 1},
            ("round L and N", ""),
            LIVE,
        ),
        Look(
            "one",
            "Circuits switched on one after another",
            8,
            ("it trips with one of them", "with any, once enough are on", "with no load at all"),
            {"swap": (0, 2), "leak": 1, "fault": 0, "type": 2, "bond": 2},
        ),
        Look(
            "neutral",
            "Neutrals behind it, parted: Ω to those of other devices and to PE",
            8,
            ("open", "joined to another's neutral", "joined to PE"),
            {"swap": 1, "leak": 0, "fault": (0, 2), "type": 0, "bond": 2},
            ("N", "N of another"),
        ),
        Look(
            "plate",
            "Its type on its plate against the inverter's declaration",
            2,
            ("suits", "does not suit"),
            {"swap": 0, "leak": 0, "fault": 0, "type": 1, "bond": 0},
        ),
        Look(
            "insulation",
            "Insulation of each circuit, loads unplugged",
            12,
            ("good", "one is low"),
            {"swap": 0, "leak": 0, "fault": 1, "type": 0, "bond": 0},
            ("L and N", "PE"),
        ),
    ),
)
HEAT = Problem(
    "heat",
    "One lug or breaker is warmer than its like",
    (
        Cause("torque", "It is not at its torque", 40, "Off; land it anew, with new hardware"),
        Cause("crimp", "The crimp is poor, or the wrong die", 20, "Off; a new lug"),
        Cause("dirt", "The face is dirty, painted or oxidised", 15, "Off; clean and land it"),
        Cause("load", "It carries more current than its like", 20, "Find why: Packs do not share"),
        Cause("device", "The breaker itself is worn", 5, "Replace it"),
    ),
    (
        Look(
            "amps",
            "Amperes of each, by a clamp",
            3,
            ("alike", "this one more"),
            {"torque": 0, "crimp": 0, "dirt": 0, "load": 1, "device": 0},
            ("round the lead", ""),
        ),
        Look(
            "drop",
            "Millivolts under load: lead to lug, lug to bar, through the device",
            6,
            ("alike everywhere", "from lug to bar", "from lead to lug", "through the device"),
            {"torque": 1, "crimp": 2, "dirt": 1, "load": 0, "device": 3},
            ("lead", "bar"),
            LIVE,
        ),
        Look(
            "wrench",
            "Dead: the wrench at its torque",
            6,
            ("it does not move", "it turns"),
            {"torque": 1, "crimp": 0, "dirt": 0, "load": 0, "device": 0},
            caution="Isolated, locked, proven dead.",
        ),
        Look(
            "face",
            "Dead: taken off and looked at",
            12,
            ("clean", "dirty or oxidised", "the crimp moves or shows gaps"),
            {"torque": 0, "crimp": 2, "dirt": 1, "load": 0, "device": 0},
            caution="Isolated, locked, proven dead.",
        ),
    ),
)
AC = (NO_ISLAND, START, EXPORT, LOOP, RCD, HEAT)
