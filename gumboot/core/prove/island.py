"""In the island, and on the way there and back: volts, frequency, rotation, residual-current
devices, a sag under a known load, the hardest start, the gap, how soon the grid is joined again.
"""

from __future__ import annotations

from collections.abc import Iterator

from gumboot.core.basis.figure import COMMON_PRACTICE, MEMORY, Figure, given, solve
from gumboot.core.basis.finding import Finding
from gumboot.core.basis.formula import Formula
from gumboot.core.basis.units import FT_M
from gumboot.core.basis.words import inside
from gumboot.core.codes import iec, nec
from gumboot.core.codes.grid_profiles import PROFILES
from gumboot.core.design import Design
from gumboot.core.kit import MAINS
from gumboot.core.network.house import units_on
from gumboot.core.plan.loads import Load
from gumboot.core.prove.band import Band, Known, combined, limits
from gumboot.core.prove.dead import COLD_OVER_75
from gumboot.core.prove.due import LIVE, Due, Stage
from gumboot.core.prove.live import ALONE, loads_board, volt_dues
from gumboot.core.prove.residual import residual_dues
from gumboot.core.size.conductors import SizedCircuit
from gumboot.core.size.safeguards import FEEDS, has_island
from gumboot.core.wake.plant import Lever
from gumboot.core.wake.steps import OUTPUT, island_pairs, pairs_of

ISLAND: Stage = "In the island"
BACK: Stage = "Grid lost and back"
STANDS = "open, everything else as it serves; the unit makes the voltage."
HERTZ_OFF = 0.5  # Hz, of an inverter alone: common practice
SHIFT_TO = 2.5  # Hz above nominal, where it throttles PV by frequency: common practice
SAG, START_SAG = 0.10, 0.20  # of nominal volts, under a load and at a start: common practice
BEARS_MS = 20.0  # how long electronics bear nothing at all: ITI curve, from memory
SAGS = Formula("U_L", "U - n_c * R * P / U", "V", "Volts under a load", "Ohm's law")
REJOINS = ("Enters service after", "Watches for")


def island_dues(d: Design, duties: dict[str, Finding]) -> Iterator[Due]:
    """All that is due in an island, where this job has one."""
    unit, board = d.inverter, d.board
    if unit is None or not has_island(d.plan):
        return
    off_grid = d.plan.supply.kind == "off-grid"
    stands = ALONE if off_grid else f"{grid_switch(d)} {STANDS}"
    at, _ = loads_board(d)
    yield from volt_dues(d, ISLAND, island_pairs(d), OUTPUT, stands)
    hertz = MAINS[unit.supply].hertz
    shifts = any(p.obeys_frequency == "yes" for p in d.plan.island_pv.values())
    high = hertz + (SHIFT_TO if shifts else HERTZ_OFF)
    yield Due(
        "hertz.island",
        ISLAND,
        "Frequency in the island",
        "hertz",
        "multimeter with frequency",
        ("With one load on.",),
        stands,
        COMMON_PRACTICE,
        place=at,
        who="a licensed person",
        hazard=LIVE,
        expects=f"{hertz - HERTZ_OFF:g} to {high:g} Hz",
        least=hertz - HERTZ_OFF,
        most=high,
        probes=("L", "N"),
        reads="1:frequency Hz",
    )
    if all(units_on(d.plan, unit).get(x) for x in ("L1", "L2", "L3")):
        yield Due(
            "rotation.island",
            ISLAND,
            "Rotation in the island",
            "tick",
            "rotation tester",
            ("The same as on the grid: else pumps turn backwards in an outage.",),
            stands,
            "IEC 60364-6 6.4.3.9",
            place=at,
            who="a licensed person",
            hazard=LIVE,
            expects="to the right",
        )
    yield from residual_dues(d, ISLAND, stands, duties)
    volts = pairs_of(unit.supply)[0][1]
    heavy = max((x for x in d.plan.loads if x.backed), key=lambda x: x.running_w, default=None)
    if heavy is not None:
        band = sag_of(d, heavy, volts)
        yield Due(
            "sag.load",
            ISLAND,
            f"Sag under {heavy.name}",
            "volt",
            "multimeter that holds its least",
            (
                f"{heavy.name}, {heavy.running_w:g} W, switched on; the least that is seen.",
                "And that it is back within a second.",
            ),
            stands,
            COMMON_PRACTICE,
            place=at,
            who="a licensed person",
            hazard=LIVE,
            expects=f"{(1 - SAG) * volts:.0f} V at least; {band.expected.n:.0f} V is computed",
            band=band,
            least=(1 - SAG) * volts,
            most=(1 + OUTPUT) * volts,
            problem="overload_start",
            probes=("L", "N"),
        )
    starting = board.starting if board is not None else {}
    starts = [
        x for x in d.plan.loads if x.backed and x.id in starting and starting[x.id].n > x.running_w
    ]
    hard = max(starts, key=lambda x: starting[x.id].n, default=None)
    if hard is not None and board is not None:
        start = board.starting[hard.id]
        yield Due(
            "start.hardest",
            ISLAND,
            f"The hardest start: {hard.name}",
            "volt",
            "multimeter that holds its least",
            (f"{hard.name} started, {start.text} for a moment; the least that is seen.",),
            f"{stands} What may run beside it is on.",
            COMMON_PRACTICE,
            place=at,
            who="a licensed person",
            hazard=LIVE,
            expects=f"it starts; {(1 - START_SAG) * volts:.0f} V at least",
            least=(1 - START_SAG) * volts,
            most=(1 + OUTPUT) * volts,
            limit=start,
            problem="overload_start",
            probes=("L", "N"),
        )


