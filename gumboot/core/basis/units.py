"""Quantities as the crew types and reads them.

Core computes in SI (m, N·m, °C) and in the code book's own units where a table has them.
"38 ft", "11.6 m", "14 F", "11 ft-lb", "15 Nm" and plain numbers are all understood.
"""

from __future__ import annotations

import re
from contextlib import suppress
from dataclasses import dataclass
from functools import lru_cache
from typing import TYPE_CHECKING, Literal

from gumboot.core.basis.figure import fmt

if TYPE_CHECKING:
    import pint

System = Literal["us", "si"]

FT_M = 0.3048
NM_INLB = 8.850746  # 1 N·m in in·lb, from 1 in = 0.0254 m and 1 lbf = 4.4482216 N
NM_FTLB = 0.7375621


@dataclass(frozen=True, slots=True)
class Kind:
    """How one kind of quantity is typed: its SI unit, the crew's default unit, an example
    to show.
    """

    si: str
    us: str
    example: str


KINDS: dict[str, Kind] = {
    "length": Kind("m", "ft", "38 ft or 11.6 m"),
    "torque": Kind("N*m", "inch*lbf", "11 ft-lb, 35 in-lb or 15 Nm"),
    "temperature": Kind("degC", "degF", "14 F or -10 C"),
    "current": Kind("A", "A", "200 A"),
    "voltage": Kind("V", "V", "56 V"),
    "power": Kind("W", "W", "8 kW"),
    "percent": Kind("percent", "percent", "20 %"),
    "angle": Kind("degree", "degree", "30 deg"),
    "resistance": Kind("ohm", "ohm", "0.35 ohm"),
    "irradiance": Kind("W/m**2", "W/m**2", "650 W/m²"),
    "time": Kind("ms", "ms", "28 ms"),
}

# How crews write units, as pint names them. Longest first; the whole unit text must match one.
_SPELLINGS: dict[str, str] = {
    "ms": "ms",
    "s": "s",
    "sec": "s",
    "'": "ft",
    "ft": "ft",
    "feet": "ft",
    "foot": "ft",
    '"': "inch",
    "in": "inch",
    "inch": "inch",
    "inches": "inch",
    "m": "m",
    "mm": "mm",
    "cm": "cm",
    "metre": "m",
    "metres": "m",
    "meter": "m",
    "meters": "m",
    "nm": "N*m",
    "n.m": "N*m",
    "n·m": "N*m",
    "n-m": "N*m",
    "n m": "N*m",
    "inlb": "inch*lbf",
    "in-lb": "inch*lbf",
    "in.lb": "inch*lbf",
    "in·lb": "inch*lbf",
    "in lb": "inch*lbf",
    "lb-in": "inch*lbf",
    "in-lbs": "inch*lbf",
    "inlbs": "inch*lbf",
    "in lbs": "inch*lbf",
    "lbf-in": "inch*lbf",
    "lbf·in": "inch*lbf",
    "in·lbf": "inch*lbf",
    "ftlb": "ft*lbf",
    "ft-lb": "ft*lbf",
    "ft.lb": "ft*lbf",
    "ft·lb": "ft*lbf",
    "ft lb": "ft*lbf",
    "lb-ft": "ft*lbf",
    "ft-lbs": "ft*lbf",
    "ftlbs": "ft*lbf",
    "ft lbs": "ft*lbf",
    "lbf-ft": "ft*lbf",
    "lbf·ft": "ft*lbf",
    "ft·lbf": "ft*lbf",
    "f": "degF",
    "°f": "degF",
    "degf": "degF",
    "deg f": "degF",
    "c": "degC",
    "°c": "degC",
    "degc": "degC",
    "deg c": "degC",
    "a": "A",
    "amp": "A",
    "amps": "A",
    "ka": "kA",
    "ma": "mA",
    "v": "V",
    "volt": "V",
    "volts": "V",
    "kv": "kV",
    "mv": "mV",
    "w": "W",
    "kw": "kW",
    "watt": "W",
    "watts": "W",
    "%": "percent",
    "percent": "percent",
    "deg": "degree",
    "°": "degree",
    "degrees": "degree",
    "ohm": "ohm",
    "ohms": "ohm",
    "ω": "ohm",
    "mω": "mohm",
    "mohm": "mohm",
    "mohms": "mohm",
    "milliohm": "mohm",
    "milliohms": "mohm",
    "w/m²": "W/m**2",
    "w/m2": "W/m**2",
}

OTHER = {  # what plates say instead, and what is asked
    "va": "is apparent power: type its W, which are VA times the power factor",
    "kva": "is apparent power: type its kW, which are kVA times the power factor",
    "hp": "is what a shaft gives: type the W it draws, volts times amps of its plate",
}
GROUPS = re.compile("([0-9])[ \u00a0\u2009\u202f](?=[0-9]{3}(?![0-9]))")  # 12 000
FIGURES = re.compile(r"^[\s+\-0-9.,]*")
TYPED = re.compile(r"^\s*([+-]?(?:[0-9]+(?:\.[0-9]*)?|\.[0-9]+))\s*(.*?)\s*\.?\s*$")


class NotAQuantity(ValueError):
    """The text is not a quantity of the wanted kind; the message says what to type."""


