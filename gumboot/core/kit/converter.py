"""What converters of every kind have: PV trackers, a battery port, a menu, signal ports, a case."""

from __future__ import annotations

import contextlib
from typing import Annotated, Any

from pydantic import Field, model_validator

from gumboot.core.kit import presumed
from gumboot.core.kit.alarm import Alarm
from gumboot.core.kit.care import Care
from gumboot.core.kit.enclosure import Enclosure
from gumboot.core.kit.entry import Entry, Positive, WrongTogether
from gumboot.core.kit.menu import MenuItem, menu_fault
from gumboot.core.kit.port import Port
from gumboot.core.kit.register import UnitRegister
from gumboot.core.kit.signal import SignalPort, Switches
from gumboot.core.kit.starting import Starting
from gumboot.core.kit.terminal import Block, FactoryTermination, Terminal
from gumboot.core.kit.words import Chemistry, chemistry_of


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


def with_connectors(tracker: Any, metric: bool) -> Any:
    if not isinstance(tracker, dict) or tracker.get("terminals"):
        return tracker
    pairs = tracker.get("pairs", 1)
    count = pairs if isinstance(pairs, int) else 1
    return {
        **tracker,
        "terminals": presumed.connectors(str(tracker.get("id", "")), count, metric),
    }


PLAIN_EARTH = Terminal.model_validate(presumed.terminal("PE", "", metric=True))


class Converter(Entry):
    """What stands between an array or a house and a bank. Volts V, currents A.

    standby_w: what it draws itself while it works. capacitance_f and precharge: of its battery
    port. switch_off: how the unit itself is switched off; starting: how it is woken, None where no
    sheet says; registers: where it keeps what it measures over Modbus. alarms: what its codes mean.
    units_max: how many work together.
    """

    id: str
    maker: str
    model: str
    standby_w: Annotated[float, Field(ge=0)] = 0
    pv_v_max: Positive | None = None
    pv_power_max_w: Positive | None = None
    trackers: tuple[Tracker, ...] = ()
    trackers_bridge: bool = False
    chemistries: Annotated[tuple[Chemistry, ...], Field(min_length=1)] = ("LFP",)
    battery_v_min: Positive
    battery_v_max: Positive
    battery_efficiency: Annotated[float, Field(gt=0, le=1)] = 0.94
    charge_max_a: Positive
    capacitance_f: Positive | None = None
    precharge_ohm: Positive | None = None
    battery: Port | None = None
    signals: tuple[SignalPort, ...] = ()
    switches: tuple[Switches, ...] = ()
    earth: Terminal = PLAIN_EARTH
    earth_screws: Annotated[int, Field(ge=1)] = 6
    units_max: Annotated[int, Field(ge=1)] = 1
    capacitor_wait_min: Positive = 5
    switch_off: str = ""
    starting: Starting | None = None
    registers: tuple[UnitRegister, ...] = ()
    alarms: tuple[Alarm, ...] = ()
    care: tuple[Care, ...] = ()
    factory_terminations: tuple[FactoryTermination, ...] = ()
    cover: FactoryTermination | None = None
    block: Block | None = None
    enclosure: Enclosure | None = None
    menu: tuple[MenuItem, ...] = ()

    @model_validator(mode="after")
    def _menu_agrees(self) -> Converter:
        if fault := menu_fault(self.menu):
            n, field, says = fault
            raise WrongTogether(f"menu/{n}/{field}", says)
        return self


def presume_chemistries(d: dict[str, Any]) -> None:
    """Read the kinds of battery as sheets call them."""
    if isinstance(taken := d.get("chemistries"), list | tuple):
        d["chemistries"] = list(dict.fromkeys(map(chemistry_of, taken)))
