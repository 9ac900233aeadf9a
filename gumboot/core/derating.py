"""What heat takes from an inverter, as its sheet says it."""

from __future__ import annotations

from gumboot.core.findings import Cure, Finding, check
from gumboot.core.kit import Inverter
from gumboot.core.plan import Plan
from gumboot.core.units import show_temperature
from gumboot.core.working import Figure, given, solve


def derated(inverter: Inverter, plan: Plan) -> Figure | None:
    """What an inverter gives in the hottest air at the wall, W; None where its sheet says nothing of it."""
    c = inverter.case
    if c is None or c.t_derate_c is None or not c.derate_per_c:
        return None
    power, t = (
        given("P", inverter.power_w, "W", "Inverter power", "inverter sheet"),
        given("T", plan.site.t_wall_c, "°C", "Hottest air at the wall", "brief"),
    )
    t0, k = (
        given("T_0", c.t_derate_c, "°C", "Full power up to", "inverter sheet"),
        given("k_T", c.derate_per_c, "1/°C", "Less a degree", "inverter sheet"),
    )
    return solve(
        "P_hot", "W", "Power in the hottest air", "P * max(0, 1 - k_T * max(0, T - T_0))", power, k, t, t0, source="inverter sheet"
    )


def derating_findings(plan: Plan, inverter: Inverter, hot: Figure | None) -> list[Finding]:
    """An inverter that gives less in summer."""
    if hot is None or hot.n > 0.995 * inverter.power_w:
        return []
    says = f"In air of {show_temperature(plan.site.t_wall_c, plan.units)} each inverter gives {hot.n / 1000:.3g} kW of {inverter.power_w / 1000:g} kW."
    return [
        check(
            "inverter.hot", "inverter-1", says, "inverter sheet", Cure("Count on the lower power, or choose a cooler wall"), figures=(hot,)
        )
    ]
