"""Signal cables: every lead that follows from the ports of the job's boxes, pin to pin.

Battery link, from pack to pack, meter with its transformers and voltage taps, parallel inverters,
gateway or islanding box, rapid shutdown, generator start, grid operator, heat pump, temperature,
network.
"""

from __future__ import annotations

import itertools
from collections import Counter
from collections.abc import Iterable

from gumboot.core.kit import LINES, Meter
from gumboot.core.kit.signal import Plug, Serves, SignalPort
from gumboot.core.kit.terminal import Socket
from gumboot.core.network.builder import Builder
from gumboot.core.network.circuit import Core, SignalCable
from gumboot.core.network.cores import cores, matched, unmet
from gumboot.core.network.dc import packs_each, stacks_of
from gumboot.core.network.guards import device_of, host

NAMES: dict[str, str] = {
    "BMS": "BMS link",
    "chain out": "pack to pack",
    "meter": "meter",
    "CT": "meter",
    "voltage taps": "voltage taps",
    "parallel out": "parallel link",
    "gateway": "gateway control",
    "sense": "sense",
    "control": "control",
    "shutdown": "shutdown loop",
    "grid operator": "grid operator's inputs",
    "generator": "generator start",
    "heat pump": "heat pump relay",
    "temperature": "battery temperature",
    "network": "network",
}
BOARD, ROUTER = "main-panel", "the owner's router"
RECEIVER, HEAT_PUMP = "the grid operator's receiver", "the heat pump"


def lay_links(b: Builder) -> None:
    """Every lead the sheets name, where both its ends are in the job."""
    _banks(b)
    _measuring(b)
    _parallel(b)
    for port in b.inverter.signals:
        if "temperature" in port.serves and (first := next(iter(groups(b)), None)):
            _lead(b, "temperature", "", first[1][0], "inverter-1", port.far, port)
    _controllers(b)
    _gateway(b)
    _shutdown(b)
    _outside(b)


def _controllers(b: Builder) -> None:
    """Charge controllers: each with the warmth of its bank, and from one to the next where their
    sheet says so.
    """
    if b.controller is None:
        return
    banks = groups(b)
    own = list(range(1, b.plan.kit.controllers_fitted + 1))
    for port in b.controller.signals:
        for n in own if "temperature" in port.serves and banks else ():
            first = banks[(n - 1) % len(banks)][1][0]
            _lead(b, "temperature", f"C{n}", first, f"controller-{n}", port.far, port)
    out = ports(b.controller.signals, "parallel out")
    into = ports(b.controller.signals, "parallel in")
    if out and into:
        bus = next(iter(out[0].buses), "")
        for n in own[:-1]:
            at, to = f"controller-{n}", f"controller-{n + 1}"
            _lead(b, "parallel out", f"C{n}", at, to, out[0], into[0], "", bus)


def groups(b: Builder) -> list[tuple[int, list[str]]]:
    """(the inverter it talks to, its pack bodies) of every bank."""
    packs = [x for x in b.bodies if x.startswith("pack-")]
    if b.pack is not None and b.pack.form == "stack":
        rows = [(i, [f"pack-{n}" for n in row]) for i, row in enumerate(stacks_of(b), 1)]
        alone = b.plan.kit.hookup == "inputs"  # each speaks for itself
        return [(i, [x]) for i, row in rows for x in row] if alone else [x for x in rows if x[1]]
    if b.pack is not None and b.pack.cabinet:
        return [(1, packs)] if packs else []
    out, first = [], 0
    for i, n in enumerate(packs_each(b), 1):
        out += [(i, packs[first : first + n])] if packs[first : first + n] else []
        first += n
    return out


def ports(signals: Iterable[SignalPort], serves: Serves) -> list[SignalPort]:
    """The ports that serve something."""
    return [p for p in signals if serves in p.serves]


