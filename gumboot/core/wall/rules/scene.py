"""One wall with what stands on it, and where a box may be on it."""

from __future__ import annotations

from dataclasses import dataclass

from gumboot.core.basis.finding import Change, Cure
from gumboot.core.basis.units import show_place
from gumboot.core.plan import Plan, Wall
from gumboot.core.wall.bodies import Placed
from gumboot.core.wall.rect import Rect


@dataclass(frozen=True, slots=True)
class Scene:
    """One wall of a plan with what stands on it. index: its place in the plan's list."""

    plan: Plan
    index: int
    wall: Wall
    placed: tuple[Placed, ...]

    @property
    def place(self) -> str:
        """What findings name as their place."""
        return f"wall-{self.wall.id}"

    def key(self, *words: str) -> str:
        """A finding's key."""
        return ".".join((self.place, *words))

    def mm(self, value: float) -> str:
        """A length as the crew's tape has it."""
        return show_place(value, self.plan.units)

    def path(self, box: str) -> str:
        """Where the plan keeps a box's place."""
        return f"/walls/{self.index}/placed/{box}"

    def to(self, p: Placed, x: float, y: float, words: str) -> Cure:
        """A cure that moves a box."""
        return Cure(
            words,
            (
                Change(f"{self.path(p.box.id)}/x_mm", round(x, 1)),
                Change(f"{self.path(p.box.id)}/y_mm", round(y, 1)),
            ),
        )


def bounds(wall: Wall, p: Placed) -> Rect:
    """The least and greatest that a box's left and lower edge may be on its wall: left, bottom,
    right, top of that corner's own room.
    """
    c, k = p.box.enclosure, p.box.enclosure.clear
    left = k.left if wall.corner_left else 0.0
    right = wall.width_mm - c.width - (k.right if wall.corner_right else 0.0)
    if c.mount == "floor":
        return Rect(left, 0.0, right, 0.0)
    low = max(k.below, c.bottom_least)
    high = wall.height_mm - c.height - k.above
    if c.bottom_most is not None:
        high = min(high, c.bottom_most)
    return Rect(left, low, right, high)
