"""After an hour near full load: heat, how packs share, volts under current, what a discharge says.

rise at rated = (T_spot − T_air) · (I_r / I)²       heat goes with the square of the current
hottest       = rise at rated + design ambient
V = V_oc(SoC) − I · R                                of a bank under current
"""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass

from gumboot.core.basis.figure import COMMON_PRACTICE, Figure, given
from gumboot.core.basis.formula import Formula
from gumboot.core.basis.words import inside
from gumboot.core.design import Design
from gumboot.core.prove.band import Band, Known, combined, limits
from gumboot.core.prove.due import Due, Stage, pack_at
from gumboot.core.prove.live import each_bank

STAGE: Stage = "After an hour"
LOADED = "An hour at half the rated current or more."
LIKE_K = 10.0  # one spot above its like, at one current: common practice
SPOT_OFF_K, AMPS_OFF = 2.0, 0.03  # a thermometer's and a clamp's class: common practice
LEAST_SHARE = 0.3  # of the rated current: below it a rise says little, common practice
RISE = Formula(
    "dT_r",
    "(T_spot - T_air) * (I_r / I) * (I_r / I)",
    "K",
    "Rise at its rated current",
    "heat goes with the square of the current",
)
HOTTEST = Formula("T_r", "dT_r + T_amb", "°C", "At rated current on the hottest day", "definition")
REST_V = {"LFP": 3.30, "NMC": 3.65}  # a cell at rest near the middle: common practice
REST_OFF_V = {"LFP": 0.08, "NMC": 0.25}  # from empty to full, but for the ends: common practice
SAG = Formula("V", "n_cell * V_cell - I * R", "V", "Volts under current", "Ohm's law")
SHARES_OFF = 0.10  # over the mean: common practice


@dataclass(frozen=True, slots=True)
class Spot:
    """One spot as measured: °C, the air beside it, and the amperes that flowed. like: the name of
    what it is compared with ("lugs of the battery bus").
    """

    name: str
    spot_c: float
    air_c: float
    amps: float
    rated_a: float
    limit_c: float
    like: str = ""


@dataclass(frozen=True, slots=True)
class Heated:
    """A spot judged: its rise at rated current and where that ends on the hottest day."""

    spot: Spot
    rise: Band | None
    hottest: Figure | None
    verdict: str
    why: str


def judged(spot: Spot, ambient_c: float, others: list[Spot]) -> Heated:
    """What a spot says. Below three tenths of the rated current nothing is said; one that is
    warmer than its like by 10 K at the same current is not right, whatever its limit.
    """
    share = spot.amps / spot.rated_a if spot.rated_a else 0.0
    if share < LEAST_SHARE:
        why = f"{spot.amps:g} A is under 30 % of {spot.rated_a:g} A: load it more, read again"
        return Heated(spot, None, None, "withheld", why)
    t = given("T_spot", spot.spot_c, "°C", f"{spot.name}, as read", "thermometer")
    air = given("T_air", spot.air_c, "°C", "Air beside it", "thermometer")
    amps = given("I", spot.amps, "A", "Amperes that flowed", "clamp")
    rated = given("I_r", spot.rated_a, "A", "Rated current", "plan")
    inputs = (
        limits(t, plain=SPOT_OFF_K),
        limits(air, plain=SPOT_OFF_K),
        limits(amps, AMPS_OFF),
        Known(rated),
    )
    rise = combined(RISE, *inputs)
    hottest = HOTTEST.figure(rise.expected, given("T_amb", ambient_c, "°C", "Hottest air", "brief"))
    like = [
        (x.spot_c - x.air_c) * (spot.amps / x.amps) ** 2
        for x in others
        if x is not spot and x.like == spot.like and x.amps > 0
    ]
    if like:
        over = spot.spot_c - spot.air_c - min(like)
        if over > LIKE_K:
            says = f"{over:.0f} K above its like at the same current: it is not made off right"
            return Heated(spot, rise, hottest, "outside", says)
    if hottest.n > spot.limit_c:
        says = (
            f"{hottest.n:.0f} °C at {spot.rated_a:g} A on the hottest day: more than the"
            f" {spot.limit_c:g} °C it stands"
        )
        return Heated(spot, rise, hottest, "outside", says)
    return Heated(spot, rise, hottest, "done", f"{hottest.n:.0f} °C at rated on the hottest day")


def spots_of(d: Design) -> list[tuple[str, float, float, str]]:
    """(name, rated A, limit °C, its like) of what is looked at: both ends of every circuit that
    carries the unit's current, and its breaker.
    """
    out = []
    named = {b.id: b.label for b in d.bodies}
    for s in d.circuits:
        if s.circuit.system == "pv":
            continue
        rated = s.permitted.n
        hot = min(float(s.cable.temp_c), 75.0)
        like = s.circuit.family
        for end in (s.circuit.source, s.circuit.load):
            out.append(
                (
                    f"C{s.circuit.number}, lugs at {inside(named.get(end.body, end.body))}",
                    rated,
                    hot,
                    f"{like} lugs",
                )
            )
        if s.protection is not None:
            out.append((f"C{s.circuit.number}, breaker", rated, hot, f"{like} breaker"))
    return out


