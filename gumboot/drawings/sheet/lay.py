"""The sheet of a job, laid out once for SVG, PDF and DXF."""

from __future__ import annotations

from dataclasses import replace
from functools import lru_cache

from gumboot.core.design import Design
from gumboot.drawings.sheet.controllers import lane, lay_controllers
from gumboot.drawings.sheet.devices import place_devices
from gumboot.drawings.sheet.left import lay_packs, lay_shared_generator, lay_units
from gumboot.drawings.sheet.links import lay_links
from gumboot.drawings.sheet.paper import (
    RUN,
    W_ARRAY,
    W_PACK,
    WIDTH_LEAST,
    Box,
    Point,
    Sheet,
    parts_of,
)
from gumboot.drawings.sheet.right import lay_existing, lay_generator, lay_right


@lru_cache(maxsize=64)
def lay_sheet(design: Design) -> Sheet:
    """The sheet of a design whose kit is known."""
    has, sheet = parts_of(design), Sheet()
    x = 14.0
    x_pack = x
    if has.packs:
        x += W_PACK + (RUN - 6 if not has.direct else 0)
    x += lane(design)
    x_dc = x
    beside = RUN if has.every else 14  # a generator's bar leaves room for the words of the bus
    x_array = x + (beside if has.packs and not has.direct else RUN - 40 if has.packs else 0)
    x_generator, x_array = x_array, x_array + (RUN if has.every else 0)
    rows = {f"array-{s.letter}" for s in design.strings if s.body.startswith("inverter-")}
    rows |= {b.id for b in design.bodies if b.role in ("generator", "port-use")}
    arrays = bool(rows) or any(b.id.startswith("array-existing") for b in design.bodies)
    x_unit = x_array + (W_ARRAY + RUN if arrays else RUN if has.packs else 0)
    lay_units(sheet, design, has, x_array, x_unit)
    units = [sheet.boxes[f"inverter-{i}"] for i in range(1, has.count + 1)]
    lay_packs(sheet, design, x_pack, x_dc)
    if has.every:
        lay_shared_generator(sheet, x_generator, x_array)
    lay_right(sheet, design, has, units)
    lay_existing(sheet, design, has, x_array)
    lay_generator(sheet, design, has)
    lay_links(sheet, design, has, units)
    lay_controllers(sheet, design, x_dc)
    _close(sheet)
    place_devices(sheet, design)
    return sheet


def _close(sheet: Sheet) -> None:
    """The size of the sheet: what stands on it, and a margin."""
    points = (
        [p for w in sheet.wires for p in w.points]
        + [p for bar in sheet.bars.values() for p in bar]
        + [p for _, way in sheet.links for p in way]
    )
    points += [(b.right, b.bottom) for b in sheet.boxes.values()]
    if sub := sheet.boxes.get("sub-board"):
        points.append((sub.right + 90, sub.y))  # the words of its feeder
    top = min([p[1] for p in points] + ([sheet.service[1][1]] if sheet.service else []))
    if top < 22:
        _lower(sheet, 22 - top)
    sheet.width = max(max(p[0] for p in points) + 20, WIDTH_LEAST)
    sheet.height = max(p[1] for p in points) + max(0, 22 - top) + 26


def _lower(sheet: Sheet, by: float) -> None:
    """Move everything down."""

    def move(p: Point) -> Point:
        return p[0], p[1] + by

    sheet.boxes = {i: Box(i, b.x, b.y + by, b.w, b.h) for i, b in sheet.boxes.items()}
    sheet.bars = {i: (move(a), move(b)) for i, (a, b) in sheet.bars.items()}
    sheet.wires = [
        replace(w, points=tuple(map(move, w.points)), label=move(w.label)) for w in sheet.wires
    ]
    sheet.links = [(i, tuple(map(move, way))) for i, way in sheet.links]
    sheet.ports = [(x, y + by, t) for x, y, t in sheet.ports]
    if sheet.service:
        sheet.service = (move(sheet.service[0]), move(sheet.service[1]))
