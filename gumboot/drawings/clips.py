"""Where the current transformers stand and where they should: conductors as upright lines from the
grid at the top to the house below, clips round them with their arrows.
"""

from __future__ import annotations

from collections.abc import Sequence

from gumboot.core.link.measuring import PLACE_SAYS, Measuring
from gumboot.core.link.wiring import NOWHERE, Clip, Wiring, right
from gumboot.drawings.svg import line, picture, tag, text

WIDTH, TOP, STEP = 860.0, 64.0, 74.0
ROWS = {
    "service": 0,
    "inverter": 1,
    "house without inverter": 2,
    "sub-panel": 2,
    "without the sub-panel": 1,
    "PV inverter": 3,
}
PLACES = ("at the service", "inverter's own line", "behind it: house alone", "PV inverter's line")


def draw_clips(m: Measuring, wiring: Wiring) -> str:
    """Both pictures side by side: as the readings say, and as it should be."""
    wanted = right(m.setup)
    rows = 4 if any(c.place == "PV inverter" for c in (*wanted, *wiring)) else 3
    parts = [*_one(m, wiring, wanted, 20.0, "Now, by the readings", rows)]
    parts += _one(m, wanted, wanted, WIDTH / 2 + 20, "As it should be", rows)
    says = "; ".join(
        f"{name} {PLACE_SAYS[c.place]}{'' if c.place == NOWHERE else ' on ' + m.lines[c.line]}"
        f"{', turned round' if c.turned else ''}"
        for name, c in zip(m.channels, wiring, strict=True)
    )
    return picture(WIDTH, TOP + rows * STEP + 40, "Where the transformers stand", says, *parts)


def _one(
    m: Measuring, wiring: Wiring, wanted: Wiring, x: float, title: str, rows: int
) -> list[str]:
    bottom = TOP + rows * STEP
    parts = [
        text(x, 18, title, "strong"),
        text(x + 150, 40, "grid", "small soft"),
        text(x + 150, bottom + 16, "house", "small soft"),
    ]
    gap = 62.0
    at = [x + 165 + gap * i for i in range(len(m.lines))]
    for i, name in enumerate(m.lines):
        parts.append(line((at[i], 44), (at[i], bottom), class_="conductor"))
        parts.append(text(at[i] + 8, 58, name, "strong"))
    for k in range(rows):
        parts.append(text(x, TOP + k * STEP + 36, PLACES[k], "small soft"))
        parts.append(
            line((x, TOP + (k + 1) * STEP), (x + 380, TOP + (k + 1) * STEP), class_="rule")
        )
    for k, c in enumerate(wiring):
        parts += _clip(m, k, c, wanted[k], at, x, bottom, wiring)
    return parts


def _clip(
    m: Measuring,
    k: int,
    c: Clip,
    want: Clip,
    at: Sequence[float],
    x: float,
    bottom: float,
    wiring: Wiring,
) -> list[str]:
    if c.place == NOWHERE:
        return [text(x + 250, bottom + 32, f"CT {k + 1} shows nothing", "small bad-text")]
    same = [j for j, o in enumerate(wiring[:k]) if (o.place, o.line) == (c.place, c.line)]
    y = TOP + ROWS[c.place] * STEP + 22 + 34 * len(same)
    cx = at[c.line]
    wrong = (c.place, c.line, c.turned, c.volts) != (want.place, want.line, want.turned, want.volts)
    style = "clip wrong" if wrong else "clip"
    up = c.turned
    tip, tail = (y - 16, y + 12) if up else (y + 16, y - 12)
    words = f"{k + 1}{' ✗' if wrong else ''}"
    parts = [
        tag("ellipse", cx=cx, cy=y, rx=19, ry=9, class_=style),
        line((cx, tail), (cx, tip), class_="clip-arrow"),
        line(
            (cx - 6, tip + (8 if up else -8)),
            (cx, tip),
            (cx + 6, tip + (8 if up else -8)),
            class_="clip-arrow",
        ),
        text(cx + 20, y + 4, words, "strong bad-text" if wrong else "strong"),
    ]
    if c.volts != c.line:
        parts.append(text(cx + 20, y + 16, f"volts {m.lines[c.volts]}", "tiny bad-text"))
    return parts
