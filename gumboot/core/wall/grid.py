"""Least-cost ways on the grid of all edges of one wall: A* (Hart, Nilsson, Raphael 1968), compiled.

ys ─┼───┼──────┼─        a node is a crossing and whether one runs along (0) or up (1);
    │   │ box  │         a step costs its mm, more beside power; a turn costs `turn`;
ys ─┼───┼──────┼─        what lies inside a box costs infinity
    xs  xs     xs
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from heapq import heappop, heappush

import numpy as np
from numpy.typing import NDArray

from gumboot.core.basis.machine import machine
from gumboot.core.wall.rect import Rect

Floats = NDArray[np.float64]
Point = tuple[float, float]
HAIR = 0.01  # mm


class Grid:
    """All lines that a way may follow on one wall.

    solid: what no way may cross; lines: crossings that there must be besides; size: the wall's
    width and height; dear: rectangles in which a mm costs `times` as much. All in mm.
    """

    def __init__(
        self,
        size: Point,
        solid: Sequence[Rect],
        lines: Sequence[Point],
        dear: Sequence[Rect] = (),
        times: float = 1.0,
    ) -> None:
        box = np.array(solid).reshape(-1, 4)
        at = np.array(lines).reshape(-1, 2)
        self.xs = _within(np.concatenate((box[:, 0], box[:, 2], at[:, 0])), size[0])
        self.ys = _within(np.concatenate((box[:, 1], box[:, 3], at[:, 1])), size[1])
        mx, my = (self.xs[1:] + self.xs[:-1]) / 2, (self.ys[1:] + self.ys[:-1]) / 2
        near = np.array(dear).reshape(-1, 4)
        self.along = _cost(np.diff(self.xs)[:, None], mx, self.ys, box, near, times)
        self.up = _cost(np.diff(self.ys)[None, :], self.xs, my, box, near, times)

    def nodes(self, points: Sequence[Point], upright: Sequence[bool]) -> NDArray[np.int64]:
        """The nodes at points that are on the grid: rows of column, row, direction."""
        at = np.array(points).reshape(-1, 2)
        i = np.searchsorted(self.xs, at[:, 0] - 2 * HAIR).clip(max=len(self.xs) - 1)
        j = np.searchsorted(self.ys, at[:, 1] - 2 * HAIR).clip(max=len(self.ys) - 1)
        return np.stack((i, j, np.array(upright, int)), axis=1)

    def ways(
        self, starts: NDArray[np.int64], ends: NDArray[np.int64], turn: float
    ) -> Iterator[tuple[float, list[Point]]]:
        """Cost and corners of the least way from each start to its end; infinity and nothing where
        there is none.
        """
        corners = np.empty((len(starts), len(self.xs) * len(self.ys) + 2, 2), np.int64)
        cost, count = np.empty(len(starts)), np.zeros(len(starts), np.int64)
        machine(_search)(
            self.xs, self.ys, self.along, self.up, turn, starts, ends, corners, cost, count
        )
        xs, ys = self.xs.tolist(), self.ys.tolist()
        for row, c, n in zip(corners, cost.tolist(), count.tolist(), strict=True):
            yield c, [(xs[i], ys[j]) for i, j in row[:n][::-1].tolist()]


def warm() -> None:
    """Have the search compiled, or loaded, before the first wall asks for it: some seconds on a
    machine that never did, a good one in a new process.
    """
    grid = Grid((1.0, 1.0), (), ((0.0, 0.0), (1.0, 1.0)))
    at = grid.nodes(((0.0, 0.0), (1.0, 1.0)), (False, True))
    list(grid.ways(at[:1], at[1:], 1.0))


def _within(values: Floats, most: float) -> Floats:
    inside = values[(values >= -HAIR) & (values <= most + HAIR)]
    return np.unique(np.round(inside if len(inside) else np.zeros(1), 2))


def _cost(length: Floats, x: Floats, y: Floats, box: Floats, dear: Floats, times: float) -> Floats:
    """What each piece of line costs: its length; dearer in some places, infinite in a box."""
    cost = np.where(_in(x, y, dear), times, 1.0) * length
    cost[_in(x, y, box)] = np.inf
    return cost


def _in(x: Floats, y: Floats, box: Floats) -> NDArray[np.bool_]:
    """Whether (x, y) lies inside any of the boxes: shape (x, y)."""
    left, bottom, right, top = (box[:, k, None] for k in range(4))
    wide = ((x > left + HAIR) & (x < right - HAIR)).astype(float)
    high = ((y > bottom + HAIR) & (y < top - HAIR)).astype(float)
    return np.asarray(wide.T @ high > 0)


def _search(
    xs: Floats,
    ys: Floats,
    along: Floats,
    up: Floats,
    turn: float,
    starts: NDArray[np.int64],
    ends: NDArray[np.int64],
    corners: NDArray[np.int64],
    cost: Floats,
    count: NDArray[np.int64],
) -> None:
    """Fills corners (from the end back), their count, and the cost of each way."""
    nx, ny = len(xs), len(ys)
    n = nx * ny
    for k in range(len(starts)):
        start = starts[k, 0] * ny + starts[k, 1] + n * starts[k, 2]
        ei, ej = ends[k, 0], ends[k, 1]
        end = ei * ny + ej + n * ends[k, 2]
        g = np.full(2 * n, np.inf)
        before = np.full(2 * n, -1)
        done = np.zeros(2 * n, np.bool_)
        g[start] = 0.0
        heap = [(0.0, start)]
        while len(heap) > 0:
            _, a = heappop(heap)
            if done[a]:
                continue
            done[a] = True
            if a == end:
                break
            upright = a // n
            i, j = (a % n) // ny, a % ny
            for step in range(3):  # back, on, turn
                b, c = (a + n) % (2 * n), turn
                if step < 2 and upright == 1:
                    if (step == 0 and j == 0) or (step == 1 and j == ny - 1):
                        continue
                    b, c = (a - 1, up[i, j - 1]) if step == 0 else (a + 1, up[i, j])
                elif step < 2:
                    if (step == 0 and i == 0) or (step == 1 and i == nx - 1):
                        continue
                    b, c = (a - ny, along[i - 1, j]) if step == 0 else (a + ny, along[i, j])
                if g[a] + c < g[b]:
                    g[b], before[b] = g[a] + c, a
                    bi, bj = (b % n) // ny, b % ny
                    left = abs(xs[bi] - xs[ei]) + abs(ys[bj] - ys[ej])
                    heappush(heap, (g[b] + left, b))
        cost[k] = g[end]
        if np.isinf(g[end]):
            continue
        a, m = end, 0
        corners[k, m, 0], corners[k, m, 1] = ei, ej
        while a != start:
            b = before[a]
            if b % n == a % n or b == start:  # a turn, or the beginning
                m += 1
                corners[k, m, 0], corners[k, m, 1] = (b % n) // ny, b % ny
            a = b
        count[k] = m + 1
