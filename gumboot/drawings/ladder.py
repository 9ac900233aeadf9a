"""A ladder of settings: rails, rungs at their true height, the pack's own limits and the band that
its cells bear behind them.
"""

from __future__ import annotations

import math

from gumboot.core.set.ladder import Ladder
from gumboot.drawings.drill import spread
from gumboot.drawings.svg import box, line, picture, tag, text

WIDE, HIGH, TOP, LEFT, RIGHT, NAMES = 380.0, 560.0, 34.0, 58.0, 118.0, 138.0
APART = 19.0  # between two names
PLACES = {"top": TOP, "high": HIGH, "left": LEFT, "right": RIGHT, "names": NAMES, "apart": APART}
STEPS = (0.1, 0.2, 0.5, 1.0, 2.0, 5.0, 10.0, 20.0, 50.0)


def height(x: Ladder, value: float) -> float:
    """Where a value stands."""
    return round(TOP + (x.high - value) / (x.high - x.low) * (HIGH - 2 * TOP), 2)


def draw_ladder(x: Ladder, standalone: bool = False) -> str:
    """The ladder as SVG; a rung carries what a page needs to move it."""
    parts = [*_bands(x), *_scale(x)]
    parts += [line((r, TOP - 12), (r, HIGH - TOP + 12), class_="rail") for r in (LEFT, RIGHT)]
    rungs = sorted(x.rungs, key=lambda r: -r.value)
    at = spread([height(x, r.value) for r in rungs], APART)
    for r, y_name in zip(rungs, at, strict=True):
        y = height(x, r.value)
        parts.append(
            tag(
                "g",
                line((LEFT, y), (RIGHT, y), class_="hit thin"),
                line((LEFT, y), (RIGHT, y), class_="rung"),
                line((RIGHT + 2, y), (NAMES - 4, y_name), class_="feed"),
                text(NAMES, y_name + 4, _named(r.name, r.value, x), "small"),
                class_="step-of" + (" wrong" if r.broken else ""),
                data_rung=r.id,
                data_value=f"{r.value:g}",
                data_name=r.name,
            )
        )
    said = "; ".join(
        f"{r.name} {r.value:g} {x.unit}"
        + (f", out of order with {' and '.join(r.broken)}" if r.broken else "")
        for r in rungs
    )
    return picture(WIDE, HIGH, x.title, said, *parts, standalone=standalone)


def _named(name: str, value: float, x: Ladder) -> str:
    each = f", {value / x.cells:.2f}" if x.cells else ""
    return f"{name} {value:g} {x.unit}{each}"


def _bands(x: Ladder) -> list[str]:
    out, at = [], LEFT
    for band, look, words in (
        (x.bears, "cells-bear", "the cells bear"),
        (x.allowed, "pack-allows", "the pack's own limits"),
    ):
        if band is None:
            continue
        top, bottom = height(x, band[1]), height(x, band[0])
        out.append(box(LEFT, top, RIGHT - LEFT, bottom - top, look))
        out.append(box(at, HIGH - 12, 12, 9, look))
        out.append(text(at + 17, HIGH - 4, words, "tiny soft"))
        at += 110
    return out


def _scale(x: Ladder) -> list[str]:
    """Ticks of the quantity at the left rail, and of a cell where there are cells."""
    step = next((s for s in STEPS if (x.high - x.low) / s <= 12), 100.0)
    out = [text(LEFT - 8, TOP - 18, x.unit if not x.cells else f"{x.unit}, a cell", "tiny", "end")]
    n = math.ceil(x.low / step)
    while n * step <= x.high:
        v = n * step
        y = height(x, v)
        out.append(line((LEFT - 5, y), (LEFT, y), class_="feed"))
        out.append(text(LEFT - 8, y + 4, f"{v:g}", "tiny", "end"))
        n += 1
    return out
