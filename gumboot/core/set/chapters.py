"""The chapter of Set: the unit's menu, filled."""

from __future__ import annotations

from collections.abc import Iterable

from gumboot.core.basis.finding import Finding
from gumboot.core.brief.chapters import KIT, chosen
from gumboot.core.chapter import Chapter, Draft
from gumboot.core.set.settings import Job, Setting, fill_menu, menu_findings
from gumboot.core.size.chapters import CONDUCTORS
from gumboot.core.size.equipment import BANK


def _job(d: Draft) -> Job:
    kit = chosen(d)
    return Job(d.plan, kit.inverter, kit.pack, d[BANK], d[CONDUCTORS].circuits)


def _menu(d: Draft) -> tuple[Setting, ...]:
    return tuple(fill_menu(_job(d)))


def _found(settings: tuple[Setting, ...], d: Draft) -> Iterable[Finding]:
    return menu_findings(list(settings), _job(d))


MENU: Chapter[tuple[Setting, ...]] = Chapter(
    "menu",
    _menu,
    reads=("settings", "energy", "backup", "kit", "supply"),
    needs=(BANK,),
    requires=(KIT, CONDUCTORS),
    findings=_found,
    figures=lambda rows: ((f"set.{s.id}", s.figure) for s in rows if s.figure),
)
