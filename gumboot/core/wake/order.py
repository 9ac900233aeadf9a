"""An order of acts from one state to another that does nothing wrong on its way, of least cost; or
what stands against it.

    cost    an act 1, walking to another box 0.01, each lever passed over that its school moves
            before this one 0.1

A* (Hart, Nilsson, Raphael 1968) over states; each lever that differs is moved once.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field, replace

import numpy as np

from gumboot.core.basis.machine import machine
from gumboot.core.wake.hazard import EVERY, READIED, Hazard, InTurn, Rules, acts, before_of
from gumboot.core.wake.plant import Plant
from gumboot.core.wake.settle import settle
from gumboot.core.wake.states import (
    FOUND,
    GIVEN_UP,
    NOT_IN_TURN,
    Ints,
    Settled,
    Steering,
    blank,
    come_to,
    count_of,
    judged,
    search,
)

EXACT, NEARLY, LONG = 4_000, 20_000, 40_000  # states looked at: for the least cost, and after that
ASKED_WHY = 300
SOONEST = 4_000
EAGER = 0.5  # how eager it is then
LAYER, LAYER_WHY = 16_000, 7_000  # states looked at at once, where neither finds an order


@dataclass(frozen=True, slots=True)
class Act:
    """Moving lever k, from a state; what a reading or preparation has to take away before it."""

    k: int
    closing: bool
    state: int
    readied: int = 0

    @property
    def after(self) -> int:
        """The state it comes to."""
        return self.state ^ (1 << self.k)


@dataclass(frozen=True, slots=True)
class Against:
    """What stands against any order: hazards that none avoids, or rules of makers, one against
    another or against a hazard. given_up: it was not looked to the end.
    """

    hazards: tuple[Hazard, ...] = ()
    rules: tuple[InTurn, ...] = ()
    given_up: bool = False


@dataclass(frozen=True, eq=False)
class Order:
    """An order, what it costs, how many states were looked at; `against` where there is none;
    least: whether none costs less.
    """

    acts: tuple[Act, ...]
    cost: float = 0.0
    looked_at: int = 0
    against: Against | None = None
    least: bool = True


@dataclass(eq=False)
class Moves:
    """Acts from a state with what each does wrong; states once settled are remembered."""

    plant: Plant
    rules: Rules
    grid: bool = True
    known: dict[int, tuple[Settled, int]] = field(default_factory=dict)  # rows, and which of them

    def row(self, state: int) -> Settled:
        """A state alone, settled."""
        return settle(self.plant, np.array([state]), self.grid)

    def wrong(self, state: int, levers: Sequence[int]) -> Ints:
        """What moving each of some levers does wrong, as bits."""
        k = np.array(levers, dtype=np.int64)
        after = state ^ (np.int64(1) << k)
        post, n = settle(self.plant, after, self.grid), np.arange(len(k))
        if state not in self.known:
            self.known[state] = self.row(state), 0
        pre, at = self.known[state]
        for s, j in zip(after.tolist(), n.tolist(), strict=True):
            self.known.setdefault(s, (post, j))
        return acts(self.plant, self.rules, pre, np.full(len(k), at), post, n, k)


def find(
    moves: Moves,
    start: int,
    goal: int,
    ranks: Sequence[int],
    allowed: int = READIED,
    most: int = EXACT,
    eager: float = 0.0,
) -> Order:
    """The least costly order from a state to another. ranks: of every lever, by the school; when
    going down they count backward. allowed: hazards that an act may have, as bits. most: states
    that are looked at. eager: how much dearer an act still to come counts: above 0 an order is
    found sooner, and may cost that much more than the least. Of levers that stand for each other
    only the first is tried: that none is found so does not say that there is none.
    """
    out = np.zeros((len(moves.plant.levers), 3), dtype=np.int64)
    by = steering(moves.plant, ranks)
    ended, count, cost, length = machine(search, blank, come_to, judged, count_of)(
        moves.plant.arrays,
        moves.rules.forbids,
        by,
        start,
        goal,
        moves.grid,
        allowed,
        most,
        eager,
        out,
    )
    if ended != FOUND:
        return Order((), 0.0, count, Against(given_up=ended == GIVEN_UP))
    rows = reversed(out[:length].tolist())
    done = tuple(Act(k, not at >> k & 1, at, bits & READIED) for k, at, bits in rows)
    return Order(done, cost, count, least=eager == 0)


def steering(plant: Plant, ranks: Sequence[int]) -> Steering:
    """What an order is steered by."""
    stems, places = [x.stem for x in plant.levers], [x.place for x in plant.levers]
    every = range(len(stems))
    names = sorted(set(places) - {""})
    rows = (
        [stems.index(s) for s in stems],
        [names.index(p) if p else -1 for p in places],
        [sum(1 << j for j in every if ranks[j] < ranks[k]) for k in every],
        [sum(1 << j for j in every if ranks[j] > ranks[k]) for k in every],
        plant.locks,
    )
    return Steering(*(np.array(row, dtype=np.int64) for row in rows))


def warm() -> None:
    """Have the loops compiled, or loaded, before the first job asks for them."""
    none, bits = np.zeros(0, dtype=np.int64), np.zeros(1, dtype=np.bool_)

    def rows(width: int) -> Ints:
        return np.zeros((0, width), dtype=np.int64)

    points = (rows(6), rows(8), rows(2), none, rows(3), none, rows(3))
    plant = Plant((), 1, bits, *points, -1, -1, False)
    moves = Moves(plant, Rules(none, none, none, none))
    find(moves, 0, 0, ())
    moves.wrong(0, ())


def soon(moves: Moves, start: int, goal: int, ranks: Sequence[int]) -> Order:
    """The least costly order; where that takes too long a look one that is nearly so, and the least
    costly by a longer look; and where none is found, any, or the proof that there is none.
    """
    for most, eager in ((EXACT, 0.0), (NEARLY, EAGER), (LONG, 0.0)):
        found = find(moves, start, goal, ranks, most=most, eager=eager)
        if found.against is None:
            return found
        if not found.against.given_up:
            break  # every state was looked at: a longer look finds no more
    return any_order(moves, start, goal)


def any_order(
    moves: Moves, start: int, goal: int, allowed: int = READIED, most: int = LAYER
) -> Order:
    """Some order, by all states at once, act after act: none is there where a layer comes out
    empty. Given up where a layer holds more than `most`.
    """
    plant = moves.plant
    todo = np.array(
        [k for k in range(len(plant.levers)) if (start ^ goal) >> k & 1], dtype=np.int64
    )
    layer, layers, looked = np.array([start], dtype=np.int64), list[tuple[Ints, Ints, Ints]](), 0
    for _ in todo:
        pre = settle(plant, layer, moves.grid)
        i, of = (x.ravel() for x in np.indices((len(layer), len(todo))))
        k = todo[of]
        still = (layer[i] >> k & 1) != (goal >> k & 1)
        i, k = i[still], k[still]
        after = layer[i] ^ (np.int64(1) << k)
        held = np.ones(len(after), dtype=np.bool_)
        for lock in plant.locks:
            held &= np.bitwise_count(after & lock) < 2
        i, k, after = i[held], k[held], after[held]
        unique, j = np.unique(after, return_inverse=True)
        bits = acts(plant, moves.rules, pre, i, settle(plant, unique, moves.grid), j, k)
        good = bits & ~allowed == 0
        made, first = np.unique(after[good], return_index=True)
        looked += len(made)
        if not len(made) or len(made) > most:
            return Order((), 0.0, looked, Against(given_up=bool(len(made))))
        layers.append((layer[i[good][first]], k[good][first], bits[good][first]))
        layer = made
    out: list[Act] = []
    state = goal
    for n in range(len(layers) - 1, -1, -1):
        at = int(np.searchsorted(_after(layers[n]), state))
        before, k_at, found = (int(x[at]) for x in layers[n])
        out.append(Act(k_at, not before >> k_at & 1, before, found & READIED))
        state = before
    return Order(tuple(reversed(out)), float(len(out)), looked, least=False)


def soonest(moves: Moves, start: int, levers: Sequence[int]) -> tuple[Act, ...]:
    """The fewest openings of some levers after which no load is fed and no unit makes or joins a
    voltage; nothing where no such set is found. A maker's order does not hold in an emergency.
    """
    came: dict[int, Act] = {}
    layer = [start]
    while layer and len(layer) <= LAYER:
        made: dict[int, Act] = {}
        for state in layer:
            some = [k for k in levers if state >> k & 1]
            for k, bits in zip(
                some, moves.wrong(state, some).tolist() if some else [], strict=True
            ):
                if not bits & ~NOT_IN_TURN:
                    made.setdefault(state ^ 1 << k, Act(k, False, state))
        new = [s for s in made if s not in came]
        came |= {s: made[s] for s in new}
        if not new:
            return ()
        rows = settle(moves.plant, np.array(new, dtype=np.int64), moves.grid)
        quiet = (rows.loads | rows.forms | rows.follows) == 0
        if quiet.any():
            out, state = list[Act](), new[int(np.argmax(quiet))]
            while state != start:
                out.append(came[state])
                state = came[state].state
            return tuple(reversed(out))
        layer = new if len(came) < SOONEST else []
    return ()


def _after(layer: tuple[Ints, Ints, Ints]) -> Ints:
    """The states that a layer's acts come to, rising."""
    found: Ints = layer[0] ^ (np.int64(1) << layer[1])
    return found


