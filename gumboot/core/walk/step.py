"""One step of a walk."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

Does = Literal[
    "tick",
    "ohm",
    "megohm",
    "dbm",
    "volt",
    "pins",
    "ct",
    "act",
    "wait",
    "duty",
    "key",
    "text",
    "amp",
    "milliamp",
    "ms",
    "seconds",
    "hertz",
    "percent",
    "watt",
    "light",
    "celsius",
    "page",
]


@dataclass(frozen=True, slots=True)
class Step:
    """One step: its key, the stage of the walk, what it is about, what is done, what closes it.

    least, most: of a reading. shows: the key of the drawing beside it. box: where it is done.
    lever: the switch or button that an act moves, or what a display shows; wait_s: how long a wait
    may take. reads: which unit, from 1, shows it itself, and as what ("1:output L1 V").
    """

    key: str
    stage: str
    title: str
    says: str
    does: Does = "tick"
    expects: str = ""
    least: float | None = None
    most: float | None = None
    shows: str = ""
    box: str = ""
    lever: str = ""
    wait_s: float | None = None
    reads: str = ""

    def within(self, value: float, slack: float = 0.0) -> bool:
        """Whether a reading is as expected, or no further off than a slack in its unit."""
        return (self.least is None or value >= self.least - slack) and (
            self.most is None or value <= self.most + slack
        )
