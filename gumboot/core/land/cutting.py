"""The cut list: every piece of cable with both its ends, and how pieces come off reels with the
least bought. Solved by CP-SAT.

Lengths in m; in the solver in whole cm.
"""

from __future__ import annotations

import math
from collections import defaultdict
from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache

from gumboot.core.basis.figure import COMMON_PRACTICE, Figure, given, solve
from gumboot.core.kit import Catalogue, ConductorType
from gumboot.core.land.listing import cable_of
from gumboot.core.land.termination import Termination
from gumboot.core.plan import Plan, Reel
from gumboot.core.size.conductors import SizedCircuit
from gumboot.core.wall.routes import LOOP_M, TAIL_M

LIMIT_S = 4.0  # of the solver's own, deterministic clock


@dataclass(frozen=True, slots=True)
class Piece:
    """One piece to cut: of which cable, size and colour, how long, and what is made at its ends."""

    id: str
    circuit: str
    number: int
    name: str
    conductors: str
    cable: ConductorType
    size: str
    colour: str
    length: Figure
    ends: tuple[Termination, ...]

    @property
    def reel(self) -> tuple[str, str, str]:
        """What it can be cut from: cable, size and colour."""
        return self.cable.id, self.size, self.colour


def list_pieces(
    sized: Sequence[SizedCircuit],
    terminations: Sequence[Termination],
    routed: set[str],
    plan: Plan,
    catalogue: Catalogue,
) -> list[Piece]:
    """Every piece of a job, circuit by circuit. A cable of several cores is one piece; single cores
    are one each, the earth with them.

    routed: circuits whose length follows from a way on the wall, with make-off and service loop in
    it; the others get these added.
    """
    ends: dict[tuple[str, str, str], list[Termination]] = defaultdict(list)
    for t in terminations:
        if t.kind == "conductor":
            of_set = t.key.split("@")[0].rsplit(".", 1)[1][len(t.conductor) :]
            ends[t.circuit, t.conductor, of_set or "1"].append(t)
    out: list[Piece] = []
    for s in sized:
        if s.conditions.run.there:
            continue
        c = s.circuit
        length = cut_length(s, s.id in routed)
        for n in range(1, s.sets + 1):
            mark = f" set {n}" if s.sets > 1 else ""
            if s.cable.cores == "multi":
                both = tuple(t for x in c.conductors for t in ends[c.id, x, str(n)])
                out.append(
                    Piece(
                        f"{c.id}.{n}",
                        c.id,
                        c.number,
                        c.name + mark,
                        " ".join(c.conductors),
                        s.cable,
                        f"{len(c.conductors)} × {s.size}",
                        "",
                        length,
                        both,
                    )
                )
                continue
            for x in c.conductors:
                cable = cable_of(s, x, plan, catalogue)
                size = str(s.protective.value) if x == "PE" else s.size
                out.append(
                    Piece(
                        f"{c.id}.{x}{n if n > 1 else ''}",
                        c.id,
                        c.number,
                        c.name + mark,
                        x,
                        cable,
                        size,
                        plan.book.colours[x],
                        length,
                        tuple(ends[c.id, x, str(n)]),
                    )
                )
    return out


def cut_length(s: SizedCircuit, routed: bool) -> Figure:
    """What to cut for one run, in m."""
    long = round(s.conditions.run.length_m, 3)
    if routed:
        return given(
            "L_cut", long, "m", "Cut: its way on the wall, make-off and a service loop", "Wall"
        )
    run = given("L", long, "m", "Run, one way", "brief")
    tail = given("L_tail", TAIL_M, "m", "Made off in each box", COMMON_PRACTICE)
    loop = given("L_loop", LOOP_M, "m", "Service loop", COMMON_PRACTICE)
    return solve(
        "L_cut", "m", "Cut", "L + 2 * L_tail + L_loop", run, tail, loop, source=COMMON_PRACTICE
    )


@dataclass(frozen=True, slots=True)
class Cut:
    """One reel or remnant and the pieces off it, longest first: lengths in cm and their places in
    the list that was packed.
    """

    length: int
    bought: bool
    pieces: tuple[int, ...]
    rest: int


@dataclass(frozen=True, slots=True)
class Packed:
    """How lengths come off reels. bound: nothing less can be bought; proven: no better way exists.
    too_long: pieces that no reel holds.
    """

    cuts: tuple[Cut, ...]
    bought: int
    bound: int
    proven: bool
    too_long: tuple[int, ...] = ()


