"""Ways of conductors on a wall: orthogonal, round the boxes, with few bends. Shortest paths on the
grid of all edges (Dijkstra, by scipy).

A way leaves its entry square, runs along grid lines that keep `STANDOFF_MM` from every box, and
turns at what `TURN_MM` of length is worth.
"""

from __future__ import annotations

import itertools
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from typing import Literal

import numpy as np
from numpy.typing import NDArray
from scipy.sparse import csr_matrix
from scipy.sparse.csgraph import dijkstra

from gumboot.core.basis.figure import COMMON_PRACTICE, Figure, given, solve
from gumboot.core.kit.enclosure import Side, Way
from gumboot.core.network import Circuit, SignalCable
from gumboot.core.plan import Plan, Run, Wall
from gumboot.core.wall.bodies import Placed
from gumboot.core.wall.gaps import OPENINGS, Rect, rect_of, rect_of_neighbour

STANDOFF_MM = 25.0  # common practice
STUB_MM = STANDOFF_MM  # so that no line lies between an entry and where its way may turn
TURN_MM = 250.0
LANE_MM = 12.0
TAIL_M = 0.3  # of each end inside its box: common practice
LOOP_M = 0.15  # a service loop at one end: common practice
APART_MM = 200.0  # power from signal, else a divider: common practice
NEAR_POWER = 4.0  # how much longer a signal way may become to keep apart
System = Literal["pv", "dc", "ac", "signal"]
OUT: dict[Side, tuple[float, float]] = {
    "left": (-1.0, 0.0),
    "right": (1.0, 0.0),
    "top": (0.0, 1.0),
    "bottom": (0.0, -1.0),
}


