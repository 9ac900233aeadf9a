"""The service: the utility's conductors, the main and its panel; or a tap ahead of the main."""

from __future__ import annotations

from typing import Literal

from gumboot.core.basis.figure import Figure, given, solve
from gumboot.core.basis.words import inside
from gumboot.core.network.builder import Builder
from gumboot.core.network.circuit import End, end
from gumboot.core.network.currents import board_current, line_voltage, port_current
from gumboot.core.network.element import Load, Source, Work
from gumboot.core.network.house import most_on_a_line
from gumboot.core.network.shape import Line, has_changeover, main_name, subbed, tapped

SUB: Literal["sub-board"] = "sub-board"
FEEDER: Literal["sub-feeder"] = "sub-feeder"
THEIRS = "only the utility can cut it off"


def lay_service(b: Builder) -> None:
    """The utility's conductors, the main, and the board behind it; on a tap the disconnect of the
    job beside the board that was there.
    """
    supply = b.plan.supply
    name = main_name(b)
    main = f"{supply.main_breaker_a:g} A main" if supply.main_breaker_a else "main not known"
    b.body("main-panel", "main-panel", name, "supply side" if tapped(b) else main)
    hub = b.node("main-panel", "main-panel", "ac", bar=True)
    b.sources.append(
        Source("utility", "utility", "Utility", "", ("service",), ("service",), THEIRS)
    )
    if not tapped(b):
        b.node("service", "main-panel", "ac")
        b.open_by(
            "main-panel/main",
            "breaker",
            "main breaker",
            "main-panel",
            hub,
            "service",
            "grid",
            b.poles(),
            rated_a=supply.main_breaker_a,
        )
    else:
        _tap(b, hub)
    if subbed(b):
        _sub_board(b)
    if b.plan.backup.loads != "whole house" or not has_changeover(b):
        at = "house-panel" if "house-panel" in b.bodies else "main-panel"
        b.loads.append(Load("house", "the house's own circuits", at))


def _sub_board(b: Builder) -> None:
    """A board behind the main one: its breaker there, and the feeder between, sized where its run
    is planned.
    """
    supply, name = b.plan.supply, b.plan.book.sub_board
    rating = supply.sub_board.breaker_a
    b.body(SUB, SUB, name, f"{rating:g} A feeder" if rating else "feeder not known")
    bar = b.node(SUB, SUB, "ac", bar=True)
    b.loads.append(Load(SUB, f"the {inside(name)}'s own circuits", SUB))
    port = f"{inside(name)} breaker"
    if b.run(FEEDER, FEEDER) is None:
        at = b.node(f"main-panel/{port}", "main-panel", "ac")
        b.open_by(
            f"main-panel/{port}",
            "breaker",
            port,
            "main-panel",
            "main-panel",
            at,
            "grid",
            b.poles(),
            rated_a=rating,
        )
        b.existing(FEEDER, at, bar)
        return
    one = port_current(b.inverter, b.plan.book, b.through_a)
    units = given("n_inv", most_on_a_line(b.plan, b.inverter), "", "Inverters", "plan")
    says = "Continuous current, all inverters"
    amps = solve("I_all", "A", says, "n_inv * I", units, one, source="sum")
    if rating:
        board = given("I_board", rating, "A", "Breaker of the feeder", "brief")
        amps = b.plan.book.board_load.figure(board)
    held = rating or b.good_for(amps.n)
    b.add(
        FEEDER,
        FEEDER,
        f"{main_name(b)} to {inside(name)}",
        b.box("main-panel", main_name(b), "panel", port, held, "ac-breaker", "grid"),
        b.box(SUB, name, "panel", "main lugs", held),
        b.ac,
        amps,
        line_voltage(b.supply, b.inverter),
        "breaker",
        800,
        named_a=rating,
    )


