"""The year's 35,040 steps: instants in standard time, and what the clock on the wall says at each.

Steps are 15 minutes of standard time, so that none is lost or doubled when clocks change; tariffs
and habits follow the clock on the wall.
A leap day is left out.
"""

from __future__ import annotations

from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from functools import lru_cache
from zoneinfo import ZoneInfo

import numpy as np
from numpy.typing import NDArray

STEPS = 365 * 96
STEP_S = 900
STEP_H = 0.25
YEAR = 2025  # of whose weekdays a year is made when no file names another
Instants = NDArray[np.int64]  # seconds since 1970 UTC


@dataclass(frozen=True, eq=False)
class Calendar:
    """One year at one place. All arrays have shape (35040,).

    start: seconds since 1970 UTC of each step; month 1-12, weekend, minute of the clock on the
    wall; offset_s of standard time from UTC.
    """

    year: int
    offset_s: int
    start: Instants
    month: NDArray[np.int64]
    weekend: NDArray[np.bool_]
    minute: NDArray[np.int64]

    def place_of(self, instants: Instants) -> NDArray[np.int64]:
        """The step that each instant falls into; -1 for one outside the year or on the leap day."""
        found = np.searchsorted(self.start, instants, side="right") - 1
        inside = (found >= 0) & (instants - self.start[np.maximum(found, 0)] < STEP_S)
        return np.where(inside, found, -1)


def zone_of(zone: str | None, longitude_deg: float | None) -> tuple[ZoneInfo | None, int]:
    """(the zone, its standard offset in s); without a zone the offset follows from the longitude,
    15° an hour.
    """
    if zone is None:
        return None, round((longitude_deg or 0.0) / 15) * 3600
    found = ZoneInfo(zone)
    offsets = [found.utcoffset(datetime(YEAR, m, 1)) for m in (1, 7)]
    return found, int(min(o.total_seconds() for o in offsets if o is not None))


@lru_cache(maxsize=16)
def calendar(year: int, zone: str | None, longitude_deg: float | None) -> Calendar:
    """The calendar of a year by an IANA zone, or by longitude where none is known."""
    wall, offset = zone_of(zone, longitude_deg)
    first = int(datetime(year, 1, 1, tzinfo=UTC).timestamp()) - offset
    start = first + STEP_S * np.arange(366 * 96, dtype=np.int64)
    leap = year % 4 == 0 and (year % 100 != 0 or year % 400 == 0)
    day = np.arange(366 * 96) // 96
    start = start[day != 59] if leap else start[:STEPS]
    shift = np.array([_shift(wall, int(s), offset) for s in start[::4]], dtype=np.int64).repeat(4)
    local = start + shift
    days = local // 86400
    month = (local.astype("datetime64[s]").astype("datetime64[M]").astype(np.int64)) % 12 + 1
    return Calendar(year, offset, start, month, (days + 3) % 7 >= 5, local % 86400 // 60)


def _shift(wall: ZoneInfo | None, instant: int, offset: int) -> int:
    if wall is None:
        return offset
    shift = (
        (datetime(1970, 1, 1, tzinfo=UTC) + timedelta(seconds=instant)).astimezone(wall).utcoffset()
    )
    return int(shift.total_seconds()) if shift is not None else offset
