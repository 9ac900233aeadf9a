"""Breakers and fuses on the wires, each at the end where the network has it."""

from __future__ import annotations

from dataclasses import replace

from gumboot.core.design import Design
from gumboot.core.network import Network
from gumboot.core.network.circuit import End
from gumboot.drawings.sheet.paper import Point, Sheet

DRAWN = ("breaker", "own breaker", "fuse")
ALONG, UP = 14.0, 8.0  # from the end of a wire to the middle of what stands there


def place_devices(sheet: Sheet, design: Design) -> None:
    """What protects every wire of the sheet, at one of its ends or at both."""
    network = design.network
    if network is None:
        return
    circuits = {c.id: c for c in network.circuits}
    for k, w in enumerate(sheet.wires):
        if w.id not in circuits:
            continue
        a, b = circuits[w.id].source, circuits[w.id].load
        there = _from(sheet, w.points[0], a) + _from(sheet, w.points[-1], b)
        back = _from(sheet, w.points[0], b) + _from(sheet, w.points[-1], a)
        first, last = (a, b) if there <= back else (b, a)
        sides = ((first, w.points[:2]), (last, w.points[:-3:-1]))
        at = tuple(_inward(*way) for end, way in sides if _stands(network, end))
        sheet.wires[k] = replace(w, devices=at)


def _stands(network: Network, end: End) -> bool:
    """Whether a breaker or fuse stands between an end and the rest of its box: an end on the bar
    itself has none of its own.
    """
    if end.node not in network.nodes or network.nodes[end.node].bar:
        return False
    beside = (s for _, s in network.beside[end.node] if s)
    return any(s.body == end.body and s.kind in DRAWN for s in beside)


def _inward(end: Point, on: Point) -> tuple[Point, bool]:
    """Where a device stands that is at the end of a wire which goes on to another point."""
    (x, y), (x2, y2) = end, on
    if x == x2:
        return (x, y + (UP if y2 > y else -UP)), True
    return (x + (ALONG if x2 > x else -ALONG), y), False


def _from(sheet: Sheet, p: Point, end: End) -> float:
    """How far a point is from the box or bar of an end."""
    if end.body in sheet.boxes:
        b = sheet.boxes[end.body]
        (left, top), (right, low) = (b.x, b.y), (b.right, b.bottom)
    elif end.body in sheet.bars:
        (left, top), (right, low) = sheet.bars[end.body]
    else:
        return 0.0
    aside = max(left - p[0], 0.0, p[0] - right)
    return aside + max(top - p[1], 0.0, p[1] - low)
