"""Dead tests beside the strings': protective conductors end to end, insulation of AC circuits.

R_pe = rho · L / A + leads' rest                 IEC 60364-6 6.4.3.2; table of the conductor
R_iso ≥ 1 MΩ at 500 V                            IEC 60364-6 Table 6.1 (to 500 V)
R_A · I_Δn ≤ 50 V                                IEC 60364-4-41 411.5.3, on TT
"""

from __future__ import annotations

from collections.abc import Iterator

from gumboot.core.basis.figure import COMMON_PRACTICE, MEMORY, Figure, given
from gumboot.core.basis.formula import Formula
from gumboot.core.basis.units import FT_M
from gumboot.core.basis.words import inside
from gumboot.core.codes import iec, nec
from gumboot.core.design import Design
from gumboot.core.prove.band import Band, Known, combined, limits
from gumboot.core.prove.due import DEAD as STAGE
from gumboot.core.prove.due import Due
from gumboot.core.size.conductors import SizedCircuit
from gumboot.core.size.safeguards import TOUCH_V, residuals

LENGTH_OFF = 0.10  # of a run as planned: common practice
METER_OHM = 0.03  # what a continuity tester is off by on its least range: common practice
JOINTS_OHM = 0.05  # of the joints on the way, at most: common practice
AC_VOLTS, AC_MEGOHM = 500, 1.0  # IEC 60364-6 Table 6.1, from memory
COLD_OVER_75 = given(
    "k_cold", 1 + 0.00323 * (75 - 20), "", "Copper at 75 °C over 20 °C", "NEC Chapter 9 Table 8"
)
IEC_RULE, NEC_RULE = "IEC 60364-6 6.4.3.2; IEC 62446-1 6.1", "NEC 110.3(B), 250.4(A)(5)"
METRIC = Formula(
    "R_pe",
    "R_20 * L / 1000 + R_j",
    "Ω",
    "Protective conductor, end to end",
    "IEC 60228; IEC 60364-6 6.4.3.2",
)
INCH = Formula(
    "R_pe",
    "R / k_cold * L / 1000 + R_j",
    "Ω",
    "Equipment grounding conductor, end to end",
    "NEC Chapter 9 Table 8",
)
BOARDS = ("main-panel", "loads-panel")  # where the main earth terminal is
STEADY_OHM = 200.0  # above it a rod's reading changes with the weather: common practice
R_A_MAX = Formula(
    "R_A_max",
    "U_T / I_dn",
    "Ω",
    "Most that the electrode may have",
    "IEC 60364-4-41 411.5.3",
    doubt=MEMORY,
)


def continuity(s: SizedCircuit) -> Band:
    """What a protective conductor reads from end to end, leads nulled. Joints count from nothing to
    their most.
    """
    joints = Known(
        given("R_j", JOINTS_OHM / 2, "Ω", "Joints on the way", COMMON_PRACTICE),
        JOINTS_OHM / 2 / 3**0.5,
    )
    size, reads = str(s.protective.value), METER_OHM / 3**0.5
    name = f"Earth of {inside(s.circuit.name)}"
    if size.endswith("mm²"):
        length = given("L", s.conditions.run.length_m, "m", "Length one way", "plan")
        row = (limits(iec.resistance(size), 0.1), limits(length, LENGTH_OFF), joints)
        return combined(METRIC, *row, name=name, reading=reads)
    length = given("L", s.conditions.run.length_m / FT_M, "ft", "Length one way", "plan")
    row = (limits(nec.dc_resistance(size), 0.1), limits(length, LENGTH_OFF), joints)
    return combined(INCH.knowing(COLD_OVER_75), *row, name=name, reading=reads)


