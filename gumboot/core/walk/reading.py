"""Readings of a walk that are plain numbers in one unit, with what else may be typed behind them.
The page judges by the same table.
"""

from __future__ import annotations

import re
from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Reading:
    """unit: what it is kept in; scales: what may be typed behind it, and what one of it is worth;
    least, most: of what can be; says: what to type.
    """

    unit: str
    scales: dict[str, float]
    least: float
    most: float
    says: str


KINDS: dict[str, Reading] = {
    "amp": Reading("A", {"a": 1, "ma": 1e-3, "ka": 1e3}, -100_000, 100_000, "amperes, as 12.4"),
    "milliamp": Reading("mA", {"ma": 1, "a": 1e3}, 0, 10_000, "milliamperes, as 22"),
    "ms": Reading("ms", {"ms": 1, "s": 1e3}, 0, 600_000, "milliseconds, as 24"),
    "seconds": Reading("s", {"s": 1, "min": 60}, 0, 86_400, "seconds, as 65, or 5 min"),
    "hertz": Reading("Hz", {"hz": 1}, 0, 500, "the frequency, as 50.0"),
    "percent": Reading("%", {"%": 1}, -200, 200, "per cent, as 1.5"),
    "watt": Reading("W", {"w": 1, "kw": 1e3}, -1e6, 1e6, "watts, as 1800 or 1.8 kW"),
    "light": Reading("W/m²", {"w/m²": 1, "w/m2": 1}, 0, 1600, "W/m², as 850"),
    "celsius": Reading("°C", {"°c": 1, "c": 1}, -60, 400, "degrees Celsius, as 41"),
}
NUMBER = re.compile(r"([+-]?[0-9]{1,7}(?:[.,][0-9]{1,6})?)\s*([^0-9\s]{0,5})")


def number(kind: str, typed: str) -> float | None:
    """What was typed, in the kind's unit; None where it is no such number."""
    own = KINDS[kind]
    found = NUMBER.fullmatch(typed.strip().replace("−", "-"))
    scale = (
        own.scales.get((found[2] or "").lower(), 1.0 if not found[2] else None) if found else None
    )
    if found is None or scale is None:
        return None
    value = float(found[1].replace(",", ".")) * scale
    return value if own.least <= value <= own.most else None
