"""The catalogue: all equipment known, by id."""

from __future__ import annotations

import json
from collections.abc import Iterable
from typing import Annotated

from pydantic import Field, TypeAdapter

from gumboot.core.basis.sizes import area_mm2
from gumboot.core.codes.book import Code
from gumboot.core.kit.anchor import Anchor
from gumboot.core.kit.conductor import ConductorType, Ferrules, Lugs
from gumboot.core.kit.controller import Controller
from gumboot.core.kit.device import Device
from gumboot.core.kit.gateway import Gateway
from gumboot.core.kit.inverter import Inverter
from gumboot.core.kit.label_stock import LabelStock
from gumboot.core.kit.meter import CurrentTransformer, Meter
from gumboot.core.kit.module import Module
from gumboot.core.kit.pack import Pack
from gumboot.core.kit.tool import Tool
from gumboot.core.kit.words import Family

AnyEntry = Annotated[
    Inverter
    | Controller
    | Gateway
    | Pack
    | Module
    | Device
    | Meter
    | CurrentTransformer
    | ConductorType
    | Lugs
    | Ferrules
    | Anchor
    | LabelStock
    | Tool,
    Field(discriminator="kind"),
]
entry = TypeAdapter[AnyEntry](AnyEntry)
file = TypeAdapter[list[AnyEntry]](list[AnyEntry])
FAR = 4  # times the volts of the bank: what is made for more is the second choice, common practice


def schema_text() -> str:
    """The published JSON Schema of a catalogue file: a list of entries."""
    schema = {
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "title": "Gumboot catalogue file",
        **file.json_schema(),
    }
    return json.dumps(schema, indent=1, ensure_ascii=False) + "\n"


class BrokenCatalogue(ValueError):
    """The catalogue itself cannot serve: nothing a plan can do about it."""


SAME_CABLE: dict[Family, Family] = {
    "controller": "battery",
    "controller-pv": "battery",
    "tap": "grid",
    "sub-feeder": "grid",
    "port-use": "backup",
    "generator-unit": "generator",
}


class Catalogue:
    """All equipment known, by id; own: of which a crew entered by itself. Hashable by identity, so
    that a design can be remembered for it.
    """

    def __init__(self, entries: Iterable[AnyEntry], own: Iterable[str] = ()) -> None:
        rows, self.own = list(entries), frozenset(own)
        self.entries = {e.id: e for e in rows}
        self.inverters = {e.id: e for e in rows if isinstance(e, Inverter)}
        self.controllers = {e.id: e for e in rows if isinstance(e, Controller)}
        self.gateways = {e.id: e for e in rows if isinstance(e, Gateway)}
        self.packs = {e.id: e for e in rows if isinstance(e, Pack)}
        self.modules = {e.id: e for e in rows if isinstance(e, Module)}
        self.devices = [e for e in rows if isinstance(e, Device)]
        self._by_role: dict[str, list[Device]] = {}
        for d in self.devices:
            self._by_role.setdefault(d.role, []).append(d)
        self.conductors = [e for e in rows if isinstance(e, ConductorType)]
        self.anchors = [e for e in rows if isinstance(e, Anchor)]
        self.meters = {e.id: e for e in rows if isinstance(e, Meter)}
        self.cts = {e.id: e for e in rows if isinstance(e, CurrentTransformer)}
        self.label_stocks = [e for e in rows if isinstance(e, LabelStock)]
        self.tools = [e for e in rows if isinstance(e, Tool)]
        charts = rows[::-1]  # the first to speak of a size has the word, as with cables
        self.lugs = {lug.size: lug for e in charts if isinstance(e, Lugs) for lug in e.rows}
        self.ferrules = {f.size: f for e in charts if isinstance(e, Ferrules) for f in e.rows}
        if len(self.entries) != len(rows):
            raise BrokenCatalogue("two catalogue entries share one id")

    def device(
        self,
        role: str,
        amps: float,
        supply: str = "any",
        book: str = "any",
        dc_v: float = 0.0,
        breaks_a: float = 0.0,
        takes: str = "",
    ) -> Device | None:
        """The smallest device of a role, supply and book that carries `amps` at the supply's volts
        and at so many DC volts, and by its plate breaks so many A; None when there is none.
        One made for far more volts, or whose plate is silent about them, comes after those.
        takes: a size that its terminals should take, where one does.
        """
        fits = [
            d
            for d in self._by_role.get(role, ())
            if d.serves(supply)
            and d.book in (book, "any")
            and d.up_to_a >= amps - 1e-9
            and d.holds(supply)
            and (not dc_v or d.volts_dc is None or d.volts_dc >= dc_v)
            and (not breaks_a or (d.interrupt_a or 0.0) >= breaks_a)
        ]

        if takes:
            fits = [d for d in fits if _takes(d, takes)] or fits

        def far(d: Device) -> int:
            return 2 if d.volts_dc is None else int(d.volts_dc > FAR * dc_v)

        return min(fits, key=lambda d: (bool(dc_v) and far(d), d.up_to_a), default=None)

    def named(self, id: str) -> Device | None:
        """A device by its id; None when there is none."""
        return next((d for d in self.devices if d.id == id), None)

    def conductor(self, family: Family, book: Code, material: str = "Cu") -> ConductorType | None:
        """The cable used for a family of runs under a book; None when the catalogue has none of
        that metal.
        """
        wanted = (family, SAME_CABLE.get(family, family))
        return next(
            (
                c
                for f in wanted
                for c in self.conductors
                if f in c.families and c.book == book and c.material == material
            ),
            None,
        )


def _takes(device: Device, size: str) -> bool:
    """Whether a conductor of a size lands on a device's first line."""
    area = area_mm2(size)
    lines = (t for t in device.terminals if t.conductor in ("L1", "+"))
    return any(area_mm2(t.least) - 1e-9 <= area <= area_mm2(t.most) + 1e-9 for t in lines)
