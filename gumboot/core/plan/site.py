"""Where the job is."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import (
    Field,
    model_validator,
)

from gumboot.core.plan.climate import guessed_c
from gumboot.core.plan.fields import (
    TEMPERATURES,
    Celsius,
    Name,
    Part,
    Temperature,
    Text,
    Zone,
)


class Site(Part):
    """Where it is, and how cold and hot it gets, in °C. `guessed` names the temperatures that
    nobody gave: they follow from where it lies.

    Latitude north and longitude east are positive, in degrees; zone is a name of the IANA time zone
    database. building: a dwelling, another, or one that houses nothing but equipment.
    """

    name: Name
    address: Text = ""
    latitude_deg: Annotated[float, Field(ge=-66, le=66)] | None = None
    longitude_deg: Annotated[float, Field(ge=-180, le=180)] | None = None
    altitude_m: Annotated[float, Field(ge=-430, le=6000)] | None = None
    zone: Zone | None = None
    t_min_c: Celsius
    t_roof_c: Celsius
    t_wall_c: Celsius
    guessed: tuple[Temperature, ...] = ()
    building: Literal["dwelling", "other", "equipment only"] = "dwelling"

    @model_validator(mode="before")
    @classmethod
    def _guess(cls, data: object) -> object:
        if not isinstance(data, dict):
            return data
        unknown = [
            t for t in TEMPERATURES if data.get(t) is None or t in (data.get("guessed") or ())
        ]
        latitude = data.get("latitude_deg")
        if not unknown or not isinstance(latitude, int | float) or not -66 <= latitude <= 66:
            return {k: v for k, v in data.items() if v is not None or k not in TEMPERATURES} | (
                {"guessed": ()} if unknown else {}
            )
        altitude, east = data.get("altitude_m"), data.get("longitude_deg")
        guesses = guessed_c(
            latitude,
            altitude if isinstance(altitude, int | float) else None,
            east if isinstance(east, int | float) else None,
        )
        return {**data, **{t: guesses[t] for t in unknown}, "guessed": unknown}

    @model_validator(mode="after")
    def _cold_below_hot(self) -> Site:
        if self.t_min_c >= self.t_roof_c:
            raise ValueError("the lowest temperature must be below the array's design ambient")
        return self
