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

Turned = NDArray[np.complex128]  # W in phase, and off it


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
    while starting. wye: whether the lines stand 120° apart.
    """

    def __init__(self, loads: Sequence[Load], starting: dict[str, Figure], wye: bool) -> None:
        self.loads, self.wye = list(loads), wye
        self.may = np.array([may_run(x) for x in loads], bool).reshape(len(loads), DAY_STEPS)
        self.watts = np.array([x.running_w for x in loads])
        self.extra = np.array([max(0.0, starting[x.id].n - x.running_w) for x in loads])
        self._weights: dict[str, Turned] = {}
        self._draws: dict[str, Turned] = {}

    def weights(self, leg: str) -> Turned:
        """What each load puts on a leg for each of its W: shape (loads,)."""
        if leg not in self._weights:
            self._weights[leg] = np.array([weight(x, leg, self.wye) for x in self.loads], complex)
        return self._weights[leg]

    def turned(self, leg: str) -> Turned:
        """W in phase and off it on a leg by quarter hour, all that may run running."""
        if leg not in self._draws:
            self._draws[leg] = (self.watts * self.weights(leg)) @ self.may
        return self._draws[leg]

    def draw(self, leg: str) -> Day:
        """W, or VA, on a leg by quarter hour, all that may run running."""
        return np.abs(self.turned(leg))

    def starts(self, leg: str, which: Sequence[int]) -> float:
        """The highest W on a leg when these start at one moment, the others running; 0 when no hour
        has them all.
        """
        when = np.logical_and.reduce(self.may[list(which)])
        extra = (self.extra * self.weights(leg))[list(which)].sum()
        return float(np.abs(self.turned(leg)[when] + extra).max()) if when.any() and extra else 0.0

    def alone_starts(self, leg: str, movers: Sequence[int]) -> Day:
        """`starts` of each of some loads alone."""
        rows = list(movers)
        extra = (self.extra * self.weights(leg))[rows]
        may = self.may[rows] & (extra != 0)[:, None]
        started = np.abs(self.turned(leg)[None, :] + extra[:, None])
        return np.asarray(np.where(may, started, 0.0).max(axis=1, initial=0.0))

    def pair_starts(self, leg: str, movers: Sequence[int]) -> NDArray[np.float64]:
        """`starts` of every pair of some loads at once, each alone on the diagonal."""
        rows = list(movers)
        if not rows:
            return np.zeros((0, 0))
        may = self.may[rows]
        extra = (self.extra * self.weights(leg))[rows]
        together = extra[:, None] + extra[None, :] - np.diag(extra)
        both = may[:, None, :] & may[None, :, :] & (together != 0)[:, :, None]
        started = np.abs(self.turned(leg) + together[:, :, None])
        return np.asarray(np.where(both, started, 0.0).max(axis=2))


def sum_of(
    symbol: str, name: str, watts: Sequence[tuple[str, complex]], assumption: str = ""
) -> Figure:
    """A sum of circuits, each an input: W; what is off phase is added at a right angle."""
    parts = [given(f"P_{i}", w.real, "W", n, "load board") for i, (n, w) in enumerate(watts, 1)]
    off = [
        given(f"Q_{i}", w.imag, "W", f"{n}, 30° off this line", "load board")
        for i, (n, w) in enumerate(watts, 1)
        if w.imag
    ]
    text = " + ".join(p.symbol for p in parts) or "0"
    if off:
        text = f"sqrt(({text})**2 + ({' + '.join(q.symbol for q in off)})**2)"
    return solve(symbol, "W", name, text, *parts, *off, source="sum", assumption=assumption)


def design_leg(name: str, sheet: Sheet, continuous: Figure, surge: Figure | None) -> Leg:
    """Sums of one leg, or of "all"."""
    weights, draw = sheet.weights(name), sheet.draw(name)
    on = [i for i, w in enumerate(weights) if w]

    def watts(some: Iterable[int]) -> list[tuple[str, complex]]:
        return [(sheet.loads[i].name, complex(sheet.watts[i] * weights[i])) for i in some]

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
        extra = sheet.extra[first] * weights[first]
        when = int(np.where(sheet.may[first], np.abs(sheet.turned(name) + extra), -1.0).argmax())
        rest = watts(i for i in on if i != first and sheet.may[i, when])
        one = (
            f"{sheet.loads[first].name}, starting",
            complex((sheet.watts[first] + sheet.extra[first]) * weights[first]),
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