@lru_cache(maxsize=256)
def pack(
    lengths: tuple[int, ...], reels: tuple[int, ...], remnants: tuple[int, ...] = ()
) -> Packed:
    """Pieces of `lengths` cm from remnants and from reels sold in lengths `reels` cm: least bought,
    then fewest opened.

    >>> packed = pack((600, 400, 500, 500), (1000, 2000))
    >>> packed.bought, [c.length for c in packed.cuts]
    (2000, [2000])
    """
    longest = max((*reels, *remnants), default=0)
    too_long = tuple(i for i, x in enumerate(lengths) if x > longest)
    todo = [i for i, x in enumerate(lengths) if x <= longest]
    if not todo:
        return Packed((), 0, 0, True, too_long)
    return _solve(todo, lengths, reels, remnants, too_long)


def _solve(
    todo: list[int],
    lengths: tuple[int, ...],
    reels: tuple[int, ...],
    remnants: tuple[int, ...],
    too_long: tuple[int, ...],
) -> Packed:
    from ortools.sat.python import cp_model

    stock = [(x, False) for x in remnants]
    stock += [
        (reel, True)
        for reel in reels
        for _ in range(first_fit([lengths[i] for i in todo if lengths[i] <= reel], reel))
    ]
    m = cp_model.CpModel()
    opened = [m.new_bool_var("") for _ in stock]
    lies = {
        (i, k): m.new_bool_var("")
        for i in todo
        for k, (size, _) in enumerate(stock)
        if lengths[i] <= size
    }
    for i in todo:
        m.add_exactly_one(v for (j, _), v in lies.items() if j == i)
    for k, (size, _) in enumerate(stock):
        m.add(sum(lengths[i] * v for (i, j), v in lies.items() if j == k) <= size * opened[k])
        if k and stock[k] == stock[k - 1]:
            m.add_implication(opened[k], opened[k - 1])  # reels of one length are alike
    bought = sum(size * o for (size, new), o in zip(stock, opened, strict=True) if new)
    m.minimize(bought * (len(stock) + 1) + sum(opened))
    solver = cp_model.CpSolver()
    solver.parameters.num_workers = 1
    solver.parameters.random_seed = 1
    solver.parameters.max_deterministic_time = LIMIT_S
    status = solver.solve(m)
    cuts = []
    for k, (size, new) in enumerate(stock):
        mine = sorted(
            (i for i in todo if (i, k) in lies and solver.value(lies[i, k])),
            key=lambda i: -lengths[i],
        )
        if mine:
            cuts.append(Cut(size, new, tuple(mine), size - sum(lengths[i] for i in mine)))
    total = sum(c.length for c in cuts if c.bought)
    bound = math.ceil(solver.best_objective_bound) // (len(stock) + 1)
    return Packed(tuple(cuts), total, bound, status == cp_model.OPTIMAL, too_long)


def first_fit(lengths: Sequence[int], reel: int) -> int:
    """How many reels of one length the pieces surely fit on: first fit, longest first."""
    rest: list[int] = []
    for x in sorted(lengths, reverse=True):
        k = next((k for k, r in enumerate(rest) if r >= x), None)
        if k is None:
            rest.append(reel - x)
        else:
            rest[k] -= x
    return len(rest)


@dataclass(frozen=True, slots=True)
class Lot:
    """All pieces of one cable, size and colour, and how they come off reels."""

    cable: ConductorType
    size: str
    colour: str
    pieces: tuple[Piece, ...]
    packed: Packed


def cut_list(pieces: Sequence[Piece], reels: Sequence[Reel]) -> list[Lot]:
    """The cut list: lot by lot, thickest first, each packed on the crew's remnants and on reels to
    buy.
    """
    lots: dict[tuple[str, str, str], list[Piece]] = defaultdict(list)
    for p in pieces:
        lots[p.reel].append(p)
    out = []
    for (cable, size, tint), rows in lots.items():
        remnants = tuple(
            sorted(
                round(100 * r.length_m)
                for r in reels
                if (r.cable, r.size, r.colour) == (cable, size, tint)
            )
        )
        lengths = tuple(math.ceil(round(100 * p.length.n, 3)) for p in rows)
        sold = tuple(int(100 * x) for x in rows[0].cable.reels_m)
        out.append(Lot(rows[0].cable, size, tint, tuple(rows), pack(lengths, sold, remnants)))
    return out
