"""Gateways and islanding boxes."""

from __future__ import annotations

from typing import Any, Literal

from pydantic import model_validator

from gumboot.core.kit import presumed
from gumboot.core.kit.enclosure import Enclosure
from gumboot.core.kit.entry import Entry, Positive
from gumboot.core.kit.port import Port
from gumboot.core.kit.signal import SignalPort, Switches, upgraded
from gumboot.core.kit.terminal import (
    Block,
    FactoryTermination,
)
from gumboot.core.kit.words import Supplied

UNSAID = Port(i_max_a=1, protection_max_a=1)  # never stands: a gateway gives its ports its own


class Gateway(Entry):
    """What separates house and grid in an outage: a gateway, or a bare islanding box. It breaks
    before it makes.

    neutral: whether its contactor switches neutral. bond_relay: whether it can join neutral and
    earth when islanded.
    """

    kind: Literal["gateway"]
    id: str
    maker: str
    model: str
    form: Literal["gateway", "islanding box"] = "gateway"
    supply: Supplied
    i_max_a: Positive
    neutral: Literal["solid", "switched"]
    bond_relay: bool
    meter_inside: bool
    breakers: tuple[Literal["inverter", "backup"], ...] = ("inverter",)
    grid: Port = UNSAID
    inverter: Port = UNSAID
    backup: Port = UNSAID
    signals: tuple[SignalPort, ...] = ()
    switches: tuple[Switches, ...] = ()
    factory_terminations: tuple[FactoryTermination, ...] = ()
    cover: FactoryTermination | None = None
    block: Block | None = None
    enclosure: Enclosure | None = None

    @model_validator(mode="before")
    @classmethod
    def _presumed(cls, document: Any) -> Any:
        if not isinstance(document, dict):
            return document
        d, lines = dict(upgraded(document)), presumed.lines_of(document.get("supply"))
        amps = d.get("i_max_a")
        for name in ("grid", "inverter", "backup"):
            d.setdefault(name, {"i_max_a": amps, "protection_max_a": amps})
            presumed.port(d, name, (*lines, "N", "PE"), name[:8].upper())
        return d
