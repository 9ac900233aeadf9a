"""The chapter of Set: the menu of every unit, filled."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import replace

from gumboot.core.basis.figure import COMMON_PRACTICE
from gumboot.core.basis.finding import Finding, check
from gumboot.core.basis.words import inside
from gumboot.core.brief.chapters import KIT, chosen
from gumboot.core.chapter import Chapter, Draft
from gumboot.core.plan.kit import CONTROLLERS
from gumboot.core.set.ladder import Ladder, ladders
from gumboot.core.set.settings import Job, Setting, fill_menu, menu_findings, unknown_findings
from gumboot.core.set.settings.agreement import back, equalises
from gumboot.core.size.chapters import CONDUCTORS
from gumboot.core.size.equipment import BANK

APART_V = 0.2  # of a 48 V bank: how far what charges one bank may differ; common practice


def _job(d: Draft, unit_no: int = 1) -> Job:
    kit = chosen(d)
    circuits = d[CONDUCTORS].circuits
    return Job(d.plan, kit.inverter, kit.pack, d[BANK], circuits, unit_no, kit.controller)


def menu_of(d: Draft, unit_no: int) -> tuple[Setting, ...]:
    """The menu of one unit: an inverter from 1, a charge controller from 11."""
    return tuple(fill_menu(_job(d, unit_no)))


def ladders_of(d: Draft, unit_no: int) -> tuple[Ladder, ...]:
    """The ladders of one unit's menu."""
    return ladders(menu_of(d, unit_no), _job(d, unit_no))


def _menu(d: Draft) -> tuple[Setting, ...]:
    return tuple(fill_menu(_job(d)))


def _found(settings: tuple[Setting, ...], d: Draft) -> Iterable[Finding]:
    kit = d.plan.kit
    yield from menu_findings(list(settings), _job(d))
    yield from unknown_findings(d.plan, {n: _job(d, n).unit.menu for n in kit.units})
    yield from other_units(list(settings), _job(d), range(2, kit.inverters + 1))
    if chosen(d).controller is None or not kit.controllers_fitted:
        return
    first = _job(d, CONTROLLERS + 1)
    rows = fill_menu(first)
    name = kit.unit_name(first.unit_no) if kit.controllers_fitted == 1 else "Charge controllers"
    for f in menu_findings(rows, first):
        yield replace(f, key=f"{f.key}.controller", says=f"{name}: {inside(f.says)}")
    yield from apart(settings, rows, name)
    others = range(CONTROLLERS + 2, CONTROLLERS + 1 + kit.controllers_fitted)
    for n in others:
        theirs = menu_of(d, n)
        own = {f"set.{s.id}.apart" for s in theirs if s.key in d.plan.settings}
        for f in apart(settings, theirs, kit.unit_name(n)):
            if f.key in own:
                yield replace(f, key=f"{f.key}.unit-{n}")
    yield from other_units(rows, first, others)


def other_units(first: list[Setting], job: Job, others: Iterable[int]) -> list[Finding]:
    """What is wrong with the menus of the second unit on, where they differ from the first's."""
    known = {f.says for f in menu_findings(first, job)}
    out = []
    for n in others:
        if not any(k.endswith(f".unit-{n}") for k in job.plan.settings):
            continue
        unit, name = replace(job, unit_no=n), job.plan.kit.unit_name(n)
        for f in menu_findings(fill_menu(unit), unit):
            if f.says not in known:
                says = f"{name}: {inside(f.says)}"
                out.append(replace(f, key=f"{f.key}.unit-{n}", says=says))
    return out


def apart(one: Iterable[Setting], other: Iterable[Setting], name: str) -> Iterator[Finding]:
    """Volts that inverter and charge controllers bring one bank to, where they differ."""
    ours, theirs = list(one), list(other)
    for rule in ("absorb", "float", "equalise_v"):
        a = next((s for s in ours if s.rule == rule and s.shown), None)
        b = next((s for s in theirs if s.rule == rule and s.shown), None)
        if a is None or b is None or isinstance(a.value, str) or isinstance(b.value, str):
            continue
        if rule == "equalise_v" and not (equalises(ours) and equalises(theirs)):
            continue
        if abs(a.value - b.value) > APART_V + 1e-9:
            says = (
                f"{name}: {inside(b.label)} {b.value:g} V, the inverter {a.value:g} V: what charges"
                " one bank brings it to the same volts, else one of them stops early."
            )
            cure = back(b) if b.chosen else back(a)
            yield check(f"set.{b.id}.apart", f"set.{b.id}", says, COMMON_PRACTICE, cure)


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
