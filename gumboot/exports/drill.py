"""The drill sheet as CSV, and the wall as DXF at 1:1 in millimetres."""

from __future__ import annotations

import csv
import io

from gumboot.core.wall import WallDesign, drill_sheet
from gumboot.core.wall.fixing import studs
from gumboot.core.wall.gaps import rect_of_neighbour
from gumboot.core.wall.rules import rect_of_backing
from gumboot.exports.materials import inert

LAYERS = {
    "WALL": 7,
    "STUDS": 8,
    "BACKING": 30,
    "THERE": 8,
    "BOXES": 5,
    "HOLES": 1,
    "WAYS": 3,
    "TEXT": 7,
}
COLUMNS = (
    "number",
    "wall",
    "box",
    "hole",
    "x_mm",
    "y_mm",
    "above_level_line_mm",
    "meets",
    "anchor",
    "bit",
    "hole_diameter_mm",
    "depth_mm",
)


def drill_csv(w: WallDesign) -> str:
    """One line a hole, in the order of drilling; mm from the left edge and the floor."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(COLUMNS)
    for d in drill_sheet(w):
        a = d.hole.anchor
        writer.writerow(
            [
                d.number,
                w.scene.wall.id,
                inert(d.label),
                d.hole.id,
                d.x,
                d.y,
                d.up,
                d.hole.meets,
                inert(a.label) if a else "",
                inert(a.bit) if a else "",
                a.hole_mm if a else "",
                a.depth_mm if a else "",
            ]
        )
    return out.getvalue()


def wall_dxf(w: WallDesign) -> str:
    """The wall at 1:1: origin at its left edge on the floor. DXF R2010."""
    import ezdxf

    document = ezdxf.new("R2010", setup=True)
    document.units = ezdxf.units.MM
    for name, colour in LAYERS.items():
        document.layers.add(name, color=colour)
    space = document.modelspace()
    wall = w.scene.wall

    def rect(left: float, bottom: float, right: float, top: float, layer: str) -> None:
        space.add_lwpolyline(
            [(left, bottom), (right, bottom), (right, top), (left, top)],
            close=True,
            dxfattribs={"layer": layer},
        )

    def words(x: float, y: float, text: str, height: float = 30) -> None:
        space.add_text(text, height=height, dxfattribs={"layer": "TEXT"}).set_placement((x, y))

    rect(0, 0, wall.width_mm, wall.height_mm, "WALL")
    for x in studs(wall):
        space.add_line((x, 0), (x, wall.height_mm), dxfattribs={"layer": "STUDS"})
    for b in wall.backing:
        rect(*rect_of_backing(b), "BACKING")
    for n in wall.neighbours:
        rect(*rect_of_neighbour(n), "THERE")
        words(n.x_mm + 5, n.y_mm + 5, n.kind)
    for p in w.scene.placed:
        rect(p.x, p.y, p.right, p.top, "THERE" if p.box.there else "BOXES")
        words(p.x + 10, p.y + 10, p.box.label)
    for r in w.routes:
        space.add_lwpolyline(list(r.points), dxfattribs={"layer": "WAYS"})
    for d in drill_sheet(w):
        radius = (d.hole.anchor.hole_mm if d.hole.anchor else 4.0) / 2
        space.add_circle((d.x, d.y), radius, dxfattribs={"layer": "HOLES"})
        words(d.x + 6, d.y + 6, str(d.number), 12)
    out = io.StringIO()
    document.write(out)
    return out.getvalue()
