"""The service: whether the unit suits it, what its busbar may be fed, and the connection ahead of
the main.
"""

from __future__ import annotations

from dataclasses import dataclass

from gumboot.core.basis.figure import MEMORY, Figure, given, solve
from gumboot.core.basis.finding import Change, Cure, Finding, check, note, stop
from gumboot.core.codes import OutsideTable, nec
from gumboot.core.kit import Gateway, Inverter
from gumboot.core.network.layout import output_current
from gumboot.core.plan import Plan

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


def feeding(plan: Plan, inverter: Inverter) -> Figure:
    """What all inverters can feed into the house's bus, in A a line, a PV inverter that was there
    before included.
    """
    units = given("n_inv", plan.kit.inverters, "", "Inverters", "plan")
    own = output_current(inverter)
    if plan.kit.existing_pv is None:
        return solve(
            "I_out",
            "A",
            "Inverters' output current",
            "n_inv * I_inv",
            units,
            own,
            source="definition",
        )
    pv = given("P_pv", plan.kit.existing_pv.power_w, "W", "Power of the PV inverter", "brief")
    volts = given("V", inverter.voltage_v, "V", "AC voltage", "inverter sheet")
    share = "P_pv / (sqrt(3) * V)" if inverter.supply.startswith("three") else "P_pv / V"
    return solve(
        "I_out",
        "A",
        "All inverters' output current",
        f"n_inv * I_inv + {share}",
        units,
        own,
        pv,
        volts,
        source="definition",
    )


def design_bus(plan: Plan, inverter: Inverter) -> Bus | None:
    """Busbar figures; None when there is no busbar to feed or its rating is not known.

    NEC 705.12(B)(1) 100 %, (B)(2) 120 %, (B)(3) sum of breakers. Under the IEC: main and inverters
    together within the board's rating.
    """
    if (
        plan.supply.kind == "off-grid"
        or plan.supply.connection == "supply-side tap"
        or not plan.supply.main_breaker_a
        or not plan.supply.bus_a
    ):
        return None
    output = feeding(plan, inverter)
    if plan.code == "iec-60364":
        main = given("I_main", plan.supply.main_breaker_a, "A", "Main breaker", "brief")
        bus = given("I_bus", plan.supply.bus_a, "A", "Board rating", "brief")
        both = solve(
            "I_used",
            "A",
            "Main breaker and all inverters",
            "I_out + I_main",
            output,
            main,
            source="IEC 60364-7-712, IEC 61439-3",
            doubt=MEMORY,
        )
        whole = solve(
            "I_allow",
            "A",
            "The board's rating",
            "1 * I_bus",
            bus,
            source="IEC 61439-3",
            doubt=MEMORY,
        )
        return Bus(
            output,
            both,
            whole,
            None,
            bus,
            "the board's rating, IEC 61439-3" if both.n <= bus.n else "",
        )
    main = given("I_main", plan.supply.main_breaker_a, "A", "Main breaker", "brief")
    bus = given("I_bus", plan.supply.bus_a, "A", "Busbar rating", "brief")
    used = solve(
        "I_used",
        "A",
        "Main breaker and 125 % of output",
        "1.25 * I_out + I_main",
        output,
        main,
        source=f"{RULE}(2)",
        doubt=MEMORY,
    )
    allowed = solve(
        "I_allow", "A", "120 % of the bus", "1.2 * I_bus", bus, source=f"{RULE}(2)", doubt=MEMORY
    )
    loads = plan.supply.load_breakers_a
    total = None
    if loads is not None:
        branch = given("I_branch", loads, "A", "All load breakers together", "brief")
        fed = given(
            "I_fed", nec.next_standard(min(1.25 * output.n, 800)), "A", "Back-fed breaker", "705.30"
        )
        total = solve(
            "I_sum",
            "A",
            "Every breaker but the main",
            "I_branch + I_fed",
            branch,
            fed,
            source=f"{RULE}(3)",
            doubt=MEMORY,
        )
    passes = ""
    if used.n <= bus.n:
        passes = "100 % rule, 705.12(B)(1)"
    elif used.n <= allowed.n and plan.supply.backfeed == "opposite end":
        passes = "120 % rule, 705.12(B)(2)"
    elif total is not None and total.n <= bus.n:
        passes = "sum of breakers, 705.12(B)(3)"
    return Bus(output, used, allowed, total, bus, passes)


