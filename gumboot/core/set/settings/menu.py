"""The unit's menu, filled line by line."""

from __future__ import annotations

from gumboot.core.set.settings.judging import misfit
from gumboot.core.set.settings.rules import RULES
from gumboot.core.set.settings.setting import Job, Setting


def fill_menu(job: Job) -> list[Setting]:
    """The menu in the unit's own order; what the crew keyed, where the line takes it. A rule the
    program lacks is a broken catalogue (KeyError).
    """
    settings: list[Setting] = []
    for item in job.inverter.menu:
        proposed, reason, figure = RULES[item.rule](item, job)
        keyed = job.plan.settings.get(item.id)
        value: float | str = proposed
        if keyed is not None and not misfit(item, keyed):
            value = keyed if isinstance(keyed, str) else float(keyed)
            reason = "the crew's own choice"
        settings.append(
            Setting(
                item.id,
                item.group,
                item.label,
                item.unit,
                value,
                proposed,
                reason,
                item.options,
                item.least,
                item.most,
                item.step,
                figure,
            )
        )
    return settings
