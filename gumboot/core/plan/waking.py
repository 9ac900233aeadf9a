"""What the crew decides about switching on: by which school, and what keeps a hand off a switch."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from gumboot.core.plan.fields import Key, Part

School = Literal["maker", "battery first", "grid first", "island first"]
Guarded = Literal["padlock", "capped", "person"]


class Waking(Part):
    """school: the order of switching on where the maker leaves it open; alone: units are first
    started one by one; rehearse: whether a clean run is asked before the day. guards: what keeps a
    switch from being moved at the wrong moment, by its key: a padlock, a plug parked and capped, a
    person who stands there.
    """

    school: School = "maker"
    alone: bool | None = None
    rehearse: bool = False
    guards: Annotated[dict[Key, Guarded], Field(max_length=60)] = Field(default_factory=dict)
