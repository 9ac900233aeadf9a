"""In which quarter hours of the day a circuit may run, and on which legs."""

from __future__ import annotations

from collections.abc import Sequence
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from gumboot.core.basis.clock import DAY, covered
from gumboot.core.plan import Load, Window

TAN_30 = 3**-0.5
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


def weight(load: Load, leg: str, wye: bool) -> complex:
    """What a circuit puts on one leg, for each of its W: its share in phase with that leg's volts,
    and what is a quarter turn off; on "all" its power. wye: whether lines stand 120° apart. Between
    two of them the current is P / V_LL, 30° ahead of the leg that the other follows, and 30° behind
    the other.

    >>> heater = Load(id="a", name="a", running_w=2080, legs="L1+L2")
    >>> round(abs(2080 * weight(heater, "L1", True)) / 120, 2)
    10.01
    """
    part = share(load, leg)
    if part != 0.5 or not wye:
        return part
    other = load.legs.replace(leg, "").strip("+")
    ahead = (int(other[1]) - int(leg[1])) % 3 == 1
    return complex(part, part * TAN_30 * (1 if ahead else -1))