def earth_dues(d: Design) -> Iterator[Due]:
    """Every protective conductor of the job."""
    for s in d.circuits:
        band = continuity(s)
        yield Due(
            f"earth.{s.id}",
            STAGE,
            f"Earth of C{s.circuit.number}, {inside(s.circuit.name)}",
            "ohm",
            "continuity tester, 200 mA, to 2 Ω",
            ("Leads nulled.", "One probe at each end's earth terminal, conductor landed."),
            "Dead: every source isolated, locked, proven.",
            IEC_RULE if d.plan.book.loops else NEC_RULE,
            place=s.circuit.load.body,
            expects=f"{band.expected.n:.2f} Ω, {band.high:.2f} Ω at most",
            band=band,
            least=0.0,
            most=round(band.high, 2),
            problem="loop_high",
            probes=("PE, near end", "PE, far end"),
            circuit=s.id,
        )


def insulation_dues(d: Design) -> Iterator[Due]:
    """AC circuits that the job lays, live conductors together to earth: under the IEC. Of arrays it
    is read in Wake.
    """
    if not d.plan.book.loops:
        return
    for s in (s for s in d.circuits if s.circuit.system == "ac"):
        yield Due(
            f"insulation.{s.id}",
            STAGE,
            f"Insulation of C{s.circuit.number}, {inside(s.circuit.name)}",
            "megohm",
            f"insulation tester, {AC_VOLTS} V",
            (
                "Lines and neutral joined, to earth.",
                "Unit, meter and surge protection parted from it: they read low, or are hurt.",
            ),
            "Dead: both ends isolated, locked, proven.",
            "IEC 60364-6 6.4.3.3",
            place=s.circuit.load.body,
            expects=f"{AC_MEGOHM:g} MΩ at least",
            least=AC_MEGOHM,
            limit=given("R_iso", AC_MEGOHM, "MΩ", "Least", "IEC 60364-6 Table 6.1", "to 500 V"),
            probes=("L and N", "PE"),
            circuit=s.id,
        )


def electrode_limit(d: Design) -> Figure:
    """What an earth electrode may have: on TT what lets the least sensitive residual-current device
    trip in time; where no device says, what stays the same in dry ground.
    """
    steady = given("R_steady", STEADY_OHM, "Ω", "Steady in any weather", COMMON_PRACTICE)
    trips = [s.trip_ma for _, s in residuals(d.plan)]
    if d.plan.supply.earthing != "TT" or not trips:
        return steady
    touch = given("U_T", TOUCH_V, "V", "Touch voltage, for long", "IEC 60364-4-41 411.5.3")
    i = given("I_dn", max(trips) / 1000, "A", "Least sensitive residual-current device", "plan")
    return R_A_MAX.figure(touch, i)


def electrode_due(d: Design) -> Iterator[Due]:
    """The earth electrode, where one carries the job: on TT, and where an island has its own."""
    supply = d.plan.supply
    if not d.plan.book.loops or (supply.earthing != "TT" and supply.electrode != "own"):
        return
    most = electrode_limit(d)
    known = supply.loop_ohm if supply.earthing == "TT" else None
    survey = f"; {known:g} Ω by the survey" if known is not None else ""
    if most.n > STEADY_OHM:
        survey += f"; above {STEADY_OHM:g} Ω it changes with the weather"
    yield Due(
        "earth.electrode",
        STAGE,
        "Earth electrode",
        "ohm",
        "earth electrode tester with two spikes, to 2 kΩ",
        (
            "Its conductor comes off the main earth terminal, and goes back before anything else.",
            "Spikes 20 m and 40 m out; moved twice by 6 m: three readings alike, the middle one.",
            "No ground for spikes: line to earth at the main by a loop tester, once it is live.",
        ),
        "Dead: every source locked off as long as the conductor is off.",
        "IEC 60364-6 6.4.3.7.2",
        place=next((b.id for b in d.bodies if b.id in BOARDS), ""),
        who="a licensed person",
        expects=f"{most.n:.0f} Ω at most{survey}",
        least=0.0,
        most=most.n,
        limit=most,
        problem="loop_high",
        probes=("Electrode", "Spikes"),
    )
