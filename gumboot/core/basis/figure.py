"""A figure: a number that can show how it was worked out.

Every number Gumboot prints is a `Figure`. There are four ways to get one, and no fifth:

    given      it was typed or stands on a data sheet
    looked_up  it is one cell of one table of one standard
    solve      it is worked out, by the very formula that is shown
    picked     it is a choice (a conductor, a standard rating) made by a stated rule

Figures hold the figures they came from, so each opens down to what was typed.
"""

from __future__ import annotations

import math
import re
from collections.abc import Callable, Iterator
from functools import lru_cache
from types import CodeType
from typing import NamedTuple

MEMORY = "from memory: check your edition"
COMMON_PRACTICE = "common practice"

FUNCTIONS: dict[str, Callable[..., float]] = {
    "min": min,
    "max": max,
    "sqrt": math.sqrt,
    "abs": abs,
    "log": math.log,
}
KNOWN: dict[str, object] = {"__builtins__": {}, **FUNCTIONS}
_NAME = re.compile(r"[A-Za-z]\w*")


class Figure(NamedTuple):
    """One value with its working. A design makes thousands: a tuple is made in a third of the time
    of a frozen dataclass.

    symbol: an identifier as the literature writes it (`V_oc`, `beta`), shown with subscripts.
    value: a float in `unit`, or a text for a choice ("4 AWG").
    formula: arithmetic over the symbols of `inputs`; empty for what is given or looked up.
    source: data sheet, brief, or standard with edition and clause.
    lookup: row and column, for a table.
    assumption, doubt: what was taken for granted; how sure we are of the source.
    """

    symbol: str
    value: float | str
    unit: str = ""
    name: str = ""
    formula: str = ""
    inputs: tuple[Figure, ...] = ()
    source: str = ""
    lookup: str = ""
    assumption: str = ""
    doubt: str = ""

    @property
    def n(self) -> float:
        """The value as a float. Raises TypeError when the figure is a choice, not a number."""
        if isinstance(self.value, str):
            raise TypeError(f"{self.symbol} is a choice ({self.value}), not a number")
        return self.value

    @property
    def text(self) -> str:
        """The value with its unit as the trade reads it: "47.9 A", "0.05 %", "6.3 h"."""
        if isinstance(self.value, str):
            return f"{self.value} {self.unit}".strip()
        return with_unit(self.value, self.unit)

    @property
    def exact(self) -> str:
        """The value with its unit to four significant figures, for a working: "47.92 A"."""
        if isinstance(self.value, str):
            return self.text
        return f"{fmt(self.value)} {self.unit}".strip()

    def against(self, other: float) -> str:
        """The text where it is set beside another number; exact where both would read alike."""
        alike = self.text == with_unit(other, self.unit)
        return self.exact if alike and self.n != other else self.text

    @property
    def put_in(self) -> str:
        """The formula with the numbers put in: "1.25 * 190"."""
        values = {
            f.symbol: fmt(f.value) if not isinstance(f.value, str) else f.value for f in self.inputs
        }
        bracketed = {s: f"({v})" if v.startswith("-") else v for s, v in values.items()}
        return _NAME.sub(lambda m: bracketed.get(m[0], m[0]), self.formula)

    def renamed(self, symbol: str) -> Figure:
        """The same figure under the symbol that another formula knows it by."""
        if symbol == self.symbol:
            return self
        return self._replace(symbol=symbol)

    def called(self, name: str) -> Figure:
        """The same figure under another name."""
        return self._replace(name=name)

    def walk(self) -> Iterator[Figure]:
        """This figure and every figure under it, each once, top down."""
        seen: set[int] = set()
        stack = [self]
        while stack:
            figure = stack.pop()
            if id(figure) not in seen:
                seen.add(id(figure))
                yield figure
                stack.extend(reversed(figure.inputs))


def fmt(value: float) -> str:
    """A number to four significant figures without trailing zeros: 483.45 -> "483.5"; thousands
    keep their units.
    """
    if value == 0 or not math.isfinite(value):
        return f"{value:g}"
    digits = max(0, 3 - math.floor(math.log10(abs(value))))
    text = f"{value:.{digits}f}"
    return text.rstrip("0").rstrip(".") if "." in text else text


COARSE = ("", "%", "h", "C")  # ratios, shares and hours: two figures are all that is meant


def as_read(value: float, unit: str) -> str:
    """A number as it is read off and spoken: three figures, two of a ratio, a share or hours; no
    more than two decimals of a per cent.

    >>> [as_read(v, u) for v, u in ((47.92, "A"), (0.05324, "%"), (6.284, "h"), (12671, "A"))]
    ['47.9', '0.05', '6.3', '12671']
    """
    if value == 0 or not math.isfinite(value):
        return f"{value:g}"
    figures = 2 if unit in COARSE else 3
    digits = max(0, figures - 1 - math.floor(math.log10(abs(value))))
    text = f"{value:.{min(digits, 2) if unit == '%' else digits}f}"
    return text.rstrip("0").rstrip(".") if "." in text else text


THOUSANDS = {"W": "kW", "Wh": "kWh", "VA": "kVA"}


def with_unit(value: float, unit: str) -> str:
    """A number with its unit as the trade reads it; from a thousand watts on it says kilowatts.

    >>> [with_unit(v, u) for v, u in ((17465, "W"), (999.4, "W"), (12671, "A"), (0.9002, ""))]
    ['17.5 kW', '999 W', '12671 A', '0.9']
    """
    if unit in THOUSANDS and abs(value) >= 999.5:
        value, unit = value / 1000, THOUSANDS[unit]
    return f"{as_read(value, unit)} {unit}".strip()


def given(
    symbol: str, value: float, unit: str, name: str, source: str, assumption: str = ""
) -> Figure:
    """A typed or data-sheet value."""
    return Figure(symbol, value, unit, name, source=source, assumption=assumption)


def looked_up(
    symbol: str,
    value: float | str,
    unit: str,
    name: str,
    source: str,
    lookup: str,
    doubt: str = MEMORY,
) -> Figure:
    """One cell of one table. `lookup` names row and column."""
    return Figure(symbol, value, unit, name, source=source, lookup=lookup, doubt=doubt)


def solve(
    symbol: str,
    unit: str,
    name: str,
    formula: str,
    *inputs: Figure,
    source: str,
    assumption: str = "",
    doubt: str = "",
) -> Figure:
    """A worked-out value: `formula` is evaluated over the inputs' symbols, so what is shown is what
    was done.

    Raises NameError when the formula uses a symbol that no input carries.
    """
    names = {f.symbol: f.value for f in inputs}
    # formulas are literals of core
    value = float(eval(compiled(formula), KNOWN, names))  # noqa: S307
    return Figure(symbol, value, unit, name, formula, inputs, source, "", assumption, doubt)


def picked(
    symbol: str,
    value: float | str,
    unit: str,
    name: str,
    rule: str,
    *inputs: Figure,
    source: str,
    doubt: str = "",
) -> Figure:
    """A choice by a stated rule; `rule` is prose and stands where a formula would."""
    return Figure(symbol, value, unit, name, "", inputs, source, rule, "", doubt)


@lru_cache(maxsize=512)
def compiled(formula: str) -> CodeType:
    """The code of a formula's text, made once."""
    return compile(formula, "<formula>", "eval")