def sag_of(d: Design, load: Load, volts: float) -> Band:
    """Volts at the loads' board while a load runs: what the unit gives, less what its amperes lose
    out and back from the unit to there. A load across two lines, or on three, loses it once a line.
    """
    lines = load.legs.count("+") + 1
    u = given("U", volts, "V", "What the unit gives", "inverter sheet")
    p = given("P", load.running_w / lines, "W", f"{load.name}, on one line", "load board")
    n = given("n_c", 1 if lines > 1 else 2, "", "Conductors that lose it", "out and back")
    inputs = (limits(u, 0.02), limits(p, 0.1), Known(n), limits(way_ohm(d), 0.25))
    return combined(SAGS, *inputs, reading=0.5)


def way(d: Design) -> tuple[str, ...]:
    """The kinds of circuit from the unit to the backed-up loads: by an output of its own where it
    has one, else by its grid side and the box that parts the house from the grid.
    """
    own = any(s.circuit.family in FEEDS for s in d.circuits)
    return (*(FEEDS if own else ("grid", "grid-feeder")), "loads")


def way_ohm(d: Design) -> Figure:
    """One conductor from unit to loads, Ω at 20 °C. Circuits of several units onto one line lie
    side by side; of the lines the one that loses most.
    """
    parts, terms = [], []
    for family in way(d):
        rows = [s for s in d.circuits if s.circuit.family == family]
        each = {k: [s for s in rows if k in s.circuit.conductors] for k in ("L1", "L2", "L3")}
        on = max((x for x in each.values() if x), key=lambda x: 1 / _siemens(x), default=[])
        parts += [one_way(s) for s in on]
        own = [f"R_{s.circuit.number}" for s in on]
        terms += ["1 / (" + " + ".join(f"1 / {x}" for x in own) + ")"] if len(own) > 1 else own
    if not parts:
        return given("R", 0.0, "Ω", "One conductor, unit to loads", "no such run is laid here")
    name = "One conductor, unit to loads"
    return solve("R", "Ω", name, " + ".join(terms), *parts, source="Ohm's law")


def _siemens(rows: list[SizedCircuit]) -> float:
    return sum(1 / max(one_way(s).n, 1e-9) for s in rows)


def one_way(s: SizedCircuit) -> Figure:
    """One conductor of a circuit from end to end, Ω at 20 °C, its sets side by side."""
    symbol, name = f"R_{s.circuit.number}", f"C{s.circuit.number}, {inside(s.circuit.name)}"
    sets = given("n_p", s.sets, "", "Conductors side by side", "Size")
    if s.size.endswith("mm²"):
        r = iec.resistance(s.size, s.cable.strands, s.cable.material)
        run = given("L", s.conditions.run.length_m, "m", "Length one way", "plan")
        text = f"{r.symbol} * L / 1000 / n_p"
        return solve(symbol, "Ω", name, text, r, run, sets, source="IEC 60228")
    r = nec.dc_resistance(s.size, s.cable.material)
    run = given("L", s.conditions.run.length_m / FT_M, "ft", "Length one way", "plan")
    text = f"{r.symbol} / k_cold * L / 1000 / n_p"
    rows = (r, COLD_OVER_75, run, sets)
    return solve(symbol, "Ω", name, text, *rows, source="NEC Chapter 9 Table 8")


