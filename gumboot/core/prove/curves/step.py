"""A load step as several devices showed it, each late by its own time.

Each series is taken as one level before and one after; where it changes is found by the least
squares of every place, not guessed. What changed then is free of lags, and sums must close:
array + battery + grid = loads, all in W, given and taken as they are named.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from gumboot.core.prove.curves.diode import Array

LEAST_SIDE = 3  # readings a side of the step
CLEAR = 4.0  # times its own noise: a step that is seen


@dataclass(frozen=True, slots=True)
class Stepped:
    """One series: when it changed (s), from what to what (W), and the standard uncertainty of the
    change.
    """

    name: str
    at: float
    before: float
    after: float
    u: float

    @property
    def change(self) -> float:
        """W."""
        return self.after - self.before

    @property
    def seen(self) -> bool:
        """Whether it is clear of its own noise."""
        return abs(self.change) > CLEAR * max(self.u, 1e-9)


@dataclass(frozen=True, slots=True)
class Closed:
    """All of a step: each series, how late each is against the first to change (s), what is left
    over, W, and how far off that may be (about 95 %).
    """

    rows: tuple[Stepped, ...]
    late: dict[str, float]
    left: float
    off: float

    @property
    def closes(self) -> bool:
        """Whether the sum closes within its band."""
        return abs(self.left) <= self.off


def stepped(name: str, t: Array, y: Array) -> Stepped:
    """Where and by how much a series changes. Raises ValueError with fewer than three readings a
    side.
    """
    n = len(y)
    if n < 2 * LEAST_SIDE:
        raise ValueError(f"{name}: {n} readings are too few: {2 * LEAST_SIDE} at least")
    k = np.arange(LEAST_SIDE, n - LEAST_SIDE + 1)
    sums, squares = np.cumsum(y), np.cumsum(y**2)
    left = squares[k - 1] - sums[k - 1] ** 2 / k
    right = (squares[-1] - squares[k - 1]) - (sums[-1] - sums[k - 1]) ** 2 / (n - k)
    cut = int(k[(left + right).argmin()])
    before, after = float(y[:cut].mean()), float(y[cut:].mean())
    rest = np.concatenate([y[:cut] - before, y[cut:] - after])
    noise = float(np.sqrt((rest**2).sum() / max(n - 2, 1)))
    u = noise * math.sqrt(1 / cut + 1 / (n - cut))
    return Stepped(name, float((t[cut - 1] + t[cut]) / 2), before, after, u)


SIGN = {"array": 1.0, "battery": 1.0, "grid": 1.0, "loads": -1.0}
METER = 0.02  # of a change, of each device: common practice of their class


def closed(series: dict[str, tuple[Array, Array]]) -> Closed:
    """A step as several series saw it; names as in SIGN, others are passed over. Raises ValueError
    where the loads are not among them, or nothing changed.
    """
    rows = [stepped(k, t, y) for k, (t, y) in series.items() if k in SIGN]
    if not any(r.name == "loads" for r in rows):
        raise ValueError("no column of the loads: choose which one it is")
    if not any(r.seen for r in rows):
        raise ValueError("nothing changes in it: was the load switched while it ran?")
    first = min((r.at for r in rows if r.seen), default=0.0)
    late = {r.name: r.at - first for r in rows if r.seen}
    left = sum(SIGN[r.name] * r.change for r in rows)
    off = 2 * math.sqrt(sum(r.u**2 + (METER * r.change / math.sqrt(3)) ** 2 for r in rows))
    return Closed(tuple(rows), late, left, off)