def speaking(
    ours: list[SignalPort], theirs: list[SignalPort]
) -> tuple[SignalPort, SignalPort, str, str] | None:
    """(our port, their port, protocol, bus) that two devices speak on: a protocol and a bus that
    both know; where a sheet is silent the other's word serves. None where they cannot.
    """
    for a, b in itertools.product(ours, theirs):
        both = [x for x in a.protocols if x in b.protocols]
        silent = not a.protocols or not b.protocols
        buses = [x for x in a.buses if x in b.buses] or (
            [*a.buses, *b.buses] if not (a.pins and b.pins) else []
        )
        rates = not a.bit_rate or not b.bit_rate or a.bit_rate == b.bit_rate
        if (both or silent) and rates and (buses or not (a.pins and b.pins)):
            return a, b, both[0] if both else "", buses[0] if buses else ""
    return None


def _banks(b: Builder) -> None:
    """From the master of each bank to the inverter it talks to; from pack to pack within it."""
    if b.pack is None or b.pack.link == "none":
        return  # lead cells say nothing
    ours, theirs = ports(b.inverter.signals, "BMS"), ports(b.pack.signals, "BMS")
    leaves, enters = ports(b.pack.signals, "chain out"), ports(b.pack.signals, "chain in")
    taken: Counter[int] = Counter()  # banks that each unit hears: one to a port, as far as it has
    for n, (i, packs) in enumerate(groups(b), 1):
        at = taken[i] % len(ours) if ours else 0
        found = speaking([*ours[at:], *ours[:at]], theirs) if ours and theirs else None
        taken[i] += 1
        for one, next_ in itertools.pairwise(packs):
            if pair := _chained(leaves, enters, found[3] if found else ""):
                out, into, bus = pair
                _lead(b, "chain out", f"{one}-{next_}", one, next_, out, into, "", bus)
        key = "" if n == 1 else str(n)
        if found:
            a, p, protocol, bus = found
            _lead(b, "BMS", key, packs[0], f"inverter-{i}", p, a, protocol, bus)
        elif ours and not theirs and ours[0].far:
            bus = next(iter(ours[0].buses), "")
            _lead(b, "BMS", key, packs[0], f"inverter-{i}", ours[0].far, ours[0], "", bus)


def _chained(
    leaves: list[SignalPort], enters: list[SignalPort], bus: str
) -> tuple[SignalPort, SignalPort, str] | None:
    """(port out, port in, bus) from pack to pack: on the bus of the bank where they have it."""
    pairs = [
        (out, into, next((x for x in out.buses if x in into.buses), ""))
        for out, into in itertools.product(leaves, enters)
    ]
    both = [p for p in pairs if p[2] or not (p[0].pins and p[1].pins)]
    return next((p for p in both if p[2] == bus), next(iter(both), None))


def _measuring(b: Builder) -> None:
    """The meter at the house's board, its transformers and voltage taps; or the transformers that
    the unit reads itself.
    """
    if BOARD not in b.bodies or (b.gateway and b.gateway.meter_inside):
        return
    meter = b.catalogue.meters.get(b.plan.kit.meter or "")
    units, reads = ports(b.inverter.signals, "meter"), ports(b.inverter.signals, "CT")
    if units:
        own = ports(meter.signals, "meter") if meter else []
        found = speaking(units, own) if own else None
        if found:
            _lead(b, "meter", "", "inverter-1", BOARD, found[0], found[1], found[2], found[3])
        elif not own:
            bus = next(iter(units[0].buses), "")
            _lead(b, "meter", "", "inverter-1", BOARD, units[0], units[0].far, "", bus)
        if meter:
            for port in (fitting(b, p) for p in ports(meter.signals, "CT")):
                end = port.far or _clips(port)
                _lead(b, "CT", "", BOARD, BOARD, port, end, name="current transformers")
            for port in (fitting(b, p) for p in ports(meter.signals, "voltage taps")):
                _lead(b, "voltage taps", "", BOARD, BOARD, port, port.far or _taps(port, meter))
    elif reads:
        port = fitting(b, reads[0])
        _lead(b, "CT", "", "inverter-1", BOARD, port, port.far or _clips(port))