def grid_lever(d: Design) -> Lever | None:
    """The switch of this job that takes the grid away; None off grid."""
    levers = d.wake.way.plant.levers if d.wake else ()
    if d.plan.supply.kind == "off-grid":
        return None
    main = next((x for x in levers if x.id == "main-panel/main"), None)
    return main or next((x for x in levers if x.kind == "grid"), None)


def grid_switch(d: Design) -> str:
    """Its name."""
    own = grid_lever(d)
    return own.says if own is not None else "The supply's own switch"


def back_dues(d: Design) -> Iterator[Due]:
    """The grid lost and back: the gap where the maker claims one, and how long it watches before it
    joins; a generator's start, load and stop.
    """
    unit = d.inverter
    if unit is None:
        return
    grid, backed = d.plan.supply.kind != "off-grid", d.plan.backup.loads != "nothing"
    if grid and backed and unit.transfer_ms is not None:
        claim = given("t_gap", unit.transfer_ms, "ms", "Gap at a transfer", "inverter sheet")
        bears = unit.transfer_ms <= BEARS_MS
        yield Due(
            "transfer.gap",
            BACK,
            "The gap when the grid goes",
            "ms",
            "logger or oscilloscope on a backed-up socket",
            (
                f"{grid_switch(d)} opened by hand, at a typical load.",
                "From a file: under Curves, by half-waves.",
            ),
            f"As it serves; then {inside(grid_switch(d))} opened.",
            "the maker's claim",
            place="loads-panel",
            who="a licensed person",
            hazard=LIVE,
            expects=f"{unit.transfer_ms:g} ms at most; electronics bear {BEARS_MS:g} ms"
            if bears
            else f"{unit.transfer_ms:g} ms at most: longer than electronics bear",
            least=0.0,
            most=unit.transfer_ms,
            limit=claim,
            problem="no_island",
            probes=("L", "N"),
        )
    profile = next((PROFILES[s.means_now] for s in d.settings if s.means_now in PROFILES), None)
    if grid and unit.feeds_grid and profile is not None:
        waits = next((x for x in profile.limits if x.name in REJOINS), None)
        if waits is not None:
            yield Due(
                "grid.rejoins",
                BACK,
                "How long it watches before it joins the grid again",
                "seconds",
                "a watch, and the unit's display",
                (f"{grid_switch(d)} closed again; the time until it says it is connected.",),
                f"{'From the island, the grid' if backed else 'Grid'} back.",
                profile.source,
                place="inverter-1",
                expects=f"{waits.value:g} s at least",
                least=0.97 * waits.value,
                most=3600.0,
                limit=given("t_w", waits.value, "s", waits.name, profile.source, MEMORY),
                reads="",
            )
    generator = d.plan.kit.generator
    if generator is not None:
        how = "called by the unit" if d.calls_generator else "started by hand"
        joined = "Started; warm; the unit joins it; the most it is asked for."
        by_hand = (
            "Started; warm; the main of the loads panel off, then the generator's breaker on: the"
            " most it is asked for."
        )
        back = "Then its breaker off and the main on, and it stops."
        at_unit = d.plan.kit.on_generator > 0
        yield Due(
            "generator.runs",
            BACK,
            f"Generator: starts, takes load, stops; {how}",
            "watt",
            "the unit's display, or a clamp",
            (joined, "Then stopped: the loads stay on.") if at_unit else (by_hand, back),
            "In the island, battery below the generator's start." if at_unit else "In the island.",
            COMMON_PRACTICE,
            place="generator",
            hands=2,
            who="a trained person",
            hazard="Exhaust outside; nothing hot touched.",
            expects=f"{generator.power_w:g} W at most",
            least=1.0,
            most=generator.power_w,
            limit=given("P_gen", generator.power_w, "W", "Generator", "plan"),
        )
