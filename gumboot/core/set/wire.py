"""Lines of a menu as registers hold them (Modbus application protocol 1.1b3: words of 16 bits, high
word first but where a sheet says otherwise).

    choice        its number in the sheet, else its place, counted from 0
    time of day   hours × 100 + minutes (common practice)
    figure        in units of the register's scale, rounded
"""

from __future__ import annotations

import math
import struct
from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from gumboot.core.basis import clock
from gumboot.core.kit import MenuItem
from gumboot.core.kit.menu import TIME, MenuRegister

PACKED = {"int16": ">h", "uint16": ">H", "int32": ">i", "uint32": ">I", "float32": ">f"}
MOST_AT_ONCE, GAP = 100, 8  # registers of one question; how many that nobody asked lie between


class NotHeld(ValueError):
    """A value that a register cannot hold, or a word that means no value; said in words."""


def words_of(r: MenuRegister) -> int:
    """How many registers it takes."""
    return struct.calcsize(PACKED[r.type]) // 2


def codes_of(item: MenuItem) -> tuple[int, ...]:
    """The number that a register holds for each choice."""
    return item.values or tuple(range(len(item.options)))


def encoded(item: MenuItem, value: float | str) -> list[int]:
    """A value as registers. Raises NotHeld."""
    r = item.read_at
    if r is None:
        raise NotHeld(f"the sheet names no register for {item.label}")
    if item.options:
        if value not in item.options:
            raise NotHeld(f"“{value}” is no choice of {item.label}")
        plain: float = codes_of(item)[item.options.index(str(value))]
    elif item.unit == TIME:
        try:
            minutes = clock.parse_time(str(value))
        except clock.NotATime as exc:
            raise NotHeld(str(exc)) from exc
        plain = minutes // 60 * 100 + minutes % 60
    elif isinstance(value, str):
        raise NotHeld(f"“{value}” is no figure: {item.label}")
    else:
        plain = value / r.scale
    kept = plain if r.type == "float32" else round(plain)
    try:
        packed = struct.pack(PACKED[r.type], kept)
    except (struct.error, OverflowError) as exc:
        raise NotHeld(f"{value} does not fit register {r.number}: {item.label}") from exc
    words = list(struct.unpack(f">{len(packed) // 2}H", packed))
    return words[::-1] if r.low_first else words


def decoded(item: MenuItem, words: Sequence[int]) -> float | str:
    """A value as registers hold it. Raises NotHeld."""
    r = item.read_at
    if r is None or len(words) != words_of(r):
        raise NotHeld(f"{item.label}: not as long as its register")
    row = list(words)[::-1] if r.low_first else list(words)
    packed = struct.pack(f">{len(row)}H", *(w & 0xFFFF for w in row))
    plain = float(struct.unpack(PACKED[r.type], packed)[0])
    if item.options:
        of = dict(zip(codes_of(item), item.options, strict=True))
        if int(plain) not in of:
            raise NotHeld(f"register {r.number} holds {plain:g}, which is no choice")
        return of[int(plain)]
    if item.unit == TIME:
        hour, minute = divmod(int(plain), 100)
        if not 0 <= hour < 24 or not 0 <= minute < 60:
            raise NotHeld(f"register {r.number} holds {plain:g}, which is no time of day")
        return clock.show_minutes(60 * hour + minute)
    if not math.isfinite(plain):
        raise NotHeld(f"register {r.number} holds no number")
    return round(plain * r.scale, 6)


@dataclass(frozen=True)
class Block:
    """Lines that are asked at once: from a register on, so many."""

    holding: bool
    start: int
    count: int
    items: tuple[MenuItem, ...]


def blocks(menu: Iterable[MenuItem]) -> list[Block]:
    """The lines that can be read, in as few questions as may be."""
    rows = [(m.read_at.holding, m.read_at.number, m) for m in menu if m.read_at]
    out: list[Block] = []
    for holding, number, m in sorted(rows, key=lambda row: row[:2]):
        assert m.read_at is not None  # noqa: S101 - just chosen so
        end = number + words_of(m.read_at)
        last = out[-1] if out else None
        near = last and last.holding == holding and number <= last.start + last.count + GAP
        if last and near and end - last.start <= MOST_AT_ONCE:
            count = max(last.count, end - last.start)
            out[-1] = Block(holding, last.start, count, (*last.items, m))
        else:
            out.append(Block(holding, number, end - number, (m,)))
    return out
