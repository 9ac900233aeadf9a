"""Readings and weather as they are kept with a job: plain CSV, as others may read them."""

from __future__ import annotations

import io

import numpy as np

from gumboot.core.energy.calendar import STEPS, Calendar
from gumboot.core.energy.sun import Weather
from gumboot.core.energy.year import Readings
from gumboot.imports.interval import Unreadable
from gumboot.imports.weather import HOURS

WEATHER = ("ghi_w_m2", "dni_w_m2", "dhi_w_m2", "air_c", "wind_m_s")
MEDIA = "text/csv; charset=utf-8"


def write_readings(readings: Readings, cal: Calendar) -> bytes:
    """Each quarter hour: when it starts (UTC) and kWh."""
    starts = np.datetime_as_string(cal.start.astype("datetime64[s]"), unit="s")
    lines = [f"{t}Z,{kwh:.6g}" for t, kwh in zip(starts, readings.kwh, strict=True)]
    return "\n".join([f"start,kwh_of_{readings.year}", *lines, ""]).encode()


def read_readings(data: bytes) -> Readings:
    """What `write_readings` wrote. Raises Unreadable."""
    head, _, rest = data.decode().partition("\n")
    year = head.rpartition("_")[2]
    kwh = np.loadtxt(io.StringIO(rest), delimiter=",", usecols=1, ndmin=1) if rest else np.zeros(0)
    if (
        len(kwh) != STEPS
        or not year.isdecimal()
        or not np.isfinite(kwh).all()
        or not 1980 <= int(year) <= 2100
    ):
        raise Unreadable("These are not the readings of a year as Gumboot keeps them.")
    return Readings(int(year), kwh)


def write_weather(weather: Weather) -> bytes:
    """Each hour of a year in standard time."""
    table = np.column_stack([weather.ghi, weather.dni, weather.dhi, weather.air_c, weather.wind])
    out = io.StringIO()
    np.savetxt(out, table, fmt="%.6g", delimiter=",", header=",".join(WEATHER), comments="")
    return out.getvalue().encode()


def read_weather(data: bytes) -> Weather:
    """What `write_weather` wrote. Raises Unreadable."""
    table = np.loadtxt(io.BytesIO(data), delimiter=",", skiprows=1, ndmin=2)
    if table.shape != (HOURS, len(WEATHER)) or not np.isfinite(table).all():
        raise Unreadable("This is not the weather of a year as Gumboot keeps it.")
    return Weather(*table.T)
