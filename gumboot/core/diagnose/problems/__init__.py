"""What is seen to be wrong on such jobs, with its causes and looks. How likely a cause is, what it
shows and how long a look takes are common practice; a crew changes the weights.
"""

from gumboot.core.diagnose.engine import Problem
from gumboot.core.diagnose.problems.ac import AC
from gumboot.core.diagnose.problems.battery import BATTERY
from gumboot.core.diagnose.problems.pv import PV

PROBLEMS: dict[str, Problem] = {p.key: p for p in (*PV, *BATTERY, *AC)}
