"""The chapters of Size, in the order they follow from each other: circuits, the battery side, the
alternating side.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import dataclass, field

from gumboot.core.basis.figure import Figure
from gumboot.core.basis.finding import Change, Cure, Finding, check
from gumboot.core.brief.chapters import KIT, chosen, named
from gumboot.core.chapter import Chapter, Draft
from gumboot.core.kit import Converter
from gumboot.core.network import Circuit
from gumboot.core.network.chapters import NETWORK
from gumboot.core.network.fault import Through
from gumboot.core.plan import Fitted
from gumboot.core.size.bank import Bank
from gumboot.core.size.battery_faults import dc_fault, through_figure
from gumboot.core.size.busbars import Bus, design_busbars
from gumboot.core.size.conductors import (
    RULES,
    Conditions,
    SizedCircuit,
    drop_findings,
    limit_cures,
    places,
    school_findings,
    size_circuit,
    size_findings,
    told_together,
)
from gumboot.core.size.derating import derated, derating_findings
from gumboot.core.size.equipment import BANK, FITS, THROUGH, Found
from gumboot.core.size.inrush import Inrush, design_inrush, inrush_findings, peak_findings
from gumboot.core.size.limits import packs_allow
from gumboot.core.size.loops import Loop, loop_findings
from gumboot.core.size.raceways import Raceway, lay_raceways
from gumboot.core.size.safeguards import residual_findings
from gumboot.core.size.sharing import Sharing, one_way_ohm, share_out
from gumboot.core.size.sub_board import sub_board_findings
from gumboot.core.size.supply import electrode, main_bonding
from gumboot.core.size.utility_fault import fault_findings
from gumboot.core.size.ventilation import air, air_findings
from gumboot.core.wall.chapters import RUNS


@dataclass(frozen=True, slots=True, eq=False)
class Row:
    """One circuit: what it was sized from, what came of it, what is wrong with it, its figures."""

    circuit: Circuit
    conditions: Conditions | None
    fitted: Fitted
    sized: SizedCircuit | None
    found: Found
    figures: tuple[tuple[str, Figure], ...]


@dataclass(frozen=True, slots=True, eq=False)
class Sizing:
    """Every circuit sized; those that could not be (key, name); the rows they come from."""

    circuits: tuple[SizedCircuit, ...]
    unsized: tuple[tuple[str, str], ...]
    of: dict[str, Row]


def _sized(d: Draft) -> Sizing:
    plan, rules, old = d.plan, RULES[d.plan.code], d.was(SIZED)
    circuits = d[RUNS]
    where = places(circuits, rules)
    like = all(d.unchanged(x) for x in ("code", "run names", "strings but runs", "keyed apart"))
    of: dict[str, Row] = {}
    for c in circuits:
        place, fitted = where.get(c.id), plan.fitted.get(c.id, Fitted())
        before = old.of.get(c.id) if old and like else None
        if before and (
            before.circuit is c and before.conditions == place and before.fitted == fitted
        ):
            of[c.id] = before
            continue
        one, faults = size_circuit(c, place, d.catalogue, plan, rules)
        found = tuple(faults) + _judged(one, fitted, d)
        of[c.id] = Row(c, place, fitted, one, found, tuple(_figures(one)) if one else ())
    return Sizing(
        tuple(x.sized for x in of.values() if x.sized),
        tuple((x.circuit.id, x.circuit.name) for x in of.values() if x.sized is None),
        of,
    )


def _judged(s: SizedCircuit | None, fitted: Fitted, d: Draft) -> Found:
    if s is None:
        return ()
    family, own = s.circuit.family, chosen(d)
    unit: Converter = own.controller if family == "controller" and own.controller else own.inverter
    port = unit.battery
    limit = port.length_max_m if port and family in ("battery", "controller") else None
    named_size = port.named_size if port else ""
    kit, bank = d.plan.kit, d[BANK]
    units = kit.inverters // bank.banks if bank and s.circuit.family == "pack" else 1
    if s.circuit.family.endswith("feeder") or s.circuit.family in ("changeover", "tap"):
        units = kit.inverters
    pack = chosen(d).pack
    shared = max(kit.inverters // bank.banks, 1) if bank else 1
    most = packs_allow(chosen(d).inverter, pack, bank.count, shared) if bank and pack else {}
    beyond = family == "pack" and own.controller  # no inverter's limit holds what these charge
    held = [] if beyond else limit_cures(d.plan, s, fitted, unit, units, most)
    return (*size_findings(s, fitted, limit, held), *school_findings(s, named_size))


def _sized_found(sizing: Sizing, d: Draft) -> Iterable[Finding]:
    circuits = {k: x.circuit for k, x in sizing.of.items()}
    yield from told_together((f for x in sizing.of.values() for f in x.found), circuits)
    yield from drop_findings(sizing.circuits)
    ids = {s.id for s in sizing.circuits}
    for k in d.plan.fitted:
        if k not in ids:
            says = f"The plan fixes a conductor for “{k}”, a circuit this kit does not have."
            forget = Cure("Forget it", (Change(f"/fitted/{k}", None),))
            yield check(f"fitted.{k}", "plan", says, "plan", forget)


def _figures(s: SizedCircuit) -> Iterator[tuple[str, Figure]]:
    yield f"{s.id}.current", s.circuit.current
    yield f"{s.id}.i_req", s.i_req
    yield from named(s.id, s, "protection")
    if s.proposed:
        yield f"{s.id}.conductor", s.proposed
    yield from named(s.id, s.trial, "at_terminal", "in_place")
    yield f"{s.id}.drop", s.trial.drop_pct
    yield from named(s.id, s, "permitted", "protective")


def _sized_figures(sizing: Sizing) -> Iterator[tuple[str, Figure]]:
    return (f for x in sizing.of.values() for f in x.figures)


SIZED: Chapter[Sizing] = Chapter(
    "circuits",
    _sized,
    reads=("fitted", "code", "run names", "strings but runs", "kit", "keyed apart"),
    needs=(BANK,),
    requires=(KIT, RUNS),
    findings=_sized_found,
    figures=_sized_figures,
)


@dataclass(frozen=True, slots=True)
class Conductors:
    """The sized circuits as far as those go who do not care how long they are: who makes them off,
    keys limits, or counts what they permit. Two are equal when all of that is.
    """

    key: tuple[object, ...]
    circuits: tuple[SizedCircuit, ...] = field(compare=False)


def _conductors(d: Draft) -> Conductors:
    rows = d[SIZED].circuits
    key = tuple(
        (
            s.id,
            s.size,
            s.sets,
            s.cable.id,
            s.conditions.run.method,
            s.conditions.run.raceway,
            s.conditions.run.conduit,
            s.protective.value,
            s.protection.value if s.protection else None,
            s.permitted.value,
            s.trial.fails,
        )
        for s in rows
    )
    return Conductors((id(d[NETWORK]), *key), rows)


CONDUCTORS: Chapter[Conductors] = Chapter(
    "conductors", _conductors, requires=(NETWORK, SIZED), settles=True
)


# the battery side


@dataclass(frozen=True, slots=True, eq=False)
class Faults:
    """Prospective currents of the battery side: where packs meet, and through each device."""

    fault: Figure | None
    through: tuple[Through, ...]
    found: Found
    bank: Bank | None = None


def _faults(d: Draft) -> Faults:
    bank = d[BANK]
    if bank is None:
        return Faults(None, (), ())
    fault, currents, found = dc_fault(d.plan, d[NETWORK], d[SIZED].circuits, bank, d.catalogue)
    return Faults(fault, currents, tuple(found), bank)


def _fault_figures(x: Faults) -> Iterator[tuple[str, Figure]]:
    if x.fault:
        yield "bank.fault", x.fault
    for t in x.through:
        if x.bank:
            yield f"bank.through {t.switch.says}", through_figure(t, x.bank)


FAULTS: Chapter[Faults] = Chapter(
    "faults",
    _faults,
    reads=("code", "kit"),
    needs=(BANK,),
    requires=(NETWORK, SIZED),
    findings=lambda x, d: x.found,
    figures=_fault_figures,
)


def _sharing(d: Draft) -> tuple[Sharing | None, Found]:
    kit, bank = chosen(d), d[BANK]
    if bank is None or kit.pack is None:
        return None, ()
    sharing, found = share_out(d.plan, bank, kit.pack, d[SIZED].circuits)
    return sharing, tuple(found)


SHARING: Chapter[tuple[Sharing | None, Found]] = Chapter(
    "sharing",
    _sharing,
    reads=("kit", "placed", "units"),
    needs=(BANK,),
    requires=(KIT, SIZED),
    findings=lambda x, d: x[1],
    figures=lambda x: (("bank.share", x[0].most),) if x[0] else (),
)


def _inrush(d: Draft) -> Inrush | None:
    kit, bank = chosen(d), d[BANK]
    if bank is None or kit.pack is None:
        return None
    return design_inrush(bank, kit.inverter, kit.pack, _battery_loop(d[SIZED].circuits))


def _battery_loop(sized: tuple[SizedCircuit, ...]) -> float | None:
    """Out and back through the first inverter's battery cable and the first pack's, in Ω."""
    rows = [next((s for s in sized if s.circuit.family == f), None) for f in ("battery", "pack")]
    return sum(2 * one_way_ohm(s) for s in rows if s) or None


def _inrush_found(inrush: Inrush | None, d: Draft) -> Iterable[Finding]:
    kit, bank = chosen(d), d[BANK]
    yield from inrush_findings(inrush, d.plan.kit.inverters // bank.banks if bank else 1)
    if bank and kit.pack:
        yield from peak_findings(d.plan, bank, kit.inverter, kit.pack)


INRUSH: Chapter[Inrush | None] = Chapter(
    "inrush",
    _inrush,
    reads=("kit",),
    needs=(BANK,),
    requires=(KIT, SIZED),
    findings=_inrush_found,
    figures=lambda x: (("bank.inrush", x.bare), ("bank.precharge", x.wait)) if x else (),
)


def _air(d: Draft) -> tuple[Figure, Figure, Figure] | None:
    pack, bank = chosen(d).pack, d[BANK]
    return air(d.plan, pack, bank) if pack and bank else None


AIR: Chapter[tuple[Figure, Figure, Figure] | None] = Chapter(
    "air",
    _air,
    reads=("kit", "units"),
    needs=(BANK,),
    requires=(KIT,),
    findings=lambda made, d: air_findings(made, d.plan),
    figures=lambda made: zip(("bank.air", "bank.opening", "bank.spark"), made or (), strict=False),
)


# the alternating side


def _loops(d: Draft) -> tuple[tuple[Loop, ...], Found]:
    rows, unit = d[SIZED].circuits, chosen(d).inverter
    loops, found = loop_findings(rows, d.plan, unit)
    devices = {g.n - 1: g.device for g in d[NETWORK].guards}
    return loops, (*found, *residual_findings(d.plan, unit, rows, devices))


def _loop_figures(made: tuple[tuple[Loop, ...], Found]) -> Iterator[tuple[str, Figure]]:
    for x in made[0]:
        if x.grid:
            yield f"{x.circuit}.loop", x.grid
        yield f"{x.circuit}.loop_limit", x.limit
        yield from named(x.circuit, x, "trip", "islanded")


LOOPS: Chapter[tuple[tuple[Loop, ...], Found]] = Chapter(
    "loops",
    _loops,
    reads=("backup", "code", "supply", "kit", "safeguards"),
    requires=(KIT, NETWORK, SIZED),
    findings=lambda made, d: made[1],
    figures=_loop_figures,
)


def _utility(d: Draft) -> tuple[dict[str, Figure], Found]:
    currents, found = fault_findings(d.plan, d[NETWORK], d[SIZED].circuits)
    return currents, tuple(found)


UTILITY: Chapter[tuple[dict[str, Figure], Found]] = Chapter(
    "utility fault",
    _utility,
    reads=("supply", "code"),
    requires=(NETWORK, SIZED),
    findings=lambda made, d: made[1],
    figures=lambda made: ((f"fault.{k}", f) for k, f in made[0].items()),
)


def _busbars(d: Draft) -> tuple[tuple[Bus, ...], Found]:
    rows = d[CONDUCTORS].circuits
    made, found = design_busbars(d.plan, chosen(d).inverter, d[NETWORK], rows)
    return made, tuple(found)


def _bus_figures(made: tuple[tuple[Bus, ...], Found]) -> Iterator[tuple[str, Figure]]:
    for b in made[0]:
        key = "bus" if b.body == "main-panel" else f"bus-{b.body}"
        yield from named(key, b, "output", "used_120", "allowed_120", "used_sum")


BUSBARS: Chapter[tuple[tuple[Bus, ...], Found]] = Chapter(
    "busbars",
    _busbars,
    reads=("supply", "backup", "kit", "code"),
    requires=(KIT, NETWORK, CONDUCTORS),
    findings=lambda made, d: made[1],
    figures=_bus_figures,
)


def _sub_board(d: Draft) -> Found:
    changed_over = any(b.role == "changeover" for b in d[NETWORK].bodies)
    return tuple(sub_board_findings(d.plan, chosen(d).inverter, changed_over, d[THROUGH]))


SUB_BOARD: Chapter[Found] = Chapter(
    "sub-board",
    _sub_board,
    reads=("supply", "backup", "kit", "code", "run names", "keyed apart"),
    requires=(KIT, NETWORK),
    needs=(THROUGH,),
    findings=lambda found, d: found,
)


def _raceways(d: Draft) -> tuple[tuple[Raceway, ...], Found]:
    made, found = lay_raceways(d[CONDUCTORS].circuits)
    return made, tuple(found)


def _raceway_figures(made: tuple[tuple[Raceway, ...], Found]) -> Iterator[tuple[str, Figure]]:
    for r in made[0]:
        yield f"{r.circuits[0]}.fill", r.area
        yield f"{r.circuits[0]}.raceway", r.conduit
        if r.trough:
            yield f"{r.circuits[0]}.trough", r.trough


RACEWAYS: Chapter[tuple[tuple[Raceway, ...], Found]] = Chapter(
    "raceways",
    _raceways,
    requires=(CONDUCTORS,),
    findings=lambda made, d: made[1],
    figures=_raceway_figures,
    settles=True,
)


@dataclass(frozen=True, slots=True, eq=False)
class Earths:
    """The conductor to the earth electrode, the main bonding conductor: whichever the book
    sizes.
    """

    gec: Figure | None
    bonding: Figure | None


def _earths(d: Draft) -> Earths:
    return Earths(
        electrode(d.plan, d[CONDUCTORS].circuits), main_bonding(d.plan, d[CONDUCTORS].circuits)
    )


EARTHS: Chapter[Earths] = Chapter(
    "earths",
    _earths,
    reads=("code", "supply"),
    requires=(CONDUCTORS,),
    figures=lambda x: named("main-panel", x, "gec", "bonding"),
)


def _heat(d: Draft) -> Figure | None:
    return derated(chosen(d).inverter, d.plan)


HEAT: Chapter[Figure | None] = Chapter(
    "heat",
    _heat,
    reads=("site", "units"),
    requires=(KIT, FITS),
    findings=lambda hot, d: derating_findings(d.plan, chosen(d).inverter, hot),
    figures=lambda hot: (("inverter-1.hot", hot),) if hot else (),
)
