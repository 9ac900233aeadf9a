"""Currents and voltages of the alternating side that circuits are laid out with."""

from __future__ import annotations

from gumboot.core.basis.figure import MEMORY, Figure, given, solve
from gumboot.core.codes.book import Book
from gumboot.core.kit import MAINS, Inverter
from gumboot.core.plan import ExistingPv, Plan, PortUse


def output_current(inverter: Inverter) -> Figure:
    """One inverter's continuous output current in A a line: P/V, or P/(√3·V) on three phases.

    Three phases, 10 kW at 400 V: 14.4 A.
    """
    power = given("P", inverter.power_w, "W", "Inverter power", "inverter sheet")
    volts = given("V", inverter.voltage_v, "V", "AC voltage", "inverter sheet")
    formula = "P / (sqrt(3) * V)" if inverter.supply.startswith("three") else "P / V"
    return solve("I_inv", "A", "Output current", formula, power, volts, source="definition")


def plate_current(inverter: Inverter) -> Figure:
    """What one inverter pushes into a busbar in A a line: its plate's greatest, else its rated
    current.
    """
    if inverter.ac_max_a:
        return given("I_inv", inverter.ac_max_a, "A", "Greatest output current", "inverter sheet")
    return output_current(inverter)


def greatest_current(inverter: Inverter, book: Book) -> Figure:
    """The most current in A a line that one inverter puts out for long: its maker's, else its
    rated current with the book's margin; on one leg, where the sheet allows more there, that.

    IEC 60364-7-712: the maker's greatest, else 1.1 times rated. 4 kW on one leg at 230 V: 17.4 A.
    """
    rated = output_current(inverter)
    if inverter.ac_max_a:
        most = given("I_out", inverter.ac_max_a, "A", "Greatest output current", "inverter sheet")
    else:
        most = with_margin(rated, book).renamed("I_out")
    if inverter.leg_max_w is None or len(inverter.lines) == 1:
        return most
    power = given("P_leg", inverter.leg_max_w, "W", "Most on one leg", "inverter sheet")
    volts = given("V", inverter.voltage_v, "V", "AC voltage", "inverter sheet")
    across = "sqrt(3)" if MAINS[inverter.supply].wye else "2"
    return solve(
        "I_line",
        "A",
        "Greatest current of one line",
        f"max(I_out, P_leg / (V / {across}))",
        most,
        power,
        volts,
        source="inverter sheet",
    )


def with_margin(rated: Figure, book: Book) -> Figure:
    """The greatest output current in A where its maker is silent: the rated one with the book's
    margin. IEC 60364-7-712: 1.1 times.
    """
    if book.output_margin == 1:
        return rated
    k = given("k", book.output_margin, "", "Where the maker is silent", book.clauses["output"])
    return solve(
        "I",
        "A",
        "Greatest output current",
        f"k * {rated.symbol}",
        k,
        rated,
        source=book.clauses["output"],
        doubt=MEMORY,
    )


def port_current(inverter: Inverter, book: Book, limit_a: float | None = None) -> Figure:
    """The continuous current in A of its AC ports: its output, or its pass-through where that is
    more, as far as the largest breaker its maker allows lets it pass for long. limit_a: what is
    keyed of what passes through.

    A pass-through of 50 A behind 60 A, NEC: 60 / 1.25 = 48 A (210.20(A)).
    """
    out = greatest_current(inverter, book)
    if inverter.pass_through_a is None:
        return out.renamed("I")
    through = given("I_thru", inverter.pass_through_a, "A", "Pass-through", "inverter sheet")
    parts, terms = [through], ["I_thru"]
    if limit_a is not None and limit_a < inverter.pass_through_a:
        parts.append(given("I_key", limit_a, "A", "Limit keyed in Set", "plan"))
        terms.append("I_key")
    breaker = for_long(inverter, book)
    if breaker is not None and breaker.n < min(f.n for f in parts) - 1e-9:
        parts.append(breaker)
        terms.append(breaker.symbol)
    name, held = "Continuous current", "the port carries its pass-through as well as its output"
    if len(terms) > 1:
        name = "Continuous current, as limited"
        held = "what is behind it draws no more for long"
        if "I_key" in terms:
            name += " by setting"
            held = "the limit is keyed and the menu locked"
    least = f"min({', '.join(terms)})" if len(terms) > 1 else "I_thru"
    return solve(
        "I",
        "A",
        name,
        f"max({out.symbol}, {least})",
        out,
        *parts,
        source="inverter sheet",
        assumption=held,
    )