def fitting(b: Builder, port: SignalPort) -> SignalPort:
    """A port with the pins that this job has a use for: a transformer for each line of the service
    and of PV inverters, a tap for each line; a meter of three on one line leaves the others free.
    """
    lines = LINES.get(b.plan.supply.kind, ("L1",))
    own = sum(len(lines) if pv.line == "all" else 1 for pv in b.plan.kit.pv_inverters)
    wanted = {f"CT {n} S{k}" for n in range(1, len(lines) + own + 1) for k in (1, 2)}
    wanted |= {f"sense {line}" for line in (*lines, "N")} | {"sense L"}
    pins = tuple(
        p for p in port.pins if not p.does.startswith(("CT ", "sense ")) or p.does in wanted
    )
    return port.model_copy(update={"pins": pins})


def _taps(port: SignalPort, meter: Meter) -> Plug:
    """Where voltage taps come from: behind a fuse each, on the line of the channel's own
    transformer.
    """
    fuse = f" of {meter.tap_fuse_a:g} A" if meter.tap_fuse_a else ""
    pins = [f"{p.does.removeprefix('sense ')} {p.does}" for p in port.pins]
    label = f"taps, each behind a fuse{fuse}"
    strip, plate = 8, "fuse holder's plate"  # its own plate comes first: common practice
    document = {"label": label, "connector": "spring clamps", "pins": pins, "strip_mm": strip}
    return Plug.model_validate({**document, "source": plate})


def _clips(port: SignalPort) -> Plug:
    """The transformers that a port reads, as they are where no sheet says more."""
    pins = [f"{p.does[3]}{p.does[-2:]} {p.does}" for p in port.pins if p.does.startswith("CT")]
    return Plug.model_validate({"label": "main feeders", "connector": "clip", "pins": pins})


def _parallel(b: Builder) -> None:
    """From inverter to inverter."""
    out, into = ports(b.inverter.signals, "parallel out"), ports(b.inverter.signals, "parallel in")
    if out and into:
        for i in range(1, b.plan.kit.inverters):
            bus = next(iter(out[0].buses), "")
            at, to = f"inverter-{i}", f"inverter-{i + 1}"
            _lead(b, "parallel out", str(i), at, to, out[0], into[0], "", bus)


def _gateway(b: Builder) -> None:
    """What moves a gateway or islanding box, and what it senses."""
    if not b.gateway or "gateway" not in b.bodies:
        return
    for serves in ("gateway", "sense", "control"):
        for port in ports(b.gateway.signals, serves):
            own = ports(b.inverter.signals, serves)
            end = own[0] if own else port.far
            bus = next(iter(port.buses), "")
            _lead(b, serves, "", "inverter-1", "gateway", end, port, "", bus)


def _shutdown(b: Builder) -> None:
    """The loop from every unit that has one to the button outside: the device that Size takes."""
    loops = ports(b.inverter.signals, "shutdown")
    guards = [n for n, s in enumerate(b.plan.safeguards) if s.kind == "emergency shutdown"]
    if not loops or not guards:
        return
    first = b.plan.safeguards[guards[0]]
    at = host(first, b.bodies, {c.id: c for c in b.circuits})
    button, _ = device_of(b.plan, guards[0], b.catalogue, b.supply, 0.0)
    own = ports(button.signals, "shutdown") if button else []
    end = own[0] if own else loops[0].far
    for i in range(1, b.plan.kit.inverters + 1):
        _lead(b, "shutdown", str(i), f"inverter-{i}", at, loops[0], contact(end, i))


def contact(plug: Plug | None, n: int) -> Plug | None:
    """The n-th contact of a button, from 1: a loop has one of its own, since two on one contact
    would feed each other. Without pins, where it has none left.
    """
    if plug is None or not plug.pins:
        return plug
    ends = [[p for p in plug.pins if p.does == does] for does in ("NC", "COM")]
    pins = tuple(e[n - 1] for e in ends if len(e) >= n)
    return plug.model_copy(update={"pins": pins if len(pins) == len(ends) else ()})


