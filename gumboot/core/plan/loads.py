"""The circuits of the house."""

from __future__ import annotations

from typing import Annotated

from pydantic import (
    Field,
    model_validator,
)

from gumboot.core.plan.fields import (
    Key,
    Legs,
    LoadKind,
    Name,
    Part,
)


class Window(Part):
    """A stretch of the day by the local clock, in minutes from midnight; one that ends before it
    starts runs through midnight.
    """

    start_min: Annotated[int, Field(ge=0, le=1439)]
    end_min: Annotated[int, Field(ge=1, le=1440)]

    @model_validator(mode="after")
    def _not_empty(self) -> Window:
        if self.start_min == self.end_min:
            raise ValueError(
                "a stretch of the day that starts and ends at the same time: type it as 6-9"
            )
        return self


class Load(Part):
    """One circuit of the house: power in W running and starting, its legs, the hours it runs and
    the share of them it draws.

    starting_w None: by its kind, or from its locked-rotor current in A. `must` live in an outage,
    or may drop.
    """

    id: Key
    name: Name
    kind: LoadKind = "resistive"
    running_w: Annotated[float, Field(gt=0, le=200_000)]
    starting_w: Annotated[float, Field(gt=0, le=1_000_000)] | None = None
    locked_rotor_a: Annotated[float, Field(gt=0, le=4000)] | None = None
    legs: Legs = "L1"
    backed: bool = True
    must: bool = False
    hours: Annotated[tuple[Window, ...], Field(max_length=6)] = ()
    duty: Annotated[float, Field(gt=0, le=1)] = 1.0
    soft_start: bool = False
