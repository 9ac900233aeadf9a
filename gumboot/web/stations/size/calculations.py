"""The calculation sheet: every figure of a design by circuit, each symbol explained where it first
stands.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import dataclass

from gumboot.core.basis.figure import Figure
from gumboot.core.design import Design
from gumboot.core.size.conductors.sizing import SizedCircuit

Row = tuple[Figure, tuple[Figure, ...]]


@dataclass(frozen=True, slots=True)
class Group:
    """The figures of one circuit, or (None) of what belongs to none; each with those of its inputs
    that nothing above it in the group explained.
    """

    circuit: SizedCircuit | None
    rows: tuple[Row, ...]


def explained(figures: Iterable[Figure]) -> Iterator[Row]:
    """Figures in their order, each with the inputs whose symbol was not told yet, or stood for
    something else when it was told last.
    """
    told = dict[str, tuple[str, ...]]()
    for f in figures:
        new = tuple(i for i in f.inputs if told.get(i.symbol) != _meaning(i))
        yield f, new
        told |= {x.symbol: _meaning(x) for x in (*new, f)}


def _meaning(f: Figure) -> tuple[str, ...]:
    return f.exact, f.name, f.source, f.lookup


def calculations(d: Design) -> tuple[Group, ...]:
    """Every figure of a design but torques, which stand with their terminations."""
    of = dict[str, list[Figure]]()
    circuits = {s.id for s in d.circuits}
    for key, f in d.figures.items():
        first = key.split(".", 1)[0]
        if first in circuits and "@" not in key:
            of.setdefault(first, []).append(f)
        elif first not in circuits and not key.endswith(".torque"):
            of.setdefault("", []).append(f)
    rows = [(s, of.get(s.id, ())) for s in d.circuits]
    return tuple(Group(s, tuple(explained(found))) for s, found in [*rows, (None, of.get("", ()))])
