"""What a code on a unit's display means."""

from __future__ import annotations

from pydantic import Field

from gumboot.core.kit.entry import Entry


class Alarm(Entry):
    """code: as the display shows it; means: in the manual's words; look: what to look at first;
    problem: which search for a cause serves it ("no_island"), empty for none.
    """

    code: str = Field(min_length=1, max_length=12)
    means: str = Field(min_length=1, max_length=120)
    look: str = Field(default="", max_length=200)
    problem: str = Field(default="", pattern=r"^[a-z_]{0,24}$")
