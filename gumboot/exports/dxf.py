"""The one-line drawing as DXF (R2010, ASCII), one layer a system: what is drawn on the sheet, in
millimetres of paper.
"""

from __future__ import annotations

import io
from functools import lru_cache
from typing import TYPE_CHECKING

from gumboot.core.basis.sizes import spoken
from gumboot.core.basis.units import show_length
from gumboot.core.design import Design
from gumboot.drawings.sheet import Point, lay_sheet

if TYPE_CHECKING:
    from ezdxf.layouts import Modelspace

PX_MM = 0.25  # one px of the sheet on paper: 960 px are 240 mm, which an A4 sheet holds
LAYERS = {
    "BODIES": 7,
    "PV": 30,
    "BATTERY-DC": 1,
    "AC": 5,
    "LINKS": 6,
    "EXISTING": 8,
    "TEXT": 7,
    "TITLE": 7,
}
SYSTEMS = {"pv": "PV", "dc": "BATTERY-DC", "ac": "AC"}


@lru_cache(maxsize=16)
def to_dxf(design: Design) -> str:
    """The drawing as DXF text. A design with nothing laid out gives an empty sheet with its
    name.
    """
    import ezdxf  # here, since it takes as long to load as the rest of the application

    document = ezdxf.new("R2010", setup=True)
    document.units = ezdxf.units.MM
    for name, colour in LAYERS.items():
        document.layers.add(name, color=colour)
    space = document.modelspace()
    height = 0.0
    if design.bodies:
        sheet = lay_sheet(design)
        height = sheet.height
        _draw(space, design, height)
    title = (
        f"{design.plan.site.name}: one-line drawing, {design.plan.supply.kind},"
        f" {design.plan.book.name}. Tables from memory: check your edition."
    )
    space.add_text(title, height=2.5, dxfattribs={"layer": "TITLE"}).set_placement((0, -8))
    out = io.StringIO()
    document.write(out)
    return out.getvalue()


def _draw(space: Modelspace, design: Design, height: float) -> None:
    from ezdxf.enums import TextEntityAlignment

    sheet = lay_sheet(design)
    by_id = {s.id: s for s in design.circuits}

    def at(p: Point) -> tuple[float, float]:
        return p[0] * PX_MM, (height - p[1]) * PX_MM  # paper's y goes up

    def words(
        p: Point, text: str, layer: str = "TEXT", size: float = 2.2, middle: bool = False
    ) -> None:
        align = TextEntityAlignment.MIDDLE_CENTER if middle else TextEntityAlignment.LEFT
        space.add_text(text, height=size, dxfattribs={"layer": layer}).set_placement(
            at(p), align=align
        )

    for b in design.bodies:
        box = sheet.boxes.get(b.id)
        if box:
            corners = [
                (box.x, box.y),
                (box.right, box.y),
                (box.right, box.bottom),
                (box.x, box.bottom),
            ]
            space.add_lwpolyline(
                [at(c) for c in corners], close=True, dxfattribs={"layer": "BODIES"}
            )
            for i, line in enumerate((b.label, *b.lines)[:3]):
                words((box.middle[0], box.y + 12 + 13 * i), line, size=2.0, middle=True)
    for id, (a, b_) in sheet.bars.items():
        space.add_lwpolyline(
            [at(a), at(b_)],
            dxfattribs={
                "layer": "BATTERY-DC" if id.startswith("dc-bus") else "AC",
                "const_width": 1.0,
            },
        )
    for w in sheet.wires:
        s = by_id.get(w.id)
        layer = "EXISTING" if w.existing and s is None else SYSTEMS[design.system_of(w.id)]
        space.add_lwpolyline([at(p) for p in w.points], dxfattribs={"layer": layer})
        if s:
            long = show_length(s.conditions.run.length_m, design.plan.units)
            words(
                (w.label[0], w.label[1] - 6),
                (
                    f"C{s.circuit.number} {s.sets} x {spoken(s.size)} {s.cable.material}"
                    if s.sets > 1
                    else f"C{s.circuit.number} {spoken(s.size)}"
                ),
            )
            words(
                (w.label[0], w.label[1] + 14),
                f"{s.protection.text}, {long}" if s.protection else long,
            )
    for _, way in sheet.links:
        space.add_lwpolyline(
            [at(p) for p in way], dxfattribs={"layer": "LINKS", "linetype": "DASHED"}
        )
    if sheet.service:
        space.add_line(at(sheet.service[0]), at(sheet.service[1]), dxfattribs={"layer": "EXISTING"})
        words((sheet.service[1][0] + 6, sheet.service[1][1] + 8), "grid")
