"""The photographs that a job wants: what will be asked for when nobody can look behind a cover any
more. Common practice.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Literal

from gumboot.core.design import Design
from gumboot.core.hand_over.devices import devices

At = Literal["delivery", "wall", "land", "wake"]


@dataclass(frozen=True, slots=True)
class Wanted:
    """One photograph. key: stable, for the log; says: what is to be seen on it; body: the box or
    wall it is of; at: the station where it is taken; termination: before which that is.
    """

    key: str
    says: str
    body: str
    at: At
    termination: str = ""


def wanted(d: Design) -> tuple[Wanted, ...]:
    """Every photograph that this job wants, in the order of work."""
    return tuple(_wanted(d)) if d.inverter is not None else ()


def _wanted(d: Design) -> Iterator[Wanted]:
    names = {b.id: b.label for b in d.bodies}
    for body in dict.fromkeys(x.body for x in devices(d) if x.body):
        says = f"{names[body]}: its plate, every figure legible"
        yield Wanted(f"plate.{body}", says, body, "delivery")
    for w in d.walls:
        wall = w.scene.wall
        at = f"wall-{wall.id}"
        yield Wanted(f"fixings.{wall.id}", f"Wall {wall.id}: the fixings, brackets up", at, "wall")
    if d.strings:
        yield Wanted("roof", "Where the array's cables leave the roof, sealed", "roof", "land")
    covers = {t.body: t.key for t in d.terminations if t.kind == "cover"}
    for b in d.bodies:
        if b.id in covers:
            says = f"{b.label}: open, all made off and marked, before its cover"
            yield Wanted(f"block.{b.id}", says, b.id, "land", covers[b.id])
    main = next((b for b in d.bodies if b.role == "main-panel"), None)
    if main is not None:
        says = f"{main.label}: its busbar and breakers, labels legible"
        yield Wanted("busbar", says, main.id, "land", covers.get(main.id, ""))
        yield Wanted("meter", "The meter, its number legible", main.id, "land")
    for w in d.walls:
        wall = w.scene.wall
        at = f"wall-{wall.id}"
        says = f"Wall {wall.id}: the whole of it, what is kept clear around the boxes"
        yield Wanted(f"clear.{wall.id}", says, at, "wake")
    yield Wanted("labels", "Labels and placards, legible, at the main switch", "", "wake")
