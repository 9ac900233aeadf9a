"""How current transformers can stand, right and wrong: each channel's clip round a conductor at a
place, which way it points, which voltage it is read against, and by what ratio.

A channel shows the real power of its current against its voltage:

    P = q · d · P_c · cos(angle of its voltage − angle of the conductor's own)

with P_c what flows at its place on its conductor, d = ±1 its direction, q the wrong over the right
ratio. On three phases another line's voltage is 120° off and shows −½; on split phase it is
opposite and shows −1, so that no step tells it from a clip turned round.
"""

from __future__ import annotations

import itertools
import math
from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from gumboot.core.kit import ANGLES

Array = NDArray[np.float64]

# Where steps are made, and which of them a clip at a place sees.
# What is backed up hangs on the inverter: its own line to the grid carries that too.
STEPS_AT = ("house", "sub-panel", "inverter", "PV inverter", "backed up", "backed-up PV")
SEES: dict[str, tuple[bool, ...]] = {
    "service": (True, True, True, True, True, True),
    "inverter": (False, False, True, False, True, True),
    "house without inverter": (True, True, False, True, False, False),
    "without the sub-panel": (True, False, True, True, True, True),
    "sub-panel": (False, True, False, False, False, False),
    "PV inverter": (False, False, False, True, False, True),
}
CHANGES = (0, 1, 3)  # the house, a sub-panel, the sun: what changes by itself
NOWHERE = "nowhere"  # open, not plugged in, or beside its conductor

# How often each is wrong when a crew calls for help: common practice, and only ratios matter.
P_TURNED, P_SWAPPED, P_TAPS, P_RATIO, P_PLACE, P_NOWHERE, P_LINE = (
    *(0.20, 0.20, 0.15, 0.15),
    *(0.20, 0.08, 0.01),
)


@dataclass(frozen=True, slots=True)
class Setup:
    """The transformers of a job: the supply, what each channel should read (place, line from 0),
    where a clip may stand besides, and ratios it may be set to by mistake, over the right one.

    drives: what can be switched, where and in which proportion on each line: what no drive tells
    apart is one explanation.
    """

    supply: str
    channels: tuple[tuple[str, int], ...]
    drives: tuple[tuple[str, tuple[float, ...]], ...]
    places: tuple[str, ...] = ("service", "inverter", "house without inverter")
    ratios: tuple[float, ...] = (0.5, 2.0)

    @property
    def lines(self) -> int:
        """Live conductors of the supply."""
        return len(ANGLES[self.supply])


@dataclass(frozen=True, slots=True)
class Clip:
    """One channel as it may stand: place and conductor (from 0), turned round or not, the line
    whose voltage it is read against, its ratio over the right one.
    """

    place: str
    line: int
    turned: bool
    volts: int
    ratio: float

    def gain(self, supply: str) -> float:
        """What it shows of a watt through it, of unity power factor."""
        angles = ANGLES[supply]
        seen = math.cos(math.radians(angles[self.volts] - angles[self.line]))
        return self.ratio * (-1 if self.turned else 1) * round(seen, 9)


OPEN = Clip(NOWHERE, 0, False, 0, 1.0)
Wiring = tuple[Clip, ...]


@dataclass(frozen=True, eq=False)
class Space:
    """All a channel can be, as classes that no drive of the job tells apart: what each shows of a
    watt of each drive, and how much of the house's own changes; `members` are its clips.
    """

    setup: Setup
    shows: Array  # (drives, classes)
    house: Array  # (classes,)
    members: tuple[tuple[Clip, ...], ...]

    @property
    def count(self) -> int:
        """How many classes there are."""
        return len(self.house)


