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
from functools import cache, lru_cache

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]

ANGLES: dict[str, tuple[float, ...]] = {
    "single-phase 230 V": (0.0,),
    "split-phase 120/240 V": (0.0, 180.0),
    "three-phase 400/230 V": (0.0, -120.0, 120.0),
}
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

EVERY_EXCHANGE = 4  # channels of which every order is weighed; of more, two exchanges at most
Structure = tuple[tuple[int, ...], tuple[int, ...], float]


@lru_cache(maxsize=64)
def structures(setup: Setup) -> tuple[tuple[float, Structure], ...]:
    """(weight, which channel's clip stands where, which line each voltage tap is on, common ratio)
    of everything that goes wrong for several channels at once.
    """
    out = []
    many = len(setup.channels) > EVERY_EXCHANGE
    ratios = [(1.0, 1 - P_RATIO), *((q, P_RATIO / len(setup.ratios)) for q in setup.ratios)]
    for clips in itertools.permutations(range(len(setup.channels))):
        if many and exchanges(clips) > 2:
            continue
        for taps in itertools.permutations(range(setup.lines)):
            for q, weight in ratios:
                moved = P_SWAPPED ** exchanges(clips) * P_TAPS ** exchanges(taps)
                out.append((moved * weight, (clips, taps, q)))
    return tuple(out)


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


def weight_of(setup: Setup, k: int, clip: Clip, structure: Structure) -> float:
    """How likely channel k is a clip, where a structure already says what went wrong for all."""
    clips, taps, q = structure
    return _weight(setup, setup.channels[clips[k]], taps[setup.channels[k][1]], q, clip)


@lru_cache(maxsize=200_000)
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
    """(structures, channels, classes): how likely each channel is of each class."""
    s = space(setup)

    @cache
    def row(where: tuple[str, int], volts: int, q: float) -> tuple[float, ...]:
        return tuple(
            sum(_weight(setup, where, volts, q, c) for c in members) for members in s.members
        )

    return np.array(
        [
            [
                row(setup.channels[clips[k]], taps[setup.channels[k][1]], q)
                for k in range(len(setup.channels))
            ]
            for _, (clips, taps, q) in structures(setup)
        ]
    )


def prior(setup: Setup, wiring: Wiring) -> float:
    """How likely a whole wiring is before any step, up to a factor."""
    return sum(
        w * math.prod(weight_of(setup, k, clip, how) for k, clip in enumerate(wiring))
        for w, how in structures(setup)
    )
