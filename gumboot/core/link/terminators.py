"""A two-wire bus as a network of resistances: what an ohmmeter shows at each place, right and
wrong, and what a reading means.

    station 0 ──r·ℓ── station 1 ──r·ℓ── station 2      each wire; a terminator across the pair
       120 Ω                              120 Ω        at both ends and nowhere else

Both wires carry the same current, so a pair is one ladder: 2·r·ℓ along it, terminators and inputs
across. CAN: ISO 11898-2, 120 Ω at each end, from memory; RS-485 where its sheet wants them.
"""

from __future__ import annotations

import itertools
import math
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import lru_cache
from typing import Literal

import numpy as np

from gumboot.core.diagnose.telling import bits
from gumboot.core.walk.entering import OPEN_READ

TERMINATOR = 120.0
CORE_OHM_M = 0.0842  # of 24 AWG copper at 20 °C: 0.01724 Ω·mm²/m over 0.2047 mm²
OPEN_OHM, SHORT_OHM = 1e7, 0.2
METER_SHARE, METER_OHM, MADE_SHARE = 0.01, 0.5, 0.03  # of a meter; of a terminator: common practice
FAR_OFF = 8.0  # times what a reading may be off: nothing on the bus explains it
NO_SENSE = (
    "nothing on the bus explains it: is the meter across the pair, in ohms, with all power off"
)
Side = Literal["whole", "toward the first", "toward the last"]


@dataclass(frozen=True)
class Bus:
    """Stations in a line, the length of wire from each to the next (m), which carry a terminator,
    and which of those cannot be taken out. inputs_ohm: what a station itself shows across the pair.
    """

    stations: tuple[str, ...]
    lengths_m: tuple[float, ...]
    ended: tuple[int, ...]
    fixed: tuple[int, ...] = ()
    core_ohm_m: float = CORE_OHM_M
    inputs_ohm: float = 50_000.0

    def __post_init__(self) -> None:
        if len(self.lengths_m) != len(self.stations) - 1:
            raise ValueError("a bus has one length less than stations")


@dataclass(frozen=True)
class State:
    """How a bus stands: terminators by station, wires parted after one, and a short at one."""

    ended: tuple[int, ...]
    parted: tuple[int, ...] = ()
    short: int | None = None


@dataclass(frozen=True)
class Place:
    """Where a meter is put: a station, with the bus whole, or unplugged there and looking to one
    side, the station's own terminator with it.
    """

    station: int
    side: Side = "whole"


@dataclass(frozen=True)
class Meaning:
    """One way the bus may stand, how likely it is, and in words."""

    likely: float
    state: State
    says: str


def ohms(bus: Bus, state: State, place: Place) -> float:
    """What an ohmmeter shows at a place, Ω: the nodal solve of the ladder."""
    n = len(bus.stations)
    seen = [i for i in range(n) if _sees(place, i)]
    g = np.zeros((n, n))
    for i in seen:
        g[i, i] += 1 / bus.inputs_ohm
        if i in state.ended:
            g[i, i] += 1 / TERMINATOR
        if state.short == i:
            g[i, i] += 1 / SHORT_OHM
        if i + 1 in seen:
            along = 2 * bus.core_ohm_m * max(bus.lengths_m[i], 0.01)
            through = 1 / (OPEN_OHM if i in state.parted else along)
            g[i, i] += through
            g[i + 1, i + 1] += through
            g[i, i + 1] -= through
            g[i + 1, i] -= through
    some = np.ix_(seen, seen)
    at = seen.index(place.station)
    one = np.zeros(len(seen))
    one[at] = 1.0
    return float(np.linalg.solve(g[some], one)[at])


def _sees(place: Place, i: int) -> bool:
    if place.side == "toward the first":
        return i <= place.station
    return i >= place.station if place.side == "toward the last" else True


def places(bus: Bus) -> Iterator[Place]:
    """Everywhere a meter can be put."""
    for i in range(len(bus.stations)):
        yield Place(i)
        if 0 < i < len(bus.stations) - 1:
            yield Place(i, "toward the first")
            yield Place(i, "toward the last")


def right(bus: Bus) -> State:
    """The bus as it should be."""
    return State(bus.ended)


