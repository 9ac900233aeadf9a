"""A job's switches and buttons as levers, and its network as arrays that `settle` loops over.

A converter is three points: its alternating hub, the poles of its battery, its PV input. What wires
join is one point; a state is a number of which bit k says that lever k is closed or on.
"""

from __future__ import annotations

import re
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from gumboot.core.basis.words import inside, listed
from gumboot.core.kit import Inverter, Pack
from gumboot.core.kit.starting import Starting
from gumboot.core.network import Network, Source, Switch
from gumboot.core.plan import Plan
from gumboot.core.wake.states import PACKS, Arrays, Ints

Kind = Literal[
    "connectors",
    "pack",
    "pack button",
    "battery",
    "unit",
    "backup",
    "grid",
    "pv",
    "pv inverter",
    "changeover",
    "loads",
    "bypass",
    "generator",
]
OPEN_AT_THE_END: frozenset[Kind] = frozenset(("bypass", "generator"))
HAND, UNIT_RELAY, GENERATOR_RELAY, GATEWAY, PV_RELAY, PORT_RELAY = range(6)
UTILITY, GENERATOR, UNITS, STRINGS = 0, 1, 2, 42  # first bit of each in what feeds, as of packs
MOST_STRINGS = 18  # told apart; more share the last one's bit
COMBINER = "pv-combiner-"
CONTROLLERS = 100  # charge controller 1 is unit 101 here
MOST_LEVERS = 60  # a state is one number of 64 bits


def as_key(id: str) -> str:
    """An id as one word."""
    return id.replace("/", ".").replace(" ", "-")


@dataclass(frozen=True, slots=True)
class Lever:
    """What a hand moves: a switch, all connectors behind one PV switch, or a button.

    says: its one name; place: the box, body its key; on, off: how it is moved. breaks: whether it
    may be moved under load; after: levers that have to be open while it moves. serves: whether it
    is closed when the job serves.
    """

    id: str
    kind: Kind
    says: str
    place: str
    body: str
    switches: tuple[Switch, ...] = ()
    on: str = ""
    off: str = ""
    breaks: bool = True
    after: tuple[str, ...] = ()
    interlock: str = ""
    serves: bool = True
    unit: int = -1

    @property
    def direct(self) -> bool:
        """Whether it is on the battery's or the array's side."""
        return self.kind in ("connectors", "pack", "pack button", "battery", "pv")

    @property
    def key(self) -> str:
        """Its key as one word, for a plan and an address."""
        return as_key(self.id)

    @property
    def stem(self) -> str:
        """Its key without numbers: levers of one stem stand for each other."""
        return re.sub(r"\d+", "", self.id)

    @property
    def controls(self) -> bool:
        """Whether it is of a charge controller."""
        return self.unit > CONTROLLERS

    @property
    def button(self) -> bool:
        """Whether it is pressed, not thrown."""
        return self.kind in ("unit", "pack button")


