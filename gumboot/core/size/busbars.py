"""Every alternating busbar of a job and what may feed it.

NEC 705.12(B):  (1) 1.25 I_out + I_main ≤ I_bus;  (2) ≤ 1.2 I_bus from opposite ends;
                (3) every breaker but the main together ≤ I_bus
IEC:            I_main + I_out ≤ the board's rating (60364-5-55 551.7.2, 61439-3)
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from gumboot.core.basis.figure import MEMORY, Figure, given, solve
from gumboot.core.basis.finding import Change, Cure, Finding, check, note, stop
from gumboot.core.codes import nec
from gumboot.core.codes.busbar import SUMMED, WHOLE
from gumboot.core.kit import Inverter
from gumboot.core.kit.words import MAINS
from gumboot.core.network import Network, OnBar, Source, on_busbar
from gumboot.core.network.currents import plate_current, pv_current
from gumboot.core.network.house import house_supply, line_of
from gumboot.core.plan import ExistingPv, Plan, PortUse
from gumboot.core.size.conductors import SizedCircuit

ROLES = ("main-panel", "house-panel", "sub-board", "grid-combiner", "backup-combiner", "loads")
FEEDING = ("inverter", "pv inverter")
HOUSE = ("main-panel", "house-panel")  # its own panel: beside a tap the disconnect is no bar
LABELS = (
    Cure("Label the back-fed breaker: do not relocate"),
    Cure("Label the board: all breakers but the main together may not exceed its busbar"),
)


@dataclass(frozen=True, slots=True)
class Bus:
    """One busbar: the ways it may pass, in A: what is used, what is allowed; by which it does."""

    body: str
    label: str
    output: Figure
    used_120: Figure
    allowed_120: Figure
    used_sum: Figure | None
    bus: Figure
    passes: str


def main_bus(buses: Sequence[Bus]) -> Bus | None:
    """That of the house's own panel."""
    return next((b for b in buses if b.body in HOUSE), None)


def design_busbars(
    plan: Plan, inverter: Inverter, network: Network, sized: Sequence[SizedCircuit]
) -> tuple[tuple[Bus, ...], list[Finding]]:
    """Every busbar that sources beside its own supply push into; one whose rating nobody knows is
    said where it matters.
    """
    rated = {s.id: s.protection for s in sized if s.protection}
    out: list[Bus] = []
    found: list[Finding] = []
    for b in network.bodies:
        no_bar = b.id not in network.nodes or (b.id == "main-panel" and _tapped(plan))
        if b.role not in ROLES or no_bar:
            continue
        rows = on_busbar(network, b.id)
        supply = next((r for r in rows if _is_supply(r, b.role)), None)
        feeding = [r for r in rows if r is not supply and r.sources]
        met = {s.id: s for r in feeding for s in r.sources}  # by two of its ports, still once
        sources = [s for s in met.values() if s.kind in FEEDING]
        if not sources:
            continue
        output = output_of(sources, plan, inverter)
        bus, main = _rating(plan, network, b.id), _main(plan, network, b.id, supply, rated)
        if bus is None or main is None:
            found += _unknown(plan, b.id, b.label, output, bus)
            continue
        breakers = _breakers([r for r in rows if r is not supply], plan, inverter, rated)
        out.append(_judge(plan, b.id, b.label, output, main, bus, breakers))
    return tuple(out), found + [f for x in out for f in bus_findings(plan, x)]


def _breakers(
    rows: Sequence[OnBar], plan: Plan, inverter: Inverter, rated: dict[str, Figure]
) -> list[Figure]:
    """The breakers on a bar, as rated: of the line that has most, where some have one alone."""

    def on(line: str) -> list[Figure]:
        mine = [r.switch for r in rows if _line(r, plan, inverter) in ("", line)]
        return [rated[s.protects] for s in mine if s is not None and s.protects in rated]

    lines = MAINS[house_supply(plan, inverter)].lines
    return max(map(on, lines), key=lambda figures: sum(f.n for f in figures))


def _line(row: OnBar, plan: Plan, inverter: Inverter) -> str:
    """The one line that the sources of a connection stand on; none where they have several."""
    on = {_stands_on(s, plan, inverter) for s in row.sources if s.kind in FEEDING}
    return on.pop() if len(on) == 1 else ""


def _stands_on(source: Source, plan: Plan, inverter: Inverter) -> str:
    """The one line of a house that a source pushes into; none where it pushes into all."""
    if source.kind == "inverter":
        return line_of(plan, inverter, int(source.id.removeprefix("inverter-")))
    if source.id == "port-use" or not house_supply(plan, inverter).startswith("three"):
        return ""
    line = _pv_of(source, plan).line
    return "" if line == "all" else line


def _pv_of(source: Source, plan: Plan) -> ExistingPv:
    """The PV inverter of the brief that a source is."""
    _, _, n = source.id.partition("pv-inverter-")
    return plan.kit.pv_inverters[int(n) - 1 if n else 0]


def _tapped(plan: Plan) -> bool:
    return plan.supply.connection == "supply-side tap"


