"""Loops over states of a plant, as machine code: what each comes to, what an act does wrong, the
least costly order of acts.

A state is one number, a bit for each lever that is closed. What feeds a group of points is a set of
bits too: the utility, the generator, units that form, packs, strings.
"""

from __future__ import annotations

from heapq import heappop, heappush
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

Ints = NDArray[np.int64]
Bools = NDArray[np.bool_]

# Faults of a state, and of an act
BACK_FED, GENERATOR_ON_GRID, GENERATOR_ON_UNIT, TWO_UNITS, NO_BOND, TWO_BONDS, TOO_MUCH_SUN = (
    1 << n for n in range(7)
)
JOINED, INRUSH, UNEQUAL, UNDER_LOAD, NOT_IN_TURN, REVERSED = (1 << n for n in range(8, 14))
PACKS = 10  # the first bit of packs in what feeds
ALTERNATING = (1 << PACKS) - 1  # utility, generator, units that form
EVERY_PACK = ((1 << 32) - 1) << PACKS
WALK, PASSED = 0.01, 0.1  # what walking to another box costs, and each lever passed over
FOUND, NONE, GIVEN_UP = range(3)


class Arrays(NamedTuple):
    """A plant as arrays: what meets at its points, and of every lever its two ends (-1: none),
    whether it is on the direct side, a button, may be moved under load.
    """

    alternating: Bools
    edges: Ints
    units: Ints
    packs: Ints
    strings: Ints
    pv_inverters: Ints
    loads: Ints
    bonds: Ints
    service: int
    generator: int
    linked: bool
    at_a: Ints
    at_b: Ints
    direct: Bools
    button: Bools
    breaks: Bools


class Forbids(NamedTuple):
    """What an act is judged by, an element a lever: levers that have to be closed before it, those
    that are closed after it only, those that have to be open while it moves, units that nobody
    precharges when it closes, what a pack's button wakes. reversed: strings and packs whose plus
    and minus are known to be exchanged, as bits of what feeds.
    """

    before: Ints
    later: Ints
    parted: Ints
    uncharged: Ints
    wakes: Ints
    reversed: int


class Settled(NamedTuple):
    """Rows of states. faults, and as bits of units: with a pack, with sun, on, following, forming;
    loads that are live, as bits; direct: what feeds the battery's and the PV side of units, all in
    one. a, b: what feeds the group at each end of each lever; one: whether its ends are one group.
    feeds: of every point; closed: every edge.
    """

    states: Ints
    faults: Ints
    packed: Ints
    sunny: Ints
    on: Ints
    follows: Ints
    forms: Ints
    loads: Ints
    direct: Ints
    a: Ints
    b: Ints
    one: Bools
    feeds: Ints
    closed: Bools


class Steering(NamedTuple):
    """What an order is steered by, an element a lever: which stand for each other, which box it is
    at (-1: none), levers of a lower and of a higher rank. locks: sets of levers of which one may be
    closed.
    """

    stems: Ints
    places: Ints
    sooner: Ints
    later: Ints
    locks: Ints


def blank(states: Any, plant: Any) -> Any:
    """Rows of states with nothing settled yet."""
    n, k = len(states), len(plant.at_a)
    points, edges = len(plant.alternating), len(plant.edges)
    return Settled(
        states,
        np.zeros(n, dtype=np.int64),
        np.zeros(n, dtype=np.int64),
        np.zeros(n, dtype=np.int64),
        np.zeros(n, dtype=np.int64),
        np.zeros(n, dtype=np.int64),
        np.zeros(n, dtype=np.int64),
        np.zeros(n, dtype=np.int64),
        np.zeros(n, dtype=np.int64),
        np.zeros((n, k), dtype=np.int64),
        np.zeros((n, k), dtype=np.int64),
        np.zeros((n, k), dtype=np.bool_),
        np.zeros((n, points), dtype=np.int64),
        np.zeros((n, edges), dtype=np.bool_),
    )


