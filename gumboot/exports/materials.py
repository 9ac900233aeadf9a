"""What to buy and what to write down: the bill of materials and the circuit schedule, as rows and
as CSV.

Cable carries 10 % for waste and service loops; lugs, ferrules and connectors are counted at the
terminations themselves.
"""

from __future__ import annotations

import csv
import io
import math
from collections import Counter, defaultdict
from collections.abc import Iterable
from dataclasses import dataclass
from functools import lru_cache

from gumboot.core.basis.sizes import area_mm2, spoken
from gumboot.core.basis.units import FT_M
from gumboot.core.design import Design
from gumboot.core.link.leads import Lead
from gumboot.core.network import Body
from gumboot.core.network.guards import short
from gumboot.core.plan import Plan
from gumboot.core.size.conductors import SizedCircuit
from gumboot.core.size.safeguards import ahead_of
from gumboot.core.wall.drill import drill_sheet

ALLOWANCE = 1.10
GLANDS = (
    (12.0, "M20"),
    (30.0, "M25"),
    (80.0, "M32"),
    (200.0, "M40"),
    (1e9, "M50"),
)  # mm² of all cores together, common practice


@dataclass(frozen=True, slots=True)
class Item:
    """One line of the bill."""

    group: str
    what: str
    count: float
    unit: str


@lru_cache(maxsize=64)
def materials(design: Design) -> tuple[Item, ...]:
    """The bill of materials, in the order a van is loaded."""
    us = design.plan.units == "us"
    return (
        *_kit(design),
        *_boards(design),
        *_cable(design, us),
        *_ends(design),
        *_protection(design),
        *_safeguards(design),
        *_signals(design),
        *_ways(design, us),
        *_fixings(design),
    )


def _kit(design: Design) -> Iterable[Item]:
    kit, book = design.plan.kit, design.catalogue
    if design.inverter:
        yield Item("Kit", f"{design.inverter.maker} {design.inverter.model}", kit.inverters, "")
    if design.pack and kit.packs:
        yield Item(
            "Kit",
            f"{design.pack.maker} {design.pack.model}",
            kit.packs * (kit.series if design.pack.form != "pack" else 1),
            "",
        )
        if design.pack.cabinet:
            yield Item(
                "Kit",
                f"{design.pack.maker} {design.pack.cabinet.name}",
                math.ceil(kit.packs / design.pack.cabinet.holds),
                "",
            )
    if design.controller:
        made = f"{design.controller.maker} {design.controller.model}"
        yield Item("Kit", made, kit.controllers_fitted, "")
    if design.gateway:
        yield Item("Kit", f"{design.gateway.maker} {design.gateway.model}", 1, "")
    wanted: Counter[str] = Counter()
    for string in design.plan.strings:
        wanted[design.plan.module_of(string) or ""] += 0 if string.there else string.count
    for id, n in wanted.items():
        if n and (module := book.modules.get(id)):
            yield Item("Kit", f"{module.maker} {module.model}", n, "")
            if module.optimizer:
                yield Item("Kit", module.optimizer.name, n, "")
    joints = sum(s.rows - 1 for s in design.plan.strings if not s.there)
    if joints:
        yield Item("Kit", "PV branch connectors of the modules' make, pair", joints, "")
    jumpers = sum(s.jumper for s in design.strings)
    if jumpers:
        yield Item("Kit", "maker's PV jumper, pair", jumpers, "")


BROUGHT = (
    *("dc-bus", "pv-combiner", "grid-combiner", "backup-combiner", "generator-combiner"),
    "generator",
)


def _brought(b: Body, plan: Plan) -> bool:
    """Whether a job brings a body's board or box; what a house has already is left out."""
    if b.role == "loads":
        return plan.backup.loads == "essential board" or plan.supply.kind == "off-grid"
    if b.role == "changeover":
        return plan.backup.changeover == "transfer switch"
    tap = b.device is not None and b.device.role == "tap"
    return b.role in BROUGHT or tap


def _boards(design: Design) -> Iterable[Item]:
    plan = design.plan
    brought = Counter(b.device.label for b in design.bodies if b.device and _brought(b, plan))
    for what, n in brought.items():
        yield Item("Boards", what, n, "")
    generator = plan.kit.generator
    plates = [
        plan.backup.changeover == "interlocked breakers" and design.gateway is None,
        generator and generator.interlock and not generator.lands.endswith("inverter"),
    ]
    if n := sum(map(bool, plates)):
        yield Item("Boards", "interlock for two breakers, of the panel's maker", n, "")


