"""What the house draws, step by step: from its meter's readings, or from the load board."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from gumboot.core.brief.loads.board import STEP_MIN, may_run
from gumboot.core.energy.calendar import STEP_H, Calendar
from gumboot.core.plan import Load

Series = NDArray[np.float64]


def of_board(loads: Sequence[Load], cal: Calendar, yearly_kwh: float | None = None) -> Series:
    """W each step: running power times the share of its hours that each draws, every day alike;
    scaled to the year's kWh where that is known.
    """
    day = np.zeros(24 * 60 // STEP_MIN)
    for x in loads:
        day += may_run(x) * x.running_w * x.duty
    out = day[cal.minute // STEP_MIN]
    total = out.sum() * STEP_H / 1000
    return np.asarray(out * (yearly_kwh / total) if yearly_kwh and total > 0 else out)


def of_meter(kwh: Series) -> Series:
    """W each step from the kWh of each."""
    return np.asarray(kwh * 1000 / STEP_H)


def backed_share(loads: Sequence[Load], cal: Calendar) -> Series:
    """The share of the house's draw that is on backup, each step, by the board; 1 where the board
    draws nothing.
    """
    whole, backed = of_board(loads, cal), of_board([x for x in loads if x.backed], cal)
    return np.asarray(np.divide(backed, whole, out=np.ones_like(whole), where=whole > 0))
