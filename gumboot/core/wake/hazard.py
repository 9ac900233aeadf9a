"""What one act in one state does wrong: predicates over what the state was and what it comes to.

Each has a rule and a severity; what it does in numbers is said by `telling`.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property, lru_cache
from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray

from gumboot.core.basis.machine import machine
from gumboot.core.wake.plant import PACKS, Ints, Kind, Lever, Plant
from gumboot.core.wake.settle import (
    BACK_FED,
    GENERATOR_ON_GRID,
    GENERATOR_ON_UNIT,
    NO_BOND,
    TOO_MUCH_SUN,
    TWO_BONDS,
    TWO_UNITS,
    Settled,
)

Bools = NDArray[np.bool_]

ALTERNATING = (1 << PACKS) - 1  # utility, generator, units that form
EVERY_PACK = ((1 << 32) - 1) << PACKS
JOINED, INRUSH, UNEQUAL, UNDER_LOAD, NOT_IN_TURN, REVERSED = (1 << n for n in range(8, 14))
Does = Literal["harm", "damage", "asleep"]


@dataclass(frozen=True, slots=True)
class Hazard:
    """One way an act is wrong: its bit, its name, the clause of the book (empty: common practice),
    how bad it is, and whether a reading or a preparation made before the act takes it away.
    """

    bit: int
    name: str
    clause: str
    does: Does
    readied: bool = False


EVERY = (
    Hazard(BACK_FED, "the inverter's output and the grid on one bus", "sources meet", "harm"),
    Hazard(GENERATOR_ON_GRID, "the generator and the grid on one bus", "sources meet", "harm"),
    Hazard(GENERATOR_ON_UNIT, "generator and inverter on one bus", "sources meet", "damage"),
    Hazard(JOINED, "two live sources joined out of step", "sources meet", "damage"),
    Hazard(TWO_UNITS, "a second inverter onto a live bus", "", "damage"),
    Hazard(NO_BOND, "no neutral-to-earth bond", "bond", "harm"),
    Hazard(TWO_BONDS, "two neutral-to-earth bonds", "bond", "harm"),
    Hazard(UNDER_LOAD, "moved under load", "under load", "harm"),
    Hazard(REVERSED, "reversed direct current closed on", "polarity", "damage"),
    Hazard(INRUSH, "closed onto uncharged capacitors", "", "damage", True),
    Hazard(UNEQUAL, "packs paralleled unequal", "", "damage", True),
    Hazard(TOO_MUCH_SUN, "more sun in an island than its units take", "", "damage"),
    Hazard(NOT_IN_TURN, "out of its maker's order", "", "asleep"),
)
READIED = sum(h.bit for h in EVERY if h.readied)


@dataclass(frozen=True, slots=True)
class InTurn:
    """A maker's rule: levers of one kind are moved before those of another, of one unit or pack
    where both are of one. source: whose word it is.
    """

    first: Kind
    then: Kind
    source: str


@dataclass(frozen=True, eq=False)
class Rules:
    """What an act is judged by besides the state, an element a lever: levers that have to be closed
    before it, those that have to be open while it moves, units that nobody precharges when it
    closes (bits of units), what a pack's button wakes (bits of what feeds). reversed: strings and
    packs whose plus and minus are known to be exchanged, as bits of what feeds.
    """

    before: Ints
    parted: Ints
    uncharged: Ints
    wakes: Ints
    in_turn: tuple[InTurn, ...] = ()
    reversed: int = 0

    @cached_property
    def later(self) -> Ints:
        """For each lever those that are closed after it only."""
        n = len(self.before)
        rows = [sum(1 << j for j in range(n) if int(self.before[j]) >> k & 1) for k in range(n)]
        return np.array(rows, dtype=np.int64)


def rules_of(
    plant: Plant, in_turn: Sequence[InTurn], precharge: Literal["inverter", "pack", "nobody"]
) -> Rules:
    """The rules of a job, of its makers' words and of who precharges."""
    levers, n = plant.levers, len(plant.levers)
    parted = np.array([plant.after(k) for k in range(n)], dtype=np.int64)
    every = (1 << len(plant.units)) - 1
    spared = {"inverter": None, "pack": ("pack", "pack button"), "nobody": ()}[precharge]
    bare = [0 if spared is None or x.kind in spared else every for x in levers]
    wakes = np.zeros(n, dtype=np.int64)
    for p, row in enumerate(plant.packs):
        if row[1] >= 0:
            wakes[row[1]] |= 1 << (PACKS + p)
    return Rules(
        before_of(plant, in_turn), parted, np.array(bare, dtype=np.int64), wakes, tuple(in_turn)
    )


