"""What burns behind a box, and what is put there so that it does not."""

from __future__ import annotations

from collections.abc import Iterator

from gumboot.core.basis.figure import COMMON_PRACTICE
from gumboot.core.basis.finding import Change, Cure, Finding, stop
from gumboot.core.plan import Backing, Wall
from gumboot.core.wall.bodies import Placed
from gumboot.core.wall.gaps import covered
from gumboot.core.wall.rect import Rect
from gumboot.core.wall.rules.scene import Scene

MOST_BACKING = 20
BOARD_MARGIN_MM = 100.0  # common practice


def combustible(wall: Wall) -> bool:
    """Whether the wall's face burns: bare timber, or wood on anything."""
    return wall.lining == "wood" or (wall.lining == "none" and wall.made == "timber studs")


def on_wood(s: Scene) -> Iterator[Finding]:
    """Inverters and storage want nothing that burns behind them."""
    if not combustible(s.wall):
        return
    boards = [rect_of_backing(b) for b in s.wall.backing if b.material != "rail"]
    for p in s.placed:
        if p.box.enclosure.on_wood or p.box.there or covered(p.rect, boards):
            continue
        board = board_behind(s.wall, p)
        cure = (
            Cure("Put it on the wall first")
            if board is None or len(s.wall.backing) >= MOST_BACKING
            else Cure(
                f"Plan a cement board of {s.mm(board.width_mm)} by {s.mm(board.height_mm)}"
                " behind it",
                backing_change(s, board),
            )
        )
        says = (
            f"{p.box.label} hangs on wood: wall {s.wall.id} burns, and no board of cement or steel"
            " is planned over all of its back."
        )
        yield stop(
            s.key("wood", p.box.id),
            s.place,
            says,
            f"inverter or pack sheet; {COMMON_PRACTICE}",
            cure,
        )


def board_behind(wall: Wall, p: Placed) -> Backing | None:
    """A board behind a box with a margin all round, within the wall; None for a box that is not on
    it.
    """
    r = p.rect
    if r.left < 0 or r.bottom < 0 or r.right > wall.width_mm or r.top > wall.height_mm:
        return None
    x, y = max(0.0, r.left - BOARD_MARGIN_MM), max(0.0, r.bottom - BOARD_MARGIN_MM)
    w, h = (
        min(wall.width_mm, r.right + BOARD_MARGIN_MM) - x,
        min(wall.height_mm, r.top + BOARD_MARGIN_MM) - y,
    )
    return Backing(x_mm=round(x, 1), y_mm=round(y, 1), width_mm=round(w, 1), height_mm=round(h, 1))


def rect_of_backing(b: Backing) -> Rect:
    """The board on the wall."""
    return Rect(b.x_mm, b.y_mm, b.x_mm + b.width_mm, b.y_mm + b.height_mm)


def backing_change(s: Scene, *more: Backing) -> tuple[Change, ...]:
    """The change that puts boards or rails behind what is there already."""
    return (
        Change(
            f"/walls/{s.index}/backing",
            [b.model_dump(mode="json") for b in (*s.wall.backing, *more)],
        ),
    )
