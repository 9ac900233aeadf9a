"""A formula written once, for the page and for arrays.

    COLD = Formula("V", "n * V_oc * F", unit="V", name="Coldest voltage", source="…")
    COLD.figure(n, v_oc, f)            one value with its working
    COLD.value(n=[8, 9, 10], V_oc=49.2, F=1.14)      the same over an array, without
    COLD.knowing(v_oc, f).value(n=[8, 9, 10])        some of it from figures

`solve` serves what is worked out in one place only, or whose text is put together on the way.
"""

from __future__ import annotations

import re
from dataclasses import dataclass, replace
from functools import lru_cache, reduce

import numpy as np
from numpy.typing import ArrayLike, NDArray

from gumboot.core.basis.figure import FUNCTIONS, Figure, compiled, solve

_NAME = re.compile(r"[A-Za-z]\w*")
_OVER_ARRAYS = {
    "min": lambda *x: reduce(np.minimum, x),
    "max": lambda *x: reduce(np.maximum, x),
    "sqrt": np.sqrt,
    "abs": np.abs,
    "log": np.log,
}


@dataclass(frozen=True, slots=True)
class Formula:
    """A formula with what its result is called.

    symbol, unit, name, source, assumption, doubt: of the figure it makes. text: arithmetic over
    symbols. known: figures for some of them already.
    """

    symbol: str
    text: str
    unit: str
    name: str
    source: str
    assumption: str = ""
    doubt: str = ""
    known: tuple[Figure, ...] = ()

    @property
    def symbols(self) -> tuple[str, ...]:
        """What it is worked out from, in the order of the text.

        >>> Formula("E", "m * c * c", "J", "Energy", "physics").symbols
        ('m', 'c')
        """
        return symbols_of(self.text)

    def knowing(self, *figures: Figure) -> Formula:
        """The same formula with some inputs settled. Raises NameError for one that the text does
        not have.
        """
        self._known_to_it({f.symbol for f in figures})
        return replace(self, known=(*self.known, *figures))

    def figure(self, *inputs: Figure, name: str = "") -> Figure:
        """The value with its working; `name` where this one has a name of its own. Raises NameError
        when an input is missing, or is none of the text's.
        """
        by = {f.symbol: f for f in (*self.known, *inputs)}
        self._complete(set(by))
        return solve(
            self.symbol,
            self.unit,
            name or self.name,
            self.text,
            *(by[s] for s in self.symbols),
            source=self.source,
            assumption=self.assumption,
            doubt=self.doubt,
        )

    def value(self, **inputs: ArrayLike) -> NDArray[np.float64]:
        """The value alone, over numbers or arrays that broadcast together: shape of them all, in
        `unit`. Raises NameError as `figure` does.

        >>> Formula("E", "m * c * c", "J", "Energy", "physics").value(m=[1, 2], c=3).tolist()
        [9.0, 18.0]
        """
        over = {f.symbol: f.n for f in self.known} | {
            k: np.asarray(v, float) for k, v in inputs.items()
        }
        self._complete(set(over))
        # formulas are literals of core
        out = eval(compiled(self.text), {"__builtins__": {}, **_OVER_ARRAYS}, over)  # noqa: S307
        return np.asarray(out, float)

    def _known_to_it(self, symbols: set[str]) -> None:
        if strange := symbols.difference(self.symbols):
            raise NameError(f"{self.symbol} = {self.text} has no {', '.join(sorted(strange))}")

    def _complete(self, symbols: set[str]) -> None:
        self._known_to_it(symbols)
        if missing := set(self.symbols).difference(symbols):
            raise NameError(f"{self.symbol} = {self.text} needs {', '.join(sorted(missing))}")


@lru_cache(maxsize=512)
def symbols_of(text: str) -> tuple[str, ...]:
    """The symbols of a formula's text, each once."""
    return tuple(dict.fromkeys(x for x in _NAME.findall(text) if x not in FUNCTIONS))