def _tap(b: Builder, hub: str) -> None:
    """The tap's own conductors to the disconnect of the job; the house's panel goes on
    beside it.
    """
    b.node("service", "", "ac")
    line = b.node("main-panel/line", "main-panel", "ac")
    b.open_by(
        "main-panel/main", "breaker", "fused disconnect", "main-panel", hub, line, "grid", b.poles()
    )
    behind = b.plan.backup.loads == "whole house" and has_changeover(b)
    label = b.plan.book.main_board
    if not behind:
        supply = b.plan.supply
        main = f"{supply.main_breaker_a:g} A main" if supply.main_breaker_a else "main not known"
        b.body("house-panel", "house-panel", label, main, "existing")
        b.node("house-panel", "house-panel", "ac", bar=True)
        b.node("house-panel/line", "house-panel", "ac")
        b.open_by(
            "house-panel/main",
            "breaker",
            "main breaker",
            "house-panel",
            "house-panel",
            "house-panel/line",
            "grid",
            b.poles(),
            rated_a=supply.main_breaker_a,
        )
        b.existing("house-line", "service", "house-panel/line")
    run = b.run("tap", "tap")
    if run is None:
        b.existing("tap", "service", line)
        return
    shared = most_on_a_line(b.plan, b.inverter)
    units = given("n_inv", shared, "", "Inverters", "plan")
    one = port_current(b.inverter, b.plan.book, b.through_a)
    name = "Continuous current, all inverters"
    total = solve("I_all", "A", name, "n_inv * I", units, one, source="sum")
    total, named = _through_tap(b, total)
    device = b.device(
        "tap",
        named or b.good_for(total.n),
        place="main-panel/tap",
        label=f"{main_name(b)}, fused disconnect",
    )
    terminals = device.terminals if device else ()
    if behind:  # nothing but the meter stands before it
        label = "Meter"
        b.body("house-panel", "house-panel", label, "", "existing")
    splice = b.node("house-panel/tap", "house-panel", "ac")
    b.existing("service-tap", "service", splice)
    at_tap = end(
        "house-panel",
        label,
        "tap",
        device.splices if device else (),
        node=splice,
        missing=device is None,
    )
    at_box = end(
        "main-panel", main_name(b), "line side", terminals, node=line, missing=device is None
    )
    b.add(
        "tap",
        "tap",
        f"Tap to {inside(main_name(b))}",
        at_tap,
        at_box,
        b.ac,
        total,
        line_voltage(b.supply, b.inverter),
        "the utility's fuse",
        4000.0,
        named_a=named,
    )


def _through_tap(b: Builder, units: Figure) -> tuple[Figure, float | None]:
    """(continuous current, rating of its device in A) of a tap: what the units carry, or what is
    backed up and draws through it while the grid is there, whichever is more.
    """
    board, rating = board_current(b.plan, units)
    more = has_changeover(b) and rating is not None and board.n > units.n
    return (board, rating.n) if more and rating else (units, None)


def grid_board(b: Builder) -> str:
    """The board with breakers on the grid's side: the main panel; beside a tap the house's own;
    none where a tap goes before the whole house.
    """
    if not tapped(b):
        return "main-panel"
    return "house-panel" if "house-panel" in b.nodes else ""


def behind(b: Builder) -> tuple[str, ...]:
    """The feeder that everything on a sub-board comes through, where it is planned."""
    return (FEEDER,) if subbed(b) and b.run(FEEDER, FEEDER) else ()


def main_end(b: Builder, port: str, amps: float, works: Work, line: Line = "") -> End:
    if tapped(b):
        return b.box("main-panel", main_name(b), "tap", port, amps, None, works)
    if subbed(b):
        return b.box(SUB, b.plan.book.sub_board, "panel", port, amps, "ac-breaker", works, line)
    return b.box("main-panel", main_name(b), "panel", port, amps, "ac-breaker", works, line)


def main_switch(b: Builder, port: str, works: Work) -> str:
    """A breaker of the main panel, or of the sub-board, that was there before; on a tap its
    lugs.
    """
    if tapped(b):
        return "main-panel"
    board = SUB if subbed(b) else "main-panel"
    at = b.node(f"{board}/{port}", board, "ac")
    b.open_by(f"{board}/{port}", "breaker", port, board, board, at, works, b.poles())
    return at
