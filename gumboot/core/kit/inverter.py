"""Inverters of every kind."""

from __future__ import annotations

import contextlib
from typing import Annotated, Any, Literal

from pydantic import Field, model_validator

from gumboot.core.kit import presumed
from gumboot.core.kit.alarm import Alarm
from gumboot.core.kit.care import Care
from gumboot.core.kit.enclosure import Enclosure
from gumboot.core.kit.entry import Entry, Positive, WrongTogether
from gumboot.core.kit.menu import MenuItem, menu_fault
from gumboot.core.kit.port import Port
from gumboot.core.kit.register import UnitRegister
from gumboot.core.kit.signal import SignalPort, Switches, upgraded
from gumboot.core.kit.starting import Starting
from gumboot.core.kit.terminal import (
    Block,
    Conductor,
    FactoryTermination,
    Terminal,
)
from gumboot.core.kit.words import (
    LINE_VOLTS,
    LINES,
    Chemistry,
    Opening,
    Stage,
    Supplied,
    chemistry_of,
)


class Tracker(Entry):
    """One PV tracker: window in V, current limits in A, the pairs of connectors and what one pair
    carries.
    """

    id: str
    v_min: Positive
    v_max: Positive
    v_start: Positive = 1  # where the sheet is silent as low as it works
    i_mp_max_a: Positive
    i_sc_max_a: Positive
    pairs: Annotated[int, Field(ge=1)] = 1
    pair_a: Positive = 1  # where it is silent a share of what may be shorted on the tracker
    terminals: tuple[Terminal, ...] = ()

    @model_validator(mode="before")
    @classmethod
    def _presumed(cls, document: Any) -> Any:
        if not isinstance(document, dict):
            return document
        d = dict(document)
        d.setdefault("v_start", d.get("v_min"))
        pairs = d.get("pairs", 1) if isinstance(d.get("pairs", 1), int) else 1
        with contextlib.suppress(TypeError):
            d.setdefault("pair_a", d["i_sc_max_a"] / max(pairs, 1) if "i_sc_max_a" in d else None)
        return d


def _with_connectors(tracker: Any, metric: bool) -> Any:
    if not isinstance(tracker, dict) or tracker.get("terminals"):
        return tracker
    pairs = tracker.get("pairs", 1)
    count = pairs if isinstance(pairs, int) else 1
    return {
        **tracker,
        "terminals": presumed.connectors(str(tracker.get("id", "")), count, metric),
    }


PLAIN_EARTH = Terminal.model_validate(presumed.terminal("PE", "", metric=True))


class Inverter(Entry):
    """An inverter: hybrid, AC-coupled, inverter-charger, or all-in-one with its pack inside.

    leg_max_w: continuous on one leg, None for an even share; ac_max_a: the greatest continuous
    output current of a line; imbalance_max_w: between legs.
    standby_w: what it draws itself while it works. fault_a: what it can push into a short when
    islanded. capacitance_f and precharge: of its battery port.
    residual: the residual-current device its maker declares enough; None when the maker is silent.
    landing: the order in which its maker wants the stages landed; empty when silent.
    shutdown: the order in which its maker wants things opened; empty when silent; switch_off: how
    the unit itself is switched off; starting: how it is woken, None where no sheet says;
    registers: where it keeps what it measures over Modbus. transfer_ms: the gap its maker claims
    when the grid goes; alarms: what its codes mean.
    neutral: whether its relay opens neutral in an island; None when silent, and then it is as the
    plan says.
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
    voltage_v: Positive = 230  # where it is silent its supply's
    pass_through_a: Positive | None = None
    pv_v_max: Positive | None = None
    pv_power_max_w: Positive | None = None
    trackers: tuple[Tracker, ...] = ()
    trackers_bridge: bool = False
    chemistries: Annotated[tuple[Chemistry, ...], Field(min_length=1)] = ("LFP",)
    pack_inside: str = ""
    battery_v_min: Positive
    battery_v_max: Positive
    battery_efficiency: Annotated[float, Field(gt=0, le=1)] = 0.94
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
    signals: tuple[SignalPort, ...] = ()
    switches: tuple[Switches, ...] = ()
    earth: Terminal = PLAIN_EARTH
    earth_screws: Annotated[int, Field(ge=1)] = 6
    units_max: Annotated[int, Field(ge=1)] = 1
    capacitor_wait_min: Positive = 5
    shutdown: tuple[Opening, ...] = ()
    switch_off: str = ""
    starting: Starting | None = None
    registers: tuple[UnitRegister, ...] = ()
    transfer_ms: Positive | None = None
    alarms: tuple[Alarm, ...] = ()
    care: tuple[Care, ...] = ()
    factory_terminations: tuple[FactoryTermination, ...] = ()
    cover: FactoryTermination | None = None
    block: Block | None = None
    landing: tuple[Stage, ...] = ()
    enclosure: Enclosure | None = None
    menu: tuple[MenuItem, ...] = ()

    @model_validator(mode="before")
    @classmethod
    def _presumed(cls, document: Any) -> Any:
        if not isinstance(document, dict):
            return document
        d, metric = dict(upgraded(document)), presumed.on_mm2(document)
        d.setdefault("voltage_v", LINE_VOLTS.get(str(d.get("supply"))))
        lines = presumed.lines_of(d.get("supply"))
        if isinstance(taken := d.get("chemistries"), list | tuple):
            d["chemistries"] = list(dict.fromkeys(map(chemistry_of, taken)))
        presumed.ports(d)
        presumed.port(d, "battery", ("+", "−"), "BAT")
        for name in presumed.PORTS[1:]:
            presumed.port(d, name, (*lines, "N"), name[:6].upper())
        d["trackers"] = [_with_connectors(t, metric) for t in d.get("trackers") or ()]
        if d.get("earth") is None:
            d["earth"] = presumed.terminal("PE", "", metric)
        return d

    @model_validator(mode="after")
    def _menu_agrees(self) -> Inverter:
        if fault := menu_fault(self.menu):
            n, field, says = fault
            raise WrongTogether(f"menu/{n}/{field}", says)
        return self

    @property
    def lines(self) -> tuple[Conductor, ...]:
        """Its live line conductors: ("L1", "L2")."""
        return LINES[self.supply]
