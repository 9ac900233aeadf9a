"""A typical year of hourly weather: EPW (EnergyPlus) or TMY3 (NREL) files."""

from __future__ import annotations

import csv
import io
from collections.abc import Sequence
from dataclasses import dataclass
from typing import IO

import numpy as np

from gumboot.core.energy.sun import Weather
from gumboot.imports.interval import Report, Unreadable

HOURS = 8760
EPW = {
    "air": 6,
    "ghi": 13,
    "dni": 14,
    "dhi": 15,
    "wind": 21,
}  # columns from 0: EnergyPlus Auxiliary Programs, "EPW data dictionary"
TMY3 = {
    "air": "dry-bulb (c)",
    "ghi": "ghi (w/m^2)",
    "dni": "dni (w/m^2)",
    "dhi": "dhi (w/m^2)",
    "wind": "wspd (m/s)",
}  # NREL/TP-581-43156
RANGE = {
    "air": (-90.0, 65.0),
    "ghi": (0.0, 1600.0),
    "dni": (0.0, 1400.0),
    "dhi": (0.0, 1200.0),
    "wind": (0.0, 80.0),
}


@dataclass(frozen=True)
class Station:
    """Where the weather is from: degrees north and east, hours from UTC."""

    name: str
    latitude_deg: float
    longitude_deg: float
    utc_offset_h: float


def read_weather(file: IO[bytes]) -> tuple[Weather, Station, Report]:
    """The year and its station. Raises Unreadable with the line that is wrong."""
    report = Report()
    text = file.read().decode("latin-1")
    if "\x00" in text[:4000]:
        raise Unreadable("This is not a text file. Give weather as EPW or TMY3.")
    try:
        rows = list(csv.reader(io.StringIO(text)))
    except csv.Error as exc:
        raise Unreadable(f"The file is not CSV: {exc}. Give weather as EPW or TMY3.") from exc
    if not rows or len(rows) < 3:
        raise Unreadable("The file is empty. Give weather as EPW or TMY3.")
    try:
        if rows[0][:1] == ["LOCATION"]:
            station = Station(rows[0][1], float(rows[0][6]), float(rows[0][7]), float(rows[0][8]))
            columns, skip, feb = EPW, 8, (1, 2)
        else:
            names = [c.strip().lower() for c in rows[1]]
            columns, skip, feb = {k: names.index(v) for k, v in TMY3.items()}, 2, (0, 0)
            station = Station(rows[0][1], float(rows[0][4]), float(rows[0][5]), float(rows[0][3]))
    except (ValueError, IndexError) as exc:
        raise Unreadable(
            "The head of the file is neither that of EPW (a line LOCATION) nor of TMY3 (a line of"
            " column names)."
        ) from exc
    data = [(n + skip + 1, row) for n, row in enumerate(rows[skip:]) if row]
    data = [(n, row) for n, row in data if not _leap(row, feb)]
    if len(data) != HOURS:
        raise Unreadable(
            f"The file has {len(data)} hours (last at line {data[-1][0] if data else skip}); a year"
            f" of {HOURS} is needed."
        )
    series = {k: _column(data, k, at, report) for k, at in columns.items()}
    report.found.append(
        f"Weather of {station.name}, {station.latitude_deg:g}° north, {station.longitude_deg:g}°"
        " east."
    )
    return (
        Weather(series["ghi"], series["dni"], series["dhi"], series["air"], series["wind"]),
        station,
        report,
    )


def _leap(row: Sequence[str], at: tuple[int, int]) -> bool:
    if at == (0, 0):
        return row[0].startswith(("02/29", "2/29"))
    return len(row) > 2 and row[at[0]].strip() in ("2", "02") and row[at[1]].strip() == "29"


def _column(
    data: Sequence[tuple[int, list[str]]], name: str, at: int, report: Report
) -> np.ndarray[tuple[int], np.dtype[np.float64]]:
    out = np.full(len(data), np.nan)
    low, high = RANGE[name]
    for k, (line, row) in enumerate(data):
        try:
            value = float(row[at])
        except (ValueError, IndexError) as exc:
            raise Unreadable(
                f"Line {line}, column {at + 1}: “{row[at][:20] if at < len(row) else ''}” is not a"
                " number."
            ) from exc
        if low <= value <= high:
            out[k] = value
    missing = np.isnan(out)
    if missing.all():
        raise Unreadable(f"Column {at + 1} holds no value between {low:g} and {high:g}.")
    if missing.any():
        report.repaired.append(
            f"{int(missing.sum())} hours of {name} were missing or out of range, and filled from"
            " the hours around them."
        )
        hours = np.arange(len(out))
        out = np.interp(hours, hours[~missing], out[~missing])
    return out
