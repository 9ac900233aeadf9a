"""A line of the unit's menu."""

from __future__ import annotations

from gumboot.core.kit.entry import Entry


class MenuItem(Entry):
    """One line of the unit's menu. `rule` names the function of `core.settings` that fills it."""

    id: str
    group: str
    label: str
    unit: str = ""
    rule: str
    options: tuple[str, ...] = ()
    least: float | None = None
    most: float | None = None
    step: float | None = None
