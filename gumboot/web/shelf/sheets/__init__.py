"""What is asked of each kind of equipment, in the order of a data sheet."""

from gumboot.web.shelf.sheets.controller import CONTROLLER
from gumboot.web.shelf.sheets.devices import DEVICE
from gumboot.web.shelf.sheets.gateway import GATEWAY
from gumboot.web.shelf.sheets.inverter import INVERTER
from gumboot.web.shelf.sheets.metering import CT, METER
from gumboot.web.shelf.sheets.pack import PACK
from gumboot.web.shelf.sheets.parts import Rows, Section
from gumboot.web.shelf.sheets.small import ANCHOR, CONDUCTOR, FERRULES, LUGS, MODULE
from gumboot.web.shelf.sheets.workshop import LABELS, TOOL

Sheet = tuple[Section, ...]
SHEETS: dict[str, Sheet] = {
    "inverter": INVERTER,
    "controller": CONTROLLER,
    "pack": PACK,
    "gateway": GATEWAY,
    "module": MODULE,
    "device": DEVICE,
    "meter": METER,
    "ct": CT,
    "conductor": CONDUCTOR,
    "lugs": LUGS,
    "ferrules": FERRULES,
    "anchor": ANCHOR,
    "labels": LABELS,
    "tool": TOOL,
}
NAMES = {  # one of it; several
    "inverter": ("inverter", "Inverters"),
    "controller": ("charge controller", "Charge controllers"),
    "pack": ("pack, stack module or cell", "Packs, stacks, cells"),
    "gateway": ("gateway or islanding box", "Gateways"),
    "module": ("PV module", "PV modules"),
    "device": ("panel, breaker, fuse or box", "Panels, breakers, boxes"),
    "meter": ("meter", "Meters"),
    "ct": ("current transformer", "CTs"),
    "conductor": ("cable", "Cables"),
    "lugs": ("lug chart", "Lug charts"),
    "ferrules": ("ferrule chart", "Ferrule charts"),
    "anchor": ("anchor", "Anchors"),
    "labels": ("label stock", "Label stocks"),
    "tool": ("tool", "Tools"),
}

__all__ = ["NAMES", "SHEETS", "Rows", "Section", "Sheet"]
