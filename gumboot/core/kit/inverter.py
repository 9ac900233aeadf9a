"""Inverters of every kind."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import Field, model_validator

from gumboot.core.kit import presumed
from gumboot.core.kit.converter import Converter, presume_chemistries, with_connectors
from gumboot.core.kit.entry import Positive
from gumboot.core.kit.port import Port
from gumboot.core.kit.signal import upgraded
from gumboot.core.kit.terminal import Conductor
from gumboot.core.kit.words import LINE_VOLTS, LINES, Opening, Stage, Supplied


class Inverter(Converter):
    """An inverter: hybrid, AC-coupled, inverter-charger, or all-in-one with its pack inside.

    leg_max_w: continuous on one leg, None for an even share; ac_max_a: the greatest continuous
    output current of a line; imbalance_max_w: between legs.
    fault_a: what it can push into a short when islanded.
    residual: the residual-current device its maker declares enough; None when the maker is silent.
    landing: the order in which its maker wants the stages landed; empty when silent.
    shutdown: the order in which its maker wants things opened; empty when silent. transfer_ms: the
    gap its maker claims when the grid goes.
    neutral: whether its relay opens neutral in an island; None when silent, and then it is as the
    plan says.
    feeds_grid: whether it ever pushes into the grid. battery_inputs: of its battery port.
    """

    kind: Literal["inverter"]
    topology: Literal["hybrid", "ac-coupled", "inverter-charger", "all-in-one"] = "hybrid"
    supply: Supplied
    power_w: Positive
    surge_w: Positive | None = None
    surge_s: Positive | None = None
    leg_max_w: Positive | None = None
    ac_max_a: Positive | None = None
    imbalance_max_w: Positive | None = None
    voltage_v: Positive = 230  # where it is silent its supply's
    pass_through_a: Positive | None = None
    pack_inside: str = ""
    battery_inputs: Annotated[int, Field(ge=1, le=8)] = 1
    grid: Port | None = None
    backup: Port | None = None
    generator: Port | None = None
    bond_relay: bool = False
    neutral: Literal["solid", "switched"] | None = None
    feeds_grid: bool = True
    fault_a: Positive | None = None
    residual: Literal["A", "B"] | None = None
    shutdown: tuple[Opening, ...] = ()
    transfer_ms: Positive | None = None
    landing: tuple[Stage, ...] = ()

    @model_validator(mode="before")
    @classmethod
    def _presumed(cls, document: Any) -> Any:
        if not isinstance(document, dict):
            return document
        d, metric = dict(upgraded(document)), presumed.on_mm2(document)
        d.setdefault("voltage_v", LINE_VOLTS.get(str(d.get("supply"))))
        lines = presumed.lines_of(d.get("supply"))
        presume_chemistries(d)
        presumed.ports(d)
        presumed.port(d, "battery", ("+", "−"), "BAT")
        for name in presumed.PORTS[1:]:
            presumed.port(d, name, (*lines, "N"), name[:6].upper())
        d["trackers"] = [with_connectors(t, metric) for t in d.get("trackers") or ()]
        if d.get("earth") is None:
            d["earth"] = presumed.terminal("PE", "", metric)
        return d

    @property
    def lines(self) -> tuple[Conductor, ...]:
        """Its live line conductors: ("L1", "L2")."""
        return LINES[self.supply]
