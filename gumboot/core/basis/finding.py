"""A finding: what is wrong, where, by which rule, with which numbers, and what cures it."""

from __future__ import annotations

import hashlib
from collections.abc import Iterable
from dataclasses import dataclass
from enum import StrEnum
from typing import Any

from gumboot.core.basis.figure import Figure


class Level(StrEnum):
    """stop: unsafe or will not work. check: a person must judge. note: worth knowing."""

    STOP = "stop"
    CHECK = "check"
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
class Finding:
    """One finding.

    key: stable for one fault at one place, so that it can be linked to and accepted.
    place: the key of the circuit, string, body or setting it is about.
    says: one sentence, every number with its unit.
    rule: standard and clause, or "common practice".
    """

    key: str
    level: Level
    place: str
    says: str
    rule: str
    cures: tuple[Cure, ...]
    figures: tuple[Figure, ...] = ()

    @property
    def fingerprint(self) -> str:
        """Changes with what the finding says: an acceptance holds only for the words and numbers
        accepted.
        """
        return hashlib.sha256(
            f"{self.key}|{self.level}|{self.says}|{self.rule}".encode()
        ).hexdigest()[:16]


RANK = {Level.STOP: 0, Level.CHECK: 1, Level.NOTE: 2}


def ordered(findings: Iterable[Finding]) -> tuple[Finding, ...]:
    """Stops first, then checks, then notes; within a level in the order they were found."""
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


def note(
    key: str, place: str, says: str, rule: str, *cures: Cure, figures: tuple[Figure, ...] = ()
) -> Finding:
    """Worth knowing."""
    return Finding(key, Level.NOTE, place, says, rule, cures, figures)