def supply_findings(plan: Plan, inverter: Inverter, gateway: Gateway | None) -> list[Finding]:
    """A unit, gateway or code book that does not belong to this supply; a main or a bus not yet
    read.
    """
    found: list[Finding] = []
    kind = plan.supply.kind
    if kind not in ("off-grid", inverter.supply):
        says = f"{inverter.model} is made for {inverter.supply}; the supply here is {kind}."
        found.append(
            stop(
                "supply.kind",
                "main-panel",
                says,
                "inverter sheet",
                Cure(f"Choose an inverter for {kind}"),
                Cure(
                    f"The supply is {inverter.supply}", (Change("/supply/kind", inverter.supply),)
                ),
            )
        )
    if gateway and gateway.supply != inverter.supply:
        found.append(
            stop(
                "gateway.supply",
                "gateway",
                f"{gateway.model} is made for {gateway.supply}, the inverter for"
                f" {inverter.supply}.",
                "gateway sheet",
                Cure("Choose a gateway of the inverter's supply"),
            )
        )
    if gateway and plan.kit.inverters * output_current(inverter).n > gateway.inverter.i_max_a:
        says = (
            f"The inverters give {plan.kit.inverters * output_current(inverter).n:.4g} A;"
            f" {gateway.model} takes {gateway.inverter.i_max_a:g} A."
        )
        found.append(
            stop(
                "gateway.current",
                "gateway",
                says,
                "gateway sheet",
                Cure("Choose a larger gateway, or fewer inverters"),
            )
        )
    if gateway and plan.backup.board_a and plan.backup.board_a > gateway.i_max_a:
        says = (
            f"The loads' feeder is rated {plan.backup.board_a:g} A; {gateway.model} passes"
            f" {gateway.i_max_a:g} A."
        )
        found.append(
            stop(
                "gateway.loads",
                "gateway",
                says,
                "gateway sheet",
                Cure(
                    f"Protect the feeder at {gateway.i_max_a:g} A",
                    (Change("/backup/board_a", gateway.i_max_a),),
                ),
            )
        )
    split = inverter.supply.startswith("split")
    if split != (plan.code == "nec-2023"):
        right = "nec-2023" if split else "iec-60364"
        found.append(
            stop(
                "code.supply",
                "plan",
                f"A {inverter.supply} unit is planned under the"
                f" {'NEC' if plan.code == 'nec-2023' else 'IEC'}.",
                "plan",
                Cure("Use the other code book", (Change("/code", right),)),
            )
        )
    if kind != "off-grid":
        for field, words in (("main_breaker_a", "main breaker"), ("bus_a", "busbar")):
            if getattr(plan.supply, field) is None:
                found.append(
                    check(
                        f"supply.{field}",
                        "main-panel",
                        f"The rating of the {words} is not known.",
                        "survey",
                        Cure("Read it from the panel's label and type it in Brief"),
                    )
                )
    return found + tap_findings(plan)


def tap_findings(plan: Plan) -> list[Finding]:
    """A connection ahead of the main: its disconnect, and the size of service it hangs on. NEC
    705.11.
    """
    if plan.supply.connection != "supply-side tap" or plan.supply.kind == "off-grid":
        return []
    found = [
        check(
            "supply.tap",
            "main-panel",
            "The connection is ahead of the main breaker: live whatever is switched, with nothing"
            " but the utility's fuse before it.",
            (
                f"{nec.BOOK} 705.11, 230.82"
                if plan.code == "nec-2023"
                else "IEC 60364-4-43; the network operator's rules"
            ),
            Cure(
                "A fused disconnect within 10 ft (3 m) of the tap, rated for the available fault"
                " current; the utility isolates first"
            ),
        )
    ]
    if plan.code == "nec-2023" and plan.supply.service_size is None:
        found.append(
            check(
                "supply.service",
                "main-panel",
                "The size of the service conductors is not known: a tap may not feed them more than"
                " they carry.",
                f"{nec.BOOK} 705.11(A)",
                Cure("Read it and type it in Brief"),
            )
        )
    return found