def come_to(rows: Any, plant: Any, grid: Any) -> None:
    """Every state on its own: join, power, relays until nothing moves, then who forms and what is
    wrong.
    """
    edges, units, packs, strings = plant.edges, plant.units, plant.packs, plant.strings
    loads, bonds, pv_inverters = plant.loads, plant.bonds, plant.pv_inverters
    service, generator, at_a, at_b = plant.service, plant.generator, plant.at_a, plant.at_b
    alternating = plant.alternating
    points, n_edges, n_units = len(alternating), len(edges), len(units)
    hand = np.zeros(points, dtype=np.int64)  # what hands join
    group = np.zeros(points, dtype=np.int64)  # and relays
    neutral = np.zeros(points, dtype=np.int64)  # what neutral joins
    feeds = np.zeros(points, dtype=np.int64)
    closed = np.zeros(n_edges, dtype=np.bool_)
    has_pack = np.zeros(n_units, dtype=np.bool_)
    has_sun = np.zeros(n_units, dtype=np.bool_)
    on = np.zeros(n_units, dtype=np.bool_)
    follows = np.zeros(n_units, dtype=np.bool_)
    forms = np.zeros(n_units, dtype=np.bool_)
    for n in range(len(rows.states)):
        state = rows.states[n]
        for p in range(points):
            hand[p] = p
            feeds[p] = 0
        for e in range(n_edges):
            closed[e] = edges[e, 3] == 0 and edges[e, 2] >= 0 and (state >> edges[e, 2]) & 1 == 1
            if closed[e]:
                x, y = edges[e, 0], edges[e, 1]
                while hand[x] != x:
                    x = hand[x]
                while hand[y] != y:
                    y = hand[y]
                hand[x] = y
        for p in range(points):
            x = p
            while hand[x] != x:
                x = hand[x]
            hand[p] = x  # every point knows its first: a later one never changes
        for p in range(points):
            group[p] = hand[p]
        for k in range(len(packs)):
            if packs[k, 1] < 0 or (state >> packs[k, 1]) & 1:
                feeds[hand[packs[k, 0]]] |= 1 << (10 + k)
        for k in range(len(strings)):
            feeds[hand[strings[k]]] |= 1 << (42 + min(k, 17))
        if grid and service >= 0:
            feeds[hand[service]] |= 1
        if generator >= 0:
            feeds[hand[generator]] |= 2
        for i in range(n_units):
            has_pack[i] = (feeds[hand[units[i, 1]]] >> 10) & ((1 << 32) - 1) != 0
            has_sun[i] = feeds[hand[units[i, 2]]] >> 42 != 0
            on[i] = False
            follows[i] = False
            forms[i] = False
        moved = True
        while moved:
            moved = False
            for i in range(n_units):
                there = feeds[group[units[i, 3]]] if units[i, 3] >= 0 else 0
                there |= feeds[group[units[i, 4]]] & 2 if units[i, 4] >= 0 else 0
                pressed = units[i, 5] < 0 or (state >> units[i, 5]) & 1 == 1
                alive = pressed and (has_pack[i] or has_sun[i] or there & 3 != 0)
                if alive and not on[i]:
                    on[i] = True
                    moved = True
            for e in range(n_edges):
                how, whose = edges[e, 3], edges[e, 4]
                if closed[e] or how == 0:
                    continue
                a, b = group[edges[e, 0]], group[edges[e, 1]]
                shut = False
                if how == 1:  # toward the grid, or to an AC input
                    shut = on[whose] and feeds[b] & 3 != 0 and feeds[a] & 3 & ~feeds[b] == 0
                elif how == 2:  # toward a generator, while no grid is there
                    sees = units[whose, 3] >= 0 and feeds[group[units[whose, 3]]] & 1 != 0
                    shut = on[whose] and feeds[b] & 2 != 0 and not sees and feeds[a] & 1 == 0
                elif how == 3:
                    shut = feeds[b] & 1 != 0 and feeds[a] & 2 == 0
                elif how == 5:  # what a generator port serves instead
                    shut = on[whose]
                if shut:
                    closed[e] = True
                    moved = True
                    if a != b:
                        both = feeds[a] | feeds[b]
                        for p in range(points):
                            if group[p] == a:
                                group[p] = b
                        feeds[b] = both
        for i in range(n_units):
            hub = group[units[i, 0]]
            follows[i] = on[i] and feeds[hub] & 3 != 0
            forms[i] = on[i] and has_pack[i] and units[i, 6] == 1 and feeds[hub] & 3 == 0
        for i in range(n_units):
            if forms[i]:
                feeds[group[units[i, 0]]] |= 1 << (2 + i)
        for e in range(n_edges):  # PV inverters follow whatever is alive
            if edges[e, 3] == 4 and feeds[group[edges[e, 1]]] != 0:
                closed[e] = True

        faults = 0
        service_at = hand[service] if service >= 0 else -1
        generator_at = hand[generator] if generator >= 0 else -1
        if service_at >= 0 and service_at == generator_at:
            faults |= 2
        for i in range(n_units):
            own = hand[units[i, 0]]
            able = on[i] and has_pack[i] and units[i, 6] == 1
            if able and own == service_at:
                faults |= 1
            if able and own == generator_at:
                faults |= 4
            for j in range(i):
                if forms[i] and forms[j] and not plant.linked:
                    if group[units[i, 0]] == group[units[j, 0]]:
                        faults |= 8
        for p in range(points):
            neutral[p] = p
        for e in range(n_edges):
            x, y = edges[e, 0], edges[e, 1]
            if (closed[e] or edges[e, 5] == 1) and alternating[x] and alternating[y]:
                while neutral[x] != x:
                    x = neutral[x]
                while neutral[y] != y:
                    y = neutral[y]
                neutral[x] = y
        live = 0
        for k in range(len(loads)):
            if feeds[group[loads[k]]] & 1023 == 0:
                continue
            live |= 1 << k
            x = loads[k]
            while neutral[x] != x:
                x = neutral[x]
            count = 0
            for m in range(len(bonds)):
                y = bonds[m, 0]
                while neutral[y] != y:
                    y = neutral[y]
                if y != x:
                    continue
                if bonds[m, 1] == 0:
                    count += 1
                elif bonds[m, 1] == 1:
                    inside = False
                    for i in range(n_units):
                        if forms[i] and (bonds[m, 2] == i or bonds[m, 2] < 0):
                            inside |= group[units[i, 0]] == group[bonds[m, 0]]
                    if inside:
                        count += 1
                elif generator >= 0 and feeds[group[bonds[m, 0]]] & 2 != 0:
                    if group[loads[k]] == group[bonds[m, 0]]:
                        count += 1
            if count == 0:
                faults |= 16
            elif count > 1:
                faults |= 32
        for i in range(n_units):
            if not forms[i]:
                continue
            home, give, take = group[units[i, 0]], 0, 0
            for j in range(n_units):
                if forms[j] and group[units[j, 0]] == home:
                    take += units[j, 7]
            for m in range(len(pv_inverters)):
                if group[pv_inverters[m, 1]] == home:
                    give += pv_inverters[m, 2]
            if give > take:
                faults |= 64

        rows.faults[n] = faults
        for i in range(n_units):
            rows.packed[n] |= int(has_pack[i]) << i
            rows.sunny[n] |= int(has_sun[i]) << i
            rows.on[n] |= int(on[i]) << i
            rows.follows[n] |= int(follows[i]) << i
            rows.forms[n] |= int(forms[i]) << i
        rows.loads[n] = live
        for p in range(points):
            rows.feeds[n, p] = feeds[group[p]]
        for e in range(n_edges):
            rows.closed[n, e] = closed[e]
        for k in range(len(at_a)):
            rows.a[n, k] = feeds[group[at_a[k]]] if at_a[k] >= 0 else 0
            rows.b[n, k] = feeds[group[at_b[k]]] if at_b[k] >= 0 else 0
            both_there = at_a[k] >= 0 and at_b[k] >= 0
            rows.one[n, k] = both_there and group[at_a[k]] == group[at_b[k]]
        for i in range(n_units):
            for side in range(1, 3):
                if units[i, side] >= 0:
                    rows.direct[n] |= feeds[group[units[i, side]]]