@lru_cache(maxsize=64)
def states(bus: Bus) -> tuple[tuple[State, float, str], ...]:
    """(state, how likely before any reading, in words): right, each fault, each pair of faults.
    Only ratios matter; how often is common practice.
    """
    n, names = len(bus.stations), bus.stations
    faults: list[tuple[str, float, tuple[str, int]]] = []
    for i in range(n):
        if i in bus.ended and i not in bus.fixed:
            faults.append((f"the terminator at {names[i]} is missing", 0.15, ("out", i)))
        if i not in bus.ended:
            middle = 0.12 if 0 < i < n - 1 else 0.06
            faults.append((f"a terminator too many, at {names[i]}", middle, ("in", i)))
        if i < n - 1:
            says = f"the pair is open between {names[i]} and {names[i + 1]}"
            faults.append((says, 0.06, ("parted", i)))
        faults.append((f"the two wires touch at {names[i]}", 0.03, ("short", i)))
    whole = right(bus)
    found: dict[State, tuple[float, str]] = {whole: (1.0, "as it should be")}
    for says, p, fault in faults:
        found.setdefault(_with(whole, fault), (p, says))
    for (a, p, f), (b, q, g) in itertools.combinations(faults, 2):
        if f[0] == g[0] == "short":
            continue
        found.setdefault(_with(_with(whole, f), g), (p * q, f"{a}, and {b}"))
    return tuple((state, p, says) for state, (p, says) in found.items())


def _with(state: State, fault: tuple[str, int]) -> State:
    kind, i = fault
    if kind == "out":
        return replace(state, ended=tuple(x for x in state.ended if x != i))
    if kind == "in":
        return replace(state, ended=tuple(sorted({*state.ended, i})))
    if kind == "parted":
        return replace(state, parted=tuple(sorted({*state.parted, i})))
    return replace(state, short=i)


def read_as(value: float) -> float:
    """A reading as it counts, Ω: all that is open alike, and nothing under the leads' own."""
    return min(max(value, 0.05), OPEN_READ)


@lru_cache(maxsize=512)
def _shows(bus: Bus, place: Place) -> tuple[np.ndarray, np.ndarray]:
    """What every state shows at a place as log-ohms, and by how much that may be off: a reading in
    a log is off by shares, and none is off by less than the meter's last digit.
    """
    rows = np.array([read_as(ohms(bus, s, place)) for s, _, _ in states(bus)])
    off = np.sqrt((METER_SHARE**2 + MADE_SHARE**2) + np.log1p(METER_OHM / rows) ** 2)
    return np.log(rows), off


def weighed(bus: Bus, readings: Mapping[Place, float]) -> np.ndarray:
    """How likely each of `states` is after some readings, Ω (infinite for open)."""
    logs = np.log([p for _, p, _ in states(bus)])
    for place, read in readings.items():
        mean, off = _shows(bus, place)
        typed = math.log(read_as(read))
        logs = logs - 0.5 * ((typed - mean) / off) ** 2 - np.log(off)
    p = np.exp(logs - logs.max())
    found: np.ndarray = p / p.sum()
    return found


def meanings(bus: Bus, readings: Mapping[Place, float], least: float = 0.02) -> list[Meaning]:
    """What some readings mean, likeliest first."""
    p = weighed(bus, readings)
    order = np.argsort(-p, kind="stable")
    every = states(bus)
    found = [Meaning(float(p[i]), every[i][0], every[i][2]) for i in order[:8]]
    return [m for i, m in enumerate(found) if i == 0 or m.likely >= least]


def explained(bus: Bus, readings: Mapping[Place, float]) -> bool:
    """Whether any way the bus may stand would show such readings, each within eight times what it
    may be off; else the meter itself is not where it should be.
    """
    away = np.zeros(len(states(bus)))
    for place, read in readings.items():
        shown = np.exp(_shows(bus, place)[0])
        off = METER_OHM + (METER_SHARE + MADE_SHARE) * shown
        away = np.maximum(away, np.abs(read_as(read) - shown) / off)
    return bool(away.min() <= FAR_OFF)


def measure_next(bus: Bus, readings: Mapping[Place, float]) -> Place | None:
    """Where to put the meter next: the place whose reading tells most; None where none does."""
    p = weighed(bus, readings)
    some = np.argsort(-p, kind="stable")[:60]
    best: tuple[float, Place] | None = None
    for place in places(bus):
        if place in readings:
            continue
        mean, off = _shows(bus, place)
        told = bits(p[some], mean[some, None], off[some, None])
        if best is None or told > best[0] + 1e-9:
            best = (told, place)
    return best[1] if best and best[0] > 0.01 else None


def spoken(value: float) -> str:
    """An expected reading as a meter shows it: "60 Ω", "open", "0 Ω"."""
    if value >= OPEN_READ:
        return "open"
    return f"{value:.1f} Ω" if value < 10 else f"{value:.0f} Ω"


def reads_like(bus: Bus, place: Place) -> list[tuple[str, float]]:
    """(in words, what is read there in Ω) of the bus as it should be and with each single fault."""
    whole = right(bus)

    def faults(s: State) -> int:
        return len({*s.ended} ^ {*whole.ended}) + len(s.parted) + (s.short is not None)

    return [(says, read_as(ohms(bus, s, place))) for s, _, says in states(bus) if faults(s) <= 1]


def table(bus: Bus) -> Sequence[tuple[Place, float]]:
    """What to expect at each place of a bus that is right, Ω."""
    return [(place, ohms(bus, right(bus), place)) for place in places(bus)]
