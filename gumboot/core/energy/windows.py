"""Windows for the unit's menu: where the tariff is cheap the battery fills, where it is dear it
gives; found by living the year with each.
"""

from __future__ import annotations

import itertools
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, replace
from typing import Literal

import numpy as np

from gumboot.core.basis.clock import DAY, Span, spans_of
from gumboot.core.energy.battery import Bank, Series, many
from gumboot.core.energy.tariff import rates_by_minute
from gumboot.core.energy.year import Inputs, rules_of
from gumboot.core.plan import Slot, Tariff, Work

MOST_SLOTS = 3
FILLS = tuple(range(0, 101, 10))  # percent
SELF_USE = Work(mode="self-use")


@dataclass(frozen=True)
class Proposal:
    """The way of working that cost least of those tried, its bill a year, and how many were
    tried.
    """

    work: Work
    bill: float
    tried: int


def price_by_minute(tariff: Tariff) -> Series:
    """The mean buying price of each minute of the day over months and kinds of day: shape (1440,).
    Holes take the dearest.
    """
    which, _ = rates_by_minute(tariff.rates)
    buy = np.array([*(r.buy for r in tariff.rates), max(r.buy for r in tariff.rates)])
    week = np.array([5 / 7, 2 / 7])
    return np.asarray((buy[which] * week[None, :, None]).sum(axis=1).mean(axis=0))


def longest(spans: Sequence[Span], most: int = MOST_SLOTS) -> tuple[Span, ...]:
    """The longest few, in order of the day."""
    return tuple(sorted(sorted(spans, key=lambda s: -((s[1] - s[0]) % DAY or DAY))[:most]))


def slot(span: Span, soc: float) -> Slot:
    """A menu slot: a stretch of the day, and the percent it fills to or gives down to."""
    return Slot(start_min=span[0], end_min=span[1], soc=soc)


def shapes(tariff: Tariff) -> Iterator[tuple[tuple[Span, ...], tuple[Span, ...]]]:
    """(stretches to charge in, stretches to give in) for every pair of price levels, the cheap one
    below the dear one.
    """
    price = price_by_minute(tariff)
    levels = sorted({round(float(p), 9) for p in price})
    seen = set()
    for cheap in levels[:-1]:
        charge = longest(spans_of(price <= cheap + 1e-9))
        for dear in [x for x in levels if x > cheap]:
            give = longest(spans_of(price >= dear - 1e-9))
            for pair in ((charge, give), (charge, ())):
                if pair not in seen:
                    seen.add(pair)
                    yield pair


def propose(
    i: Inputs,
    bank: Bank,
    tariff: Tariff,
    floor: float,
    reserve: float,
    said: Callable[[float], None] = lambda share: None,
) -> Proposal:
    """The best of self-use and of every pair of price levels with every charge level; then each
    slot's own level is tried in turn.
    """
    tried = 0

    def bill(work: Work) -> float:
        nonlocal tried
        tried += 1
        rules = replace(
            rules_of(work, i.cal, floor, reserve),
            import_w=i.rules.import_w,
            export_w=i.rules.export_w,
        )
        row = many(i.sun, i.load, i.buy, i.sell, rules, [bank], [1.0])[0]
        held = (
            (row[-1] / (bank.capacity_wh / 1000) - 0.5) * bank.capacity_wh / 1000
            if bank.capacity_wh
            else 0.0
        )
        return (
            float(row[12] - row[13]) - held * float(np.median(i.buy)) + i.standing_year
        )  # what is left in the battery is worth a plain kWh

    best, least = SELF_USE, bill(SELF_USE)
    found = list(shapes(tariff)) if tariff.rates else []
    spares: tuple[Literal["battery", "grid"], ...] = (
        ("battery", "grid") if float(i.sell.max()) > float(i.buy.min()) else ("battery",)
    )
    for n, (charge, give) in enumerate(found):
        for fill, spare in itertools.product(FILLS, spares):
            work = Work(
                mode="windows",
                spare_sun=spare,
                charge=tuple(slot(s, fill) for s in charge) if fill else (),
                discharge=tuple(slot(s, round(floor * 100)) for s in give),
            )
            if not work.charge and not work.discharge:
                continue
            if (cost := bill(work)) < least - 1e-9:
                best, least = work, cost
        said((n + 1) / (len(found) + 1))
    for k in range(len(best.charge)):
        for fill in FILLS:
            levels = tuple(
                s if j != k else s.model_copy(update={"soc": float(fill)})
                for j, s in enumerate(best.charge)
            )
            work = best.model_copy(update={"charge": tuple(s for s in levels if s.soc > 0)})
            if (
                (work.charge or work.discharge)
                and len(work.charge) == len(best.charge)
                and (cost := bill(work)) < least - 1e-9
            ):
                best, least = work, cost
    said(1.0)
    return Proposal(best, least, tried)
