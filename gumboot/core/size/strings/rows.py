"""Rows of modules that are joined at the array by branch connectors, on one run to one pair."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from gumboot.core.basis.finding import Asked, Change, Cure, Finding, duty, stop
from gumboot.core.kit import Module, Tracker
from gumboot.core.plan import Plan, PvString
from gumboot.core.size.strings.voltage import wants_fuses

LETTERS = "ABCDEFGHIJKLMNOPQRSTUVWXYZ"


def joined(s: PvString, amps: str, fused: bool, plan: Plan) -> Finding:
    """What branch connectors of a string's rows carry, in words; no more rows than may do without
    fuses.
    """
    key, book = f"pv-{s.letter}", plan.book
    if fused:
        says = (
            f"The rows of string {s.letter} are joined at the array, and so many in parallel each"
            " want a fuse that can be reached: lead each down by itself."
        )
        return stop(f"{key}.rows", key, says, book.clauses["string fuse"], parted(s, plan))
    says = (
        f"The {s.rows} rows of string {s.letter} meet in branch connectors of the modules' own"
        f" make, listed for {amps} or more; each row is read alone before."
    )
    return duty(f"{key}.rows", key, says, book.clauses["pv connectors"], Asked("Land"))


def parted(s: PvString, plan: Plan) -> Cure:
    """Each row a string of its own, by the next free letters."""
    free = sorted(set(LETTERS) - {x.letter for x in plan.strings})[: s.rows - 1]
    if len(free) < s.rows - 1:
        return Cure("Make each row a string of its own")
    own = [s.model_copy(update={"rows": 1, "letter": x}) for x in (s.letter, *free)]
    every = [y for x in plan.strings for y in (own if x is s else [x])]
    rows = [x.model_dump(mode="json") for x in every]
    return Cure("Make each row a string of its own", (Change("/strings", rows),))


def join(
    strings: Sequence[PvString], plan: Plan, tracker: Tracker, modules: Mapping[str, Module]
) -> list[Cure]:
    """Two like strings of a tracker that one pair of its connectors takes: joined at the array."""
    if len(strings) != 2 or strings[0].rows + strings[1].rows != 2:
        return []
    a, b = strings
    module, face = modules[a.letter], (a.tilt_deg, a.azimuth_deg, a.mounting)
    like = a.modules == b.modules and face == (b.tilt_deg, b.azimuth_deg, b.mounting)
    like = like and modules[b.letter].id == module.id and a.there == b.there
    if not like or 2 * module.pushes_a > tracker.pair_a or wants_fuses(2, module, plan.book):
        return []
    left = [x.model_copy(update={"rows": 2}) if x is a else x for x in plan.strings if x is not b]
    rows = [x.model_dump(mode="json") for x in left]
    says = f"Join {a.letter} and {b.letter} at the array by branch connectors, on one run"
    return [Cure(says, (Change("/strings", rows),))]
