"""What one act in one state does wrong: predicates over what the state was and what it comes to.

Each has a rule and a severity; what it does in numbers is said by `telling`.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Literal

import numpy as np

from gumboot.core.basis.machine import machine
from gumboot.core.wake.plant import Kind, Lever, Plant
from gumboot.core.wake.states import (
    BACK_FED,
    GENERATOR_ON_GRID,
    GENERATOR_ON_UNIT,
    INRUSH,
    JOINED,
    NO_BOND,
    NOT_IN_TURN,
    PACKS,
    REVERSED,
    TOO_MUCH_SUN,
    TWO_BONDS,
    TWO_UNITS,
    UNDER_LOAD,
    UNEQUAL,
    Forbids,
    Ints,
    Settled,
    judged,
)

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
    where both are of one. source: whose word it is; controls: of charge controllers alone.
    """

    first: Kind
    then: Kind
    source: str
    controls: bool = False


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
    def forbids(self) -> Forbids:
        """The same as the compiled loops read it."""
        n = len(self.before)
        later = [sum(1 << j for j in range(n) if int(self.before[j]) >> k & 1) for k in range(n)]
        return Forbids(
            self.before,
            np.array(later, dtype=np.int64),
            self.parted,
            self.uncharged,
            self.wakes,
            self.reversed,
        )


def rules_of(
    plant: Plant, in_turn: Sequence[InTurn], precharge: Literal["inverter", "pack", "nobody"]
) -> Rules:
    """The rules of a job, of its makers' words and of who precharges."""
    levers, n = plant.levers, len(plant.levers)
    parted = np.array([plant.after(k) for k in range(n)], dtype=np.int64)
    every = (1 << len(plant.units)) - 1
    spared = {"inverter": None, "pack": ("pack", "pack button"), "nobody": ()}[precharge]
    bare = [0 if spared is None or x.kind in spared or _inside(x) else every for x in levers]
    wakes = np.zeros(n, dtype=np.int64)
    for p, row in enumerate(plant.packs):
        if row[1] >= 0:
            wakes[row[1]] |= 1 << (PACKS + p)
    return Rules(
        before_of(plant, in_turn), parted, np.array(bare, dtype=np.int64), wakes, tuple(in_turn)
    )


def _inside(x: Lever) -> bool:
    """Whether a lever is the own switch of a pack inside its unit: its maker sees to the inrush."""
    return x.kind == "pack" and x.body.startswith("inverter-")


def before_of(plant: Plant, in_turn: Sequence[InTurn]) -> Ints:
    """For each lever those that have to be closed before it, as bits."""
    levers = plant.levers
    before = np.zeros(len(levers), dtype=np.int64)
    for rule in in_turn:
        for k, x in enumerate(levers):
            if x.kind == rule.then and x.serves and x.controls >= rule.controls:
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
    machine(judged)(plant.arrays, rules.forbids, pre, i, post, j, k, found)
    return found


def named(bits: int) -> tuple[Hazard, ...]:
    """The hazards of some bits, the worst first."""
    return tuple(h for h in EVERY if bits & h.bit)
