"""Back after a day: which terminations are due, by which school, and how far they drifted."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta

from gumboot.core.land.events import TerminationState
from gumboot.core.land.termination import Termination

AFTER = timedelta(hours=24)  # common practice


@dataclass(frozen=True, slots=True)
class Due:
    """One termination to come back to: from when, and how it stands."""

    termination: Termination
    at: datetime
    state: TerminationState


def due(
    terminations: Sequence[Termination], state_of: Callable[[Termination], TerminationState]
) -> list[Due]:
    """Every termination made off that wants a second look, in the order they come due. Those
    re-checked
    are not among them.
    """
    out = []
    for t in terminations:
        s = state_of(t)
        if t.recheck != "none" and s.complete and not s.rechecked and s.made_at:
            out.append(Due(t, datetime.fromisoformat(s.made_at.replace("Z", "+00:00")) + AFTER, s))
    return sorted(out, key=lambda d: (d.at, d.termination.number))


def drifted(
    terminations: Sequence[Termination], state_of: Callable[[Termination], TerminationState]
) -> list[tuple[Termination, TerminationState]]:
    """Terminations with a first and a second reading, the largest fall first."""
    rows = [(t, state_of(t)) for t in terminations]
    return sorted(
        ((t, s) for t, s in rows if s.drift), key=lambda r: r[1].drift.share if r[1].drift else 0.0
    )
