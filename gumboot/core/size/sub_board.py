"""A board behind the main one that the inverters connect at: whether its feeder carries them both
ways, and what nobody has read of it.
"""

from __future__ import annotations

from collections.abc import Iterator

from gumboot.core.basis.figure import MEMORY, Figure, given, solve
from gumboot.core.basis.finding import Asked, Change, Cure, Finding, check, duty, stop
from gumboot.core.basis.words import inside
from gumboot.core.kit import Inverter
from gumboot.core.network.currents import plate_current, port_current
from gumboot.core.network.house import most_on_a_line
from gumboot.core.network.service import FEEDER, SUB
from gumboot.core.plan import Plan
from gumboot.core.size.limits import limit_cure

AT_MAIN = Change("/supply/connection", "main-panel breaker")
UNREAD = (("breaker_a", "the breaker that feeds it"), ("bus_a", "its busbar"))


def on_sub_board(plan: Plan) -> bool:
    """Whether the inverters connect at a board behind the main one."""
    return plan.supply.kind != "off-grid" and plan.supply.connection == "sub-board breaker"


def sub_board_findings(
    plan: Plan, inverter: Inverter, changed_over: bool, through_a: float | None
) -> list[Finding]:
    """What is unread of the board, what its feeder does not carry, a whole house behind it, and its
    neutral. changed_over: the job has a changeover; through_a: what is keyed of the current through
    a unit.
    """
    if not on_sub_board(plan):
        return []
    name = inside(plan.book.sub_board)
    return [
        *_unread(plan, name),
        *_whole_house(plan, name, changed_over),
        *_feeder(plan, inverter, name, changed_over, through_a),
        duty(
            "sub-board.neutral",
            SUB,
            f"At the {name} neutral and earth are apart, whatever else it feeds: the one bond is"
            " at the service. In a building of its own it has an electrode and a main switch.",
            plan.book.clauses["board behind"],
            Asked("Land"),
        ),
    ]


def _unread(plan: Plan, name: str) -> Iterator[Finding]:
    board = plan.supply.sub_board
    for field, words in UNREAD:
        if getattr(board, field) is None:
            says = f"The rating of {words} is not known: the {name} is fed from both ends."
            cure = Cure(f"Read it at the {name} and type it in Brief")
            yield check(f"sub-board.{field}", SUB, says, "survey", cure)
    if FEEDER not in plan.runs:
        says = (
            f"How long the feeder of the {name} is nobody has typed: voltage rise, drop and loops"
            " are worked out from there on, as if it had no length."
        )
        cure = Cure("Type its run in Brief, and whether it is there already")
        yield check("sub-board.feeder", SUB, says, plan.book.clauses["drop"], cure)


def _whole_house(plan: Plan, name: str, changed_over: bool) -> Iterator[Finding]:
    if not changed_over or plan.backup.loads != "whole house":
        return
    says = f"Behind the {name} a changeover cannot take the whole house: the rest of it is ahead."
    cures = (
        Cure(f"Connect at the {inside(plan.book.main_board)}", (AT_MAIN,)),
        Cure(
            "Back up the circuits behind it only",
            (Change("/backup/loads", "transfer-switched circuits"),),
        ),
    )
    yield stop("sub-board.whole-house", SUB, says, "plan", *cures)


def _feeder(
    plan: Plan, inverter: Inverter, name: str, changed_over: bool, through_a: float | None
) -> Iterator[Finding]:
    """What the units push back through the feeder's breaker, and what they draw through it for what
    is behind them.
    """
    rating = plan.supply.sub_board.breaker_a
    if rating is None:
        return
    book, at_main = plan.book, Cure(f"Connect at the {inside(plan.book.main_board)}", (AT_MAIN,))
    n = given("n_inv", most_on_a_line(plan, inverter), "", "Inverters", "plan")
    rule = book.clauses["feeder"]
    breaker = given("I_n", rating, "A", "Breaker of the feeder", "brief")
    if inverter.feeds_grid:
        pushed = _needs(n, plate_current(inverter), book.continuous, rule)
        if pushed.n > breaker.n + 1e-9:
            says = (
                f"What the inverters push back asks {pushed.against(breaker.n)} of the breaker that"
                f" feeds the {name}, which is {breaker.text}."
            )
            cures = (at_main, Cure("Fit a larger feeder, with its breaker"))
            yield stop("sub-board.pushed", SUB, says, rule, *cures, figures=(pushed, breaker))
            return
    if changed_over:
        yield from _backed_up(plan, breaker, name, rule)
        return
    drawn = _needs(n, port_current(inverter, book, through_a), book.continuous, rule)
    if drawn.n > breaker.n + 1e-9:
        each = breaker.n / book.continuous / n.n
        says = (
            f"What is behind the inverters may draw through them what asks"
            f" {drawn.against(breaker.n)} of the breaker that feeds the {name}, which is"
            f" {breaker.text} and feeds its own circuits besides: it trips."
        )
        keyed = "Limit what passes through to {} in Set"
        held = limit_cure(plan, inverter, ("pass_through",), each, keyed)
        if port_current(inverter, book, each).n > each + 1e-9:
            held = []  # what the unit itself gives is not held by this line
        yield check("sub-board.drawn", SUB, says, rule, *held, at_main, figures=(drawn, breaker))


def _backed_up(plan: Plan, breaker: Figure, name: str, rule: str) -> Iterator[Finding]:
    """A feeder to the backed-up loads that may draw more than the sub-board's own."""
    board = plan.backup.board_a
    if board is None or board <= breaker.n:
        return
    rating = given("I_board", board, "A", "Rating of the feeder to the loads", "brief")
    says = (
        f"The feeder to what is backed up is protected at {rating.text}; the breaker that feeds the"
        f" {name} is {breaker.text} and feeds its own circuits besides: it trips."
    )
    cure = Cure(f"Protect the feeder at {breaker.text}", (Change("/backup/board_a", breaker.n),))
    at_main = Cure(f"Connect at the {inside(plan.book.main_board)}", (AT_MAIN,))
    yield check("sub-board.drawn", SUB, says, rule, cure, at_main, figures=(rating, breaker))


def _needs(n: Figure, each: Figure, factor: float, rule: str) -> Figure:
    """The least rating in A of a breaker that so many units' current passes for long."""
    k = given("k", factor, "", "Current that lasts", rule)
    name = "Breaker that carries all inverters"
    one = each.renamed("I_1")
    return solve("I_least", "A", name, "k * n_inv * I_1", k, n, one, source=rule, doubt=MEMORY)
