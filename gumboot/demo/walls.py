"""The walls of the demo's jobs, all of it invented. Millimetres from the left edge and the
floor.
"""

from __future__ import annotations

from typing import Any

from gumboot.core.plan import Backing, Neighbour, Spot, Wall


def _wall(placed: dict[str, tuple[float, float]], **more: Any) -> dict[str, Any]:
    return Wall(
        id="A", placed={k: Spot(x_mm=x, y_mm=y) for k, (x, y) in placed.items()}, **more
    ).model_dump(mode="json")


def _board(x: float, y: float, width: float, height: float) -> Backing:
    return Backing(x_mm=x, y_mm=y, width_mm=width, height_mm=height)


def _rail(x: float, y: float, width: float) -> Backing:
    return Backing(material="rail", x_mm=x, y_mm=y, width_mm=width, height_mm=41)


def _there(kind: Any, x: float, y: float, width: float, height: float) -> Neighbour:
    return Neighbour(kind=kind, x_mm=x, y_mm=y, width_mm=width, height_mm=height)


# Honest faults: pack 2 hangs too near to pack 1, inverter 2 has no board behind it, and nobody has
# swept the wall.
TERN_HOLLOW = _wall(
    {
        "main-panel": (4300, 1250),
        "loads-panel": (4720, 1250),
        "dc-bus": (1290, 1210),
        "pack-1": (160, 150),
        "pack-2": (770, 150),
        "pack-3": (1420, 150),
        "inverter-1": (2200, 1210),
        "inverter-2": (3010, 1210),
        "transfer-switch": (4315, 690),
        "grid-combiner": (3690, 1210),
        "backup-combiner": (3690, 520),
    },
    name="Garage, north wall",
    width_mm=6400,
    height_mm=2743,
    made="timber studs",
    lining="wood",
    lining_mm=12,
    stud_first_mm=203,
    stud_pitch_mm=406.4,
    place="garage",
    sun="no",
    rain="no",
    corner_left=True,
    front_mm=2400,
    eye_mm=1600,
    behind="outdoors",
    neighbours=(_there("door", 5400, 0, 914, 2032),),
    backing=(
        _board(60, 50, 2040, 1060),
        _board(1190, 1110, 760, 460),
        _board(2100, 1110, 680, 960),
        _rail(153, 849.5, 2131),
        _rail(153, 929.5, 2131),
    ),
)

HERON_SLIP = _wall(
    {
        "main-panel": (4100, 1300),
        "pack-1": (300, 200),
        "pack-2": (930, 200),
        "dc-bus": (700, 1280),
        "inverter-1": (1760, 1050),
        "transfer-switch": (2800, 1150),
    },
    name="Boat store, back wall",
    width_mm=5200,
    height_mm=2600,
    made="concrete",
    place="indoors",
    sun="no",
    rain="no",
    front_mm=2600,
    eye_mm=1600,
    swept=True,
    behind="outdoors",
)

SALTINGS_BARN = _wall(
    {
        "main-panel": (3500, 1500),
        "pack-1": (1880, 0),
        "inverter-1": (2700, 1340),
        "gateway": (3370, 980),
        "loads-panel": (3780, 980),
    },
    name="Plant room",
    width_mm=4600,
    height_mm=2600,
    made="solid brick",
    place="indoors",
    sun="no",
    rain="no",
    corner_right=True,
    front_mm=1800,
    eye_mm=1600,
    swept=True,
    behind="outdoors",
    neighbours=(_there("window", 60, 1100, 860, 900), _there("hidden pipe", 1480, 0, 40, 2600)),
)

MOSSBANK_TERRACE = _wall(
    {
        "main-panel": (300, 1500),
        "loads-panel": (700, 1500),
        "pv-inverter": (3000, 1400),
        "pack-1": (1440, 500),
        "inverter-1": (1500, 1420),
        "gateway": (1050, 1500),
    },
    name="Cellar",
    width_mm=3600,
    height_mm=2200,
    made="hollow block",
    place="indoors",
    sun="no",
    rain="no",
    front_mm=1500,
    eye_mm=1600,
    swept=True,
    behind="other",
    neighbours=(_there("gas meter", 3300, 200, 250, 300),),
)

JUNIPER_CUT = _wall(
    {
        "dc-bus": (530, 1450),
        "pack-1": (1190, 0),
        "inverter-1": (0, 1320),
        "loads-panel": (150, 690),
    },
    name="Lean-to",
    width_mm=4800,
    height_mm=2440,
    made="timber studs",
    lining="gypsum board",
    lining_mm=16,
    stud_first_mm=300,
    stud_pitch_mm=609.6,
    place="indoors",
    sun="no",
    rain="no",
    front_mm=2000,
    swept=True,
    behind="living room",
    backing=tuple(
        _rail(*r)
        for r in (
            (250, 1469.5, 1319.2),
            (250, 1649.5, 1319.2),
            (0, 1359.5, 959.6),
            (0, 1829.5, 959.6),
            (0, 709.5, 959.6),
            (0, 959.5, 959.6),
        )
    ),
)
