"""One engine for every search for a cause.

    P(cause | seen) ∝ weight · Π P(seen of a look | cause)

The next look is the one of which the answer tells most a minute: the entropy of what it would
show, less what stays open of it once the cause is known. It stops when one cause holds 99 %, or
when no look left tells anything. How likely a cause is in the trade is common practice, and the
crew's own weights come before it.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import TypeVar

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]
T = TypeVar("T")
SURE = 0.99  # of one cause: no more looks are asked for
LEAST_BITS = 1e-3  # a look that tells less is not worth the ladder
RIGHT = 0.99  # how often a look shows what its cause makes it show: common practice


@dataclass(frozen=True, slots=True)
class Cause:
    """What may be wrong. weight: how often, of a hundred such calls; mend: what puts it right."""

    key: str
    says: str
    weight: float
    mend: str


@dataclass(frozen=True, slots=True)
class Look:
    """What can be looked at or measured. minutes it takes, its answers, and the answer that each
    cause gives (by its key): one, or several that are as likely. right: how often it shows so.
    probes: where the two of them go, "" where it is done by eye or on a display; fresh: whether a
    second look would show the same again.
    """

    key: str
    says: str
    minutes: float
    answers: tuple[str, ...]
    shows: Mapping[str, int | tuple[int, ...]] = field(hash=False)
    probes: tuple[str, str] = ("", "")
    caution: str = ""
    right: float = RIGHT


@dataclass(frozen=True, eq=False)
class Problem:
    """A thing seen to be wrong. Raises ValueError where a look forgets a cause, or an answer is out
    of its range.
    """

    key: str
    title: str
    causes: tuple[Cause, ...]
    looks: tuple[Look, ...]

    def __post_init__(self) -> None:
        keys = [c.key for c in self.causes]
        for look in self.looks:
            if set(look.shows) != set(keys):
                odd = sorted(set(look.shows) ^ set(keys))
                raise ValueError(f"{self.key}.{look.key}: {', '.join(odd)}")
            for some in look.shows.values():
                for n in some if isinstance(some, tuple) else (some,):
                    if not 0 <= n < len(look.answers):
                        raise ValueError(f"{self.key}.{look.key}: no answer {n}")

    def look(self, key: str) -> Look | None:
        """A look by its key."""
        return next((x for x in self.looks if x.key == key), None)


@dataclass(frozen=True, eq=False)
class Belief:
    """How likely each cause is, after what was seen."""

    problem: Problem
    likely: Array

    @property
    def ranked(self) -> list[tuple[Cause, float]]:
        """The causes, likeliest first."""
        order = np.argsort(-self.likely, kind="stable")
        return [(self.problem.causes[i], float(self.likely[i])) for i in order]

    @property
    def sure(self) -> bool:
        """Whether one cause holds 99 %."""
        return bool(self.likely.max() >= SURE)


def table(problem: Problem, look: Look) -> Array:
    """P(answer | cause): shape (causes, answers)."""
    out = np.empty((len(problem.causes), len(look.answers)))
    for i, c in enumerate(problem.causes):
        some = look.shows[c.key]
        of = some if isinstance(some, tuple) else (some,)
        others = len(look.answers) - len(of)
        out[i] = (1 - look.right) / others if others else 0.0
        out[i, list(of)] = (look.right if others else 1.0) / len(of)
    return out


def believe(
    problem: Problem,
    seen: Iterable[tuple[str, int]],
    weights: Mapping[str, float] | None = None,
) -> Belief:
    """What is left after looks (key, answer): looks and answers that are none are passed over.
    weights: the crew's own, by cause.
    """
    own = weights or {}
    likely = np.array([max(own.get(c.key, c.weight), 1e-6) for c in problem.causes])
    for key, answer in seen:
        look = problem.look(key)
        if look is not None and 0 <= answer < len(look.answers):
            likely = likely * table(problem, look)[:, answer]
    return Belief(problem, likely / likely.sum())


def entropy(p: Array) -> float:
    """Shannon entropy in bits."""
    some = p[p > 0]
    return float(-(some * np.log2(some)).sum())


def tells(belief: Belief, look: Look) -> float:
    """How many bits a look is expected to tell: mutual information of cause and answer."""
    rows = table(belief.problem, look)
    each = np.array([entropy(r) for r in rows])
    return entropy(belief.likely @ rows) - float(belief.likely @ each)


def best(
    options: Sequence[T], bits: Callable[[T], float], minutes: Callable[[T], float]
) -> tuple[T, float] | None:
    """(the option that tells most a minute, its bits); None where none tells anything. Of equals
    the first.
    """
    rows = [(bits(x), -i, x) for i, x in enumerate(options)]
    some = [(b / max(minutes(x), 0.1), i, b, x) for b, i, x in rows if b >= LEAST_BITS]
    found = max(some, key=lambda row: row[:2], default=None)
    return (found[3], found[2]) if found else None


def next_look(belief: Belief, done: Iterable[str] = ()) -> tuple[Look, float] | None:
    """(the look to take, its bits), or None where it is sure, or nothing left tells more."""
    if belief.sure:
        return None
    gone = set(done)
    free = [x for x in belief.problem.looks if x.key not in gone]
    return best(free, lambda x: tells(belief, x), lambda x: x.minutes)
