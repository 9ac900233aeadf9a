"""With the grid on: loops, residual-current devices, volts, rotation, what neutral stands at, the
array brought down, and what the unit says beside what is measured.

    Z_s ≤ 2/3 · U_0 / I_a                 IEC 60364-6 Annex D: read cold, trips hot
    Z_s ≤ Z_max − Σ (k − 1) · R           the precise way, where that asks too much of a sound loop
    Z_s ≤ U_0 / (5 · I_Δn)                where no breaker but a residual-current device trips
"""

from __future__ import annotations

from collections.abc import Iterator

from gumboot.core.basis.clock import show_minutes
from gumboot.core.basis.figure import COMMON_PRACTICE, MEMORY, Figure, given, solve
from gumboot.core.basis.finding import Finding
from gumboot.core.basis.formula import Formula
from gumboot.core.basis.words import inside
from gumboot.core.design import Design
from gumboot.core.network.house import line_of, neutral_v, shared_out
from gumboot.core.plan import Plan
from gumboot.core.prove.band import Band, combined, expanded, limits
from gumboot.core.prove.due import LIVE, Due, Stage, pack_at
from gumboot.core.prove.residual import residual_dues
from gumboot.core.size.conductors import SizedCircuit
from gumboot.core.size.loops import Loop
from gumboot.core.size.safeguards import ahead_of
from gumboot.core.wake.steps import NEUTRAL_V, SUPPLY, grid_pairs

STAGE: Stage = "On the grid"
SERVING = "As Wake leaves it: everything closed, the grid there."
ALONE = "As Wake leaves it: everything closed, the unit makes the voltage."
BREAKS_A = 6000.0  # a modular breaker whose plate nobody typed: common practice
HEAT = given("k_h", 2 / 3, "", "Cold reading over a hot trip", "IEC 60364-6 Annex D", MEMORY)
Z_MAX = Formula("Z_s", "k_h * U_0 / I_a", "Ω", "Most that may be read cold", "IEC 60364-6 Annex D")
BY_DEVICE = Formula(
    "Z_s",
    "U_0 / (5 * I_dn)",
    "Ω",
    "Most at which the residual-current device trips at once",
    "IEC 60364-4-41 411.4.4; five times its rating: common practice",
)
FAULT = Formula("I_pf", "U_0 / Z_e", "A", "Prospective current at the main", "Ohm's law")
LOOP_OFF = 0.15  # a loop tester, and the supply's own change in a day: common practice
SUM = "unit:sum"  # what comes in less what goes out, by the unit's own registers
APART = "unit:pack"  # both of them are asked, and their difference is the reading
AGREE = 2.0  # % of state of charge between unit and pack: common practice
CLOSES = 5.0  # % by which sums may fail to close: common practice of their meters


def serving(d: Design) -> tuple[Stage, str]:
    """(stage, how it stands) of what is tried once the job serves: on the grid, or in the island
    that it always is.
    """
    return ("In the island", ALONE) if d.plan.supply.kind == "off-grid" else (STAGE, SERVING)


def loads_board(d: Design) -> tuple[str, str]:
    """(box, its words) where the loads are read: their own board, else the main one."""
    if d.network is not None and "loads-panel" in d.network.nodes:
        return "loads-panel", "the backed-up loads"
    return "main-panel", inside(d.plan.book.main_board)


def shown_as(d: Design, line: str) -> str:
    """How a unit shows a line's volts itself; empty where none feeds it."""
    unit, count = d.inverter, d.plan.kit.inverters
    if unit is None or len(unit.lines) > 1:
        return f"1:output {line} V"
    if not shared_out(d.plan, unit):
        return "1:output L1 V" if line == "L1" else ""
    on = (n for n in range(1, count + 1) if line_of(d.plan, unit, n) == line)
    return next((f"{n}:output L1 V" for n in on), "")


def loop_dues(d: Design) -> Iterator[Due]:
    """The earth-fault loop of every AC circuit, where a breaker has to clear it: not on TT, where a
    residual-current device does.
    """
    rows = {s.id: s for s in d.circuits}
    for x in d.loops:
        s = rows.get(x.circuit)
        if s is None or x.grid is None or d.plan.supply.earthing == "TT":
            continue
        u_0 = neutral_v(d.plan, d.inverter)
        most = _most(x, s, d.plan, u_0)
        off = limits(x.grid, LOOP_OFF, 0.02)
        part = given("u_1", off.u, "Ω", "From the supply, by the hour", COMMON_PRACTICE)
        band = Band(x.grid, expanded(x.grid, [part]))
        yield Due(
            f"loop.{s.id}",
            STAGE,
            f"Loop at the end of C{s.circuit.number}, {inside(s.circuit.name)}",
            "ohm",
            "loop tester, the kind that does not trip residual-current devices",
            ("Leads nulled.", "Line to earth at the far end; then line to neutral."),
            SERVING,
            "IEC 60364-6 6.4.3.7",
            place=s.circuit.load.body,
            who="a licensed person",
            hazard=LIVE,
            expects=f"{x.grid.n:.2f} Ω, {most.n:.2f} Ω at most",
            band=band,
            least=0.0,
            most=most.n,
            limit=most,
            problem="loop_high",
            probes=("L", "PE"),
            circuit=s.id,
        )


