"""Charge controllers: from an array to a bank, direct current on both sides."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import Field, model_validator

from gumboot.core.codes.book import Code
from gumboot.core.kit import presumed
from gumboot.core.kit.converter import Converter, presume_chemistries
from gumboot.core.kit.entry import Positive
from gumboot.core.kit.port import Port
from gumboot.core.kit.signal import upgraded
from gumboot.core.kit.words import CHEMISTRIES

MOST_STRINGS = 26  # meet ahead of a controller: no pairs of connectors bound them


class Controller(Converter):
    """A charge controller: strings meet in a box with a breaker for each, and one pair of
    conductors leads from there to it; its battery side lands on the bank's bus.

    book: whose sizes its sheet speaks of. pv_v_min: from which V it works; it works above its
    bank's volts only. pv_i_sc_max_a: what its PV terminals bear shorted; where the sheet is silent
    as much as it charges with. battery_efficiency: from array to battery. pv: its PV terminals; its
    one tracker is made of these. earth_fault, arc_fault: whether it finds an earth fault of
    its array, or an arc in it; None where the sheet is silent.
    """

    kind: Literal["controller"]
    book: Code | Literal["any"] = "any"
    pv_v_max: Positive
    pv_v_min: Positive | None = None
    pv_i_sc_max_a: Positive | None = None
    pv: Port | None = None
    earth_fault: bool | None = None
    arc_fault: bool | None = None
    battery_efficiency: Annotated[float, Field(gt=0, le=1)] = 0.97
    capacitor_wait_min: Positive = 2
    units_max: Annotated[int, Field(ge=1)] = 12

    @model_validator(mode="before")
    @classmethod
    def _presumed(cls, document: Any) -> Any:
        if not isinstance(document, dict):
            return document
        d, metric = dict(upgraded(document)), presumed.on_mm2(document)
        d.setdefault("chemistries", list(CHEMISTRIES))  # one that is set by volts takes any
        presume_chemistries(d)
        presumed.of_controller(d)
        for name, label in (("battery", "BAT"), ("pv", "PV")):
            presumed.port(d, name, ("+", "−"), label)
        d["trackers"] = _tracker(d)
        if d.get("earth") is None:
            d["earth"] = presumed.terminal("PE", "", metric)
        return d


def _tracker(d: dict[str, Any]) -> list[dict[str, Any]]:
    """Its one tracker; none where what it is made of is not there, which is said at its field."""
    port = d.get("pv")
    own = port.get("terminals", ()) if isinstance(port, dict) else getattr(port, "terminals", ())
    shorted = d.get("pv_i_sc_max_a") or d.get("charge_max_a")
    low = d.get("pv_v_min") or d.get("battery_v_min")
    if not (shorted and low and d.get("pv_v_max")):
        return []
    amps = {"i_mp_max_a": shorted, "i_sc_max_a": shorted, "pair_a": shorted}
    volts = {"v_min": low, "v_max": d["pv_v_max"]}
    return [{"id": "1", **volts, **amps, "pairs": MOST_STRINGS, "terminals": own}]
