"""A test that is due on this job."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, Literal

from gumboot.core.basis.figure import Figure
from gumboot.core.prove.band import Band
from gumboot.core.walk.step import Does, Step

if TYPE_CHECKING:
    from gumboot.core.design import Design

Stage = Literal[
    "Dead, before Wake", "On the grid", "In the island", "Grid lost and back", "After an hour"
]
STAGES: tuple[Stage, ...] = (
    "Dead, before Wake",
    "On the grid",
    "In the island",
    "Grid lost and back",
    "After an hour",
)
Who = Literal["a trained person", "a licensed person", "a licensed person, two people"]
DEAD: Stage = "Dead, before Wake"
LIVE = "Live: proved tester, insulated gloves, nobody alone."


@dataclass(frozen=True, slots=True)
class Due:
    """One test.

    key: stable, for the log; place: the box where it is done; instrument: what reads it, and its
    range; method: three lines at most; stands: what must be open or closed; hazard: what can hurt;
    clause: why it is due. band: what is expected and how far off it may be, where that is a value;
    least, most: limits of the reading; limit: the figure they come from. known: the step of another
    walk where it is read; duty: the duty it closes; problem: where to look when it fails.
    probes: where the two probes go. reads: how a device shows it itself.
    """

    key: str
    stage: Stage
    title: str
    does: Does
    instrument: str
    method: tuple[str, ...]
    stands: str
    clause: str
    place: str = ""
    who: Who = "a trained person"
    hands: int = 1
    hazard: str = ""
    expects: str = ""
    band: Band | None = None
    least: float | None = None
    most: float | None = None
    limit: Figure | None = None
    known: str = ""
    duty: str = ""
    problem: str = ""
    probes: tuple[str, str] = ("", "")
    reads: str = ""
    circuit: str = ""

    def step(self) -> Step:
        """The same as a step of a walk."""
        who = "" if self.who == "a trained person" else f" By {self.who}."
        hazard = f" {self.hazard}" if self.hazard else ""
        says = f"{self.stands} {' '.join(self.method)}{hazard}{who}"
        return Step(
            self.key,
            self.stage,
            self.title,
            says.strip(),
            self.does,
            self.expects,
            self.least,
            self.most,
            shows="probes" if any(self.probes) else "",
            box=self.place,
            reads=self.reads,
        )


def pack_at(d: Design) -> str:
    """The box where a pack is read: the first, or the unit that has it inside."""
    return next((b.id for b in d.bodies if b.role == "pack"), "inverter-1")
