"""Ways of conductors on a wall: orthogonal, round the boxes, with few bends.

A way leaves its entry square, runs along grid lines that keep `STANDOFF_MM` from every box, and
turns at what `TURN_MM` of length is worth.
"""

from __future__ import annotations

import itertools
import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from typing import Literal

from gumboot.core.basis.figure import COMMON_PRACTICE, Figure, given, solve
from gumboot.core.kit.enclosure import CableEntry, Side
from gumboot.core.network import Circuit, SignalCable
from gumboot.core.plan import Plan, Run, Wall
from gumboot.core.wall.bodies import Placed
from gumboot.core.wall.gaps import OPENINGS, rect_of_neighbour
from gumboot.core.wall.grid import Grid
from gumboot.core.wall.rect import Rect, grown

STANDOFF_MM = 25.0  # common practice
STUB_MM = STANDOFF_MM  # so that no line lies between an entry and where its way may turn
TURN_MM = 250.0
LANE_MM = 12.0
TAIL_M = 0.3  # of each end inside its box: common practice
LOOP_M = 0.15  # a service loop at one end: common practice
APART_MM = 200.0  # power from signal, else a divider: common practice
NEAR_POWER = 4.0  # how much longer a signal way may become to keep apart
TAIL = given("L_tail", TAIL_M, "m", "Made off in each box", COMMON_PRACTICE)
LOOP = given("L_loop", LOOP_M, "m", "Service loop", COMMON_PRACTICE)
MOST_BENDS = 4  # 360° between pull points: NEC 342.26 to 358.26, from memory
UPRIGHT = ("top", "bottom")
System = Literal["pv", "dc", "ac", "signal"]
OUT: dict[Side, tuple[float, float]] = {
    "left": (-1.0, 0.0),
    "right": (1.0, 0.0),
    "top": (0.0, 1.0),
    "bottom": (0.0, -1.0),
}


@dataclass(frozen=True, slots=True)
class Want:
    """A way that is needed: for which circuit or link, of which kind, between which entries of
    which boxes.
    """

    id: str
    name: str
    system: System
    source: str
    load: str
    start: tuple[float, float, Side]
    end: tuple[float, float, Side]


@dataclass(frozen=True, slots=True)
class Route:
    """A way as it lies: corners in mm from entry to entry. length: path, make-off at both ends and
    a service loop, m. clear: False where no way leads round the boxes.
    """

    want: Want
    points: tuple[tuple[float, float], ...]
    length: Figure
    clear: bool = True

    @property
    def bends(self) -> int:
        """Corners of 90°."""
        return max(0, len(self.points) - 2)


def entry(
    p: Placed,
    family: str,
    toward: tuple[float, float],
    free: Callable[[Placed, CableEntry], bool] = lambda p, w: True,
) -> tuple[float, float, Side]:
    """Where a family of conductors enters a box: by its sheet, before which nothing stands; else in
    the middle of the side toward the other end.
    """
    mine = [w for w in p.box.enclosure.entries if family in w.takes] or [
        w for w in p.box.enclosure.entries if not w.takes
    ]
    if mine:
        if len(mine) > 1:
            mine = [w for w in mine if free(p, w)] or mine
        w = min(mine, key=lambda w: _off(at_wall(p, w), toward))
        x, y = at_wall(p, w)
        return x, y, w.side
    dx, dy = toward[0] - p.middle, toward[1] - (p.y + p.top) / 2
    if abs(dx) > abs(dy):
        return (p.right, (p.y + p.top) / 2, "right") if dx > 0 else (p.x, (p.y + p.top) / 2, "left")
    return (p.middle, p.top, "top") if dy > 0 else (p.middle, p.y, "bottom")


def free_ways(placed: Sequence[Placed]) -> Callable[[Placed, CableEntry], bool]:
    """Whether nothing stands before an entry, looked at once for each."""
    seen: dict[tuple[str, Side, float], bool] = {}

    def free(p: Placed, w: CableEntry) -> bool:
        key = (p.box.id, w.side, w.at)
        if key not in seen:
            at = stub(*at_wall(p, w), w.side)
            seen[key] = not any(_stands(o, at) for o in placed if o is not p)
        return seen[key]

    return free


