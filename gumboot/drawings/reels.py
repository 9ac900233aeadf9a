"""Reels as bars, to one scale a lot: pieces in the order of cutting, what is left over hatched."""

from __future__ import annotations

from gumboot.core.basis.units import System, show_length
from gumboot.core.land.cutting import Lot
from gumboot.drawings.svg import box, picture, text

WIDTH, ROW = 780.0, 46.0


def draw_reels(lot: Lot, units: System) -> str:
    """Every reel of one lot."""
    cuts = lot.packed.cuts
    longest = max((c.length for c in cuts), default=1)
    k = (WIDTH - 150) / longest
    parts: list[str] = []
    for n, c in enumerate(cuts):
        y, x = 6 + n * ROW, 140.0
        parts += [
            text(4, y + 16, show_length(c.length / 100, units), "small strong"),
            text(4, y + 31, "reel" if c.bought else "remnant", "tiny soft"),
        ]
        for i in c.pieces:
            p = lot.pieces[i]
            w = 100 * p.length.n * k
            parts.append(box(x, y, w, 26, "cut-piece"))
            words = f"C{p.number} {p.conductors}" if w > 46 else f"C{p.number}" if w > 24 else ""
            parts += [
                text(x + w / 2, y + 17, words, "small", "middle"),
                text(
                    x + w / 2,
                    y + 38,
                    show_length(p.length.n, units) if w > 40 else "",
                    "tiny soft",
                    "middle",
                ),
            ]
            x += w
        if c.rest * k > 1:
            parts.append(box(x, y, c.rest * k, 26, "cut-rest"))
            if c.rest * k > 60:
                parts.append(
                    text(
                        x + c.rest * k / 2,
                        y + 17,
                        f"{show_length(c.rest / 100, units)} over",
                        "tiny soft",
                        "middle",
                    )
                )
    said = ". ".join(
        f"{show_length(c.length / 100, units)}: {', '.join(lot.pieces[i].name for i in c.pieces)}"
        for c in cuts
    )
    return picture(
        WIDTH,
        8 + ROW * max(1, len(cuts)),
        f"Reels of {lot.size} {lot.colour}",
        said or "nothing to cut",
        *parts,
    )
