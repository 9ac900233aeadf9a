"""Judging what the wrench said against the rated torque, within the tool's own permissible
deviation.
"""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date
from typing import Literal, get_args

from gumboot.core.basis.figure import Figure
from gumboot.core.land.tools import Wrench

Verdict = Literal["good", "under", "over", "withheld", "done"]
VERDICTS: tuple[Verdict, ...] = get_args(Verdict)


def judge(
    rated: Figure | None, torque_nm: float | None, wrench: Wrench | None, day: date
) -> tuple[Verdict, str]:
    """(verdict, why) of one reading against the rated torque, within the tool's ISO 6789 tolerance.

    Under: repeat. Over: stop, replace the hardware. Withheld: the tool cannot vouch for it.
    """
    if rated is None:
        return "done", "clicked and tugged"
    if torque_nm is None or wrench is None:
        return "withheld", "a torque needs a reading and a wrench"
    if refused := wrench.refuses(rated.n, day):
        return "withheld", refused
    share = wrench.tolerance
    low, high = band(rated.n, share)
    if torque_nm < low - 1e-9:
        return "under", "too low: apply the rated torque again"
    if torque_nm > high + 1e-9:
        return "over", "too high: stop, undo, replace the hardware, then torque again"
    return "good", f"within ±{share:.0%}"


def band(rated_nm: float, share: float) -> tuple[float, float]:
    """(least, most) torque in N·m that passes."""
    return rated_nm - share * rated_nm, rated_nm + share * rated_nm


@dataclass(frozen=True, slots=True)
class Drift:
    """A termination torqued twice: first and second reading in N·m, and the change as a fraction of
    the
    first.
    """

    first_nm: float
    second_nm: float

    @property
    def share(self) -> float:
        """(second − first) / first."""
        return (self.second_nm - self.first_nm) / self.first_nm
