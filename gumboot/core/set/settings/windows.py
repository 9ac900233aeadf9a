"""Windows of any make: a line for the whole of it, or lines for its start, end, state of charge,
power, days and whether it is on. Their meanings say which: "window.charge.2.start".
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable
from dataclasses import dataclass
from typing import Literal, cast

from gumboot.core.basis import clock
from gumboot.core.kit import MenuItem
from gumboot.core.plan import Slot
from gumboot.core.set.settings.choosing import pick
from gumboot.core.set.settings.setting import Filled, Job, Setting

Way = Literal["charge", "give"]
MEANING = re.compile(r"window\.(charge|give)\.([1-9])(?:\.(start|end|enable|soc|power|days))?")
OLD: dict[str, Way] = {"charge_slot": "charge", "give_slot": "give"}
OFF = "00:00"
UNUSED_SOC = {"charge": 100.0, "give": 20.0}  # where a menu's window has none: to full, to a floor


@dataclass(frozen=True, slots=True)
class Of:
    """What a line is of a window: which way, its number, which part ("" the whole of it)."""

    way: Way
    n: int
    part: str


def of(rule: str) -> Of | None:
    """What a meaning says of a window; None where it says nothing of one."""
    found = MEANING.fullmatch(rule)
    return Of(cast(Way, found[1]), int(found[2]), found[3] or "") if found else None


def numbered(menu: Iterable[MenuItem]) -> dict[str, Of]:
    """Every line of a menu that is of a window, by its id. Lines of a whole window that have no
    number are counted as they come.
    """
    out: dict[str, Of] = {}
    counts = {"charge": 0, "give": 0}
    for m in menu:
        if m.rule in OLD:
            way = OLD[m.rule]
            counts[way] += 1
            out[m.id] = Of(way, counts[way], "")
        elif (found := of(m.rule)) is not None:
            out[m.id] = found
    return out


def planned(job: Job, way: Way, n: int) -> Slot | None:
    """The plan's window of a number, from 1."""
    work = job.plan.energy.work
    slots = work.charge if way == "charge" else work.discharge
    return slots[n - 1] if work.mode == "windows" and n <= len(slots) else None


def part_rule(own: Of, whole: Callable[[Slot], str]) -> Callable[[MenuItem, Job], Filled]:
    """What a line of a window is given. whole: how a whole window is shown."""

    def rule(item: MenuItem, job: Job) -> Filled:
        slot = planned(job, own.way, own.n)
        unused = slot is None
        why = (
            "the plan needs no such window"
            if unused
            else "from the plan's windows; Year shows a year with them"
        )
        match own.part:
            case "":
                return whole(slot) if slot else "off", why, None
            case "start" | "end":
                if slot is None:
                    return OFF, why, None
                at = slot.start_min if own.part == "start" else slot.end_min
                return clock.show_minutes(at % 1440), why, None
            case "enable":
                return "off" if unused else "on", why, None
            case "soc":
                return (slot.soc if slot else UNUSED_SOC[own.way]), why, None
            case "power":
                return job.inverter.power_w, "the unit's own limits hold it", None
            case _:
                return "every day", "the tariff's days decide; key them where it has weekends", None

    return rule


def keyed(settings: Iterable[Setting], parse: Callable[[str], Slot | None]) -> dict[str, Slot]:
    """Every window that is used, by the id of the line it starts with; a line that is off, or
    starts where it ends, is none.
    """
    rows: dict[tuple[Way, int], dict[str, Setting]] = {}
    for s in settings:
        if s.window is not None and s.shown:
            rows.setdefault((s.window.way, s.window.n), {})[s.window.part] = s
    out: dict[str, Slot] = {}
    for (way, _), parts in rows.items():
        if "" in parts:
            slot = parse(str(parts[""].value))
            if slot:
                out[parts[""].id] = slot
            continue
        if not {"start", "end"} <= set(parts):
            continue
        on = parts.get("enable")
        if on is not None and (on.means_now == "off" or pick(on.options, "off") == on.value):
            continue
        try:
            start, end = (clock.parse_time(str(parts[p].value)) for p in ("start", "end"))
        except clock.NotATime:
            continue
        if start == end:
            continue
        soc = parts["soc"].value if "soc" in parts else UNUSED_SOC[way]
        level = float(soc) if not isinstance(soc, str) else UNUSED_SOC[way]
        out[parts["start"].id] = Slot(start_min=start, end_min=end or 1440, soc=level)
    return out
