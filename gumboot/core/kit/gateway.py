"""Gateways and islanding boxes."""

from __future__ import annotations

from typing import Literal

from gumboot.core.kit.enclosure import Enclosure
from gumboot.core.kit.entry import Entry, Positive
from gumboot.core.kit.link import Link
from gumboot.core.kit.port import Port
from gumboot.core.kit.terminal import (
    Block,
    FactoryTermination,
)
from gumboot.core.kit.words import Supplied


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
    grid: Port
    inverter: Port
    backup: Port
    links: tuple[Link, ...] = ()
    factory_terminations: tuple[FactoryTermination, ...] = ()
    cover: FactoryTermination | None = None
    block: Block | None = None
    enclosure: Enclosure | None = None