@dataclass(frozen=True, eq=False)
class Plant:
    """Levers, and arrays over points: edges (a, b, lever or -1, what moves it, whose, whether
    neutral passes it open), units, packs, strings, loads, bonds. names: of units, packs and loads;
    direct_ids: of strings and packs, with the bit of each in what feeds.
    """

    levers: tuple[Lever, ...]
    points: int
    alternating: NDArray[np.bool_]
    edges: Ints  # (n, 6)
    units: Ints  # (n, 8): hub, battery, pv, grid, generator, button, forms, W
    packs: Ints  # (n, 2): point, button
    strings: Ints
    pv_inverters: Ints  # (n, 3): hub, its own terminals, W
    loads: Ints
    bonds: Ints  # (n, 3): point, when, unit
    service: int
    generator: int
    linked: bool  # whether units that stand together keep in step
    unit_names: tuple[str, ...] = ()
    pack_names: tuple[str, ...] = ()
    load_names: tuple[str, ...] = ()
    pv_names: tuple[tuple[str, str], ...] = ()  # key and name
    point_of: Mapping[str, int] = field(default_factory=dict)
    direct_ids: tuple[tuple[str, int], ...] = ()

    @cached_property
    def number(self) -> dict[str, int]:
        """The number of each lever, by its key."""
        return {x.id: k for k, x in enumerate(self.levers)}

    @cached_property
    def keys(self) -> tuple[str, ...]:
        """The key of each lever, as a plan and an address have it."""
        return tuple(x.key for x in self.levers)

    @cached_property
    def of_switch(self) -> dict[str, int]:
        """The lever that moves a switch."""
        return {s.id: k for k, x in enumerate(self.levers) for s in x.switches}

    def bits_of(self, ids: Collection[str]) -> int:
        """Strings and packs by their keys, as bits of what feeds."""
        return sum({1 << bit for id, bit in self.direct_ids if as_key(id) in ids})

    @cached_property
    def arrays(self) -> Arrays:
        """The same as the compiled loops read it."""
        ends = np.full((2, len(self.levers)), -1, dtype=np.int64)
        for a, b, k in self.edges[:, :3].tolist():
            if k >= 0 and ends[0, k] < 0:  # of a group of connectors the first
                ends[:, k] = a, b
        for point, k in (*self.packs.tolist(), *self.units[:, [0, 5]].tolist()):
            if k >= 0:  # of a pack's button its pack, of a unit's its hub
                ends[0, k] = point
        traits = np.array(
            [(x.direct, x.button, x.breaks) for x in self.levers], dtype=np.bool_
        ).reshape(-1, 3)
        return Arrays(
            self.alternating,
            self.edges,
            self.units,
            self.packs,
            self.strings,
            self.pv_inverters,
            self.loads,
            self.bonds,
            self.service,
            self.generator,
            self.linked,
            *ends,
            *np.ascontiguousarray(traits.T),
        )

    @property
    def serving(self) -> int:
        """The state in which the job serves."""
        return sum(1 << k for k, x in enumerate(self.levers) if x.serves)

    @cached_property
    def locks(self) -> tuple[int, ...]:
        """Sets of levers of which an interlock lets one be closed."""
        groups: dict[str, int] = {}
        for k, x in enumerate(self.levers):
            if x.interlock:
                groups[x.interlock] = groups.get(x.interlock, 0) | 1 << k
        return tuple(groups.values())

    def can_be(self, state: int) -> bool:
        """Whether no interlock forbids a state."""
        return all((state & g).bit_count() < 2 for g in self.locks)

    def after(self, k: int) -> int:
        """The levers that have to be open while lever k moves, as bits."""
        of = self.of_switch
        return sum({1 << of[s] for s in self.levers[k].after if s in of})


WHEN = {"always": 0, "island": 1, "generator": 2}


class _Points:
    """Points being joined: a converter's hub parts into three by what meets it."""

    def __init__(self, network: Network) -> None:
        self.network = network
        self.hubs = {s.id for s in network.sources if not s.stores}
        ids = [*network.nodes, *(f"{h}:{side}" for h in self.hubs for side in ("dc", "pv"))]
        self.over: dict[str, str] = {n: n for n in ids}

    def system(self, node: str) -> str:
        return self.network.nodes[node].system if node in self.network.nodes else node[-2:]

    def end(self, node: str, other: str) -> str:
        """The point of a node as seen from what lies at the other end."""
        theirs = self.system(other)
        parts = node in self.hubs and theirs in ("dc", "pv") and self.system(node) == "ac"
        return f"{node}:{theirs}" if parts else node

    def first(self, node: str) -> str:
        while self.over[node] != node:
            node = self.over[node]
        return node

    def join(self, a: str, b: str) -> None:
        a, b = self.end(a, b), self.end(b, a)
        self.over[self.first(a)] = self.first(b)


