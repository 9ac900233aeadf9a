"""Interval readings as CSV, as suppliers write it: any of the common separators, dates, units and
column names.
"""

from __future__ import annotations

import codecs
import contextlib
import csv
import io
import re
from array import array
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from datetime import date
from itertools import chain, islice
from typing import IO

import numpy as np
from numpy.typing import NDArray

from gumboot.core.energy.year import Readings
from gumboot.imports.interval import Raw, Report, Unreadable, lengths, to_utc, to_year, usual_length

HEAD_LINES = 60  # how far down a header may stand
MOST_BAD = 0.5
WH = {"kwh": 1000.0, "wh": 1.0, "mwh": 1e6}
W = {"kw": 1000.0, "w": 1.0}
SPELT = {"kwh": "kWh", "wh": "Wh", "mwh": "MWh", "kw": "kW", "w": "W"}
DRAWN = (
    "consum",
    "usage",
    "import",
    "deliver",
    "demand",
    "energy",
    "load",
    "value",
    "reading",
    "kwh",
    "wh",
    "kw",
)
SOLD = ("export", "generat", "received", "feed", "production", "solar", "pv", "reverse")
_DATE = re.compile(r"(\d{1,4})[-/.](\d{1,2})[-/.](\d{1,4})")
_TIME = re.compile(
    r"(\d{1,2}):?(\d{2})(?::?(\d{2}))?(?:\.\d+)?\s*(am|pm)?\s*(Z|[+-]\d{2}:?\d{2})?", re.IGNORECASE
)


@dataclass(frozen=True)
class Columns:
    """Which columns hold what: date and time may be one. per_w: the values are power, of so many W;
    else energy of so many Wh.
    """

    when: int
    time: int | None
    value: int
    scale: float
    power: bool
    ends: bool


def read_csv(
    file: IO[bytes], zone: str | None, longitude_deg: float | None, month_first: bool
) -> tuple[Readings, Report]:
    """A year of readings. month_first: how 3/4 is read when the file does not tell. Raises
    Unreadable.
    """
    report = Report()
    text = io.TextIOWrapper(file, encoding=_encoding(file), errors="strict", newline="")
    try:
        head = list(islice(text, HEAD_LINES))
        if any("\x00" in line for line in head):
            raise Unreadable("This is not a text file. Save the readings as CSV.")
        dialect, columns, skip = _table(head, report)
        rows = csv.reader(chain(head[skip:], text), dialect)
        local, own, values = _rows(rows, columns, skip, month_first, report)
    except UnicodeDecodeError as exc:
        raise Unreadable(
            f"The file is not plain text (byte {exc.start}). Save the readings as CSV, in UTF-8."
        ) from exc
    except csv.Error as exc:
        raise Unreadable(f"The file is not CSV: {exc}.") from exc
    finally:
        text.detach()
    if len(values) < 2 or report.bad > MOST_BAD * (report.bad + len(values)):
        where = ", ".join(f"line {n}: {why}" for n, why in report.bad_lines[:5])
        raise Unreadable(
            f"{report.bad} of {report.bad + len(values)} lines cannot be read"
            f" ({where or 'no readings found'}). Lines such as “2025-03-04 00:15, 0.31” are needed."
        )
    return (
        to_year(
            _raw(local, own, values, columns, zone, longitude_deg, report),
            zone,
            longitude_deg,
            report,
        ),
        report,
    )


def _encoding(file: IO[bytes]) -> str:
    start = file.read(4)
    file.seek(0)
    if start.startswith((codecs.BOM_UTF16_LE, codecs.BOM_UTF16_BE)):
        return "utf-16"
    sample = file.read(200_000)
    file.seek(0)
    try:
        codecs.getincrementaldecoder("utf-8")().decode(sample)
    except UnicodeDecodeError:
        return "cp1252"
    return "utf-8-sig"


def _table(head: Sequence[str], report: Report) -> tuple[type[csv.Dialect], Columns, int]:
    """(the dialect, its columns, lines to skip): of the separators the likeliest that gives a date,
    a time and a number. Raises Unreadable.
    """
    counts = {d: sum(line.count(d) for line in head) for d in (";", "\t", ",", "|")}
    likely = sorted(
        (d for d in counts if counts[d]),
        key=lambda d: (d != ";" or counts[d] < len(head) - 1, -counts[d]),
    )
    for n, mark in enumerate(likely or [","]):
        dialect = type("Found", (csv.excel,), {"delimiter": mark})
        try:
            return (dialect, *_columns(head, dialect, report))
        except Unreadable:
            if n + 1 >= len(likely):
                raise
    raise AssertionError  # the last separator has raised


