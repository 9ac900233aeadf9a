"""Labels: both ends of every conductor and every termination, and the sheets they are printed on,
named
by their measures in mm.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

from gumboot.core.basis.sizes import spoken
from gumboot.core.land.cutting import Lot
from gumboot.core.land.termination import Termination


@dataclass(frozen=True, slots=True)
class Label:
    """One label: the termination it is for, what it says, largest line first."""

    key: str
    lines: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class Stock:
    """A sheet of labels by its measures in mm. A wrap prints on its upper `face` and laminates
    itself below; a flag folds in its middle.
    """

    id: str
    name: str
    kind: Literal["flat", "wrap", "flag"]
    paper: Literal["a4", "letter"]
    width: float
    height: float
    across: int
    down: int
    left: float
    top: float
    pitch_x: float
    pitch_y: float
    face: float = 0.0


STOCKS: tuple[Stock, ...] = (
    Stock(
        "a4-65",
        "flat 38.1 × 21.2 mm, 65 on A4",
        "flat",
        "a4",
        38.1,
        21.2,
        5,
        13,
        4.75,
        10.7,
        40.6,
        21.2,
    ),
    Stock(
        "a4-21",
        "flat 63.5 × 38.1 mm, 21 on A4",
        "flat",
        "a4",
        63.5,
        38.1,
        3,
        7,
        7.2,
        15.1,
        66.0,
        38.1,
    ),
    Stock(
        "letter-30",
        "flat 2 5/8 × 1 in, 30 on letter",
        "flat",
        "letter",
        66.7,
        25.4,
        3,
        10,
        4.8,
        12.7,
        69.85,
        25.4,
    ),
    Stock(
        "a4-wrap",
        "wrap 25.4 × 38.1 mm, 12.7 mm printed, 42 on A4",
        "wrap",
        "a4",
        25.4,
        38.1,
        7,
        6,
        14.0,
        34.0,
        26.4,
        38.6,
        12.7,
    ),
    Stock(
        "letter-wrap",
        "wrap 1 × 1 1/2 in, 1/2 in printed, 42 on letter",
        "wrap",
        "letter",
        25.4,
        38.1,
        7,
        6,
        15.8,
        25.0,
        26.4,
        38.6,
        12.7,
    ),
    Stock(
        "a4-flag",
        "flag 25 × 80 mm, folded, 20 on A4",
        "flag",
        "a4",
        80.0,
        25.0,
        2,
        10,
        22.0,
        20.0,
        84.0,
        25.8,
    ),
    Stock(
        "letter-flag",
        "flag 1 × 3 in, folded, 20 on letter",
        "flag",
        "letter",
        76.2,
        25.4,
        2,
        10,
        29.0,
        12.7,
        81.0,
        25.4,
    ),
)


def label_of(t: Termination) -> Label:
    """What one end says: circuit and conductor, where it lands, what is at the other end, and its
    size.
    """
    head = t.label.split(" ", 1)[0]
    string = f"STRING {t.circuit.removeprefix('pv-')} " if t.circuit.startswith("pv-") else ""
    polarity = f"{head} {string}{t.conductor}" if t.conductor not in ("signal", "") else t.label
    where = f"{t.place.upper()} {t.terminal}"
    size = f"{spoken(t.size)}" if t.size else ""
    torque = f"{t.torque.n:.3g} N·m" if t.torque else ""
    return Label(
        t.key,
        tuple(
            x
            for x in (
                polarity,
                where,
                f"to {t.far}" if t.far else "",
                " · ".join(x for x in (size, torque) if x),
            )
            if x
        ),
    )


def list_labels(
    terminations: Sequence[Termination], lots: Sequence[Lot], order: Literal["cut", "land"]
) -> list[Label]:
    """Every label, in the order of cutting (both ends of a piece together, reel by reel) or of
    landing. Links come last when cutting.
    """
    rows = [t for t in terminations if t.label]
    if order == "land":
        return [label_of(t) for t in rows]
    by_piece = [
        t for lot in lots for cut in lot.packed.cuts for i in cut.pieces for t in lot.pieces[i].ends
    ]
    seen = {t.key for t in by_piece}
    return [label_of(t) for t in (*by_piece, *(t for t in rows if t.key not in seen))]
