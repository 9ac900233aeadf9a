"""Land: every conductor made off right, and proven so."""

from gumboot.core.land.events import Act, Event, TerminationState, illegal, state_of
from gumboot.core.land.findings import termination_findings, tool_findings
from gumboot.core.land.judging import Verdict, band, judge
from gumboot.core.land.listing import list_terminations
from gumboot.core.land.order import SCHOOLS, School, school_of
from gumboot.core.land.termination import Termination
from gumboot.core.land.tools import CLASSES, PER_NM, Scale, Wrench, best_wrench, in_scale, lacking

__all__ = [
    "CLASSES",
    "PER_NM",
    "SCHOOLS",
    "Act",
    "Event",
    "Scale",
    "School",
    "Termination",
    "TerminationState",
    "Verdict",
    "Wrench",
    "band",
    "best_wrench",
    "illegal",
    "in_scale",
    "judge",
    "lacking",
    "list_terminations",
    "school_of",
    "state_of",
    "termination_findings",
    "tool_findings",
]
