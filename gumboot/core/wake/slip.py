"""Slips: every wrong single act at every step of an order, what it would do, and what stands in its
way.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from gumboot.core.wake.hazard import READIED, Hazard, acts, named
from gumboot.core.wake.order import Act, Moves
from gumboot.core.wake.plant import Lever
from gumboot.core.wake.settle import settle
from gumboot.core.wake.states import NOT_IN_TURN, UNDER_LOAD

GUARDS = {
    "padlock": "padlocked",
    "capped": "parked and capped",
    "person": "one person stands there",
}
TOOL = "parts only with a tool"
HANDLE = "drawn only with its handle"
INTERLOCK = "its interlock"


@dataclass(frozen=True, slots=True)
class Slip:
    """One lever that does harm if it is moved at the wrong moment: closing or opening it, at which
    steps (from 1; the last is the state that serves), the hazards, and what stands in its way.
    """

    k: int
    closing: bool
    steps: tuple[int, ...]
    hazards: tuple[Hazard, ...]
    guard: str
    state: int

    @property
    def unguarded(self) -> bool:
        """Whether nothing stands in its way but attention, and it does harm."""
        return not self.guard and any(h.does != "asleep" for h in self.hazards)


def slips(
    moves: Moves, order: Sequence[Act], end: int, guards: Mapping[str, str]
) -> tuple[Slip, ...]:
    """Every slip of an order, the unguarded ones first. A reading or precharge that a step asks for
    holds its own act; done elsewhere it counts as not made.
    """
    plant, n = moves.plant, len(moves.plant.levers)
    states = np.array([*(a.state for a in order), end], dtype=np.int64)
    pre = settle(plant, states, moves.grid)
    rows, k = (x.ravel() for x in np.meshgrid(np.arange(len(states)), np.arange(n), indexing="ij"))
    post = settle(plant, states[rows] ^ (np.int64(1) << k), moves.grid)
    wrong = acts(plant, moves.rules, pre, rows, post, np.arange(len(rows)), k)
    found: dict[tuple[int, bool], tuple[list[int], int, int, bool]] = {}
    for row, lever, bits in zip(rows.tolist(), k.tolist(), wrong.tolist(), strict=True):
        state = int(states[row])
        planned = row < len(order) and order[row].k == lever
        if not bits or planned:
            continue
        closing = not state >> lever & 1
        held = not plant.can_be(state ^ (1 << lever))
        steps, all_bits, at, locked = found.get((lever, closing), ([], 0, state, True))
        if held != locked and not locked:
            continue
        if locked and not held:
            steps, all_bits, at, locked = [], 0, state, False
        steps.append(row + 1)
        found[lever, closing] = (steps, all_bits | bits, at, locked)
    out = [
        Slip(
            k, closing, tuple(steps), named(bits), _guard(plant.levers[k], bits, locked, guards), at
        )
        for (k, closing), (steps, bits, at, locked) in found.items()
    ]
    return tuple(sorted(out, key=_rank))


def _guard(x: Lever, bits: int, locked: bool, guards: Mapping[str, str]) -> str:
    if locked:
        return INTERLOCK
    if x.key in guards:
        return GUARDS[guards[x.key]]
    if bits & ~NOT_IN_TURN == UNDER_LOAD and x.kind in ("connectors", "battery", "pack"):
        return HANDLE if x.switches and x.switches[0].kind == "fuse" else TOOL
    if not bits & ~(READIED | NOT_IN_TURN):
        return "the reading before it" if bits & READIED else "its place in the walk"
    return ""


def _rank(s: Slip) -> tuple[bool, int, int]:
    worst = {"harm": 0, "damage": 1, "asleep": 2}
    return not s.unguarded, min(worst[h.does] for h in s.hazards), s.k
