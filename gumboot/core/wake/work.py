"""Make it safe to work at one box while a load stays alive: which levers, in which order, with
which locks, and what stays live there all the same.
"""

from __future__ import annotations

import itertools
from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np

from gumboot.core.network import Isolation, Network, StaysLive, isolate
from gumboot.core.wake.order import Act, order
from gumboot.core.wake.plant import Plant
from gumboot.core.wake.settle import settle
from gumboot.core.wake.way import Way

MOVED_BESIDES = 2  # levers besides the cut that are tried to keep a load alive


@dataclass(frozen=True, eq=False)
class WorkOrder:
    """How a box is made safe: the acts, the levers to lock open, what stays live there, the wait in
    minutes; alive: the loads that are fed meanwhile; why: what keeps it from being done as wished.
    """

    body: str
    acts: tuple[Act, ...]
    locks: tuple[int, ...]
    stays: tuple[StaysLive, ...]
    wait_min: float
    alive: tuple[str, ...]
    why: str = ""


def work_at(way: Way, network: Network, body: str, keep: str = "", start: int = -1) -> WorkOrder:
    """The order that makes a body dead, from a state (serving, unless said), with a load kept alive
    where one is named and that can be had.
    """
    plant = way.plant
    start = plant.serving if start < 0 else start
    wanted = plant.load_names.index(keep) if keep in plant.load_names else -1
    why = ""
    found = _made(way, network, body, start, wanted)
    if found is None and wanted >= 0:
        why = f"{keep[:1].upper()}{keep[1:]} cannot stay alive while this box is dead."
        found = _made(way, network, body, start, -1)
    if found is None:
        why = "No order makes it dead without harm on the way: switch everything off."
        down, cut = order(way.moves, start, 0, way.downs), isolate(network, body)
        found = down.acts, _levers(plant, cut), cut.stays
    acts, levers, stays = found
    end = acts[-1].after if acts else start
    alive = int(settle(plant, np.array([end], dtype=np.int64)).loads[0])
    wait = network.wait_min
    names = tuple(x for i, x in enumerate(plant.load_names) if alive >> i & 1)
    return WorkOrder(body, acts, levers, stays, wait, names, why)


Found = tuple[tuple[Act, ...], tuple[int, ...], tuple[StaysLive, ...]]


def _made(way: Way, network: Network, body: str, start: int, wanted: int) -> Found | None:
    """(acts, levers to lock, what stays live) with a load kept alive; None where that cannot be."""
    feeding = _feeding(way.plant, start, wanted)
    for spared in (feeding, feeding | _around(way.plant)) if wanted >= 0 else (feeding,):
        cut = isolate(network, body, spared)
        levers = _levers(way.plant, cut)
        for goal in _goals(way, network, body, start, levers, wanted, cut.stays):
            found = order(way.moves, start, goal, way.downs)
            if found.against is None:
                return found.acts, levers, cut.stays
    return None


def _levers(plant: Plant, cut: Isolation) -> tuple[int, ...]:
    return tuple(sorted({plant.of_switch[s.id] for s in cut.opened if s.id in plant.of_switch}))


def _feeding(plant: Plant, state: int, wanted: int) -> frozenset[str]:
    """The switches of which each, opened alone, would darken a load."""
    if wanted < 0:
        return frozenset()
    closed = [k for k in range(len(plant.levers)) if state >> k & 1]
    rows = settle(plant, np.array([state ^ 1 << k for k in closed], dtype=np.int64))
    dark = [k for n, k in enumerate(closed) if not int(rows.loads[n]) >> wanted & 1]
    return frozenset(s.id for k in dark for s in plant.levers[k].switches)


def _around(plant: Plant) -> frozenset[str]:
    """The switches by which a house is fed past its units: main, feeder, bypass and its own."""
    kinds = ("bypass", "loads")
    some = [x for x in plant.levers if x.kind in kinds or (x.kind == "grid" and x.unit < 0)]
    return frozenset(s.id for x in some for s in x.switches)


def _goals(
    way: Way,
    network: Network,
    body: str,
    start: int,
    levers: tuple[int, ...],
    wanted: int,
    stays: tuple[StaysLive, ...],
) -> Iterator[int]:
    """States in which the body is dead and the wanted load alive, fewest other levers first."""
    plant, before = way.plant, way.rules.before.tolist()
    locked = sum(1 << k for k in levers)
    base = start & ~locked
    free = [k for k in range(len(plant.levers)) if not locked >> k & 1]
    points = {
        plant.point_of[n.id]
        for n in network.of_body.get(body, ())
        if n.id not in {s.node for s in stays} and n.id in plant.point_of
    }
    for count in range(MOVED_BESIDES + 1):
        states = [base ^ sum(1 << k for k in some) for some in itertools.combinations(free, count)]
        states = [s for s in states if plant.can_be(s) and _in_turn(s, before)]
        rows = settle(plant, np.array(states, dtype=np.int64))
        for n, state in enumerate(states):
            dead = not any(int(rows.feeds[n, p]) for p in points)
            alive = wanted < 0 or bool(int(rows.loads[n]) >> wanted & 1)
            if dead and alive and not int(rows.faults[n]):
                yield state


def _in_turn(state: int, before: list[int]) -> bool:
    """Whether every lever closed has those closed that its maker wants before it."""
    return all(not state >> k & 1 or state & b == b for k, b in enumerate(before))