def judged(
    plant: Any, rules: Any, pre: Any, i: Any, post: Any, j: Any, levers: Any, found: Any
) -> None:
    """Every act on its own: what its own rules forbid, and what state it leads to."""
    for n in range(len(i)):
        k, row = levers[n], i[n]
        state = pre.states[row]
        closing = (state >> k) & 1 == 0
        bits = post.faults[j[n]] & ~pre.faults[row]
        if not plant.breaks[k] and state & rules.parted[k] != 0:
            bits |= UNDER_LOAD
        newly = post.packed[j[n]] & ~pre.packed[row]
        if closing and plant.direct[k] and newly & rules.uncharged[k] != 0:
            bits |= INRUSH
        if closing and not pre.one[row, k]:
            a, b = pre.a[row, k], pre.b[row, k] | rules.wakes[k]
            if plant.direct[k] and a & ~rules.wakes[k] & EVERY_PACK != 0 and b & EVERY_PACK != 0:
                bits |= UNEQUAL
            a, b = a & ALTERNATING, b & ALTERNATING
            if not plant.direct[k] and not plant.button[k] and a != 0 and b != 0 and a != b:
                bits |= JOINED
        if closing and state & rules.before[k] != rules.before[k]:
            bits |= NOT_IN_TURN
        if not closing and state & rules.later[k] != 0:
            bits |= NOT_IN_TURN
        if post.direct[j[n]] & ~pre.direct[row] & rules.reversed != 0:
            bits |= REVERSED
        found[n] = bits


