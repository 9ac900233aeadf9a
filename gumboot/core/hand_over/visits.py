"""What a job wants over the years: by its devices' sheets, else by common practice."""

from __future__ import annotations

from collections.abc import Iterator

from gumboot.core.design import Design
from gumboot.core.kit.care import Care

LOOK = Care(
    what="Look: no red lamp, nothing before the boxes, air slots free of dust",
    every_months=1,
    does="look",
    by="owner",
)
YEARLY: dict[str, str] = {  # common practice, where a sheet is silent
    "settings": "Settings and versions of the software read again",
    "torque": "Screwed ends looked at again, those of the batteries by tool",
    "insulation": "The panels' cables measured against earth",
    "charge drift": "What the battery shows against what it holds",
    "sharing": "Whether all batteries carry their share",
}
PLAINLY = {
    "firmware": "Software of the machines brought up to date",
    "clean": "Cleaned, and looked over",
    "look": "Looked over",
}
WATER = Care(what="Water in the cells, and their ends clean", every_months=3, does="clean")


def cares(d: Design) -> tuple[Care, ...]:
    """What is due, the most frequent first: once for each of what the sheets say, and by common
    practice for what they leave out.
    """
    said = [c for x in (d.inverter, d.pack) if x is not None for c in x.care]
    kinds = {c.does for c in said}
    rows = [*said, *(c for c in _usual(d) if c.does not in kinds)]
    unique = {(c.what, c.every_months): c for c in rows}
    return tuple(sorted(unique.values(), key=lambda c: c.every_months))


def plainly(c: Care) -> str:
    """What is done, in an owner's words: the sheet's own where the owner does it."""
    if c.by == "owner":
        return c.what
    return WATER.what if c == WATER else {**PLAINLY, **YEARLY}[c.does]


def _usual(d: Design) -> Iterator[Care]:
    yield LOOK
    leaves_out = {
        "insulation": not d.strings,
        "charge drift": d.pack is None,
        "sharing": d.plan.kit.packs < 2,
    }
    for does, what in YEARLY.items():
        if not leaves_out.get(does):
            yield Care.model_validate({"what": what, "does": does})
    if d.pack is not None and d.pack.chemistry == "flooded":
        yield WATER
