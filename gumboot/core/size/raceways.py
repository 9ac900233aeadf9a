"""Raceways: what runs together, how full it is, and the least conduit and trough that take it.

NEC: conduit by Chapter 9 Tables 1, 4, 5; metal wireway 376.22, 20 %.
IEC: conduit and trunking at most 40 and 45 % full, common practice; diameters of single cores by
IEC 60227.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from gumboot.core.basis.figure import (
    MEMORY,
    Figure,
    given,
    solve,
)
from gumboot.core.basis.finding import Cure, Finding, stop
from gumboot.core.basis.sizes import spoken
from gumboot.core.codes import OutsideTable
from gumboot.core.size.conductors import SizedCircuit

ENCLOSED = ("raceway", "raceway-on-roof", "A1", "A2", "B1", "B2", "D1")


@dataclass(frozen=True, slots=True)
class Raceway:
    """One way and what lies in it: the least conduit with its fill, and the least trough."""

    name: str
    circuits: tuple[str, ...]
    area: Figure
    conduit: Figure
    trough: Figure | None


def lay_raceways(sized: Sequence[SizedCircuit]) -> tuple[tuple[Raceway, ...], list[Finding]]:
    """Every enclosed way of a job. Circuits that name one raceway lie in it together; each set of a
    parallel run has its own.
    """
    ways: dict[str, list[SizedCircuit]] = {}
    for s in sized:
        if s.conditions.run.method in ENCLOSED and s.cable.cores == "single" and not s.trial.fails:
            ways.setdefault(s.conditions.run.raceway or s.id, []).append(s)
    out: list[Raceway] = []
    found: list[Finding] = []
    for name, rows in ways.items():
        try:
            out.append(fill(name, rows))
        except OutsideTable as exc:
            found.append(
                stop(
                    f"raceway.{name}",
                    rows[0].id,
                    f"Raceway {name}: {exc}.",
                    rows[0].rules.book.clauses["conduit fill"],
                    Cure("Share the conductors out over two raceways, or use a trough"),
                )
            )
    return tuple(out), found


def core_area(s: SizedCircuit) -> Figure:
    """Area of one core with its insulation, in the book's unit: by the cable's own diameter where
    the shelf has it, else as building wire.
    """
    book, across = s.rules.book, s.cable.outer_mm.get(s.size)
    if across is None:
        return book.wire_area(s.size)
    d = given("d", across, "mm", f"Outer diameter of {spoken(s.size)}", "cable sheet")
    per = "" if book.area_unit == "mm²" else " / 645.16"
    return solve(
        "A_wire",
        book.area_unit,
        f"Area of {spoken(s.size)} with its insulation",
        f"0.785398 * d * d{per}",
        d,
        source="cable sheet",
    )


def fill(name: str, rows: Sequence[SizedCircuit]) -> Raceway:
    """One way. Raises OutsideTable when no conduit takes it."""
    book = rows[0].rules.book
    live = [(s, len(s.circuit.conductors) - 1) for s in rows]
    earth = max(
        (str(s.protective.value) for s in rows), key=lambda x: book.wire_area(x).n
    )  # one for all, by the largest: NEC 250.122(C)
    parts = [core_area(s).renamed(f"A_{i}") for i, (s, _) in enumerate(live, 1)] + [
        book.wire_area(earth).renamed("A_PE")
    ]
    counts = [
        given(f"n_{i}", n, "", "Conductors of this size", "plan")
        for i, (_, n) in enumerate(live, 1)
    ]
    formula = " + ".join([*(f"n_{i} * A_{i}" for i in range(1, len(live) + 1)), "A_PE"])
    area = solve(
        "A",
        book.area_unit,
        "All conductors",
        formula,
        *counts,
        *parts,
        source=parts[0].source,
        doubt=MEMORY,
    )
    wires = sum(n for _, n in live) + 1
    conduit, trough = book.ways(area, wires, rows[0].conditions.run.conduit)
    return Raceway(name, tuple(s.id for s in rows), area, conduit, trough)
