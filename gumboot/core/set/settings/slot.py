"""A window of the menu as text, and the way of working that is keyed."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from typing import Literal, get_args

from gumboot.core.basis import clock
from gumboot.core.kit import MenuItem
from gumboot.core.plan import Slot, Work, WorkMode
from gumboot.core.set.settings import windows
from gumboot.core.set.settings.choosing import pick
from gumboot.core.set.settings.setting import Setting

MODES = {
    "self-use": "self-use",
    "reserve for outage": "backup first",
    "windows": "time windows",
}  # the plan's word, the menu's
MODE_REASONS = {
    "self-use": "solar serves the house, then the battery, then the grid",
    "reserve for outage": "the battery is kept full down to the reserve, for an outage",
    "windows": (
        "the tariff changes with the hour: the battery fills while it is cheap and gives while it"
        " is dear"
    ),
}
WORK_RULES = ("mode", "grid_charge", "spare_sun")  # how the battery works, with its windows
SLOT = "slot"  # the unit of a menu line that takes a window: "02:00-05:00 to 80 %", or "off"


def show_slot(slot: Slot) -> str:
    """A window as the menu shows it."""
    return f"{clock.show_spans([(slot.start_min, slot.end_min)])} to {slot.soc:g} %"


def parse_slot(text: str) -> Slot | None:
    """A window as it is typed; None for "off". Raises NotATime, with what to type.

    >>> parse_slot("2-5 to 80 %")
    Slot(start_min=120, end_min=300, soc=80.0)
    """
    if text.strip().lower() in ("", "off"):
        return None
    found = re.fullmatch(r"(.+?)\s*(?:to|,)\s*(\d{1,3}(?:\.\d)?)\s*%?\s*", text)
    if not found or float(found[2]) > 100:
        raise clock.NotATime(
            f"“{text}” is not a window: type off, or hours and a state of charge such as"
            " 02:00-05:00 to 80 %"
        )
    spans = clock.parse_spans(found[1])
    if len(spans) != 1:
        raise clock.NotATime(f"“{text}” is more than one window: each has its own line")
    return Slot(start_min=spans[0][0], end_min=spans[0][1], soc=float(found[2]))


def without_work(
    keyed: Mapping[str, float | str], menu: Sequence[MenuItem]
) -> dict[str, float | str]:
    """What the crew keyed of its own, but for how the battery works."""
    own = windows.numbered(menu)
    work = {m.id for m in menu if m.rule in WORK_RULES or m.id in own}
    return {k: v for k, v in keyed.items() if k.partition(".unit-")[0] not in work}


def is_now(s: Setting, word: str) -> bool:
    """Whether a line holds the choice that means a word."""
    return s.means_now == word or pick(s.options, word) == s.value


def work_keyed(settings: Sequence[Setting], otherwise: Work) -> Work:
    """How the battery will work by what is keyed; `otherwise` where the menu has no work mode."""
    rules: dict[str, list[Setting]] = {}
    for s in settings:
        rules.setdefault(s.rule, []).append(s)
    if "mode" not in rules:
        return otherwise
    keyed = rules["mode"][0]
    mode: WorkMode = next(
        (m for m in get_args(WorkMode) if is_now(keyed, MODES[m])),
        "self-use",
    )
    if mode != "windows":
        return Work(mode=mode)
    used = windows.keyed(settings, parse_slot)
    of = {s.id: s.window for s in settings if s.window is not None}
    charge, give = (
        tuple(slot for id, slot in used.items() if of[id].way == way)[:3]
        for way in ("charge", "give")
    )

    def is_(rule: str, word: str) -> bool:
        return any(is_now(s, word) for s in rules.get(rule, ()))

    spare: Literal["battery", "grid"] = "grid" if is_("spare_sun", "grid") else "battery"
    return Work(
        mode=mode,
        spare_sun=spare,
        charge=() if is_("grid_charge", "off") else charge,
        discharge=give,
    )
