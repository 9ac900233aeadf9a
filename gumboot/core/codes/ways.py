"""The least conduit and trough that take some conductors, and the room to bend one, by each book.

NEC: conduit by Chapter 9 Tables 1, 4, 5; metal wireway 376.22, 20 %; bends by Table 312.6(A).
IEC: conduit and trunking at most 40 and 45 % full, bends of four diameters, common practice;
diameters of single cores by IEC 60227.
"""

from __future__ import annotations

import math

from gumboot.core.basis.figure import COMMON_PRACTICE, MEMORY, Figure, given, looked_up, picked
from gumboot.core.basis.formula import Formula
from gumboot.core.codes import OutsideTable, nec, table

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
FOUR_DIAMETERS = Formula("B", "4 * d", "mm", "Room to bend", COMMON_PRACTICE)
NEC_CONDUIT = {"EMT": "emt", "PVC": "pvc40", "RMC": "rmc"}
Ways = tuple[Figure, Figure | None]


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


def nec_ways(area: Figure, wires: int, kind: str = "EMT") -> Ways:
    """(conduit, wireway) that take so many wires of an area in in² together. Raises
    OutsideTable.
    """
    trade, pct = nec.conduit((area.n / wires,) * wires, NEC_CONDUIT[kind])
    conduit = picked(
        "D",
        trade,
        f"in {kind}",
        "Conduit",
        f"least trade size at most 40 % full: {pct:g} %",
        area,
        source=f"{nec.BOOK} Chapter 9 Tables 1, 4",
        doubt=MEMORY,
    )
    trough = next((k for k, a in WIREWAY_IN2.items() if area.n <= 0.2 * a), None)
    return conduit, _trough(
        trough, "least wireway at most 20 % full", area, f"{nec.BOOK} 376.22(A)"
    )


def iec_ways(area: Figure, wires: int, kind: str = "") -> Ways:
    """(conduit, trunking) that take conductors of an area in mm². Raises OutsideTable."""
    fits = (
        r for r in table("iec_61386") if area.n <= 0.4 * math.pi / 4 * float(r["inner_mm"]) ** 2
    )
    row = next(fits, None)
    if row is None:
        raise OutsideTable(f"{area.text} of conductors is more than a 63 mm conduit takes at 40 %")
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
    return conduit, _trough(trough, "least trunking at most 45 % full", area, COMMON_PRACTICE)


def _trough(size: str | None, rule: str, area: Figure, source: str) -> Figure | None:
    if size is None:
        return None
    return picked("W", size, "", "Trough", rule, area, source=source, doubt=MEMORY)


def nec_bend(size: str) -> Figure | None:
    """Room in mm to bend one conductor before its terminal; None where the table leaves it open.
    NEC Table 312.6(A). Raises OutsideTable.
    """
    inches = nec.bending_space_in(size)
    if inches is None:
        return None
    of = Formula("B", "25.4 * b", "mm", "Room to bend", inches.source, doubt=inches.doubt)
    return of.figure(inches)


def iec_bend(size: str) -> Figure | None:
    """Four times the outer diameter, mm: common practice. Raises OutsideTable."""
    across = round(math.sqrt(4 * outer_area(size).n / math.pi), 1)
    d = given("d", across, "mm", f"Outer diameter of {size}", "IEC 60227-3")
    return FOUR_DIAMETERS.figure(d)
