"""Under the IEC the loop from supply to an earth fault and back, grid-fed and islanded, against
what its breaker trips at, and what its protective conductor stands meanwhile.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

from gumboot.core.basis.figure import MEMORY, Figure, given, solve
from gumboot.core.basis.finding import Change, Cure, Finding, check, note, stop
from gumboot.core.basis.sizes import area_mm2
from gumboot.core.basis.words import inside
from gumboot.core.codes import iec
from gumboot.core.kit import Inverter
from gumboot.core.network.house import fewest_on_a_line, neutral_v
from gumboot.core.plan import Plan, Safeguard
from gumboot.core.size.conductors import SizedCircuit
from gumboot.core.size.safeguards import RESIDUAL, ahead_of, for_loads, needed_type, plus

BACKED_UP = ("backup", "backup-feeder", "loads", "existing-pv")  # fed in an island
LOOP_RULE = "IEC 60364-4-41 411.4.4, 411.5"
CURVE = "C"  # an inverter's inrush trips a B curve: common practice
T_TRIP = given("t", 0.1, "s", "Instantaneous trip", "IEC 60898-1: under 0.1 s")
T_SLOW = given(
    "t",
    5.0,
    "s",
    "As long as the adiabatic rule reaches, where the breaker does not trip at once",
    "IEC 60364-5-54 543.1.2",
)


@dataclass(frozen=True, slots=True)
class Loop:
    """One AC circuit's earth-fault loop under the IEC, in Ω and A."""

    circuit: str
    grid: Figure | None
    limit: Figure
    islanded: Figure | None
    trip: Figure


def hot(s: SizedCircuit) -> Figure:
    """A conductor's resistance at the temperature its insulation stands, over that at 20 °C: 1.20
    at 70 °C, 1.28 at 90 °C. IEC 60364-6 Annex D.
    """
    t = given("T_ins", s.cable.temp_c, "°C", "What the insulation stands", s.cable.label)
    return solve(
        "k_hot",
        "",
        f"{s.cable.temp_c:g} °C over 20 °C",
        "1 + 0.004 * (T_ins - 20)",
        t,
        source="IEC 60364-6 Annex D",
        doubt=MEMORY,
    )


def conductor_loop(s: SizedCircuit) -> Figure:
    """R1 + R2 in Ω of one circuit: line and protective conductor, 20 °C. IEC 60228."""
    r_1 = iec.resistance(s.size, "stranded", s.cable.material).renamed("R_1")
    r_2 = iec.resistance(str(s.protective.value)).renamed("R_2")
    length = given("L", s.conditions.run.length_m, "m", "Length one way", "brief")
    n = given("n_set", s.sets, "", "Sets in parallel", "plan")
    return solve(
        "R_12",
        "Ω",
        f"Loop of {s.circuit.name[0].lower()}{s.circuit.name[1:]}",
        "(R_1 + R_2) * L / 1000 / n_set",
        r_1,
        r_2,
        length,
        n,
        source="IEC 60228",
        doubt=MEMORY,
    )


