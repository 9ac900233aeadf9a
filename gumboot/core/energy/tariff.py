"""A tariff as prices for every step; and where its rates leave a hole or contradict each other."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from gumboot.core.basis.clock import DAY, covered, show_spans, spans_of
from gumboot.core.basis.finding import Cure, Finding, check, note
from gumboot.core.brief.loads.board import spans
from gumboot.core.energy.calendar import Calendar
from gumboot.core.plan import Rate, Tariff

MONTHS = (
    "January",
    "February",
    "March",
    "April",
    "May",
    "June",
    "July",
    "August",
    "September",
    "October",
    "November",
    "December",
)
DAYS = ("weekdays", "weekends")
Which = NDArray[
    np.int16
]  # number of the rate in force: shape (12 months, 2 kinds of day, 1440 minutes); -1 for none


def months_of(rate: Rate) -> list[int]:
    """The months (0-11) a rate holds in; one that ends before it starts runs through the turn of
    the year.
    """
    a, b = rate.from_month - 1, rate.to_month - 1
    return list(range(a, b + 1)) if a <= b else [*range(a, 12), *range(b + 1)]


def rates_by_minute(rates: Sequence[Rate]) -> tuple[Which, NDArray[np.int16]]:
    """(the rate in force, how many claim it) for every month, kind of day and minute. The first of
    two that overlap is in force.
    """
    which = np.full((12, 2, DAY), -1, np.int16)
    count = np.zeros((12, 2, DAY), np.int16)
    for n, rate in reversed(list(enumerate(rates))):
        when = covered(spans(rate.hours))
        kinds = [k for k in (0, 1) if rate.days in ("every day", DAYS[k])]
        hit = np.zeros((12, 2, 1), bool)
        hit[np.ix_(months_of(rate), kinds)] = True
        claimed = hit & when
        which[claimed] = n
        count += claimed
    return which, count


def prices(tariff: Tariff, cal: Calendar) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """(buying, selling) price a kWh of every step. In a hole the dearest rate is bought at and
    nothing is sold.
    """
    if not tariff.rates:
        return np.zeros(len(cal.start)), np.zeros(len(cal.start))
    which, _ = rates_by_minute(tariff.rates)
    at = which[cal.month - 1, cal.weekend.astype(np.int64), cal.minute]
    buy = np.array([*(r.buy for r in tariff.rates), max(r.buy for r in tariff.rates)])
    sell = np.array([*(r.sell for r in tariff.rates), 0.0])
    return buy[at], sell[at]


def tariff_findings(tariff: Tariff) -> list[Finding]:
    """Holes, overlaps, and selling prices above buying prices."""
    if not tariff.rates:
        return []
    _, count = rates_by_minute(tariff.rates)
    found: list[Finding] = []
    holes = _where(count == 0)
    if holes:
        says = f"The tariff has no rate for {holes}. The dearest is used there."
        found.append(
            check(
                "tariff.hole",
                "tariff",
                says,
                "the supplier's sheet",
                Cure("Give the hours that are missing to a rate in Year"),
            )
        )
    if over := _where(count > 1):
        pair = [r.name for r in tariff.rates if _claims(r, count)][:2]
        says = (
            f"Rates {' and '.join(f'“{p}”' for p in pair)} both hold for {over}. The first in the"
            " list is used."
        )
        found.append(
            check(
                "tariff.overlap",
                "tariff",
                says,
                "the supplier's sheet",
                Cure("Shorten one of them in Year"),
            )
        )
    dear = [r.name for r in tariff.rates if r.sell > r.buy]
    if len(dear) == len(tariff.rates):
        says = "Every rate sells above what it buys at: are the two the right way round?"
        found.append(
            check(
                "tariff.sell",
                "tariff",
                says,
                "the supplier's sheet",
                Cure("Read both prices again"),
            )
        )
    elif dear:
        says = (
            f"Rate “{dear[0]}” sells above what it buys at. The battery is never counted on to"
            " sell: only the sun is."
        )
        found.append(note("tariff.sell", "tariff", says, "the supplier's sheet"))
    return found


def _claims(rate: Rate, count: NDArray[np.int16]) -> bool:
    when = covered(spans(rate.hours))
    return any(
        rate.days in ("every day", DAYS[k]) and (count[m, k][when] > 1).any()
        for m in months_of(rate)
        for k in (0, 1)
    )


def _where(bad: NDArray[np.bool_]) -> str:
    """The first stretch that is bad, and for which days and months: "14:00-16:00 on weekends, June
    to August".
    """
    hit = np.argwhere(bad)
    if not len(hit):
        return ""
    month, kind, _ = (int(x) for x in hit[0])
    hours = show_spans(spans_of(bad[month, kind]))
    months = [m for m in range(12) if bad[m].any()]
    kinds = [k for k in (0, 1) if bad[:, k].any()]
    when = "" if len(kinds) == 2 else f" on {DAYS[kinds[0]]}"
    named = (
        ""
        if len(months) == 12
        else f", {MONTHS[months[0]]}" + (f" to {MONTHS[months[-1]]}" if len(months) > 1 else "")
    )
    return f"{hours}{when}{named}"
