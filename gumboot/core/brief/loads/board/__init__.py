"""The board's figures, leg by leg.

leg L1 ──┬── kitchen        running: the sum
         ├── well pump      starting: the others run, and one starts
leg L2 ──┴── freezer        a circuit on both legs gives half to each
"""

from gumboot.core.brief.loads.board.design import Board, design_board
from gumboot.core.brief.loads.board.hours import (
    DAY_STEPS,
    STEP_MIN,
    may_run,
    share,
    spans,
    weight,
)
from gumboot.core.brief.loads.board.legs import Leg, Sheet, design_leg
from gumboot.core.brief.loads.board.ratings import leg_ratings, ratings
from gumboot.core.brief.loads.board.starting import SOFT_START, STARTING, STARTS_S, starting_power

__all__ = [
    "DAY_STEPS",
    "SOFT_START",
    "STARTING",
    "STARTS_S",
    "STEP_MIN",
    "Board",
    "Leg",
    "Sheet",
    "design_board",
    "design_leg",
    "leg_ratings",
    "may_run",
    "ratings",
    "share",
    "spans",
    "starting_power",
    "weight",
]
