"""What was seen at the house."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import (
    Field,
)

from gumboot.core.plan.fields import (
    Key,
    Part,
    Text,
    YesNo,
)


class Survey(Part):
    """What was seen at the house. "unknown" stays so until someone looks; `confirmed` and
    `licensed` name who said or holds what.
    """

    wall: Literal[
        "unknown", "concrete", "solid brick", "hollow block", "timber studs", "steel studs"
    ] = "unknown"
    surface: Literal["unknown", "non-combustible", "combustible"] = "unknown"
    sun: YesNo = "unknown"
    rain: YesNo = "unknown"
    opening_m: Annotated[float, Field(ge=0, le=100)] | None = None
    network: Literal["unknown", "wired", "wireless, good", "wireless, weak", "none"] = "unknown"
    confirmed: dict[Key, Text] = Field(default_factory=dict)
    licensed: dict[Key, Text] = Field(default_factory=dict)
