"""What every state of a plant comes to, relays moved and sources started: one loop over states,
compiled.

    hand switches join points    a relay closes toward a source it sees, if its unit is on
    a unit is on by its button   and something that powers it: packs, sun, or an alternating supply
    it follows what it sees      and forms a voltage of its own where it sees none and has a pack

What feeds a group of points is a set of bits: the utility, the generator, units that form, packs,
strings.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import lru_cache
from typing import Any

import numpy as np
from numpy.typing import NDArray

from gumboot.core.basis.machine import machine
from gumboot.core.wake.plant import (
    GATEWAY,
    GENERATOR,
    GENERATOR_RELAY,
    HAND,
    PACKS,
    PORT_RELAY,
    PV_RELAY,
    STRINGS,
    UNIT_RELAY,
    UNITS,
    UTILITY,
    Ints,
    Plant,
)

# Faults of a state
BACK_FED, GENERATOR_ON_GRID, GENERATOR_ON_UNIT, TWO_UNITS, NO_BOND, TWO_BONDS, TOO_MUCH_SUN = (
    1 << n for n in range(7)
)


@dataclass(frozen=True, eq=False)
class Settled:
    """Rows of states. faults, and as bits of units: with a pack, with sun, on, following, forming;
    loads that are live, as bits. a, b: what feeds the group at each end of each lever; one: whether
    its ends are one group. feeds: of every point.
    """

    states: Ints
    faults: Ints
    packed: Ints
    sunny: Ints
    on: Ints
    follows: Ints
    forms: Ints
    loads: Ints
    a: Ints
    b: Ints
    one: NDArray[np.bool_]
    feeds: Ints
    closed: NDArray[np.bool_]  # every edge: (states, edges)


def settle(plant: Plant, states: Ints, grid: bool = True) -> Settled:
    """What each of some states comes to; grid: whether the utility is there."""
    states = np.asarray(states, dtype=np.int64)
    n, k = len(states), len(plant.levers)
    rows = np.zeros((7, n), dtype=np.int64)
    a, b = np.zeros((n, k), dtype=np.int64), np.zeros((n, k), dtype=np.int64)
    one = np.zeros((n, k), dtype=np.bool_)
    feeds = np.zeros((n, plant.points), dtype=np.int64)
    closed = np.zeros((n, len(plant.edges)), dtype=np.bool_)
    at_a, at_b = ends(plant)
    _loop()(
        states,
        grid,
        plant.alternating,
        plant.edges,
        plant.units,
        plant.packs,
        plant.strings,
        plant.pv_inverters,
        plant.loads,
        plant.bonds,
        plant.service,
        plant.generator,
        plant.linked,
        at_a,
        at_b,
        *(rows, a, b, one, feeds, closed),
    )
    faults, packed, sunny, on, follows, forms, live = rows
    own = (faults, packed, sunny, on, follows, forms, live)
    return Settled(states, *own, a, b, one, feeds, closed)


def warm() -> None:
    """Have the loop compiled, or loaded, before the first job asks for it."""
    none, bits = np.zeros(0, dtype=np.int64), np.zeros(1, dtype=np.bool_)

    def rows(width: int) -> Ints:
        return np.zeros((0, width), dtype=np.int64)

    plant = Plant(
        (), 1, bits, rows(6), rows(8), rows(2), none, rows(3), none, rows(3), -1, -1, False
    )
    settle(plant, np.zeros(1, dtype=np.int64))


@lru_cache(maxsize=256)
def ends(plant: Plant) -> tuple[Ints, Ints]:
    """The points at both ends of each lever: of a group of connectors those of the first, of a
    pack's button its pack, of a unit's its hub.
    """
    a = np.full(len(plant.levers), -1, dtype=np.int64)
    b = np.full(len(plant.levers), -1, dtype=np.int64)
    for row in plant.edges:
        k = int(row[2])
        if k >= 0 and a[k] < 0:
            a[k], b[k] = row[0], row[1]
    for row in plant.packs:
        if row[1] >= 0:
            a[row[1]] = row[0]
    for row in plant.units:
        if row[5] >= 0:
            a[row[5]] = row[0]
    return a, b


def _loop() -> Callable[..., Any]:
    return machine(loop)


def loop(
    states: Any,
    grid: Any,
    alternating: Any,
    edges: Any,
    units: Any,
    packs: Any,
    strings: Any,
    pv_inverters: Any,
    loads: Any,
    bonds: Any,
    service: Any,
    generator: Any,
    linked: Any,
    at_a: Any,
    at_b: Any,
    rows: Any,
    out_a: Any,
    out_b: Any,
    out_one: Any,
    out_feeds: Any,
    out_closed: Any,
) -> None:
    """Every state on its own: join, power, relays until nothing moves, then who forms and what is
    wrong.
    """
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
    for n in range(len(states)):
        state = states[n]
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
                    shut = on[whose] and feeds[b] & 2 != 0 and not sees and feeds[a] & 3 == 0
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
                if forms[i] and forms[j] and not linked:
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

        rows[0, n] = faults
        for i in range(n_units):
            rows[1, n] |= int(has_pack[i]) << i
            rows[2, n] |= int(has_sun[i]) << i
            rows[3, n] |= int(on[i]) << i
            rows[4, n] |= int(follows[i]) << i
            rows[5, n] |= int(forms[i]) << i
        rows[6, n] = live
        for p in range(points):
            out_feeds[n, p] = feeds[group[p]]
        for e in range(n_edges):
            out_closed[n, e] = closed[e]
        for k in range(len(at_a)):
            out_a[n, k] = feeds[group[at_a[k]]] if at_a[k] >= 0 else 0
            out_b[n, k] = feeds[group[at_b[k]]] if at_b[k] >= 0 else 0
            out_one[n, k] = at_a[k] >= 0 and at_b[k] >= 0 and group[at_a[k]] == group[at_b[k]]


assert (UTILITY, GENERATOR, UNITS, PACKS, STRINGS) == (0, 1, 2, 10, 42)  # noqa: S101
HOW = (HAND, UNIT_RELAY, GENERATOR_RELAY, GATEWAY, PV_RELAY, PORT_RELAY)
assert HOW == (0, 1, 2, 3, 4, 5)  # noqa: S101
