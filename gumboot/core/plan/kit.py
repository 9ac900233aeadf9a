"""What is fitted."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import (
    Field,
)

from gumboot.core.plan.fields import (
    Name,
    Part,
)
from gumboot.core.plan.supply import ExistingPv, Generator


class Kit(Part):
    """What is fitted, by catalogue id. `packs` stand in parallel, each of `series` units in series;
    `towers` share one stack.
    """

    inverter: Name
    inverters: Annotated[int, Field(ge=1, le=6)]
    pack: Name | None = None
    packs: Annotated[int, Field(ge=0, le=25)] = 0
    series: Annotated[int, Field(ge=1, le=60)] = 1
    towers: Annotated[int, Field(ge=1, le=2)] = 1
    takeoff: Literal["one end", "diagonal", "star"] = "star"
    module: Name | None = None
    gateway: Name | None = None
    generator: Generator | None = None
    existing_pv: ExistingPv | None = None
