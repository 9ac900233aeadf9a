"""A CSV of readings by columns: which column is which is found by its head, or chosen and then
remembered by the heads.
"""

from __future__ import annotations

import csv
import hashlib
import io
import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from gumboot.imports.interval import Unreadable

MOST_BYTES, MOST_ROWS, MOST_COLUMNS = 8_000_000, 200_000, 80
UNITS = {"ms": 1e-3, "us": 1e-6, "µs": 1e-6, "ns": 1e-9, "s": 1.0, "sec": 1.0, "min": 60.0}
UNITS |= {"mv": 1e-3, "v": 1.0, "kv": 1e3, "ma": 1e-3, "a": 1.0, "w": 1.0, "kw": 1e3, "h": 3600.0}


@dataclass(frozen=True)
class Table:
    """Heads and rows as text; skipped: lines before the head that were no table."""

    heads: tuple[str, ...]
    rows: tuple[tuple[str, ...], ...]
    skipped: int = 0

    @property
    def signature(self) -> str:
        """What the heads come to: by it a choice of columns is remembered."""
        return hashlib.sha256("\n".join(h.lower() for h in self.heads).encode()).hexdigest()[:16]


def decoded(data: bytes) -> str:
    """The text of a file. Raises Unreadable."""
    if len(data) > MOST_BYTES:
        raise Unreadable(
            f"The file is larger than {MOST_BYTES // 1_000_000} MB: send a shorter run."
        )
    for name in ("utf-8-sig", "utf-16" if data[:2] in (b"\xff\xfe", b"\xfe\xff") else "cp1252"):
        try:
            text = data.decode(name)
        except UnicodeDecodeError:
            continue
        if "\x00" not in text:
            return text
    raise Unreadable("The file is not text: send it as CSV.")


def table_of(data: bytes) -> Table:
    """The table in a CSV: its head is the first line of the widest run of lines. Raises Unreadable
    with what to send instead.
    """
    text = decoded(data)
    lines = [x for x in text.splitlines() if x.strip()]
    if len(lines) < 2:
        raise Unreadable("The file has no readings: a line of heads, and a line for each.")
    sample = "\n".join(lines[-40:])
    found = max(";\t,|", key=lambda c: min(x.count(c) for x in sample.splitlines()))
    try:
        rows = list(csv.reader(io.StringIO("\n".join(lines)), delimiter=found))
    except csv.Error as exc:
        raise Unreadable(f"This is no CSV ({exc}).") from exc
    wide = len(rows[-1])
    if wide < 2 or wide > MOST_COLUMNS:
        raise Unreadable("The file has one column only, or far too many: is it a CSV of readings?")
    first = next((n for n, r in enumerate(rows) if len(r) >= wide), 0)
    body = rows[first + 1 :]
    if len(body) > MOST_ROWS:
        raise Unreadable(f"The file has {len(body):,} lines; at most {MOST_ROWS:,} are taken.")
    heads = tuple(h.strip()[:80] for h in rows[first])
    if all(_number(h) is not None for h in heads):
        heads, body = tuple(f"column {n}" for n in range(1, wide + 1)), rows[first:]
    return Table(heads, tuple(tuple(c.strip() for c in r) for r in body), first)


def guessed(table: Table, words: Mapping[str, str]) -> dict[str, int]:
    """Columns by role, of the roles whose pattern a head fits; each head once."""
    out: dict[str, int] = {}
    for role, pattern in words.items():
        for n, head in enumerate(table.heads):
            if n not in out.values() and re.search(pattern, head, re.IGNORECASE):
                out[role] = n
                break
    return out


def _number(text: str) -> float | None:
    plain = text.strip().replace("−", "-")
    if plain.count(",") == 1 and "." not in plain:
        plain = plain.replace(",", ".")
    try:
        value = float(plain.replace(" ", ""))
    except ValueError:
        return None
    return value if np.isfinite(value) else None


def scale_of(head: str) -> float:
    """What one of a column is worth, by the unit in its head: "Time (ms)" 0.001."""
    found = re.findall(r"[\[(_/ ]\s*([µa-zA-Z]{1,3})\s*[\])]?\s*$", head.strip())
    return UNITS.get(found[-1].lower(), 1.0) if found else 1.0


def numbers(table: Table, columns: Sequence[int]) -> list[NDArray[np.float64]]:
    """Columns as arrays in their plain units, of the lines where every one of them holds a number.
    Raises Unreadable where few do.
    """
    kept = []
    for r in table.rows:
        row = [_number(r[c]) if c < len(r) else None for c in columns]
        if all(x is not None for x in row):
            kept.append(row)
    if len(kept) < 2 or len(kept) < 0.5 * len(table.rows):
        names = ", ".join(table.heads[c] for c in columns)
        raise Unreadable(
            f"Only {len(kept)} of {len(table.rows)} lines hold numbers under {names}: half a file,"
            " or other columns?"
        )
    found = np.array(kept, dtype=float).T
    return [found[n] * scale_of(table.heads[c]) for n, c in enumerate(columns)]