def parse(text: str, kind: str, system: System = "si", bare: str = "") -> float:
    """A typed quantity in the SI unit of its kind (temperatures in °C, percent as 0–100).

    A bare number is read in the unit `bare` where one is given (a spelling, "ft·lb"), else in the
    crew's own unit
    (`system`). Raises NotAQuantity.
    """
    k = KINDS[kind]
    want = f"type a number and unit, such as {k.example}"
    plain = GROUPS.sub(r"\1", text.replace("−", "-"))
    figures = FIGURES.match(plain)[0]  # type: ignore[index]
    found = TYPED.match(
        figures.replace(",", "." if figures.count(",") == 1 and "." not in figures else "")
        + plain[len(figures) :]
    )
    if not found:
        raise NotAQuantity(
            f"“{text.strip()}” is not {'an' if kind[0] in 'aeiou' else 'a'} {kind}: {want}"
        )
    number, said = float(found[1]), found[2] or bare
    written = said.lower()
    if kind == "power" and written in OTHER:
        raise NotAQuantity(f"{said} {OTHER[written]}, such as {k.example}")
    unit = _SPELLINGS.get(written) if written else (k.us if system == "us" else k.si)
    if unit == "mohm" and said.startswith(("MΩ", "MO", "Mo")):
        unit = "megaohm"  # the one unit whose prefix only its case tells
    if unit is None:
        raise NotAQuantity(f"“{found[2]}” is not a unit of {kind}: {want}")
    if unit == k.si:
        return number
    import pint

    try:
        return float(_registry().Quantity(number, unit).to(k.si).magnitude)
    except pint.DimensionalityError as exc:
        raise NotAQuantity(f"“{found[2]}” is not a unit of {kind}: {want}") from exc


@lru_cache(maxsize=1)
def _registry() -> pint.UnitRegistry[float]:
    import pint

    return pint.UnitRegistry(autoconvert_offset_to_baseunit=True)


def spellings(kind: str) -> dict[str, float]:
    """How many of the kind's SI unit each spelling of a unit is; for lengths and torques, which
    have no offset.
    """
    out: dict[str, float] = {}
    for spelling in _SPELLINGS:
        with suppress(NotAQuantity):
            out[spelling] = parse(f"1 {spelling}", kind)
    return out


def show_length(m: float, system: System) -> str:
    """A length in the crew's unit: "38 ft", "11.6 m"."""
    return f"{round(m / FT_M, 1):g} ft" if system == "us" else f"{round(m, 2):g} m"


def show_temperature(c: float, system: System) -> str:
    """A temperature in the crew's unit: "14 °F", "-10 °C"."""
    return f"{fmt(round(c * 9 / 5 + 32, 1))} °F" if system == "us" else f"{fmt(round(c, 1))} °C"


def torque_unit(nm: float, system: System) -> str:
    """The unit a torque is shown in, and a bare reading of it is taken in: in·lb below 30 N·m and
    ft·lb above, or N·m.
    """
    return "N·m" if system == "si" else "in·lb" if nm < 30 else "ft·lb"


def show_torque(nm: float, system: System) -> str:
    """A torque in the crew's unit: "35.4 in·lb", "22.9 ft·lb", "4 N·m"."""
    unit = torque_unit(nm, system)
    per_nm, digits = {"N·m": (1.0, 2), "in·lb": (NM_INLB, 1), "ft·lb": (NM_FTLB, 1)}[unit]
    return f"{fmt(round(nm * per_nm, digits))} {unit}"


def show_strip(mm: float, system: System) -> str:
    """A strip length: sixteenths of an inch beside mm for a US crew, since tapes there are so
    marked.
    """
    if system == "si":
        return f"{fmt(mm)} mm"
    sixteenths = round(mm / 25.4 * 16)
    whole, part = divmod(sixteenths, 16)
    bottom = 16
    while part and part % 2 == 0:
        part, bottom = part // 2, bottom // 2
    inches = (
        f"{whole or ''}{' ' if whole and part else ''}{f'{part}/{bottom}' if part else ''}" or "0"
    )
    return f"{inches} in ({fmt(mm)} mm)"


def show_place(mm: float, system: System) -> str:
    """A place or size on a wall as a tape has it: "46 1/4 in", "1175 mm"."""
    if system == "si":
        return f"{fmt(round(mm, 1))} mm"
    sign = "−" if mm < -0.7 else ""
    whole, part = divmod(round(abs(mm) / 25.4 * 16), 16)
    bottom = 16
    while part and part % 2 == 0:
        part, bottom = part // 2, bottom // 2
    fraction = f"{part}/{bottom}" if part else ""
    inches = " ".join(x for x in (str(whole) if whole or not part else "", fraction) if x)
    return f"{sign}{inches} in"


PLACE = "type it as 46 1/4 in, 3 ft 10 in or 1175 mm"
FEET = re.compile(
    r"^\s*(?:([0-9]+(?:\.[0-9]+)?)\s*(?:ft|feet|foot|'))?\s*"
    r"(?:(?:([0-9]+)[\s-]+)?([0-9]+)/([0-9]+)|([0-9]+(?:\.[0-9]+)?))?\s*(in|inch|inches|\"|'')?\s*$"
)


def parse_place(text: str, system: System) -> float:
    """A place or size on a wall in mm; bare numbers are inches or mm: "46 1/4", "3 ft 10 1/4 in",
    "1175", "1.2 m". Raises NotAQuantity.
    """
    plain = text.replace("−", "-").strip()
    sign = -1.0 if plain.startswith("-") else 1.0
    found = FEET.match(plain.lstrip("-"))
    if found and any(found.groups()[:5]) and (system == "us" or found[1] or found[6]):
        feet, whole, top, bottom, number = (float(x) if x else 0.0 for x in found.groups()[:5])
        if found[4] and bottom == 0:
            raise NotAQuantity(f"“{text.strip()}” is not a place: {PLACE}")
        return round(
            sign * (feet * 304.8 + (whole + (top / bottom if bottom else 0.0) + number) * 25.4), 2
        )
    try:
        return round(
            1000 * parse(plain, "length", system, bare="in" if system == "us" else "mm"), 2
        )
    except NotAQuantity as exc:
        raise NotAQuantity(f"“{text.strip()}” is not a place: {PLACE}") from exc