def _long(metres: float, us: bool) -> tuple[float, str]:
    return (math.ceil(metres / FT_M), "ft") if us else (math.ceil(metres), "m")


def _new(design: Design) -> list[SizedCircuit]:
    """The circuits that a job brings; wiring that is there already is not bought."""
    return [s for s in design.circuits if not s.conditions.run.there]


def _cable(design: Design, us: bool) -> Iterable[Item]:
    metres: defaultdict[str, float] = defaultdict(float)
    for s in _new(design):
        run = s.conditions.run.length_m * s.sets * ALLOWANCE
        live = len(s.circuit.conductors) - 1
        if s.cable.cores == "multi":
            metres[f"{s.cable.label}, {live + 1} × {spoken(s.size)}"] += run
            continue
        metres[f"{s.cable.label}, {spoken(s.size)}"] += run * live
        metres[f"earth conductor, stranded copper, {spoken(str(s.protective.value))}"] += run
    for what, total in metres.items():
        yield Item("Cable", what, *_long(total, us))


def _ends(design: Design) -> Iterable[Item]:
    counted: Counter[str] = Counter()
    for t in design.terminations:
        if t.method == "lug":
            counted[f"lug, {spoken(t.size)}, {t.stud} hole"] += 1
        elif t.method == "ferrule":
            counted[f"ferrule, {spoken(t.size)}"] += 1
        elif t.method == "pv-connector":
            counted["PV connector, half a pair"] += 1
        if t.ferrite:
            counted[f"ferrite: {t.ferrite}"] += 1
    if design.terminations:
        counted["label, both ends of every conductor"] = sum(
            bool(t.label) for t in design.terminations
        )
    for what, n in sorted(counted.items()):
        yield Item("Ends", what, n, "")


def _signals(design: Design) -> Iterable[Item]:
    """Signal cables by what they are, and what they end in."""
    h = design.harness
    cables: dict[str, list[Lead]] = defaultdict(list)
    for lead in h.leads if h else ():
        if not lead.made_of.endswith(("own lead", "own leads")):
            cables[lead.made_of].append(lead)
    for made_of, leads in cables.items():
        known = sum(x.length.n for x in leads if x.length)
        to_measure = sum(x.length is None for x in leads)
        says = f"{made_of}, {len(leads)} lead{'s' if len(leads) > 1 else ''}" + (
            f", {to_measure} still to measure" if to_measure else ""
        )
        if not known:
            yield Item("Signals", says, len(leads), "")
            continue
        yield Item("Signals", says, *_long(known * ALLOWANCE, design.plan.units == "us"))
    outside = sum(
        b.stations[i].terminator in ("none", "")
        for b in (h.buses if h else ())
        if b.line
        for i in b.ended
    )
    if outside:
        yield Item("Signals", "terminator, 120 Ω, for a port that has none", outside, "")
    measured = dict(_measured(design))  # a clip is one of its current transformers
    ends = Counter(
        f"{e.form} for {x.name}"
        for x in design.links
        for e in (x.at_source, x.at_load)
        if e.end == "plug" or (e.end == "clip" and not measured)
    )
    for what, n in (*ends.items(), *measured.items()):
        yield Item("Signals", what, n, "")


def _measured(design: Design) -> Iterable[tuple[str, int]]:
    """The meter and its current transformers at the house's board, of the unit's maker: one for
    each live conductor of the service, and of every PV inverter.
    """
    m = design.metering
    if m is None or not m.wanted:
        return
    if m.meter:
        yield f"{m.meter.maker} {m.meter.model}", 1
    elif not any(x.serves == "CT" for x in design.links):  # else the unit measures
        yield "meter, as the inverter's maker names it", 1
    if m.ct and m.count:
        yield f"{m.ct.maker} {m.ct.model}, {m.ct.says}", m.count
    elif m.count:
        yield "current transformer, as the meter's or inverter's sheet names it", m.count


def _safeguards(design: Design) -> Iterable[Item]:
    """What protects beside breakers and fuses, by the device of the shelf where there is one."""
    if design.network is None:
        return
    counted = Counter(g.device.label if g.device else g.says for g in design.network.guards)
    for what, n in counted.items():
        yield Item("Protection", what, n, "")


