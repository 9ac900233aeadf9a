"""How small switches must stand, device by device: addresses, terminators, leader and followers;
and what is wrong with them.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass, replace

from gumboot.core.kit import Inverter, Meter, Pack
from gumboot.core.kit.signal import Switches
from gumboot.core.link.bus import BusPlan
from gumboot.core.network import Body, SignalCable


@dataclass(frozen=True, slots=True)
class Setting:
    """How one row of switches stands on one box: what it means there ("address 2", "terminator
    out"), the pattern (1 is on, the first switch first), or "" where the switches cannot say it or
    there are none; way: how it is set instead.
    """

    body: str
    label: str
    row: str
    sets: str
    means: str
    pattern: str
    on: str
    way: str = ""

    @property
    def spoken(self) -> str:
        """It in words: "ADDR: 1 on, 2 off, 3 off, 4 off"."""
        if not self.pattern:
            return self.way
        each = (f"{i} {'on' if x == '1' else 'off'}" for i, x in enumerate(self.pattern, 1))
        up = f" (on is {self.on})" if self.on else ""
        return f"{self.row}: {', '.join(each)}{up}"


@dataclass(frozen=True, slots=True)
class Bank:
    """The packs of one bank in the order of the chain: the first is the master. key: its unit's;
    with its master's where the unit hears several banks.
    """

    key: str
    unit: str
    packs: tuple[str, ...]
    settings: tuple[Setting, ...]
    protocol: str
    programming: str
    rates: tuple[float, ...]
    bus: str = ""


def inside(pack: Pack | None, bodies: Sequence[Body], count: int) -> dict[str, str]:
    """Keys and labels of the packs that stand in cabinets, which are one body. count: of packs in
    the job.
    """
    if pack is None or not pack.cabinet:
        return {}
    cabinets = [b for b in bodies if b.role == "pack"]
    each = max(count // max(len(cabinets), 1), 1)
    return {
        f"{b.id}/{n}": f"Pack {n}" + (f", {b.label}" if len(cabinets) > 1 else "")
        for b in cabinets
        for n in range(1, each + 1)
    }


def banks_of(
    pack: Pack | None,
    cables: Sequence[SignalCable],
    labels: dict[str, str],
    buses: Sequence[BusPlan],
) -> tuple[Bank, ...]:
    """Every bank with how its packs' switches stand. labels: of bodies, and packs inside them."""
    if pack is None:
        return ()
    onward = {x.source: x.load for x in cables if x.serves == "chain out"}
    out: list[Bank] = []
    for x in cables:
        if x.serves != "BMS":
            continue
        packs = [x.source]
        while (next_ := onward.get(packs[-1])) and next_ not in packs:
            packs.append(next_)
        packs = [k for p in packs for k in ([x for x in labels if x.startswith(f"{p}/")] or [p])]
        last = packs[-1]
        rows = tuple(
            s
            for n, p in enumerate(packs)
            for s in _of_pack(pack, n, p, labels, buses, x.protocol, "/" in p and p != last)
        )
        out.append(
            Bank(
                f"{x.load}.{x.source}" if any(b.unit == x.load for b in out) else x.load,
                x.load,
                tuple(packs),
                rows,
                x.protocol,
                next((p for s in pack.switches if (p := s.pattern("programming"))), ""),
                (x.bit_rate,) if x.bit_rate else (),
                x.bus,
            )
        )
    return tuple(out)


def _of_pack(
    pack: Pack,
    n: int,
    body: str,
    labels: dict[str, str],
    buses: Sequence[BusPlan],
    protocol: str,
    within: bool,
) -> Iterator[Setting]:
    """Its address, its protocol where switches choose it, and its terminator by where it stands on
    its bus; of packs within a cabinet only the last is terminated.
    """
    label = labels.get(body, body)
    by_switch = [s for s in pack.switches if s.sets == "address"]
    for s in by_switch:
        address = str(s.first + n)
        yield _set(s, body, label, f"address {address}", s.pattern(address) or "")
    if not by_switch:
        yield Setting(body, label, "", "address", f"pack {n + 1} of its bank", "", "", _way(pack))
    for s in (s for s in pack.switches if s.sets == "protocol" and protocol):
        yield _set(s, body, label, f"protocol {protocol}", s.pattern(protocol) or "")
    for t in _terminators(pack.switches, body.partition("/")[0], label, buses):
        means = "terminator out" if within else t.means
        row = next(s for s in pack.switches if s.label == t.row)
        pattern = row.pattern(means.removeprefix("terminator ")) or ""
        yield replace(t, body=body, means=means, pattern=pattern)


def _way(pack: Pack) -> str:
    return {
        "itself": "takes its address by itself, in the order of the chain",
        "tool": "gets its address by the maker's tool or app",
        "switches": "has switches that its sheet does not show: set them by the manual",
    }.get(pack.addressing, "its sheet does not say how it comes to an address")


def _set(s: Switches, body: str, label: str, means: str, pattern: str) -> Setting:
    way = "" if pattern else f"the {s.count} switches of {s.label} cannot say it"
    return Setting(body, label, s.label, s.sets, means, pattern, s.on, way)


def _terminators(
    rows: Iterable[Switches], body: str, label: str, buses: Sequence[BusPlan]
) -> Iterator[Setting]:
    """Its terminator's switches, by where it stands on its bus."""
    for s in rows:
        if s.sets != "terminator":
            continue
        for b in buses:
            at = next((i for i, x in enumerate(b.stations) if x.body == body), None)
            if at is None and all(x.body != body for _, x in b.stubs):
                continue
            means = "in" if at in b.ended else "out"
            yield _set(s, body, label, f"terminator {means}", s.pattern(means) or "")
            break


def others(
    inverter: Inverter,
    meter: Meter | None,
    bodies: Sequence[Body],
    cables: Sequence[SignalCable],
    buses: Sequence[BusPlan],
) -> tuple[Setting, ...]:
    """Switches of inverters (leader, followers, terminator) and of the meter."""
    out: list[Setting] = []
    units = [b for b in bodies if b.role == "inverter"]
    for n, b in enumerate(units):
        role = "alone" if len(units) == 1 else "leader" if n == 0 else "follower"
        for s in inverter.switches:
            if s.sets == "leader":
                out.append(_set(s, b.id, b.label, role, s.pattern(role) or ""))
        out += _terminators(inverter.switches, b.id, b.label, buses)
    if meter and any(x.serves == "meter" for x in cables):
        label = f"{meter.maker} {meter.model}"
        for s in meter.switches:
            if s.sets == "address" and meter.address is not None:
                pattern = s.pattern(str(meter.address)) or ""
                out.append(_set(s, "main-panel", label, f"address {meter.address}", pattern))
        out += _terminators(meter.switches, "main-panel", label, buses)
    return tuple(out)
