"""The network of a job: its bodies, circuits and signal cables, and every node, wire, switch and
source of its metal, existing wiring included.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from functools import cached_property

from gumboot.core.basis.finding import Finding
from gumboot.core.network.circuit import Body, Circuit, DevicePlace, Guard, SignalCable
from gumboot.core.network.cut import Graph, graph_of
from gumboot.core.network.element import Bond, Capacitor, Load, Node, Source, Switch, Wire

Open = frozenset[str]
NOTHING_OPEN: Open = frozenset()


@dataclass(frozen=True, eq=False)
class Network:
    """A job's metal. found: what kit is missing, said where it is missing; places: what devices are
    chosen for; guards: the safeguards, in the plan's own order.
    """

    bodies: tuple[Body, ...]
    circuits: tuple[Circuit, ...]
    links: tuple[SignalCable, ...]
    nodes: dict[str, Node]
    wires: tuple[Wire, ...]
    switches: tuple[Switch, ...]
    sources: tuple[Source, ...]
    loads: tuple[Load, ...]
    bonds: tuple[Bond, ...]
    capacitors: tuple[Capacitor, ...]
    found: tuple[Finding, ...] = ()
    places: tuple[DevicePlace, ...] = ()
    guards: tuple[Guard, ...] = ()

    @cached_property
    def switch(self) -> dict[str, Switch]:
        """Switches by their key."""
        return {s.id: s for s in self.switches}

    @property
    def wait_min(self) -> float:
        """How long capacitors hold charge, the longest."""
        return max((c.wait_min for c in self.capacitors), default=0.0)

    @cached_property
    def body(self) -> dict[str, Body]:
        """Bodies by their key."""
        return {b.id: b for b in self.bodies}

    @cached_property
    def of_body(self) -> dict[str, tuple[Node, ...]]:
        """The nodes of each body."""
        out: dict[str, list[Node]] = {}
        for n in self.nodes.values():
            out.setdefault(n.body, []).append(n)
        return {k: tuple(v) for k, v in out.items()}

    @cached_property
    def beside(self) -> dict[str, tuple[tuple[str, Switch | None], ...]]:
        """What each node is joined to, and by which switch (None: by metal)."""
        out: dict[str, list[tuple[str, Switch | None]]] = {n: [] for n in self.nodes}
        for w in self.wires:
            out[w.a].append((w.b, None))
            out[w.b].append((w.a, None))
        for s in self.switches:
            out[s.a].append((s.b, s))
            out[s.b].append((s.a, s))
        return {k: tuple(v) for k, v in out.items()}

    @cached_property
    def stores(self) -> tuple[Source, ...]:
        """The sources that energy comes from."""
        return tuple(s for s in self.sources if s.stores)

    @cached_property
    def islands(self) -> Islands:
        """The network with everything that no hand can part made one: what isolation is
        asked of.
        """
        return contracted(self)

    def label(self, body: str) -> str:
        """What a body is called; the job's one word for it."""
        return self.body[body].label if body in self.body else body

    def protecting(self, circuit: str) -> Switch | None:
        """The switch that protects a circuit."""
        return next((s for s in self.switches if s.protects == circuit), None)

    def at(self, node: str) -> Iterator[Switch]:
        """The switches that end on a node."""
        return (s for _, s in self.beside[node] if s is not None)


@dataclass(frozen=True, slots=True)
class Islands:
    """Nodes that metal, and contactors that no lock holds, join are one island; switches that a
    hand opens are the ways between them.

    of: the island of each node; ways: for each island, the (other island, number of the switch);
    graph: those ways as arrays; switches: by number; sources: those that store energy, with their
    islands.
    """

    of: dict[str, int]
    ways: tuple[tuple[tuple[int, int], ...], ...]
    graph: Graph
    switches: tuple[Switch, ...]
    sources: tuple[tuple[Source, frozenset[int]], ...]


def contracted(network: Network) -> Islands:
    """The islands of a network."""
    of: dict[str, int] = {}
    count = 0
    for start in network.nodes:
        if start in of:
            continue
        todo = [start]
        of[start] = count
        while todo:
            for there, s in network.beside[todo.pop()]:
                if there not in of and (s is None or not s.by_hand):
                    of[there] = count
                    todo.append(there)
        count += 1
    by_hand = tuple(s for s in network.switches if s.by_hand)
    ways: list[list[tuple[int, int]]] = [[] for _ in range(count)]
    for k, s in enumerate(by_hand):
        a, b = of[s.a], of[s.b]
        if a != b:
            ways[a].append((b, k))
            ways[b].append((a, k))
    sources = tuple((s, frozenset(of[n] for n in s.nodes)) for s in network.stores)
    return Islands(of, tuple(tuple(w) for w in ways), graph_of(ways), by_hand, sources)
