"""The kinds of field a plan is made of, and their limits of sense."""

from __future__ import annotations

from typing import Annotated, Literal, get_args
from zoneinfo import ZoneInfo

from pydantic import (
    AfterValidator,
    BaseModel,
    ConfigDict,
    Field,
    StringConstraints,
)

from gumboot.core.kit import Family


def known_zone(name: str) -> str:
    """A zone that the time zone database has. Raises ValueError, with what to type."""
    try:
        ZoneInfo(name)
    except (KeyError, OSError, ValueError) as exc:
        raise ValueError(
            f"“{name}” is not a time zone: type one such as America/Denver or Europe/Dublin"
        ) from exc
    return name


Amps = Annotated[float, Field(gt=0, le=4000)]
Celsius = Annotated[float, Field(ge=-60, le=90)]
Metres = Annotated[float, Field(gt=0, le=500)]
PRINTABLE = r"^[^\x00-\x1f\x7f]*$"
Name = Annotated[
    str, StringConstraints(strip_whitespace=True, min_length=1, max_length=80, pattern=PRINTABLE)
]
Text = Annotated[str, StringConstraints(strip_whitespace=True, max_length=200, pattern=PRINTABLE)]
Key = Annotated[str, StringConstraints(pattern=r"^[A-Za-z0-9_.-]{1,40}$")]
Letter = Annotated[str, StringConstraints(pattern=r"^[A-Z]$")]
Zone = Annotated[
    str,
    StringConstraints(pattern=r"^[A-Za-z0-9_+-]{1,30}(/[A-Za-z0-9_+-]{1,30}){0,2}$"),
    AfterValidator(known_zone),
]
Temperature = Literal["t_min_c", "t_roof_c", "t_wall_c"]
TEMPERATURES: tuple[Temperature, ...] = get_args(Temperature)
Digest = Annotated[str, StringConstraints(pattern=r"^[0-9a-f]{64}$")]
Percent = Annotated[float, Field(ge=0, le=100)]
Price = Annotated[float, Field(ge=-1000, le=1000)]
Across = Annotated[float, Field(ge=-20_000, le=20_000)]
Extent = Annotated[float, Field(gt=0, le=20_000)]
NeighbourKind = Literal[
    "door",
    "window",
    "bedroom window",
    "water tap",
    "gas meter",
    "electricity meter",
    "panel",
    "socket",
    "shelf",
    "flue",
    "hidden pipe",
    "hidden cable",
]
LoadKind = Literal["resistive", "heater", "electronics", "motor", "pump"]
Legs = Literal["L1", "L2", "L3", "L1+L2", "L2+L3", "L1+L3", "L1+L2+L3"]
WorkMode = Literal["self-use", "reserve for outage", "windows"]
YesNo = Literal["unknown", "yes", "no"]
Reached = Literal["unknown", "no", "yes", "left half", "right half"]
Method = Literal[
    "raceway", "raceway-on-roof", "free-air", "A1", "A2", "B1", "B2", "C", "D1", "D2", "E", "F"
]
Size = Annotated[str, StringConstraints(pattern=r"^(\d{1,4}|[1-4]/0|\d{1,3}(\.\d)? mm²)$")]
FAMILIES: tuple[Family, ...] = tuple(f for f in get_args(Family) if f != "pv")
Landing = Literal["maker", "battery first", "battery last", "unit by unit"]


class Part(BaseModel):
    """Frozen, and refuses what it does not know."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)