def order(moves: Moves, start: int, goal: int, ranks: Sequence[int]) -> Order:
    """An order, or which hazards and which makers' rules stand against every one."""
    found = soon(moves, start, goal, ranks)
    if found.against is None or found.against.given_up:
        return found
    return Order((), 0.0, found.looked_at, _why(moves, start, goal, ranks))


def _why(moves: Moves, start: int, goal: int, ranks: Sequence[int]) -> Against:
    """The smallest thing to give up for an order to be there: two rules that contradict each other,
    one rule of a maker and what it runs into, or a hazard.
    """
    rules = moves.rules.in_turn
    for rule in rules:
        turned = next((r for r in rules if (r.first, r.then) == (rule.then, rule.first)), None)
        if turned is not None:
            return Against(rules=(rule, turned))
    free = _relaxed(moves, start, goal, ranks, NOT_IN_TURN)
    if free.against is None:
        hit = next((r for r in rules if _alone(moves, (r,), start, goal, ranks)), None)
        if hit is not None:
            return Against(_runs_into(moves, start, goal, ranks), (hit,))
        return Against(rules=rules)
    return Against(_runs_into(moves, start, goal, ranks, NOT_IN_TURN))


def _alone(
    moves: Moves, rules: tuple[InTurn, ...], start: int, goal: int, ranks: Sequence[int]
) -> bool:
    """Whether some rules of makers, and no others, keep every order away."""
    kept = replace(moves.rules, before=before_of(moves.plant, rules), in_turn=rules)
    return _relaxed(Moves(moves.plant, kept, moves.grid), start, goal, ranks).against is not None


def _relaxed(moves: Moves, start: int, goal: int, ranks: Sequence[int], allowed: int = 0) -> Order:
    """An order where some hazards may be met besides."""
    found = find(moves, start, goal, ranks, READIED | allowed, ASKED_WHY, EAGER)
    if found.against is None:
        return found
    return any_order(moves, start, goal, READIED | allowed, LAYER_WHY)


def _runs_into(
    moves: Moves, start: int, goal: int, ranks: Sequence[int], more: int = 0
) -> tuple[Hazard, ...]:
    """The hazards of which any one, given up, lets an order through."""
    hit = [
        h
        for h in EVERY
        if not h.readied
        and h.bit != NOT_IN_TURN
        and _relaxed(moves, start, goal, ranks, more | h.bit).against is None
    ]
    return tuple(hit)
