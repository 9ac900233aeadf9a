"""Which circuits live in an outage, and on which leg, so that the most loaded leg is least: an
integer program, solved exactly.

    x[i, l] = 1: circuit i is backed up on leg l        (a circuit of all legs has one x)
    T      >= sum of running power on every leg          (the most loaded leg in its worst hour, W)
    sum + largest start <= surge, sum <= continuous      (of every leg, and of all together, in
    every hour)

Hours are told apart only by which circuits may run in them; an hour whose circuits all run in
another hour too is left out.

Solved in turn: the most circuits that may drop are kept; then T is least; then the fewest circuits
move. Fewer moves, and what they reach, beside it.
"""

from __future__ import annotations

import math
from collections.abc import Container, Iterator, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from gumboot.core.basis.figure import Figure, with_unit
from gumboot.core.brief.loads.board import DAY_STEPS, Leg, Sheet, may_run, weight
from gumboot.core.plan import Load

# of the search tree, for one program: a count and not a clock, so that the same board gives the
# same answer
NODES = 60
EXACT, GAP = (
    90,
    0.003,
    # up to so many places to choose from the search goes to the end; with more it may stop this
    # near
    # the bound, and moves are spared for it
)
FRONTIER = 4  # how many smaller counts of moves are tried
Row = NDArray[np.float64]


@dataclass(frozen=True, slots=True)
class Move:
    """One circuit that changes place: what it was on and is to be on, "" for not backed up."""

    load: str
    name: str
    was: str
    now: str


@dataclass(frozen=True, slots=True)
class Assignment:
    """Where every circuit goes ("" for not backed up). W: the most loaded leg in its worst hour,
    the least that any assignment can reach, today's.
    """

    legs: dict[str, str]
    moves: tuple[Move, ...]
    worst_w: float
    bound_w: float
    today_w: float
    sums: dict[str, float]
    dropped: tuple[str, ...]

    @property
    def gap_w(self) -> float:
        """How far it may be from the best, W; nothing when it is proven."""
        return max(0.0, self.worst_w - self.bound_w)


@dataclass(frozen=True, slots=True)
class Assigned:
    """The best assignment, what fewer moves would reach (each better than the one before), or why
    there is none.
    """

    best: Assignment | None
    fewer: tuple[Assignment, ...]
    why: str


