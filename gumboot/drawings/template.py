"""Drilling templates at 1:1: each bracket's holes on as many sheets of paper as it takes, with
marks where sheets overlap and a bar to prove the scale.
"""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass
from xml.sax.saxutils import escape

from gumboot.core.wall import Placed, WallDesign
from gumboot.core.wall.drill import LEVEL_MM
from gumboot.core.wall.fixing import Fixing
from gumboot.core.wall.rect import Rect
from gumboot.drawings.svg import tag

PAPERS = {"a4": (210.0, 297.0), "letter": (215.9, 279.4)}
EDGE_MM = 12.0  # what printers leave white
OVERLAP_MM = 10.0
ROUND_MM = 35.0  # around the outermost holes
BAR_MM = 100.0
LOOKS = (
    "path{fill:none;stroke:#1e241f;stroke-width:.25}.case{stroke-dasharray:6 3;stroke:#55604f}"
    ".level{stroke:#2f5d3a;stroke-dasharray:10 3 2 3}.overlap{stroke:#8b9389;stroke-dasharray:2 2}"
    ".proof{stroke-width:.5}circle{fill:none;stroke:#1e241f;stroke-width:.35}"
    ".idle{stroke-dasharray:1 1}.trim{fill:none;stroke:#cfc8b6;stroke-width:.2}"
    "text{font-size:3px;fill:#1e241f;font-family:'Atkinson Hyperlegible'}"
)


@dataclass(frozen=True)
class Sheet:
    """One sheet of paper: of which box, its row and column, the part of the wall on it in mm, and
    its drawing.
    """

    box: str
    label: str
    row: int
    column: int
    rows: int
    columns: int
    part: Rect
    svg: str

    @property
    def across(self) -> bool:
        """Whether the paper lies on its side."""
        return self.part.right - self.part.left > self.part.top - self.part.bottom


def template_sheets(w: WallDesign, paper: str) -> Iterator[Sheet]:
    """All sheets of one wall, box by box."""
    by = {p.box.id: p for p in w.scene.placed}
    wide, high = (side - 2 * EDGE_MM for side in PAPERS[paper])
    for held in w.fixings:
        if held.holes:
            upright, across = (
                list(_of_box(w, by[held.box], held, *room)) for room in ((wide, high), (high, wide))
            )
            yield from across if len(across) < len(upright) else upright


def _of_box(w: WallDesign, p: Placed, held: Fixing, wide: float, high: float) -> Iterator[Sheet]:
    xs, ys = [h.x for h in held.holes], [h.y for h in held.holes]
    area = Rect(min(xs) - ROUND_MM, min(ys) - ROUND_MM, max(xs) + ROUND_MM, max(ys) + ROUND_MM + 25)
    columns = max(1, math.ceil((area.right - area.left - OVERLAP_MM) / (wide - OVERLAP_MM)))
    rows = max(1, math.ceil((area.top - area.bottom - OVERLAP_MM) / (high - OVERLAP_MM)))
    drawn = _marks(w, p, held, area)
    for row in range(rows):
        for column in range(columns):
            left = area.left + column * (wide - OVERLAP_MM)
            top = area.top - row * (high - OVERLAP_MM)
            part = Rect(left, top - high, left + wide, top)
            title = (
                f"{p.box.label}, wall {w.scene.wall.id}: row {row + 1} of {rows}, column"
                f" {column + 1} of {columns}"
            )
            svg = tag(
                "svg",
                tag("style", LOOKS),
                drawn,
                _frame(part, title, row, column, rows, columns),
                xmlns="http://www.w3.org/2000/svg",
                viewBox=f"{left:g} {-top:g} {wide:g} {high:g}",
                width=f"{wide:g}mm",
                height=f"{high:g}mm",
                class_="template",
            )
            yield Sheet(p.box.id, p.box.label, row + 1, column + 1, rows, columns, part, svg)


def _marks(w: WallDesign, p: Placed, held: Fixing, area: Rect) -> str:
    """Crosses and circles at the holes, the case's edges, the level line, and the words beside
    them. y grows downwards, as on paper.
    """
    mm = w.scene.mm
    out = [
        _line(p.x, -area.top, p.x, -area.bottom, "case"),
        _line(p.right, -area.top, p.right, -area.bottom, "case"),
        _line(area.left, -p.top, area.right, -p.top, "case"),
        _line(area.left, -p.y, area.right, -p.y, "case"),
    ]
    if area.bottom < LEVEL_MM < area.top:
        out.append(_line(area.left, -LEVEL_MM, area.right, -LEVEL_MM, "level"))
    out.append(_line(p.middle, -area.top, p.middle, -area.bottom, "level"))
    for h in held.holes:
        d = h.anchor.hole_mm if h.anchor else 4.0
        out += [
            _line(h.x - 8, -h.y, h.x + 8, -h.y, "cross"),
            _line(h.x, -h.y - 8, h.x, -h.y + 8, "cross"),
        ]
        out.append(tag("circle", cx=h.x, cy=-h.y, r=d / 2, class_="bore" if h.holds else "idle"))
        words = (
            f"{h.anchor.bit}, {h.anchor.depth_mm:g} deep" if h.anchor else "lining alone: leave it"
        )
        out.append(_text(h.x + 5, -h.y - 9, f"{mm(h.x)} across, {mm(h.y)} up"))
        out.append(_text(h.x + 5, -h.y - 5, words))
    out.append(
        _text(
            area.left + 3,
            -area.top + 8,
            f"{p.box.label}: its lower edge is {mm(p.y)} above the floor, its middle {mm(p.middle)}"
            " from the left edge of the wall",
        )
    )
    return "".join(out)


def _frame(part: Rect, title: str, row: int, column: int, rows: int, columns: int) -> str:
    """What belongs to the sheet: overlap marks, the bar that proves the scale, its name."""
    left, top, right, bottom = part.left, -part.top, part.right, -part.bottom
    out = [
        tag(
            "rect",
            x=left + 0.2,
            y=top + 0.2,
            width=right - left - 0.4,
            height=bottom - top - 0.4,
            class_="trim",
        )
    ]
    if column + 1 < columns:
        out.append(_line(right - OVERLAP_MM, top, right - OVERLAP_MM, bottom, "overlap"))
    if column:
        out.append(_line(left + OVERLAP_MM, top, left + OVERLAP_MM, bottom, "overlap"))
    if row + 1 < rows:
        out.append(_line(left, bottom - OVERLAP_MM, right, bottom - OVERLAP_MM, "overlap"))
    if row:
        out.append(_line(left, top + OVERLAP_MM, right, top + OVERLAP_MM, "overlap"))
    x, y = left + OVERLAP_MM + 5, bottom - OVERLAP_MM - 6
    out += [
        _line(x, y, x + BAR_MM, y, "proof"),
        _line(x, y - 3, x, y + 3, "proof"),
        _line(x + BAR_MM, y - 3, x + BAR_MM, y + 3, "proof"),
    ]
    out.append(
        _text(x + 2, y - 1.5, "100 mm: measure it. If it is not, print again at actual size.")
    )
    out.append(_text(x, y + 7 - 2.5, title))
    return "".join(out)


def _line(x0: float, y0: float, x1: float, y1: float, class_: str) -> str:
    return tag("path", d=f"M{x0:.3f} {y0:.3f}L{x1:.3f} {y1:.3f}", class_=class_)


def _text(x: float, y: float, words: str) -> str:
    return tag("text", escape(words), x=f"{x:.2f}", y=f"{y:.2f}")
