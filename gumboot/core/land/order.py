"""In which order a job is landed. Proven dead, the factory terminations, earth; then a school's
order;
covers last.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from gumboot.core.kit import Inverter, Stage
from gumboot.core.land.termination import Termination
from gumboot.core.plan import Landing

FIRST = ("Proven dead", "Factory terminations", "Bars and links", "Protective earth")
LAST = ("Covers",)


@dataclass(frozen=True, slots=True)
class School:
    """One school of landing order: its stages, and why it is so."""

    name: Landing
    stages: tuple[Stage, ...]
    reason: str


SCHOOLS: tuple[School, ...] = (
    School(
        "battery first",
        ("Battery", "PV", "Grid", "Backup", "Generator", "Links"),
        "the stiffest cable goes in while there is room; posts stay covered and breakers open until"
        " all else is closed",
    ),
    School(
        "battery last",
        ("Grid", "Backup", "Generator", "PV", "Links", "Battery"),
        "a pack cannot be switched off at its posts: it comes when everything else is done",
    ),
    School(
        "unit by unit",
        ("Battery", "PV", "Grid", "Backup", "Generator", "Links"),
        "one cover open at a time, so that two people can work at two boxes; what can be live is"
        " still landed last",
    ),
)


def school_of(landing: Landing, inverter: Inverter) -> School:
    """The school in force: the maker's order where the sheet gives one and the crew has not chosen
    another, else the crew's.
    """
    if landing == "maker":
        if not inverter.landing:
            return SCHOOLS[0]
        rest = tuple(s for s in SCHOOLS[0].stages if s not in inverter.landing)
        return School(
            "maker",
            (*inverter.landing, *rest),
            f"the sheet of {inverter.maker} {inverter.model} says so",
        )
    return next(s for s in SCHOOLS if s.name == landing)


def unit_order(ways: Iterable[tuple[str, str]]) -> dict[str, int]:
    """A place for every body of circuits given as (source, load), so that each load comes before
    its source: what can be live is last.
    """
    after: dict[str, list[str]] = {}
    for source, load in ways:
        after.setdefault(load, [])
        after.setdefault(source, []).append(load)
    out: dict[str, int] = {}

    def put(body: str, above: tuple[str, ...]) -> None:
        for load in after[body]:
            if load not in out and load not in above:
                put(load, (*above, body))
        out.setdefault(body, len(out))

    for body in after:
        put(body, ())
    return out


def in_order(
    rows: Sequence[Termination], school: School, units: dict[str, int]
) -> tuple[Termination, ...]:
    """The terminations in landing order, numbered from 1. Within a stage the order they come in
    stands: the end that can be live is last.

    units: `unit_order` of the job's circuits.
    """
    places = {s: i for i, s in enumerate((*FIRST, *school.stages, *LAST))}

    def rank(t: Termination) -> tuple[int, int]:
        if school.name == "unit by unit" and t.stage in school.stages:
            return len(FIRST), units.get(t.body, len(units))
        return places[t.stage], 0

    at = Termination._fields.index("number")
    return tuple(
        Termination._make((*t[:at], i, *t[at + 1 :]))  # a third of the time of _replace
        for i, t in enumerate(sorted(rows, key=rank), 1)
    )
