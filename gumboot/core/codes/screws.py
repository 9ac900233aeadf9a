"""Torque of a terminal's screw where its maker is silent: NEC Informative Annex I by conductor or
key, IEC 60947-1 Table 4 by thread.

All tables from memory: check your edition. A maker's plate always comes first (NEC 110.14(D)).
"""

from __future__ import annotations

import re
from typing import Literal

from gumboot.core.basis.figure import Figure, looked_up
from gumboot.core.basis.sizes import spoken
from gumboot.core.codes import OutsideTable, nec, table

Drive = Literal["slot", "cross", "hex", "socket", "hexalobular"]
BITS = (
    "“slot 6 mm”, “cross PH2”, “hex 5 mm” or “hex 3/16 in” (a key), “socket 13 mm” (a spanner) or"
    " “hexalobular T25”"
)
ANNEX = f"{nec.BOOK} Annex I"
TERMINALS = "IEC 60947-1 Table 4"
WIDE_SLOT_MM = 6.4
NEAREST_MM = 0.1  # a metric key that the inch's hole takes: 4 mm for 5/32 in, 8 mm for 5/16 in
_BIT = re.compile(
    r"(slot|cross|hex|socket|hexalobular)(?: (?:PH|T)?(\d+(?:\.\d+)?)(?:/([1-9]\d*))?(?:"
    r" (mm|in))?)?(?:,.*)?$"
)


def drive(bit: str) -> tuple[Drive, float]:
    """(kind, width in mm) of a bit as the catalogue names it; a cross or hexalobular has its number
    for a width. Raises OutsideTable.

    >>> drive("hex 1/4 in")
    ('hex', 6.35)
    """
    found = _BIT.match(bit)
    if not found or (found[1] in ("slot", "hex", "socket") and not found[4]):
        raise OutsideTable(f"“{bit}” does not say how the screw is turned: write {BITS}")
    width = float(found[2] or 0) / float(found[3] or 1)
    return found[1], width * 25.4 if found[4] == "in" else width  # type: ignore[return-value]


def annex_i(size: str, bit: str, thread: str = "") -> Figure:
    """Torque in in·lb on a conductor of AWG or kcmil. NEC Informative Annex I: Table I.1 for slots
    and spanners, I.2 for slots of screws under No. 10 (4.8 mm) on 8 AWG or less, I.3 for recessed
    keys.

    A slot longer than 6.4 mm has the wide column; a cross is read as a narrow slot. A screw of
    unknown thread is under No. 10 where its blade is under 5 mm or its cross under number 2 (common
    practice). Raises OutsideTable where the tables have nothing.

    >>> [annex_i(x, bit).text for x, bit in (("4", "slot 6 mm"), ("4", "slot 8 mm"))]
    ['35 in·lb', '45 in·lb']
    >>> annex_i("4/0", "hex 5/16 in").text
    '275 in·lb'
    >>> [annex_i("10", *x).text for x in (("slot 4 mm",), ("slot 6 mm", "M4"), ("slot 6 mm",))]
    ['7 in·lb', '7 in·lb', '20 in·lb']
    """
    kind, width = drive(bit)
    if _small(kind, width, thread) and nec.rank(size) <= nec.rank("8"):
        return _annex_i_2(width if kind == "slot" else SMALL_CROSS_MM)
    if kind == "hex":
        row = next(
            (r for r in table("nec_annex_i_3") if abs(float(r["flats_mm"]) - width) <= NEAREST_MM),
            None,
        )
        if row is None:
            raise OutsideTable(
                f"{ANNEX} Table I.3 has no key of {width:.3g} mm: it goes by the inch, 1/8 to 9/16"
            )
        return looked_up(
            "M",
            float(row["torque_inlb"]),
            "in·lb",
            f"Screw torque with a key of {width:.3g} mm",
            f"{ANNEX} Table I.3",
            f"row {row['flats_mm']} mm across flats",
        )
    if kind == "hexalobular":
        raise OutsideTable(f"{ANNEX} has no hexalobular screws")
    column = (
        "hex"
        if kind == "socket"
        else "wide_slot"
        if kind == "slot" and width > WIDE_SLOT_MM
        else "slot"
    )
    cell = table("nec_annex_i")[nec.rank(size)][column]
    words = {
        "hex": "hexagonal head, spanner",
        "wide_slot": "slot longer than 6.4 mm",
        "slot": "slot up to 6.4 mm",
    }[column]
    if not cell:
        raise OutsideTable(f"{ANNEX} Table I.1 has nothing for {spoken(size)} under a {words}")
    return looked_up(
        "M",
        float(cell),
        "in·lb",
        f"Screw torque on {spoken(size)}",
        f"{ANNEX} Table I.1",
        f"row {spoken(size)}, {words}",
    )


NO_10_MM = 4.8
SMALL_BLADE_MM = 5.0
SMALL_CROSS_MM = 4.0  # a cross under number 2, read as a slot
THICK_MM = 6.4  # from this length on a blade is 1.2 mm thick: DIN 5264, from memory


def _small(kind: Drive, width: float, thread: str) -> bool:
    """Whether a screw is under No. 10, 4.8 mm."""
    if kind not in ("slot", "cross"):
        return False
    if thread:
        return float(thread.removeprefix("M")) < NO_10_MM
    return width < (SMALL_BLADE_MM if kind == "slot" else 2)


def _annex_i_2(length_mm: float) -> Figure:
    column = "narrow" if length_mm < THICK_MM else "wide"
    row = next(r for r in table("nec_annex_i_2") if length_mm < float(r["under_mm"]))
    return looked_up(
        "M",
        float(row[column] or row["wide"]),
        "in·lb",
        "Screw torque, screw under No. 10",
        f"{ANNEX} Table I.2",
        f"slot of {length_mm:.3g} mm, {column}",
    )


def iec_60947(thread: str, bit: str) -> Figure:
    """Torque in N·m of a screw by its thread ("M5"). IEC 60947-1 Table 4.

    Column I where no driver wider than the thread can turn it, II for other screwdrivers, III for
    other means. Raises OutsideTable.

    >>> [iec_60947("M5", bit).text for bit in ("slot 6 mm", "slot 4 mm")]
    ['2 N·m', '0.8 N·m']
    >>> iec_60947("M8", "socket 13 mm").text
    '6 N·m'
    """
    kind, width = drive(bit)
    found = re.fullmatch(r"M(\d+(?:\.\d+)?)", thread)
    if not found:
        raise OutsideTable(f"“{thread}” is not a thread: write M5")
    d = float(found[1])
    column = (
        "III"
        if kind in ("hex", "socket", "hexalobular")
        else "I"
        if kind == "slot" and width <= d
        else "II"
    )
    row = next(
        (r for r in table("iec_60947_1_4") if float(r["over_mm"]) < d <= float(r["up_to_mm"])), None
    )
    if row is None or not row[column]:
        raise OutsideTable(f"{TERMINALS} has nothing for {thread} turned with {bit}")
    return looked_up(
        "M",
        float(row[column]),
        "N·m",
        f"Screw torque of {thread}",
        TERMINALS,
        f"row {row['over_mm']} to {row['up_to_mm']} mm, column {column}",
    )