def service_limit(plan: Plan, inverter: Inverter) -> tuple[Figure | None, list[Finding]]:
    """(ampacity of the service conductors, findings): on a tap the sum of sources may not be above
    it. NEC 705.11(A).
    """
    size = plan.supply.service_size
    if plan.supply.connection != "supply-side tap" or plan.code != "nec-2023" or size is None:
        return None, []
    out = feeding(plan, inverter)
    try:
        service = nec.ampacity(size, 75, "raceway")
    except OutsideTable as exc:
        return None, [
            stop(
                "supply.service.size",
                "main-panel",
                f"The service conductors: {exc}.",
                nec.BOOK,
                Cure("Type their size as the book has it, such as 4/0"),
            )
        ]
    if 1.25 * out.n <= service.n:
        return service, []
    says = (
        f"The inverters' {1.25 * out.n:.4g} A (125 %) is more than the service conductors'"
        f" {service.text}."
    )
    return service, [
        stop(
            "supply.service.over",
            "main-panel",
            says,
            f"{nec.BOOK} 705.11(A)",
            Cure("Fewer inverters, or a larger service"),
            figures=(out, service),
        )
    ]


def electrode(plan: Plan) -> Figure | None:
    """The grounding electrode conductor of the service, when its size is known. NEC 250.66."""
    if plan.code != "nec-2023" or plan.supply.service_size is None:
        return None
    try:
        return nec.gec(plan.supply.service_size)
    except (OutsideTable, ValueError):
        return None


def bus_findings(plan: Plan, bus: Bus | None) -> list[Finding]:
    """Which rule passes, or the cures: move the breaker, or a smaller main."""
    if bus is None:
        return []
    if plan.code == "iec-60364":
        if bus.passes:
            return []
        says = (
            f"Main breaker and inverters can feed {bus.used_120.text} into a board rated"
            f" {bus.allowed_120.text}."
        )
        return [
            check(
                "bus.overfed",
                "main-panel",
                says,
                "IEC 61439-3",
                Cure("Fit a board of a higher rating, or a smaller main breaker"),
                figures=(bus.used_120, bus.allowed_120),
            )
        ]
    if bus.passes:
        return [
            note(
                "bus.passes",
                "main-panel",
                f"The main panel's bus passes by the {bus.passes}: {bus.used_120.text} against"
                f" {bus.allowed_120.text}.",
                RULE,
                Cure("Label the back-fed breaker: do not relocate"),
                figures=(bus.used_120, bus.allowed_120),
            )
        ]
    cures: list[Cure] = []
    if plan.supply.backfeed == "elsewhere" and bus.used_120.n <= bus.allowed_120.n:
        cures.append(
            Cure(
                "Put the back-fed breaker at the opposite end of the bus",
                (Change("/supply/backfeed", "opposite end"),),
            )
        )
    room = bus.allowed_120.n - 1.25 * bus.output.n
    smaller = [a for a in nec.STANDARD_A if a <= room]
    if smaller and smaller[-1] >= 60:
        cures.append(
            Cure(
                f"Fit a {smaller[-1]:g} A main breaker, after a load calculation to Article 220",
                (
                    Change("/supply/main_breaker_a", smaller[-1]),
                    Change("/supply/backfeed", "opposite end"),
                ),
            )
        )
    cures.append(Cure("Fit a panel with a larger bus"))
    return [
        stop(
            "bus.overfed",
            "main-panel",
            f"Main breaker and inverters can feed {bus.used_120.text} into a bus that may take"
            f" {bus.allowed_120.text}.",
            RULE,
            *cures,
            figures=(bus.used_120, bus.allowed_120),
        )
    ]
