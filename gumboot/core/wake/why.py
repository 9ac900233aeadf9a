"""Why an act stands where it stands: what it would do before the act it waits for."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from gumboot.core.wake.hazard import READIED, Hazard, named
from gumboot.core.wake.order import Act, Moves


@dataclass(frozen=True, slots=True)
class Reason:
    """waits_for: the number of the act before which it would do harm, -1 where there is none; the
    hazards it would have there. school: whether its school ranks it after what stands before it.
    """

    waits_for: int
    hazards: tuple[Hazard, ...]
    school: bool


def reasons(moves: Moves, order: Sequence[Act], ranks: Sequence[int]) -> tuple[Reason, ...]:
    """Why each act of an order stands where it stands: the last act before it without which it
    would do harm, made in the state before that act.
    """
    out: list[Reason] = []
    for n, a in enumerate(order):
        waits, hazards = -1, 0
        for j in range(n - 1, -1, -1):
            state = order[j].state
            if (state >> a.k & 1) == a.closing:
                break  # it was moved between: an earlier state asks something else
            bits = int(np.asarray(moves.wrong(state, [a.k]))[0]) & ~READIED
            if bits or not moves.plant.can_be(state ^ 1 << a.k):
                waits, hazards = j, bits
                break
        before = n > 0 and ranks[order[n - 1].k] < ranks[a.k]
        out.append(Reason(waits, named(hazards), before))
    return tuple(out)