class _Program:
    """The program's columns: one x for each circuit and place it may stand, and T above what stands
    on every leg anyway, in parts of a watt.
    """

    def __init__(
        self,
        loads: Sequence[Load],
        starting: dict[str, Figure],
        lines: Sequence[str],
        total: Leg,
        leg: Leg,
        free: bool,
        wye: bool,
    ) -> None:
        self.loads, self.lines, self.starting = loads, list(lines), starting
        self.wye = wye
        on = [v for v in loads if free or v.must or v.backed]
        self.fixed = {v.id for v in on if v.must or not free}
        self.cells = [
            (v, place) for v in on for place in ([v.legs] if "+" in v.legs else self.lines)
        ]
        self.small = len(self.cells) <= EXACT
        self.grain = len(lines)
        self.hours = hours_of(loads, [v.id for v in on])
        everywhere = [v for v in on if v.id in self.fixed and v.legs == "+".join(lines)]
        one = len(self.hours) == 1
        self.base = (
            sum(self.part(v.running_w, v.legs, lines[0]) for v in everywhere) if one else 0.0
        )
        if (
            one
            and self.fixed == {v.id for v in on}
            and all("+" not in v.legs or v in everywhere for v in on)
        ):
            self.grain = 1  # single-leg circuits in whole watts stand above the base
        today = {v.id: v.legs if v.backed else "" for v in loads}
        self.kept = np.append(np.ones(len(self.cells)), 0.0)
        # A circuit moves when it stands elsewhere than today; one taken off, when it was on.
        self.moved = np.array(
            [float(today[v.id] != place) - float(today[v.id] != "") for v, place in self.cells]
            + [0.0]
        )
        self.moved_all_off = sum(1 for v in loads if v.backed)
        self.worst = np.append(np.zeros(len(self.cells)), 1.0)
        self.rows: list[tuple[Row, float, float]] = []
        for v in on:
            here = np.array([float(w is v) for w, _ in self.cells] + [0.0])
            self.rows.append((here, 1.0 if v.id in self.fixed else 0.0, 1.0))
        more = [max(0.0, starting[v.id].n - v.running_w) for v, _ in self.cells]
        for hour in self.hours:
            there = [float(v.id in hour) for v, _ in self.cells]
            for line in (*lines, ""):
                side = leg if line else total
                run = self._row(
                    [v.running_w * t for (v, _), t in zip(self.cells, there, strict=True)], line
                )
                if line:
                    self.rows.append((run - self.worst / self.grain, -math.inf, self.base))
                off = self._off(hour, line)
                self.rows.append((run, -math.inf, _beside(side.continuous.n, off)))
                extra = self._row([m * t for m, t in zip(more, there, strict=True)], line)
                spare = (
                    side.surge.n - side.continuous.n if side.surge else math.inf
                )  # a start of less can break nothing
                for k in np.flatnonzero(extra > spare):
                    row = run.copy()
                    row[k] += extra[k]
                    v = self.cells[k][0]
                    more_off = abs(more[k] * weight(v, line, self.wye).imag) if line else 0
                    most = side.surge.n if side.surge else math.inf
                    self.rows.append((row, -math.inf, _beside(most, off + more_off)))

        # Legs that may change names without changing the board give every answer several times: the
        # largest circuits stand on the first legs.
        alike = all(set(v.legs.split("+")) == set(lines) for v in on if "+" in v.legs)
        largest = (
            sorted((v for v in on if "+" not in v.legs), key=lambda v: -v.running_w)[
                : len(lines) - 1
            ]
            if alike
            else []
        )
        later = [(v, lines[k + 1 :]) for k, v in enumerate(largest)]
        self.named = [
            (np.array([float(w is v and p in rest) for w, p in self.cells] + [0.0]), 0.0)
            for v, rest in later
        ]

    def part(self, watts: float, place: str, line: str) -> float:
        """What a circuit at a place puts on a line, its power in whole watts; on all lines together
        when the line is "".
        """
        legs = place.split("+")
        return (
            float(round(watts)) if not line else round(watts) / len(legs) if line in legs else 0.0
        )

    def _off(self, hour: Container[str], line: str) -> float:
        """What circuits between two lines, which stay where they are, put on a line off
        its phase, all that may run in an hour: W.
        """
        on = {v.id: v for v, place in self.cells if "+" in place and v.id in hour}
        wye = self.wye
        return (
            abs(sum(v.running_w * weight(v, line, wye).imag for v in on.values())) if line else 0.0
        )

    def _row(self, watts: Sequence[float], line: str) -> Row:
        return np.array(
            [self.part(w, place, line) for w, (_, place) in zip(watts, self.cells, strict=True)]
            + [0.0]
        )

    def least(
        self, what: Row, *also: tuple[Row, float]
    ) -> tuple[dict[str, str], float, float] | None:
        """(where each circuit goes, the value, its proven bound) with `what` least and the rows of
        `also` at most so much; None when nothing fits.
        """
        from scipy.optimize import Bounds, LinearConstraint, milp

        bounds = Bounds(np.zeros(len(what)), np.append(np.ones(len(self.cells)), np.inf))
        rows = [*self.rows, *((row, -math.inf, most) for row, most in also)]
        a, low, high = (
            np.array([r for r, _, _ in rows]),
            np.array([x for _, x, _ in rows]),
            np.array([x for _, _, x in rows]),
        )
        options = {"node_limit": NODES, "mip_rel_gap": 0.0 if self.small else GAP}
        result = milp(
            what,
            constraints=LinearConstraint(a, low, high),
            integrality=np.ones(len(what)),
            bounds=bounds,
            options=options,
        )
        if result.x is None:
            return None
        legs = {v.id: "" for v in self.loads} | {
            v.id: place
            for (v, place), there in zip(self.cells, np.round(result.x), strict=False)
            if there
        }
        return legs, float(result.fun), float(result.mip_dual_bound)


