"""Room for one more."""

from __future__ import annotations

from collections.abc import Iterator

from gumboot.core.basis.finding import Cure, Finding, note
from gumboot.core.wall.bodies import Box, Placed
from gumboot.core.wall.gaps import (
    HIDDEN,
    Wanted,
    alike,
    between,
    from_neighbour,
    rect_of_neighbour,
    short,
)
from gumboot.core.wall.rect import Rect
from gumboot.core.wall.rules.near import SIDE_WORDS
from gumboot.core.wall.rules.scene import Scene, bounds


def growing(s: Scene) -> Iterator[Finding]:
    """The side that a bank grows on is kept free, where the sheet names one."""
    for p in s.placed:
        room = growth(p)
        if room is None:
            continue
        within = (
            room.left >= -0.5
            and room.right <= s.wall.width_mm + 0.5
            and room.top <= s.wall.height_mm + 0.5
        )
        flat = Wanted(0, 0, 0, 0, "")
        inside = next((o for o in s.placed if o is not p and short(room, o.rect, flat) > 0.5), None)
        if inside is not None and alike(p.box, inside.box):
            continue  # that is the next one already
        taken = (
            inside.box.label
            if inside
            else next(
                (
                    n.kind
                    for n in s.wall.neighbours
                    if n.kind not in HIDDEN and short(room, rect_of_neighbour(n), flat) > 0.5
                ),
                "",
            )
        )
        if taken or not within:
            what = f"{taken} is there" if taken else "the wall ends"
            way = SIDE_WORDS[p.box.enclosure.expands or "right"]
            yield note(
                s.key("grow", p.box.id),
                s.place,
                f"{p.box.label} grows {way}, and {what}: no room for one more.",
                "pack sheet",
                Cure("Keep that side free if more may come"),
            )


def first_free(s: Scene, box: Box) -> tuple[float, float]:
    """A place for one more box: the first from the left, at the eye or as low as it may be, where
    nothing is too near; else the first of all.
    """
    b = bounds(s.wall, Placed(box, 0, 0))
    at_eye = (
        s.wall.eye_mm - box.enclosure.display
        if box.enclosure.display is not None and box.role == "inverter"
        else (b.bottom + b.top) / 2
    )
    heights_mm = [min(max(y, b.bottom), b.top) for y in (at_eye, b.bottom, b.top)]
    steps = max(1, int((b.right - b.left) // 25) + 1)
    tries = ((round(b.left + 25 * k, 1), round(y, 1)) for y in heights_mm for k in range(steps))
    return next(
        (t for t in tries if _free(s, Placed(box, *t))),
        (max(0.0, round(b.left, 1)), max(0.0, round(heights_mm[0], 1))),
    )


def _free(s: Scene, p: Placed) -> bool:
    boxes = all(short(p.rect, o.rect, between(p.box, o.box, s.plan)) <= 0.5 for o in s.placed)
    return boxes and all(
        n.kind in HIDDEN
        or short(p.rect, rect_of_neighbour(n), from_neighbour(p.box, n, s.plan)) <= 0.5
        for n in s.wall.neighbours
    )


def growth(p: Placed) -> Rect | None:
    """Where one more of a kind would stand."""
    c, gap = p.box.enclosure, p.box.enclosure.like_least or 0.0
    match c.expands:
        case "left":
            return Rect(p.x - gap - c.width, p.y, p.x - gap, p.top)
        case "right":
            return Rect(p.right + gap, p.y, p.right + gap + c.width, p.top)
        case "top":
            return Rect(p.x, p.top, p.right, p.top + c.height / 4)
    return None
