"""Protective devices and boxes."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import Field, model_validator

from gumboot.core.codes.book import Code
from gumboot.core.kit import presumed
from gumboot.core.kit.enclosure import Enclosure
from gumboot.core.kit.entry import Entry, Positive
from gumboot.core.kit.signal import SignalPort
from gumboot.core.kit.terminal import (
    Terminal,
)
from gumboot.core.kit.words import BOXES, LINE_VOLTS, Supplied

ON_LINES = (
    *("ac-breaker", "panel", "transfer-switch", "inlet", "tap"),
    *("residual-current", "disconnect"),
)


class Device(Entry):
    """A protective device or a box: where conductors end that do not end on inverter or pack.

    interrupt_a: what it breaks, in A; volts_ac, volts_dc: up to which voltage; None where its plate
    is silent. curve: of a miniature breaker. trip_ma, residual: of a residual-current device, what
    it trips at and what it sees; both_ways: whether power may pass it in either direction, None
    where its plate is silent. load_break: whether an isolator may be opened under load.
    splices: of a tap, the connectors that join its conductors to the service's own.
    """

    kind: Literal["device"]
    id: str
    role: Literal[
        "ac-breaker",
        "dc-breaker",
        "dc-fuse",
        "dc-bus",
        "pv-combiner",
        "pv-breaker",
        "panel",
        "transfer-switch",
        "array",
        "inlet",
        "tap",
        "electrode",
        "residual-current",
        "surge",
        "button",
        "disconnect",
    ]
    label: str
    supply: Supplied | Literal["any"] = "any"
    book: Code | Literal["any"] = "any"
    up_to_a: Positive
    interrupt_a: Positive | None = None
    volts_ac: Positive | None = None
    volts_dc: Positive | None = None
    poles: Annotated[int, Field(ge=1, le=4)] | None = None
    curve: Literal["B", "C", "D", ""] = ""
    trip_ma: Positive | None = None
    residual: Literal["AC", "A", "F", "B"] | None = None
    both_ways: bool | None = None
    load_break: bool = True
    terminals: tuple[Terminal, ...] = ()
    splices: tuple[Terminal, ...] = ()
    signals: tuple[SignalPort, ...] = ()
    enclosure: Enclosure | None = None

    @model_validator(mode="before")
    @classmethod
    def _presumed(cls, document: Any) -> Any:
        if not isinstance(document, dict) or document.get("terminals"):
            return document
        return {**document, "terminals": presumed.of_device(document)}

    def serves(self, supply: str) -> bool:
        """Whether it is made for a supply: for that one, for any, or for one of as many lines and
        no fewer volts.
        """
        return self.supply in ("any", supply, BOXES.get(supply))

    def holds(self, supply: str) -> bool:
        """Whether its plate is good to the volts between lines of a supply, or silent about them;
        asked of what AC passes through.
        """
        asked = self.volts_ac is not None and self.role in ON_LINES
        return not asked or (self.volts_ac or 0) >= LINE_VOLTS.get(supply, 0)
