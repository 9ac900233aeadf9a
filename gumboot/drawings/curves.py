"""A curve on paper: measured beside expected, with its band."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from gumboot.drawings.svg import box, picture, text
from gumboot.drawings.svg import line as path

W, H, LEFT, RIGHT, TOP, BOTTOM = 640, 300, 62, 14, 20, 44


@dataclass(frozen=True, slots=True)
class Line:
    """One line: its name, class ("measured", "expected", "other"), points; a second edge makes it a
    band.
    """

    name: str
    look: str
    x: Sequence[float]
    y: Sequence[float]
    edge: Sequence[float] | None = None


def nice(low: float, high: float, most: int = 6) -> list[float]:
    """Round steps from low to high."""
    if high <= low:
        high = low + 1.0
    raw = (high - low) / most
    power = 10.0 ** int(f"{raw:e}".partition("e")[2])
    step = next(s * power for s in (1, 2, 2.5, 5, 10) if s * power >= raw - 1e-12)
    first = int(low // step)
    out = []
    while (value := first * step) <= high + 1e-9 * step:
        if value >= low - 1e-9 * step:
            out.append(round(value, 10))
        first += 1
    return out


def plot(
    lines: Sequence[Line],
    x_name: str,
    y_name: str,
    marks: Sequence[tuple[float, str]] = (),
    title: str = "",
    standalone: bool = False,
) -> str:
    """Lines over one pair of axes; marks stand at an x."""
    xs = [v for x in lines for v in x.x] or [0.0, 1.0]
    ys = [v for x in lines for v in (*x.y, *(x.edge or ()))] or [0.0, 1.0]
    x_0, x_1 = min(xs), max(xs)
    y_0, y_1 = min(0.0, min(ys)), max(ys) * 1.04 if max(ys) > 0 else 1.0
    x_1 = x_1 if x_1 > x_0 else x_0 + 1.0
    y_1 = y_1 if y_1 > y_0 else y_0 + 1.0

    def at(x: float, y: float) -> tuple[float, float]:
        return (
            round(LEFT + (x - x_0) / (x_1 - x_0) * (W - LEFT - RIGHT), 1),
            round(H - BOTTOM - (y - y_0) / (y_1 - y_0) * (H - TOP - BOTTOM), 1),
        )

    out: list[str] = []
    for v in nice(x_0, x_1):
        x, y = at(v, y_0)
        out += [path((x, TOP), (x, y), class_="axis")]
        out += [text(x, H - BOTTOM + 16, f"{v:g}", "small", "middle")]
    for v in nice(y_0, y_1, 5):
        x, y = at(x_0, v)
        out += [path((LEFT, y), (W - RIGHT, y), class_="axis")]
        out += [text(LEFT - 6, y + 4, f"{v:g}", "small", "end")]
    key = LEFT
    for one in lines:
        points = [at(a, b) for a, b in zip(one.x, one.y, strict=True)]
        if one.edge is not None:
            points += [at(a, b) for a, b in zip(one.x, one.edge, strict=True)][::-1]
        look = "curve-band" if one.edge is not None else f"curve {one.look}"
        out += [path(*points, class_=look)]
        if one.edge is not None:
            out += [box(key, H - 15, 18, 9, "curve-band")]
        else:
            out += [path((key, H - 10), (key + 18, H - 10), class_=f"curve {one.look}")]
        out += [text(key + 24, H - 6, one.name, "small")]
        key += 44 + round(7.2 * len(one.name))
    for n, (v, name) in enumerate(marks):
        x, _ = at(v, y_0)
        out += [path((x, TOP), (x, H - BOTTOM), class_="curve-mark")]
        out += [text(x + 4, TOP + 12 + 14 * (n % 3), name, "small halo")]
    out += [text(W - RIGHT, H - 6, x_name, "small", "end"), text(4, 11, y_name, "small")]
    said = ", ".join(one.name for one in lines)
    return picture(W, H, title or y_name, said, *out, standalone=standalone)
