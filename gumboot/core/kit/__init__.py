"""The equipment: what a catalogue entry says, as data. Ports, terminals, torques and menus are
never code.
"""

from gumboot.core.kit.anchor import Anchor
from gumboot.core.kit.catalogue import (
    AnyEntry,
    BrokenCatalogue,
    Catalogue,
    entry,
    file,
    schema_text,
)
from gumboot.core.kit.conductor import ConductorType, Ferrules, Lugs
from gumboot.core.kit.controller import Controller
from gumboot.core.kit.converter import Converter, Tracker
from gumboot.core.kit.device import Device
from gumboot.core.kit.gateway import Gateway
from gumboot.core.kit.inverter import Inverter
from gumboot.core.kit.label_stock import LabelStock
from gumboot.core.kit.menu import MenuItem
from gumboot.core.kit.meter import CurrentTransformer, Meter
from gumboot.core.kit.module import Module
from gumboot.core.kit.pack import Cabinet, Pack
from gumboot.core.kit.port import Port
from gumboot.core.kit.signal import Pin, Plug, SignalPort, Switches
from gumboot.core.kit.terminal import Terminal
from gumboot.core.kit.tool import Tool
from gumboot.core.kit.words import (
    ANGLES,
    CHEMISTRIES,
    LINES,
    LITHIUM,
    MAINS,
    Chemistry,
    Family,
    Ground,
    Mains,
    Stage,
    Supplied,
    spreads,
)

__all__ = [
    "ANGLES",
    "CHEMISTRIES",
    "LINES",
    "LITHIUM",
    "MAINS",
    "Anchor",
    "AnyEntry",
    "BrokenCatalogue",
    "Cabinet",
    "Catalogue",
    "Chemistry",
    "ConductorType",
    "Controller",
    "Converter",
    "CurrentTransformer",
    "Device",
    "Family",
    "Ferrules",
    "Gateway",
    "Ground",
    "Inverter",
    "LabelStock",
    "Lugs",
    "Mains",
    "MenuItem",
    "Meter",
    "Module",
    "Pack",
    "Pin",
    "Plug",
    "Port",
    "SignalPort",
    "Stage",
    "Supplied",
    "Switches",
    "Terminal",
    "Tool",
    "Tracker",
    "entry",
    "file",
    "schema_text",
    "spreads",
]
