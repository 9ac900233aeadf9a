"""Legal layouts of a wall, proposed: every gap kept, displays at the eye, brackets on studs, cables
short, a row tidy. CP-SAT, by OR-Tools.

Variables are the left lower corners on a grid of `GRID_MM`. Two things keep apart when one of four
holds: left, right, above or below,
by what `gaps.between` asks; so what is proposed here is what `rules.judge` accepts, and it is
judged again before it is shown.
"""

from gumboot.core.wall.arrange.arrange import Arranged, arrange
from gumboot.core.wall.arrange.job import ALIKE, GRID_MM, RULES, Job
from gumboot.core.wall.arrange.layout import merged

__all__ = ["ALIKE", "GRID_MM", "RULES", "Arranged", "Job", "arrange", "merged"]
