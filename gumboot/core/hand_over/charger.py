"""A car charger on the house: its own circuit, and what the service has left with it.

Its current stands for hours, so it counts as continuous: NEC 625.41, 625.42, 210.20(A);
IEC 60364-7-722 722.311. Whether it is let down by load is its maker's and the licensed person's.
"""

from __future__ import annotations

from dataclasses import dataclass

from gumboot.core.basis.figure import COMMON_PRACTICE, MEMORY, Figure, given, solve
from gumboot.core.brief.loads.board.design import design_board
from gumboot.core.design import Design
from gumboot.core.kit import MAINS, Mains
from gumboot.core.network.house import house_supply
from gumboot.core.plan import Plan

RATED_A = {  # of one at home, by whether its supply is North America's and the lines it takes
    (True, 1): 12.0,
    (True, 2): 40.0,
    (False, 1): 32.0,
    (False, 3): 16.0,
}  # common practice


@dataclass(frozen=True, slots=True)
class Charger:
    """figures: with their working; says: what they come to, or what is not known; over: whether the
    service is too small for it as the house is planned.
    """

    figures: tuple[Figure, ...]
    says: tuple[str, ...]
    over: bool = False


def mains_of(d: Design) -> Mains:
    """The mains of the house."""
    return MAINS[house_supply(d.plan, d.inverter)]


def lines_of(d: Design) -> int:
    """How many lines a charger takes: those of the house; off grid those of the units."""
    mains = mains_of(d)
    return min(len(mains.lines), 2) if mains.american else len(mains.lines)


def rated_a(d: Design) -> float:
    """A of each of them."""
    return RATED_A[mains_of(d).american, lines_of(d)]


def watts(d: Design) -> float:
    """What it draws, W."""
    n, mains = lines_of(d), mains_of(d)
    return rated_a(d) * (mains.between if n == 2 else mains.to_neutral * n)


def protection_a(d: Design) -> float:
    """Its breaker, A."""
    return d.plan.book.next_standard(d.plan.book.continuous * rated_a(d))


def charger(d: Design, with_it: Plan) -> Charger:
    """Its circuit, and the service with it. with_it: the plan that has it among its loads."""
    unit = d.inverter
    if unit is None:
        return Charger((), ("Choose the kit in Brief first.",))
    book, lines = d.plan.book, lines_of(d)
    i = given("I_ev", rated_a(d), "A", "Charger, each line", COMMON_PRACTICE)
    k = given("k", book.continuous, "", "Protection over continuous current", book.name)
    clause = book.clauses["charger"]
    least = solve(
        "I_min", "A", "Its protection at least", "k * I_ev", k, i, source=clause, doubt=MEMORY
    )
    breaker = given("I_n", protection_a(d), "A", "Its breaker", "next standard rating")
    wire = book.house_wire(breaker.n, lines)
    figures = [i, least, breaker, wire]
    size = wire.name.partition(" of ")[2]
    says = [f"Its own circuit: {breaker.text} breaker, {size}, or larger.", book.charger_guard]
    left, words, over = _service(d, with_it)
    return Charger((*figures, *left), (*says, *words), over)


def _service(d: Design, with_it: Plan) -> tuple[list[Figure], list[str], bool]:
    main, unit = d.plan.supply.main_breaker_a, d.inverter
    if d.plan.supply.kind == "off-grid" or unit is None:
        return [], ["Off grid the units feed it: see the stops of the load board."], False
    if main is None:
        says = "The main breaker is not known: type it in Brief, then the service is judged."
        return [], [says], False
    if not d.plan.loads:
        says = "No loads are listed: list the house's in Brief, then the service is judged."
        return [], [says], False
    return _legs(_whole(with_it), d, main)


def _whole(plan: Plan) -> Plan:
    """Every load of the house as if it were backed up, so that the board counts it."""
    loads = tuple(x.model_copy(update={"backed": True}) for x in plan.loads)
    backup = plan.backup.model_copy(update={"loads": "whole house"})
    return plan.model_copy(update={"loads": loads, "backup": backup})


def _legs(whole: Plan, d: Design, main: float) -> tuple[list[Figure], list[str], bool]:
    board = design_board(whole, d.inverter, d.gateway, (), None) if d.inverter else None
    if board is None:
        return [], [], False
    rating = given("I_main", main, "A", "Main breaker", "brief")
    out: list[Figure] = []
    says: list[str] = []
    for leg, house in zip(board.legs, board.house, strict=True):
        name = f"Left at the main, {leg.name}, with the charger"
        left = solve("I_left", "A", name, "I_main - I_leg", rating, house, source="definition")
        out.append(left)
        if left.n < 0:
            says.append(
                f"{leg.name}: the house with the charger draws {house.text} in the worst quarter"
                f" hour, the main breaker carries {rating.text}: let it down by load, or ask for a"
                " larger service."
            )
    good = "The main breaker carries the house with it, as its loads are listed."
    return out, says or [good], bool(says)
