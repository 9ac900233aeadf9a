"""A wall as it will be: scene, ways, holes and lifts of every wall of a plan, and what is found
wrong with them.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

from gumboot.core.basis.figure import COMMON_PRACTICE
from gumboot.core.basis.finding import Asked, Change, Cure, Finding, check, duty, stop
from gumboot.core.basis.words import inside
from gumboot.core.kit import Catalogue
from gumboot.core.kit.enclosure import Side
from gumboot.core.network import Circuit, SignalCable
from gumboot.core.plan import Plan, Wall
from gumboot.core.size.raceways import Raceway
from gumboot.core.wall.bodies import Box, Placed, spots
from gumboot.core.wall.fixing import Fixing, Hole, fixing_findings, hold, rail_screws
from gumboot.core.wall.gaps import gaps
from gumboot.core.wall.lifting import Lift, lifts_of
from gumboot.core.wall.rect import Rect
from gumboot.core.wall.routes import APART_MM, MOST_BENDS, OUT, Route, beside_power, route, wants
from gumboot.core.wall.rules import Scene, judge

SWEEP_IN: dict[str, float] = {
    "1/2": 4,
    "3/4": 4.5,
    "1": 5.75,
    "1-1/4": 7.25,
    "1-1/2": 8.25,
    "2": 9.5,
    "2-1/2": 10.5,
    "3": 13,
    "3-1/2": 15,
    "4": 16,
}  # NEC Chapter 9 Table 2, one shot and full shoe benders, from memory
SWEEP_TIMES = 4.0  # radius of a bend over the outer diameter of metric conduit: common practice
BESIDE_MM = 600.0  # this far it is borne: common practice
STRAIGHT_MM = 50.0  # before a bend, for the connector: common practice


@dataclass(frozen=True, slots=True)
class WallDesign:
    """One wall with all that follows from where things stand on it."""

    scene: Scene
    routes: tuple[Route, ...]
    fixings: tuple[Fixing, ...]
    rails: tuple[Hole, ...]
    lifts: tuple[Lift, ...]


def hang(
    plan: Plan,
    every: Sequence[Box],
    circuits: Sequence[Circuit],
    links: Sequence[SignalCable],
    catalogue: Catalogue,
    before: Sequence[WallDesign] = (),
    only: int | None = None,
) -> tuple[WallDesign, ...]:
    """Every wall of a plan, or only one. before: the walls as they were; what hangs where it hung
    is taken over from them.
    """
    was = {w.scene.wall.id: w for w in before}
    return tuple(
        _hang(Scene(plan, i, w, spots(w.placed, every)), circuits, links, catalogue, was.get(w.id))
        for i, w in enumerate(plan.walls)
        if only in (None, i)
    )


def _hang(
    s: Scene,
    circuits: Sequence[Circuit],
    links: Sequence[SignalCable],
    catalogue: Catalogue,
    was: WallDesign | None,
) -> WallDesign:
    same = was is not None and bare(was.scene.wall) == bare(s.wall)
    old = was if same else None
    there = {p.box.id: p for p in old.scene.placed} if old else {}
    held = {h.box: h for h in old.fixings} if old else {}
    lifted = {p: [x for x in old.lifts if x.box == p] for p in there} if old else {}
    new = [p for p in s.placed if not p.box.there]
    stays = {p.box.id for p in new if p == there.get(p.box.id)}
    return WallDesign(
        s,
        route(s.wall, s.placed, wants(s.placed, circuits, links)),
        tuple(
            held[p.box.id] if p.box.id in stays else hold(p, s.wall, catalogue)
            for p in new
            if p.box.role != "trough" or p.box.enclosure.holes
        ),
        old.rails if old else rail_screws(s.wall, catalogue),
        tuple(
            x for p in new for x in (lifted[p.box.id] if p.box.id in stays else lifts_of(p, s.wall))
        ),
    )


def bare(wall: Wall) -> tuple[object, ...]:
    """All of a wall but where boxes hang on it."""
    return tuple(v for k, v in wall.__dict__.items() if k != "placed")


def wall_findings(
    walls: Sequence[WallDesign],
    every: Sequence[Box],
    raceways: Sequence[Raceway],
    catalogue: Catalogue,
) -> list[Finding]:
    """What is wrong on the walls; what has no place yet."""
    found = [
        f
        for w in walls
        for part in (
            judge(w.scene),
            fixing_findings(w.scene, w.fixings, catalogue),
            _ways(w, raceways),
            _lifts(w),
        )
        for f in part
    ]
    placed = {p.box.id for w in walls for p in w.scene.placed}
    waiting = [b.label for b in every if b.id not in placed and not b.there]
    if walls and waiting:
        found.append(
            check(
                "wall.unplaced",
                "walls",
                f"No place yet for {', '.join(waiting)}.",
                "plan",
                Cure("Put each on a wall, or have the wall arranged"),
            )
        )
    strange = [(w, k) for w in walls for k in w.scene.wall.placed if k not in {b.id for b in every}]
    for w, k in strange:
        found.append(
            check(
                f"wall.strange.{k}",
                w.scene.place,
                f"Wall {w.scene.wall.id} has a place for “{k}”, which this kit does not have.",
                "plan",
                Cure("Forget it", (Change(f"{w.scene.path(k)}", None),)),
            )
        )
    return found


@dataclass(frozen=True, slots=True)
class Sweep:
    """The room that a bend of conduit wants before an entry: which conduit, where it enters, how
    far out.
    """

    box: str
    conduit: str
    x: float
    y: float
    side: Side
    wanted: float

    @property
    def rect(self) -> Rect:
        """That room on the wall, as wide as a common connector."""
        dx, dy = OUT[self.side]
        x, y = self.x + dx * self.wanted, self.y + dy * self.wanted
        half = 30.0
        return Rect(
            min(self.x, x) - half * (dx == 0),
            min(self.y, y) - half * (dy == 0),
            max(self.x, x) + half * (dx == 0),
            max(self.y, y) + half * (dy == 0),
        )


def sweeps(w: WallDesign, raceways: Sequence[Raceway]) -> tuple[Sweep, ...]:
    """Every conduit that turns, at both its ends."""
    conduit = {c: str(r.conduit.value) for r in raceways for c in r.circuits}
    turning = [r for r in w.routes if r.want.id in conduit and r.clear and r.bends]
    return tuple(
        Sweep(box, conduit[r.want.id], x, y, side, sweep_mm(conduit[r.want.id]))
        for r in turning
        for box, (x, y, side) in ((r.want.source, r.want.start), (r.want.load, r.want.end))
    )


def _ways(w: WallDesign, raceways: Sequence[Raceway]) -> Iterator[Finding]:
    """Bends of a pull, room for a sweep, signals beside power, ways that find none."""
    s = w.scene
    conduit = {c: str(r.conduit.value) for r in raceways for c in r.circuits}
    by = {p.box.id: p for p in s.placed}
    names = {
        r.want.id: f"{by[r.want.source].box.label} to {inside(by[r.want.load].box.label)}"
        for r in w.routes
    }
    rule = s.plan.book.clauses["bends"]
    tight: list[str] = []
    for r in w.routes:
        if not r.clear:
            yield check(
                s.key("way", r.want.id),
                s.place,
                f"No route leads round the boxes from {names[r.want.id]}: they stand too close"
                " for it.",
                COMMON_PRACTICE,
                Cure("Make room between them, or enter from another side"),
            )
        if r.want.id not in conduit:
            continue
        if r.bends > MOST_BENDS:
            yield stop(
                s.key("bends", r.want.id),
                s.place,
                f"The conduit of {names[r.want.id]} turns {r.bends} times, {90 * r.bends}°; 360° is"
                " the most between pull points.",
                rule,
                Cure("Put a conduit body or pull box on its way, or move the boxes"),
            )
    for sweep in sweeps(w, raceways):
        room = _room(s, by[sweep.box], sweep.x, sweep.y, sweep.side)
        if room < sweep.wanted - 0.5:
            tight.append(
                f"{sweep.conduit} at {inside(by[sweep.box].box.label)} needs {s.mm(sweep.wanted)},"
                f" {s.mm(room)} are left"
            )
    if tight:
        rule = s.plan.book.clauses["sweep"]
        yield check(
            s.key("sweep"),
            s.place,
            f"Bends of conduit need more room: {'; '.join(dict.fromkeys(tight))}.",
            rule,
            Cure("Leave more room there, or use conduit bodies with a short turn"),
        )
    near = {k: mm for k, mm in beside_power(w.routes).items() if mm > BESIDE_MM}
    if near:
        which = "; ".join(
            f"{r.want.name}, {inside(names[r.want.id])}, for {s.mm(near[r.want.id])}"
            for r in w.routes
            if r.want.id in near
        )
        yield check(
            s.key("apart"),
            s.place,
            f"Signal cables lie nearer than {s.mm(APART_MM)} beside power: {which}.",
            COMMON_PRACTICE,
            Cure("Route them another way, or with a divider or a screen between"),
        )


def sweep_mm(conduit: str) -> float:
    """The room that a 90° bend of a conduit takes: its radius and a straight end, in mm."""
    size = conduit.split(" ")[0]
    if size in SWEEP_IN:
        return SWEEP_IN[size] * 25.4 + STRAIGHT_MM
    return SWEEP_TIMES * float(size) + STRAIGHT_MM


def _room(s: Scene, p: Placed, x: float, y: float, side: Side) -> float:
    """Free length in mm before an entry: to the next box, the floor, or the edge of the wall."""
    edge = {"left": x, "right": s.wall.width_mm - x, "top": s.wall.height_mm - y, "bottom": y}[side]
    for o in s.placed:
        if o is p or o.box.role == "trough":
            continue
        r = o.rect
        across = (
            (r.left - 20 < x < r.right + 20)
            if side in ("top", "bottom")
            else (r.bottom - 20 < y < r.top + 20)
        )
        gap = gaps(p.rect, r)[side]
        if across and gap >= 0:
            edge = min(edge, gap)
    return edge


def _lifts(w: WallDesign) -> Iterator[Finding]:
    """Who and what is needed on the day, in one sentence a wall."""
    s = w.scene
    labels = {p.box.id: p.box.label for p in s.placed}
    for people, who in (("lift table", "a lift table or hoist"), ("two", "two people")):
        some = [x for x in w.lifts if x.people == people]
        if some:
            what = ", ".join(
                f"{labels[x.box]}{'' if x.what == labels[x.box] else ' ' + x.what} {x.mass_kg:g} kg"
                for x in some
            )
            yield duty(
                s.key("lifts", people.replace(" ", "-")),
                s.place,
                f"Lifts that need {who}, there on the day: {what}.",
                "NIOSH 94-110; sheets",
                Asked("Wall"),
                figures=tuple(x.index for x in some),
            )
