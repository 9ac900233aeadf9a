"""A unit of the shelf while its sheet is typed: its case with holes, entries, hook and display, and
the block its terminals lie in; both to scale, with what is not yet sense left out.
"""

from __future__ import annotations

from typing import Any

from gumboot.drawings.svg import box, line, picture, tag, text

WIDE, HIGH = 300.0, 300.0
Document = dict[str, Any]


def number(value: Any) -> float | None:
    """A length in mm, if it is one."""
    good = isinstance(value, int | float) and not isinstance(value, bool) and 0 <= value < 20_000
    return float(value) if good else None


def _rows(document: Document, key: str) -> list[Document]:
    found = document.get(key)
    return [r for r in found if isinstance(r, dict)] if isinstance(found, list) else []


def draw_case(enclosure: Document) -> str:
    """The case as SVG; empty until width and height are typed."""
    width, height = number(enclosure.get("width")), number(enclosure.get("height"))
    if not width or not height:
        return ""
    k = min((WIDE - 60) / width, (HIGH - 60) / height)
    left, top = (WIDE - k * width) / 2, 36.0

    def x(mm: float) -> float:
        return left + k * mm

    def y(mm: float) -> float:
        return top + k * (height - mm)

    parts = [box(left, top, k * width, k * height, "body")]
    for name, class_ in (("hook", "chosen"), ("display", "link"), ("grip", "feed")):
        at = number(enclosure.get(name))
        if at and at <= height:
            parts.append(line((left - 8, y(at)), (left + k * width + 8, y(at)), class_=class_))
            parts.append(text(left + k * width + 10, y(at) + 3, name, "tiny soft"))
    for hole in _rows(enclosure, "holes"):
        a, b = number(hole.get("x")), number(hole.get("y"))
        if a is not None and b is not None:
            parts.append(tag("circle", cx=x(a), cy=y(b), r=3.5, class_="device"))
    for n, entry in enumerate(_rows(enclosure, "entries")):
        at, side = number(entry.get("at")), entry.get("side")
        if at is None:
            continue
        spot = {
            "top": (x(at), y(height)),
            "bottom": (x(at), y(0)),
            "left": (x(0), y(at)),
            "right": (x(width), y(at)),
        }.get(str(side))
        if spot:
            parts.append(tag("circle", cx=spot[0], cy=spot[1], r=5, class_="hit-area ring-entry"))
            parts.append(tag("circle", cx=spot[0], cy=spot[1], r=5, class_="jumper"))
            takes = entry.get("takes")
            words = ", ".join(map(str, takes)) if isinstance(takes, list) else ""
            away = (16 + n % 2 * 11) * (1 if side == "bottom" else -1)  # none over its neighbour
            parts.append(text(spot[0], spot[1] + away, words[:22], "tiny", "middle"))
    bottom = top + k * height
    parts.append(text(WIDE / 2, bottom + 44, f"{width:g} × {height:g} mm", "small mono", "middle"))
    holes, entries = len(_rows(enclosure, "holes")), len(_rows(enclosure, "entries"))
    says = f"Case of {width:g} by {height:g} mm with {holes} holes and {entries} cable entries."
    return picture(WIDE, bottom + 54, "Case, to scale", says, *parts)


def draw_block(document: Document, counts: dict[str, int]) -> str:
    """The block as SVG; counts: how many terminals each port has. Empty until it has a size."""
    block = document.get("block")
    if not isinstance(block, dict):
        return ""
    width, height = number(block.get("width")), number(block.get("height"))
    if not width or not height:
        return ""
    k = (WIDE - 20) / width
    parts = [box(10, 10, k * width, k * height, "body")]
    for row in _rows(block, "rows"):
        a, b, pitch = (number(row.get(n)) for n in ("x", "y", "pitch"))
        if a is None or b is None or pitch is None:
            continue
        name = str(row.get("port", ""))
        many = counts.get(name, 3)
        for n in range(many):
            cx, cy = 10 + k * (a + n * pitch), 10 + k * (height - b)
            beyond = a + n * pitch > width or b > height
            parts.append(tag("circle", cx=cx, cy=cy, r=3.2, class_="too-much" if beyond else "pad"))
        parts.append(text(10 + k * a - 3, 10 + k * (height - b) - 7, name[:12], "tiny"))
    says = f"Connection compartment of {width:g} by {height:g} mm."
    return picture(WIDE, 20 + k * height, "Where the terminals lie, to scale", says, *parts)


def counts_of(document: Document) -> dict[str, int]:
    """How many terminals each port of a document has, by the names that a block uses."""
    names = {"battery": "BAT", "grid": "GRID", "backup": "BACKUP", "generator": "GEN"}
    out = {}
    for key, name in {**names, "inverter": "INVERTER"}.items():
        port = document.get(key)
        if isinstance(port, dict):
            out[name] = len(_rows(port, "terminals"))
    for t in _rows(document, "trackers"):
        pairs = t.get("pairs", 1)
        out[f"PV {t.get('id')}"] = 2 * pairs if isinstance(pairs, int) else 2
    out["posts"] = len(_rows(document, "terminals"))
    screws = document.get("earth_screws")
    out["PE"] = screws if isinstance(screws, int) and 0 < screws < 40 else 1
    return {k: min(v, 40) for k, v in out.items() if v}
