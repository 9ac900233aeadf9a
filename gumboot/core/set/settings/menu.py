"""The unit's menu, filled line by line."""

from __future__ import annotations

import math
from dataclasses import replace

from gumboot.core.kit import MenuItem
from gumboot.core.kit.menu import shows
from gumboot.core.set.settings.choosing import pick
from gumboot.core.set.settings.judging import misfit
from gumboot.core.set.settings.rules import RULES, rule_for
from gumboot.core.set.settings.setting import Job, Setting
from gumboot.core.set.settings.slot import MODES
from gumboot.core.set.settings.windows import Of, numbered, of
from gumboot.core.size.limits import key_of


def fill_menu(job: Job) -> list[Setting]:
    """The menu of one unit in its own order; what the crew keyed, where the line takes it: for this
    unit, else for the first.
    """
    menu = job.unit.menu
    own = numbered(menu)
    rows = [fill_line(item, job, own.get(item.id)) for item in menu]
    values = {s.id: s.value for s in rows}
    return [
        s if shows(item, values) else replace(s, shown=False)
        for item, s in zip(menu, rows, strict=True)
    ]


def fill_line(item: MenuItem, job: Job, window: Of | None) -> Setting:
    """One line: its rule's value in the menu's own words and limits."""
    meant, reason, figure = rule_for(item, job, window)
    proposed, lacking = within(item, meant)
    why = reason
    own_line = item.per_unit or item.rule in PER_UNIT
    first = None if own_line and job.unit_no != job.first else keyed_at(item, job, job.first)
    own = keyed_at(item, job, job.unit_no)
    given = proposed if first is None or job.unit_no == job.first else first
    keyed = first if own is None else own
    value = proposed if keyed is None else keyed
    chosen = keyed is not None
    if chosen:
        reason = "the crew's own choice"
    elif lacking:
        reason = f"{lacking} is meant, which the menu lacks: {reason}"
    elif item.rule in LIMITS and proposed == item.most != meant:
        reason = f"the menu goes no higher; {reason}"
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
        windows=choose(item, MODES["windows"]) or "" if item.rule == "mode" else "",
        unit_no=job.unit_no,
        given=given,
        number=item.number,
        default=item.default,
        display=item.display(value),
        works="" if item.default is None else item.display(item.default),
        restart=item.restart,
        profile=item.profile,
        means_now=item.meaning(value) if isinstance(value, str) else "",
        window=window,
    )


def choose(item: MenuItem, wanted: str) -> str | None:
    """The choice of a line that means what is wanted: by the sheet's own word, else by what menus
    call it.
    """
    return item.choice(wanted) or pick(item.options, wanted)


PER_UNIT = ("role", "line", "phase_mode", "bus_address")  # each unit has its own by its nature


LIMITS = ("charge", "discharge", "grid_charge_a", "gen_charge_a", "pass_through", "export")


def keyed_at(item: MenuItem, job: Job, unit_no: int) -> float | str | None:
    """What is keyed for a unit of its own, where the line takes it."""
    keyed = job.plan.settings.get(key_of(item.id, unit_no))
    if keyed is None or misfit(item, keyed):
        return None
    return keyed if isinstance(keyed, str) else float(keyed)


def within(item: MenuItem, meant: float | str) -> tuple[float | str, str]:
    """(the rule's value as the menu takes it, what the menu lacks of it)."""
    if item.rule not in RULES and of(item.rule) is None:
        return meant, ""
    if item.options:
        found = choose(item, f"{meant:g}" if not isinstance(meant, str) else meant)
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
    off = off and not (item.rule in LIMITS and held < meant)  # holds back more than it has to
    return held, f"{meant:g} {item.unit}" if off else ""
