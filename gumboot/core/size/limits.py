"""Currents that a setting holds, by what its line means: a limit keyed in Set is a cure where
copper
is short, as long as every unit keeps it.
"""

from __future__ import annotations

import math

from gumboot.core.basis.finding import Change, Cure
from gumboot.core.kit import Inverter, MenuItem, Pack
from gumboot.core.plan import Plan


def line_of(inverter: Inverter, rule: str) -> MenuItem | None:
    """The unit's line of a meaning."""
    return next((m for m in inverter.menu if m.rule == rule), None)


def keyed_limit(plan: Plan, inverter: Inverter, rule: str) -> float | None:
    """The most A that any unit may, by what is keyed; None where one of them is not limited, or by
    a value that the menu does not take.
    """
    line = line_of(inverter, rule)
    if line is None:
        return None
    every = plan.settings.get(line.id)
    keyed = [
        every if n == 1 else plan.settings.get(f"{line.id}.unit-{n}", every)
        for n in range(1, plan.kit.inverters + 1)
    ]
    least = max(line.least or 0, 1)
    if not all(isinstance(x, float | int) and x >= least for x in keyed):
        return None
    return max(float(x) for x in keyed if x is not None)


def packs_allow(inverter: Inverter, pack: Pack, count: int, units: int) -> dict[str, float]:
    """What the packs of one bank and the unit itself let one unit charge and discharge at, in A."""
    port = inverter.battery.i_max_a if inverter.battery else math.inf
    return {
        "charge": min(count * pack.charge_max_a / units, inverter.charge_max_a),
        "discharge": min(count * pack.discharge_max_a / units, port),
    }


def limit_cure(
    inverter: Inverter,
    rules: tuple[str, ...],
    amps: float,
    says: str,
    most: dict[str, float] | None = None,
) -> list[Cure]:
    """The cure that keys a limit on every line of these meanings; none where a menu lacks one or
    takes no such value. most: what is allowed of a line besides.
    """
    lines = [line_of(inverter, r) for r in rules]
    whole = float(math.floor(amps + 1e-9))
    if any(m is None or whole < max(m.least or 0, 1) for m in lines):
        return []
    allowed = {
        m.id: min(whole, m.most or whole, (most or {}).get(m.rule, whole)) for m in lines if m
    }
    held = {k: float(math.floor(v + 1e-9)) for k, v in allowed.items()}
    words = f"{max(held.values()):g} A"
    return [Cure(says.format(words), tuple(Change(f"/settings/{k}", v) for k, v in held.items()))]