def _columns(
    head: Sequence[str], dialect: type[csv.Dialect], report: Report
) -> tuple[Columns, int]:
    """(the columns, lines to skip). Raises Unreadable when no column of times, or none of values,
    is found.
    """
    rows = list(csv.reader(head, dialect))
    for n, row in enumerate(rows):
        when = next((k for k, cell in enumerate(row) if _DATE.match(cell.strip())), None)
        if when is None:
            continue
        names = next(
            (
                [c.strip().lower() for c in above]
                for above in reversed(rows[:n])
                if len(above) > max(1, when)
            ),
            [],
        )
        apart = not _TIME.search(_DATE.sub("", row[when], count=1))
        times = (
            [k for k, c in enumerate(row) if k != when and _TIME.fullmatch(c.strip()) and ":" in c]
            if apart
            else []
        )
        if apart and not times:
            continue
        numbers = [
            k
            for k, c in enumerate(row)
            if k != when and k not in times and not _DATE.match(c.strip()) and _is_number(c)
        ]
        if not numbers:
            continue
        value = _pick(numbers, names)
        name = names[value] if value < len(names) else ""
        unit = next(
            (u for u in (*WH, *W) if re.search(rf"\b{u}\b|\({u}\)|_{u}$", name)), None
        ) or _stray_unit(names)
        if unit is None:
            report.found.append("No unit is named: values are taken as kWh.")
        ends = bool(
            names
            and when < len(names)
            and re.search(r"\bend|\bto\b|until", names[when])
            and not any("start" in x for x in names)
        )
        power = unit in W
        shown = f"“{name or f'column {value + 1}'}”"
        report.found.append(
            f"Values from {shown} in {SPELT.get(unit or 'kwh')}; times from"
            f" {f'“{names[when]}”' if when < len(names) and names[when] else f'column {when + 1}'}."
        )
        return (
            Columns(
                when, times[0] if times else None, value, {**WH, **W}[unit or "kwh"], power, ends
            ),
            n,
        )
    raise Unreadable(
        f"No line with a date, a time and a number was found in the first {len(rows)} lines. Lines"
        " such as “2025-03-04 00:15, 0.31” are needed."
    )


def _stray_unit(names: Sequence[str]) -> str | None:
    return next((n for n in names if n in WH or n in W), None)


def _pick(numbers: Sequence[int], names: Sequence[str]) -> int:
    named = [(k, names[k] if k < len(names) else "") for k in numbers]
    drawn = [
        k for k, name in named if any(w in name for w in DRAWN) and not any(w in name for w in SOLD)
    ]
    return (drawn or [k for k, name in named if not any(w in name for w in SOLD)] or list(numbers))[
        0
    ]


def _is_number(cell: str) -> bool:
    try:
        _number(cell)
    except ValueError:
        return False
    return True


def _number(cell: str) -> float:
    text = cell.strip().replace("\u00a0", "")
    if "," in text:
        text = text.replace(",", "") if "." in text else text.replace(",", ".")
    value = float(text)
    if not np.isfinite(value):
        raise ValueError(cell)
    return value


Rows = tuple[NDArray[np.int64], NDArray[np.bool_], NDArray[np.float64]]


def _rows(
    rows: Iterator[list[str]], c: Columns, skip: int, month_first: bool, report: Report
) -> Rows:
    """(clock s or, where the file says its offset, UTC s; whether it did; value) of every line that
    can be read.
    """
    stamps, owns, values, lines, which = array("q"), array("b"), array("d"), array("q"), array("q")
    days: dict[str, int] = {}
    number = skip
    for row in rows:
        number += 1
        if not row or (len(row) == 1 and not row[0].strip()):
            continue
        try:
            stamp = row[c.when].strip()
            day = stamp[:10] if stamp[:10] in days else _day(stamp, days)
            seconds, offset = _clock(row[c.time] if c.time is not None else stamp[len(day) :])
            value = _value(row[c.value])
        except (ValueError, IndexError) as exc:
            report.skip(number, str(exc) if isinstance(exc, ValueError) else "too few columns")
            continue
        lines.append(number)
        which.append(days[day])
        stamps.append(seconds - (offset or 0))
        owns.append(offset is not None)
        values.append(value)
    numbers = _dates(list(days), month_first, report)
    date_of = np.array(which, np.int64)
    for n in np.flatnonzero(np.isin(date_of, np.flatnonzero(np.isnan(numbers)))):
        report.skip(lines[n], f"“{list(days)[which[n]]}” is not a date")
    at = numbers[date_of] if len(date_of) else np.zeros(0)
    keep = ~np.isnan(at)
    return (
        np.nan_to_num(at).astype(np.int64)[keep] * 86400 + np.array(stamps, np.int64)[keep],
        np.array(owns, bool)[keep],
        np.array(values)[keep],
    )


