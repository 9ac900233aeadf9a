"""The walk of keying: every line that shows, in the order in which it can be keyed.

clock and date come first; a line comes after the one it shows under, and after every line that
rewrites it; else as the unit's menu has them
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from typing import TYPE_CHECKING

from gumboot.core.basis.words import inside
from gumboot.core.kit import Converter, MenuItem
from gumboot.core.kit.menu import SLOT, TIME
from gumboot.core.plan.kit import CONTROLLERS
from gumboot.core.set.settings import Setting
from gumboot.core.walk.step import Step

if TYPE_CHECKING:
    from gumboot.core.design import Design

FIRST = ("clock", "date")
RESTART_S = 60.0  # how long a unit may take to be back: common practice


def order_of(menu: Sequence[MenuItem]) -> list[MenuItem]:
    """The lines in the order of keying. A circle of rewriting lines is broken where the menu comes
    to it first.
    """
    after: dict[str, set[str]] = {m.id: {m.when} if m.when else set() for m in menu}
    for m in menu:
        for other in m.rewrites:
            after.setdefault(other, set()).add(m.id)
    rows = sorted(menu, key=lambda m: m.rule not in FIRST)
    out: list[MenuItem] = []
    done: set[str] = set()
    while rows:
        free = next((m for m in rows if after[m.id] - {m.id} <= done), rows[0])
        rows.remove(free)
        done.add(free.id)
        out.append(free)
    return out


def steps_of(d: Design) -> tuple[Step, ...]:
    """The walk through the menus of all units: inverters, the first one's first, then charge
    controllers.
    """
    kit, out = d.plan.kit, list[Step]()
    for n in kit.units:
        sheet, menu, first = d.unit(n), d.menu(n), CONTROLLERS + 1 if n > CONTROLLERS else 1
        name = "" if len(kit.units) == 1 else kit.unit_name(n)
        if sheet is not None and menu:
            out += _of_unit(sheet, menu, n, name, d.menu(first), n != first)
    return tuple(out)


def _of_unit(
    unit: Converter,
    menu: Sequence[Setting],
    unit_no: int,
    name: str,
    first: Sequence[Setting],
    follows: bool,
) -> Iterator[Step]:
    stage, whole = name or "Key in", f" of {inside(name)}" if name else ""
    yield Step(
        f"firmware.{unit_no}",
        stage,
        f"Firmware{whole} as found",
        "As the display or the app shows it, before anything is keyed: an update may change lines.",
        "text",
    )
    of = {s.id: s for s in menu}
    other = {s.id: s.value for s in first}
    restarts: list[str] = []
    for item in order_of(unit.menu):
        s = of[item.id]
        if not s.shown:
            continue
        if restarts and item.id in _waiting(unit.menu, restarts):
            yield _restart(unit_no, stage, restarts)
            restarts = []
        yield _key(s, unit_no, stage, follows and other.get(s.id) != s.value)
        if s.restart and s.value != s.default:
            restarts.append(s.id)
    if restarts:
        yield _restart(unit_no, stage, restarts)


def _waiting(menu: Iterable[MenuItem], restarts: Sequence[str]) -> set[str]:
    """Lines that are keyed once the unit is back: those that some lines rewrite or show."""
    return {
        id
        for m in menu
        for id in ((*m.rewrites,) if m.id in restarts else (m.id,) if m.when in restarts else ())
    }


def _key(s: Setting, unit_no: int, stage: str, differs: bool) -> Step:
    head = f"{s.number} {s.label}".strip()
    was = f"From the works: {s.works}. " if s.works else ""
    stays = s.default is not None and s.default == s.value
    says = f"{was}{s.reason[:1].upper()}{s.reason[1:]}."
    if differs:
        says += " The other unit has another value here."
    if s.profile:
        says += (
            " Of the grid profile: only a licensed person chooses it, as the grid operator says."
            " Where the unit shows what it stands for, compare it with the table under Menu."
        )
    shown = _display(s)
    choice = f"{s.value}" if isinstance(s.value, str) and s.value != shown else ""
    return Step(
        f"key.{unit_no}.{s.id}={shown}",
        stage,
        head,
        f"{says}{' It stays as it is.' if stays else ''}",
        "key",
        f"{shown}{f' ({choice})' if choice else ''}",
        least=None if isinstance(s.value, str) else float(s.value),
        lever=shown,
    )


def _display(s: Setting) -> str:
    unit = "" if s.unit in (SLOT, TIME, "") or isinstance(s.value, str) else f" {s.unit}"
    return f"{s.display}{unit}"


def _restart(unit_no: int, stage: str, lines: Sequence[str]) -> Step:
    return Step(
        f"restart.{unit_no}.{lines[0]}",
        stage,
        "Restart the unit",
        "What was keyed takes effect after a restart: off, dark, on again; and look whether it"
        " stands there still.",
        "wait",
        "it is back, and shows what was keyed",
        wait_s=RESTART_S,
    )


def near(s: Setting) -> float:
    """How far off a figure may be and still show the same."""
    return 0.5 * (s.step or 1e-3) - 1e-9


def judged(s: Setting, typed: str) -> tuple[str, str]:
    """(verdict, why) of what was keyed for a line: "done" where the display shows what was to be
    keyed, "outside" for another value.
    """
    text = typed.strip()
    if text.lower() in {str(s.display).lower(), str(s.value).lower(), _display(s).lower()}:
        return "done", ""
    if isinstance(s.value, str):
        return "outside", f"“{text}” stands there, and {s.value} was to be keyed"
    try:
        value = float(text.lower().removesuffix(s.unit.lower()).strip().replace(",", "."))
    except ValueError:
        return "outside", f"“{text}” stands there, and {_display(s)} was to be keyed"
    within = abs(value - s.value) < near(s)
    return ("done", "") if within else ("outside", f"{value:g} {s.unit} stands there".strip())