def plant_of(network: Network, plan: Plan, inverter: Inverter, pack: Pack | None) -> Plant:
    """The plant of a job."""
    levers = tuple(_levers(network, plan, inverter, pack))
    number = {x.id: k for k, x in enumerate(levers)}
    of_switch = {s.id: k for k, x in enumerate(levers) for s in x.switches}
    points = _Points(network)
    for w in network.wires:
        points.join(w.a, w.b)
    firsts = sorted({points.first(n) for n in points.over})
    index = {n: k for k, n in enumerate(firsts)}
    at = {n: index[points.first(n)] for n in points.over}

    def end(a: str, b: str) -> int:
        return at[points.end(a, b)]

    hubs = [s for s in network.sources if s.kind == "inverter"]
    unit_no = {s.id: i for i, s in enumerate(hubs)}
    pv_units = [s for s in network.sources if s.kind == "pv inverter"]
    serves = plan.kit.port_use is not None
    edges = [
        (
            end(s.a, s.b),
            end(s.b, s.a),
            of_switch.get(s.id, -1),
            *_moved_by(s, unit_no, pv_units, serves),
        )
        for s in network.switches
    ]
    units = []
    for s in hubs:
        grid = at.get(f"{s.id}/GRID", -1)
        gen = at.get(f"{s.id}/GEN", -1)
        button = number.get(f"{s.id}/button", -1)
        row = (at[s.id], at[f"{s.id}:dc"], at[f"{s.id}:pv"], grid, gen, button)
        units.append((*row, int(bool(s.forms)), round(inverter.power_w)))
    packs = [s for s in network.sources if s.kind == "pack"]
    strings = [s for s in network.sources if s.kind == "string"]
    parallel = any("parallel out" in p.serves for p in inverter.signals) or inverter.units_max > 1
    return Plant(
        levers=levers,
        points=len(index),
        alternating=np.array([points.system(n) == "ac" for n in firsts]),
        edges=_rows(edges, 6),
        units=_rows(units, 8),
        packs=_rows([(at[s.nodes[0]], number.get(f"{s.id}/button", -1)) for s in packs], 2),
        strings=np.array([at[s.nodes[0]] for s in strings], dtype=np.int64),
        pv_inverters=_rows([_pv_row(s, at, plan, n) for n, s in enumerate(pv_units)], 3),
        loads=np.array([at[x.node] for x in network.loads], dtype=np.int64),
        bonds=_rows(
            [(at[x.node], WHEN[x.when], unit_no.get(x.node, -1)) for x in network.bonds], 3
        ),
        service=at.get("service", -1),
        generator=at.get("generator", -1),
        linked=parallel,
        unit_names=tuple(s.name for s in hubs),
        pack_names=tuple(s.name for s in packs),
        load_names=tuple(x.name for x in network.loads),
        pv_names=tuple((s.id, s.name) for s in pv_units),
        direct_ids=(
            *((s.id, PACKS + n) for n, s in enumerate(packs)),
            *((s.id, STRINGS + min(n, MOST_STRINGS - 1)) for n, s in enumerate(strings)),
        ),
        point_of=at,
    )


def _rows(rows: Sequence[tuple[int, ...]], width: int) -> Ints:
    return np.array(rows, dtype=np.int64).reshape(len(rows), width)


def _moved_by(
    s: Switch, unit_no: Mapping[str, int], pv_units: Sequence[Source], serves_port: bool
) -> tuple[int, int, int]:
    """(what moves a switch, whose it is, whether neutral passes it open)."""
    solid = int("N" not in s.poles)
    if s.by_hand:
        return HAND, -1, solid
    if s.body in unit_no:
        port = PORT_RELAY if serves_port else GENERATOR_RELAY
        return (UNIT_RELAY if s.id.endswith("/relay") else port), unit_no[s.body], solid
    if s.works == "pv inverter":
        ids = [x.id for x in pv_units]
        return PV_RELAY, ids.index(s.body) if s.body in ids else -1, solid
    return GATEWAY, -1, solid


def _pv_row(s: Source, at: Mapping[str, int], plan: Plan, n: int) -> tuple[int, int, int]:
    id, own = s.id, plan.kit.pv_inverters
    power = plan.kit.port_use.power_w if id == "port-use" and plan.kit.port_use else 0.0
    power = own[n].power_w if n < len(own) and id != "port-use" else power
    return at[id], at.get(f"{id}/AC", at[id]), round(power)


def _levers(network: Network, plan: Plan, inverter: Inverter, pack: Pack | None) -> list[Lever]:
    """Every lever, in the order of the network."""
    out: list[Lever] = []
    grouped: dict[tuple[str, ...], list[Switch]] = {}
    for s in network.switches:
        if s.kind == "plug":
            grouped.setdefault(s.after or (s.id,), []).append(s)
        elif (s.kind == "fuse" and s.a in network.nodes and network.nodes[s.a].bar) or (
            s.works == "pv" and s.body.startswith(COMBINER)
        ):
            grouped.setdefault((s.body,), []).append(s)
    done: set[tuple[str, ...]] = set()
    for s in network.switches:
        if not s.by_hand:
            continue
        if s.kind == "plug":
            key = s.after or (s.id,)
            if key not in done:
                done.add(key)
                out.append(_connectors(network, key, grouped[key]))
            continue
        if s in grouped.get((s.body,), ()):
            if (s.body,) not in done:
                done.add((s.body,))
                out.append(_together(network, grouped[s.body,]))
            continue
        out.append(_thrown(network, s))
        if s.kind == "own breaker" and pack and pack.starting and pack.starting.button:
            out += _pack_button(network, s, pack)
    if pack and pack.starting and pack.starting.button:
        owned = {x.id for x in out}
        for p in network.sources:  # packs without a breaker of their own
            if p.kind == "pack" and f"{p.id}/button" not in owned:
                out.append(_button(f"{p.id}/button", "pack button", p.name, p.body, pack.starting))
    starting = inverter.starting or Starting()
    if inverter.switch_off and not starting.button:
        starting = starting.model_copy(update={"button": "its own switch"})
    if starting.button:
        for n, u in enumerate(x for x in network.sources if x.kind == "inverter"):
            lever = _button(f"{u.id}/button", "unit", u.name, u.body, starting, n)
            out.append(replace(lever, off=inverter.switch_off or lever.off))
    return out


