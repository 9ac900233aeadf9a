"""Conductor sizes as a crew says them, in either system: "4", "2/0" and "250" are AWG or kcmil; "16
mm²" says so itself.
"""

from __future__ import annotations

import math
from functools import lru_cache

KCMIL_MM2 = 0.506707  # a circle one mil across, a thousand times, in mm²


@lru_cache(maxsize=256)
def area_mm2(size: str) -> float:
    """Cross-section in mm². AWG by ASTM B258: d = 0.127 mm · 92^((36 − n)/39).

    >>> round(area_mm2("4"), 2)
    21.15
    >>> round(area_mm2("4/0"), 1), round(area_mm2("250"), 1), area_mm2("16 mm²")
    (107.2, 126.7, 16.0)
    """
    if size.endswith("mm²"):
        return float(size.removesuffix("mm²"))
    if size.isdigit() and int(size) >= 250:
        return int(size) * KCMIL_MM2
    gauge = 1 - int(size.split("/")[0]) if size.endswith("/0") else int(size)
    return math.pi / 4 * float(0.127 * 92 ** ((36 - gauge) / 39)) ** 2


def spoken(size: str) -> str:
    """A size as it is said.

    >>> spoken("4"), spoken("2/0"), spoken("250"), spoken("16 mm²")
    ('4 AWG', '2/0 AWG', '250 kcmil', '16 mm²')
    """
    if size.endswith("mm²"):
        return size
    return f"{size} kcmil" if size.isdigit() and int(size) >= 250 else f"{size} AWG"


def fits(size: str, least: str, most: str) -> bool:
    """Whether a size lies in a terminal's range, whichever system either is named in.

    >>> fits("4", "6", "1/0"), fits("25 mm²", "6", "4"), fits("35 mm²", "10 mm²", "35 mm²")
    (True, False, True)
    """
    return area_mm2(least) * 0.999 <= area_mm2(size) <= area_mm2(most) * 1.001
