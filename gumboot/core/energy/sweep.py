"""How many packs, and how much sun: every candidate lives the same year. Which step still buys
something, and where the knee is.
"""

from __future__ import annotations

import itertools
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from gumboot.core.energy.battery import TOTALS, Bank, Series, many
from gumboot.core.energy.year import Inputs


@dataclass(frozen=True)
class Candidate:
    """So many packs and so many times the array: what it buys in a year. kWh, money, shares."""

    packs: int
    array: float
    bill: float
    bought: float
    sold: float
    unserved: float
    generator: float
    self_sufficiency: float


@dataclass(frozen=True)
class Sweep:
    """Candidates by array, then packs. knee: the packs at the bend of the curve, for the array as
    planned.
    """

    candidates: tuple[Candidate, ...]
    packs: tuple[int, ...]
    arrays: tuple[float, ...]
    knee: int | None


def sweep(
    i: Inputs, banks: Sequence[tuple[int, Bank]], arrays: Sequence[float], packs_now: int
) -> Sweep:
    """Every bank with every array through the year of `i`, twice: it begins with what it ended
    with. banks: (packs, bank) from fewest to most.
    """
    pairs = [(n, bank, a) for a in arrays for n, bank in banks]
    all_banks, scales = [b for _, b, _ in pairs], [a for _, _, a in pairs]
    first = many(i.sun, i.load, i.buy, i.sell, i.rules, all_banks, scales)
    settled = [
        min(1.0, e * 1000 / b.capacity_wh) if b.capacity_wh else 0.0
        for e, b in zip(first[:, -1], all_banks, strict=True)
    ]
    out = many(i.sun, i.load, i.buy, i.sell, i.rules, all_banks, scales, settled)
    rows = tuple(
        _candidate(n, a, row, i.standing_year) for (n, _, a), row in zip(pairs, out, strict=True)
    )
    here = [c for c in rows if c.array == 1.0]
    return Sweep(rows, tuple(n for n, _ in banks), tuple(arrays), knee(here, i))


def _candidate(packs: int, array: float, row: Series, standing: float) -> Candidate:
    t = dict(zip(TOTALS, (float(x) for x in row), strict=True))
    outside = t["bought"] + t["unserved"] + t["generator"]
    return Candidate(
        packs,
        array,
        t["paid"] - t["earned"] + standing,
        t["bought"],
        t["sold"],
        t["unserved"],
        t["generator"],
        max(0.0, 1 - outside / t["load"]) if t["load"] else 0.0,
    )


def worth(c: Candidate, i: Inputs) -> float:
    """What a candidate is judged by, the less the better: the bill, or off grid the kWh the house
    goes without or burns fuel for.
    """
    return c.unserved + c.generator if i.off_grid else c.bill if np.any(i.buy) else c.bought


def knee(row: Sequence[Candidate], i: Inputs) -> int | None:
    """The point farthest from the straight line between the first and the last, both axes scaled to
    one (Satopää and others, 2011).

    None when the curve does not fall.
    """
    if len(row) < 3:
        return None
    x = np.array([float(c.packs) for c in row])
    y = np.array([worth(c, i) for c in row])
    if y[0] - y[-1] < 1e-6 * max(1.0, abs(y[0])):
        return None
    x, y = (x - x[0]) / (x[-1] - x[0]), (y[0] - y) / (y[0] - y[-1])
    return row[int((y - x).argmax())].packs


def steps_of(row: Sequence[Candidate], i: Inputs) -> list[float]:
    """What each step to one more candidate buys, a pack: shape (len(row) - 1,)."""
    return [
        (worth(a, i) - worth(b, i)) / max(1, b.packs - a.packs) for a, b in itertools.pairwise(row)
    ]
