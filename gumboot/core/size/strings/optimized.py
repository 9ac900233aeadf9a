"""Strings with a converter at each module: volts that their inverter holds, counts that the maker
allows, and what a module may put into one.

off: n · off_v until the inverter lets them work;  working: string_v;  at most: string_v_max
"""

from __future__ import annotations

from collections.abc import Callable, Iterator

from gumboot.core.basis.figure import Figure, given, solve
from gumboot.core.basis.finding import Asked, Cure, Finding, duty, note, stop
from gumboot.core.codes import OutsideTable
from gumboot.core.codes.book import Book
from gumboot.core.kit import Module, Tracker
from gumboot.core.kit.module import Optimizer
from gumboot.core.plan import Plan
from gumboot.core.size.strings.voltage import cold_voltage, coldest

SHEET = "optimizer's sheet"
Put = Callable[[int], Cure]  # as many modules in the string, and those like it


def volts_of(own: Optimizer, n: Figure, book: Book) -> tuple[Figure, Figure, Figure]:
    """(at most, working, off) V of a string. NEC 690.7(B)(2): by the manual, else the sum of what
    each puts out.
    """
    rule = book.clauses["converters in series"]
    if own.string_v_max:
        top = given("V_max", own.string_v_max, "V", "Most volts of a string", SHEET)
    else:
        each = given("V_out", own.out_v_max, "V", "Most volts of one", SHEET)
        top = solve("V_max", "V", "All at their highest", "n * V_out", n, each, source=rule)
    held = given("V_hold", own.string_v, "V", "What the inverter holds a string at", SHEET)
    one = given("V_off", own.off_v, "V", "One until it may work", SHEET)
    off = solve("V_open", "V", "Until it may work", "n * V_off", n, one, source=SHEET)
    return top, held, off


def lengths(own: Optimizer, module: Module) -> dict[int, float]:
    """Counts that a string may have, each with how far it is from the nearest limit, as a part of
    it.
    """
    by_power = own.string_w_max / module.p_max_w if own.string_w_max else float(own.most)
    most = min(own.most, int(by_power + 1e-9))
    return {
        n: min(n / own.least - 1, own.most / n - 1, by_power / n - 1)
        for n in range(own.least, most + 1)
    }


def fits(own: Optimizer, tracker: Tracker, ceiling_v: float) -> bool:
    """Whether an inverter takes the volts it is to hold, and the most that may come."""
    return tracker.v_min <= own.string_v <= tracker.v_max and (
        own.string_v_max is None or own.string_v_max <= ceiling_v
    )


def optimizer_findings(
    key: str,
    letter: str,
    modules: int,
    module: Module,
    plan: Plan,
    tracker: Tracker,
    put: Put,
) -> Iterator[Finding]:
    """What is wrong with a string: its count and power, what its inverter holds, what a module puts
    into one.
    """
    own = module.optimizer
    assert own is not None  # noqa: S101 - only such strings come here
    yield from _into_one(key, letter, own, module, plan)
    legal = lengths(own, module)
    near = min(legal, key=lambda n: abs(n - modules), default=None)
    right = put(near) if near else Cure("Choose another module or optimizer")
    watts = modules * module.p_max_w
    if not own.least <= modules <= own.most:
        says = f"String {letter} has {modules} modules; a string with {own.name} has"
        says += f" {own.least} to {own.most}."
        yield stop(f"{key}.count", key, says, SHEET, right)
    elif own.string_w_max and watts > own.string_w_max + 1e-6:
        says = f"String {letter} has {watts / 1000:.4g} kW of modules; a string with {own.name} may"
        says += f" have {own.string_w_max / 1000:.4g} kW."
        yield stop(f"{key}.watts", key, says, SHEET, right)
    if not tracker.v_min <= own.string_v <= tracker.v_max:
        says = (
            f"{own.name} strings are held at {own.string_v:g} V; tracker {tracker.id} works from"
            f" {tracker.v_min:g} to {tracker.v_max:g} V."
        )
        cure = Cure("Choose the inverter that the optimizers are made for")
        yield stop(f"{key}.held", key, says, SHEET, cure)
    says = (
        f"String {letter} shows some {modules * own.off_v:.0f} V until its inverter lets the"
        " optimizers work: one module missing or turned round shows there. Inverter and optimizers"
        " are made for each other by both manuals, and insulation is measured as these say."
    )
    yield duty(f"{key}.optimizers", key, says, SHEET, Asked("Wake"))


def _into_one(
    key: str, letter: str, own: Optimizer, module: Module, plan: Plan
) -> Iterator[Finding]:
    """A module against the converter it is plugged into."""
    other = Cure("Choose an optimizer for this module, or another module")
    n = given("n", 1, "", "Modules", "plan")
    try:
        cold = cold_voltage(module, coldest(plan), plan.book).figure(n)
    except OutsideTable as exc:
        cure = Cure("Choose a module whose sheet gives the coefficient of Voc, and use that")
        yield stop(f"{key}.cold", key, f"String {letter}: {exc}.", SHEET, cure)
        return
    if cold.n > own.in_v_max:
        says = f"A module of string {letter} reaches {cold.against(own.in_v_max)} on the coldest"
        says += f" morning; {own.name} takes {own.in_v_max:g} V."
        yield stop(f"{key}.cold", key, says, SHEET, other, figures=(cold,))
    if module.i_sc_a > own.in_isc_max_a:
        says = f"A module of string {letter} pushes {module.i_sc_a:g} A shorted; {own.name} takes"
        says += f" {own.in_isc_max_a:g} A."
        yield stop(f"{key}.isc", key, says, SHEET, other)
    if module.p_max_w > own.in_w_max:
        says = f"A module of string {letter} has {module.p_max_w:g} W; {own.name} takes"
        says += f" {own.in_w_max:g} W and clips the rest."
        yield note(f"{key}.clip", key, says, SHEET, other)
