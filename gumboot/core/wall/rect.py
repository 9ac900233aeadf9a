"""Rectangles on one wall, in mm from its left edge and the floor."""

from __future__ import annotations

from typing import NamedTuple


class Rect(NamedTuple):
    """Left, bottom, right, top."""

    left: float
    bottom: float
    right: float
    top: float


def grown(r: Rect, by: float) -> Rect:
    """A rectangle larger by so much on each side."""
    return Rect(r.left - by, r.bottom - by, r.right + by, r.top + by)
