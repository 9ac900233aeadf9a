"""The drill sheet drawn: every hole numbered, its distance from both datums written at the edge it
is measured from. To scale.
"""

from __future__ import annotations

from collections.abc import Sequence

from gumboot.core.wall import Drill, WallDesign
from gumboot.core.wall.drill import LEVEL_MM
from gumboot.drawings.svg import line, picture, tag, text
from gumboot.drawings.wall import Scale, ground

WIDE, SIDE, ABOVE, BELOW, STEP = 1000.0, 96.0, 16.0, 92.0, 11.0


def draw_drill(w: WallDesign, rows: Sequence[Drill], standalone: bool = False) -> str:
    """Ordinates along the floor and up the left edge; each is read from there to the hole along its
    line.
    """
    wall, mm = w.scene.wall, w.scene.mm
    k = min((WIDE - SIDE - 16) / wall.width_mm, 560 / wall.height_mm)
    floor = wall.height_mm * k + ABOVE
    s = _At(k, floor, wall.width_mm * k + SIDE + 16, floor + BELOW)
    parts = [ground(w, s, rulers=False)]
    parts += [s.rect(p.rect, "body-there" if p.box.there else "house") for p in w.scene.placed]
    xs, ys = sorted({d.x for d in rows}), sorted({d.y for d in rows})
    for x, at in zip(xs, spread([s.x(x) for x in xs], STEP), strict=True):
        top = min(s.y(d.y) for d in rows if d.x == x)
        parts.append(line((s.x(x), top), (s.x(x), floor + 8), (at, floor + 22), class_="dim-line"))
        parts.append(
            tag(
                "text",
                mm(x),
                x=0,
                y=3,
                class_="tiny",
                text_anchor="end",
                transform=f"translate({at:g} {floor + 26:g}) rotate(-90)",
            )
        )
    for y, at in zip(ys, spread([s.y(y) for y in ys][::-1], STEP)[::-1], strict=True):
        right = max(s.x(d.x) for d in rows if d.y == y)
        parts.append(line((right, s.y(y)), (SIDE - 8, s.y(y)), (SIDE - 20, at), class_="dim-line"))
        parts.append(text(SIDE - 22, at + 3, mm(y), "tiny", "end"))
    parts.append(
        text(
            s.x(wall.width_mm) - 3,
            s.y(LEVEL_MM) - 3,
            f"level line, {mm(LEVEL_MM)} above the floor",
            "tiny soft",
            "end",
        )
    )
    for d in rows:
        parts.append(tag("circle", cx=s.x(d.x), cy=s.y(d.y), r=3, class_="hole"))
        parts.append(text(s.x(d.x) + 5, s.y(d.y) - 4, str(d.number), "tiny strong"))
    said = ". ".join(
        f"Hole {d.number}, {d.label}: {mm(d.x)} from the left, {mm(d.y)} from the floor"
        for d in rows
    )
    return picture(
        round(s.width, 1),
        round(s.height, 1),
        f"Holes of wall {wall.id}, with dimensions",
        said or "No holes",
        *parts,
        standalone=standalone,
    )


class _At(Scale):
    """The scale of a sheet whose left margin holds figures."""

    def x(self, mm: float) -> float:
        """Across."""
        return round(SIDE + mm * self.k, 2)


def spread(at: Sequence[float], step: float) -> list[float]:
    """Places in their order, moved no further than they must be so that neighbours keep a step."""
    out = list(at)
    for _ in range(60):
        moved = False
        for i in range(1, len(out)):
            lack = step - (out[i] - out[i - 1])
            if lack > 0.01:
                out[i - 1] -= lack / 2
                out[i] += lack / 2
                moved = True
        if not moved:
            break
    return out
