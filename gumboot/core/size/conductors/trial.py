"""What sizing hands round: a place where conductors run, one size tried there, and what a code book
must be able to do.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Protocol

from gumboot.core.basis.figure import Figure
from gumboot.core.basis.sizes import fits, spoken
from gumboot.core.codes.book import Book
from gumboot.core.kit import ConductorType, Family
from gumboot.core.network.circuit import Circuit
from gumboot.core.plan import Run

DROP_PCT: dict[Family, tuple[float, float]] = {  # aim, limit; common practice
    "pv": (1.5, 3.0),
    "pack": (1.0, 2.0),
    "battery": (1.0, 2.0),
    "controller": (1.0, 2.0),
    "controller-pv": (1.0, 2.0),
    "grid": (1.0, 2.0),
    "grid-feeder": (1.0, 2.0),
    "backup": (1.5, 3.0),
    "backup-feeder": (1.5, 3.0),
    "changeover": (1.0, 2.0),
    "loads": (1.5, 3.0),
    "generator": (1.5, 3.0),
    "generator-unit": (1.0, 2.0),
    "existing-pv": (1.0, 2.0),
    "tap": (1.0, 2.0),
    # a feeder with all behind it: NEC 215.2(A)(2) note 2, IEC Table G.52.1
    "sub-feeder": (2.0, 5.0),
    "port-use": (1.5, 3.0),
}


@dataclass(frozen=True, slots=True)
class Conditions:
    """Where a circuit runs. `together`: current-carrying conductors (NEC) or loaded circuits (IEC)
    that share its way, itself among them.
    """

    run: Run
    ambient_c: float
    together: int
    shares: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class SizeTrial:
    """One cable, size and number of sets tried in one place; amps and per cent. `fails` says why it
    does not serve, most basic first.

    at_terminal: what one conductor carries at the weaker end's terminals; terminals: which those
    are, in words.
    """

    size: str
    cable: ConductorType
    sets: int
    at_terminal: Figure
    terminals: str
    in_place: Figure
    drop: Figure
    drop_pct: Figure
    fails: tuple[str, ...]
    enough: bool  # whether it carries the current under its protection: all but drop and fit


class Rules(Protocol):
    """A code book, as far as sizing one circuit goes. `nec.NEC` and `iec.IEC` are the two."""

    book: Book
    sizes: tuple[str, ...]
    standard_a: tuple[float, ...]
    clause_size: str
    clause_protection: str

    def required(self, circuit: Circuit) -> Figure:
        """The current in A that conductor and protection are chosen for."""

    def protection(self, i_req: Figure) -> Figure:
        """The protective device in A: the next standard one."""

    def next_standard(self, amps: float) -> float:
        """The standard rating at or above `amps`. Raises OutsideTable."""

    def carrying(self, circuit: Circuit) -> int:
        """What one set of this circuit adds to the count that shares a way."""

    def carried(
        self, circuit: Circuit, conditions: Conditions, cable: ConductorType, rated_a: float
    ) -> tuple[float, ...]:
        """What one conductor of each size of a cable carries in A as far as `required` asks, on a
        circuit rated so; 0 where the table has no such cell. Raises OutsideTable.
        """

    def judge(
        self,
        circuit: Circuit,
        conditions: Conditions,
        cable: ConductorType,
        size: str,
        sets: int,
        i_req: Figure,
        protection: Figure | None,
    ) -> SizeTrial:
        """Try one size. Raises OutsideTable when ambient, method or size is outside the book."""

    def earth(
        self,
        circuit: Circuit,
        trial: SizeTrial,
        least: str,
        protection: Figure | None,
        i_req: Figure,
    ) -> Figure:
        """The protective conductor. `least` is the size that ampacity alone asks for."""

    def limits(
        self, trial: SizeTrial, protection: Figure | None, own: bool = False
    ) -> list[tuple[float, str]]:
        """What each part of the circuit lets through for long, in A, and what it is. own: whether
        a pack's own breaker protects it, which its maker chose with the pack.
        """

    def permitted(self, trial: SizeTrial, protection: Figure | None, own: bool = False) -> Figure:
        """The continuous current in A that conductor and protection as fitted allow."""

    def drawn_under(self, carries_a: float, asked: float) -> float:
        """What may be drawn of a conductor that carries so many A, under a standard rating that
        protects it. asked: what its rating is of its current.
        """

    def rank(self, size: str) -> int:
        """Place in the order of sizes. Raises OutsideTable."""


def terminal_faults(circuit: Circuit, size: str, sets: int, material: str) -> list[str]:
    """Why a size does not go into the terminals of a circuit's two ends."""
    faults: list[str] = []
    for where in (circuit.source, circuit.load):
        for t in where.terminals:
            if t.conductor not in circuit.conductors or t.conductor == "PE":
                continue
            if material not in t.metals:
                faults.append(f"{where.label} {t.label} takes copper only")
            if not fits(size, t.least, t.most):
                faults.append(
                    f"{spoken(size)} does not fit {where.label} {t.label}, which takes"
                    f" {spoken(t.least)} to {spoken(t.most)}"
                )
            elif sets > t.holds:
                faults.append(
                    f"{where.label} {t.label} holds {t.holds}"
                    f" conductor{'s' if t.holds > 1 else ''}, not {sets}"
                )
    return faults
