"""In which quarter hours of the day a circuit may run, and on which legs."""

from __future__ import annotations

from collections.abc import Sequence
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from gumboot.core.basis.clock import DAY, covered
from gumboot.core.plan import Load, Window

LINE_TO_LINE = 3**-0.5
STEP_MIN = 15
DAY_STEPS = DAY // STEP_MIN
Day = NDArray[np.float64]  # W by quarter hour of the day: shape (96,)


def spans(windows: Sequence[Window]) -> list[tuple[int, int]]:
    """Windows as (start, end) in minutes."""
    return [(w.start_min, w.end_min) for w in windows]


def may_run(load: Load) -> NDArray[np.bool_]:
    """In which quarter hours of the day it may run: shape (96,)."""
    return _quarters(tuple(spans(load.hours)))


@lru_cache(maxsize=256)
def _quarters(hours: tuple[tuple[int, int], ...]) -> NDArray[np.bool_]:
    return np.asarray(covered(hours).reshape(DAY_STEPS, STEP_MIN).any(axis=1))


def share(load: Load, leg: str) -> float:
    """The share of a circuit's power on one leg, or on "all": 1/2 for each of two."""
    legs = load.legs.split("+")
    return 1.0 if leg == "all" else 1.0 / len(legs) if leg in legs else 0.0


def weight(load: Load, leg: str, lines: int) -> float:
    """What a circuit weighs on one leg of a house of so many lines, VA for each of its W; on "all"
    its power. As its share, but between two of three lines 1/√3: its current is P / V_LL, and the
    leg gives it at V_LL / √3.

    >>> round(2080 * weight(Load(id="a", name="a", running_w=2080, legs="L1+L2"), "L1", 3) / 120, 2)
    10.01
    """
    part = share(load, leg)
    return LINE_TO_LINE if part == 0.5 and lines == 3 else part