def _most(x: Loop, s: SizedCircuit, plan: Plan, u_0: Figure) -> Figure:
    """The most a loop may read cold: two thirds of what trips; where a sound loop is more, what
    trips less what its conductors grow by; where no breaker trips, what the device ahead sees.
    """
    rule = Z_MAX.figure(HEAT, u_0, x.trip.renamed("I_a"))
    if x.grid is None or x.grid.n <= rule.n:
        return rule
    if x.grid.n <= x.limit.n:
        grown = [f for f in x.grid.inputs if f.symbol[:2] in ("R_", "k_")]
        n = len(grown) // 2
        terms = " + ".join(f"(k_{i} - 1) * R_{i}" for i in range(1, n + 1))
        name, source = "Most that may be read cold, its conductors counted hot", HEAT.source
        most = x.limit.renamed("Z_max")
        return solve(
            "Z_s", "Ω", name, f"Z_max - ({terms})", most, *grown, source=source, doubt=MEMORY
        )
    ahead = [g.trip_ma for _, g in ahead_of(plan, s)]
    if not ahead:
        return rule
    trips = given("I_dn", min(ahead) / 1000, "A", "Rated residual current", "plan")
    return BY_DEVICE.figure(u_0, trips)


def fault_due(d: Design) -> Iterator[Due]:
    """The prospective current at the main: what every device there has to break. What is expected
    is known where the loop is, and the loop is the neutral's too: on TT it is the electrode's.
    """
    z, supply = d.plan.supply.loop_ohm, d.plan.supply
    if supply.kind == "off-grid" or not d.plan.book.loops:
        return
    band, limit, expects = None, breaks(d), ""
    if z is not None and supply.earthing != "TT":
        u_0 = neutral_v(d.plan, d.inverter)
        z_e = given("Z_e", z, "Ω", "External loop", "survey")
        band = combined(FAULT, limits(u_0, SUPPLY), limits(z_e, LOOP_OFF, 0.02))
        expects = f"{band.low:,.0f} to {band.high:,.0f} A, "
    yield Due(
        "fault.main",
        STAGE,
        "Prospective current at the main",
        "amp",
        "loop tester, prospective current",
        ("Line to earth and line to neutral; of three phases twice the larger (a safe guess).",),
        SERVING,
        "IEC 60364-6 6.4.3.7",
        place="main-panel",
        who="a licensed person",
        hazard=LIVE,
        expects=f"{expects}{limit.n:,.0f} A at most",
        band=band,
        least=0.0,
        most=limit.n,
        limit=limit,
        probes=("L", "PE, then N"),
    )


def breaks(d: Design) -> Figure:
    """The least that any device of the main board breaks: by plate where it is typed."""
    rows = d.network.switches if d.network else ()
    own = [s for s in rows if s.body == "main-panel" and s.interrupt_a]
    if not own:
        return given("I_cn", BREAKS_A, "A", "What a modular breaker breaks", COMMON_PRACTICE)
    weak = min(own, key=lambda s: s.interrupt_a or 0.0)
    return given(
        "I_cn", weak.interrupt_a or 0.0, "A", f"What the {inside(weak.says)} breaks", "plate"
    )


def volt_dues(
    d: Design, stage: Stage, pairs: list[tuple[str, float]], share: float, stands: str
) -> Iterator[Due]:
    """Volts of every pair at the loads' board."""
    key = "island" if stage == "In the island" else "grid"
    named = "in the island" if key == "island" else "on the grid"
    at, board = loads_board(d)
    for between, volts in pairs:
        u = given("U", volts, "V", f"Nominal, {between}", "supply")
        low, high = volts * (1 - share), volts * (1 + share)
        line, _, other = between.partition(" to ")
        yield Due(
            f"volts.{key}.{between.replace(' ', '-')}",
            stage,
            f"{between} at {board}, {named}",
            "volt",
            "multimeter, 600 V AC, true RMS",
            ("Before the first load, then with one on each line.",),
            stands,
            "IEC 60364-6 6.4.3.10" if d.plan.book.loops else "NEC 110.3(B)",
            place=at,
            who="a licensed person",
            hazard=LIVE,
            expects=f"{low:.0f} to {high:.0f} V",
            band=Band(u, given("dU", share * volts, "V", "Allowed either way", COMMON_PRACTICE)),
            least=low,
            most=high,
            problem="no_island" if key == "island" else "",
            probes=(line, other),
            reads=shown_as(d, line) if other == "N" and at == "loads-panel" else "",
        )


