"""Continuity of a made lead: what a tester shows between the pins of both ends, and which mistake
explains what it showed.

A made lead is a matching of pins: every core joins one pin here to one there. What is read is a
set of (pin here, pin there) that sounds, or open.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence

from gumboot.core.network.circuit import Core


def expected(cores: Sequence[Core]) -> dict[str, tuple[str, ...]]:
    """Which pins there each pin here should sound to. A shield landed at one end sounds to
    none.
    """
    out: dict[str, tuple[str, ...]] = {}
    for c in cores:
        if c.pin and c.far_pin and c.does != "shield":
            out[c.pin] = (*out.get(c.pin, ()), c.far_pin)
    return out


def parse(text: str) -> tuple[str, ...]:
    """Pins as typed: "5", "5 6", "-" or "open" for none. Raises ValueError."""
    plain = text.strip()
    if plain.lower() in ("", "-", "−", "open", "none", "ol"):
        return ()
    pins = tuple(x for x in plain.replace(",", " ").split() if x)
    if any(len(p) > 6 or not p.isalnum() for p in pins):
        raise ValueError("type the pins that sound, such as 5, or “open” where none does")
    return pins


def told(cores: Sequence[Core], found: Mapping[str, Iterable[str]]) -> list[str]:
    """What readings mean, a sentence each; nothing where all is right."""
    want = {k: v[0] for k, v in expected(cores).items() if len(v) == 1}
    does = {c.pin: c.does for c in cores}
    far = {c.far_pin: c.meets for c in cores}
    got = {k: tuple(v) for k, v in found.items() if k in want}
    out: list[str] = []
    done: set[str] = set()
    for a, there in got.items():
        if a in done:
            continue
        if not there:
            out.append(f"{does[a]} is open: pin {a} reaches no pin at the other end.")
            continue
        if len(there) > 1:
            pins = " and ".join(sorted(there))
            out.append(f"{does[a]}: pin {a} sounds to pins {pins}: two cores touch.")
            continue
        if there[0] == want[a]:
            continue
        swap = next(
            (b for b, w in want.items() if w == there[0] and got.get(b) == (want[a],) and b != a),
            None,
        )
        if swap:
            done.add(swap)
            pair = _pair(cores, a, swap)
            what = "the two cores of one pair are crossed" if pair else "two cores are crossed"
            out.append(
                f"{does[a]} and {does[swap]}: {what}; exchange pins {want[a]} and"
                f" {want[swap]} at one end."
            )
            continue
        ring = _ring(a, want, got)
        if ring:
            done.update(ring)
            names = ", ".join(does[x] for x in ring)
            out.append(f"{names} are moved round: land them anew by the drawing.")
            continue
        where = far.get(there[0])
        on = f"pin {there[0]}, {where}" if where else f"pin {there[0]}, which stays free"
        out.append(f"{does[a]} ends on {on}; it belongs on pin {want[a]}.")
    straight = len(got) > 1 and all(v == (k,) for k, v in got.items())
    if out and straight:
        return ["This is a straight lead, pin to the same pin: this job's lead is not straight."]
    return out


def _pair(cores: Sequence[Core], a: str, b: str) -> bool:
    pairs = {c.pin: c.pair for c in cores}
    return pairs[a] == pairs[b] != 0


def _ring(
    start: str, want: Mapping[str, str], got: Mapping[str, tuple[str, ...]]
) -> list[str] | None:
    """Pins whose ends are moved round among themselves, from one of them; None where they are
    not.
    """
    owner = {w: k for k, w in want.items()}
    out, at = [start], start
    while True:
        there = got.get(at, ())
        if len(there) != 1 or there[0] not in owner:
            return None
        at = owner[there[0]]
        if at == start:
            return out if len(out) > 2 else None
        if at in out:
            return None
        out.append(at)
