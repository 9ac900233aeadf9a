"""Raceways: what runs together, how full it is, and the least conduit and trough that take it.

NEC: conduit by Chapter 9 Tables 1, 4, 5; metal wireway 376.22, 20 %.
IEC: conduit and trunking at most 40 and 45 % full, common practice; diameters of single cores by
IEC 60227.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

from gumboot.core.basis.figure import (
    COMMON_PRACTICE,
    MEMORY,
    Figure,
    given,
    looked_up,
    picked,
    solve,
)
from gumboot.core.basis.finding import Cure, Finding, stop
from gumboot.core.codes import OutsideTable, nec, table
from gumboot.core.size.conductors import Sized

ENCLOSED = ("raceway", "raceway-on-roof", "A1", "A2", "B1", "B2", "D1")
WIREWAY_IN2 = {
    "2-1/2 × 2-1/2 in": 6.25,
    "4 × 4 in": 16.0,
    "6 × 6 in": 36.0,
    "8 × 8 in": 64.0,
}  # common sizes
TRUNKING_MM2 = {
    "25 × 16 mm": 400,
    "25 × 25 mm": 625,
    "40 × 25 mm": 1000,
    "40 × 40 mm": 1600,
    "60 × 40 mm": 2400,
    "60 × 60 mm": 3600,
    "100 × 60 mm": 6000,
    "100 × 100 mm": 10000,
}  # common sizes


@dataclass(frozen=True, slots=True)
class Raceway:
    """One way and what lies in it: the least conduit with its fill, and the least trough."""

    name: str
    circuits: tuple[str, ...]
    area: Figure
    conduit: Figure
    trough: Figure | None


def outer_area(size: str) -> Figure:
    """Area in mm² of one single-core with its insulation. IEC 60227-3."""
    for row in table("iec_60227_diameter"):
        if f"{row['size']} mm²" == size:
            d = float(row["outer_mm"])
            return looked_up(
                "A_wire",
                round(math.pi / 4 * d * d, 1),
                "mm²",
                f"Area of {size} with its insulation",
                "IEC 60227-3",
                f"row {size}, {d:g} mm across",
            )
    raise OutsideTable(f"IEC 60227-3 here has no diameter for {size}")


def lay_raceways(sized: Sequence[Sized]) -> tuple[tuple[Raceway, ...], list[Finding]]:
    """Every enclosed way of a job. Circuits that name one raceway lie in it together; each set of a
    parallel run has its own.
    """
    ways: dict[str, list[Sized]] = {}
    for s in sized:
        if s.place.run.method in ENCLOSED and s.cable.cores == "single" and not s.judged.fails:
            ways.setdefault(s.place.run.raceway or s.id, []).append(s)
    out: list[Raceway] = []
    found: list[Finding] = []
    for name, rows in ways.items():
        try:
            out.append(fill(name, rows))
        except OutsideTable as exc:
            rule = (
                "NEC 2023 Chapter 9 Table 1" if rows[0].rules.name == nec.BOOK else COMMON_PRACTICE
            )
            found.append(
                stop(
                    f"raceway.{name}",
                    rows[0].id,
                    f"Raceway {name}: {exc}.",
                    rule,
                    Cure("Share the conductors out over two raceways, or use a trough"),
                )
            )
    return tuple(out), found


def fill(name: str, rows: Sequence[Sized]) -> Raceway:
    """One way. Raises OutsideTable when no conduit takes it."""
    us = rows[0].rules.name == nec.BOOK
    area_of = nec.wire_area if us else outer_area
    live = [(s.size, len(s.circuit.conductors) - 1) for s in rows]
    earth = max(
        (str(s.egc.value) for s in rows), key=lambda x: area_of(x).n
    )  # one for all, by the largest: NEC 250.122(C)
    parts = [area_of(size).renamed(f"A_{i}") for i, (size, _) in enumerate(live, 1)] + [
        area_of(earth).renamed("A_PE")
    ]
    counts = [
        given(f"n_{i}", n, "", "Conductors of this size", "plan")
        for i, (_, n) in enumerate(live, 1)
    ]
    formula = " + ".join([*(f"n_{i} * A_{i}" for i in range(1, len(live) + 1)), "A_PE"])
    unit = "in²" if us else "mm²"
    area = solve(
        "A", unit, "All conductors", formula, *counts, *parts, source=parts[0].source, doubt=MEMORY
    )
    wires = sum(n for _, n in live) + 1
    if us:
        trade, pct = nec.conduit((area.n / wires,) * wires)
        conduit = picked(
            "D",
            trade,
            "in EMT",
            "Conduit",
            f"least trade size at most 40 % full: {pct:g} %",
            area,
            source="NEC 2023 Chapter 9 Tables 1, 4",
            doubt=MEMORY,
        )
        trough = next((k for k, a in WIREWAY_IN2.items() if area.n <= 0.2 * a), None)
        rule = "least wireway at most 20 % full"
        source = "NEC 2023 376.22(A)"
    else:
        row = next(
            (
                r
                for r in table("iec_61386")
                if area.n <= 0.4 * math.pi / 4 * float(r["inner_mm"]) ** 2
            ),
            None,
        )
        if row is None:
            raise OutsideTable(
                f"{area.text} of conductors is more than a 63 mm conduit takes at 40 %"
            )
        conduit = picked(
            "D",
            f"{row['outer_mm']} mm",
            "",
            "Conduit",
            "least size at most 40 % full",
            area,
            source=f"IEC 61386-1; {COMMON_PRACTICE}",
            doubt=MEMORY,
        )
        trough = next((k for k, a in TRUNKING_MM2.items() if area.n <= 0.45 * a), None)
        rule, source = "least trunking at most 45 % full", COMMON_PRACTICE
    way = (
        picked("W", trough, "", "Trough", rule, area, source=source, doubt=MEMORY)
        if trough
        else None
    )
    return Raceway(name, tuple(s.id for s in rows), area, conduit, way)
