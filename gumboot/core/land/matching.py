"""Readings that a tool recorded, matched to terminations: by the label scanned with them, else by
order.

By order the readings are laid along the landing order like one text along another: a termination
may be
skipped, a reading may belong to none, and
a low reading may be followed by another of the same termination. The cheapest laying wins; where
another
would do nearly as well, a person is asked.
"""

from __future__ import annotations

import math
import re
from collections.abc import Sequence
from dataclasses import dataclass
from urllib.parse import unquote

from gumboot.core.land.termination import Termination

SKIP, ASTRAY, AGAIN = (
    0.15,
    0.60,
    0.02,
)  # of a termination passed over, a reading that fits none, a second try
CLOSE = 0.05  # another laying this near is a doubt
FAR = 0.15  # a reading this far from rated is a doubt
LOW = 0.06


@dataclass(frozen=True, slots=True)
class Recorded:
    """One reading as a tool recorded it: its running number, torque in N·m, when, and the label
    scanned with it, if any.
    """

    n: int
    torque_nm: float
    typed: str
    at: str = ""
    serial: str = ""
    label: str = ""


@dataclass(frozen=True, slots=True)
class Match:
    """A reading and the termination it is of, by key; None when none fits. sure: no person needs to
    be
    asked.
    """

    reading: Recorded
    key: str | None
    sure: bool
    why: str


def match(readings: Sequence[Recorded], terminations: Sequence[Termination]) -> list[Match]:
    """Match readings, oldest first, to terminations with a torque, in landing order."""
    turned = [t for t in terminations if t.torque]
    by_label = {i: scanned(r.label, turned) for i, r in enumerate(readings) if r.label}
    taken = {t.key for t in by_label.values() if t}
    rest = [i for i in range(len(readings)) if i not in by_label]
    by_order = dict(
        zip(
            rest,
            lay([readings[i] for i in rest], [t for t in turned if t.key not in taken]),
            strict=True,
        )
    )
    out = []
    for i, r in enumerate(readings):
        if i in by_order:
            out.append(by_order[i])
            continue
        t = by_label[i]
        if t is None or t.torque is None:
            out.append(Match(r, None, False, f"“{r.label[:60]}” is on no label of this job"))
        else:
            ratio = r.torque_nm / t.torque.n
            out.append(
                Match(
                    r,
                    t.key,
                    abs(ratio - 1) <= FAR,
                    (
                        "its label was scanned"
                        if abs(ratio - 1) <= FAR
                        else f"its label was scanned, but it is {ratio:.0%} of rated"
                    ),
                )
            )
    return out


def scanned(text: str, terminations: Sequence[Termination]) -> Termination | None:
    """The termination that a scan names: by its address, its key or its whole label. None when none
    or
    several do.
    """
    found = re.search(r"[?&]at=([^&#\s]+)", text)
    said = unquote(found[1]) if found else text.strip()
    hits = [t for t in terminations if t.key == said] or [
        t for t in terminations if t.label and t.label.casefold() == said.casefold()
    ]
    return hits[0] if len(hits) == 1 else None


def cost(nm: float, rated_nm: float) -> float:
    """What it costs to take a reading for one of a rated torque: |ln(reading / rated)|, twice that
    above rated, since low is common.
    """
    x = math.log(nm / rated_nm)
    return 2 * x if x > 0 else -x


def lay(readings: Sequence[Recorded], terminations: Sequence[Termination]) -> list[Match]:
    """Lay readings along terminations at least cost, and say where that is in doubt. O(readings ·
    terminations).
    """
    rated = [t.torque.n for t in terminations if t.torque]
    n, m, inf = len(readings), len(rated), math.inf
    c = [[cost(r.torque_nm, x) for x in rated] for r in readings]
    low = [[r.torque_nm < x * (1 - LOW) for x in rated] for r in readings]
    fore = [
        [inf] * (m + 1) for _ in range(n + 1)
    ]  # fore[i][j]: i readings laid, the last on termination j - 1 (0: on none yet)
    fore[0][0] = 0.0
    came = [
        [inf] * m for _ in range(n)
    ]  # came[i][k]: cost up to and with reading i on termination k
    for i in range(n):
        best = inf  # of fore[i][j] - SKIP·j over j <= k
        for k in range(m):
            best = min(best, fore[i][k] - SKIP * k)
            came[i][k] = c[i][k] + min(
                best + SKIP * k, fore[i][k + 1] + AGAIN if i and low[i - 1][k] else inf
            )
        for j in range(m + 1):
            fore[i + 1][j] = min(fore[i][j] + ASTRAY, came[i][j - 1] if j else inf)
    rest = [
        [0.0] * (m + 1) for _ in range(n + 1)
    ]  # rest[i][j]: readings from i on, the last on termination j - 1
    for i in range(n - 1, -1, -1):
        best = inf  # of c + rest + SKIP·k over k >= j
        for j in range(m, -1, -1):
            if j < m:
                best = min(best, c[i][j] + rest[i + 1][j + 1] + SKIP * j)
            again = c[i][j - 1] + AGAIN + rest[i + 1][j] if j and i and low[i - 1][j - 1] else inf
            rest[i][j] = min(rest[i + 1][j] + ASTRAY, best - SKIP * j, again)
    out: list[Match] = []
    last = 0
    for i, r in enumerate(readings):
        here = [(c[i][k] + SKIP * (k - last) + rest[i + 1][k + 1], k) for k in range(last, m)] + [
            (ASTRAY + rest[i + 1][last], -1)
        ]
        if last and i and low[i - 1][last - 1]:
            here.append((c[i][last - 1] + AGAIN + rest[i + 1][last], last - 1))
        k = min(here, key=lambda w: (w[0], w[1] < 0))[1]
        last = k + 1 if k >= 0 else last
        every = [(came[i][x] + rest[i + 1][x + 1], x) for x in range(m)] + [
            (min(fore[i][j] + ASTRAY + rest[i + 1][j] for j in range(m + 1)), -1)
        ]
        least = min(v for v, _ in every)
        other = min((w for w in every if w[1] != k), default=(inf, -1))
        if k < 0:
            out.append(Match(r, None, False, "fits no termination that is open here"))
        elif other[0] - least < CLOSE:
            out.append(
                Match(
                    r,
                    terminations[k].key,
                    False,
                    (
                        "might as well be"
                        f" {terminations[other[1]].label or terminations[other[1]].terminal}"
                        if other[1] >= 0
                        else "might belong to none"
                    ),
                )
            )
        else:
            ratio = r.torque_nm / rated[k]
            near = -FAR <= ratio - 1 <= FAR
            out.append(
                Match(
                    r,
                    terminations[k].key,
                    near,
                    "by order" if near else f"by order, but it is {ratio:.0%} of rated",
                )
            )
    return out