def _outside(b: Builder) -> None:
    """What leads to something that is no box of this job."""
    wish = b.plan.linking
    units = range(1, b.plan.kit.inverters + 1)
    signals = b.inverter.signals
    if b.plan.kit.on_generator and "generator" in b.bodies:
        for port in ports(signals, "generator")[:1]:
            _lead(b, "generator", "", "inverter-1", "generator", port, port.far)
    if wish.grid_operator:
        for port in ports(signals, "grid operator")[:1]:
            _lead(b, "grid operator", "", "inverter-1", RECEIVER, port, port.far)
    for n, port in enumerate(ports(signals, "heat pump")[: wish.heat_pump], 1):
        _lead(b, "heat pump", str(n), "inverter-1", HEAT_PUMP, port, port.far)
    if wish.network == "wire":
        for port in ports(signals, "network")[:1]:
            for i in units:
                bus = next(iter(port.buses), "")
                far = port.far or Plug(label="a free socket", connector="8P8C", pins=port.pins)
                _lead(b, "network", str(i), f"inverter-{i}", ROUTER, port, far, "", bus)


def _lead(
    b: Builder,
    serves: str,
    key: str,
    source: str,
    load: str,
    a: Plug | None,
    z: Plug | None,
    protocol: str = "",
    bus: str = "",
    name: str = "",
) -> None:
    """One lead. Its shield lands at one end: at the inverter where it has one, else at its
    source.
    """
    made = [x for x in (a, z) if isinstance(x, SignalPort)]
    only = _only(bus)
    one, two = (a, z) if a is not None else (z, None)
    if one is None:
        return
    rows = cores(one, two, only)
    meet = unmet(one, two, matched(one, two, only)) if two else ([], [])
    name = name or next((p.name for p in made if p.name and serves in p.serves), NAMES[serves])
    shield = next((x for x in (load, source) if x.startswith(("inverter-", "controller-"))), source)
    if not any(c.does == "shield" for c in rows):
        shield = ""
    rate = next((p.bit_rate for p in made if p.bit_rate), None)
    kept = [c for c in rows if c.does != "shield"]
    own = [c.does for c in rows if c.does != "shield"] + (["shield"] if shield else [])
    says = f"{bus + ': ' if bus else ''}{', '.join(own)}" if own else "cores as the sheet says"
    id = f"link-{name}{f'-{key}' if key else ''}" if serves != "chain out" else f"link-{key}"
    b.links.append(
        SignalCable(
            id=id,
            name=name,
            conductors=says,
            source=source,
            load=load,
            at_source=_socket(a or one, kept, shield == source, 0),
            at_load=_socket(z or one, kept, shield == load, 1),
            serves=serves,
            bus=bus,
            a=a,
            b=z,
            cores=tuple(rows),
            shield_at=shield,
            protocol=protocol,
            bit_rate=rate,
            unmet=(
                tuple(x for x in meet[0] if _wanted(x, only)),
                tuple(x for x in meet[1] if _wanted(x, only)),
            ),
        )
    )


def _only(bus: str) -> tuple[str, ...]:
    """The functions that a lead of a bus may have; all where it is none."""
    beside = ("enable", "enable return", "wake", "wake return", "shield", "GND")
    return {
        "CAN": ("CAN H", "CAN L", *beside),
        "RS-485": ("D+", "D−", *beside),
    }.get(bus, ())


def _wanted(does: str, only: tuple[str, ...]) -> bool:
    """Whether a function that meets nothing is missed: one of its own bus is."""
    return (not only or does in only) and does not in ("GND",) and not does.startswith("input")


def _socket(plug: Plug, kept: list[Core], shield: bool, end: int) -> Socket:
    """Where the lead ends, for the torque book: a pole for every core."""
    poles: list[str] = []
    for c in kept:
        pin, does = (c.pin, c.does) if end == 0 else (c.far_pin, c.meets)
        poles.append(f"{pin} {does}" if pin and pin != does else does)
    if plug.connector == "clip":
        poles = list(dict.fromkeys(f"CT {p.does[3]}" for p in plug.pins)) or ["CT 1"]
    if plug.connector == "ring":
        poles = ["sensor"]
    if shield and plug.clamped:
        poles.append("shield")
    return plug.socket(tuple(poles))
