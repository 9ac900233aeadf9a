"""The legend of each panel, whichever the book."""

from __future__ import annotations

import math
from collections.abc import Iterator
from datetime import date
from typing import TYPE_CHECKING

from gumboot.core.land.placards.placard import (
    Placard,
    placard,
)

if TYPE_CHECKING:
    from gumboot.core.design import Design


@placard("legends")
def legends(d: Design, day: date) -> Iterator[Placard]:
    """One legend for each box that has breakers of this job: what each feeds, its rating, and what
    its
    conductor permits."""
    network = d.network
    if network is None:
        return
    sized = {s.id: s for s in d.circuits}
    boxes: dict[str, list[str]] = {}
    for switch in network.switches:
        s = sized.get(switch.protects)
        if s is None or s.circuit.system != "ac" or not s.protection:
            continue
        boxes.setdefault(switch.place, []).append(
            f"C{s.circuit.number} {switch.name}: {s.circuit.name}, {s.protection_text},"
            f" conductor permits {math.floor(s.permitted.n)} A"
        )
    for label, rows in boxes.items():
        name = (f"{label.upper()}: LEGEND", *rows)
        yield Placard(f"legend.{label}", label, "", name, d.plan.book.clauses["legend"])
