"""Bars with their numbers, one a line; and means with their spread."""

from __future__ import annotations

from collections.abc import Sequence
from xml.sax.saxutils import escape

from gumboot.drawings.svg import box, line, picture, text

WIDE, LABEL, NUMBER, ROW = 760.0, 260.0, 150.0, 22.0


def bars(title: str, rows: Sequence[tuple[str, float, str]]) -> str:
    """(label, value, number in words) of each line as SVG; values are not negative."""
    most = max((v for _, v, _ in rows), default=0.0) or 1.0
    parts: list[str] = []
    for n, (label, value, words) in enumerate(rows):
        y = 6 + ROW * n
        long = (WIDE - LABEL - NUMBER) * value / most
        short = label if len(label) < 41 else label[:39] + "…"
        parts += [
            text(LABEL - 8, y + 13, short, "small", "end"),
            box(LABEL, y + 2, max(long, 1.0), ROW - 8, "bar-fill"),
            text(LABEL + max(long, 1.0) + 6, y + 13, words, "mono"),
        ]
    said = "; ".join(f"{label}: {words}" for label, _, words in rows)
    return picture(WIDE, 12 + ROW * max(len(rows), 1), title, escape(said) or "nothing yet", *parts)


def spreads(title: str, rows: Sequence[tuple[str, float, float, str]]) -> str:
    """(label, mean, spread, words) of each line about 1, as SVG: a dot and twice its spread to both
    sides.
    """
    off = max((abs(m - 1) + 2 * s for _, m, s, _ in rows), default=0.0)
    half = min(max(off, 0.05), 0.5)
    span = WIDE - LABEL - NUMBER
    high = 12 + ROW * max(len(rows), 1)

    def x(v: float) -> float:
        return LABEL + span * (min(max(v, 1 - half), 1 + half) - 1 + half) / (2 * half)

    parts = [line((x(1), 2), (x(1), high - 4), class_="one")]
    for n, (label, mean, spread, words) in enumerate(rows):
        y = 6 + ROW * n
        parts += [
            text(LABEL - 8, y + 13, label if len(label) < 41 else label[:39] + "…", "small", "end"),
            line((x(mean - 2 * spread), y + 9), (x(mean + 2 * spread), y + 9), class_="spread"),
            box(x(mean) - 4, y + 5, 8, 8, "bar-fill"),
            text(WIDE - NUMBER + 6, y + 13, words, "mono"),
        ]
    said = "; ".join(f"{label}: {words}" for label, _, _, words in rows)
    return picture(WIDE, high, title, escape(said) or "nothing yet", *parts)
