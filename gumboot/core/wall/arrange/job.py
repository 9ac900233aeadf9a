"""One wall as a program of whole numbers for the solver: what each rule asks of every place."""

from __future__ import annotations

import itertools
import math
from collections.abc import Iterable, Sequence
from typing import Any

from gumboot.core.kit import Catalogue
from gumboot.core.network import Circuit
from gumboot.core.plan import Plan, Spot, Wall
from gumboot.core.wall.bodies import Box, Placed
from gumboot.core.wall.fixing import SAFE_MM, hold, on_stud, well_held
from gumboot.core.wall.gaps import HIDDEN, Wanted, between, from_neighbour, rect_of_neighbour
from gumboot.core.wall.rect import Rect
from gumboot.core.wall.routes import entry
from gumboot.core.wall.rules import (
    EYE_OFF_MM,
    HANDLE_BELOW_TOP_MM,
    HANDLE_MM,
    WORKING_PROUD_MM,
    bounds,
)

GRID_MM = 5
WAY_MM = Wanted(55, 55, 55, 55, "room for conduit")  # so that a way leads between any two boxes
ALIKE = 8  # what a step out of line with others of its role costs, in steps of cable
PATIENCE = 8  # times as long, where nothing was found at all
APART_MM = 300  # how far one box at least must have moved for a layout to count as another
RULES = {
    "edge": "the room asked of floor, ceiling and corners",
    "box": "the gaps between boxes",
    "neighbour": "the distances from what the wall has already",
    "height": "handles within reach",
    "eye": "displays at eye level",
    "hold": "brackets on studs",
    "hidden": "hidden pipes and cables",
    "working": "the working space before panels",
    "jumper": "the reach of the jumpers between packs",
}
WEIGHT = {"dc": 4, "pv": 2, "ac": 2, "signal": 1}


