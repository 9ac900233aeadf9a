"""Currents that a setting holds, by what its line means: a limit keyed in Set is a cure where
copper is short, as long as every unit keeps it.
"""

from __future__ import annotations

import math

from gumboot.core.basis.finding import Change, Cure
from gumboot.core.kit import Controller, Converter, Inverter, MenuItem, Pack
from gumboot.core.plan import Plan
from gumboot.core.plan.kit import CONTROLLERS


def line_of(unit: Converter, rule: str) -> MenuItem | None:
    """The unit's line of a meaning."""
    return next((m for m in unit.menu if m.rule == rule), None)


def key_of(id: str, unit_no: int) -> str:
    """The plan's key of a line of one unit: "charge_a", "charge_a.unit-2"."""
    return id if unit_no == 1 else f"{id}.unit-{unit_no}"


def first_of(unit: Converter) -> int:
    """The number of the first of its like: what is keyed there holds for the others."""
    return CONTROLLERS + 1 if isinstance(unit, Controller) else 1


def limit_of(plan: Plan, unit: Converter, rule: str, unit_no: int) -> float | None:
    """The most A that one unit may, by what is keyed for it, else for the first of its like; None
    where it is not limited, or by a value that the menu does not take.
    """
    line = line_of(unit, rule)
    if line is None:
        return None
    every = plan.settings.get(key_of(line.id, first_of(unit)))
    own = plan.settings.get(key_of(line.id, unit_no), every)
    takes = isinstance(own, float | int) and own >= max(line.least or 0, 1)
    return float(own) if takes and own is not None else None


def like(plan: Plan, unit: Converter) -> list[int]:
    """The numbers of all units of a sheet."""
    controls = isinstance(unit, Controller)
    return [n for n in plan.kit.units if (n > CONTROLLERS) == controls]


def keyed_limit(plan: Plan, unit: Converter, rule: str) -> float | None:
    """The most A that any unit of a sheet may, by what is keyed; None where one of them is not
    limited.
    """
    keyed = [limit_of(plan, unit, rule, n) for n in like(plan, unit)]
    held = [x for x in keyed if x is not None]
    return max(held) if held and len(held) == len(keyed) else None


def packs_allow(inverter: Inverter, pack: Pack, count: int, units: int) -> dict[str, float]:
    """What the packs of one bank and the unit itself let one unit charge and discharge at, in A."""
    port = inverter.battery.i_max_a if inverter.battery else math.inf
    return {
        "charge": min(count * pack.charge_max_a / units, inverter.charge_max_a),
        "discharge": min(count * pack.discharge_max_a / units, port),
    }


def limit_cure(
    plan: Plan,
    unit: Converter,
    rules: tuple[str, ...],
    amps: float,
    says: str,
    most: dict[str, float] | None = None,
) -> list[Cure]:
    """The cure that keys a limit on every line of these meanings, of every unit: what is keyed for
    one of them alone and is more goes. None where a menu lacks a line or takes no such value.
    most: what is allowed of a line besides.
    """
    lines = [line_of(unit, r) for r in rules]
    whole = float(math.floor(amps + 1e-9))
    if any(m is None or whole < max(m.least or 0, 1) for m in lines):
        return []
    allowed = {
        m.id: min(whole, m.most or whole, (most or {}).get(m.rule, whole)) for m in lines if m
    }
    held = {k: float(math.floor(v + 1e-9)) for k, v in allowed.items()}
    words = f"{max(held.values()):g} A"
    first = first_of(unit)
    keyed = [Change(f"/settings/{key_of(k, first)}", v) for k, v in held.items()]
    for k, v in held.items():
        for n in like(plan, unit):
            own = plan.settings.get(key_of(k, n)) if n != first else None
            if own is not None and not (isinstance(own, float | int) and own <= v):
                keyed.append(Change(f"/settings/{key_of(k, n)}", None))
    return [Cure(says.format(words), tuple(keyed))]
