"""Tools of the crew: crimpers and their dies, bits, testers, what lifts."""

from __future__ import annotations

from typing import Literal

from gumboot.core.kit.entry import Entry, Positive


class Tool(Entry):
    """A tool: what it is, as it is called in lug charts and at terminals, and what it takes (dies
    of a crimper, sizes of bits). volts_max, category: of a tester. Torque tools stand under
    Wrenches, with their calibration.
    """

    kind: Literal["tool"]
    id: str
    role: Literal["crimper", "bit", "stripper", "drill", "tester", "lift", "other"]
    label: str
    takes: tuple[str, ...] = ()
    volts_max: Positive | None = None
    category: Literal["CAT II", "CAT III", "CAT IV", ""] = ""

    def serves(self, name: str, part: str = "") -> bool:
        """Whether it is the tool of a name, and takes a die of it where one is asked for."""
        called = name.strip().lower() in (self.label.lower(), *(t.lower() for t in self.takes))
        takes = not part or any(part.strip().lower() == t.lower() for t in self.takes)
        return called and (takes or not self.takes)
