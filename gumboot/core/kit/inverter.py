"""Inverters of every kind."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from gumboot.core.kit.enclosure import Enclosure
from gumboot.core.kit.entry import Entry, Positive
from gumboot.core.kit.link import Link
from gumboot.core.kit.menu import MenuItem
from gumboot.core.kit.port import Port
from gumboot.core.kit.terminal import (
    Block,
    Conductor,
    FactoryTermination,
    Terminal,
)
from gumboot.core.kit.words import LINES, Chemistry, Opening, Stage, Supplied


class Tracker(Entry):
    """One PV tracker: window in V, current limits in A, the pairs of connectors and what one pair
    carries.
    """

    id: str
    v_min: Positive
    v_max: Positive
    v_start: Positive
    i_mp_max_a: Positive
    i_sc_max_a: Positive
    pairs: Annotated[int, Field(ge=1)]
    pair_a: Positive
    terminals: tuple[Terminal, ...]


class Inverter(Entry):
    """An inverter: hybrid, AC-coupled, inverter-charger, or all-in-one with its pack inside.

    leg_max_w: continuous on one leg, None for an even share; ac_max_a: the greatest continuous
    output current of a line; imbalance_max_w: between legs.
    standby_w: what it draws itself while it works. fault_a: what it can push into a short when
    islanded. capacitance_f and precharge: of its battery port.
    residual: the residual-current device its maker declares enough; None when the maker is silent.
    landing: the order in which its maker wants the stages landed; empty when silent.
    shutdown: the order in which its maker wants things opened; empty when silent; switch_off: how
    the unit itself is switched off. neutral: whether
    its relay opens neutral in an island; None when silent, and then it is as the plan says.
    feeds_grid: whether it ever pushes into the grid. battery_inputs: of its battery port.
    """

    kind: Literal["inverter"]
    id: str
    maker: str
    model: str
    topology: Literal["hybrid", "ac-coupled", "inverter-charger", "all-in-one"] = "hybrid"
    supply: Supplied
    power_w: Positive
    surge_w: Positive | None = None
    surge_s: Positive | None = None
    leg_max_w: Positive | None = None
    ac_max_a: Positive | None = None
    imbalance_max_w: Positive | None = None
    standby_w: Annotated[float, Field(ge=0)] = 0
    voltage_v: Positive
    pass_through_a: Positive | None = None
    pv_v_max: Positive | None = None
    pv_power_max_w: Positive | None = None
    trackers: tuple[Tracker, ...] = ()
    trackers_bridge: bool = False
    chemistries: Annotated[tuple[Chemistry, ...], Field(min_length=1)] = ("LFP",)
    pack_inside: str = ""
    battery_v_min: Positive
    battery_v_max: Positive
    battery_efficiency: Annotated[float, Field(gt=0, le=1)]
    charge_max_a: Positive
    capacitance_f: Positive | None = None
    precharge_ohm: Positive | None = None
    battery: Port | None = None
    battery_inputs: Annotated[int, Field(ge=1, le=8)] = 1
    grid: Port | None = None
    backup: Port | None = None
    generator: Port | None = None
    bond_relay: bool = False
    neutral: Literal["solid", "switched"] | None = None
    feeds_grid: bool = True
    fault_a: Positive | None = None
    residual: Literal["A", "B"] | None = None
    links: tuple[Link, ...] = ()
    earth: Terminal
    earth_screws: Annotated[int, Field(ge=1)]
    units_max: Annotated[int, Field(ge=1)] = 1
    capacitor_wait_min: Positive
    shutdown: tuple[Opening, ...] = ()
    switch_off: str = ""
    factory_terminations: tuple[FactoryTermination, ...] = ()
    cover: FactoryTermination | None = None
    block: Block | None = None
    landing: tuple[Stage, ...] = ()
    enclosure: Enclosure | None = None
    menu: Annotated[tuple[MenuItem, ...], Field(min_length=1)]

    @property
    def lines(self) -> tuple[Conductor, ...]:
        """Its live line conductors: ("L1", "L2")."""
        return LINES[self.supply]
