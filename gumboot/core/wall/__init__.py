"""The wall: where everything stands, what it is screwed to, how its conductors run, and who lifts
it.

boxes ──places──▶ scene ──▶ rules (too near, on wood, in the rain)
                    │
                    ├──▶ routes ──▶ lengths of circuits
                    ├──▶ holes, anchors, loads ──▶ drill sheet, template
                    └──▶ lifts
"""

from gumboot.core.wall.bodies import Box, Placed, boxes
from gumboot.core.wall.drill import Drill, drill_sheet, steps
from gumboot.core.wall.hang import WallDesign, hang, wall_findings
from gumboot.core.wall.routes import with_runs

__all__ = [
    "Box",
    "Drill",
    "Placed",
    "WallDesign",
    "boxes",
    "drill_sheet",
    "hang",
    "steps",
    "wall_findings",
    "with_runs",
]