def _protection(design: Design) -> Iterable[Item]:
    counted: Counter[str] = Counter()
    fused = {s.letter: s.fuse.n for s in design.strings if s.fuse}
    for p in design.network.places if design.network else ():
        if p.device and p.device.role == "pv-breaker":
            rated = fused.get(p.key[-1], design.plan.book.next_standard(p.amps))
            counted[f"{p.device.label}, {rated:g} A"] += 1
    for s in _new(design):
        if s.protection is None or (s.circuit.own_protection and s.circuit.family != "pv"):
            continue
        if s.circuit.load.body.startswith("pv-combiner"):
            continue  # its breaker there is counted
        poles = s.circuit.lines + (design.plan.book.neutral_opened and "N" in s.circuit.conductors)
        kind = (
            "gPV string fuse and holder"
            if s.circuit.family == "pv"
            else "DC breaker or fuse"
            if s.circuit.system == "dc"
            else f"{poles}-pole breaker"
        )
        counted[f"{kind}, {s.protection.text}"] += 1
    for what, n in sorted(counted.items()):
        yield Item("Protection", what, n, "")


def _ways(design: Design, us: bool) -> Iterable[Item]:
    metres: defaultdict[str, float] = defaultdict(float)
    hubs: Counter[str] = Counter()
    by_id = {s.id: s for s in _new(design)}
    for r in design.raceways:
        rows = [by_id[i] for i in r.circuits if i in by_id]
        if not rows:
            continue
        sets = max(s.sets for s in rows)
        name = f"conduit, {r.conduit.text}"
        metres[name] += max(s.conditions.run.length_m for s in rows) * sets * ALLOWANCE
        hubs[f"conduit hub, {r.conduit.text}"] += 2 * sets
    for s in _new(design):
        if s.cable.cores == "multi":
            total = area_mm2(s.size) * len(s.circuit.conductors)
            hubs[f"gland, {next(g for most, g in GLANDS if total <= most)}"] += 2 * s.sets
    for what, total in sorted(metres.items()):
        yield Item("Ways", what, *_long(total, us))
    for what, n in sorted(hubs.items()):
        yield Item("Ways", what, n, "")


def _fixings(design: Design) -> Iterable[Item]:
    """What every hole of the drill sheets is filled with."""
    held = Counter(
        d.hole.anchor.label for w in design.walls for d in drill_sheet(w) if d.hole.anchor
    )
    for what, n in sorted(held.items()):
        yield Item("Fixings", what, n, "")


SCHEDULE = (
    "number",
    "circuit",
    "from",
    "to",
    "system",
    "current_a",
    "required_a",
    "protection_a",
    "sets",
    "conductor",
    "metal",
    "insulation_c",
    "earth",
    "method",
    "raceway",
    "length_m",
    "drop_pct",
    "permitted_a",
    "binds",
    "label",
    "residual_current",
)


def schedule_row(s: SizedCircuit, plan: Plan) -> tuple[str, ...]:
    """One circuit as texts, in the order of SCHEDULE; last the residual-current devices ahead."""
    c = s.circuit
    return (
        f"C{c.number}",
        c.name,
        f"{c.source.label} {c.source.port}",
        f"{c.load.label} {c.load.port}",
        c.system,
        f"{c.current.n:.2f}",
        f"{s.i_req.n:.2f}",
        f"{s.protection.n:g}" if s.protection else "",
        str(s.sets),
        spoken(s.size),
        s.cable.material,
        str(s.cable.temp_c),
        spoken(str(s.protective.value)),
        s.conditions.run.method,
        s.conditions.run.raceway,
        f"{s.conditions.run.length_m:.2f}",
        f"{s.trial.drop_pct.n:.3f}",
        f"{s.permitted.n:.2f}",
        s.binds,
        s.label_text,
        "; ".join(short(x) for _, x in ahead_of(plan, s)),
    )


def schedule_csv(design: Design) -> str:
    """The circuit schedule as CSV (RFC 4180), in SI units and the book's sizes."""
    return as_csv(SCHEDULE, (schedule_row(s, design.plan) for s in design.circuits))


def as_csv(head: tuple[str, ...], rows: Iterable[tuple[str, ...]]) -> str:
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\r\n")
    writer.writerow(head)
    writer.writerows([inert(cell) for cell in row] for row in rows)
    return out.getvalue()


def inert(cell: str) -> str:
    """A cell that no spreadsheet takes for a formula: texts of ours never start so, a name typed by
    someone may.
    """
    return (
        f"'{cell}"
        if cell.startswith(("=", "+", "-", "@", "\t"))
        and not cell.replace(".", "", 1).lstrip("-").isdigit()
        else cell
    )