@dataclass(frozen=True, slots=True)
class Want:
    """A way that is wanted: for which circuit or link, of which kind, between which entries of
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
    free: Callable[[Placed, Way], bool] = lambda p, w: True,
) -> tuple[float, float, Side]:
    """Where a family of conductors enters a box: by its sheet, before which nothing stands; else in
    the middle of the side toward the other end.
    """
    mine = [w for w in p.box.case.ways if family in w.takes] or [
        w for w in p.box.case.ways if not w.takes
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


def free_ways(placed: Sequence[Placed]) -> Callable[[Placed, Way], bool]:
    """Whether nothing stands before an entry, looked at once for each."""
    seen: dict[tuple[str, Side, float], bool] = {}

    def free(p: Placed, w: Way) -> bool:
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


def at_wall(p: Placed, w: Way) -> tuple[float, float]:
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


class Grid:
    """All lines that a way may follow on one wall, as a graph: a node is a crossing and whether one
    runs along or up.
    """

    def __init__(
        self,
        wall: Wall,
        placed: Sequence[Placed],
        through: Sequence[tuple[float, float]],
        power: Sequence[Route] = (),
    ) -> None:
        solid = [
            Rect(
                r.left - STANDOFF_MM,
                r.bottom - STANDOFF_MM,
                r.right + STANDOFF_MM,
                r.top + STANDOFF_MM,
            )
            for r in [rect_of(p) for p in placed if p.box.role != "trough"]
        ]
        solid += [
            Rect(
                r.left - STANDOFF_MM,
                r.bottom - STANDOFF_MM,
                r.right + STANDOFF_MM,
                r.top + STANDOFF_MM,
            )
            for n in wall.neighbours
            if n.kind in OPENINGS
            for r in [rect_of_neighbour(n)]
        ]
        troughs = [rect_of(p) for p in placed if p.box.role == "trough"]
        lines = [(r.left, r.right, r.bottom, r.top) for r in solid] + [
            (
                (r.left + r.right) / 2,
                (r.left + r.right) / 2,
                (r.bottom + r.top) / 2,
                (r.bottom + r.top) / 2,
            )
            for r in troughs
        ]
        self.xs = _within(
            [x for a, b, _, _ in lines for x in (a, b)] + [p[0] for p in through], wall.width_mm
        )
        self.ys = _within(
            [y for _, _, a, b in lines for y in (a, b)] + [p[1] for p in through], wall.height_mm
        )
        self.at_x, self.at_y = self.xs.tolist(), self.ys.tolist()
        nx, ny = len(self.xs), len(self.ys)
        self.shape = (nx, ny)
        box = np.array(solid).reshape(-1, 4)
        mx, my = (self.xs[1:] + self.xs[:-1]) / 2, (self.ys[1:] + self.ys[:-1]) / 2
        along = ~_inside(mx[:, None], self.ys[None, :], box)  # (nx - 1, ny)
        up = ~_inside(self.xs[:, None], my[None, :], box)  # (nx, ny - 1)
        cost_along = np.broadcast_to(np.diff(self.xs)[:, None], along.shape) * _dear(
            mx[:, None], self.ys[None, :], power
        )
        cost_up = np.broadcast_to(np.diff(self.ys)[None, :], up.shape) * _dear(
            self.xs[:, None], my[None, :], power
        )
        node = np.arange(nx * ny).reshape(nx, ny)
        n = nx * ny
        rows = [node[:-1][along], node[:, :-1][up] + n, node.ravel()]
        cols = [node[1:][along], node[:, 1:][up] + n, node.ravel() + n]
        data = [cost_along[along], cost_up[up], np.full(n, TURN_MM)]
        a, b, cost = np.concatenate(rows), np.concatenate(cols), np.concatenate(data)
        ends = (
            np.concatenate((a, b)),
            np.concatenate((b, a)),
        )  # both ways, which scipy searches far faster than an undirected graph
        self.graph: csr_matrix = csr_matrix(
            (np.concatenate((cost, cost)), ends), shape=(2 * n, 2 * n)
        )

    def node(self, x: float, y: float, upright: bool) -> int:
        """The node at a point that is on the grid."""
        i, j = int(np.abs(self.xs - x).argmin()), int(np.abs(self.ys - y).argmin())
        return i * self.shape[1] + j + (self.shape[0] * self.shape[1] if upright else 0)

    def point(self, node: int) -> tuple[float, float]:
        """The place of a node."""
        i, j = divmod(node % (self.shape[0] * self.shape[1]), self.shape[1])
        return self.at_x[i], self.at_y[j]


def _within(values: Sequence[float], most: float) -> NDArray[np.float64]:
    return np.unique(np.round([v for v in values if -0.01 <= v <= most + 0.01] or [0.0], 2))


def _inside(
    x: NDArray[np.float64], y: NDArray[np.float64], box: NDArray[np.float64]
) -> NDArray[np.bool_]:
    if not len(box):
        return np.zeros(np.broadcast_shapes(x.shape, y.shape), bool)
    left, bottom, right, top = (box[:, k][:, None, None] for k in range(4))
    return np.asarray(
        ((x > left + 0.01) & (x < right - 0.01) & (y > bottom + 0.01) & (y < top - 0.01)).any(
            axis=0
        )
    )


def _dear(
    x: NDArray[np.float64], y: NDArray[np.float64], power: Sequence[Route]
) -> NDArray[np.float64]:
    """What a mm costs there: more within reach of a power way."""
    out = np.ones(np.broadcast_shapes(x.shape, y.shape))
    for r in power:
        for (x0, y0), (x1, y1) in zip(r.points, r.points[1:], strict=False):
            near = (
                (x > min(x0, x1) - APART_MM)
                & (x < max(x0, x1) + APART_MM)
                & (y > min(y0, y1) - APART_MM)
                & (y < max(y0, y1) + APART_MM)
            )
            out = np.where(near, NEAR_POWER, out)
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
    grid = Grid(wall, placed, [p for pair in stubs for p in pair], power)
    starts = [
        grid.node(*a, w.start[2] in ("top", "bottom"))
        for (a, _), w in zip(stubs, asked, strict=True)
    ]
    every = sorted(set(starts))
    cost, before = dijkstra(grid.graph, directed=True, indices=every, return_predecessors=True)
    out = []
    for w, (_, b), s in zip(asked, stubs, starts, strict=True):
        row = every.index(s)
        e = grid.node(*b, w.end[2] in ("top", "bottom"))
        if np.isfinite(cost[row, e]):
            nodes, row_before = [e], before[row]
            while nodes[-1] != s:
                nodes.append(int(row_before[nodes[-1]]))
            points = [w.start[:2], *(grid.point(n) for n in reversed(nodes)), w.end[:2]]
        else:
            points = [w.start[:2], (w.end[0], w.start[1]), w.end[:2]]
        way = corners(points)
        out.append(Route(w, way, way_length(w, way), clear=bool(np.isfinite(cost[row, e]))))
    return tuple(out)


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


def way_length(w: Want, points: Sequence[tuple[float, float]]) -> Figure:
    """Length of the conductors of a way in m: on the wall, in both boxes, and a service loop."""
    metres = sum(_off(a, b) for a, b in itertools.pairwise(points)) / 1000
    path = given("L_wall", round(metres, 3), "m", "On the wall, along its way", "Wall")
    tail = given("L_tail", TAIL_M, "m", "Made off in each box", COMMON_PRACTICE)
    loop = given("L_loop", LOOP_M, "m", "Service loop", COMMON_PRACTICE)
    return solve(
        "L",
        "m",
        "Length of each conductor, one way",
        "L_wall + 2 * L_tail + L_loop",
        path,
        tail,
        loop,
        source="Wall",
    )


def beside_power(routes: Sequence[Route]) -> dict[str, float]:
    """mm that each signal way lies beside power nearer than `APART_MM`; crossings do not count."""
    out: dict[str, float] = {}
    power = [r for r in routes if r.want.system != "signal"]
    for r in routes:
        if r.want.system == "signal":
            total = sum(
                _beside(a, b, p)
                for a, b in zip(r.points, r.points[1:], strict=False)
                for p in power
            )
            if total > 0:
                out[r.want.id] = total
    return out


def _beside(a: tuple[float, float], b: tuple[float, float], power: Route) -> float:
    most = 0.0
    along = 0 if abs(a[1] - b[1]) < 0.01 else 1
    for c, d in zip(power.points, power.points[1:], strict=False):
        same = (abs(c[1] - d[1]) < 0.01) == (along == 0)
        if same and abs(a[1 - along] - c[1 - along]) < APART_MM - 0.5:
            both = min(max(a[along], b[along]), max(c[along], d[along])) - max(
                min(a[along], b[along]), min(c[along], d[along])
            )
            most = max(most, both)
    return max(0.0, most)


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