def beside(x: float, y: float, side: Side, n: int) -> tuple[float, float, Side]:
    """The n-th way through one entry: in turn to either side of it."""
    shift = LANE_MM * ((n + 1) // 2) * (-1 if n % 2 else 1)
    return (x + shift, y, side) if side in ("top", "bottom") else (x, y + shift, side)


def at_wall(p: Placed, w: CableEntry) -> tuple[float, float]:
    """An entry of a box on the wall."""
    match w.side:
        case "left":
            return p.x, p.y + w.at
        case "right":
            return p.right, p.y + w.at
        case "top":
            return p.x + w.at, p.top
    return p.x + w.at, p.y


def _stands(o: Placed, at: tuple[float, float]) -> bool:
    return (
        o.box.role != "trough"
        and o.x - STANDOFF_MM < at[0] < o.right + STANDOFF_MM
        and o.y - STANDOFF_MM < at[1] < o.top + STANDOFF_MM
    )


def _off(a: tuple[float, float], b: tuple[float, float]) -> float:
    return abs(a[0] - b[0]) + abs(a[1] - b[1])


def wants(
    placed: Sequence[Placed], circuits: Sequence[Circuit], links: Sequence[SignalCable]
) -> list[Want]:
    """Every circuit and link that has both its boxes on this wall."""
    by = {p.box.id: p for p in placed}
    used: dict[tuple[str, float, float], int] = {}
    free = free_ways(placed)
    out = []
    rows: list[tuple[str, str, System, str, str, str]] = [
        (c.id, c.name, c.system, c.family, c.source.body, c.load.body) for c in circuits
    ]
    rows += [(x.id, x.name, "signal", "link", x.source, x.load) for x in links]
    for id, name, system, family, source, load in rows:
        if source == load or source not in by or load not in by:
            continue
        a, b = by[source], by[load]
        ends = []
        for p, other in ((a, b), (b, a)):
            toward = (other.middle, (other.y + other.top) / 2)
            x, y, side = entry(p, family, toward, free)
            n = used[p.box.id, x, y] = used.get((p.box.id, x, y), -1) + 1
            ends.append(beside(x, y, side, n))
        out.append(Want(id, name, system, source, load, ends[0], ends[1]))
    return out


def stub(x: float, y: float, side: Side) -> tuple[float, float]:
    """Where a way that leaves its entry square may first turn."""
    dx, dy = OUT[side]
    return round(x + dx * STUB_MM, 2), round(y + dy * STUB_MM, 2)


def route(wall: Wall, placed: Sequence[Placed], asked: Sequence[Want]) -> tuple[Route, ...]:
    """The least-cost way of each; power first, then signals, which keep away from power where they
    can.
    """
    power = [w for w in asked if w.system != "signal"]
    found = _ways(wall, placed, power, ())
    return (*found, *_ways(wall, placed, [w for w in asked if w.system == "signal"], found))


def _ways(
    wall: Wall, placed: Sequence[Placed], asked: Sequence[Want], power: Sequence[Route]
) -> tuple[Route, ...]:
    if not asked:
        return ()
    stubs = [(stub(*w.start), stub(*w.end)) for w in asked]
    grid = lines(wall, placed, [p for pair in stubs for p in pair], power)
    starts = grid.nodes([a for a, _ in stubs], [w.start[2] in UPRIGHT for w in asked])
    ends = grid.nodes([b for _, b in stubs], [w.end[2] in UPRIGHT for w in asked])
    out = []
    for w, (cost, way) in zip(asked, grid.ways(starts, ends, TURN_MM), strict=True):
        clear = not math.isinf(cost)
        between = way if clear else [(w.end[0], w.start[1])]
        points = corners([w.start[:2], *between, w.end[:2]])
        out.append(Route(w, points, way_length(points), clear))
    return tuple(out)


def lines(
    wall: Wall,
    placed: Sequence[Placed],
    through: Sequence[tuple[float, float]],
    power: Sequence[Route] = (),
) -> Grid:
    """The lines that ways may follow: a standoff from every box and opening, in the middle of
    troughs, and through the points where ways turn first; dearer near power.
    """
    boxes = [p.rect for p in placed if p.box.role != "trough"]
    openings = [rect_of_neighbour(n) for n in wall.neighbours if n.kind in OPENINGS]
    troughs = [p.rect for p in placed if p.box.role == "trough"]
    middles = [((r.left + r.right) / 2, (r.bottom + r.top) / 2) for r in troughs]
    return Grid(
        (wall.width_mm, wall.height_mm),
        [grown(r, STANDOFF_MM) for r in (*boxes, *openings)],
        [*through, *middles],
        [
            grown(
                Rect(min(a[0], b[0]), min(a[1], b[1]), max(a[0], b[0]), max(a[1], b[1])), APART_MM
            )
            for r in power
            for a, b in itertools.pairwise(r.points)
        ],
        NEAR_POWER,
    )


def corners(points: Sequence[tuple[float, float]]) -> tuple[tuple[float, float], ...]:
    """A path by its ends and corners alone."""
    out: list[tuple[float, float]] = []
    for p in points:
        if out and _off(out[-1], p) < 0.01:
            continue
        if len(out) > 1 and (_straight(out[-2], out[-1], p)):
            out[-1] = p
        else:
            out.append(p)
    return tuple((round(x, 1), round(y, 1)) for x, y in out)


def _straight(a: tuple[float, float], b: tuple[float, float], c: tuple[float, float]) -> bool:
    return (abs(a[0] - b[0]) < 0.01 and abs(b[0] - c[0]) < 0.01) or (
        abs(a[1] - b[1]) < 0.01 and abs(b[1] - c[1]) < 0.01
    )


def way_length(points: Sequence[tuple[float, float]]) -> Figure:
    """Length of the conductors of a way in m: on the wall, in both boxes, and a service loop."""
    metres = sum(_off(a, b) for a, b in itertools.pairwise(points)) / 1000
    path = given("L_wall", round(metres, 3), "m", "On the wall, along its way", "Wall")
    return solve(
        "L",
        "m",
        "Length of each conductor, one way",
        "L_wall + 2 * L_tail + L_loop",
        path,
        TAIL,
        LOOP,
        source="Wall",
    )


def beside_power(routes: Sequence[Route]) -> dict[str, float]:
    """mm that each signal way lies beside power nearer than `APART_MM`; crossings do not count."""
    out: dict[str, float] = {}
    power = [_pieces(r) for r in routes if r.want.system != "signal"]
    for r in routes:
        if r.want.system == "signal":
            total = sum(_beside(piece, pieces) for piece in _pieces(r) for pieces in power)
            if total > 0:
                out[r.want.id] = total
    return out


Piece = tuple[bool, float, float, float]  # level or not, how high (or far), from, to


def _pieces(r: Route) -> list[Piece]:
    return [
        (True, a[1], min(a[0], b[0]), max(a[0], b[0]))
        if abs(a[1] - b[1]) < 0.01
        else (False, a[0], min(a[1], b[1]), max(a[1], b[1]))
        for a, b in itertools.pairwise(r.points)
    ]


def _beside(piece: Piece, power: Sequence[Piece]) -> float:
    level, at, low, high = piece
    return max(
        (
            min(high, to) - max(low, start)
            for same, there, start, to in power
            if same == level and abs(there - at) < APART_MM - 0.5 and start < high and to > low
        ),
        default=0.0,
    )


def with_runs(
    circuits: Sequence[Circuit], routes: dict[str, Route], plan: Plan
) -> tuple[Circuit, ...]:
    """The circuits with their runs: a circuit's own, else its family's, as long as its way.

    What the brief says of a family gives way to the wall; a run that the crew measured for one
    circuit of several keeps its length.
    """
    strings = {f"pv-{s.letter}": s.run for s in plan.strings}

    def run(c: Circuit) -> Run | None:
        planned = strings.get(c.id) or plan.runs.get(c.id) or plan.runs.get(c.family)
        measured = c.id in plan.runs and c.id != c.family
        if c.id not in routes or planned is None or measured:
            return planned
        return planned.model_copy(update={"length_m": round(routes[c.id].length.n, 3)})

    def placed(c: Circuit) -> Circuit:
        r = run(c)
        own = r.ambient_c if r and r.ambient_c is not None else c.ambient_c
        return replace(c, run=r, ambient_c=own)

    return tuple(placed(c) for c in circuits)
