"""A finding: what is wrong, where, by which rule, with which numbers, and what cures it; and a
duty: what must be seen or measured on every job of a kind.
"""

from __future__ import annotations

import hashlib
from collections.abc import Iterable
from dataclasses import dataclass
from enum import StrEnum
from typing import Any

from gumboot.core.basis.figure import Figure


class Level(StrEnum):
    """stop: unsafe or will not work. check: unusual, a person must judge. duty: to be seen or
    measured on every job of its kind. note: worth knowing.
    """

    STOP = "stop"
    CHECK = "check"
    DUTY = "duty"
    NOTE = "note"


@dataclass(frozen=True, slots=True)
class Change:
    """One operation of a JSON Patch (RFC 6902) on the plan: `value` goes to `path`, or away when it
    is None.
    """

    path: str
    value: Any


@dataclass(frozen=True, slots=True)
class Cure:
    """What would mend it. With changes Gumboot can apply it at a click; without, a person
    does it.
    """

    text: str
    changes: tuple[Change, ...] = ()


@dataclass(frozen=True, slots=True)
class Asked:
    """What closes a duty: a reading of a kind of unit within its limits, or a tick where kind is
    empty. station: where it is done.
    """

    station: str
    kind: str = ""
    least: float | None = None
    most: float | None = None

    def within(self, value: float) -> bool:
        """Whether a reading closes it; which way round the leads were does not matter."""
        size = abs(value)
        return (self.least is None or size >= self.least) and (
            self.most is None or size <= self.most
        )


@dataclass(frozen=True, slots=True)
class Finding:
    """One finding.

    key: stable for one fault at one place, so that it can be linked to and accepted.
    place: the key of the circuit, string, body or setting it is about.
    says: one sentence, every number with its unit.
    rule: standard and clause, or "common practice".
    asked: of a duty, what closes it.
    """

    key: str
    level: Level
    place: str
    says: str
    rule: str
    cures: tuple[Cure, ...]
    figures: tuple[Figure, ...] = ()
    asked: Asked | None = None

    @property
    def fingerprint(self) -> str:
        """Changes with what the finding says: an acceptance holds only for the words and numbers
        accepted.
        """
        return hashlib.sha256(
            f"{self.key}|{self.level}|{self.says}|{self.rule}".encode()
        ).hexdigest()[:16]


RANK = {Level.STOP: 0, Level.CHECK: 1, Level.DUTY: 2, Level.NOTE: 3}


def ordered(findings: Iterable[Finding]) -> tuple[Finding, ...]:
    """Stops first, then checks, duties, notes; within a level in the order they were found."""
    return tuple(sorted(findings, key=lambda f: RANK[f.level]))


def stop(
    key: str, place: str, says: str, rule: str, *cures: Cure, figures: tuple[Figure, ...] = ()
) -> Finding:
    """Unsafe or will not work."""
    return Finding(key, Level.STOP, place, says, rule, cures, figures)


def check(
    key: str, place: str, says: str, rule: str, *cures: Cure, figures: tuple[Figure, ...] = ()
) -> Finding:
    """A person must judge, and may accept with a reason."""
    return Finding(key, Level.CHECK, place, says, rule, cures, figures)


def duty(
    key: str,
    place: str,
    says: str,
    rule: str,
    asked: Asked,
    *,
    figures: tuple[Figure, ...] = (),
) -> Finding:
    """To be seen or measured on every job of its kind."""
    return Finding(key, Level.DUTY, place, says, rule, (), figures, asked)


def note(
    key: str, place: str, says: str, rule: str, *cures: Cure, figures: tuple[Figure, ...] = ()
) -> Finding:
    """Worth knowing."""
    return Finding(key, Level.NOTE, place, says, rule, cures, figures)