def bond_dues(d: Design, duties: dict[str, Finding]) -> Iterator[Due]:
    """Neutral to earth in every state that the job has, each closing its duty."""
    named: dict[str, Stage] = {"islanded": "In the island", "on-the-generator": "In the island"}
    at, _ = loads_board(d)
    for key, f in duties.items():
        if not key.startswith("bond.one.") or f.asked is None:
            continue
        state = key.removeprefix("bond.one.")
        yield Due(
            f"neutral.{state}",
            named.get(state, STAGE),
            f"Neutral to earth, {state.replace('-', ' ')}",
            "volt",
            "multimeter, 600 V AC",
            (f.says,),
            f"State: {state.replace('-', ' ')}; a load on.",
            f.rule,
            place=at,
            who="a licensed person",
            hazard=LIVE,
            expects=f"{f.asked.most or NEUTRAL_V:g} V at most",
            least=-(f.asked.most or NEUTRAL_V),
            most=f.asked.most or NEUTRAL_V,
            duty=key,
            probes=("N", "PE"),
            reads="1:N to PE V",
        )


def rotation_due(d: Design) -> Iterator[Due]:
    """Rotation at the loads' board of a three-phase house, on the grid, where all lines come."""
    there = {between for between, _ in grid_pairs(d)}
    if not {"L1 to N", "L2 to N", "L3 to N"} <= there:
        return
    at, board = loads_board(d)
    yield Due(
        "rotation.grid",
        STAGE,
        f"Rotation at {board}",
        "tick",
        "rotation tester",
        ("L1, L2, L3 to the right: pumps and compressors turn by it.",),
        SERVING,
        "IEC 60364-6 6.4.3.9",
        place=at,
        who="a licensed person",
        hazard=LIVE,
        expects="to the right",
        probes=("L1, L2, L3", ""),
    )


def array_down(d: Design, duties: dict[str, Finding]) -> Iterator[Due]:
    """Rapid shutdown, tried."""
    f = duties.get("pv.rapid-shutdown")
    if f is None:
        return
    yield Due(
        "shutdown.array",
        serving(d)[0],
        "Rapid shutdown, tried",
        "volt",
        "multimeter, 1000 V DC",
        (f.says, "In sun, from full work; the highest of all strings, 30 s after."),
        "In sun, at full work; then its switch turned.",
        f.rule,
        place="array",
        who="a licensed person, two people",
        hands=2,
        hazard=LIVE,
        expects="30 V at most",
        least=-30.0,
        most=30.0,
        duty="pv.rapid-shutdown",
        probes=("DC +", "DC −"),
    )


def agreeing(d: Design) -> Iterator[Due]:
    """What unit, pack and meter say, beside each other: state of charge, sums, alarms, limits."""
    limit, on_grid = d.plan.energy.tariff.export_limit_w, d.plan.supply.kind != "off-grid"
    stage, stands = serving(d)
    if d.pack is not None and d.pack.link not in ("", "none"):
        yield Due(
            "soc.apart",
            stage,
            "State of charge, unit against pack",
            "percent",
            "both displays, at rest",
            (
                "Both read in the same minute, after a quiet quarter of an hour.",
                f"How far apart.{each_bank(d)}",
            ),
            "No charge or load for 15 min.",
            COMMON_PRACTICE,
            place=pack_at(d),
            expects=f"{AGREE:g} % apart at most",
            least=-AGREE,
            most=AGREE,
            problem="soc_apart",
            reads=APART,
        )
    yield Due(
        "sum.closes",
        stage,
        f"{sources(d)} against the loads",
        "percent",
        "the unit's display or app, and a clamp",
        (
            step_words(d),
            "What comes in less what goes out, as a share of the loads.",
        ),
        stands,
        COMMON_PRACTICE,
        place="inverter-1",
        expects=f"{CLOSES:g} % apart at most",
        least=-CLOSES,
        most=CLOSES,
        problem="export_not_held" if on_grid else "",
        reads=SUM,
    )
    if limit is not None and on_grid:
        each = d.plan.energy.tariff.export_limit_of == "each phase"
        yield Due(
            "export.held",
            STAGE,
            "Export limit, with a load thrown off",
            "watt",
            "the utility's meter, or a clamp by line",
            (
                "Sun or battery giving more than the limit and a load; then the load off.",
                "The most that is exported, half a minute later.",
            ),
            "In sun, or discharging by a window.",
            "the grid operator",
            place="main-panel",
            who="a trained person",
            expects=f"{limit:g} W{' on each phase' if each else ''} at most",
            least=-200_000.0,
            most=max(1.02 * limit, limit + 50.0),
            limit=given("P_may", limit, "W", "What the grid operator allows", "tariff"),
            problem="export_not_held",
        )
    charge = next((s for s in d.settings if s.rule == "charge"), None)
    if charge is not None and not isinstance(charge.value, str) and d.bank is not None:
        yield Due(
            "charge.held",
            stage,
            "Charge current at its limit",
            "amp",
            "DC clamp at the unit's battery lead",
            (f"Charging as hard as it will; below 80 % of charge.{_in_turn(d)}",),
            f"Battery below 80 %, sun or {'grid' if on_grid else 'generator'} charging.",
            COMMON_PRACTICE,
            place="inverter-1",
            hazard="Insulated gloves: a pack cannot be switched off at its posts.",
            expects=f"{charge.value:g} A at most",
            least=0.0,
            most=1.03 * float(charge.value) + 1.0,
            limit=charge.figure,
            probes=("round the lead", ""),
        )


