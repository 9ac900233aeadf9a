"""Words as they stand inside a sentence."""

from __future__ import annotations

from collections.abc import Sequence


def inside(words: str) -> str:
    """The first letter small, but for abbreviations: "PV inverter" and "Inverter 1" become "PV
    inverter" and "inverter 1".
    """
    return words if words[1:2].isupper() else words[:1].lower() + words[1:]


def listed(names: Sequence[str]) -> str:
    """Names in a sentence: "a, b and c"."""
    rows = list(dict.fromkeys(names))
    return rows[0] if len(rows) == 1 else f"{', '.join(rows[:-1])} and {rows[-1]}"


def counted(n: int, thing: str) -> str:
    """So many of a thing: "one pack", "3 packs"."""
    return f"one {thing}" if n == 1 else f"{n} {thing}s"
