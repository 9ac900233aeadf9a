"""The chapters of Brief that look at what Size found: the load board, and the generator."""

from __future__ import annotations

from collections.abc import Iterable, Iterator

from gumboot.core.basis.figure import Figure
from gumboot.core.basis.finding import Finding
from gumboot.core.brief.chapters import KIT, named
from gumboot.core.brief.loads import (
    Board,
    Charging,
    board_findings,
    design_board,
    design_charging,
    generator_findings,
)
from gumboot.core.brief.loads.board.neutral import drop_of
from gumboot.core.chapter import Chapter, Draft
from gumboot.core.set.chapters import MENU
from gumboot.core.set.settings import Setting
from gumboot.core.size.chapters import CONDUCTORS, SIZED
from gumboot.core.size.equipment import BANK


def _board(d: Draft) -> Board | None:
    kit, bank = d[KIT], d[BANK]
    assert kit is not None  # noqa: S101 - required
    energy = bank.energy if bank else None
    return design_board(d.plan, kit.inverter, kit.gateway, d[CONDUCTORS].circuits, energy)


def _board_found(board: Board | None, d: Draft) -> Iterable[Finding]:
    kit = d[KIT]
    assert kit is not None  # noqa: S101 - required
    return board_findings(d.plan, board, kit.inverter)


def _board_figures(board: Board | None) -> Iterator[tuple[str, Figure]]:
    if board is None:
        return
    for leg in (board.total, *board.legs):
        kinds = ("at_once", "running", "start", "continuous", "surge")
        yield from named(f"board.{leg.name}", leg, *kinds)
    for leg, amps in zip(board.legs, board.house, strict=True):
        yield f"board.{leg.name}.amps", amps
    yield from named("board", board, "e_day", "e_night", "nights", "pass_through", "neutral")
    yield from ((f"load.{k}.starting", f) for k, f in board.starting.items())


BOARD: Chapter[Board | None] = Chapter(
    "board",
    _board,
    reads=("loads", "backup", "kit", "site", "supply", "code", "energy", "units"),
    needs=(BANK,),
    requires=(KIT, CONDUCTORS),
    findings=_board_found,
    figures=_board_figures,
    station="brief",
)


def _menu(d: Draft) -> tuple[Setting, ...]:
    menu: tuple[Setting, ...] = d[MENU]
    return menu


def _unlike(d: Draft) -> Figure | None:
    board = d[BOARD]
    return drop_of(board.unlike, d[SIZED].circuits) if board and board.unlike else None


UNLIKE: Chapter[Figure | None] = Chapter(  # lengths count here, and nowhere else on the board
    "unlike",
    _unlike,
    needs=(BOARD,),
    requires=(SIZED,),
    figures=lambda x: (("board.unlike", x),) if x else (),
    station="brief",
)


def _charging(d: Draft) -> Charging | None:
    kit = d[KIT]
    assert kit is not None  # noqa: S101 - required
    return design_charging(d.plan, kit.inverter, d[BANK], d[BOARD], _menu(d))


def _charging_found(charging: Charging | None, d: Draft) -> Iterable[Finding]:
    kit = d[KIT]
    assert kit is not None  # noqa: S101 - required
    return generator_findings(d.plan, kit.inverter, charging, _menu(d))


def _charging_figures(charging: Charging | None) -> Iterator[tuple[str, Figure]]:
    if charging is not None:
        yield from named("generator", charging, "power", "charger", "need", "hours")


CHARGING: Chapter[Charging | None] = Chapter(
    "charging",
    _charging,
    reads=("kit", "loads", "backup", "settings", "units"),
    needs=(BANK, BOARD),
    requires=(KIT, MENU),
    findings=_charging_found,
    figures=_charging_figures,
    station="brief",
)