@lru_cache(maxsize=64)
def space(setup: Setup) -> Space:
    """Every class of a channel's clips."""
    found: dict[tuple[tuple[float, ...], float], list[Clip]] = {}
    found[tuple(0.0 for _ in setup.drives), 0.0] = [OPEN]
    n = setup.lines
    backed = any(at == "backed up" for at, _ in setup.drives)
    for place in dict.fromkeys((*setup.places, *(p for p, _ in setup.channels))):
        for line, turned, volts, ratio in itertools.product(
            range(n), (False, True), range(n), (1.0, *setup.ratios)
        ):
            clip = Clip(place, line, turned, volts, ratio)
            shows = tuple(response(setup, clip, at, row) for at, row in setup.drives)
            noisy = any(SEES[place][i] for i in CHANGES) or (backed and SEES[place][4])
            house = abs(clip.gain(setup.supply)) if noisy else 0.0
            found.setdefault((shows, round(house, 6)), []).append(clip)
    keys = list(found)
    return Space(
        setup,
        np.array([k[0] for k in keys]).reshape(len(keys), len(setup.drives)).T,
        np.array([k[1] for k in keys]),
        tuple(tuple(found[k]) for k in keys),
    )


def response(setup: Setup, clip: Clip, at: str, row: Sequence[float]) -> float:
    """What a clip shows of so many watts on each line, drawn at a place."""
    if clip.place == NOWHERE or not SEES[clip.place][STEPS_AT.index(at)]:
        return 0.0
    return round(clip.gain(setup.supply) * row[clip.line], 6) + 0.0


def right(setup: Setup) -> Wiring:
    """Everything as it should be."""
    return tuple(Clip(place, line, False, line, 1.0) for place, line in setup.channels)


# The prior: clips change places among themselves, voltage taps change lines, a ratio is set wrong
# for all; and each clip for itself is turned, misplaced, or nowhere.

Rows = NDArray[np.int64]


@dataclass(frozen=True, eq=False)
class Structures:
    """All that goes wrong for several channels at once: how likely each is (n,), and which way
    (place and line meant, line of the volts, ratio) each channel then is: rows of `ways`.
    """

    weights: Array
    way: Rows  # (n, channels)
    ways: tuple[tuple[tuple[str, int], int, float], ...]


@lru_cache(maxsize=64)
def structures(setup: Setup) -> Structures:
    """Every order of the clips with every order of the voltage taps and every ratio."""
    volts, places = range(setup.lines), setup.channels
    ratios = [(1.0, 1 - P_RATIO), *((q, P_RATIO / len(setup.ratios)) for q in setup.ratios)]
    ways = tuple(itertools.product(places, volts, (q for q, _ in ratios)))
    number = {way: n for n, way in enumerate(ways)}
    rows, weights = [], []
    for clips in itertools.permutations(range(len(places))):
        exchanged = P_SWAPPED ** exchanges(clips)
        for taps in itertools.permutations(volts):
            moved = exchanged * P_TAPS ** exchanges(taps)
            for q, weight in ratios:
                rows.append([number[places[c], taps[places[k][1]], q] for k, c in enumerate(clips)])
                weights.append(moved * weight)
    return Structures(np.array(weights), np.array(rows), ways)


def exchanges(order: Sequence[int]) -> int:
    """The fewest exchanges of two that make an order: its length less its cycles."""
    seen: set[int] = set()
    cycles = 0
    for i in range(len(order)):
        if i not in seen:
            cycles += 1
            while i not in seen:
                seen.add(i)
                i = order[i]
    return len(order) - cycles


def weight_of(setup: Setup, clip: Clip, way: tuple[tuple[str, int], int, float]) -> float:
    """How likely a channel is a clip, where a structure already says which way it is."""
    return _weight(setup, *way, clip)


def _weight(setup: Setup, where: tuple[str, int], volts: int, q: float, clip: Clip) -> float:
    place, line = where
    if clip.place == NOWHERE:
        return P_NOWHERE
    if clip.volts != volts or clip.ratio != q:
        return 0.0
    turned = P_TURNED if clip.turned else 1 - P_TURNED
    if clip.place == place:
        there = 1 - P_NOWHERE - P_PLACE - P_LINE if clip.line == line else _share(setup, P_LINE)
    else:
        others = max(len({*setup.places, place}) - 1, 1)
        there = P_PLACE / others * (0.8 if clip.line == line else 0.2 / max(setup.lines - 1, 1))
    return turned * there


