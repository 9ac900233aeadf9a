"""Every signal lead of a job, numbered: its cores pin to pin, its cable, its length, where its
shield lands, which clamps hold two wires, which jumper goes out.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from gumboot.core.basis.figure import Figure, given, solve
from gumboot.core.kit.signal import Pin, Plug, SignalPort
from gumboot.core.link.terminators import CORE_OHM_M
from gumboot.core.network import SignalCable

SIZES = (("24 AWG", CORE_OHM_M), ("20 AWG", 0.0333), ("18 AWG", 0.0210), ("16 AWG", 0.0132))
SUPPLY_V = 12.0
Clamp = tuple[str, str, str]  # the box, its plug, the pin


@dataclass(frozen=True, slots=True)
class Side:
    """One end of a lead: the box, its port (None where no sheet has one), every pin of the plug
    that the port is part of, those that share a clamp with another lead, and whether the shield
    lands here.
    """

    body: str
    label: str
    plug: Plug | None
    pins: tuple[Pin, ...] = ()
    twin: tuple[str, ...] = ()
    shield: bool = False

    @property
    def port(self) -> SignalPort | None:
        """Its port, where it is a device's own and not what its maker's lead ends in."""
        return self.plug if isinstance(self.plug, SignalPort) else None


@dataclass(frozen=True, eq=False)
class Lead:
    """One lead. length: over the wall, None where it is not known; volts: what is left of 12 V at
    the end of its loop; loop_ohm: its two wires one after the other.
    """

    number: int
    cable: SignalCable
    here: Side
    there: Side
    length: Figure | None
    made_of: str
    size: str
    volts: Figure | None = None
    loop_ohm: float | None = None

    @property
    def id(self) -> str:
        """Its key: that of its signal cable."""
        return self.cable.id

    @property
    def name(self) -> str:
        """What it is called, with where it goes."""
        return f"S{self.number} {self.cable.name}"

    @property
    def crossed(self) -> bool:
        """Whether it is no straight lead: a pin meets one of another number, both plugs alike."""
        if self.here.plug is None or self.there.plug is None:
            return False
        alike = self.here.plug.connector == self.there.plug.connector == "8P8C"
        return alike and any(c.pin != c.far_pin for c in self.cable.cores if c.pin and c.far_pin)

    @property
    def known(self) -> bool:
        """Whether a sheet says its pins at both ends."""
        both = self.here.plug is not None and self.there.plug is not None
        return (
            both and all(c.pin and c.far_pin for c in self.cable.cores) and bool(self.cable.cores)
        )

    @property
    def jumpers(self) -> tuple[tuple[Side, tuple[str, ...]], ...]:
        """(where, the two pins) of every factory jumper that goes out for it."""
        ends = (self.here, self.there)
        return tuple((s, s.port.jumper) for s in ends if s.port and s.port.jumper)


def leads_of(
    cables: Sequence[SignalCable],
    lengths: Mapping[str, Figure],
    labels: Mapping[str, str],
    signals: Mapping[str, Sequence[SignalPort]],
) -> tuple[Lead, ...]:
    """Every lead, in the order of the network. lengths: over the walls, by cable; labels and
    signals: of the bodies.
    """
    shared = Counter(clamp for x in cables for clamp in _clamps(x))
    every = _Bodies(labels, signals, shared)
    return tuple(_lead(n, x, lengths.get(x.id), every) for n, x in enumerate(cables, 1))


@dataclass(frozen=True, slots=True)
class _Bodies:
    labels: Mapping[str, str]
    signals: Mapping[str, Sequence[SignalPort]]
    shared: Mapping[Clamp, int]


def whole_plug(ports: Sequence[Plug], plug: Plug | None) -> tuple[Pin, ...]:
    """Every pin of the plug that a port is part of, in order: ports of one label share a plug."""
    if plug is None:
        return ()
    found = {p.no: p for x in (*ports, plug) if x.label == plug.label for p in x.pins}
    return tuple(sorted(found.values(), key=lambda p: (not p.no.isdecimal(), p.no.zfill(4))))


def _clamps(x: SignalCable) -> list[Clamp]:
    out: list[Clamp] = []
    for body, plug, pins in (
        (x.source, x.a, [c.pin for c in x.cores]),
        (x.load, x.b, [c.far_pin for c in x.cores]),
    ):
        if plug is not None and plug.clamped:
            out += [(body, plug.label, p) for p in pins if p]
    return out


def _lead(n: int, x: SignalCable, length: Figure | None, every: _Bodies) -> Lead:
    ends = []
    for body, plug, pins in (
        (x.source, x.a, [c.pin for c in x.cores]),
        (x.load, x.b, [c.far_pin for c in x.cores]),
    ):
        label = plug.label if plug else ""
        twin = tuple(p for p in pins if p and every.shared.get((body, label, p), 0) > 1)
        own = isinstance(plug, SignalPort)
        whole = whole_plug(every.signals.get(body, ()) if own else (), plug)
        shield = x.shield_at == body
        ends.append(Side(body, every.labels.get(body, body), plug, whole, twin, shield))
    here, there = ends
    supply = next((s.port for s in ends if s.port and s.port.supply_a), None)
    size, volts = SIZES[0][0], None
    if supply is not None and supply.supply_a and length is not None:
        size, volts = loop_volts(length, supply.supply_a, supply.supply_least_v)
    ohm = 2 * dict(SIZES)[size] * length.n if length is not None else None
    return Lead(n, x, here, there, length, made_of(x, here, there, size), size, volts, ohm)


def loop_volts(length: Figure, amps: float, least_v: float | None) -> tuple[str, Figure]:
    """(the thinnest wire that leaves enough, what it leaves in V) of a 12 V loop out and back."""
    i = given("I", amps, "A", "Most that the 12 V gives", "unit's sheet")
    u = given("U", SUPPLY_V, "V", "Supply of the loop", "unit's sheet")
    for size, ohm_m in SIZES:
        r = given("r", ohm_m, "Ω/m", f"{size} copper at 20 °C", "0.01724 Ω·mm²/m over its area")
        left = solve(
            *("U_end", "V", "At the end of the loop", "U - 2 * r * L * I"),
            *(u, r, length.renamed("L"), i),
            source="Ohm's law",
        )
        if least_v is None or left.n >= least_v or size == SIZES[-1][0]:
            return size, left
    raise AssertionError("SIZES is empty")


def tight(lead: Lead) -> list[str]:
    """Clamps of a lead that would hold two wires and are made for one: "5 at Inverter"."""
    return [
        f"{pin} at {s.label}"
        for s in (lead.here, lead.there)
        for pin in s.twin
        if s.plug and s.plug.holds < 2
    ]


def made_of(x: SignalCable, here: Side, there: Side, size: str) -> str:
    """The cable a lead is made of."""
    if x.serves == "CT":
        return "the transformers' own leads"
    if x.serves == "sense" or x.serves == "voltage taps":
        lines = sum(c.does != "shield" for c in x.cores)
        return f"{lines} wires for mains voltage, fused at the supply end"
    if x.serves == "temperature":
        return "the sensor's own lead"
    plugs = [s.plug.connector for s in (here, there) if s.plug]
    screened = "screened " if any(c.does == "shield" for c in x.cores) or x.bus else ""
    if "8P8C" in plugs and size == SIZES[0][0]:
        return f"{screened}cable of 4 twisted pairs, {size}"
    pairs = max((c.pair for c in x.cores), default=1) or 1
    count = f"{pairs} twisted pair{'s' if pairs > 1 else ''}"
    wires = sum(c.does != "shield" for c in x.cores)
    if any(c.does.startswith("input") for c in x.cores):
        return f"{screened}cable of {wires} wires, {size}"
    return f"{screened}cable of {count}, {size}"