def count_of(bits: Any) -> Any:
    """How many bits of a number are set."""
    n = 0
    while bits != 0:
        bits &= bits - 1
        n += 1
    return n


def search(
    plant: Any,
    rules: Any,
    by: Any,
    start: Any,
    goal: Any,
    grid: Any,
    allowed: Any,
    most: Any,
    eager: Any,
    out: Any,
) -> Any:
    """(how it ended, states looked at, cost, acts) of the least costly order from a state to
    another; out: (levers, 3) takes lever, state before and bits of each act, the last one first.
    A* over states: each lever that differs is moved once, and of levers that stand for each other
    and do the same wrong only the first is tried.
    """
    n, nowhere = len(plant.at_a), np.int64(-1)
    levers = np.zeros(n, dtype=np.int64)
    found = np.zeros(n, dtype=np.int64)
    best = {(start, nowhere): 0.0}
    came: dict[Any, Any] = {(start, nowhere): (start, nowhere, nowhere, nowhere)}
    todo = [(0.0, np.int64(0), start, nowhere)]
    up, count = goal & ~start != 0, 0
    while len(todo) > 0:
        _, _, state, place = heappop(todo)
        if state == goal:
            cost, length = best[(state, place)], 0
            while came[(state, place)][2] >= 0:
                state, place, k, bits = came[(state, place)]
                out[length, 0], out[length, 1], out[length, 2] = k, state, bits
                length += 1
            return FOUND, count, cost, length
        count += 1
        if count > most:
            return GIVEN_UP, count, 0.0, 0
        m = 0
        for k in range(n):
            after = state ^ (np.int64(1) << k)
            held = (state ^ goal) >> k & 1 == 1
            for lock in by.locks:
                held = held and count_of(after & lock) < 2
            if held:
                levers[m] = k
                m += 1
        states = np.empty(m + 1, dtype=np.int64)
        states[m] = state
        for q in range(m):
            states[q] = state ^ (np.int64(1) << levers[q])
        rows = blank(states, plant)
        come_to(rows, plant, grid)
        judged(plant, rules, rows, np.full(m, m), rows, np.arange(m), levers, found)
        for q in range(m):
            at = q if up else m - 1 - q
            k, bits = levers[at], found[at]
            new = bits & ~allowed == 0
            for r in range(q):
                was = r if up else m - 1 - r
                new = new and (by.stems[levers[was]] != by.stems[k] or found[was] != bits)
            if not new:
                continue
            passed = (by.later[k] if state >> k & 1 == 1 else by.sooner[k]) & (state ^ goal)
            there = by.places[k]
            cost = best[(state, place)] + 1 + PASSED * count_of(passed)
            if place >= 0 and there != place:
                cost += WALK
            to = (states[at], there)
            if to in best and cost >= best[to] - 1e-9:
                continue
            best[to] = cost
            came[to] = (state, place, k, bits)
            left = count_of(states[at] ^ goal)
            heappush(todo, (cost + (1 + eager) * left, left * 64 + k, states[at], there))
    return NONE, count, 0.0, 0
