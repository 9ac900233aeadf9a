"""Every state that hands can reach, and every single act from it, judged: what the order given is
proven against.

    up to 20 levers     all of them
    more                all within two acts of the way up and down, and a sample of the rest
"""

from __future__ import annotations

import itertools
from collections.abc import Iterator, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from gumboot.core.wake.hazard import EVERY, READIED, Rules, acts
from gumboot.core.wake.order import Act
from gumboot.core.wake.plant import Plant
from gumboot.core.wake.settle import settle
from gumboot.core.wake.states import NOT_IN_TURN, Ints, Settled
from gumboot.core.wake.way import Way

ALL_OF, NEAR, SAMPLE = 20, 2, 1 << 17
AT_ONCE, TOGETHER = 1 << 14, 1 << 18


@dataclass(frozen=True, slots=True)
class Proof:
    """What was judged: levers, states and acts; whether that is all of them; faulty: states with a
    fault in them; harmful: for each hazard the acts that come to it. readied: how many acts of the
    order want a reading or a preparation first, which takes theirs away; wrong: how many do harm
    all the same.
    """

    levers: int
    states: int
    acts: int
    whole: bool
    faulty: int
    harmful: tuple[tuple[str, int], ...]
    readied: int
    wrong: int

    @property
    def says(self) -> str:
        """It as a paragraph."""
        which = "Every state that its interlocks allow" if self.whole else NOT_WHOLE
        wrong = sum(n for _, n in self.harmful)
        parts = "; ".join(f"{name}: {n:,}" for name, n in self.harmful if n)
        found = (
            f" {wrong:,} of those acts do harm ({parts})." if wrong else " None of them does harm."
        )
        way = "No act of the order, up or down, is one of them."
        if self.readied:
            way = (
                f"Of the order, up and down, {self.readied} are among them until what the walk asks"
                " before them is read or prepared; it holds them until then."
            )
        return (
            f"{self.levers} switches and buttons. {which} was looked at: {self.states:,}, with"
            f" every single act from each: {self.acts:,}.{found} {way}"
        )


NOT_WHOLE = (
    "With so many switches not every state can be looked at: each within two acts of the way up and"
    " down, and a sample of the rest,"
)


def allowed(plant: Plant, states: Ints) -> NDArray[np.bool_]:
    """Which states no interlock forbids."""
    ok = np.ones(len(states), dtype=np.bool_)
    for lock in plant.locks:
        ok &= np.bitwise_count(states & lock) < 2
    return ok


def prove(way: Way) -> Proof:
    """Judge every state, or as many as can be."""
    plant, rules = way.plant, way.rules
    n = len(plant.levers)
    whole = n <= ALL_OF
    states = np.arange(1 << n, dtype=np.int64) if whole else _near(way)
    states = states[allowed(plant, states)]
    counts, asked, faulty = dict.fromkeys((h.bit for h in EVERY), 0), 0, 0
    for pre, i, bits in judged(plant, rules, states):
        faulty += int((pre.faults[np.unique(i)] != 0).sum())
        asked += len(i)
        for h in EVERY:
            counts[h.bit] += int((bits & h.bit != 0).sum())
    both = (*way.up.acts, *way.down.acts)
    rows = tuple((h.name, counts[h.bit]) for h in EVERY if h.bit != NOT_IN_TURN)
    readied = sum(bool(a.readied) for a in both)
    return Proof(n, len(states), asked, whole, faulty, rows, readied, _wrong(way, both))


def _wrong(way: Way, order: Sequence[Act]) -> int:
    """How many acts of an order do harm that nothing before them takes away."""
    rows = [int(way.moves.wrong(a.state, [a.k])[0]) for a in order]
    return sum(bool(bits & ~READIED) for bits in rows)


def judged(
    plant: Plant, rules: Rules, states: Ints, levers: int = 0
) -> Iterator[tuple[Settled, Ints, Ints]]:
    """(states settled, rows, what acts from them do wrong) of some states, rising, a piece at a
    time; levers: how many of them are moved, all unless said. Each state is settled once where all
    that acts come to are among them.
    """
    n = levers or len(plant.levers)
    once = len(states) <= TOGETHER
    every = settle(plant, states) if once else None
    for start in range(0, len(states), AT_ONCE):
        some = states[start : start + AT_ONCE]
        i, k = (x.ravel() for x in np.indices((len(some), n)))
        after = some[i] ^ (np.int64(1) << k)
        held = allowed(plant, after)
        i, k, after = i[held], k[held], after[held]
        at = np.minimum(np.searchsorted(states, after), len(states) - 1)
        if every is not None and bool((states[at] == after).all()):
            yield every, i + start, acts(plant, rules, every, i + start, every, at, k)
            continue
        pre = settle(plant, some)
        unique, j = np.unique(after, return_inverse=True)
        yield pre, i, acts(plant, rules, pre, i, settle(plant, unique), j, k)


def _near(way: Way) -> Ints:
    """States within two acts of the way, and a seeded sample of all."""
    n = len(way.plant.levers)
    on_way = {0, way.plant.serving}
    for a in (*way.up.acts, *way.down.acts):
        on_way |= {a.state, a.after}
    flips = [0, *(1 << k for k in range(n))]
    flips += [1 << a | 1 << b for a, b in itertools.combinations(range(n), NEAR)]
    near = (np.array(sorted(on_way))[:, None] ^ np.array(flips)[None, :]).ravel()
    dice = np.random.default_rng(17)
    return np.unique(np.concatenate((near, dice.integers(0, 1 << n, SAMPLE))))


def table(way: Way) -> Iterator[tuple[int, Settled, int]]:
    """(state, settled, row) of every state on the way up, for a file."""
    numbers = [*(a.state for a in way.up.acts), way.plant.serving]
    rows = settle(way.plant, np.array(numbers, dtype=np.int64))
    for n, state in enumerate(numbers):
        yield state, rows, n
