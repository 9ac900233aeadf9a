"""The plan: what the crew decided. One validated document, SI units throughout.

Limits here are of sense (a length is not negative); limits of the trade are findings, made by
`design`.
"""

from gumboot.core.plan.backup import Backup
from gumboot.core.plan.energy import Energy, Rate, Slot, Tariff, Work
from gumboot.core.plan.fields import (
    FAMILIES,
    PRINTABLE,
    TEMPERATURES,
    Across,
    Amps,
    Celsius,
    Digest,
    Extent,
    Key,
    Landing,
    Legs,
    Letter,
    LoadKind,
    Method,
    Metres,
    Name,
    NeighbourKind,
    Part,
    Percent,
    Price,
    Reached,
    Size,
    Temperature,
    Text,
    WorkMode,
    YesNo,
    Zone,
    known_zone,
)
from gumboot.core.plan.kit import Kit
from gumboot.core.plan.loads import Load, Window
from gumboot.core.plan.plan import Plan
from gumboot.core.plan.run import Fitted, Reel, Run
from gumboot.core.plan.safeguard import (
    RESIDUAL_TYPES,
    SAFEGUARDS,
    TRIPS_MA,
    ResidualType,
    Safeguard,
    SafeguardKind,
)
from gumboot.core.plan.site import Site
from gumboot.core.plan.strings import PvString
from gumboot.core.plan.supply import ExistingPv, Generator, PortUse, Supply
from gumboot.core.plan.survey import Survey
from gumboot.core.plan.wall import Backing, Extra, Neighbour, Spacing, Spot, Wall

__all__ = [
    "FAMILIES",
    "PRINTABLE",
    "RESIDUAL_TYPES",
    "SAFEGUARDS",
    "TEMPERATURES",
    "TRIPS_MA",
    "Across",
    "Amps",
    "Backing",
    "Backup",
    "Celsius",
    "Digest",
    "Energy",
    "ExistingPv",
    "Extent",
    "Extra",
    "Fitted",
    "Generator",
    "Key",
    "Kit",
    "Landing",
    "Legs",
    "Letter",
    "Load",
    "LoadKind",
    "Method",
    "Metres",
    "Name",
    "Neighbour",
    "NeighbourKind",
    "Part",
    "Percent",
    "Plan",
    "PortUse",
    "Price",
    "PvString",
    "Rate",
    "Reached",
    "Reel",
    "ResidualType",
    "Run",
    "Safeguard",
    "SafeguardKind",
    "Site",
    "Size",
    "Slot",
    "Spacing",
    "Spot",
    "Supply",
    "Survey",
    "Tariff",
    "Temperature",
    "Text",
    "Wall",
    "Window",
    "Work",
    "WorkMode",
    "YesNo",
    "Zone",
    "known_zone",
]
