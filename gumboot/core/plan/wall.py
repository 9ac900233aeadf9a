"""Walls and what hangs on them."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import (
    Field,
    model_validator,
)

from gumboot.core.plan.fields import (
    Across,
    Extent,
    Key,
    Letter,
    Name,
    NeighbourKind,
    Part,
    Reached,
)


class Spot(Part):
    """Where the left lower corner of a body is, in mm from the wall's left edge and the floor."""

    x_mm: Across
    y_mm: Across


class Neighbour(Part):
    """Something the wall has already: its left lower corner and size in mm. A hidden pipe or cable
    is the strip that no bit may enter.
    """

    kind: NeighbourKind
    x_mm: Across
    y_mm: Across
    width_mm: Extent
    height_mm: Extent


class Backing(Part):
    """A board or rail between wall and equipment. Boards stop fire and hold nothing; rails are
    screwed to every stud they cross and hold.
    """

    material: Literal["cement board", "steel sheet", "rail"] = "cement board"
    x_mm: Across
    y_mm: Across
    width_mm: Extent
    height_mm: Extent


class Extra(Part):
    """Something else that the crew hangs: size in mm, mass in kg. Conductors may pass through a
    trough.
    """

    id: Key
    kind: Literal["trough", "disconnect", "meter", "network box", "other"] = "other"
    label: Name
    width_mm: Extent
    height_mm: Extent
    depth_mm: Extent = 120.0
    mass_kg: Annotated[float, Field(gt=0, le=500)] = 2.0


class Wall(Part):
    """One wall, seen from the front. Millimetres from its left edge and the floor.

    Studs: the middle of the first one, their pitch and width. A corner is an adjoining wall.
    front_mm: free floor before it; opposite: what faces it there: nothing earthed, something
    earthed (concrete, brick and tile count), or live parts.
    eye_mm: level of the eye of who will read the displays. behind: the room on the other side.
    reach_mm: how far before the ankles the hands lift; None follows from the box.
    """

    id: Letter
    name: Name = "Wall"
    width_mm: Extent = 3600.0
    height_mm: Extent = 2400.0
    made: Literal["concrete", "solid brick", "hollow block", "timber studs", "steel studs"] = (
        "solid brick"
    )
    lining: Literal["none", "gypsum board", "wood"] = "none"
    lining_mm: Annotated[float, Field(ge=0, le=100)] = 0.0
    stud_first_mm: Across = 0.0
    stud_pitch_mm: Annotated[float, Field(ge=100, le=2000)] = 406.4
    stud_width_mm: Annotated[float, Field(ge=20, le=200)] = 38.0
    place: Literal["indoors", "garage", "outdoors"] = "indoors"
    sun: Reached = "unknown"
    rain: Reached = "unknown"
    corner_left: bool = False
    corner_right: bool = False
    front_mm: Extent | None = None
    eye_mm: Annotated[float, Field(ge=800, le=2200)] = 1550.0
    opposite: Literal["unknown", "insulating", "grounded", "live"] = "unknown"
    behind: Literal["unknown", "outdoors", "bedroom", "living room", "other"] = "unknown"
    swept: bool = False
    reach_mm: Annotated[float, Field(ge=250, le=800)] | None = None
    neighbours: Annotated[tuple[Neighbour, ...], Field(max_length=40)] = ()
    backing: Annotated[tuple[Backing, ...], Field(max_length=20)] = ()
    extras: Annotated[tuple[Extra, ...], Field(max_length=20)] = ()
    placed: dict[Key, Spot] = Field(default_factory=dict)
    anchor: Key | None = None

    @model_validator(mode="after")
    def _extras_differ(self) -> Wall:
        if len({x.id for x in self.extras}) != len(self.extras):
            raise ValueError("two things that hang on this wall have the same id")
        return self


class Spacing(Part):
    """What the authority said of storage, in mm: from doors and windows, and from other storage.
    None: common practice is used, and said.
    """

    opening_mm: Annotated[float, Field(ge=0, le=10_000)] | None = None
    storage_mm: Annotated[float, Field(ge=0, le=10_000)] | None = None
