"""The service: what its busbar may be fed, and where neutral meets earth."""

from __future__ import annotations

from dataclasses import dataclass

from gumboot.core.codes import nec
from gumboot.core.findings import Change, Cure, Finding, check, note, stop
from gumboot.core.kit import Inverter
from gumboot.core.plan import Plan
from gumboot.core.working import MEMORY, Figure, given, solve

RULE = f"{nec.BOOK} 705.12(B)"


@dataclass(frozen=True, slots=True)
class Bus:
    """The ways a load-side connection may pass, in A: what is used, what is allowed."""

    output: Figure
    used_120: Figure
    allowed_120: Figure
    used_sum: Figure | None
    bus: Figure
    passes: str


def design_bus(plan: Plan, inverter: Inverter) -> Bus:
    """Busbar figures. NEC 705.12(B)(1) 100 %, (B)(2) 120 %, (B)(3) sum of breakers."""
    units = given("n_inv", plan.kit.inverters, "", "Inverters", "plan")
    power = given("P", inverter.power_w, "W", "Inverter power", "inverter sheet")
    volts = given("V", inverter.voltage_v, "V", "AC voltage", "inverter sheet")
    output = solve("I_out", "A", "Inverters' output current", "n_inv * P / V", units, power, volts, source="definition")
    main = given("I_main", plan.supply.main_breaker_a, "A", "Main breaker", "brief")
    bus = given("I_bus", plan.supply.bus_a, "A", "Busbar rating", "brief")
    used = solve(
        "I_used", "A", "Main breaker and 125 % of output", "1.25 * I_out + I_main", output, main, source=f"{RULE}(2)", doubt=MEMORY
    )
    allowed = solve("I_allow", "A", "120 % of the bus", "1.2 * I_bus", bus, source=f"{RULE}(2)", doubt=MEMORY)
    loads = plan.supply.load_breakers_a
    total = None
    if loads is not None:
        branch = given("I_branch", loads, "A", "All load breakers together", "brief")
        fed = given("I_fed", nec.next_standard(min(1.25 * output.n, 800)), "A", "Back-fed breaker", "705.30")
        total = solve("I_sum", "A", "Every breaker but the main", "I_branch + I_fed", branch, fed, source=f"{RULE}(3)", doubt=MEMORY)
    passes = ""
    if used.n <= bus.n:
        passes = "100 % rule, 705.12(B)(1)"
    elif used.n <= allowed.n and plan.supply.backfeed == "opposite end":
        passes = "120 % rule, 705.12(B)(2)"
    elif total is not None and total.n <= bus.n:
        passes = "sum of breakers, 705.12(B)(3)"
    return Bus(output, used, allowed, total, bus, passes)


def bus_findings(plan: Plan, bus: Bus) -> list[Finding]:
    """Which rule passes, or the cures: move the breaker, or a smaller main."""
    if bus.passes:
        return [
            note(
                "bus.passes",
                "main-panel",
                f"The main panel's bus passes by the {bus.passes}: {bus.used_120.text} against {bus.allowed_120.text}.",
                RULE,
                Cure("Label the back-fed breaker: do not relocate"),
                figures=(bus.used_120, bus.allowed_120),
            )
        ]
    cures: list[Cure] = []
    if plan.supply.backfeed == "elsewhere" and bus.used_120.n <= bus.allowed_120.n:
        cures.append(Cure("Put the back-fed breaker at the opposite end of the bus", (Change("/supply/backfeed", "opposite end"),)))
    room = bus.allowed_120.n - 1.25 * bus.output.n
    smaller = [a for a in nec.STANDARD_A if a <= room]
    if smaller and smaller[-1] >= 60:
        cures.append(
            Cure(
                f"Fit a {smaller[-1]:g} A main breaker, after a load calculation to Article 220",
                (Change("/supply/main_breaker_a", smaller[-1]), Change("/supply/backfeed", "opposite end")),
            )
        )
    cures.append(Cure("Fit a panel with a larger bus"))
    return [
        stop(
            "bus.overfed",
            "main-panel",
            f"Main breaker and inverters can feed {bus.used_120.text} into a bus that may take {bus.allowed_120.text}.",
            RULE,
            *cures,
            figures=(bus.used_120, bus.allowed_120),
        )
    ]


def bond_findings() -> list[Finding]:
    """What a person must see on site: one neutral bond, one way in, and the array made dead from the ground."""
    return [
        check(
            "bond.one", "transfer-switch", "Neutral is bonded to earth at the service and nowhere else: the transfer switch must not switch neutral, and every inverter's bond relay stays off.",
            f"{nec.BOOK} 250.24, 250.30", Cure("See the switch's own diagram and measure neutral to earth in both positions"),
        ),
        check(
            "source.meet", "transfer-switch", "Grid and inverter output must never meet on one bus: the transfer switch has to break before it makes.",
            f"{nec.BOOK} 702.5", Cure("Fit a listed break-before-make transfer switch; never a pair of breakers without interlock"),
        ),
        check(
            "pv.rapid-shutdown", "array", "Conductors on a roof must be brought to a safe voltage by a switch at ground level; that switch is not in this plan.",
            f"{nec.BOOK} 690.12", Cure("Confirm the rapid-shutdown equipment and its initiator with the inspector"),
        ),
    ]  # fmt: skip
