"""What a battery bus says: frames read by the pack's own DBC, which packs speak, who is silent, two
at one address, and a protocol or bit rate that is not the one planned.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field
from typing import NamedTuple

from cantools.database.errors import DecodeError

from gumboot.core.kit.dbc import read_dbc

NOBODY = (
    "Nothing is heard on the bus. Are the packs awake, the plugs in at both ends, both wires of the"
    " pair on their own pins, and the enable pair closed where there is one?"
)
UNITS = {
    "soc": "%",
    "temperature": "degC",
    "volts": "V",
    "amps": "A",
    "charge_volts": "V",
    "charge_limit": "A",
    "discharge_limit": "A",
    "discharge_volts": "V",
}


class Frame(NamedTuple):
    """One CAN frame as heard: its id, whether that is of 29 bits, its bytes, when (s)."""

    id: int
    extended: bool
    data: bytes
    at: float


@dataclass
class PackSeen:
    """One pack as it speaks: its address, serial (None where the DBC has none), last values by
    signal, how many frames.
    """

    address: int
    serial: int | None
    values: dict[str, float | str] = field(default_factory=dict)
    frames: int = 0

    @property
    def alarms(self) -> list[str]:
        """The alarms that stand, in words."""
        return [
            k.removeprefix("alarm_").replace("_", " ")
            for k, v in self.values.items()
            if k.startswith("alarm") and isinstance(v, int | float) and v
        ]


@dataclass(frozen=True, eq=False)
class Heard:
    """What came over a bus: packs, values of the bank as a whole with their units, ids no message
    of the DBC has, frames that could not be read, and what it means, a sentence each.
    """

    packs: tuple[PackSeen, ...]
    bank: dict[str, tuple[float | str, str]]
    unknown: tuple[int, ...]
    broken: int
    frames: int
    says: tuple[str, ...]
    sound: bool
    units: dict[str, str] = field(default_factory=dict)


def heard(
    frames: Iterable[Frame],
    dbc: str,
    expected: Sequence[int],
    protocol: str = "",
    bit_rate: float | None = None,
    found_rate: float | None = None,
) -> Heard:
    """What some frames mean, where packs of these addresses are expected. found_rate: the bit rate
    at which they were heard, where it is not the planned one. Raises BadDbc.
    """
    base = read_dbc(dbc)
    by_id = {(m.frame_id, m.is_extended_frame): m for m in base.messages}
    units = {s.name: s.unit or "" for m in base.messages for s in m.signals}
    packs: dict[tuple[int, int | None], PackSeen] = {}
    bank: dict[str, tuple[float | str, str]] = {}
    unknown: dict[int, int] = {}
    broken = count = 0
    for f in frames:
        count += 1
        message = by_id.get((f.id, f.extended))
        if message is None:
            unknown[f.id] = unknown.get(f.id, 0) + 1
            continue
        try:
            values = message.decode(f.data, decode_choices=True)
        except (DecodeError, ValueError, KeyError):
            broken += 1
            continue
        plain = {str(k): _plain(v) for k, v in dict(values).items()}
        address = next((v for k, v in plain.items() if _is(k, "address")), None)
        if not isinstance(address, int | float):
            bank |= {k: (v, units.get(k, "")) for k, v in plain.items()}
            continue
        serial = next((v for k, v in plain.items() if _is(k, "serial")), None)
        own = int(serial) if isinstance(serial, int | float) else None
        one = packs.setdefault((int(address), own), PackSeen(int(address), own))
        one.values |= {
            k: v for k, v in plain.items() if not _is(k, "address") and not _is(k, "serial")
        }
        one.frames += 1
    rows = tuple(packs[k] for k in sorted(packs, key=lambda k: (k[0], k[1] or 0)))
    says = tuple(_means(rows, expected, unknown, broken, count, protocol, bit_rate, found_rate))
    sound = not says and bool(rows or bank)
    return Heard(rows, bank, tuple(sorted(unknown)), broken, count, says, sound, units)


def answered(packs: Sequence[PackSeen], expected: Sequence[int]) -> Heard:
    """What packs answered that were asked one by one over RS-485; what belongs to the bank as a
    whole is the first pack's word.
    """
    bank = {
        k: (v, UNITS[k])
        for p in packs[:1]
        for k, v in p.values.items()
        if k in ("charge_volts", "charge_limit", "discharge_limit", "discharge_volts")
    }
    for p in packs:
        p.values = {k: v for k, v in p.values.items() if k not in bank}
    silent = [a for a in expected if a not in {p.address for p in packs}]
    says = []
    if not packs:
        says.append(NOBODY)
    elif silent:
        which = " and ".join(str(a) for a in silent)
        says.append(
            f"No answer from address {which}: its lead, its switches, whether it is on; or two"
            " packs have that address and answer at once."
        )
    says += [
        f"Pack at address {p.address} has an alarm: {', '.join(p.alarms)}."
        for p in packs
        if p.alarms
    ]
    count = sum(p.frames for p in packs)
    return Heard(tuple(packs), bank, (), 0, count, tuple(says), not says, UNITS)


def _is(name: str, what: str) -> bool:
    return what in name.lower()


def _plain(value: object) -> float | str:
    return value if isinstance(value, int | float) else str(value)


def _means(
    packs: Sequence[PackSeen],
    expected: Sequence[int],
    unknown: dict[int, int],
    broken: int,
    count: int,
    protocol: str,
    bit_rate: float | None,
    found_rate: float | None,
) -> Iterable[str]:
    if not count:
        yield NOBODY
        return
    if found_rate and bit_rate and found_rate != bit_rate:
        yield (
            f"The bus speaks at {found_rate / 1000:g} kbit/s; the sheets say {bit_rate / 1000:g}."
            " Set the bit rate of the packs."
        )
    known = count - sum(unknown.values())
    if not known:
        ids = ", ".join(f"0x{i:X}" for i in sorted(unknown)[:4])
        named = f" {protocol}" if protocol else " the one planned"
        yield (
            f"Frames come, but none of the protocol{named} (ids {ids}). Choose the protocol in the"
            " pack's tool, then switch it off and on."
        )
        return
    if broken:
        yield f"{broken} frames were shorter than their message: is it the right DBC?"
    there: dict[int, list[PackSeen]] = {}
    for p in packs:
        there.setdefault(p.address, []).append(p)
    for address, some in sorted(there.items()):
        if len(some) > 1:
            serials = " and ".join(f"{p.serial:04d}" for p in some if p.serial is not None)
            yield (
                f"{len(some)} packs are at address {address} (serials {serials}). Switch one off,"
                " give it its own address, and switch it off and on."
            )
    silent = [a for a in expected if a not in there]
    if packs and silent:
        which = " and ".join(str(a) for a in silent)
        several = len(silent) > 1
        yield (
            f"Address{'es' if several else ''} {which} {'are' if several else 'is'} silent: look at"
            " the lead that leads to it, its switches, and whether it is on."
        )
    odd = [a for a in there if a not in expected]
    if expected and odd:
        which = " and ".join(str(a) for a in odd)
        yield f"A pack speaks at address {which}, which this bank does not have."
    for p in packs:
        if p.alarms:
            yield f"Pack at address {p.address} has an alarm: {', '.join(p.alarms)}."
