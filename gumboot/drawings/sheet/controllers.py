"""Charge controllers: below everything else, from their bus to the arrays on the right.

battery bar ── controller ── combiner ── arrays
"""

from __future__ import annotations

from gumboot.core.design import Design
from gumboot.core.network import Circuit
from gumboot.drawings.sheet.paper import ROW, RUN, W_ARRAY, Sheet, Wire

ALONG = RUN + 14  # of a string's words, beside its breaker
LANE, DOWN = 9.0, 26.0  # beside the bars, and below one: for a way down past another bank's bar


def lane(design: Design) -> float:
    """How much room the ways want that go down beside the bars of several banks."""
    buses = {c.source.body for c in _own(design)}
    return LANE * len(buses) if len(buses) > 1 else 0.0


def _own(design: Design) -> list[Circuit]:
    network = design.network
    return [c for c in network.circuits if c.family == "controller"] if network else []


def lay_controllers(sheet: Sheet, design: Design, x_dc: float) -> None:
    """Every controller with its combiner and its strings, in rows."""
    own = _own(design)
    low = max(b.bottom for b in sheet.boxes.values())
    low = max([low, *(p[1] for w in sheet.wires for p in w.points)])
    top = max([low, *(p[1] for bar in sheet.bars.values() for p in bar)]) + 66
    for k, c in enumerate(own):
        strings = [s.letter for s in design.strings if s.body == c.load.body]
        tall = ROW * max(len(strings), 1)
        middle = top + tall / 2 - ROW / 2
        _to_bus(sheet, c.id, c.source.body, middle, x_dc, k)
        unit = sheet.add(c.load.body, x_dc + RUN, middle - 20, W_ARRAY, 40)
        if strings:
            ys = [top + ROW * n for n in range(len(strings))]
            _array(sheet, c.load.body, strings, ys, unit.right + RUN, middle)
        top += tall + 14


def _to_bus(sheet: Sheet, id: str, bus: str, y: float, x: float, k: int) -> None:
    """From the bar, made longer, to a controller; past the bars of other banks aside."""
    (a, b), right = sheet.bars[bus], x + RUN
    others = [bar[0][1] for key, bar in sheet.bars.items() if key != bus and bar[0][0] == x]
    if any(b[1] < o for o in others):
        sheet.bars[bus] = (a, (x, b[1] + DOWN))
        left, at = x - LANE * (1 + k % 2), b[1] + DOWN - 5
        way = ((x, at), (left, at), (left, y), (right, y))
        sheet.wires.append(Wire(id, way, (x + 12, y)))
        return
    sheet.bars[bus] = (a, (x, y + 9))
    sheet.wires.append(Wire(id, ((x, y), (right, y)), (x + 12, y)))


def _array(
    sheet: Sheet, controller: str, strings: list[str], ys: list[float], x: float, middle: float
) -> None:
    """A combiner as a bar, its lead to the controller on the left, its strings on the right."""
    n = controller.removeprefix("controller-")
    lead = ((x - RUN, middle), (x, middle))
    sheet.wires.append(Wire(f"controller-pv-{n}", lead, (x - RUN + 12, middle)))
    sheet.bars[f"pv-combiner-{n}"] = ((x, ys[0] - 9), (x, ys[-1] + 9))
    for letter, y in zip(strings, ys, strict=True):
        box = sheet.add(f"array-{letter}", x + ALONG, y - 18, W_ARRAY, 36)
        sheet.wires.append(Wire(f"pv-{letter}", ((x, y), (box.x, y)), (x + 26, y)))