def for_long(inverter: Inverter, book: Book) -> Figure | None:
    """What the largest breaker that its maker allows at every AC port carries for long, in A; None
    where no rating there is as small. A maximum of 63 A, NEC: 60 A, 48 A for long.
    """
    ports = [p for p in (inverter.grid, inverter.backup) if p]
    most = [
        max(
            (a for a in (*book.ratings, p.protection_named_a or 0) if a <= p.protection_max_a),
            default=0.0,
        )
        for p in ports
    ]
    if not most or min(most) <= 0:
        return None
    clause = book.clauses["breaker for long"]
    largest = given("I_max", min(most), "A", "Largest breaker the maker allows", "inverter sheet")
    k = given("k", book.continuous, "", "Protection over continuous current", clause)
    name = "What the largest breaker carries for long"
    return solve("I_long", "A", name, "I_max / k", largest, k, source=clause, doubt=MEMORY)


def line_voltage(supply: str, inverter: Inverter, alone: bool = False) -> Figure:
    """The voltage in V that a drop is a part of: line to line, or line to neutral on three phases.

    supply: what the circuit belongs to; alone: whether it is of one line only.
    """
    v, mains = inverter.voltage_v, MAINS[supply]
    if len(mains.lines) == 2 and len(inverter.lines) == 1 and not alone:
        return given("V_run", mains.between, "V", "Line to line", "supply")
    if len(inverter.lines) == 3:
        line = given("V_LL", v, "V", "Line to line", "inverter sheet")
        return solve("V_run", "V", "Line to neutral", "V_LL / sqrt(3)", line, source="definition")
    name = "Line to line" if len(inverter.lines) == 2 else "Line to neutral"
    return given("V_run", v, "V", name, "inverter sheet")


def source_current(
    power_w: float, name: str, symbol: str, lines: int, supply: str, inverter: Inverter
) -> Figure:
    """The current in A a line of a generator or a PV inverter on so many lines of a house.

    Single phase, 4.6 kW at 230 V: 20.0 A, also on a three-phase house.
    """
    power = given(symbol, power_w, "W", name, "brief")
    three, mains = supply.startswith("three"), MAINS[supply]
    if three and lines == 1:
        volts = given("V", mains.to_neutral, "V", "Line to neutral", "supply")
    elif len(mains.lines) > 1 and len(inverter.lines) == 1:
        volts = given("V", mains.between, "V", "Line to line", "supply")
    else:
        volts = given("V", inverter.voltage_v, "V", "AC voltage", "inverter sheet")
    formula = f"{symbol} / (sqrt(3) * V)" if lines == 3 else f"{symbol} / V"
    return solve("I", "A", "Output current", formula, power, volts, source="definition")


def pv_current(
    pv: ExistingPv | PortUse, name: str, lines: int, supply: str, inverter: Inverter
) -> Figure:
    """The output current in A a line of a PV inverter beside the units: its plate's, else what its
    power comes to.
    """
    if pv.current_a:
        return given("I", pv.current_a, "A", "Greatest output current", "brief, its plate")
    return source_current(pv.power_w, name, "P_pv", lines, supply, inverter)


def pv_greatest(
    pv: ExistingPv | PortUse, name: str, lines: int, supply: str, inverter: Inverter, book: Book
) -> Figure:
    """What its conductors are sized for, in A a line: its plate's, else its rated current with the
    book's margin.
    """
    rated = pv_current(pv, name, lines, supply, inverter)
    return rated if pv.current_a else with_margin(rated.renamed("I_pv"), book).renamed("I")


def board_current(plan: Plan, fallback: Figure) -> tuple[Figure, Figure | None]:
    """(continuous current, rating) in A of the feeder to the backed-up loads: the board's rating as
    planned; of a whole house else what its main lets it; else what the inverters carry.
    """
    rating, name = plan.backup.board_a, "Rating of the feeder to the loads"
    if rating is None and plan.backup.loads == "whole house":
        rating, name = plan.supply.main_breaker_a, "Main breaker, which lets the house draw as much"
    if rating is None:
        return fallback, None
    board = given("I_board", rating, "A", name, "brief")
    return plan.book.board_load.figure(board), board
