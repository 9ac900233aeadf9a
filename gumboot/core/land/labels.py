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
