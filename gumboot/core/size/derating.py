"""What heat and thin air take from an inverter, as its sheet says it."""

from __future__ import annotations

from gumboot.core.basis.figure import Figure, given, solve
from gumboot.core.basis.finding import Cure, Finding, check
from gumboot.core.basis.units import show_length, show_temperature
from gumboot.core.kit import Inverter
from gumboot.core.plan import Plan


def derated(inverter: Inverter, plan: Plan) -> Figure | None:
    """What an inverter gives in the hottest and thinnest air of its place, W; None where its sheet
    says nothing of it.
    """
    c = inverter.enclosure
    if c is None or c.t_derate_c is None or not (c.derate_per_c or c.derate_per_100m):
        return None
    parts = (
        given("P", inverter.power_w, "W", "Inverter power", "inverter sheet"),
        given("T", plan.site.t_wall_c, "°C", "Hottest air at the wall", "brief"),
        given("T_0", c.t_derate_c, "°C", "Full power up to", "inverter sheet"),
        given("k_T", c.derate_per_c, "1/°C", "Less a degree", "inverter sheet"),
        given(
            "h",
            plan.site.altitude_m or 0.0,
            "m",
            "Altitude",
            "brief",
            "" if plan.site.altitude_m is not None else "not known: sea level",
        ),
        given("h_0", c.altitude_full_m, "m", "Full power up to", "inverter sheet"),
        given("k_h", c.derate_per_100m, "", "Less each 100 m", "inverter sheet"),
    )
    formula = "P * max(0, 1 - k_T * max(0, T - T_0)) * max(0, 1 - k_h * max(0, h - h_0) / 100)"
    return solve(
        "P_hot",
        "W",
        "Power in the hottest and thinnest air",
        formula,
        *parts,
        source="inverter sheet",
    )


def derating_findings(plan: Plan, inverter: Inverter, hot: Figure | None) -> list[Finding]:
    """An inverter that gives less in summer, or high up."""
    if hot is None or hot.n > 0.995 * inverter.power_w:
        return []
    high = (
        f", {show_length(plan.site.altitude_m, plan.units)} up,"
        if plan.site.altitude_m
        and inverter.enclosure
        and plan.site.altitude_m > inverter.enclosure.altitude_full_m
        else ""
    )
    says = (
        f"In air of {show_temperature(plan.site.t_wall_c, plan.units)}{high} each inverter gives"
        f" {hot.n / 1000:.3g} kW of {inverter.power_w / 1000:g} kW."
    )
    return [
        check(
            "inverter.hot",
            "inverter-1",
            says,
            "inverter sheet",
            Cure("Count on the lower power, or choose a cooler wall"),
            figures=(hot,),
        )
    ]