def _connectors(network: Network, key: tuple[str, ...], rows: list[Switch]) -> Lever:
    letters = [s.name.rpartition(" ")[2] for s in rows]
    many, which = len(letters) > 1, listed(letters)
    behind = network.switch.get(key[0])
    place = behind.place if behind else ""
    return Lever(
        f"{behind.body if behind else rows[0].id}/connectors",
        "connectors",
        f"Connectors of string{'s' if many else ''} {which}",
        place,
        behind.body if behind else "",
        tuple(rows),
        "push together until they click",
        "part with the tool",
        False,
        rows[0].after,
        unit=_unit_of(behind) if behind else -1,
    )


def _together(network: Network, rows: list[Switch]) -> Lever:
    """What is moved together: the fuses of all packs at one bus, while every pack is off; the
    breakers of all strings ahead of a charge controller.
    """
    one = _thrown(network, rows[0])
    if len(rows) == 1:
        return one
    fuses, letters = rows[0].kind == "fuse", [s.name.rpartition(" ")[2] for s in rows]
    says = f"Fuses of {len(rows)} packs" if fuses else f"Breakers of strings {listed(letters)}"
    return replace(
        one,
        id=f"{one.body}/{'fuses' if fuses else 'strings'}",
        says=f"{says}, {one.place}",
        switches=tuple(rows),
        after=tuple(x for s in rows for x in s.after),
    )


HOW = {
    "breaker": ("close", "open"),
    "isolator": ("turn to ON", "turn to OFF"),
    "own breaker": ("close", "open"),
    "fuse": ("put in", "draw"),
    "throw": ("throw to this side", "throw away from this side"),
}


def _thrown(network: Network, s: Switch) -> Lever:
    kind: Kind
    packs = {x.body for x in network.sources if x.kind == "pack"}
    if s.works == "battery":
        kind = "pack" if s.kind == "own breaker" or s.body in packs else "battery"
    elif s.works == "grid" and s.body == "transfer-switch" and s.a == s.body:
        kind = "bypass"
    elif s.works == "backup" and s.body == "transfer-switch" and s.a == s.body:
        kind = "changeover"
    else:
        kind = s.works
    on, off = HOW.get(s.kind, ("close", "open"))
    return Lever(
        s.id,
        kind,
        s.says,
        s.place,
        s.body,
        (s,),
        on,
        off,
        s.breaks_load,
        s.after,
        s.interlock,
        kind not in OPEN_AT_THE_END or s.body == "generator-combiner",
        _unit_of(s),
    )


def _unit_of(s: Switch) -> int:
    """The unit that a switch belongs to, from 0, or the charge controller, from 101; -1 where it is
    of several or of none.
    """
    family, _, number = s.protects.partition("-")
    own = number if family == "controller" else s.body.partition(COMBINER)[2]
    if own.isdigit():
        return CONTROLLERS + int(own)
    if family in ("grid", "backup", "battery"):
        number = number.partition("-")[0]
    elif s.body.startswith("inverter-"):
        number = s.body.removeprefix("inverter-")
    return int(number) - 1 if number.isdigit() else -1


def _pack_button(network: Network, own: Switch, pack: Pack) -> list[Lever]:
    """The button of the pack behind an own breaker."""
    source = next((x for x in network.sources if x.kind == "pack" and x.nodes[0] == own.a), None)
    if source is None or pack.starting is None:
        return []
    button = f"{source.id}/button"
    return [_button(button, "pack button", source.name, source.body, pack.starting)]


def _button(id: str, kind: Kind, name: str, body: str, starting: Starting, unit: int = -1) -> Lever:
    says, hold, off = starting.button, starting.hold_s, starting.off_hold_s
    return Lever(
        id,
        kind,
        f"{says[:1].upper()}{says[1:]}, {name}",
        name,
        body,
        on=f"switch on, hold {hold:g} s" if hold else "switch on",
        off=f"switch off, hold {off:g} s" if off else "switch off",
        unit=unit,
    )


def in_words(plant: Plant, k: int, closing: bool) -> str:
    """Moving a lever, in words: "Close own breaker, Pack 1"."""
    x = plant.levers[k]
    how = x.on if closing else x.off
    return f"{how[:1].upper()}{how[1:]}: {inside(x.says)}"