def assign(
    loads: Sequence[Load],
    starting: dict[str, Figure],
    lines: Sequence[str],
    total: Leg,
    leg: Leg,
    free: bool,
    wye: bool,
) -> Assigned:
    """The best assignment to the inverter's legs. `free` lets circuits that may drop leave or join
    the backup; else all backed-up ones stay.

    total and leg carry the ratings; wye: whether lines stand 120° apart. Loads on legs that the
    supply lacks must be put right first.
    """
    if (
        free
        and (
            every := assign(
                [v.model_copy(update={"must": True}) for v in loads],
                starting,
                lines,
                total,
                leg,
                False,
                wye,
            )
        ).best
    ):
        return every
    program = _Program(loads, starting, lines, total, leg, free, wye)
    if not program.cells:
        return Assigned(
            None,
            (),
            "No circuit is on backup: list some, or let Gumboot choose which live in an outage.",
        )
    if free:
        most = program.least(-program.kept, *program.named)
        if most is None:
            return Assigned(None, (), _why(loads, total, leg, "The circuits that must live"))
        program.rows.append((program.kept, -most[1], math.inf))
    found = program.least(program.worst, *program.named)
    if found is None:
        return Assigned(None, (), _why(loads, total, leg, "The circuits on backup"))
    bound = program.base + math.ceil(found[2] - 1e-6) / program.grain
    as_good = (
        found[1]
        if program.small
        else found[1] + GAP * (program.base + found[1] / program.grain) * program.grain
    )
    least = program.least(program.moved, (program.worst, as_good))
    best = _read(program, (least or found)[0], bound)
    return Assigned(best, tuple(_fewer(program, best, bound)), "")


def _fewer(program: _Program, best: Assignment, bound: float) -> Iterator[Assignment]:
    """What the fewest moves reach, one more, one more again: each better than the one before; none
    for a large board.
    """
    if not program.small:
        return
    fewest = program.least(program.moved)
    first = round(fewest[1]) + program.moved_all_off if fewest else len(best.moves)
    lowest = math.inf
    for k in range(first, min(first + FRONTIER, len(best.moves))):
        some = program.least(program.worst, (program.moved, k - program.moved_all_off))
        one = _read(program, some[0], bound) if some else best
        if best.worst_w + 0.5 < one.worst_w < lowest - 0.5:
            lowest = one.worst_w
            yield one


def _read(program: _Program, legs: dict[str, str], bound: float) -> Assignment:
    today = {v.id: v.legs if v.backed else "" for v in program.loads}
    moves = tuple(
        Move(v.id, v.name, today[v.id], legs[v.id])
        for v in program.loads
        if today[v.id] != legs[v.id]
    )
    sums = {line: _seen(program, legs, line) for line in program.lines}
    in_phase = max(_on(program, legs, line) for line in program.lines)
    worst = max(sums.values())
    dropped = tuple(v.id for v in program.loads if not legs[v.id])
    return Assignment(
        legs,
        moves,
        worst,
        worst - max(0.0, in_phase - bound),
        max(_seen(program, today, line) for line in program.lines),
        sums,
        dropped,
    )


def _seen(program: _Program, legs: dict[str, str], line: str) -> float:
    """W on a line in its worst hour as the board has it, with what lies off its phase."""
    sheet = Sheet(
        [v.model_copy(update={"legs": legs[v.id]}) for v in program.loads if legs[v.id]],
        program.starting,
        program.wye,
    )
    return float(sheet.draw(line).max(initial=0.0))


def _on(program: _Program, legs: dict[str, str], line: str) -> float:
    """W on a line in its worst hour, in phase with it."""
    return max(
        sum(
            program.part(v.running_w, legs[v.id], line)
            for v in program.loads
            if legs[v.id] and v.id in hour
        )
        for hour in program.hours
    )


def _beside(most: float, off: float) -> float:
    """What may be drawn in phase beside what is off it, W."""
    return math.inf if math.isinf(most) else math.sqrt(max(0.0, most**2 - off**2))


def hours_of(loads: Sequence[Load], ids: Sequence[str]) -> list[frozenset[str]]:
    """The sets of circuits that may run at once, the largest only: one set when all may run all
    day.
    """
    may = {v.id: may_run(v) for v in loads}
    sets = {frozenset(k for k in ids if may[k][t]) for t in range(DAY_STEPS)}
    return sorted((s for s in sets if not any(s < other for other in sets)), key=sorted) or [
        frozenset(ids)
    ]


def _why(loads: Sequence[Load], total: Leg, leg: Leg, who: str) -> str:
    some = [x for x in loads if x.must or (x.backed and not who.endswith("live"))]
    watts = max(
        (
            sum(x.running_w for x in some if x.id in hour)
            for hour in hours_of(some, [x.id for x in some])
        ),
        default=0.0,
    )
    return (
        f"{who} run {with_unit(watts, 'W')} in the worst hour; the inverters give"
        f" {total.continuous.text} in all and {leg.continuous.text} a"
        f" leg{f', {leg.surge.text} in a start' if leg.surge else ''}. No assignment fits: take a"
        " circuit off, or fit more power."
    )