def _day(stamp: str, days: dict[str, int]) -> str:
    """The date a time stamp begins with, given its number among the dates of the file. Raises
    ValueError.
    """
    found = _DATE.match(stamp)
    if not found:
        raise ValueError(f"“{stamp[:30]}” is not a date")
    days.setdefault(found[0], len(days))
    return found[0]


def _value(cell: str) -> float:
    try:
        return (
            float(cell) if cell.isascii() and cell.replace(".", "", 1).isdigit() else _number(cell)
        )
    except ValueError as exc:
        raise ValueError(f"“{cell.strip()[:30]}” is not a number") from exc


_clocks: dict[str, tuple[int, int | None]] = {}


def _clock(text: str) -> tuple[int, int | None]:
    """(seconds of the day, the stated offset from UTC). Raises ValueError."""
    known = _clocks.get(text)
    if known is not None:
        return known
    found = _TIME.search(text)
    if not found:
        raise ValueError(f"“{text.strip()[:30]}” is not a time")
    hour, minute, second = int(found[1]), int(found[2]), int(found[3] or 0)
    half = (found[4] or "").lower()
    if half:
        hour = hour % 12 + (12 if half == "pm" else 0)
    if hour > 24 or minute > 59 or second > 59:
        raise ValueError(f"“{text.strip()[:30]}” is not a time")
    offset = None
    if found[5]:
        sign = -1 if found[5][0] == "-" else 1
        figures = re.sub(r"\D", "", found[5])
        offset = sign * (int(figures[:2]) * 3600 + int(figures[2:] or 0) * 60) if figures else 0
    if len(_clocks) > 100_000:
        _clocks.clear()
    _clocks[text] = hour * 3600 + minute * 60 + second, offset
    return _clocks[text]


def _dates(texts: Sequence[str], month_first: bool, report: Report) -> NDArray[np.float64]:
    """Days since 1970 of every date text, nan for no date; the order of day and month is told by
    the file as a whole where it can be.
    """
    parts = [tuple(int(x) for x in re.split(r"[-/.]", t)) for t in texts]
    short = [p for p, t in zip(parts, texts, strict=True) if len(re.split(r"[-/.]", t)[0]) <= 2]
    if any(p[0] > 12 for p in short):
        month_first = False
    elif any(p[1] > 12 for p in short):
        month_first = True
    elif short:
        report.found.append(
            f"Dates such as {texts[0]} are read with the {'month' if month_first else 'day'} first."
        )
    out = np.full(len(texts), np.nan)
    for n, (a, b, c) in enumerate(parts):
        y, m, d = (a, b, c) if a > 31 else (c, a, b) if month_first else (c, b, a)
        with contextlib.suppress(ValueError):
            out[n] = (date(y + 2000 if y < 100 else y, m, d) - date(1970, 1, 1)).days
    return out


def _raw(
    local: NDArray[np.int64],
    own: NDArray[np.bool_],
    values: NDArray[np.float64],
    c: Columns,
    zone: str | None,
    longitude: float | None,
    report: Report,
) -> Raw:
    start = local.copy()
    if (~own).any():
        start[~own] = to_utc(local[~own], zone, longitude, report)
    usual = usual_length(start)
    ends = c.ends or _stamped_at_end(local, usual)
    if ends:
        report.found.append("Times are the end of each reading.")
        start = start - usual
    report.found.append(f"A reading each {usual / 60:g} min.")
    order = np.argsort(start, kind="stable")
    start, values = start[order], values[order]
    if not c.power and _is_register(values):
        report.found.append(
            "Values only ever rise: they are a register, and the differences are taken."
        )
        values = np.append(np.diff(values), 0.0)
    unique = np.unique(start)
    long = (
        dict(zip(unique.tolist(), lengths(unique, usual).tolist(), strict=True))
        if len(unique) != len(start)
        else {}
    )
    length = (
        np.array([long[s] for s in start.tolist()], np.int64) if long else lengths(start, usual)
    )
    return Raw(start, length, values * c.scale * (length / 3600 if c.power else 1.0))


def _stamped_at_end(local: NDArray[np.int64], usual: int) -> bool:
    """Whether each day's readings run from one interval after midnight to midnight: 00:15
    to 24:00.
    """
    return int(local[0]) % 86400 == usual % 86400 and int(local[-1]) % 86400 == 0


def _is_register(values: NDArray[np.float64]) -> bool:
    """Whether these are the meter's register: they only rise, far above what they rise by."""
    steps = np.diff(values)
    return (
        len(values) > 200
        and bool((steps >= -1e-9).all())
        and float(values[-1] - values[0]) > 20 * float(steps.max()) > 0
    )
