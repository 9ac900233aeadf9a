"""How far things must be from each other, and how far they are. Rectangles on one wall, in mm.

Two things are far enough apart when at least one way of going round holds: left, right, above or
below by what is needed there.
So the corners of a zone count too.

        ┌─ ─ ─ above ─ ─ ─┐
        ·   ┌─────────┐   ·
      left  │   box   │ right
        ·   └─────────┘   ·
        └─ ─ ─ below ─ ─ ─┘
"""

from __future__ import annotations

import itertools
from dataclasses import dataclass

from gumboot.core.basis.figure import COMMON_PRACTICE
from gumboot.core.brief.survey import OPENING_M
from gumboot.core.kit.enclosure import Side
from gumboot.core.plan import Neighbour, Plan
from gumboot.core.wall.bodies import Box, Placed
from gumboot.core.wall.rect import Rect

SIDES: tuple[Side, ...] = ("left", "right", "top", "bottom")
HIDDEN = ("hidden pipe", "hidden cable")
OPENINGS = ("door", "window", "bedroom window")
STANDS_OUT = (
    "panel",
    "electricity meter",
    "gas meter",
    "shelf",
    "flue",
    "water tap",
)  # these stop the air of a box as another box does
KEEP_MM: dict[str, float] = {
    "door": 50,
    "window": 50,
    "bedroom window": 50,
    "water tap": 300,
    "gas meter": 900,
    "electricity meter": 100,
    "panel": 50,
    "socket": 50,
    "shelf": 100,
    "flue": 500,
}  # common practice


@dataclass(frozen=True, slots=True)
class Wanted:
    """What one thing wants of another on each of its sides, and by which rule."""

    left: float
    right: float
    top: float
    bottom: float
    rule: str


def rect_of_neighbour(n: Neighbour) -> Rect:
    """The neighbour on the wall."""
    return Rect(n.x_mm, n.y_mm, n.x_mm + n.width_mm, n.y_mm + n.height_mm)


def gaps(a: Rect, b: Rect) -> dict[Side, float]:
    """How far b lies beyond each side of a; negative where it does not."""
    return {
        "left": a.left - b.right,
        "right": b.left - a.right,
        "top": b.bottom - a.top,
        "bottom": a.bottom - b.top,
    }


def short(a: Rect, b: Rect, want: Wanted) -> float:
    """By how much b is too near to a: 0 where one side at least keeps what is needed there."""
    return max(
        0.0,
        min(
            want.left - (a.left - b.right),
            want.right - (b.left - a.right),
            want.top - (b.bottom - a.top),
            want.bottom - (a.bottom - b.top),
        ),
    )


def alike(a: Box, b: Box) -> bool:
    """Units of one kind, for which the maker says how near they may stand."""
    return (
        a.role == b.role
        and a.enclosure.like_least is not None
        and (a.enclosure.width, a.enclosure.height, a.enclosure.depth)
        == (b.enclosure.width, b.enclosure.height, b.enclosure.depth)
    )


def between(a: Box, b: Box, plan: Plan) -> Wanted:
    """What two boxes want of each other, seen from a: on each side the larger of what both ask
    there.

    Units of one kind stand as near as their maker says; storage keeps from other storage what the
    authority said.
    """
    storage = plan.spacing.storage_mm if a.storage_kwh and b.storage_kwh else None
    rule = "the larger of both sheets"
    if alike(a, b):
        like = float(a.enclosure.like_least or 0)
        left = right = like
        rule = "sheet, units of one kind"
    else:
        left, right = (
            max(a.enclosure.clear.left, b.enclosure.clear.right),
            max(a.enclosure.clear.right, b.enclosure.clear.left),
        )
    top, bottom = (
        max(a.enclosure.clear.above, b.enclosure.clear.below),
        max(a.enclosure.clear.below, b.enclosure.clear.above),
    )
    if storage is not None and storage > min(left, right, top, bottom):
        left, right, top, bottom = (max(storage, x) for x in (left, right, top, bottom))
        rule = "the authority's word in Survey"
    return Wanted(left, right, top, bottom, rule)


def from_neighbour(a: Box, n: Neighbour, plan: Plan) -> Wanted:
    """What a box wants of something that the wall has already."""
    keep, rule = KEEP_MM.get(n.kind, 0.0), COMMON_PRACTICE
    if n.kind in OPENINGS and a.storage_kwh:
        asked = plan.spacing.opening_mm
        keep = OPENING_M * 1000 if asked is None else asked
        rule = (
            f"{COMMON_PRACTICE} of fire rules: confirm the local figure"
            if asked is None
            else "the authority's word in Survey"
        )
    c = a.enclosure.clear
    own = (c.left, c.right, c.above, c.below) if n.kind in STANDS_OUT else (0.0, 0.0, 0.0, 0.0)
    if max(own) > keep:
        rule = f"sheet; {rule}"
    left, right, top, bottom = (max(keep, x) for x in own)
    return Wanted(left, right, top, bottom, rule)


def zone(p: Placed) -> Rect:
    """The case and the room its own sheet asks around it."""
    c = p.box.enclosure.clear
    return Rect(p.x - c.left, p.y - c.below, p.right + c.right, p.top + c.above)


def covered(r: Rect, by: list[Rect]) -> bool:
    """Whether rectangles together cover one: every cell between all their edges lies in one of
    them.
    """
    xs = sorted(
        {r.left, r.right, *(x for b in by for x in (b.left, b.right) if r.left < x < r.right)}
    )
    ys = sorted(
        {r.bottom, r.top, *(y for b in by for y in (b.bottom, b.top) if r.bottom < y < r.top)}
    )
    return all(
        any(b.left <= (x0 + x1) / 2 <= b.right and b.bottom <= (y0 + y1) / 2 <= b.top for b in by)
        for x0, x1 in itertools.pairwise(xs)
        for y0, y1 in itertools.pairwise(ys)
    )