def before_of(plant: Plant, in_turn: Sequence[InTurn]) -> Ints:
    """For each lever those that have to be closed before it, as bits."""
    levers = plant.levers
    before = np.zeros(len(levers), dtype=np.int64)
    for rule in in_turn:
        for k, x in enumerate(levers):
            if x.kind == rule.then and x.serves:
                first = (j for j, y in enumerate(levers) if y.kind == rule.first and y.serves)
                before[k] |= sum(1 << j for j in first if _concerns(levers[j], x))
    return before


def _concerns(a: Lever, b: Lever) -> bool:
    """Whether one lever's turn has to do with another's: not where both are of different units."""
    return a.unit < 0 or b.unit < 0 or a.unit == b.unit


def acts(
    plant: Plant, rules: Rules, pre: Settled, i: Ints, post: Settled, j: Ints, k: Ints
) -> Ints:
    """What moving levers k does wrong, as bits: from rows i of `pre` to rows j of `post`. Faults
    that stood before are not laid at its door.
    """
    found = np.empty(len(k), dtype=np.int64)
    was = (pre.states, pre.faults, pre.packed, pre.a, pre.b, pre.one)
    by = (rules.before, rules.later, rules.parted, rules.uncharged, rules.wakes)
    machine(judged)(*was, i, post.faults, post.packed, j, k, *_traits(plant), *by, found)
    if rules.reversed:
        newly = _direct(plant, post, j) & ~_direct(plant, pre, i)
        found |= np.where(newly & rules.reversed != 0, REVERSED, 0)
    return found


def judged(
    states: Any,
    faults: Any,
    packed: Any,
    at_a: Any,
    at_b: Any,
    one: Any,
    i: Any,
    faults_after: Any,
    packed_after: Any,
    j: Any,
    levers: Any,
    direct: Any,
    button: Any,
    breaks: Any,
    before: Any,
    later: Any,
    parted: Any,
    uncharged: Any,
    wakes: Any,
    found: Any,
) -> None:
    """Every act on its own: what its own rules forbid, and what state it leads to."""
    for n in range(len(levers)):
        k, row = levers[n], i[n]
        state = states[row]
        closing = (state >> k) & 1 == 0
        bits = faults_after[j[n]] & ~faults[row]
        if not breaks[k] and state & parted[k] != 0:
            bits |= UNDER_LOAD
        if closing and direct[k] and packed_after[j[n]] & ~packed[row] & uncharged[k] != 0:
            bits |= INRUSH
        if closing and not one[row, k]:
            a, b = at_a[row, k], at_b[row, k] | wakes[k]
            if direct[k] and a & ~wakes[k] & EVERY_PACK != 0 and b & EVERY_PACK != 0:
                bits |= UNEQUAL
            a, b = a & ALTERNATING, b & ALTERNATING
            if not direct[k] and not button[k] and a != 0 and b != 0 and a != b:
                bits |= JOINED
        if closing and state & before[k] != before[k]:
            bits |= NOT_IN_TURN
        if not closing and state & later[k] != 0:
            bits |= NOT_IN_TURN
        found[n] = bits


def _direct(plant: Plant, rows: Settled, n: Ints) -> Ints:
    """What feeds the battery's and the PV side of units in some rows, all in one."""
    ends = plant.units[:, 1:3].ravel()
    fed: Ints = np.bitwise_or.reduce(rows.feeds[n][:, ends[ends >= 0]], axis=1)
    return fed


@lru_cache(maxsize=256)
def _traits(plant: Plant) -> tuple[Bools, Bools, Bools]:
    """Of every lever: on the direct side, a button, may be moved under load."""
    rows = [(x.direct, x.button, x.breaks) for x in plant.levers]
    made = np.array(rows, dtype=np.bool_).reshape(-1, 3)
    return made[:, 0], made[:, 1], made[:, 2]


def named(bits: int) -> tuple[Hazard, ...]:
    """The hazards of some bits, the worst first."""
    return tuple(h for h in EVERY if bits & h.bit)
