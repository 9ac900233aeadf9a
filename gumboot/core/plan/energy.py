"""Tariff, work mode, and where load and weather come from."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import (
    Field,
    StringConstraints,
)

from gumboot.core.plan.fields import (
    PRINTABLE,
    Digest,
    Name,
    Part,
    Percent,
    Price,
    WorkMode,
)
from gumboot.core.plan.loads import Window


class Rate(Part):
    """One price of a tariff, a kWh bought and sold: by the local clock on some days of some
    months.
    """

    name: Name
    buy: Price
    sell: Price = 0.0
    hours: Annotated[tuple[Window, ...], Field(max_length=6)] = ()
    days: Literal["every day", "weekdays", "weekends"] = "every day"
    from_month: Annotated[int, Field(ge=1, le=12)] = 1
    to_month: Annotated[int, Field(ge=1, le=12)] = 12


class Tariff(Part):
    """What a kWh costs, and what may flow: limits in W (that of export in all, or on each phase),
    standing charge a day, fuel of a generator a kWh.
    """

    currency: Annotated[
        str, StringConstraints(strip_whitespace=True, min_length=1, max_length=4, pattern=PRINTABLE)
    ] = "$"
    rates: Annotated[tuple[Rate, ...], Field(max_length=24)] = ()
    standing_day: Annotated[float, Field(ge=0, le=1000)] = 0.0
    fuel_kwh: Annotated[float, Field(ge=0, le=1000)] | None = None
    import_limit_w: Annotated[float, Field(gt=0, le=1_000_000)] | None = None
    export_limit_w: Annotated[float, Field(ge=0, le=1_000_000)] | None = None
    export_limit_of: Literal["in all", "each phase"] = "in all"


class Slot(Part):
    """A window of the unit's menu and the state of charge in percent it charges up to, or
    discharges down to.
    """

    start_min: Annotated[int, Field(ge=0, le=1439)]
    end_min: Annotated[int, Field(ge=1, le=1440)]
    soc: Percent


class Work(Part):
    """How the battery works: its mode; for windows the slots to charge and discharge in, and
    whether spare sun charges or is sold first.
    """

    mode: WorkMode = "self-use"
    spare_sun: Literal["battery", "grid"] = "battery"
    charge: Annotated[tuple[Slot, ...], Field(max_length=3)] = ()
    discharge: Annotated[tuple[Slot, ...], Field(max_length=3)] = ()


class Energy(Part):
    """A year of living with it: the tariff, how the battery works, and where load and weather come
    from.

    load_file and weather_file: digest of a file kept with the job. Without them load follows from
    the board (scaled to `yearly_kwh`
    if that is known) and weather is a clear sky times `climate_factor`.
    """

    tariff: Tariff = Tariff()
    work: Work = Work()
    yearly_kwh: Annotated[float, Field(gt=0, le=1_000_000)] | None = None
    load_file: Digest | None = None
    weather_file: Digest | None = None
    climate_factor: Annotated[float, Field(ge=0.1, le=1)] = 0.7
