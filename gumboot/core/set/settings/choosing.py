"""A choice of the unit's own menu for what a rule means, however the menu words it."""

from __future__ import annotations

import re
from collections.abc import Sequence

WORDS: dict[str, tuple[str, ...]] = {  # what menus call it: common practice
    "on": ("on", "yes", "enable", "enabled", "active", "1"),
    "off": ("off", "no", "disable", "disabled", "inactive", "0", "none"),
    "on in island": ("island", "backup", "on", "enable", "enabled", "auto"),
    "none": ("none", "off", "no", "disabled"),
    "self-use": ("self", "self-use", "own"),
    "backup first": ("backup", "reserve"),
    "time windows": ("time", "windows", "window", "schedule", "tou"),
    "lithium with BMS": ("lithium", "li", "lfp", "lifepo4", "ion"),
    "lead, flooded": ("flooded", "fla", "wet", "vented"),
    "lead, sealed": ("sealed", "agm", "vrla", "sla"),
    "lead, gel": ("gel",),
    "battery": ("battery", "bat"),
    "grid": ("grid", "export", "feed"),
    "leader": ("leader", "first", "1"),
    "follower": ("follower", "second", "next", "2"),
    "alone": ("alone", "single", "stand-alone", "off"),
}
WITHOUT = ("without", "no", "non")


def tokens(text: str) -> list[str]:
    """The words of a choice."""
    return re.findall(r"[a-z0-9][a-z0-9-]*", text.lower().replace("_", " "))


def pick(options: Sequence[str], wanted: str) -> str | None:
    """The choice that means what is wanted: the same words, else the first that shares the most of
    what menus call it; None where none does.

    >>> pick(("Disable", "Enable"), "on"), pick(("AGM", "Li-ion (BMS)", "Gel"), "lithium with BMS")
    ('Enable', 'Li-ion (BMS)')
    >>> pick(("CAN", "RS485"), "CAN 500 kbit/s"), pick(("red", "blue"), "on") is None
    ('CAN', True)
    """
    if wanted in options:
        return wanted
    called = WORDS.get(wanted) or tuple(tokens(wanted))
    scored = [(_score(tokens(x.replace("-", " ") + " " + x), called), x) for x in options]
    best = max((s for s, _ in scored), default=0)
    return next((x for s, x in scored if s == best), None) if best > 0 else None


def _score(words: Sequence[str], called: Sequence[str]) -> float:
    bare = {w.replace("-", "") for w in words}
    same = sum(c.replace("-", "") in bare for c in called)
    return same - 0.5 * any(w in words for w in WITHOUT) if same else 0
