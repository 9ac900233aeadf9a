"""A year as a carpet: one column a day, one row an hour or quarter hour, as a small picture inside
the drawing, with its axes in SVG.
"""

from __future__ import annotations

import base64
import io
from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from gumboot.drawings.svg import box, line, picture, tag, text

MONTHS = ("Jan", "Feb", "Mar", "Apr", "May", "Jun", "Jul", "Aug", "Sep", "Oct", "Nov", "Dec")
FIRST = np.cumsum(
    [0, 31, 28, 31, 30, 31, 30, 31, 31, 30, 31, 30]
)  # day of the year each month starts
WIDE, HIGH, LEFT, TOP = 730.0, 192.0, 44.0, 10.0
Rgb = tuple[int, int, int]
PAPER, BLUE, CLAY, GREEN, BRICK = (
    (251, 249, 242),
    (43, 85, 115),
    (154, 74, 34),
    (47, 93, 58),
    (168, 40, 28),
)


def shades(values: NDArray[np.float64], low: Rgb, high: Rgb) -> NDArray[np.uint8]:
    """Shares from 0 to 1 as colours between two: shape (..., 3)."""
    t = np.clip(values, 0, 1)[..., None]
    return np.asarray(np.array(low) * (1 - t) + np.array(high) * t, np.uint8)


def two_ways(values: NDArray[np.float64], down: Rgb, up: Rgb) -> NDArray[np.uint8]:
    """Shares from -1 to 1, paper at nought."""
    return np.where(
        (values < 0)[..., None], shades(-values, PAPER, down), shades(values, PAPER, up)
    )


def bands(
    values: NDArray[np.float64], edges: Sequence[float], colours: Sequence[Rgb]
) -> NDArray[np.uint8]:
    """One colour below the first edge, the next from there up, and so on."""
    return np.asarray(
        np.array(colours, np.uint8)[np.searchsorted(np.array(edges), values, side="right")]
    )


def png(pixels: NDArray[np.uint8]) -> str:
    """Pixels of shape (rows, columns, 3) as a data address."""
    from PIL import Image

    out = io.BytesIO()
    Image.fromarray(np.ascontiguousarray(pixels)).save(out, "PNG", optimize=True)
    return "data:image/png;base64," + base64.b64encode(out.getvalue()).decode()


def carpet(
    pixels: NDArray[np.uint8],
    title: str,
    words: str,
    legend: Sequence[tuple[Rgb, str]],
    mark: tuple[int, float, str] | None = None,
) -> str:
    """A drawing from pixels of shape (365, per day, 3), midnight below. mark: day, hour and what is
    to be said there.
    """
    upright = np.flipud(np.swapaxes(pixels, 0, 1))
    out = [
        tag(
            "image",
            x=LEFT,
            y=TOP,
            width=WIDE,
            height=HIGH,
            preserveAspectRatio="none",
            class_="pixels",
            href=png(upright),
        )
    ]
    out.append(box(LEFT, TOP, WIDE, HIGH, "frame"))
    for m, first in enumerate(FIRST):
        x = LEFT + WIDE * first / 365
        out += [
            line((x, TOP + HIGH), (x, TOP + HIGH + 5), class_="feed"),
            text(x + WIDE / 24, TOP + HIGH + 16, MONTHS[m], "small soft", "middle"),
        ]
    for hour in (0, 6, 12, 18, 24):
        y = TOP + HIGH * (1 - hour / 24)
        out += [
            line((LEFT - 5, y), (LEFT, y), class_="feed"),
            text(LEFT - 8, y + 4, f"{hour:02d}:00", "small soft", "end"),
        ]
    if mark:
        day, when, says = mark
        x, y = LEFT + WIDE * (day + 0.5) / 365, TOP + HIGH * (1 - (when + 0.5) / 24)
        out += [tag("circle", cx=x, cy=y, r=7, class_=c) for c in ("worst-halo", "worst")]
        right = x < LEFT + WIDE * 0.6
        above = y > TOP + 40
        at = (x + (12 if right else -12), y - 12 if above else y + 22)
        wide = 7.2 * len(says)
        out += [
            box(at[0] - 4 if right else at[0] - wide - 4, at[1] - 13, wide + 8, 18, "body"),
            text(*at, says, "strong", "start" if right else "end"),
        ]
    x = LEFT
    for n, (colour, name) in enumerate(legend):
        out += [
            tag(
                "image",
                x=x,
                y=TOP + HIGH + 26,
                width=14,
                height=12,
                preserveAspectRatio="none",
                class_="pixels",
                href=png(np.array([[colour]], np.uint8)),
            )
        ]
        out += [
            box(x, TOP + HIGH + 26, 14, 12, "frame"),
            text(x + 19, TOP + HIGH + 36, name, "small"),
        ]
        x += 34 + 6.3 * len(legend[n][1])
    return picture(LEFT + WIDE + 8, TOP + HIGH + 46, title, words, *out)
