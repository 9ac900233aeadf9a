"""What the battery's own BMS allows now, against what is set: the BMS commands, the unit's lines
are the safety net beside it.

    charge volts      the net lies at or above what the BMS asks, else the cells never fill
    discharge volts   the net lies at or above where the BMS opens, else the bank drops out
    currents          of all units together, no more than the BMS allows, else it holds them
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass

from gumboot.core.basis.figure import fmt
from gumboot.core.set.settings import Setting

NEAR = 0.05  # V, within which two are the same


@dataclass(frozen=True, slots=True)
class Beside:
    """One line beside one limit: whether it fits, and what that means."""

    limit: str
    allows: float
    unit: str
    label: str
    is_set: float
    fits: bool
    says: str


NAMES = {
    "charge_volts": "Charge up to",
    "charge_limit": "Charge with at most",
    "discharge_limit": "Discharge with at most",
    "discharge_volts": "Discharge down to",
}


Menu = Sequence[Setting]


def beside(settings: Menu, limits: Mapping[str, float], menus: Sequence[Menu]) -> list[Beside]:
    """Every line that a limit of the BMS has to do with. menus: of all units on the bank."""
    return [x for s in settings if s.shown for x in _of(s, limits, menus)]


def _of(s: Setting, limits: Mapping[str, float], menus: Sequence[Menu]) -> Iterator[Beside]:
    if isinstance(s.value, str):
        return
    value = float(s.value)
    top, bottom = limits.get("charge_volts"), limits.get("discharge_volts")
    if s.rule == "absorb" and top is not None:
        fits = value >= top - NEAR
        says = "" if fits else "it ends the charge before the BMS would: cells may not balance"
        yield Beside("charge_volts", top, "V", s.label, value, fits, says)
    if s.rule == "cut" and bottom is not None:
        fits = value >= bottom - NEAR
        says = "" if fits else "the BMS opens first: the bank drops out, and may not wake by itself"
        yield Beside("discharge_volts", bottom, "V", s.label, value, fits, says)
    for rule, limit in (("charge", "charge_limit"), ("discharge", "discharge_limit")):
        allows = limits.get(limit)
        if s.rule == rule and allows is not None:
            every = (x.value for menu in menus for x in menu if x.id == s.id)
            together = sum(float(x) for x in every if not isinstance(x, str))
            fits = together <= allows + 1e-9
            many = f"{len(menus)} units may take {fmt(together)} A: " if len(menus) > 1 else ""
            says = "" if fits else f"{many}the BMS holds it lower now, by cold, heat or charge"
            yield Beside(limit, allows, "A", s.label, value, fits, says)
