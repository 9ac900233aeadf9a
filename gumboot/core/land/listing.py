"""Every termination of a job: conductor ends, earths, factory terminations, bars, signal ends, what
is proven dead, covers.

All of it is derived from circuits, links and catalogue; nobody types it.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass, field
from functools import lru_cache

from gumboot.core.basis.figure import COMMON_PRACTICE, Figure, given, solve
from gumboot.core.basis.units import NM_INLB
from gumboot.core.basis.words import inside, listed
from gumboot.core.codes import OutsideTable, screws
from gumboot.core.kit import Catalogue, ConductorType, Inverter
from gumboot.core.kit.terminal import Conductor, FactoryTermination, Recheck, Socket, Terminal
from gumboot.core.land.order import in_order, school_of, unit_order
from gumboot.core.land.termination import STAGES, Kind, Method, Termination
from gumboot.core.network import Body, End, Isolation, Network, SignalCable, isolate
from gumboot.core.plan import Plan
from gumboot.core.size.conductors import SizedCircuit

STACK = (
    "lug",
    "flat washer",
    "spring washer",
    "nut or bolt",
)  # common practice, where the maker is silent
OF_THE_ISLAND = ("loads", "backup-combiner")  # their safeguards are made off with backup
WEDGE_MM = 2.0  # copper that shows between barrel and insulation: common practice


@dataclass
class Sheet:
    """What the listing needs at hand, and the screws of earth bars counted as they fill."""

    plan: Plan
    inverter: Inverter
    catalogue: Catalogue
    bodies: dict[str, Body]
    isolate: dict[str, Isolation]
    waits: dict[str, float] = field(default_factory=dict)
    screws: dict[str, int] = field(default_factory=dict)
    _opened: dict[str, tuple[str, ...]] = field(default_factory=dict)

    def opened(self, body: str) -> tuple[str, ...]:
        """What is open and locked before a hand goes into a body."""
        if body not in self._opened:
            rows = self.isolate[body].opened if body in self.isolate else ()
            self._opened[body] = tuple(s.says for s in rows)
        return self._opened[body]

    def live(self, body: str, node: str = "") -> tuple[str, ...]:
        """What stays live in a body all the same; of one node of it, where that is given."""
        if body not in self.isolate:
            return ()
        return tuple(
            f"{x.at}, from {listed([inside(s.name) for s in x.sources])}: {x.why}"
            for x in self.isolate[body].stays
            if node in ("", x.node)
        )


def list_terminations(
    sized: Iterable[SizedCircuit],
    network: Network,
    catalogue: Catalogue,
    plan: Plan,
    inverter: Inverter,
    electrode: Figure | None = None,
) -> tuple[Termination, ...]:
    """Every termination in landing order, numbered from 1. electrode: the conductor to earth
    electrode or bonding, where its size is known.
    """
    rows = [s for s in sized if not s.conditions.run.there or s.circuit.family == "pv"]
    boxes = sorted(network.bodies, key=lambda b: b.role != "inverter")
    isolate_ = {b.id: isolate(network, b.id) for b in boxes}
    waits = {c.body: c.wait_min for c in network.capacitors}
    sheet = Sheet(plan, inverter, catalogue, {b.id: b for b in boxes}, isolate_, waits)
    touched = {e.body for s in rows for e in (s.circuit.source, s.circuit.load)}
    out: list[Termination] = []
    out += (dead(b, sheet) for b in boxes if b.id in touched)
    out += (termination for b in boxes for termination in terminations(b, sheet))
    out += (
        t
        for _, families in STAGES
        for s in rows
        if s.circuit.family in families
        for t in make_off(s, "Protective earth", sheet)
    )
    out += main_earth(rows, electrode, sheet) if electrode else ()
    for stage, families in STAGES:
        out += (
            t
            for family in families
            for s in rows
            if s.circuit.family == family
            for t in make_off(s, stage, sheet)
        )
    out += (t for x in network.links for t in signal(x, sheet))
    out += (close(b, sheet) for b in boxes if b.id in touched and b.role != "array")
    units = unit_order((s.circuit.source.body, s.circuit.load.body) for s in rows)
    return in_order(out, school_of(plan.landing, inverter), units)


def dead(b: Body, sheet: Sheet) -> Termination:
    """Before anything: isolated, locked, and proven dead with a proved tester; or made safe where
    it cannot be dead.
    """
    stays = sheet.live(b.id)
    minutes = sheet.waits.get(b.id)
    wait = f"capacitors discharged {minutes:g} min, then " if minutes else ""
    says = f"{wait}proved tester: every pole to every other and to earth"
    if b.role == "array":
        says = "connectors apart and capped: modules are live in light"
    elif b.role == "pack":
        says = "own breaker off, posts covered: cells cannot be switched off"
    return Termination(
        key=f"dead@{b.id}",
        kind="dead",
        stage="Proven dead",
        body=b.id,
        place=b.label,
        terminal=says,
        method="dead",
        label="",
        source=COMMON_PRACTICE,
        isolate=sheet.opened(b.id),
        live=stays,
    )


def terminations(b: Body, sheet: Sheet) -> Iterator[Termination]:
    """Factory terminations, and bars that the crew bolts."""
    kinds: tuple[tuple[Kind, str, Method, tuple[FactoryTermination, ...]], ...] = (
        ("factory", "Factory terminations", "as made", b.factory_terminations),
        ("bar", "Bars and links", "bar", b.bars),
        ("bar", "Backup" if b.role in OF_THE_ISLAND else "Grid", "bar", b.guards),
    )
    for at, stage, method, rows in kinds:
        for j in rows:
            torque = given("M", j.torque_nm, "N·m", "Rated torque", "maker's plate")
            recheck: Recheck = "torque" if at == "bar" else "look"
            yield Termination(
                key=f"{at}.{j.id}@{b.id}",
                kind=at,
                stage=stage,
                body=b.id,
                place=b.label,
                terminal=j.label,
                method=method,
                label="",
                source="maker's plate",
                bit=j.bit,
                torque=torque,
                isolate=sheet.opened(b.id),
                recheck=recheck,
            )


def close(b: Body, sheet: Sheet) -> Termination:
    """The cover, last of all."""
    c = b.cover
    torque = given("M", c.torque_nm, "N·m", "Rated torque", "maker's plate") if c else None
    return Termination(
        key=f"cover@{b.id}",
        kind="cover",
        stage="Covers",
        body=b.id,
        place=b.label,
        terminal=c.label if c else "cover or dead front, all its screws",
        method="cover",
        label="",
        source="maker's plate" if c else COMMON_PRACTICE,
        bit=c.bit if c else "",
        torque=torque,
    )


def make_off(s: SizedCircuit, stage: str, sheet: Sheet) -> Iterator[Termination]:
    """Both ends of one circuit's conductors: its earth for the earth stage, else the live ones;
    first the end that cannot be live. Of a string's cable that is there already the end at its
    unit, which is new to it.
    """
    c = s.circuit
    earth = stage == "Protective earth"
    ends = ((c.load, c.source), (c.source, c.load))
    for here, far in ends[:1] if s.conditions.run.there else ends:
        for conductor in c.conductors:
            if (conductor == "PE") == earth:
                yield from (
                    one_end(s, stage, conductor, n, here, far, sheet) for n in range(1, s.sets + 1)
                )


def one_end(
    s: SizedCircuit,
    stage: str,
    conductor: Conductor,
    of_set: int,
    here: End,
    far: End,
    sheet: Sheet,
) -> Termination:
    """One end of one conductor."""
    c, t, plan = s.circuit, here.terminal(conductor), sheet.plan
    earth = conductor == "PE"
    size = str(s.protective.value) if earth else s.size
    cable = cable_of(s, conductor, plan, sheet.catalogue)
    method: Method = (
        "ferrule" if t.end == "bare" and cable.strands == "fine" else t.end
    )  # loose fine strands creep out from under a screw
    mark = f" set {of_set}" if s.sets > 1 else ""
    terminal = f"{t.label}{mark}"
    pad = f"{here.port}/{t.id}"
    if earth:
        sheet.screws[here.body] = sheet.screws.get(here.body, 0) + 1
        terminal = f"{t.label}, screw {sheet.screws[here.body]}" if method != "lug" else t.label
        pad = f"PE/{sheet.screws[here.body]}"
    lug = sheet.catalogue.lugs.get(size) if method == "lug" else None
    ferrule = sheet.catalogue.ferrules.get(size) if method == "ferrule" else None
    strip = strip_length(t, method, size, sheet.catalogue)
    sleeve = (
        max((x for x in ferrule.sleeves_mm if strip is None or x <= strip), default=None)
        if ferrule
        else None
    )
    return Termination(
        key=f"{c.id}.{conductor}{of_set if of_set > 1 else ''}@{here.body}",
        kind="conductor",
        stage=stage,
        circuit=c.id,
        body=here.body,
        place=here.label,
        port=here.port,
        pad=pad,
        terminal=terminal,
        conductor=conductor,
        size=size,
        cable=cable.label,
        strands=cable.strands,
        temp_c=cable.temp_c,
        far=f"{far.label}, {far.terminal(conductor).label}",
        method=method,
        stud=t.stud if method == "lug" else "",
        hardware=(t.hardware or STACK) if method == "lug" else (),
        tool=lug.tool if lug else ferrule.tool if ferrule else "",
        die=lug.die if lug else ferrule.die if ferrule else "",
        sleeve_mm=sleeve,
        strip_mm=strip,
        bit=t.bit,
        torque=rated_torque(t, size),
        label=f"C{c.number} {here.label.upper()} {here.port} {conductor}{mark}",
        source=t.source,
        ferrite=t.ferrite,
        isolate=sheet.opened(here.body),
        live=() if earth else sheet.live(here.body, here.node),
        recheck=recheck_of(t, method, plan),
    )


def main_earth(
    rows: Sequence[SizedCircuit], electrode: Figure, sheet: Sheet
) -> Iterator[Termination]:
    """Both ends of the conductor to the earth electrode, or of the main bonding: at the board where
    the job's earths come together, and at its clamp.

    It is there before most jobs, so it is looked at and torqued as a factory termination is; off
    grid the crew makes it.
    """
    plan, size = sheet.plan, str(electrode.value)
    ends = [e for s in rows for e in (s.circuit.source, s.circuit.load)]
    at = next((e for b in ("main-panel", "loads-panel") for e in ends if e.body == b), None)
    clamp = sheet.catalogue.device("electrode", 0, book=plan.code)
    if at is None or clamp is None:
        return
    short = plan.book.earth_label
    new = plan.supply.kind == "off-grid"
    for key, t, where in (
        (at.body, at.terminal("PE"), at.terminal("PE").label),
        ("electrode", clamp.terminals[0], clamp.label),
    ):
        yield Termination(
            key=f"electrode.PE@{key}",
            kind="bar" if new else "factory",
            stage="Protective earth",
            body=at.body,
            place=at.label,
            terminal=f"{electrode.name[0].lower()}{electrode.name[1:]}: {where}",
            method="bar" if new else "as made",
            label=f"{short} {at.label.upper()} {key}",
            source=t.source,
            conductor="PE",
            size=size,
            cable=f"copper, {electrode.source}",
            bit=t.bit,
            torque=rated_torque(t, size),
            isolate=sheet.opened(at.body),
            recheck="look",
        )


def recheck_of(t: Terminal, method: Method, plan: Plan) -> Recheck:
    """What is done a day later. The maker's word decides; else the crew's; else torque on bolted
    lugs, the witness mark on screws.
    """
    if method in ("pv-connector", "spring"):
        return "none"
    if t.recheck:
        return t.recheck
    if plan.recheck != "by kind":
        return plan.recheck
    return "torque" if method == "lug" else "look"


def signal(x: SignalCable, sheet: Sheet) -> Iterator[Termination]:
    """Both ends of a link: a plug or clip each, or one clamp for each pole."""
    for body, far, socket in ((x.load, x.source, x.at_load), (x.source, x.load, x.at_source)):
        if body in sheet.bodies:
            yield from (
                pole(x, body, far, socket, n, p, sheet) for n, p in enumerate(socket.poles, 1)
            )


def pole(
    x: SignalCable, body: str, far: str, socket: Socket, n: int, name: str, sheet: Sheet
) -> Termination:
    """One signal end."""
    b, other = sheet.bodies[body], sheet.bodies.get(far)
    torque = (
        given("M", socket.torque_nm, "N·m", "Rated torque", socket.source)
        if socket.torque_nm
        else None
    )
    whole = socket.end == "plug"
    label = f"{x.name.upper()} {b.label.upper()} {socket.label}{'' if whole else f' {name}'}"
    return Termination(
        key=f"{x.id}.{n}@{body}" if not whole else f"{x.id}@{body}",
        kind="signal",
        stage="Links",
        circuit=x.id,
        body=body,
        place=b.label,
        port="COM",
        pad=f"COM/{x.id}.{n}",
        terminal=socket.label if whole else f"{socket.label}, {name}",
        conductor="signal",
        cable=f"{x.conductors}; {socket.form}",
        far=other.label if other else "",
        method=socket.end,
        strip_mm=socket.strip_mm,
        bit=socket.bit,
        torque=torque,
        label=label,
        source=socket.source,
        isolate=sheet.opened(body),
        recheck="look" if torque else "none",
    )


def rated_torque(t: Terminal, size: str) -> Figure | None:
    """The torque in N·m: the maker's plate, else the book's own table; None for a connector, a
    spring clamp, or where the table has nothing.
    """
    if not t.screwed:
        return None
    if t.torque_nm is not None:
        return given("M", t.torque_nm, "N·m", "Rated torque", t.source)
    try:
        if t.most.endswith("mm²"):
            return screws.iec_60947(t.thread or t.stud, t.bit)
        return _annex_i(size, t.bit, t.thread)
    except OutsideTable:
        return None


@lru_cache(maxsize=512)
def _annex_i(size: str, bit: str, thread: str) -> Figure:
    book = screws.annex_i(size, bit, thread)
    per_nm = given("k", NM_INLB, "in·lb per N·m", "Unit", "SI definition")
    return solve(
        "M_nm",
        "N·m",
        "Rated torque, where the maker gives none",
        "M / k",
        book,
        per_nm,
        source=book.source,
        doubt=book.doubt,
    )


def strip_length(t: Terminal, method: Method, size: str, catalogue: Catalogue) -> float | None:
    """Strip length in mm: the terminal's own, or for a lug its barrel and 2 mm (common
    practice).
    """
    if method == "lug":
        lug = catalogue.lugs.get(size)
        return lug.barrel_mm + WEDGE_MM if lug else None
    return t.strip_mm


def cable_of(
    s: SizedCircuit, conductor: Conductor, plan: Plan, catalogue: Catalogue
) -> ConductorType:
    """The cable that one conductor of a circuit is made of: the circuit's own, or ordinary building
    wire for an earth.
    """
    return (catalogue.conductor("grid", plan.code) or s.cable) if conductor == "PE" else s.cable
