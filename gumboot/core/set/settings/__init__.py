"""Settings: the unit's own menu, filled. Each value with its reason and limits; what the crew keys
instead is judged.

Order that must hold: cut < warn < recover < float ≤ absorb ≤ BMS limit;
reserve SoC ≥ on-grid floor ≥ off-grid floor; back to grid < back to battery.
"""

from gumboot.core.set.settings.judging import menu_findings, unknown_findings
from gumboot.core.set.settings.menu import fill_menu
from gumboot.core.set.settings.rules import RULES
from gumboot.core.set.settings.setting import Job, Setting
from gumboot.core.set.settings.slot import SLOT, parse_slot, show_slot, without_work, work_keyed

__all__ = [
    "RULES",
    "SLOT",
    "Job",
    "Setting",
    "fill_menu",
    "menu_findings",
    "parse_slot",
    "show_slot",
    "unknown_findings",
    "without_work",
    "work_keyed",
]
