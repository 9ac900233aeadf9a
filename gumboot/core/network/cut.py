"""The least cut between islands, by Ford and Fulkerson over shortest augmenting ways, compiled."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from gumboot.core.basis.machine import machine

Ints = NDArray[np.int64]
Bools = NDArray[np.bool_]


class Graph(NamedTuple):
    """Islands and the ways between them: those of island i are first[i] to first[i + 1], each to
    the island `there` by the switch `by`. All numbers.
    """

    first: Ints
    there: Ints
    by: Ints


def graph_of(ways: Sequence[Sequence[tuple[int, int]]]) -> Graph:
    """The graph of each island's ways: (other island, number of the switch)."""
    rows = np.array([x for w in ways for x in w], np.int64).reshape(-1, 2)
    first = np.cumsum([0, *(len(w) for w in ways)])
    return Graph(first, rows[:, 0].copy(), rows[:, 1].copy())


def fed_side(graph: Graph, room: Sequence[int], fed: set[int], wanted: set[int]) -> list[bool]:
    """For each island, whether it lies on the wanted side of the least cut from the fed islands:
    from there the wanted ones could still be fed. room: what it costs to open each switch.
    """
    masks = np.zeros((2, len(graph.first) - 1), np.bool_)
    masks[0, list(fed)] = True
    masks[1, list(wanted)] = True
    side: list[bool] = machine(_cut)(*graph, np.array(room, np.int64), *masks).tolist()
    return side


def warm() -> None:
    """Have the loop compiled, or loaded, before the first job asks for it."""
    fed_side(graph_of(((), ())), (), {0}, {1})


def _cut(first: Ints, there: Ints, by: Ints, room: Ints, fed: Bools, wanted: Bools) -> Bools:
    n = len(first) - 1
    flow = np.zeros(len(room), np.int64)  # from the lower island of a switch to the higher
    came, way, todo = np.empty(n, np.int64), np.empty(n, np.int64), np.empty(n, np.int64)
    while True:
        head, tail, hit = 0, 0, -1
        for i in range(n):
            came[i] = i if fed[i] else -1
            if fed[i]:
                todo[tail] = i
                tail += 1
        while head < tail and hit < 0:
            here = todo[head]
            head += 1
            for e in range(first[here], first[here + 1]):
                b, k = there[e], by[e]
                if came[b] >= 0 or room[k] - (flow[k] if here < b else -flow[k]) <= 0:
                    continue
                came[b], way[b] = here, k
                if wanted[b]:
                    hit = b
                    break
                todo[tail] = b
                tail += 1
        if hit < 0:
            break
        least, b = np.int64(1) << 60, hit
        while came[b] != b:
            k = way[b]
            least = min(least, room[k] - (flow[k] if came[b] < b else -flow[k]))
            b = came[b]
        b = hit
        while came[b] != b:
            flow[way[b]] += least if came[b] < b else -least
            b = came[b]
    side = wanted.copy()
    head, tail = 0, 0
    for i in range(n):
        if wanted[i]:
            todo[tail] = i
            tail += 1
    while head < tail:
        here = todo[head]
        head += 1
        for e in range(first[here], first[here + 1]):
            b, k = there[e], by[e]
            if not side[b] and room[k] - (flow[k] if b < here else -flow[k]) > 0:
                side[b] = True
                todo[tail] = b
                tail += 1
    return side