class Job:
    """One wall to arrange: boxes to place, and what is there."""

    def __init__(
        self,
        plan: Plan,
        wall: Wall,
        free: Sequence[Box],
        fixed: Sequence[Placed],
        circuits: Sequence[Circuit],
        catalogue: Catalogue,
    ) -> None:
        self.plan, self.wall, self.free, self.fixed, self.circuits, self.catalogue = (
            plan,
            wall,
            list(free),
            list(fixed),
            circuits,
            catalogue,
        )
        self._held: dict[str, list[int] | None] = {}

    def bound(self, b: Box) -> Rect:
        """Least and greatest place of a box's corner."""
        return bounds(self.wall, Placed(b, 0, 0))

    def held_at(self, b: Box) -> list[int] | None:
        """Grid places of its left edge at which it is held well enough; None where any will do;
        empty where only rails hold it.
        """
        if b.id not in self._held:
            self._held[b.id] = self._find_held(b)
        return self._held[b.id]

    def _find_held(self, b: Box) -> list[int] | None:
        if not self.wall.made.endswith("studs") or not b.enclosure.holes:
            return None
        r = self.bound(b)
        out = []
        lo, hi = math.ceil(r.left / GRID_MM), math.floor(r.right / GRID_MM)
        bare = self.wall.model_copy(update={"backing": ()})
        seen: dict[tuple[bool, ...], bool] = {}
        for x in range(lo, hi + 1):
            pattern = tuple(on_stud(bare, x * GRID_MM + h.x) for h in b.enclosure.holes)
            if pattern not in seen:
                there = Placed(b, x * GRID_MM, 0.0)
                seen[pattern] = well_held(hold(there, bare, self.catalogue), there)
            if seen[pattern]:
                out.append(x)
        return out

    def solve(
        self,
        others: Sequence[dict[str, tuple[int, int]]],
        without: Iterable[str],
        seconds: float,
        any_will_do: bool = False,
    ) -> tuple[float, dict[str, tuple[int, int]]] | None:
        """(cost, grid places of all free boxes), the least-cost that was found in time; None when
        there are none, or none was found.
        """
        from ortools.sat.python import cp_model

        m: Any = cp_model.CpModel()
        left_out = set(without)
        x: dict[str, Any] = {}
        y: dict[str, Any] = {}
        for b in self.free:
            r = self.bound(b)
            if "edge" in left_out:
                r = Rect(
                    0.0,
                    0.0,
                    self.wall.width_mm - b.enclosure.width,
                    0.0
                    if b.enclosure.mount == "floor"
                    else self.wall.height_mm - b.enclosure.height,
                )
            top = r.top
            if "height" not in left_out and b.worked and b.role != "inverter":
                top = min(top, HANDLE_MM + HANDLE_BELOW_TOP_MM - b.enclosure.height)
            lo, hi = math.ceil(r.left / GRID_MM - 1e-6), math.floor(r.right / GRID_MM + 1e-6)
            low, high = math.ceil(r.bottom / GRID_MM - 1e-6), math.floor(top / GRID_MM + 1e-6)
            if hi < lo or high < low:
                return None
            held = None if "hold" in left_out else self.held_at(b)
            x[b.id] = (
                m.new_int_var_from_domain(cp_model.Domain.from_values(held), f"x_{b.id}")
                if held
                else m.new_int_var(lo, hi, f"x_{b.id}")
            )
            y[b.id] = m.new_int_var(low, high, f"y_{b.id}")
        cost: list[Any] = []
        self._apart(m, x, y, left_out)
        self._eyes(m, y, left_out, cost)
        if "hidden" not in left_out:
            self._hidden(m, x, y)
        if not any_will_do:
            self._cables(m, x, y, cost)
            self._tidy(m, x, y, cost)
            m.minimize(sum(cost))
        self._jumpers(m, x, y, left_out)
        for other in others:
            self._another(m, x, y, other)
        if others:
            for b in self.free:
                m.add_hint(x[b.id], others[0][b.id][0])
                m.add_hint(y[b.id], others[0][b.id][1])
        solver = cp_model.CpSolver()
        solver.parameters.max_time_in_seconds = seconds
        solver.parameters.num_workers = 2
        solver.parameters.random_seed = 1
        state = solver.solve(m)
        if (
            state == cp_model.UNKNOWN
        ):  # a busy machine: neither a layout nor a proof that there is none
            solver.parameters.max_time_in_seconds = PATIENCE * seconds
            state = solver.solve(m)
        if state not in (cp_model.OPTIMAL, cp_model.FEASIBLE):
            return None
        return solver.objective_value, {
            b.id: (solver.value(x[b.id]), solver.value(y[b.id])) for b in self.free
        }

    def _apart(self, m: Any, x: dict[str, Any], y: dict[str, Any], left_out: set[str]) -> None:
        """Four ways for any two things to keep apart."""
        none = Wanted(0, 0, 0, 0, "")
        keeps = "working" not in left_out and self.plan.book.working_space
        for a, b in itertools.combinations(self.free, 2):
            want = none if "box" in left_out else self.between(a, b)
            aside = keeps and self._proud(a, b)
            self._four(
                m,
                (x[a.id], y[a.id], a.enclosure.width, a.enclosure.height),
                (x[b.id], y[b.id], b.enclosure.width, b.enclosure.height),
                want,
                aside,
            )
        for a in self.free:
            for p in self.fixed:
                want = none if "box" in left_out else self.between(a, p.box)
                aside = keeps and self._proud(a, p.box)
                self._still(m, x[a.id], y[a.id], a, p.rect, want, aside)
            for n in self.wall.neighbours:
                if n.kind not in HIDDEN:
                    want = none if "neighbour" in left_out else from_neighbour(a, n, self.plan)
                    self._still(m, x[a.id], y[a.id], a, rect_of_neighbour(n), want, False)

    def between(self, a: Box, b: Box) -> Wanted:
        want = between(a, b, self.plan)
        return Wanted(
            max(want.left, WAY_MM.left),
            max(want.right, WAY_MM.right),
            max(want.top, WAY_MM.top),
            max(want.bottom, WAY_MM.bottom),
            want.rule,
        )

    @staticmethod
    def _proud(a: Box, b: Box) -> bool:
        """Whether one may not stand above or below the other, since it is worked on while live and
        the other is in the way.
        """
        return (a.worked and b.enclosure.depth - a.enclosure.depth > WORKING_PROUD_MM) or (
            b.worked and a.enclosure.depth - b.enclosure.depth > WORKING_PROUD_MM
        )

    @staticmethod
    def _four(
        m: Any,
        a: tuple[Any, Any, float, float],
        b: tuple[Any, Any, float, float],
        want: Wanted,
        aside: bool,
    ) -> None:
        ways = [m.new_bool_var("") for _ in range(2 if aside else 4)]
        m.add(b[0] >= a[0] + up(a[2] + want.right)).only_enforce_if(ways[0])
        m.add(a[0] >= b[0] + up(b[2] + want.left)).only_enforce_if(ways[1])
        if not aside:
            m.add(b[1] >= a[1] + up(a[3] + want.top)).only_enforce_if(ways[2])
            m.add(a[1] >= b[1] + up(b[3] + want.bottom)).only_enforce_if(ways[3])
        m.add_bool_or(ways)

    @staticmethod
    def _still(m: Any, x: Any, y: Any, a: Box, r: Rect, want: Wanted, aside: bool) -> None:
        """A box and a thing that does not move."""
        c = a.enclosure
        ways = [m.new_bool_var("") for _ in range(2 if aside else 4)]
        m.add(x <= math.floor((r.left - want.right - c.width) / GRID_MM + 1e-6)).only_enforce_if(
            ways[0]
        )
        m.add(x >= math.ceil((r.right + want.left) / GRID_MM - 1e-6)).only_enforce_if(ways[1])
        if not aside:
            m.add(
                y <= math.floor((r.bottom - want.top - c.height) / GRID_MM + 1e-6)
            ).only_enforce_if(ways[2])
            m.add(y >= math.ceil((r.top + want.bottom) / GRID_MM - 1e-6)).only_enforce_if(ways[3])
        m.add_bool_or(ways)

    def _eyes(self, m: Any, y: dict[str, Any], left_out: set[str], cost: list[Any]) -> None:
        for b in self.free:
            if b.enclosure.display is None or b.enclosure.mount == "floor":
                continue
            off = m.new_int_var(0, 2000, "")
            at = round((self.wall.eye_mm - b.enclosure.display) / GRID_MM)
            m.add(off >= y[b.id] - at)
            m.add(off >= at - y[b.id])
            if "eye" not in left_out and b.role == "inverter":
                m.add(off <= math.floor(EYE_OFF_MM / GRID_MM))
            if b.role == "inverter":
                cost.append(off)

    def _hidden(self, m: Any, x: dict[str, Any], y: dict[str, Any]) -> None:
        for b, n in itertools.product(
            self.free, [n for n in self.wall.neighbours if n.kind in HIDDEN]
        ):
            r = rect_of_neighbour(n)
            for h in b.enclosure.holes:
                ways = [m.new_bool_var("") for _ in range(4)]
                m.add(x[b.id] <= math.floor((r.left - SAFE_MM - h.x) / GRID_MM)).only_enforce_if(
                    ways[0]
                )
                m.add(x[b.id] >= math.ceil((r.right + SAFE_MM - h.x) / GRID_MM)).only_enforce_if(
                    ways[1]
                )
                m.add(y[b.id] <= math.floor((r.bottom - SAFE_MM - h.y) / GRID_MM)).only_enforce_if(
                    ways[2]
                )
                m.add(y[b.id] >= math.ceil((r.top + SAFE_MM - h.y) / GRID_MM)).only_enforce_if(
                    ways[3]
                )
                m.add_bool_or(ways)

    def _cables(self, m: Any, x: dict[str, Any], y: dict[str, Any], cost: list[Any]) -> None:
        """Along plus up between the entries of every circuit."""
        free, fixed = {b.id: b for b in self.free}, {p.box.id: p for p in self.fixed}
        for c in self.circuits:
            ends = []
            for body in (c.source.body, c.load.body):
                box = free.get(body) or (fixed[body].box if body in fixed else None)
                if box is None:
                    break
                ex, ey, _ = entry(
                    Placed(box, 0.0, 0.0), c.family, (box.enclosure.width / 2, -1000.0)
                )
                at = fixed.get(body)
                base = (
                    (x[body], y[body])
                    if at is None
                    else (round(at.x / GRID_MM), round(at.y / GRID_MM))
                )
                ends.append((base[0] + round(ex / GRID_MM), base[1] + round(ey / GRID_MM)))
            if len(ends) < 2 or c.source.body == c.load.body:
                continue
            for a, b in zip(ends[0], ends[1], strict=True):
                d = m.new_int_var(0, 10_000, "")
                m.add(d >= a - b)
                m.add(d >= b - a)
                cost.append(WEIGHT[c.system] * d)

    def _tidy(self, m: Any, x: dict[str, Any], y: dict[str, Any], cost: list[Any]) -> None:
        """Boxes of one role on one line; the bank where one more has room."""
        for a, b in itertools.combinations(self.free, 2):
            if a.role == b.role or {a.role, b.role} <= {
                "grid-combiner",
                "backup-combiner",
                "generator-combiner",
                "changeover",
                "loads",
            }:
                edge = a.enclosure.height - b.enclosure.height if a.role != b.role else 0.0
                d = m.new_int_var(0, 4000, "")
                lift = round(edge / GRID_MM)
                m.add(d >= y[a.id] - y[b.id] + lift)
                m.add(d >= y[b.id] - y[a.id] - lift)
                cost.append(d if a.role != b.role else ALIKE * d)
        growing = [b for b in self.free if b.enclosure.expands == "right"]
        if growing:
            last, gap = growing[-1], growing[-1].enclosure.like_least or 0.0
            room = m.new_bool_var("room")
            gx = x[last.id] + math.ceil((last.enclosure.width + gap) / GRID_MM)
            wide = math.ceil(last.enclosure.width / GRID_MM)
            high = math.ceil(last.enclosure.height / GRID_MM)
            m.add(gx + wide <= math.floor(self.wall.width_mm / GRID_MM)).only_enforce_if(room)
            rects = [
                (
                    x[b.id],
                    y[b.id],
                    math.ceil(b.enclosure.width / GRID_MM),
                    math.ceil(b.enclosure.height / GRID_MM),
                )
                for b in self.free
                if b is not last
            ]
            rects += [
                (
                    math.floor(r.left / GRID_MM),
                    math.floor(r.bottom / GRID_MM),
                    math.ceil((r.right - r.left) / GRID_MM),
                    math.ceil((r.top - r.bottom) / GRID_MM),
                )
                for r in [
                    *(p.rect for p in self.fixed),
                    *(rect_of_neighbour(n) for n in self.wall.neighbours if n.kind not in HIDDEN),
                ]
            ]
            for ox, oy, ow, oh in rects:
                ways = [m.new_bool_var("") for _ in range(4)]
                m.add(ox >= gx + wide).only_enforce_if(ways[0])
                m.add(gx >= ox + ow).only_enforce_if(ways[1])
                m.add(oy >= y[last.id] + high).only_enforce_if(ways[2])
                m.add(y[last.id] >= oy + oh).only_enforce_if(ways[3])
                m.add_bool_or([*ways, room.negated()])
            cost.append(400 * room.negated())

    def _jumpers(self, m: Any, x: dict[str, Any], y: dict[str, Any], left_out: set[str]) -> None:
        """Packs in their order from left to right, each within reach of the next."""
        row = [b for b in self.free if b.enclosure.like_most is not None]
        for a, b in itertools.pairwise(row):
            m.add(x[a.id] <= x[b.id])
            if "jumper" not in left_out and a.enclosure.like_most is not None:
                reach = math.floor(a.enclosure.like_most / GRID_MM)
                m.add(x[b.id] - x[a.id] <= math.floor(a.enclosure.width / GRID_MM) + reach)
                m.add(y[b.id] - y[a.id] <= math.floor(a.enclosure.height / GRID_MM) + reach)
                m.add(y[a.id] - y[b.id] <= math.floor(a.enclosure.height / GRID_MM) + reach)
        for a, b in itertools.pairwise([b for b in self.free if b.role == "inverter"]):
            m.add(x[a.id] <= x[b.id])

    def _another(
        self, m: Any, x: dict[str, Any], y: dict[str, Any], other: dict[str, tuple[int, int]]
    ) -> None:
        """At least one box somewhere else."""
        far = APART_MM // GRID_MM
        ways = []
        for b in self.free:
            for v, at in ((x[b.id], other[b.id][0]), (y[b.id], other[b.id][1])):
                low, high = m.new_bool_var(""), m.new_bool_var("")
                m.add(v <= at - far).only_enforce_if(low)
                m.add(v >= at + far).only_enforce_if(high)
                ways += [low, high]
        m.add_bool_or(ways)


def up(mm: float) -> int:
    """A length on the grid, rounded up."""
    return math.ceil(mm / GRID_MM - 1e-6)


def replace_placed(wall: Wall, placed: Sequence[Placed], fixed: Sequence[Placed]) -> Wall:
    """The wall with boxes at other places."""
    return wall.model_copy(
        update={"placed": {p.box.id: Spot(x_mm=p.x, y_mm=p.y) for p in (*placed, *fixed)}}
    )