def _is_supply(row: OnBar, role: str) -> bool:
    """Whether a connection is what the bar is supplied by from the grid; of a backup combiner the
    one toward the loads.
    """
    if role == "loads":
        return row.switch is not None and row.switch.id == "loads-panel/main"
    if role == "backup-combiner":
        return not any(s.kind == "inverter" for s in row.sources)
    return any(s.kind == "utility" for s in row.sources)


def _rating(plan: Plan, network: Network, body: str) -> Figure | None:
    """The rating of a busbar in A: as surveyed, or as the box chosen for it has it."""
    if body in HOUSE:
        typed = plan.supply.bus_a
    elif body == "sub-board":
        typed = plan.supply.sub_board.bus_a
    elif body == "loads-panel" and plan.backup.loads == "whole house":
        typed = plan.backup.bus_a
    else:
        device = network.body[body].device
        typed = plan.backup.bus_a if body == "loads-panel" and plan.backup.bus_a else None
        if typed is None and device is not None:
            label = network.label(body)
            return given("I_bus", device.up_to_a, "A", f"Busbar of {label}", "device's plate")
    return given("I_bus", typed, "A", "Busbar rating", "brief") if typed else None


def _main(
    plan: Plan, network: Network, body: str, supply: OnBar | None, rated: dict[str, Figure]
) -> Figure | None:
    """What protects a busbar from the grid's side."""
    if body in HOUSE:
        typed = plan.supply.main_breaker_a
        return given("I_main", typed, "A", "Main breaker", "brief") if typed else None
    if body == "sub-board":
        typed = plan.supply.sub_board.breaker_a
        return given("I_main", typed, "A", "Breaker of the feeder", "brief") if typed else None
    combines = body.endswith("-combiner")
    if combines and (body == "backup-combiner" or not plan.book.mains_feed_combiners):
        return given("I_main", 0.0, "A", "No load hangs on it", "plan")
    if supply is not None and supply.circuit in rated:
        return rated[supply.circuit].renamed("I_main")
    if body == "loads-panel" and plan.backup.board_a:
        return given("I_main", plan.backup.board_a, "A", "Feeder of the board", "brief")
    return None


def output_of(sources: Sequence[Source], plan: Plan, inverter: Inverter) -> Figure:
    """What sources push into a bar together, in A on the busiest line."""

    def on(line: str) -> Figure:
        mine = [s for s in sources if _stands_on(s, plan, inverter) in ("", line)]
        return _output(mine, plan, inverter)

    return max(map(on, MAINS[house_supply(plan, inverter)].lines), key=lambda f: f.n)


def _output(sources: Sequence[Source], plan: Plan, inverter: Inverter) -> Figure:
    """What sources of one line push together, in A."""
    units = [s for s in sources if s.kind == "inverter"]
    n = given("n_inv", len(units), "", "Inverters", "plan")
    parts: list[Figure] = [n, plate_current(inverter)] if units else []
    terms = ["n_inv * I_inv"] if units else []
    for k, s in enumerate((s for s in sources if s.kind == "pv inverter"), 1):
        parts.append(_pv_current(s, plan, inverter).renamed(f"I_pv{k}"))
        terms.append(f"I_pv{k}")
    name = "Output current of all that feeds it"
    return solve("I_out", "A", name, " + ".join(terms) or "0", *parts, source="definition")


def _pv_current(source: Source, plan: Plan, inverter: Inverter) -> Figure:
    """The output current of a PV inverter that was there, or of one on a generator port."""
    supply = house_supply(plan, inverter)
    pv: ExistingPv | PortUse
    if source.id == "port-use" and plan.kit.port_use:
        pv, lines = plan.kit.port_use, 3 if len(inverter.lines) == 3 else 1
    else:
        pv = there = _pv_of(source, plan)
        lines = 3 if supply.startswith("three") and there.line == "all" else 1
    return pv_current(pv, f"Power of {source.name}", lines, supply, inverter)


def _judge(
    plan: Plan,
    body: str,
    label: str,
    output: Figure,
    main: Figure,
    bus: Figure,
    breakers: Sequence[Figure],
) -> Bus:
    supply, sub = plan.supply, body == "sub-board"
    sits = (supply.sub_board if sub else supply).backfeed if sub or body in HOUSE else ""
    far = sits != "elsewhere"
    total = _sum(plan, body, breakers) if plan.book.rule_120 else None
    fed = plan.book.fed(output, main, bus, total, far)
    return Bus(body, label, output, fed.used, fed.allowed, total, bus, fed.passes)


def _sum(plan: Plan, body: str, breakers: Sequence[Figure]) -> Figure | None:
    """Every breaker on the bus but its main, as planned; a main panel's own loads with them, where
    their sum is known.
    """
    parts = [f.renamed(f"I_{k}") for k, f in enumerate(breakers, 1)]
    if body in HOUSE or body == "sub-board":
        loads = _loads_left(plan, body)
        if loads is None:
            return None
        parts.insert(0, loads)
    elif body == "loads-panel" or not parts:
        return None  # what its own circuits have nobody has summed
    formula = " + ".join(f.symbol for f in parts)
    name = "Every breaker but the main"
    return solve(
        "I_sum",
        "A",
        name,
        formula,
        *parts,
        source=f"{plan.book.clauses['busbar']}(3)",
        doubt=MEMORY,
    )