def loop_of(
    s: SizedCircuit,
    by_id: dict[str, SizedCircuit],
    plan: Plan,
    inverter: Inverter,
    curve: str = CURVE,
) -> Loop | None:
    """The loop of one AC circuit: external, upstream circuits, its own. IEC 60364-4-41 411.4."""
    if s.protection is None or s.circuit.power_factor is None:
        return None
    u_0 = neutral_v(plan, inverter)
    limit = iec.loop_limit(curve, s.protection.renamed("I_n"), u_0)
    trip = next(f for f in limit.inputs if f.symbol == "m")
    needs = solve(
        "I_a",
        "A",
        "Current that trips at once",
        "m * I_n",
        trip,
        s.protection.renamed("I_n"),
        source="IEC 60898-1",
        doubt=MEMORY,
    )
    path = [s, *(by_id[i] for i in s.circuit.upstream if i in by_id)]
    grid: Figure | None = None
    if plan.supply.loop_ohm and not s.circuit.family.startswith("generator"):
        parts = [conductor_loop(x).renamed(f"R_{i}") for i, x in enumerate(path, 1)]
        z_e = given(
            "Z_e", plan.supply.loop_ohm, "Ω", "External loop, measured at the service", "survey"
        )
        grid = solve(
            "Z_s",
            "Ω",
            "Earth-fault loop, grid-fed",
            f"Z_e + {' + '.join(f'k_{i} * R_{i}' for i in range(1, len(parts) + 1))}",
            z_e,
            *parts,
            *(hot(x).renamed(f"k_{i}") for i, x in enumerate(path, 1)),
            source="IEC 60364-4-41 411.4.4, 60364-6 Annex D",
            doubt=MEMORY,
        )
    islanded: Figure | None = None
    if inverter.fault_a and _lives_on(s, plan):
        n, each = (
            given("n_inv", fewest_on_a_line(plan, inverter), "", "Inverters on one line", "plan"),
            given(
                "I_sc1",
                inverter.fault_a,
                "A",
                "What one inverter can push into a short",
                "inverter sheet",
            ),
        )
        islanded = solve(
            "I_isl",
            "A",
            "Fault current, islanded",
            "n_inv * I_sc1",
            n,
            each,
            source="inverter sheet",
        )
    return Loop(s.id, grid, limit, islanded, needs)


def loop_findings(
    sized: Sequence[SizedCircuit], plan: Plan, inverter: Inverter
) -> tuple[tuple[Loop, ...], list[Finding]]:
    """Every AC circuit's loop, its disconnection, its protective conductor by the adiabatic rule,
    and the residual-current device it wants.
    """
    if not plan.book.loops:
        return (), []
    by_id = {s.id: s for s in sized}
    loops = [x for s in sized if (x := loop_of(s, by_id, plan, inverter))]
    found: list[Finding] = []
    tt = plan.supply.earthing == "TT"
    if plan.supply.kind != "off-grid" and plan.supply.loop_ohm is None:
        found.append(
            check(
                "loop.unknown",
                "main-panel",
                "The external loop impedance is not known, so tripping times are not shown.",
                "IEC 60364-6 6.4.3.7",
                Cure("Measure it at the service and type it in Brief"),
            )
        )
    if plan.supply.kind != "off-grid" and plan.supply.earthing is None:
        found.append(
            check(
                "supply.earthing",
                "main-panel",
                "How the supply is earthed is not known (TN-C-S, TN-S or TT).",
                "IEC 60364-1 312.2",
                Cure("Look at the service head, or ask the network operator"),
            )
        )
    slow = [x for x in loops if x.grid and x.grid.n > x.limit.n]
    behind = [x for x in slow if tt or ahead_of(plan, by_id[x.circuit])]
    if behind:
        found.append(_behind_a_device(behind, by_id))
    for x in slow:
        if x in behind:
            continue
        new = Safeguard(kind=RESIDUAL, at=x.circuit, type=needed_type(inverter))
        cure = Cure("Plan a 300 mA residual-current device ahead of it", (plus(plan, new),))
        says = f"{by_id[x.circuit].circuit.name}: {_too_high(x, by_id[x.circuit])}."
        key, figures = f"{x.circuit}.loop", (x.grid, x.limit) if x.grid else ()
        found.append(check(key, x.circuit, says, LOOP_RULE, cure, figures=figures))
    weak = [
        x
        for x in loops
        if _lives_on(by_id[x.circuit], plan) and (x.islanded is None or x.islanded.n < x.trip.n)
    ]
    if weak:
        found.append(_in_island(weak[0], by_id[weak[0].circuit], plan))
    for x in loops:
        found += _adiabatic(by_id[x.circuit], x, by_id, plan, inverter)
    return tuple(loops), found


def _too_high(x: Loop, s: SizedCircuit) -> str:
    return (
        f"the loop is {x.grid.text if x.grid else ''}; a {s.protection_text} breaker of curve"
        f" {CURVE} trips at once up to {x.limit.text}"
    )


