"""The time of day as the crew types it: "6-9, 17:30-22". Minutes from midnight by the local
clock.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Sequence
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

DAY = 1440
_TIME = r"(\d{1,2})(?::?([0-5]\d))?\s*(am|pm|h)?"
_SPAN = re.compile(rf"^\s*{_TIME}\s*(?:-|–|to)\s*{_TIME}\s*$", re.IGNORECASE)
Span = tuple[int, int]


class NotATime(ValueError):
    """The text is not a stretch of the day; the message says what to type."""


def parse_spans(text: str) -> tuple[Span, ...]:
    """(start, end) of each stretch typed, in minutes; one that ends before it starts runs through
    midnight. Raises NotATime.

    >>> parse_spans("6-9, 17:30-22")
    ((360, 540), (1050, 1320))
    >>> parse_spans("10 pm - 6 am")
    ((1320, 360),)
    """
    parts = [p for p in re.split(r"[,;]", text) if p.strip()]
    return tuple(_span(p) for p in parts)


def _span(text: str) -> Span:
    found = _SPAN.match(text)
    if not found:
        raise NotATime(f"“{text.strip()}” is not a stretch of the day: type it as 6-9, or 17:30-22")
    start, end = (
        _minutes(found[1], found[2], found[3] or ""),
        _minutes(found[4], found[5], found[6] or ""),
    )
    if start in (DAY, end):
        raise NotATime(
            f"“{text.strip()}” starts and ends at the same time: type it as 6-9, or 0-24 for the"
            " whole day"
        )
    return start, end or DAY


def parse_time(text: str) -> int:
    """A time of day in minutes. Raises NotATime.

    >>> parse_time("4:30 pm")
    990
    """
    found = re.fullmatch(rf"\s*{_TIME}\s*", text, re.IGNORECASE)
    if not found:
        raise NotATime(f"“{text.strip()}” is not a time: type it as 16:30")
    return _minutes(found[1], found[2], found[3] or "")


def _minutes(hour: str, minute: str | None, half: str) -> int:
    h, m, half = int(hour), int(minute or 0), half.lower()
    if half in ("am", "pm"):
        if not 1 <= h <= 12:
            raise NotATime(f"“{hour} {half}” is not a time: type 1 to 12 with am or pm")
        h = h % 12 + (12 if half == "pm" else 0)
    if h * 60 + m > DAY:
        raise NotATime(f"“{hour}:{m:02d}” is not a time of the day: type 0:00 to 24:00")
    return h * 60 + m


def show_minutes(minutes: int) -> str:
    """A time of day: "06:00", "24:00"."""
    return f"{minutes // 60:02d}:{minutes % 60:02d}"


def show_spans(spans: Iterable[Span]) -> str:
    """Stretches as they are typed: "06:00-09:00, 17:30-22:00"."""
    return ", ".join(f"{show_minutes(a)}-{show_minutes(b)}" for a, b in spans)


def typed_spans(spans: Iterable[Span]) -> str:
    """Stretches as short as they may be typed.

    >>> typed_spans([(360, 540), (1050, 1320)])
    '6-9, 17:30-22'
    """
    return ", ".join(f"{_short(a)}-{_short(b)}" for a, b in spans)


def _short(minutes: int) -> str:
    return f"{minutes // 60}:{minutes % 60:02d}" if minutes % 60 else f"{minutes // 60}"


def covered(spans: Sequence[Span]) -> NDArray[np.bool_]:
    """Which minutes of the day the spans cover: shape (1440,), not to be written to. No span at
    all means the whole day.

    >>> int(covered([(1320, 360)]).sum())
    480
    """
    return _covered(tuple(spans))


@lru_cache(maxsize=256)
def _covered(spans: tuple[Span, ...]) -> NDArray[np.bool_]:
    day = np.full(DAY, not spans)
    for start, end in spans:
        if end > start:
            day[start:end] = True
        else:
            day[start:] = True
            day[:end] = True
    day.setflags(write=False)
    return day


def spans_of(day: NDArray[np.bool_]) -> tuple[Span, ...]:
    """The stretches in which a day of minutes is true, those through midnight joined.

    >>> spans_of(covered([(1320, 360)]))
    ((1320, 360),)
    """
    edges = np.flatnonzero(np.diff(np.concatenate([[False], day, [False]]).astype(np.int8)))
    spans = [(int(a), int(b)) for a, b in zip(edges[::2], edges[1::2], strict=True)]
    if len(spans) > 1 and spans[0][0] == 0 and spans[-1][1] == DAY:
        spans = [*spans[1:-1], (spans[-1][0], spans[0][1])]
    return tuple(spans)
