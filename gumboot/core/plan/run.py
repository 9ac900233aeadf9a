"""Runs of conductors, and what the crew fixes of a circuit."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import (
    Field,
    StringConstraints,
)

from gumboot.core.plan.fields import (
    PRINTABLE,
    Amps,
    Celsius,
    Method,
    Metres,
    Name,
    Part,
    Size,
    Text,
)


class Run(Part):
    """A run of conductors: one-way length in m, how it is run, and what shares its way.

    Runs that name the same raceway share it; `in_raceway` states the current-carrying conductors
    (NEC) or loaded
    circuits (IEC) there outright, for what Gumboot does not know of. `parallel` sets of conductors
    share the current. there: the wiring is there already: judged, but neither bought, cut nor made
    off. conduit: what an enclosed way is made of, under the NEC.
    """

    length_m: Metres
    method: Method = "raceway"
    material: Literal["Cu", "Al"] = "Cu"
    ambient_c: Celsius | None = None
    in_raceway: Annotated[int, Field(ge=1, le=60)] | None = None
    raceway: Annotated[
        str, StringConstraints(strip_whitespace=True, max_length=20, pattern=PRINTABLE)
    ] = ""
    parallel: Annotated[int, Field(ge=1, le=6)] = 1
    there: bool = False
    conduit: Literal["EMT", "PVC", "RMC"] = "EMT"


class Fitted(Part):
    """The crew's own choice for one circuit: line conductor, its earth, protection in A. Kept and
    judged, never silently replaced.
    """

    size: Size | None = None
    earth: Size | None = None
    protection_a: Amps | None = None


class Reel(Part):
    """A remnant the crew has: cable by catalogue id, size, colour, and its length in m."""

    cable: Name
    size: Size
    colour: Text = ""
    length_m: Metres
