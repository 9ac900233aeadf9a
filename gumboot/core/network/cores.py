"""The cores of a lead: which pin of one plug meets which of the other, by what they do.

Colours of an 8P8C plug by T568B (ANSI/TIA-568, from memory), seen with the contacts toward you and
the lead hanging down, pin 1 at the left:

    1 white/orange  2 orange  3 white/green  4 blue  5 white/blue  6 green  7 white/brown  8 brown
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from gumboot.core.kit.signal import PAIRS, Pin, Plug
from gumboot.core.network.circuit import Core

T568B = (
    *("white/orange", "orange", "white/green", "blue"),
    *("white/blue", "green", "white/brown", "brown"),
)
TWISTED = ((1, 2), (3, 6), (5, 4), (7, 8))  # pins of the pairs of T568B: the white core first
FREE = ((5, 4), (1, 2), (3, 6), (7, 8))  # in which order pairs are taken where no plug says
LIKE = {  # what meets what besides its own name: contacts of a switch or relay
    ("loop", "NC"),
    ("loop return", "COM"),
    ("12 V", "NC"),
    ("12 V return", "COM"),
    ("start", "NO"),
    ("start return", "COM"),
    ("input common", "COM"),
    *((f"input {n}", "NO") for n in range(1, 10)),
}
CAT = (
    "CAN",
    "D",
    "enable",
    "wake",
    "TX",
    "RX",
    "loop",
    "12 V",
    "input",
    "NO",
    "NC",
    "COM",
    "start",
)


def meets(a: str, b: str) -> bool:
    """Whether a function of one plug belongs on a function of another."""
    return a == b or (a, b) in LIKE or (b, a) in LIKE


def partner(does: str) -> str:
    """The other core of a function's pair; "" where it has none."""
    for a, b in PAIRS:
        if does in (a, b):
            return b if does == a else a
    return ""


def matched(a: Plug, b: Plug | None, only: Sequence[str] = ()) -> list[tuple[Pin, Pin | None]]:
    """(pin, pin it meets) of a lead from a to b, each pin once; `only` these functions, where they
    are given. Without pins at one end the other's stand alone.
    """
    asked = [p for p in a.pins if not only or p.does in only]
    if b is None or not b.pins:
        return [(p, None) for p in asked]
    free = list(b.pins)
    out: list[tuple[Pin, Pin | None]] = []
    for p in asked:
        found = next((q for q in free if q.does == p.does), None)
        found = found or next((q for q in free if meets(p.does, q.does)), None)
        if found:
            free.remove(found)
            out.append((p, found))
    return out


def unmet(a: Plug, b: Plug, rows: Sequence[tuple[Pin, Pin | None]]) -> tuple[list[str], list[str]]:
    """Functions of either plug that meet nothing at the other; shields need none."""
    if not a.pins or not b.pins:
        return [], []
    here, there = {p.no for p, _ in rows}, {q.no for _, q in rows if q}
    return (
        [p.does for p in a.pins if p.no not in here and p.does != "shield"],
        [q.does for q in b.pins if q.no not in there and q.does != "shield"],
    )


def cores(a: Plug, b: Plug | None, only: Sequence[str] = ()) -> tuple[Core, ...]:
    """The cores of a lead, pair by pair, coloured."""
    if b is not None and not a.pins and b.pins:
        rows = [(None, p) for p in b.pins if not only or p.does in only]
    else:
        rows = [(p, q) for p, q in matched(a, b, only)]  # type: ignore[misc]
    return tuple(_coloured(rows, a, b))


def _coloured(
    rows: Sequence[tuple[Pin | None, Pin | None]], a: Plug, b: Plug | None
) -> Iterator[Core]:
    """Pairs first, each on a twisted pair; what has no partner takes the cores that are left."""
    taken: set[tuple[int, int]] = set()
    todo = [r for r in rows if _does(r) != "shield"]
    groups: list[list[tuple[Pin | None, Pin | None]]] = []
    while todo:
        one = todo.pop(0)
        other = next((r for r in todo if _does(r) == partner(_does(one))), None)
        groups.append([one, other] if other else [one])
        if other:
            todo.remove(other)
    colours: dict[int, list[str]] = {}
    for n, group in enumerate(groups):
        in_cable = _does(group[0]).startswith(CAT)
        pair = _pair_of(group, a, b, taken) if in_cable and len(group) == 2 else None
        if pair:
            taken.add(pair)
            colours[n] = _colours(group, pair, a, b)
    left = [T568B[n - 1] for pair in FREE if pair not in taken for n in pair]
    number = 0
    for n, group in enumerate(groups):
        number += len(group) == 2
        if n not in colours and len(group) == 1 and _does(group[0]).startswith(CAT) and left:
            colours[n] = [left.pop(0)]
        for k, (p, q) in enumerate(group):
            colour = colours[n][k] if n in colours else ""
            yield _core(p, q, colour, number if len(group) == 2 else 0)
    for p, q in rows:
        if _does((p, q)) == "shield":
            yield _core(p, q, "drain", 0)


def _does(row: tuple[Pin | None, Pin | None]) -> str:
    pin = row[0] or row[1]
    return pin.does if pin else ""


def _core(p: Pin | None, q: Pin | None, colour: str, pair: int) -> Core:
    does = (p or q).does  # type: ignore[union-attr]
    return Core(does, q.does if q else does, p.no if p else "", q.no if q else "", colour, pair)


def _numbers(group: Sequence[tuple[Pin | None, Pin | None]], end: int) -> tuple[int, ...]:
    pins = [r[end] for r in group]
    return tuple(int(p.no) for p in pins if p is not None and p.no.isdecimal())


def _pair_of(
    group: Sequence[tuple[Pin | None, Pin | None]],
    a: Plug,
    b: Plug | None,
    taken: set[tuple[int, int]],
) -> tuple[int, int] | None:
    """The twisted pair that carries them: the one that lies on their pins in a plug, else one that
    is free.
    """
    for end, plug in ((0, a), (1, b)):
        if plug is not None and plug.connector == "8P8C":
            on = set(_numbers(group, end))
            found = next((t for t in TWISTED if on and on <= set(t) and t not in taken), None)
            if found:
                return found
    return next((t for t in FREE if t not in taken), None)


def _colours(
    group: Sequence[tuple[Pin | None, Pin | None]], pair: tuple[int, int], a: Plug, b: Plug | None
) -> list[str]:
    for end, plug in ((0, a), (1, b)):
        on = _numbers(group, end)
        if plug is not None and plug.connector == "8P8C" and len(on) == len(group):
            if set(on) <= set(pair):
                return [T568B[n - 1] for n in on]
    return [T568B[n - 1] for n in pair][: len(group)]
