"""A choice of the unit's own menu for what a rule means, however the menu words it."""

from __future__ import annotations

import re
from collections.abc import Sequence

WORDS: dict[str, tuple[str, ...]] = {  # what menus call it: common practice
    "on": ("on", "yes", "enable", "enabled", "active", "1"),
    "off": ("off", "no", "disable", "disabled", "inactive", "0", "none"),
    "on in island": ("island", "backup", "on", "enable", "enabled", "auto"),
    "none": ("none", "off", "no", "without", "disabled"),
    "self-use": ("self", "self-use", "own"),
    "backup first": ("backup", "reserve"),
    "time windows": ("time", "windows", "window", "schedule", "tou"),
    "lithium with BMS": ("lfp", "lifepo4", "lithium", "li"),
    "lithium NMC with BMS": ("nmc", "nca", "ternary", "lithium", "li"),
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
AGAINST: dict[str, tuple[str, ...]] = {  # what says that a choice is for other cells
    "lithium with BMS": ("nmc", "nca", "ternary"),
    "lithium NMC with BMS": ("lfp", "lifepo4", "iron"),
}


def tokens(text: str) -> list[str]:
    """The words of a choice, a number apart from its unit."""
    apart = re.sub(r"(?<=\d)(?=[a-z])", " ", text.lower().replace("_", " "))
    words = re.findall(r"[a-z0-9][a-z0-9-]*", apart)
    return [w for w in words if len(w) > 1 or w.isdigit()]  # the "s" of bit/s says nothing


def pick(options: Sequence[str], wanted: str) -> str | None:
    """The choice that means what is wanted: the same words, else that which shares the most of what
    menus call it, of equals the nearest to the head of that list; None where none does.

    >>> pick(("Disable", "Enable"), "on"), pick(("AGM", "Li-ion (BMS)", "Gel"), "lithium with BMS")
    ('Enable', 'Li-ion (BMS)')
    >>> pick(("CAN", "RS485"), "CAN 500 kbit/s"), pick(("red", "blue"), "on") is None
    ('CAN', True)
    >>> pick(("50Hz", "60Hz"), "60 Hz")
    '60Hz'
    """
    if wanted in options:
        return wanted
    called, against = WORDS.get(wanted) or tuple(tokens(wanted)), AGAINST.get(wanted, ())
    best = max(options, key=lambda x: _score(x, called, against), default="")
    return best if _score(best, called, against)[0] else None


def alike(a: str, b: str, wanted: str) -> bool:
    """Whether two choices mean the same of what is wanted: both are what menus call it, or share as
    much of it.

    >>> alike("Off", "Disable", "off"), alike("CAN 250 kbit/s", "CAN 500 kbit/s", "CAN 500 kbit/s")
    (True, False)
    """
    called = WORDS.get(wanted)
    if called is None:
        return _score(a, tokens(wanted)) == _score(b, tokens(wanted))
    against = AGAINST.get(wanted, ())
    return bool(_score(a, called, against)[0]) == bool(_score(b, called, against)[0])


def _score(option: str, called: Sequence[str], other: Sequence[str] = ()) -> tuple[int, int]:
    """(how many of the words an option shares, how near the first of them is to the head); nothing
    where one of `other` stands in it.
    """
    words = tokens(option.replace("-", " ") + " " + option)
    bare = {w.replace("-", "") for w in words}
    same = [n for n, c in enumerate(called) if c.replace("-", "") in bare]
    against = any(w in words and w not in called for w in (*WITHOUT, *other))
    return (0, 0) if against or not same else (len(same), -same[0])