def _loads_left(plan: Plan, body: str) -> Figure | None:
    """All load breakers on the house's own panel, or on a sub-board: as counted; none where the
    whole house is backed up, since its circuits have moved behind the unit.
    """
    sub = body == "sub-board"
    counted = (plan.supply.sub_board if sub else plan.supply).load_breakers_a
    if counted is not None:
        return given("I_branch", counted, "A", "All load breakers together", "brief")
    if plan.backup.loads == "whole house" and not sub:
        return given("I_branch", 0.0, "A", "No load is left on it: all is backed up", "plan")
    return None


def _unknown(
    plan: Plan, body: str, label: str, output: Figure, bus: Figure | None
) -> list[Finding]:
    """A board that a PV inverter feeds and whose busbar nobody has read."""
    if body in HOUSE or body == "sub-board" or bus is not None:
        return []
    says = (
        f"{label} is fed {output.text} by a PV inverter beside its own supply, and the rating of"
        " its busbar is not known."
    )
    rule = plan.book.clauses["busbar"]
    cure = Cure("Read it from the board's label and type it in Brief")
    return [check(f"bus.unknown.{body}", body, says, rule, cure)]


def bus_findings(plan: Plan, bus: Bus) -> list[Finding]:
    """Which rule passes, or the cures: move the breaker, or a smaller main."""
    mark = "" if bus.body in HOUSE else f".{bus.body}"
    name = bus.label[:1].lower() + bus.label[1:]
    shown = (bus.used_120, bus.allowed_120)
    rule = plan.book.clauses["busbar"]
    if not plan.book.rule_120:
        if bus.passes:
            return []
        says = (
            f"Main breaker and inverters can feed {bus.used_120.against(bus.allowed_120.n)} into"
            f" the {name}, rated"
            f" {bus.allowed_120.text}."
        )
        cure = Cure("Fit a board of a higher rating, or a smaller main breaker")
        return [check(f"bus.overfed{mark}", bus.body, says, rule, cure, figures=shown)]
    if bus.passes:
        if mark and bus.body != "sub-board":
            return []
        summed = bus.used_sum if bus.passes == SUMMED else None
        used, allowed = (summed, bus.bus) if summed else shown
        says = f"The {name}'s bus passes by the {bus.passes}: {used.text} against {allowed.text}."
        label = () if bus.passes == WHOLE else (LABELS[summed is not None],)
        shown = (used, allowed)
        return [note(f"bus.passes{mark}", bus.body, says, rule, *label, figures=shown)]
    cures = _main_cures(plan, bus) if not mark else _sub_cures(plan, bus)
    cures.append(Cure("Fit a panel with a larger bus"))
    at = f"{bus.label}: main" if mark else "Main"
    says = (
        f"{at} breaker and inverters can feed {bus.used_120.against(bus.allowed_120.n)} into a bus"
        f" that may take {bus.allowed_120.text}."
    )
    if mark and bus.used_sum:
        most = bus.used_sum.against(bus.bus.n)
        says = f"{bus.label}: {most} of breakers can feed a bus rated {bus.bus.text}."
        shown = (bus.used_sum, bus.bus)
    return [stop(f"bus.overfed{mark}", bus.body, says, rule, *cures, figures=shown)]


def _sub_cures(plan: Plan, bus: Bus) -> list[Cure]:
    if bus.body != "sub-board":
        return []
    at_main = Change("/supply/connection", "main-panel breaker")
    rows = [Cure("Connect at the main panel", (at_main,))]
    if plan.supply.sub_board.backfeed == "elsewhere" and bus.used_120.n <= bus.allowed_120.n:
        change = Change("/supply/sub_board/backfeed", "opposite end")
        rows.insert(0, Cure("Put the back-fed breaker at the opposite end of the bus", (change,)))
    return rows


def _main_cures(plan: Plan, bus: Bus) -> list[Cure]:
    cures: list[Cure] = []
    if plan.supply.backfeed == "elsewhere" and bus.used_120.n <= bus.allowed_120.n:
        change = Change("/supply/backfeed", "opposite end")
        cures.append(Cure("Put the back-fed breaker at the opposite end of the bus", (change,)))
    room = bus.allowed_120.n - 1.25 * bus.output.n
    smaller = [a for a in nec.STANDARD_A if a <= room]
    if smaller and smaller[-1] >= 60:
        changes = (
            Change("/supply/main_breaker_a", smaller[-1]),
            Change("/supply/backfeed", "opposite end"),
        )
        says = f"Fit a {smaller[-1]:g} A main breaker, after a load calculation to Article 220"
        cures.append(Cure(says, changes))
    return cures
