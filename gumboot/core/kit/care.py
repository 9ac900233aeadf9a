"""What a device wants over the years, as its manual says."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from gumboot.core.kit.entry import Entry

CareOf = Literal[
    "settings", "firmware", "torque", "insulation", "charge drift", "sharing", "clean", "look"
]


class Care(Entry):
    """what: in the manual's words; every_months: how often; does: which part of a visit it is; by:
    who does it.
    """

    what: str = Field(min_length=1, max_length=160)
    every_months: Annotated[int, Field(ge=1, le=120)] = 12
    does: CareOf = "look"
    by: Literal["crew", "owner"] = "crew"
