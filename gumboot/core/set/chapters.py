"""The chapter of Set: the unit's menu, filled."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import replace

from gumboot.core.basis.finding import Finding
from gumboot.core.basis.words import inside
from gumboot.core.brief.chapters import KIT, chosen
from gumboot.core.chapter import Chapter, Draft
from gumboot.core.set.ladder import Ladder, ladders
from gumboot.core.set.settings import Job, Setting, fill_menu, menu_findings
from gumboot.core.size.chapters import CONDUCTORS
from gumboot.core.size.equipment import BANK


def _job(d: Draft) -> Job:
    kit = chosen(d)
    return Job(d.plan, kit.inverter, kit.pack, d[BANK], d[CONDUCTORS].circuits)


def menu_of(d: Draft, unit_no: int) -> tuple[Setting, ...]:
    """The menu of one unit, from 1."""
    return tuple(fill_menu(replace(_job(d), unit_no=unit_no)))


def ladders_of(d: Draft, unit_no: int) -> tuple[Ladder, ...]:
    """The ladders of one unit's menu, from 1."""
    return ladders(menu_of(d, unit_no), replace(_job(d), unit_no=unit_no))


def _menu(d: Draft) -> tuple[Setting, ...]:
    return tuple(fill_menu(_job(d)))


def _found(settings: tuple[Setting, ...], d: Draft) -> Iterable[Finding]:
    yield from menu_findings(list(settings), _job(d))
    yield from other_units(list(settings), _job(d))


def other_units(first: list[Setting], job: Job) -> list[Finding]:
    """What is wrong with the menus of the second unit on, where they differ from the first's."""
    known = {f.says for f in menu_findings(first, job)}
    out = []
    for n in range(2, job.plan.kit.inverters + 1):
        if not any(k.endswith(f".unit-{n}") for k in job.plan.settings):
            continue
        unit = replace(job, unit_no=n)
        for f in menu_findings(fill_menu(unit), unit):
            if f.says not in known:
                says = f"Inverter {n}: {inside(f.says)}"
                out.append(replace(f, key=f"{f.key}.unit-{n}", says=says))
    return out


MENU: Chapter[tuple[Setting, ...]] = Chapter(
    "menu",
    _menu,
    reads=("settings", "energy", "backup", "kit", "supply"),
    needs=(BANK,),
    requires=(KIT, CONDUCTORS),
    findings=_found,
    figures=lambda rows: ((f"set.{s.id}", s.figure) for s in rows if s.figure),
    station="set",
)
