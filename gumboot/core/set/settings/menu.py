"""The unit's menu, filled line by line."""

from __future__ import annotations

import math

from gumboot.core.kit import MenuItem
from gumboot.core.set.settings.choosing import pick
from gumboot.core.set.settings.judging import misfit
from gumboot.core.set.settings.rules import RULES
from gumboot.core.set.settings.setting import Job, Setting, key_of
from gumboot.core.set.settings.slot import MODES


def fill_menu(job: Job) -> list[Setting]:
    """The menu of one unit in its own order; what the crew keyed, where the line takes it: for this
    unit, else for the first.
    """
    return [fill_line(item, job) for item in job.inverter.menu]


def fill_line(item: MenuItem, job: Job) -> Setting:
    """One line: its rule's value in the menu's own words and limits."""
    meant, reason, figure = RULES.get(item.rule, RULES["own"])(item, job)
    proposed, lacking = within(item, meant)
    why = reason
    first = None if item.rule in PER_UNIT and job.unit_no > 1 else keyed_at(item, job, 1)
    own = keyed_at(item, job, job.unit_no)
    given = proposed if first is None or job.unit_no == 1 else first
    keyed = first if own is None else own
    value = proposed if keyed is None else keyed
    chosen = keyed is not None
    if chosen:
        reason = "the crew's own choice"
    return Setting(
        id=item.id,
        group=item.group,
        label=item.label,
        unit=item.unit,
        value=value,
        proposed=proposed,
        reason=reason,
        options=item.options,
        least=item.least,
        most=item.most,
        step=item.step,
        figure=figure,
        rule=item.rule,
        meant=meant,
        why=why,
        lacking="" if chosen else lacking,
        chosen=chosen,
        windows=pick(item.options, MODES["windows"]) or "" if item.rule == "mode" else "",
        unit_no=job.unit_no,
        given=given,
    )


PER_UNIT = ("role", "line")  # what differs from unit to unit by its nature


def keyed_at(item: MenuItem, job: Job, unit_no: int) -> float | str | None:
    """What is keyed for a unit of its own, where the line takes it."""
    keyed = job.plan.settings.get(key_of(item.id, unit_no))
    if keyed is None or misfit(item, keyed):
        return None
    return keyed if isinstance(keyed, str) else float(keyed)


def within(item: MenuItem, meant: float | str) -> tuple[float | str, str]:
    """(the rule's value as the menu takes it, what the menu lacks of it)."""
    if item.rule == "own":
        return meant, ""
    if item.options:
        found = pick(item.options, str(meant))
        return (found, "") if found else (item.options[0], str(meant))
    if isinstance(meant, str):
        return meant, ""
    held = meant
    if item.step:
        held = round(math.floor(held / item.step + 1e-6) * item.step, 6)
    if item.least is not None:
        held = max(held, item.least)
    if item.most is not None:
        held = min(held, item.most)
    off = abs(held - meant) > (item.step or 0) + 1e-6 and meant > 0
    return held, f"{meant:g} {item.unit}" if off else ""
