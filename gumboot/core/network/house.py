"""The house that units feed: what mains it has, and which units stand on which of its lines."""

from __future__ import annotations

from gumboot.core.basis.figure import Figure, given, solve
from gumboot.core.kit import MAINS, Inverter, spreads
from gumboot.core.plan import Plan


def house_supply(plan: Plan, inverter: Inverter | None) -> str:
    """The kind of supply that gateway and boards of a house are for. Off grid what its units make
    together: single-phase ones on lines of their own as many lines. Without a unit the usual one of
    its book.
    """
    if plan.supply.kind != "off-grid":
        return plan.supply.kind
    if inverter is None:
        return next(kind for kind, m in MAINS.items() if m.american == plan.book.american)
    lines = set(plan.kit.lines.split()[: plan.kit.inverters])
    made = (k for k, m in MAINS.items() if set(m.lines) == lines and spreads(inverter.supply, k))
    return next(made, inverter.supply)


def sun_beside(plan: Plan) -> Figure:
    """W that the PV inverters which stay with the house in an outage give together."""
    some = plan.island_pv.items()
    each = [given(f"P_{n + 1}", pv.power_w, "W", f"PV inverter {n + 1}", "brief") for n, pv in some]
    how = " + ".join(f.symbol for f in each) or "0"
    return solve("P_sun", "W", "PV inverters in an island", how, *each, source="sum")


def neutral_v(plan: Plan, inverter: Inverter | None) -> Figure:
    """V of a line of a house to neutral, and so to earth."""
    volts = MAINS[house_supply(plan, inverter)].to_neutral
    return given("U_0", volts, "V", "Line to neutral", "brief")


def shared_out(plan: Plan, inverter: Inverter) -> bool:
    """Whether single-phase units stand on the lines of a house of several."""
    return spreads(inverter.supply, house_supply(plan, inverter))


def line_of(plan: Plan, inverter: Inverter, unit: int) -> str:
    """The line that a unit, from 1, stands on where they share the lines of a house: as planned,
    else in turn; else none.
    """
    if not shared_out(plan, inverter):
        return ""
    lines, planned = MAINS[house_supply(plan, inverter)].lines, plan.kit.lines.split()
    named = planned[unit - 1] if unit <= len(planned) else ""
    return named if named in lines else lines[(unit - 1) % len(lines)]


def units_on(plan: Plan, inverter: Inverter) -> dict[str, int]:
    """How many inverters feed each line of the house: all of them, or where single-phase ones stand
    on lines of their own those of each.
    """
    count = plan.kit.inverters
    if not shared_out(plan, inverter):
        return {str(line): count for line in inverter.lines}
    on = [line_of(plan, inverter, n) for n in range(1, count + 1)]
    return {str(line): on.count(line) for line in MAINS[house_supply(plan, inverter)].lines}


def most_on_a_line(plan: Plan, inverter: Inverter) -> int:
    """How many inverters feed the busiest line."""
    return max(units_on(plan, inverter).values())


def fewest_on_a_line(plan: Plan, inverter: Inverter) -> int:
    """How many feed the line that the fewest do, of those that any feeds."""
    return min(n for n in units_on(plan, inverter).values() if n)
