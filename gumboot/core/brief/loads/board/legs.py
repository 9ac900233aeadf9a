"""Sums of one leg, or of all: running, starting, starting together."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from gumboot.core.basis.figure import Figure, given, solve
from gumboot.core.brief.loads.board.hours import DAY_STEPS, STEP_MIN, Day, may_run, weight
from gumboot.core.brief.loads.board.starting import COINCIDE_S, STARTS_S
from gumboot.core.plan import Load


@dataclass(frozen=True, slots=True)
class Leg:
    """One leg, or "all". W at once, in the worst quarter hour (from `worst_at`, minutes), in the
    worst start (of load `starter`); and the ratings.
    """

    name: str
    at_once: Figure
    running: Figure
    worst_at: int
    start: Figure
    starter: str
    continuous: Figure
    surge: Figure | None


class Sheet:
    """Some loads as arrays over the quarter hours: what each draws running, and the more it draws
    while starting.
    """

    def __init__(self, loads: Sequence[Load], starting: dict[str, Figure], lines: int) -> None:
        self.loads, self.lines = list(loads), lines
        self.may = np.array([may_run(x) for x in loads], bool).reshape(len(loads), DAY_STEPS)
        self.watts = np.array([x.running_w for x in loads])
        self.extra = np.array([max(0.0, starting[x.id].n - x.running_w) for x in loads])
        self._shares: dict[str, Day] = {}
        self._draws: dict[str, Day] = {}

    def shares(self, leg: str) -> Day:
        """What each load weighs on a leg: shape (loads,)."""
        if leg not in self._shares:
            self._shares[leg] = np.array([weight(x, leg, self.lines) for x in self.loads])
        return self._shares[leg]

    def draw(self, leg: str) -> Day:
        """W on a leg by quarter hour, all that may run running."""
        if leg not in self._draws:
            self._draws[leg] = (self.watts * self.shares(leg)) @ self.may
        return self._draws[leg]

    def starts(self, leg: str, which: Sequence[int]) -> float:
        """The highest W on a leg when these start at one moment, the others running; 0 when no hour
        has them all.
        """
        when = np.logical_and.reduce(self.may[list(which)])
        extra = float((self.extra * self.shares(leg))[list(which)].sum())
        return float(self.draw(leg)[when].max()) + extra if when.any() and extra > 0 else 0.0

    def alone_starts(self, leg: str, movers: Sequence[int]) -> NDArray[np.float64]:
        """`starts` of each of some loads alone."""
        rows = list(movers)
        draw = np.where(self.may[rows], self.draw(leg), -np.inf).max(axis=1, initial=-np.inf)
        extra = (self.extra * self.shares(leg))[rows]
        return np.where(np.isfinite(draw) & (extra > 0), draw + extra, 0.0)

    def pair_starts(self, leg: str, movers: Sequence[int]) -> NDArray[np.float64]:
        """`starts` of every pair of some loads at once, each alone on the diagonal."""
        rows = list(movers)
        if not rows:
            return np.zeros((0, 0))
        may = self.may[rows]
        both = may[:, None, :] & may[None, :, :]
        extra = (self.extra * self.shares(leg))[rows]
        together = extra[:, None] + extra[None, :] - np.diag(extra)
        draw = np.where(both, self.draw(leg), -np.inf).max(axis=2)
        return np.where(both.any(axis=2) & (together > 0), draw + together, 0.0)


def sum_of(
    symbol: str, name: str, watts: Sequence[tuple[str, float]], assumption: str = ""
) -> Figure:
    """A sum of circuits, each an input: W."""
    parts = [given(f"P_{i + 1}", w, "W", n, "load board") for i, (n, w) in enumerate(watts)]
    return solve(
        symbol,
        "W",
        name,
        " + ".join(p.symbol for p in parts) or "0",
        *parts,
        source="sum",
        assumption=assumption,
    )


def design_leg(name: str, sheet: Sheet, continuous: Figure, surge: Figure | None) -> Leg:
    """Sums of one leg, or of "all"."""
    shares, draw = sheet.shares(name), sheet.draw(name)
    on = [i for i, s in enumerate(shares) if s > 0]

    def watts(some: Iterable[int]) -> list[tuple[str, float]]:
        return [(sheet.loads[i].name, float(sheet.watts[i] * shares[i])) for i in some]

    at = int(draw.argmax()) if on else 0
    running = sum_of(
        "P_hour",
        "Running in the worst quarter hour",
        watts(i for i in on if sheet.may[i, at]),
        "each in the hours stated for it",
    )
    movers = [i for i in on if sheet.extra[i] > 0]
    starts = list(zip(sheet.alone_starts(name, movers).tolist(), movers, strict=True))
    most, first = max(starts, default=(0.0, -1))
    start, starter = running, ""
    if most > running.n:
        when = int(np.where(sheet.may[first], draw, -1.0).argmax())
        rest = watts(i for i in on if i != first and sheet.may[i, when])
        one = (
            f"{sheet.loads[first].name}, starting",
            float((sheet.watts[first] + sheet.extra[first]) * shares[first]),
        )
        start, starter = (
            sum_of("P_start", "Worst start", [*rest, one], "the others run, one starts"),
            sheet.loads[first].id,
        )
    return Leg(
        name,
        sum_of("P_sum", "All running at once", watts(on)),
        running,
        at * STEP_MIN,
        start,
        starter,
        continuous,
        surge,
    )


def not_together(sheet: Sheet, total: Leg, legs: Sequence[Leg]) -> tuple[tuple[str, str], ...]:
    """Pairs of loads (ids) that each start alone but not at the same moment, within the hours both
    may run; starts of a blink aside.
    """
    movers = [
        i
        for i, extra in enumerate(sheet.extra)
        if extra > 0 and STARTS_S[sheet.loads[i].kind] >= COINCIDE_S
    ]
    bad: set[tuple[int, int]] = set()
    for leg, most in ((x.name, x.surge.n) for x in (total, *legs) if x.surge):
        watts = sheet.pair_starts(leg, movers)
        alone = np.diag(watts) <= most
        over = np.triu((watts > most) & alone[:, None] & alone[None, :], 1)
        bad |= {(movers[a], movers[b]) for a, b in zip(*np.nonzero(over), strict=True)}
    rows = sorted(bad)
    return tuple((sheet.loads[i].id, sheet.loads[j].id) for i, j in rows)