def _behind_a_device(rows: list[Loop], by_id: dict[str, SizedCircuit]) -> Finding:
    """Loops that a residual-current device disconnects, told by the one that is worst."""
    worst = max(rows, key=lambda x: (x.grid.n if x.grid else 0.0) / x.limit.n)
    s, n = by_id[worst.circuit], len(rows) - 1
    more = f" and {n} more circuit{'s' if n > 1 else ''}" if n else ""
    says = (
        f"{s.circuit.name}{more}: {_too_high(worst, s)}. A residual-current device disconnects"
        f" {'them' if n else 'it'}."
    )
    figures = (worst.grid, worst.limit) if worst.grid else ()
    return note("loop.residual", s.id, says, LOOP_RULE, figures=figures)


def _lives_on(s: SizedCircuit, plan: Plan) -> bool:
    """Whether a circuit is fed in an island; one of a PV inverter where that stays with the
    house.
    """
    if s.circuit.family != "existing-pv":
        return s.circuit.family in BACKED_UP
    _, _, n = s.id.partition("existing-pv-")
    return (int(n) - 1 if n else 0) in plan.island_pv


def _in_island(x: Loop, s: SizedCircuit, plan: Plan) -> Finding:
    """No breaker trips on what the inverters push: a device of 30 mA has to, and is tried."""
    rule = "IEC 60364-4-41 411.3.2, 60364-8-82"
    figures = (x.islanded, x.trip) if x.islanded else (x.trip,)
    pushed = (
        f"Islanded, the inverters push {x.islanded.text} into a short"
        if x.islanded
        else "What the inverters push into a short, islanded, is not on their sheet"
    )
    says = f"{pushed}; {inside(s.circuit.name)} needs {x.trip.text} to trip at once"
    if for_loads(plan):
        says += ". What is backed up stands behind 30 mA; that device is tried islanded too."
        return note("loop.islanded", x.circuit, says, rule, figures=figures)
    says += ". In an outage no breaker here can be relied on for shock."
    new = Safeguard(kind=RESIDUAL, at="backed-up-circuits", trip_ma=30, type="A")
    cure = Cure("Every backed-up circuit stands behind a 30 mA device", (plus(plan, new),))
    return check("loop.islanded", x.circuit, says, rule, cure, figures=figures)


def _least_earth(s: SizedCircuit, grid: Figure, limit: Figure, u_0: Figure) -> Figure:
    """The section that its fault current asks of a protective conductor, in mm²."""
    i_f = solve("I_f", "A", "Earth-fault current", "U_0 / Z_s", u_0, grid, source="Ohm's law")
    t = T_TRIP if grid.n <= limit.n else T_SLOW
    return iec.adiabatic(i_f, t, s.cable.temp_c if s.cable.temp_c in iec.K_PE else 70)


def _adiabatic(
    s: SizedCircuit,
    loop: Loop,
    by_id: dict[str, SizedCircuit],
    plan: Plan,
    inverter: Inverter,
) -> list[Finding]:
    if loop.grid is None:
        return []
    u_0 = neutral_v(plan, inverter)
    least = _least_earth(s, loop.grid, loop.limit, u_0)
    now = area_mm2(str(s.protective.value))
    if now >= least.n:
        return []
    i_f, t = least.inputs[:2]

    def stands(size: str) -> bool:
        """Whether one of a size stands the current that it lets flow itself."""
        fitted = replace(s, protective=s.protective._replace(value=size))
        x = loop_of(fitted, by_id, plan, inverter)
        return not x or not x.grid or area_mm2(size) >= _least_earth(s, x.grid, x.limit, u_0).n

    asked = area_mm2(str(s.protective_needed.value))
    sizes = (x for x in iec.SIZES if area_mm2(x) > now and area_mm2(x) >= asked)
    larger = next((x for x in sizes if stands(x)), None)
    cures = (
        [Cure(f"Fit an earth of {larger}", (Change(f"/fitted/{s.id}/earth", larger),))]
        if larger
        else []
    )
    cures.append(Cure("Fit a residual-current device that trips at once"))
    says = (
        f"{s.circuit.name}: the earth of {s.protective.value} is under the {least.text} that"
        f" {i_f.text} for {t.text} asks."
    )
    return [
        stop(f"{s.id}.adiabatic", s.id, says, "IEC 60364-5-54 543.1.2", *cures, figures=(least,))
    ]