def hour_dues(d: Design) -> Iterator[Due]:
    """What is due after an hour."""
    yield Due(
        "heat.spots",
        STAGE,
        "Lugs, breakers and busbars by thermometer",
        "page",
        "thermal camera or contact thermometer, and a clamp",
        (
            "Tape or paint on bare metal: it mirrors.",
            "Each spot with the air beside it and its amperes, under Heat.",
        ),
        LOADED,
        "IEC 62446-1 Annex; common practice",
        place="inverter-1",
        who="a licensed person",
        hazard="Covers off, live: two people, eye and arc protection.",
        hands=2,
        expects="none above its limit at rated current, nor 10 K above its like",
        problem="heat",
    )
    bank, pack = d.bank, d.pack
    if bank is None or pack is None:
        return
    if bank.count > 1:
        share = 100 * (d.sharing.over_mean if d.sharing else SHARES_OFF)
        most = max(share + 5.0, 100 * SHARES_OFF)
        yield Due(
            "packs.share",
            STAGE,
            "How packs share: the most loaded one over the mean",
            "percent",
            "DC clamp, or the packs' own displays",
            (
                "Amperes of every pack in the same minute; the greatest over the mean"
                f" of its bank.{each_bank(d)}",
            ),
            LOADED,
            COMMON_PRACTICE,
            place=pack_at(d),
            expects=f"{most:.0f} % at most" + (f"; {share:.0f} % is computed" if d.sharing else ""),
            least=0.0,
            most=most,
            problem="unequal_packs",
            probes=("round each lead", ""),
        )
    if pack.chemistry in REST_V:
        yield _volts(d)
    plate = pack.capacity_ah * bank.count
    yield Due(
        "battery.capacity",
        STAGE,
        "Capacity and efficiency, by an hour's discharge or charge",
        "page",
        "the unit's or pack's own record, or a logger",
        (
            "Volts, amperes and state of charge every ten seconds or so, for an"
            f" hour.{each_bank(d)}",
            "AC watts too, where efficiency is to be said.",
        ),
        "Discharging or charging steadily, between 20 and 90 % of charge.",
        COMMON_PRACTICE,
        place=pack_at(d),
        expects=f"{plate:g} Ah by plate, within what an hour can tell",
        limit=given("C", plate, "Ah", "Capacity by plate", "pack sheet"),
        problem="unequal_packs" if bank.count > 1 else "",
    )


def _volts(d: Design) -> Due:
    bank, pack = d.bank, d.pack
    assert bank is not None and pack is not None  # noqa: S101 - who calls has looked
    series = pack.cells * (d.plan.kit.series if pack.form != "pack" else 1)
    n = given("n_cell", series, "", "Cells in series", "pack sheet")
    cell = given("V_cell", REST_V[pack.chemistry], "V", "A cell at rest", COMMON_PRACTICE)
    amps = given("I", bank.i_bank.n, "A", "Battery current at full output", "Size")
    ohm = given("R", bank.resistance.n / max(bank.count, 1), "Ω", "The bank's own", "pack sheet")
    inputs = (
        Known(n),
        limits(cell, plain=REST_OFF_V[pack.chemistry]),
        limits(amps, 0.5),
        limits(ohm, 0.5),
    )
    band = combined(SAG, *inputs, name="Battery volts at full output", reading=0.1)
    return Due(
        "battery.volts",
        STAGE,
        "Battery volts at the unit, near full output",
        "volt",
        "multimeter, 1000 V DC",
        (
            "At the unit's battery terminals, discharging, between 20 and 80 % of"
            f" charge.{each_bank(d)}",
        ),
        LOADED,
        "Ohm's law; common practice",
        place="inverter-1",
        who="a licensed person",
        hazard="Insulated gloves: a pack cannot be switched off at its posts.",
        expects=f"{band.low:.4g} to {band.high:.4g} V",
        band=band,
        least=band.low,
        most=band.high,
        problem="unequal_packs",
        probes=("battery +", "battery −"),
        reads="1:battery V",
    )


@dataclass(frozen=True, slots=True)
class Discharge:
    """What an hour of discharge said: Wh and Ah that came out, percent of charge it took; capacity
    and its uncertainty in Ah; efficiency battery to AC where AC was read.
    """

    hours: float
    ah: float
    wh: float
    took: float
    capacity: Band
    efficiency: Band | None


CAPACITY = Formula("C", "Q * 100 / dS", "Ah", "Capacity, by what came out", "definition")
ETA = Formula("eta", "E_ac / E_dc", "", "Efficiency, battery to AC", "definition")
SOC_STEP, AMP_CLASS, WATT_CLASS = 1.0, 0.02, 0.02  # %, of a display, a clamp, a meter: practice


def discharge(
    hours: float, ah: float, wh_dc: float, took: float, wh_ac: float | None = None
) -> Discharge:
    """Capacity from what came out over how much of the charge it took. Raises ValueError where
    nothing came out.
    """
    if took <= 0 or ah <= 0 or not math.isfinite(ah / took):
        raise ValueError("nothing came out: discharge for an hour, and read the charge again")
    q = given("Q", ah, "Ah", "What came out", "its curve")
    ds = given("dS", took, "%", "Of the state of charge", "pack's display")
    cap = combined(CAPACITY, limits(q, AMP_CLASS), limits(ds, plain=2 * SOC_STEP))
    eta = None
    if wh_ac is not None and wh_dc > 0:
        ac = given("E_ac", wh_ac, "Wh", "Given on AC", "its curve")
        dc = given("E_dc", wh_dc, "Wh", "Out of the battery", "its curve")
        eta = combined(ETA, limits(ac, WATT_CLASS), limits(dc, WATT_CLASS))
    return Discharge(hours, ah, wh_dc, took, cap, eta)
