"""What a wrong act would do on this job, in numbers."""

from __future__ import annotations

from dataclasses import dataclass

from gumboot.core.basis.figure import COMMON_PRACTICE, Figure, given, solve
from gumboot.core.codes.book import Book
from gumboot.core.kit import Inverter, Pack
from gumboot.core.plan import Plan
from gumboot.core.size.bank import Bank
from gumboot.core.size.inrush import Inrush
from gumboot.core.size.strings import StringDesign
from gumboot.core.wake.hazard import Hazard
from gumboot.core.wake.plant import Lever
from gumboot.core.wake.states import (
    BACK_FED,
    GENERATOR_ON_GRID,
    GENERATOR_ON_UNIT,
    INRUSH,
    JOINED,
    NO_BOND,
    NOT_IN_TURN,
    REVERSED,
    TOO_MUCH_SUN,
    TWO_BONDS,
    TWO_UNITS,
    UNDER_LOAD,
    UNEQUAL,
)

CLOSE_V = 0.2  # of a 51.2 V pack: how equal packs are before they are paralleled; common practice
OF_V = 51.2


@dataclass(frozen=True, eq=False)
class Facts:
    """The numbers of a job: volts between two sources out of step, amperes into capacitors and
    between packs, volts and amperes of the highest string and of the bank, PV and units in an
    island in W.
    """

    book: Book
    apart: Figure
    inrush: Figure | None
    between: Figure | None
    equal_v: float
    string_v: Figure | None
    string_a: Figure | None
    bank_v: Figure | None
    bank_a: Figure | None
    sun_w: float
    units_w: float


def facts_of(
    plan: Plan,
    inverter: Inverter,
    pack: Pack | None,
    bank: Bank | None,
    inrush: Inrush | None,
    strings: tuple[StringDesign, ...],
) -> Facts:
    """The numbers of a job."""
    volts = given("U", inverter.voltage_v, "V", "Voltage of the output", "inverter sheet")
    name = "Between two sources, out of step at worst"
    rule = "two sine waves opposite each other"
    apart = solve("U_apart", "V", name, "2 * sqrt(2) * U", volts, source=rule)
    between = None
    if bank is not None and pack is not None and bank.count > 1:
        most, least = bank.v_max.renamed("V_full"), bank.v_min.renamed("V_empty")
        name, rule = "Between a full and an empty pack, at first", "Ohm's law, cables left out"
        how = "(V_full - V_empty) / (2 * R_int)"
        between = solve("I_equal", "A", name, how, most, least, bank.resistance, source=rule)
    highest = max(strings, key=lambda s: s.v_oc_cold.n, default=None)
    nominal = bank.v_nom.n if bank else OF_V
    return Facts(
        plan.book,
        apart,
        inrush.bare if inrush else None,
        between,
        round(CLOSE_V * nominal / OF_V, 2),
        highest.v_oc_cold if highest else None,
        highest.i_max if highest else None,
        bank.v_max if bank else None,
        bank.i_all if bank else None,
        sum(pv.power_w for pv in plan.island_pv.values()),
        inverter.power_w * plan.kit.inverters,
    )


Told = tuple[str, tuple[Figure, ...]]
MEETING = (BACK_FED, JOINED, GENERATOR_ON_UNIT, GENERATOR_ON_GRID, TWO_UNITS)


def does(h: Hazard, f: Facts, lever: Lever) -> Told:
    """What a hazard does when a lever moves, in a sentence with this job's numbers, and those with
    their working.
    """
    volts_dc, amps_dc = (f.bank_v, f.bank_a) if _of_bank(lever) else (f.string_v, f.string_a)
    if h.bit in MEETING:
        line = h.bit in (BACK_FED, GENERATOR_ON_GRID)
        hurt = ", and hurts whoever works on the line" if line else ""
        volts = f"up to {f.apart.text} between them"
        says = f"Two sources meet out of step, {volts}: this destroys the inverter{hurt}."
        return says, (f.apart,)
    if h.bit == UNDER_LOAD and volts_dc is not None and amps_dc is not None:
        says = f"Up to {volts_dc.text} and {amps_dc.text} of direct current draw an arc."
        return says, (volts_dc, amps_dc)
    if h.bit == REVERSED and volts_dc is not None and not _of_bank(lever):
        says = f"Up to {volts_dc.text} the wrong way round: the input is destroyed at once."
        return says, (volts_dc,)
    if h.bit == INRUSH and f.inrush is not None:
        says = f"{f.inrush.text} rush into the capacitors: an arc, and a pitted breaker."
        return says, (f.inrush,)
    if h.bit == UNEQUAL and f.between is not None:
        says = f"Up to {f.between.text} flow from the fuller pack where one is full and one empty."
        return says, (f.between,)
    if h.bit == NOT_IN_TURN and lever.controls:
        return BARE_ARRAY, ()
    if h.bit == TOO_MUCH_SUN:
        sun, units = f"{f.sun_w / 1000:.3g} kW", f"{f.units_w / 1000:.3g} kW"
        return f"{sun} of sun push into {units} of inverter: volts rise until something trips.", ()
    return PLAIN[h.bit], ()


BARE_ARRAY = (
    "An array on a charge controller without its battery: nothing holds its output, and what is on"
    " the bus may be destroyed."
)
PLAIN = {
    REVERSED: "Cells the wrong way round: the input is destroyed at once, with an arc.",
    NO_BOND: "Neutral meets earth nowhere: no fault to a case opens a breaker, and the case stays"
    " live.",
    TWO_BONDS: "Neutral current returns by the earth too: cases and pipes carry it.",
    UNDER_LOAD: "Direct current draws an arc that does not go out by itself.",
    INRUSH: "No sheet names a precharge: the capacitors may arc and pit the breaker.",
    UNEQUAL: "What differs in volts flows between the packs at once.",
    NOT_IN_TURN: "Against its maker's order: the bank may not wake.",
}


def _of_bank(lever: Lever) -> bool:
    return lever.kind in ("battery", "pack")


def rule_of(h: Hazard, book: Book, lever: Lever) -> str:
    """The rule that a hazard breaks; the books speak of what is parted under load at arrays."""
    if h.bit == NOT_IN_TURN:
        return COMMON_PRACTICE if lever.controls else "maker's manual"
    clauses = {
        "sources meet": book.clauses["sources meet"],
        "bond": book.clauses["bond"],
        "under load": COMMON_PRACTICE if _of_bank(lever) else book.clauses["under load"],
    }
    return clauses.get(h.clause, COMMON_PRACTICE)
