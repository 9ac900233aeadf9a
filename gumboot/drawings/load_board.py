"""The load board as the house's own panel: a bar for each leg, circuits hung on it, and at its foot
what it must carry against what it can.
"""

from __future__ import annotations

from collections.abc import Sequence

from gumboot.core.basis.clock import show_minutes
from gumboot.core.basis.figure import given, with_unit
from gumboot.core.brief.loads.board import Board, Leg
from gumboot.core.design import Design
from gumboot.core.plan import Load
from gumboot.drawings.svg import box, line, picture, tag, text

ROW, TOP = 24.0, 34.0
TOGGLE = 16.0


def kilo(value: float, beside: float) -> str:
    """W in kW as they are read; to four figures where the number beside it would read alike."""
    k = given("P", value / 1000, "kW", "", "")
    return k.against(beside / 1000).removesuffix(" kW")


def load_board(design: Design) -> str:
    """The drawing as SVG text; empty without an inverter or loads."""
    if design.inverter is None or design.board is None:
        return ""
    legs = [x.name for x in design.board.legs]
    loads = [(i, x) for i, x in enumerate(design.plan.loads) if set(x.legs.split("+")) <= set(legs)]
    wide = 780.0 if len(legs) > 1 else 430.0
    column = wide / len(legs)
    x_of = {leg: n * column + 26 for n, leg in enumerate(legs)}
    book = design.plan.book.swatch
    parts: list[str] = []
    y = TOP
    for i, x in ((i, x) for i, x in loads if x.backed and "+" in x.legs):
        on = [legs.index(leg) for leg in x.legs.split("+")]
        y = _circuit(parts, i, x, x_of, y, column * (max(on) - min(on) + 1))
    narrow = {leg: [(i, x) for i, x in loads if x.backed and x.legs == leg] for leg in legs}
    low = y
    for leg in legs:
        at = y
        for i, x in narrow[leg]:
            at = _circuit(parts, i, x, x_of, at, column)
        low = max(low, at)
    bars = [line((x_of[leg], 22), (x_of[leg], low + 4), class_=f"bar {book}-{leg}") for leg in legs]
    heads = [text(x_of[leg] - 4, 15, leg, "strong") for leg in legs]
    foot = low + 22
    for told in design.board.legs:
        _meters(parts, told, x_of[told.name] - 14, foot, column - 26)
    foot += 82
    if len(legs) > 1:
        parts.append(text(12, foot + 8, "All legs together", "strong"))
        _meters(parts, design.board.total, 12, foot + 14, wide - 24)
        foot += 94
    off = [(i, x) for i, x in loads if not x.backed]
    if off:
        parts += [
            line((8, foot), (wide - 8, foot), class_="house"),
            text(12, foot + 18, "Not on backup: these stop with the grid", "soft small"),
        ]
        across = len(legs)
        for k, (i, x) in enumerate(off):
            _label(
                parts,
                i,
                x,
                12 + (k % across) * column,
                foot + 38 + (k // across) * ROW,
                column - 26,
                "soft",
            )
        foot += 38 + ((len(off) - 1) // across + 1) * ROW
    frame = box(1, 1, wide - 2, foot - 1, "frame")
    return picture(
        wide,
        foot + 1,
        "The load board",
        words(design.board, [x for _, x in loads]),
        frame,
        *bars,
        *heads,
        *parts,
    )


def _circuit(
    parts: list[str], i: int, load: Load, x_of: dict[str, float], y: float, width: float
) -> float:
    """One circuit: its toggle on each bar it stands on, a link between the toggles, its name and
    power.
    """
    xs = [x_of[leg] for leg in load.legs.split("+")]
    if len(xs) > 1:
        parts.append(line((xs[0] + 16 + 8 * len(load.name), y + 8), (xs[-1], y + 8), class_="feed"))
    parts += [box(x - TOGGLE / 2, y, TOGGLE, 16, "pin-good" if load.must else "pin") for x in xs]
    parts += [
        tag(
            "path",
            d=f"M{x - 3:g} {y + 5:g} h6 M{x - 3:g} {y + 11:g} h6",
            class_="on-board" if load.must else "feed",
        )
        for x in xs
    ]
    _label(parts, i, load, xs[0] + 16, y + 12, width - 52, "strong" if load.must else "")
    return y + ROW


def _label(
    parts: list[str], i: int, load: Load, x: float, y: float, width: float, class_: str
) -> None:
    """Name and power of a circuit, leading to its row of the form."""
    room = int(width / 7.4) - 8
    name = load.name if len(load.name) <= room else load.name[: room - 1] + "…"
    watts = with_unit(load.running_w, "W")
    inside = (
        box(x - 4, y - 14, width + 8, ROW - 2, "hit-area"),
        text(x, y, name, class_),
        text(x + width, y, watts, f"mono {class_}", "end"),
    )
    parts.append(tag("a", *inside, href=f"#load-{i}-name", aria_label=f"{load.name}, to its row"))


def _meters(parts: list[str], leg: Leg, x: float, y: float, width: float) -> None:
    """Running and worst start against what the inverters give, as two bars."""
    said = [
        (
            "Runs",
            "running",
            leg.running.n,
            leg.continuous.n,
            f"worst at {show_minutes(leg.worst_at)}",
        )
    ]
    said.append(
        (
            "Starts",
            "start",
            leg.start.n,
            leg.surge.n if leg.surge else leg.continuous.n,
            "" if leg.starter else "nothing starts harder",
        )
    )
    for n, (word, key, value, limit, why) in enumerate(said):
        top = y + n * 38
        most = max(value, limit, 1.0) * 1.04
        over = value > limit
        shown = f"{word} {kilo(value, limit)} of {kilo(limit, value)} kW{', over' if over else ''}"
        at = f"board.{leg.name}.{key}"
        inside = (
            box(x, top, width, 28, "hit-area"),
            text(x, top + 10, shown, "small strong over" if over else "small"),
        )
        parts.append(
            tag(
                "a",
                *inside,
                data_at=at,
                href=f"?at={at}#working",
                aria_label=f"{shown}: show the working",
            )
        )
        parts.append(text(x + width, top + 10, why, "small soft", "end") if width > 240 else "")
        parts += [
            box(x, top + 15, width, 10, "trough"),
            box(x, top + 15, width * min(value, limit) / most, 10, "filled"),
        ]
        if over:
            parts.append(
                box(
                    x + width * limit / most,
                    top + 15,
                    width * (value - limit) / most,
                    10,
                    "too-much",
                )
            )
        parts.append(
            line(
                (x + width * limit / most, top + 12),
                (x + width * limit / most, top + 28),
                class_="limit",
            )
        )


def words(board: Board, loads: Sequence[Load]) -> str:
    """The board in words."""
    legs = [
        f"{x.name}: runs {x.running.text} of {x.continuous.text}, starts {x.start.text}"
        + (f" of {x.surge.text}" if x.surge else "")
        for x in (*board.legs, board.total)
    ]
    return (
        "; ".join(legs)
        + ". "
        + "; ".join(f"{x.name} on {x.legs}{'' if x.backed else ', not on backup'}" for x in loads)
    )
