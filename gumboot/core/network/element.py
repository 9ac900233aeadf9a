"""What a network is made of: nodes, and the elements that join, open, feed and load them.

    source ── node ──[switch]── node ══ wire ══ node ──[switch]── node ── load

A node is one point of the single-line picture: a busbar, or the terminals of one port. Neutral
follows the same picture: alternating wires have one, and a switch says whether it opens it.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from gumboot.core.kit.terminal import Conductor

System = Literal["ac", "dc", "pv"]
SwitchKind = Literal[
    "breaker",  # opens under load and on a fault
    "isolator",  # opens under load
    "own breaker",  # a pack's or a unit's own
    "fuse",  # drawn only when no current flows
    "plug",  # parted only when no current flows
    "throw",  # one side of a changeover
    "contactor",  # moved by the unit itself: no hand can lock it
]
SourceKind = Literal[
    "utility", "inverter", "controller", "pv inverter", "generator", "string", "pack"
]
Work = Literal["loads", "generator", "backup", "grid", "pv inverter", "pv", "battery"]
BY_HAND: frozenset[SwitchKind] = frozenset(
    ("breaker", "isolator", "own breaker", "fuse", "plug", "throw")
)
BREAKS_LOAD: frozenset[SwitchKind] = frozenset(("breaker", "isolator", "own breaker", "throw"))


@dataclass(frozen=True, slots=True)
class Node:
    """One point. body: the box it is in; bar: whether it is the box's busbar, not one port
    of it.
    """

    id: str
    body: str
    system: System
    bar: bool


@dataclass(frozen=True, slots=True)
class Wire:
    """What joins two nodes: the conductors of a circuit, or a bar inside a box (circuit empty).

    existing: wiring that was there before, its size unknown until it is surveyed.
    """

    id: str
    a: str
    b: str
    circuit: str = ""
    existing: bool = False


@dataclass(frozen=True, slots=True)
class Switch:
    """What opens: between node `a` (the side of its busbar or source) and node `b`.

    name: as its box has it; place: what the box is called; `says` is both, and that is what every
    page calls it. poles: the live conductors it opens, N among them where it opens neutral.
    after: switches that have to be open before this one, since it cannot break load.
    interlock: of switches with one interlock at most one can be closed. works: whose switch it is,
    for the order in which a system goes down. protects: the circuit whose rating it has.
    """

    id: str
    kind: SwitchKind
    name: str
    body: str
    place: str
    a: str
    b: str
    poles: tuple[Conductor, ...]
    works: Work
    protects: str = ""
    rated_a: float | None = None
    rated_v: float | None = None
    interrupt_a: float | None = None
    lockable: bool = True
    after: tuple[str, ...] = ()
    interlock: str = ""

    @property
    def by_hand(self) -> bool:
        """Whether a hand opens it and a lock keeps it open."""
        return self.kind in BY_HAND

    @property
    def breaks_load(self) -> bool:
        """Whether it may be opened while current flows."""
        return self.kind in BREAKS_LOAD

    @property
    def opens_neutral(self) -> bool:
        """Whether neutral is opened with the lines."""
        return "N" in self.poles

    @property
    def says(self) -> str:
        """Its one name, everywhere: "Breaker 1, Grid combiner"."""
        name = self.name[:1].upper() + self.name[1:]
        return f"{name}, {self.place}" if self.place else name


@dataclass(frozen=True, slots=True)
class Source:
    """What can make a node live.

    nodes: where it pushes; forms: where it makes a voltage of its own (a utility, a generator, an
    inverter in an island) instead of following one. never_dead: why nothing switches it off, empty
    when its own switch does. body: where it stands, empty for the utility.
    """

    id: str
    kind: SourceKind
    name: str
    body: str
    nodes: tuple[str, ...]
    forms: tuple[str, ...] = ()
    never_dead: str = ""

    @property
    def stores(self) -> bool:
        """Whether energy comes from it; a converter only passes on what others have."""
        return self.kind not in ("inverter", "controller", "pv inverter")


@dataclass(frozen=True, slots=True)
class Load:
    """What is fed from a node."""

    id: str
    name: str
    node: str


@dataclass(frozen=True, slots=True)
class Bond:
    """Where neutral meets earth: at a node, always, by a relay in an island, or by the frame of a
    generator that runs.
    """

    id: str
    name: str
    node: str
    when: Literal["always", "island", "generator"]


@dataclass(frozen=True, slots=True)
class Capacitor:
    """What holds charge after everything is open: F at a node, and the minutes its maker asks."""

    node: str
    body: str
    farad: float | None
    wait_min: float
