"""What the equipment gives and passes."""

from __future__ import annotations

from collections.abc import Sequence

from gumboot.core.basis.figure import COMMON_PRACTICE, Figure, given, solve
from gumboot.core.kit import MAINS, Gateway, Inverter
from gumboot.core.network.house import fewest_on_a_line, shared_out, units_on
from gumboot.core.plan import Plan
from gumboot.core.size.conductors import SizedCircuit


def ratings(
    inverter: Inverter, inverters: int, hot: Figure | None = None
) -> tuple[Figure, Figure | None, Figure, Figure | None]:
    """(continuous of all, surge of all, continuous of one leg, surge of one leg) in W. hot: the
    power of one in the hottest air. Between two of three lines 120° apart the rated current is
    P / V_LL on each, which to neutral is P / √3.
    """
    mains = MAINS[inverter.supply]
    n = given("n_inv", inverters, "", "Inverters", "plan")
    plain = given("P_inv", inverter.power_w, "W", "Continuous power of one", "inverter sheet")
    p = (
        hot.renamed("P_inv") if hot and 0 < hot.n < inverter.power_w else plain
    )  # in air that stops it nothing can be shared out
    whole = solve("P_cont", "W", "Continuous, all inverters", "n_inv * P_inv", n, p, source="sum")
    if inverter.leg_max_w:
        one = given(
            "P_one", inverter.leg_max_w, "W", "Continuous power of one on one leg", "inverter sheet"
        )
        if p is not plain:
            cool = one.renamed("P_cool")
            one = solve(
                "P_one",
                "W",
                "The same in the hottest air",
                "P_cool * P_inv / P_full",
                cool,
                p,
                plain.renamed("P_full"),
                source=COMMON_PRACTICE,
            )
        leg = solve("P_leg", "W", "Continuous on one leg", "n_inv * P_one", n, one, source="sum")
    elif mains.wye and len(mains.lines) == 2:
        leg = solve(
            "P_leg",
            "W",
            "Continuous on one leg",
            "P_cont / sqrt(3)",
            whole,
            source=COMMON_PRACTICE,
            assumption="its rated current, since the sheet states no other",
        )
    else:
        k = given("n_leg", len(mains.lines), "", "Legs", "supply")
        leg = solve(
            "P_leg",
            "W",
            "Continuous on one leg",
            "P_cont / n_leg",
            whole,
            k,
            source=COMMON_PRACTICE,
            assumption="an even share, since the sheet states no other",
        )
    if inverter.surge_w is None:
        return whole, None, leg, None
    s = given(
        "P_sur",
        inverter.surge_w,
        "W",
        f"Surge of one, {inverter.surge_s or 0:g} s",
        "inverter sheet",
    )
    surge = solve("P_surge", "W", "Surge, all inverters", "n_inv * P_sur", n, s, source="sum")
    on_leg = solve(
        "P_sleg",
        "W",
        "Surge on one leg",
        "P_surge * P_leg / P_cont",
        surge,
        leg,
        whole,
        source=COMMON_PRACTICE,
    )
    return whole, surge, leg, on_leg


def leg_ratings(
    plan: Plan, inverter: Inverter, hot: Figure | None = None
) -> dict[str, tuple[Figure, Figure | None]]:
    """(continuous, surge) in W of each line of the house; 0 where no inverter feeds it."""
    on = units_on(plan, inverter)
    if not shared_out(plan, inverter):
        one = ratings(inverter, plan.kit.inverters, hot)[2:]
        return dict.fromkeys(on, one)
    none = given("P_cont", 0.0, "W", "No inverter stands on this line", "plan")
    return {
        line: ratings(inverter, count, hot)[:2] if count else (none, none)
        for line, count in on.items()
    }


def pass_through(
    plan: Plan, inverter: Inverter, gateway: Gateway | None, sized: Sequence[SizedCircuit]
) -> Figure | None:
    """What the house may draw through the equipment with the grid on, A a leg: the least of unit,
    and breakers (at 80 % under the NEC) and conductors.
    """
    if plan.supply.kind == "off-grid":
        return None
    fed = fewest_on_a_line(plan, inverter)
    n = given("n_inv", fed, "", "Inverters on a line", "plan")
    inputs: list[Figure] = []
    formula: list[str] = []
    if gateway:
        inputs.append(
            given("I_box", gateway.i_max_a, "A", f"What {gateway.model} passes", "gateway sheet")
        )
        formula.append("I_box")
        feeds = [("changeover", "I_feed", "I_feed"), ("loads", "I_loads", "I_loads")]
    elif inverter.pass_through_a:
        inputs += [
            n,
            given(
                "I_thru",
                inverter.pass_through_a,
                "A",
                "Pass-through of one inverter",
                "inverter sheet",
            ),
        ]
        formula.append("n_inv * I_thru")
        feeds = [
            ("grid", "I_grid", "n_inv * I_grid"),
            ("grid-feeder", "I_feed", "I_feed"),
            ("backup-feeder", "I_back", "I_back"),
            ("loads", "I_loads", "I_loads"),
        ]
    else:
        return None
    for family, symbol, text in (*feeds, ("sub-feeder", "I_sub", "I_sub")):
        runs = [s.permitted for s in sized if s.circuit.family == family]
        if runs:
            inputs.append(min(runs, key=lambda f: f.n).renamed(symbol))
            formula.append(text)
    text = (
        f"min({', '.join(formula)})"
        if len(formula) > 1
        else formula[0]
        if "*" in formula[0]
        else f"1 * {formula[0]}"
    )
    return solve(
        "I_pass", "A", "What the feed passes, a leg", text, *inputs, source=COMMON_PRACTICE
    )
