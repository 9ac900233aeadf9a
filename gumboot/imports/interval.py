"""A meter's readings made into a year of quarter hours: what was repaired, and how much, is said;
no reading is lost or counted twice.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from datetime import UTC, datetime
from zoneinfo import ZoneInfo

import numpy as np
from numpy.typing import NDArray

from gumboot.core.energy.calendar import STEP_S, STEPS, Calendar, calendar
from gumboot.core.energy.year import Readings

LEAST_DAYS = 7
SLACK_S = 60  # a gap or overlap of clocks, not of readings
MOST_W = 300_000.0  # more than any house draws: a fault of the meter
USUAL_S = (60, 300, 600, 900, 1800, 3600)


class Unreadable(ValueError):
    """The file cannot be taken. The message says why, with line numbers, and what would be
    taken.
    """


@dataclass
class Report:
    """What was found and what was repaired, each in one sentence; bad lines by number with what is
    wrong.
    """

    found: list[str] = field(default_factory=list)
    repaired: list[str] = field(default_factory=list)
    bad_lines: list[tuple[int, str]] = field(default_factory=list)
    bad: int = 0

    def skip(self, line: int, why: str) -> None:
        """One line that cannot be read; the first twenty are kept by number."""
        self.bad += 1
        if len(self.bad_lines) < 20:
            self.bad_lines.append((line, why))


@dataclass(frozen=True)
class Raw:
    """Readings as they came: instant each starts (s since 1970, UTC), how long it is (s), Wh.
    Shapes alike.
    """

    start: NDArray[np.int64]
    length: NDArray[np.int64]
    wh: NDArray[np.float64]


def to_utc(
    local: NDArray[np.int64], zone: str | None, longitude_deg: float | None, report: Report
) -> NDArray[np.int64]:
    """Instants of clock times (s as if UTC), in the file's order. The hour that comes twice in
    autumn is told apart by its order.

    A file with readings in the hour that spring leaves out keeps standard time all year.
    """
    if zone is None or not len(local):
        return local - calendar(2025, zone, longitude_deg).offset_s
    wall = ZoneInfo(zone)
    hours, place = np.unique(local // 900, return_inverse=True)
    first = np.array([_offset(wall, int(h) * 900, 0) for h in hours], np.int64)[place]
    second = np.array([_offset(wall, int(h) * 900, 1) for h in hours], np.int64)[place]
    standard = calendar(2025, zone, longitude_deg).offset_s
    skipped = second > first  # a clock time that never was: folds are the other way round there
    if skipped.any():
        report.found.append(
            "The file's clock keeps standard time all year: it has readings in the hour that spring"
            " leaves out."
        )
        return local - standard
    twice = first > second
    if twice.any():
        seen: set[int] = set()
        again = np.zeros(len(local), bool)
        for n in np.flatnonzero(twice):
            again[n] = int(local[n]) in seen
            seen.add(int(local[n]))
        first = np.where(again, second, first)
        report.found.append(
            "The hour that autumn repeats is there"
            f" {'twice, and told apart' if again.any() else 'once'}."
        )
    return local - first


def _offset(wall: ZoneInfo, local_s: int, fold: int) -> int:
    moment = datetime.fromtimestamp(local_s, UTC).replace(tzinfo=wall, fold=fold)
    shift = moment.utcoffset()
    return int(shift.total_seconds()) if shift else 0


def usual_length(start: NDArray[np.int64]) -> int:
    """How long a reading is, s: the gap between readings that is commonest. Raises Unreadable when
    it is no interval of a meter.
    """
    gaps = np.diff(np.unique(start))
    gaps = gaps[gaps > SLACK_S // 2] if (gaps > SLACK_S // 2).any() else gaps
    if not len(gaps):
        raise Unreadable(
            "There is only one reading. Give at least a week of readings, an hour or less apart."
        )
    values, counts = np.unique(gaps, return_counts=True)
    common = int(values[counts.argmax()])
    if common > 3600 + SLACK_S:
        raise Unreadable(
            f"Readings are {common / 3600:g} hours apart. Readings an hour or less apart are"
            " needed: ask the supplier for interval data."
        )
    return (
        min(USUAL_S, key=lambda s: abs(s - common))
        if any(abs(s - common) <= SLACK_S for s in USUAL_S)
        else common
    )


def in_order(raw: Raw, report: Report) -> Raw:
    """Sorted; doubled readings once. Of two readings for one time the later in the file counts."""
    order = np.argsort(raw.start, kind="stable")
    start, length, wh = raw.start[order], raw.length[order], raw.wh[order]
    last = np.append(start[1:] != start[:-1], True)
    doubled = int((~last).sum())
    if doubled:
        differ = int(((start[1:] == start[:-1]) & (wh[1:] != wh[:-1])).sum())
        report.repaired.append(
            f"{doubled} readings came twice and are counted once"
            + (
                f"; in {differ} the two differ, and the later in the file counts."
                if differ
                else "."
            )
        )
    return Raw(start[last], length[last], wh[last])


def lengths(start: NDArray[np.int64], usual: int) -> NDArray[np.int64]:
    """How long each reading is, s: up to the next one where that is within a minute of usual or
    sooner, else as usual.
    """
    gap = np.append(np.diff(start), usual)
    return np.where(gap <= usual + SLACK_S, gap, usual)


def spread(raw: Raw, cal: Calendar) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """(Wh, seconds covered) of each step of a calendar: every reading's energy spread evenly over
    its length. Shapes (35040,).
    """
    wh, covered = np.zeros(STEPS), np.zeros(STEPS)
    at, left = raw.start.copy(), raw.length.copy()
    rate = np.divide(raw.wh, raw.length, out=np.zeros(len(raw.wh)), where=raw.length > 0)
    while (left > 0).any():
        take = np.where(left > 0, np.minimum(STEP_S - (at % STEP_S), left), 0)
        place = cal.place_of(at)
        inside = (place >= 0) & (take > 0)
        np.add.at(wh, place[inside], (rate * take)[inside])
        np.add.at(covered, place[inside], take[inside])
        at, left = at + take, left - take
    return wh, covered


def to_year(raw: Raw, zone: str | None, longitude_deg: float | None, report: Report) -> Readings:
    """A whole year of kWh: the year that has the most readings, its holes filled from the same
    weekday of other weeks. Raises Unreadable.
    """
    raw = _sane(in_order(raw, report), report)
    days = float(raw.length.sum()) / 86400
    if days < LEAST_DAYS:
        raise Unreadable(f"The readings cover {days:.1f} days. Give at least {LEAST_DAYS}.")
    years = raw.start.astype("datetime64[s]").astype("datetime64[Y]").astype(int) + 1970
    counted = {
        int(y): float(raw.length[years == y].sum()) for y in np.unique(years) if 1980 <= y <= 2100
    }
    if not counted:
        raise Unreadable("No reading lies between 1980 and 2100: are the dates right?")
    year = max(counted, key=lambda y: counted[y])
    cal = calendar(year, zone, longitude_deg)
    wh, covered = spread(raw, cal)
    whole = float(raw.wh.sum())
    good = covered >= STEP_S - 2 * SLACK_S
    own = float(good.mean())
    wh = np.where(
        good, wh, np.where(covered >= STEP_S / 2, wh * STEP_S / np.maximum(covered, 1), wh)
    )
    part = (covered >= STEP_S / 2) & ~good
    good = good | part
    filled = 0
    for weeks in (52, -52, 104, -104):
        if good.all():
            break
        other, seconds = spread(Raw(raw.start + weeks * 7 * 86400, raw.length, raw.wh), cal)
        use = ~good & (seconds >= STEP_S - 2 * SLACK_S)
        wh[use], filled = other[use], filled + int(use.sum())
        good = good | use
    holes = int((~good).sum())
    if holes:
        wh = _like_others(wh, good, cal)
    report.found.append(
        f"{whole / 1000:,.0f} kWh in {days:,.0f} days of readings; the year is {year}."
    )
    if part.any():
        report.repaired.append(
            f"{_hours(int(part.sum()))} were measured in part, and scaled up to whole quarter"
            " hours."
        )
    if filled:
        report.repaired.append(
            f"{_hours(filled)} were taken from the same weekday of another year."
        )
    if holes:
        report.repaired.append(
            f"{_hours(holes)} had no reading ({100 * (1 - own):.1f} % of the year with the above)"
            " and were filled from like days of the nearest month."
        )
    return Readings(year, wh / 1000)


def _hours(steps: int) -> str:
    return f"{steps / 4:,.2f}".rstrip("0").rstrip(".") + " hours"


def _sane(raw: Raw, report: Report) -> Raw:
    watts = np.divide(raw.wh * 3600, raw.length, out=np.zeros(len(raw.wh)), where=raw.length > 0)
    if wild := int((watts > MOST_W).sum()):
        report.repaired.append(f"{wild} readings above {MOST_W / 1000:g} kW are left out.")
    if below := int((raw.wh < 0).sum()):
        out = -float(raw.wh[raw.wh < 0].sum()) / 1000
        report.repaired.append(
            f"{below} readings below zero ({out:,.0f} kWh sold) count as nothing drawn: the house"
            " used more than the meter says then."
        )
    keep = (watts <= MOST_W) & (raw.length > 0)
    return Raw(raw.start[keep], raw.length[keep], np.maximum(raw.wh[keep], 0.0))


def _like_others(
    wh: NDArray[np.float64], good: NDArray[np.bool_], cal: Calendar
) -> NDArray[np.float64]:
    """Holes filled with the mean of the same time of day and kind of day, of the nearest month that
    has any.
    """
    slot = cal.minute // 15 + 96 * cal.weekend
    total, count = np.zeros((12, 192)), np.zeros((12, 192))
    np.add.at(total, (cal.month[good] - 1, slot[good]), wh[good])
    np.add.at(count, (cal.month[good] - 1, slot[good]), 1)
    out = wh.copy()
    overall = float(wh[good].mean()) if good.any() else 0.0
    for month, s in {
        (int(m) - 1, int(k)) for m, k in zip(cal.month[~good], slot[~good], strict=True)
    }:
        near = sorted(range(12), key=lambda m: min((m - month) % 12, (month - m) % 12))
        have = next((m for m in near if count[m, s]), None)
        here = ~good & (cal.month == month + 1) & (slot == s)
        out[here] = total[have, s] / count[have, s] if have is not None else overall
    return out
