"""Questions to a network, over states of its switches. A state is the set of those that are open.

live       what each node is fed by
isolate    the least set to open so that a place is dead, and what stays live there
frontier   the switches first met when walking away from a source
meeting    sources that form a voltage and can come onto one bar
"""

from __future__ import annotations

import itertools
from collections import deque
from collections.abc import Callable, Iterable
from dataclasses import dataclass

from gumboot.core.network.cut import fed_side
from gumboot.core.network.element import Node, Source, Switch, System
from gumboot.core.network.network import NOTHING_OPEN, Network, Open

OUTSIDE, INSIDE = 1, 1_000  # what it costs to open a switch elsewhere, and one in the place itself


def reached(
    network: Network,
    start: Iterable[str],
    passes: Callable[[Switch], bool],
    system: System | None = None,
) -> dict[str, str]:
    """Every node (of one system, where it is named) that metal and passable switches join to
    `start`, each with the node it was reached from (itself for the start).
    """
    came = {n: n for n in start}
    todo = deque(came)
    while todo:
        here = todo.popleft()
        for there, switch in network.beside[here]:
            if there in came or (system and network.nodes[there].system != system):
                continue
            if switch is None or passes(switch):
                came[there] = here
                todo.append(there)
    return came


def live(network: Network, opened: Open = NOTHING_OPEN) -> dict[str, frozenset[str]]:
    """The sources that can reach each node in a state, by their keys; nodes that none reaches are
    left out. A source is taken to push as long as it is there, whether it would follow or form;
    converters pass on what others have.
    """
    out: dict[str, set[str]] = {}
    for source in network.stores:
        for node in reached(network, source.nodes, lambda s: s.id not in opened):
            out.setdefault(node, set()).add(source.id)
    return {k: frozenset(v) for k, v in out.items()}


@dataclass(frozen=True, slots=True)
class StaysLive:
    """What no switch of the job makes dead at a place: which node, where that is in words, from
    which sources, and why.
    """

    node: str
    at: str
    sources: tuple[Source, ...]
    why: str


@dataclass(frozen=True, slots=True)
class Isolation:
    """What to open, in order, before a hand goes into a body, and what is live there all
    the same.
    """

    body: str
    opened: tuple[Switch, ...]
    stays: tuple[StaysLive, ...]


OPENING: dict[str, int] = {  # the order in which switches are opened: load first, stores last
    "loads": 0,
    "generator": 1,
    "backup": 2,
    "grid": 3,
    "pv inverter": 4,
    "pv": 5,
    "battery": 6,
}


def isolate(network: Network, body: str, closed: Open = NOTHING_OPEN) -> Isolation:
    """The least set of switches that makes a body dead, those elsewhere before those inside it;
    `closed` ones only where it cannot be had without.

    Where nothing outside can open the way to a terminal (the line side of a service's main, the
    cells behind a pack's own breaker) the body's own switch is opened and the terminal stays live,
    from its own source alone.
    """
    of, sources = network.islands.of, network.islands.sources
    mine = {n.id: of[n.id] for n in network.of_body.get(body, ())}
    fixed = {i: s for s, islands in sources for i in islands if i in mine.values()}
    cut = can_be_open(network, {i for i in mine.values() if i not in fixed}, body, (), None, closed)
    opened = _with_earlier(network, cut)
    for i, source in fixed.items():
        cut = can_be_open(network, {i}, body, opened, source, closed)
        opened = _with_earlier(network, [*opened, *cut])
    numbers = {s.id for s in opened}
    shut = frozenset(k for k, s in enumerate(network.islands.switches) if s.id in numbers)
    feeding = {i: _feeding(network, i, shut) for i in set(mine.values())}
    stays = [
        StaysLive(n, _where(network, network.nodes[n], body), feeding[i], _why(feeding[i]))
        for n, i in mine.items()
        if feeding[i]
    ]
    return Isolation(body, _in_order(opened), tuple(stays))


