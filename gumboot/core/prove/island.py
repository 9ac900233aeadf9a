"""In the island, and on the way there and back: volts, frequency, rotation, residual-current
devices, a sag under a known load, the hardest start, the gap, how soon the grid is joined again.
"""

from __future__ import annotations

from collections.abc import Iterator

from gumboot.core.basis.figure import COMMON_PRACTICE, MEMORY, given
from gumboot.core.basis.finding import Finding
from gumboot.core.basis.formula import Formula
from gumboot.core.basis.units import FT_M
from gumboot.core.basis.words import inside
from gumboot.core.codes import iec, nec
from gumboot.core.codes.grid_profiles import PROFILES
from gumboot.core.design import Design
from gumboot.core.plan.loads import Load
from gumboot.core.prove.band import Band, Known, combined, limits
from gumboot.core.prove.dead import COLD_OVER_75
from gumboot.core.prove.due import LIVE, Due, Stage
from gumboot.core.prove.live import residual_dues, volt_dues
from gumboot.core.size.conductors import SizedCircuit
from gumboot.core.wake.plant import Lever
from gumboot.core.wake.steps import OUTPUT, pairs_of

ISLAND: Stage = "In the island"
BACK: Stage = "Grid lost and back"
STANDS = "open, everything else as it serves; the unit makes the voltage."
HERTZ_OFF = 0.5  # Hz, of an inverter alone: common practice
SHIFT_TO = 2.5  # Hz above nominal, where it throttles PV by frequency: common practice
SAG, START_SAG = 0.10, 0.20  # of nominal volts, under a load and at a start: common practice
BEARS_MS = 20.0  # how long electronics bear nothing at all: ITI curve, from memory
WAY = ("backup", "backup-feeder", "loads")  # circuits from the unit to the backed-up loads
SAGS = Formula("U_L", "U - n_c * R * P / U", "V", "Volts under a load", "Ohm's law")
REJOINS = ("Enters service after", "Watches for")


def island_dues(d: Design, duties: dict[str, Finding]) -> Iterator[Due]:
    """All that is due in an island, where this job has one."""
    unit, board = d.inverter, d.board
    if unit is None or (d.plan.backup.loads == "nothing" and d.plan.supply.kind != "off-grid"):
        return
    off_grid = d.plan.supply.kind == "off-grid"
    stands = f"{grid_switch(d)} {STANDS}"
    if off_grid:
        stands = "The unit makes the voltage, every load off."
    at = "loads-panel" if d.network and "loads-panel" in d.network.nodes else "inverter-1"
    alone = unit.supply if not unit.supply.startswith("single") or off_grid else d.plan.supply.kind
    yield from volt_dues(d, ISLAND, _pairs(d, alone), OUTPUT, stands, at)
    hertz = 60.0 if unit.supply.startswith("split") else 50.0
    shifts = any(p.obeys_frequency == "yes" for p in d.plan.kit.pv_inverters)
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
    if unit.supply.startswith("three"):
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
    hard = max(
        (x for x in d.plan.loads if x.backed and board and x.id in board.starting),
        key=lambda x: board.starting[x.id].n if board else 0.0,
        default=None,
    )
    if hard is not None and board is not None and board.starting[hard.id].n > hard.running_w:
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
    lines = {"L1+L2": 2, "L1+L2+L3": 3}.get(load.legs, 1)
    u = given("U", volts, "V", "What the unit gives", "inverter sheet")
    p = given("P", load.running_w / lines, "W", f"{load.name}, on one line", "load board")
    ways = sorted({x for s in d.circuits if (x := s.circuit.family) in WAY})
    ohm = 0.0
    for family in ways:
        ohm += max(one_way(s) for s in d.circuits if s.circuit.family == family)
    n = given("n_c", 1 if lines > 1 else 2, "", "Conductors that lose it", "out and back")
    r = given("R", ohm, "Ω", "One conductor, unit to loads", "Size, 20 °C")
    inputs = (limits(u, 0.02), limits(p, 0.1), Known(n), limits(r, 0.25))
    return combined(SAGS, *inputs, reading=0.5)


def one_way(s: SizedCircuit) -> float:
    """One conductor of a circuit from end to end, Ω at 20 °C, its sets side by side."""
    if s.size.endswith("mm²"):
        r = iec.resistance(s.size, s.cable.strands, s.cable.material).n
        return r * s.conditions.run.length_m / 1000 / s.sets
    hot = nec.dc_resistance(s.size, s.cable.material).n
    return hot / COLD_OVER_75.n * s.conditions.run.length_m / FT_M / 1000 / s.sets


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


def _pairs(d: Design, supply: str) -> list[tuple[str, float]]:
    """What the units alone feed: single-phase units only the lines they are on."""
    unit = d.inverter
    if unit is None or not unit.supply.startswith("single") or not supply.startswith("three"):
        return pairs_of(unit.supply if unit else supply)
    lines = sorted({d.plan.kit.line_of(n) for n in range(1, d.plan.kit.inverters + 1)})
    return [(f"{line} to N", 230.0) for line in lines]


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
                "From the island, the grid back.",
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
        by = any(s.rule == "gen_auto" and s.means_now == "on" for s in d.settings)
        how = "called by the unit" if by else "started by hand"
        yield Due(
            "generator.runs",
            BACK,
            f"Generator: starts, takes load, stops; {how}",
            "watt",
            "the unit's display, or a clamp",
            (
                "Started; warm; the unit joins it; the most it is asked for.",
                "Then stopped: the loads stay on.",
            ),
            "In the island, battery below the generator's start.",
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