def _share(setup: Setup, p: float) -> float:
    return p / (setup.lines - 1) if setup.lines > 1 else 0.0


@lru_cache(maxsize=64)
def class_weights(setup: Setup) -> Array:
    """(ways, classes): how likely a channel that is some way is of each class."""
    return np.column_stack([w.sum(axis=1) for w in member_weights(setup)])


@lru_cache(maxsize=64)
def member_weights(setup: Setup) -> tuple[Array, ...]:
    """For each class (ways, members): how likely a channel of some way is each of its clips."""
    members, ways = space(setup).members, structures(setup).ways
    return tuple(
        np.array([[weight_of(setup, c, w) for c in some] for w in ways]) for some in members
    )


def prior(setup: Setup, wiring: Wiring) -> float:
    """How likely a whole wiring is before any step, up to a factor."""
    how = structures(setup)
    likely = how.weights.copy()
    for k, clip in enumerate(wiring):
        likely *= np.array([weight_of(setup, clip, w) for w in how.ways])[how.way[:, k]]
    return float(likely.sum())


TRIED, RANKED, CARRIED = 48, 16, 48  # structures, options a channel, combinations of each
LISTED, SUMMED = 256, 4000  # combinations weighed, and structures over which they are
RARE = 1e-7  # less likely than this is not kept


def likeliest(how: Structures, given: Sequence[Array]) -> tuple[Rows, Array]:
    """The likeliest combinations of one option a channel: (n, channels), and how likely each is of
    all there are, falling. given: for each channel (ways, options), how likely each option is.

    Structures are summed exactly, by a product of sums each; the best combinations of the likeliest
    structures are looked for channel by channel, and each then summed over all that allow it.
    """
    weight = how.weights.copy()
    for k, options in enumerate(given):
        weight *= options.sum(axis=1)[how.way[:, k]]
    order = np.argsort(-weight, kind="stable")
    rows = _best(how, order[:TRIED], given)
    some = order[weight[order] > RARE * weight[order[0]]][:SUMMED]
    likely = np.repeat(how.weights[some, None], len(rows), axis=1)
    for k, options in enumerate(given):
        likely *= options[:, rows[:, k]][how.way[some, k]]
    total = likely.sum(axis=0) / weight.sum()
    kept = np.flatnonzero(total > RARE * total.max())
    kept = kept[np.argsort(-total[kept], kind="stable")]
    return rows[kept], total[kept]


def highest(rows: Array, n: int) -> Rows:
    """(rows, n): where the n greatest of each row stand, falling; of equal ones the first first."""
    n = min(n, rows.shape[1])
    some = np.sort(np.argpartition(-rows, n - 1, axis=1)[:, :n], axis=1)
    order = np.argsort(-np.take_along_axis(rows, some, 1), axis=1, kind="stable")
    found: Rows = np.take_along_axis(some, order, 1)
    return found


def _best(how: Structures, tried: Rows, given: Sequence[Array]) -> Rows:
    """(n, channels): the likeliest combinations of some structures, once each."""
    score = how.weights[tried, None]
    rows = np.zeros((len(tried), 1, 0), dtype=np.int64)
    for k, options in enumerate(given):
        way = how.way[tried, k]
        own = highest(options, RANKED)[way]
        joint = score[:, :, None] * np.take_along_axis(options[way], own, 1)[:, None, :]
        flat = joint.reshape(len(tried), -1)
        best = highest(flat, CARRIED)
        before, last = np.divmod(best, own.shape[1])
        carried = np.take_along_axis(rows, before[:, :, None], 1)
        rows = np.concatenate([carried, np.take_along_axis(own, last, 1)[:, :, None]], axis=2)
        score = np.take_along_axis(flat, best, 1)
    every, likely = rows.reshape(-1, rows.shape[2]), score.ravel()
    every = every[np.argsort(-likely, kind="stable")]
    _, first = np.unique(every, axis=0, return_index=True)
    found: Rows = every[np.sort(first)[:LISTED]]
    return found