def sources(d: Design) -> str:
    """What feeds the loads of a job, as a sentence begins: "Array, battery and grid"."""
    grid = (
        "grid" if d.plan.supply.kind != "off-grid" else "generator" if d.plan.kit.generator else ""
    )
    array = "array" if d.strings or d.plan.kit.pv_inverters else ""
    rows = [x for x in (array, "battery" if d.bank is not None else "", grid) if x]
    words = f"{', '.join(rows[:-1])} and {rows[-1]}" if len(rows) > 1 else "".join(rows)
    return words[:1].upper() + words[1:]


def each_bank(d: Design) -> str:
    """What is asked of every bank, where each unit has its own."""
    several = d.bank is not None and d.bank.banks > 1
    return " Each bank in turn; what is farthest off counts." if several else ""


def _in_turn(d: Design) -> str:
    return " Each unit in turn; the highest counts." if d.plan.kit.inverters > 1 else ""


def step_words(d: Design) -> str:
    """One load switched on, and what unit, battery and meter should each show more."""
    load = max(d.plan.loads, key=lambda x: x.running_w, default=None)
    if load is None or d.inverter is None:
        return "One load of known power switched on; all four read once they stand still."
    most = d.inverter.power_w * d.plan.kit.inverters
    gives = "battery and sun" if d.bank is not None else "the sun"
    rest = max(0.0, load.running_w - most)
    grid = f", the grid {rest:g} W" if rest and d.plan.supply.kind != "off-grid" else ""
    return (
        f"{load.name} switched on: the loads show {load.running_w:g} W more, {gives} give up to"
        f" {min(load.running_w, most):g} W of it in self-use{grid}; read once all stand still."
    )


def window_dues(d: Design) -> Iterator[Due]:
    """Windows, seen at an edge of one."""
    work = d.plan.energy.work
    if work.mode != "windows" or not (work.charge or work.discharge):
        return
    first = (work.charge or work.discharge)[0]
    what = "charges" if work.charge else "gives"
    yield Due(
        "windows.keep",
        "After an hour",
        "A window keeps its time",
        "tick",
        "the unit's display or record",
        (
            f"At {show_minutes(first.start_min)} it {what}, and a minute before it does not.",
            "Nothing is changed for it: wait for the hour, or read its record the day after.",
        ),
        serving(d)[1],
        COMMON_PRACTICE,
        place="inverter-1",
        expects="as keyed, by the clock on the wall",
    )


def last_of(d: Design) -> Iterator[Due]:
    """The alarm list, empty."""
    yield Due(
        "alarms.none",
        "After an hour",
        "Alarm list empty on unit and packs",
        "tick",
        "their displays or app",
        ("What stands there is looked up under Alarms.",),
        serving(d)[1],
        COMMON_PRACTICE,
        place="inverter-1",
        expects="no alarm",
    )


def grid_dues(d: Design, duties: dict[str, Finding]) -> Iterator[Due]:
    """All that is due with the grid on, in its order."""
    if d.plan.supply.kind == "off-grid":
        return
    yield from fault_due(d)
    yield from volt_dues(d, STAGE, grid_pairs(d), SUPPLY, SERVING)
    yield from rotation_due(d)
    yield from loop_dues(d)
    yield from residual_dues(d, STAGE, SERVING, duties)
