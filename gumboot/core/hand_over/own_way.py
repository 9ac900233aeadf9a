"""Off and on by an owner's hand: the switches an owner may move, in an order that does no harm.

Connectors on the roof and fuses at a post are for a trained hand: they stay as they are.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from gumboot.core.design import Design
from gumboot.core.wake.order import Act, order
from gumboot.core.wake.plant import Lever, Plant
from gumboot.core.wake.settle import settle
from gumboot.core.wake.way import Way

VERBS = {
    "open": "Switch off",
    "close": "Switch on",
    "turn to OFF": "Turn to OFF:",
    "turn to ON": "Turn to ON:",
    "throw away from this side": "Move the lever away from",
    "throw to this side": "Move the lever to",
}


@dataclass(frozen=True, slots=True)
class ByHand:
    """What an owner does, in words: at once, to switch off, to switch on; rest: what to know of
    it; wait_min: before it is switched on again. Empty where a trained hand has to.
    """

    emergency: tuple[str, ...] = ()
    off: tuple[str, ...] = ()
    on: tuple[str, ...] = ()
    rest: tuple[str, ...] = ()
    wait_min: float = 0.0


def may(lever: Lever) -> bool:
    """Whether an owner may move it."""
    return lever.kind != "connectors" and all(s.kind != "fuse" for s in lever.switches)


def says(plant: Plant, a: Act) -> str:
    """An act in an owner's words, with the names that stand on the labels."""
    x = plant.levers[a.k]
    how = x.on if a.closing else x.off
    name = x.says.removesuffix(f", {x.place}")
    if x.button:
        return f"“{name}” on “{x.place}”: {how}."
    return f"{VERBS.get(how, how[:1].upper() + how[1:])} “{name}” on “{x.place}”."


def owned(plant: Plant) -> int:
    """The levers an owner may move, as bits of a state."""
    return sum(1 << k for k, x in enumerate(plant.levers) if may(x))


def to_quiet(way: Way, acts: tuple[Act, ...]) -> tuple[Act, ...]:
    """The first of some acts, up to where no load is fed and no unit makes or joins a voltage;
    nothing where none of them comes there.
    """
    if not acts:
        return ()  # nothing an owner moves makes it quiet
    rows = settle(way.plant, np.array([a.after for a in acts], dtype=np.int64))
    quiet = np.flatnonzero((rows.loads | rows.forms | rows.follows) == 0)
    return acts[: int(quiet[0]) + 1] if len(quiet) else ()


def by_hand(d: Design) -> ByHand:
    """What an owner of this job does."""
    if d.wake is None or d.network is None:
        return ByHand(rest=("No order is worked out yet: ask the crew before you move a switch.",))
    way = d.wake.way
    plant = way.plant
    goal = plant.serving & ~owned(plant)
    down = order(way.moves, plant.serving, goal, way.downs)
    up = way.onward(goal)
    first = way.emergency
    if not all(may(plant.levers[a.k]) for a in first):
        first = to_quiet(way, down.acts)
    trained = any(not may(x) for x in plant.levers)
    rest = ("Connectors on the roof and fuses at the batteries are for a trained hand.",)
    return ByHand(
        tuple(says(plant, a) for a in first),
        tuple(says(plant, a) for a in down.acts) if not down.against else (),
        tuple(says(plant, a) for a in up.acts) if not up.against else (),
        rest if trained else (),
        d.network.wait_min,
    )
