"""Buses of a job: which leads carry one bus, in which order its stations stand on it, how long it
may be, and where it is terminated.

    a port passes a bus on where the sheet has it twice: COMM IN and COMM OUT, PAR IN and PAR OUT,
    or where two leads share the clamps of one pair
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from typing import Literal

from gumboot.core.kit.signal import Plug, SignalPort
from gumboot.core.link.leads import Lead
from gumboot.core.link.terminators import Bus

CAN_M = ((1_000_000, 25.0), (500_000, 100.0), (250_000, 250.0), (125_000, 500.0), (50_000, 1000.0))
RS485_M = 1200.0  # at 100 kbit/s and below
STUB_M_BIT = 0.3e6  # how long a stub may be times bits a second: 0.3 m at 1 Mbit/s (ISO 11898-2)
MOST_STUB_M = 5.0  # of the slower ones: common practice
SAID_M = 3.0  # a lead whose length nobody knows: its ohms hardly matter
BUSES = ("CAN", "RS-485")
Ends = Literal["fixed", "switch", "jumper", "plug", "none", ""]


@dataclass(frozen=True, slots=True)
class Stop:
    """A station of a bus: the box, what it is called there, and how its terminator is put in."""

    body: str
    label: str
    terminator: Ends
    how: str


@dataclass(frozen=True, eq=False)
class BusPlan:
    """One bus: its leads and stations in order. star: the box where more than two leads of it meet,
    or ""; ring: whether it closes on itself. rates: bit rates its ports know; most_m: how long it
    may be at the one it has. stubs: leads that hang beside the line, short enough, with the box at
    the end of each.
    """

    key: str
    name: str
    kind: str
    leads: tuple[Lead, ...]
    stations: tuple[Stop, ...]
    bit_rate: float | None
    most_m: float | None
    length_m: float | None
    star: str = ""
    ring: bool = False
    stubs: tuple[tuple[Lead, Stop], ...] = ()

    @property
    def line(self) -> bool:
        """Whether it is a line, as a bus must be."""
        return not self.star and not self.ring and len(self.stations) > 1

    @property
    def ended(self) -> tuple[int, ...]:
        """At which stations a terminator belongs: both ends; on RS-485 only where a sheet has
        one.
        """
        n = len(self.stations)
        if self.kind == "RS-485" and not any(
            s.terminator in ("fixed", "switch", "jumper", "plug") for s in self.stations
        ):
            return ()
        return (0, n - 1)

    @property
    def silent(self) -> tuple[Stop, ...]:
        """Stations whose sheet does not say whether they are terminated: ohms cannot be judged."""
        beside = (s for _, s in self.stubs)
        return tuple(s for s in (*self.stations, *beside) if not s.terminator)

    @property
    def misplaced(self) -> tuple[Stop, ...]:
        """Stations in the middle or beside the line whose terminator cannot be taken out."""
        inside = (*self.stations[1:-1], *(s for _, s in self.stubs))
        return tuple(s for s in inside if s.terminator == "fixed")

    @property
    def ladder(self) -> Bus:
        """It as a network of resistances."""
        beside = {x.here.body for x, s in self.stubs if s.terminator == "fixed"}
        beside |= {x.there.body for x, s in self.stubs if s.terminator == "fixed"}
        fixed = tuple(
            i for i, s in enumerate(self.stations) if s.terminator == "fixed" or s.body in beside
        )
        return Bus(
            tuple(s.label for s in self.stations),
            tuple(x.length.n if x.length else SAID_M for x in self.leads),
            tuple(sorted({*self.ended, *fixed})),
            fixed,
        )


def longest(kind: str, bit_rate: float | None) -> float | None:
    """How long a bus may be at its bit rate, m. CAN: CiA's table, from memory, 50 kbit/s 1 km to
    1 Mbit/s 25 m, and between two rates that of the faster; RS-485: 1200 m to 100 kbit/s and
    inversely beyond (TIA-485, from memory).
    """
    if kind == "CAN" and bit_rate:
        return next((m for rate, m in reversed(CAN_M) if bit_rate <= rate), CAN_M[0][1])
    if kind == "RS-485":
        return RS485_M if not bit_rate or bit_rate <= 100_000 else RS485_M * 100_000 / bit_rate
    return None


def longest_stub(bit_rate: float | None) -> float:
    """How long a lead may be that hangs beside the line, m: 0.3 m at 1 Mbit/s (ISO 11898-2, from
    memory), longer as its bits are longer, 5 m at most (common practice). Without a bit rate as at
    1 Mbit/s.
    """
    return min(STUB_M_BIT / bit_rate, MOST_STUB_M) if bit_rate else STUB_M_BIT / 1e6


def buses_of(
    leads: Sequence[Lead], signals: Mapping[str, Sequence[SignalPort]]
) -> tuple[BusPlan, ...]:
    """Every bus of a job. signals: the ports of every body."""
    on_bus = [x for x in leads if x.cable.bus in BUSES]
    joined: list[list[Lead]] = []
    for x in on_bus:
        touching = [g for g in joined if any(_passes(x, y) for y in g)]
        joined = [g for g in joined if g not in touching]
        joined.append([*(y for g in touching for y in g), x])
    return tuple(_plan(g, signals) for g in sorted(joined, key=lambda g: g[0].number))


def _passes(x: Lead, y: Lead) -> bool:
    """Whether a box that both leads end at passes the bus on from one to the other."""
    if x.cable.bus != y.cable.bus:
        return False
    for a in (x.here, x.there):
        for b in (y.here, y.there):
            if a.body == b.body and _same_bus(a.plug, b.plug):
                return True
    return False


def _same_bus(a: Plug | None, b: Plug | None) -> bool:
    if a is None or b is None:
        return False
    if a.label == b.label and {(p.no, p.does) for p in a.pins} == {(p.no, p.does) for p in b.pins}:
        return True
    if not isinstance(a, SignalPort) or not isinstance(b, SignalPort):
        return False
    if a.buses and b.buses and not set(a.buses) & set(b.buses):
        return False
    for into, out in (("chain in", "chain out"), ("parallel in", "parallel out")):
        if (into in a.serves and out in b.serves) or (out in a.serves and into in b.serves):
            return True
    return False


def _plan(leads: list[Lead], signals: Mapping[str, Sequence[SignalPort]]) -> BusPlan:
    ends: dict[str, list[Lead]] = {}
    for x in leads:
        for side in (x.here, x.there):
            ends.setdefault(side.body, []).append(x)
    rates = [x.cable.bit_rate for x in leads if x.cable.bit_rate]
    rate = rates[0] if rates else None
    beside = _beside(ends, rate)
    for x in beside:
        for body in (x.here.body, x.there.body):
            ends[body].remove(x)
    hung = {b for b, some in ends.items() if not some}
    ends_of = {b: some for b, some in ends.items() if some}
    star = next((b for b, some in ends_of.items() if len(some) > 2), "")
    lone = [b for b, some in ends_of.items() if len(some) == 1]
    first = next(iter(lone), "")
    start = next((b for b in lone if b.startswith("inverter")), first)
    order, way = _walk(start or next(iter(ends_of)), ends_of)
    ring = not star and not first
    lengths = [x.length.n for x in way if x.length]
    kind = leads[0].cable.bus
    return BusPlan(
        key=leads[0].id.removeprefix("link-").replace(" ", "-"),
        name=_name(leads),
        kind=kind,
        leads=tuple(way),
        stations=tuple(_stop(b, ends_of[b], signals.get(b, ())) for b in order),
        bit_rate=rate,
        most_m=longest(kind, rate),
        length_m=sum(lengths) if len(lengths) == len(way) else None,
        star=star,
        ring=ring,
        stubs=tuple(
            (x, _stop(b, [x], signals.get(b, ())))
            for x in beside
            for b in (x.here.body, x.there.body)
            if b in hung
        ),
    )


def _beside(ends: Mapping[str, list[Lead]], bit_rate: float | None) -> list[Lead]:
    """Leads that hang beside the line, where a box has more than two: each to a box that no other
    lead reaches, and no longer than a stub may be. The shortest of them, so that two are left.
    """
    out: list[Lead] = []
    for body, some in ends.items():
        far = {x: x.there.body if x.here.body == body else x.here.body for x in some}
        short = [
            x
            for x in some
            if len(ends[far[x]]) == 1 and x.length and x.length.n <= longest_stub(bit_rate)
        ]
        short.sort(key=lambda x: x.length.n if x.length else 0.0)
        out += short[: max(len(some) - 2, 0)]
    return out


def _walk(start: str, ends: Mapping[str, list[Lead]]) -> tuple[list[str], list[Lead]]:
    """Stations and leads in order from one end, as far as it is a line."""
    order, at = [start], start
    way: list[Lead] = []
    while True:
        onward = next((x for x in ends[at] if x not in way), None)
        if onward is None:
            return order, way
        way.append(onward)
        at = onward.there.body if onward.here.body == at else onward.here.body
        if at in order:
            return order, way
        order.append(at)


def _name(leads: Sequence[Lead]) -> str:
    names = {x.cable.serves for x in leads}
    if {"BMS", "meter"} <= names:
        return f"battery and meter bus, {_unit(leads)}"
    if "BMS" in names:
        return f"battery bus, {leads[-1].there.label if len(leads) == 1 else _unit(leads)}"
    if "meter" in names:
        return "meter bus"
    if "parallel out" in names:
        return "bus between inverters"
    if "gateway" in names:
        return "gateway bus"
    return "bus of the packs"


def _unit(leads: Sequence[Lead]) -> str:
    for x in leads:
        for side in (x.here, x.there):
            if side.body.startswith("inverter"):
                return side.label
    return leads[0].here.label


def _stop(body: str, leads: Iterable[Lead], signals: Sequence[SignalPort]) -> Stop:
    """A station; its terminator may be at any port of its own that this bus passes through."""
    sides = [s for x in leads for s in (x.here, x.there) if s.body == body]
    ports = [s.port for s in sides if s.port]
    ports += [p for p in signals if any(_same_bus(p, s.plug) for s in sides)]
    rank = ("fixed", "switch", "plug", "jumper")
    known: list[Ends] = [p.terminator for p in ports if p.terminator]
    kinds: Ends = min(known, key=lambda t: rank.index(t) if t in rank else 9, default="")
    how = {
        "fixed": "fixed inside",
        "switch": "by its switch",
        "plug": "by its plug",
        "jumper": "by its jumper",
    }.get(kinds, "120 Ω across the pair")
    return Stop(body, sides[0].label, kinds, how)
