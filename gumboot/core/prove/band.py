"""An expected value with how far off it may be, put together as the GUM does.

    u_c² = Σ (∂f/∂x_i)² · u(x_i)²          JCGM 100:2008, 5.1.2, inputs independent
    U = 2 · u_c                            6.2.1, about 95 %

A limit ±a that says no more is taken as a rectangle: u = a/√3 (4.3.7).
"""

from __future__ import annotations

import math
from dataclasses import dataclass

from gumboot.core.basis.figure import Figure, given, solve
from gumboot.core.basis.formula import Formula
from gumboot.core.basis.words import inside

GUM = "GUM (JCGM 100:2008) 5.1.2"
COVERAGE = given("k", 2, "", "Coverage, about 95 %", "GUM (JCGM 100:2008) 6.2.1")


@dataclass(frozen=True, slots=True)
class Known:
    """A figure and its standard uncertainty, in its own unit."""

    figure: Figure
    u: float = 0.0


@dataclass(frozen=True, slots=True)
class Band:
    """What is expected, and its expanded uncertainty, both with their working."""

    expected: Figure
    off: Figure

    @property
    def low(self) -> float:
        """The least that fits."""
        return self.expected.n - self.off.n

    @property
    def high(self) -> float:
        """The most that fits."""
        return self.expected.n + self.off.n

    def holds(self, value: float) -> bool:
        """Whether a reading fits."""
        return self.low <= value <= self.high


def limits(figure: Figure, share: float = 0.0, plain: float = 0.0) -> Known:
    """A figure known to a share of itself and so much more, as a rectangle: a class of an
    instrument, a maker's tolerance.
    """
    return Known(figure, (share * abs(figure.n) + plain) / math.sqrt(3))


def slope(formula: Formula, inputs: dict[str, float], symbol: str) -> float:
    """∂f/∂x at the inputs, by a central difference."""
    x = inputs[symbol]
    step = 1e-4 * abs(x) or 1e-4
    ends = (float(formula.value(**{**inputs, symbol: x + s})) for s in (step, -step))
    above, below = ends
    return (above - below) / (2 * step)


def combined(formula: Formula, *inputs: Known, name: str = "", reading: float = 0.0) -> Band:
    """The formula's value with its expanded uncertainty. reading: the standard uncertainty of the
    instrument that will be read, in the same unit.
    """
    figure = formula.figure(*(x.figure for x in inputs), name=name)
    fixed = {f.symbol: f.n for f in formula.known}
    at = fixed | {x.figure.symbol: x.figure.n for x in inputs}
    bare = Formula(formula.symbol, formula.text, formula.unit, formula.name, formula.source)
    parts = [
        given(
            f"u_{n}",
            abs(slope(bare, at, x.figure.symbol)) * x.u,
            figure.unit,
            f"From {inside(x.figure.name)}",
            "its sensitivity times its standard uncertainty",
        )
        for n, x in enumerate((x for x in inputs if x.u), 1)
    ]
    if reading:
        parts.append(given("u_m", reading, figure.unit, "From the instrument", "its class, /√3"))
    return Band(figure, expanded(figure, parts))


def expanded(figure: Figure, parts: list[Figure]) -> Figure:
    """U of some parts, each a standard uncertainty in the figure's unit."""
    if not parts:
        return given("U", 0.0, figure.unit, "May be off by", "exact")
    text = " + ".join(f"{p.symbol} * {p.symbol}" for p in parts)
    name = f"{figure.name}, off by at most"
    return solve("U", figure.unit, name, f"k * sqrt({text})", COVERAGE, *parts, source=GUM)