def _why(sources: tuple[Source, ...]) -> str:
    """Why a place stays live."""
    return next((s.never_dead for s in sources if s.never_dead), "nothing before it opens")


def _feeding(network: Network, island: int, shut: frozenset[int]) -> tuple[Source, ...]:
    """The sources that reach an island while the switches of those numbers are open."""
    ways = network.islands.ways
    seen, todo = {island}, [island]
    while todo:
        for there, k in ways[todo.pop()]:
            if there not in seen and k not in shut:
                seen.add(there)
                todo.append(there)
    return tuple(s for s, islands in network.islands.sources if islands & seen)


def _where(network: Network, node: Node, body: str) -> str:
    """A node in words: the side of the switch it lies on, or the bar or port itself."""
    beyond = next((s for s in network.at(node.id) if s.body == body and s.by_hand), None)
    if beyond is not None:
        return f"{'the far side of' if beyond.b == node.id else 'before'} the {beyond.name}"
    port = node.id.partition("/")[2]
    return f"{port}" if port else "its own terminals"


def _with_earlier(network: Network, cut: Iterable[Switch]) -> list[Switch]:
    """A cut with the switches that must be open before those of it which cannot break load."""
    out: dict[str, Switch] = {}
    for s in cut:
        for first in s.after:
            if first in network.switch:
                out.setdefault(first, network.switch[first])
        out.setdefault(s.id, s)
    return list(out.values())


def _in_order(switches: Iterable[Switch]) -> tuple[Switch, ...]:
    """Load before store, what breaks load before what does not."""
    return tuple(sorted(switches, key=lambda s: (OPENING[s.works], not s.breaks_load)))


def can_be_open(
    network: Network,
    wanted: set[int],
    body: str,
    opened: Iterable[Switch] = (),
    but: Source | None = None,
    closed: Open = NOTHING_OPEN,
) -> tuple[Switch, ...]:
    """The least cut that hands can make: a changeover stands on one of its sides, so that only the
    other is open.
    """
    before = list(opened)
    cut = least_cut(network, wanted, body, before, but, closed)
    both = _both_sides([*before, *cut])
    if not both:
        return cut
    kept = [s.id for s in both if s not in before]
    return min((least_cut(network, wanted, body, before, but, closed | {k}) for k in kept), key=len)


def _both_sides(cut: list[Switch]) -> list[Switch]:
    """The throws of one changeover, where a cut opens more than one of them."""
    throws = [s for s in cut if s.kind == "throw"]
    return [s for s in throws if sum(t.interlock == s.interlock for t in throws) > 1]


def least_cut(
    network: Network,
    wanted: set[int],
    body: str = "",
    opened: Iterable[Switch] = (),
    but: Source | None = None,
    closed: Open = NOTHING_OPEN,
) -> tuple[Switch, ...]:
    """The least switches to open, beside those already open, so that no source (but one) reaches
    the wanted islands; those of `body` count as many, and so do those that should stay `closed`. Of
    two least sets the one nearer the place.
    """
    if not wanted:
        return ()
    islands = network.islands
    gone = {s.id for s in opened}
    room = [
        0 if s.id in gone else INSIDE if s.body == body or s.id in closed else OUTSIDE
        for s in islands.switches
    ]
    fed = {i for s, at in islands.sources if s is not but for i in at} - wanted
    side = fed_side(islands.graph, room, fed, wanted)
    return tuple(
        s
        for s, cost in zip(islands.switches, room, strict=True)
        if cost and side[islands.of[s.a]] != side[islands.of[s.b]]
    )


def frontier(network: Network, source: Source) -> tuple[Switch, ...]:
    """The switches that open a source: those first met that may break its load, walking away from
    where it pushes without going back through its own box.
    """
    out: dict[str, Switch] = {}
    seen = set(source.nodes)
    todo = deque(source.nodes)
    while todo:
        here = todo.popleft()
        for there, s in network.beside[here]:
            if s is not None and s.by_hand and s.breaks_load:
                out.setdefault(s.id, s)
            elif there not in seen and not (
                not source.stores and network.nodes[there].body == source.body
            ):
                seen.add(there)
                todo.append(there)
    return _in_order(out.values())


