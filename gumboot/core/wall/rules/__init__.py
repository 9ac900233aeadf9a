"""The rules of a wall: each function one rule, from a scene to findings. What is too near, too
high, on wood, in the rain, in the way.
"""

from gumboot.core.wall.rules.backing import (
    MOST_BACKING,
    backing_change,
    board_behind,
    combustible,
    rect_of_backing,
)
from gumboot.core.wall.rules.growing import first_free, growing, growth
from gumboot.core.wall.rules.judge import judge
from gumboot.core.wall.rules.scene import Scene, bounds
from gumboot.core.wall.rules.weather import fall_off_db
from gumboot.core.wall.rules.working import (
    EYE_OFF_MM,
    HANDLE_BELOW_TOP_MM,
    HANDLE_MM,
    WORKING_PROUD_MM,
    working_box,
)

__all__ = [
    "EYE_OFF_MM",
    "HANDLE_BELOW_TOP_MM",
    "HANDLE_MM",
    "MOST_BACKING",
    "WORKING_PROUD_MM",
    "Scene",
    "backing_change",
    "board_behind",
    "bounds",
    "combustible",
    "fall_off_db",
    "first_free",
    "growing",
    "growth",
    "judge",
    "rect_of_backing",
    "working_box",
]
