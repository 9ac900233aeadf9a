"""The strings."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import (
    Field,
)

from gumboot.core.plan.fields import (
    Letter,
    Name,
    Part,
)
from gumboot.core.plan.run import Run


class PvString(Part):
    """One string: its letter, inverter (from 1) or charge controller (from 1; 0: it is on an
    inverter), tracker, modules in series, and how it faces. module: by catalogue id, where it is
    not the job's; there: whether its modules are up already. rows: of so many modules each,
    joined at the array by branch connectors.
    """

    letter: Letter
    inverter: Annotated[int, Field(ge=1, le=6)] = 1
    controller: Annotated[int, Field(ge=0, le=12)] = 0
    tracker: Name = "1"
    modules: Annotated[int, Field(ge=1, le=999)]
    module: Name | None = None
    there: bool = False
    rows: Annotated[int, Field(ge=1, le=4)] = 1
    mounting: Literal["roof", "rack"] = "roof"
    tilt_deg: Annotated[float, Field(ge=0, le=90)] = 30
    azimuth_deg: Annotated[float, Field(ge=0, lt=360)] = 180
    run: Run

    @property
    def count(self) -> int:
        """Its modules in all."""
        return self.rows * self.modules

    @property
    def stays(self) -> bool:
        """Whether it stays as it is when the others are strung anew."""
        return self.there or self.module is not None

    @property
    def on(self) -> tuple[int, int, str]:
        """What it shares with the strings beside it: (controller, inverter, tracker)."""
        return (self.controller, 0 if self.controller else self.inverter, self.tracker)