@dataclass(frozen=True, slots=True)
class OnBar:
    """What is connected to a busbar: by its breaker, or by lugs (switch None), to which circuit;
    and
    the sources that push through it into the bar.
    """

    switch: Switch | None
    circuit: str
    sources: tuple[Source, ...]


def on_busbar(network: Network, bar: str) -> tuple[OnBar, ...]:
    """Everything connected to an alternating busbar, and what feeds it through each.

    A changeover stands on the grid here, for that is when sources of both sides add up; a way ends
    at a converter, which pushes only where its sheet lets it.
    """
    away = frozenset(s.id for s in network.switches if s.interlock and s.works != "grid")
    away |= frozenset(s.id for s in network.switches if s.id == "loads-panel/back-feed breaker")
    away -= frozenset(s.id for s in network.switches if s.id == "loads-panel/main")
    out = []
    for there, switch in network.beside[bar]:
        if network.nodes[there].system != "ac" or (switch and switch.id in away):
            continue
        beyond = _pushing(network, bar, there, away)
        circuit = next((w.circuit for w in network.wires if w.circuit and there in (w.a, w.b)), "")
        out.append(OnBar(switch, circuit, beyond))
    return tuple(out)


def _pushing(network: Network, bar: str, start: str, away: Open) -> tuple[Source, ...]:
    """The sources met when walking away from a bar by one of its connections."""
    converters = {s.body for s in network.sources if not s.stores}
    seen, todo = {bar, start}, deque([start])
    while todo:
        here = todo.popleft()
        if network.nodes[here].body in converters:
            continue
        for there, s in network.beside[here]:
            closed = s is None or s.id not in away
            if there not in seen and network.nodes[there].system == "ac" and closed:
                seen.add(there)
                todo.append(there)
    return tuple(s for s in network.sources if seen & set(s.nodes) and s.kind != "pack")


@dataclass(frozen=True, slots=True)
class Meeting:
    """Two sources that form a voltage and can come onto one bar, by switches closed together."""

    one: Source
    other: Source
    by: tuple[Switch, ...]


def meeting(network: Network) -> tuple[Meeting, ...]:
    """Every pair of forming sources that closed switches can join past the devices that keep them
    apart: a unit's own relays and a gateway's contactor, which close only in step, are left open.

    More closed switches only join more, so of each interlock one is closed and all else is.
    Inverters in parallel keep in step with each other and do not count.
    """
    groups: dict[str, list[str]] = {}
    for s in network.switches:
        if s.interlock:
            groups.setdefault(s.interlock, []).append(s.id)
    kept_open = frozenset(s.id for s in network.switches if not s.by_hand)
    found: dict[tuple[str, str], Meeting] = {}
    forming = [s for s in network.sources if s.forms]
    for chosen in itertools.product(*groups.values()):
        idle = frozenset(x for rows in groups.values() for x in rows) - frozenset(chosen)
        opened = kept_open | idle
        for source in forming:
            came = reached(network, source.forms, _closed(opened), "ac")
            for other in forming:
                pair = (source.id, other.id)
                if other.id <= source.id or pair in found or source.kind == other.kind:
                    continue
                if hit := next((n for n in other.forms if n in came), None):
                    found[pair] = Meeting(source, other, _on_way(network, came, hit))
    return tuple(found.values())


def _closed(opened: Open) -> Callable[[Switch], bool]:
    return lambda s: s.id not in opened


def _on_way(network: Network, came: dict[str, str], node: str) -> tuple[Switch, ...]:
    out: list[Switch] = []
    while came[node] != node:
        s = next((s for n, s in network.beside[node] if n == came[node] and s is not None), None)
        out += [s] if s else []
        node = came[node]
    return tuple(out)
