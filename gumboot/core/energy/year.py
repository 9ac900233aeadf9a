"""A year with the kit and without: what it takes, what came of it, and what it rests on."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from gumboot.core.basis.clock import covered
from gumboot.core.basis.figure import COMMON_PRACTICE
from gumboot.core.basis.finding import Cure, Finding, check, note
from gumboot.core.design import Design
from gumboot.core.energy import demand
from gumboot.core.energy.battery import NO_LIMIT, Bank, Rules, Run, Series, many, run
from gumboot.core.energy.calendar import STEPS, YEAR, Calendar, calendar
from gumboot.core.energy.clearness import MODEL
from gumboot.core.energy.sun import (
    ETA_INVERTER,
    Face,
    Weather,
    assumed_air,
    clear_sky,
    clouded,
    face_power,
    faces_of,
    sky,
)
from gumboot.core.energy.tariff import prices
from gumboot.core.kit import Catalogue, Inverter, Pack
from gumboot.core.plan import ExistingPv, Plan, Slot, Work
from gumboot.core.plan.kit import CONTROLLERS
from gumboot.core.set.settings import Setting, work_keyed

CELL_ROUND_TRIP = {
    "LFP": 0.96,
    "NMC": 0.95,
    "flooded": 0.80,
    "sealed": 0.85,
    "gel": 0.85,
}  # of the cells alone: common practice, from memory
ETA_DC = 0.98  # from the array to the cells of a hybrid, DC to DC: common practice
FREEZING_C = 0.0  # lithium is not charged below: common practice, pack sheets
GENERATOR_ON, GENERATOR_OFF = (
    0.05,
    0.80,
)  # above the floor it starts, and the share it stops at: common practice


@dataclass(frozen=True, eq=False)
class Readings:
    """A house's meter for a year: kWh each step, and the year it was."""

    year: int
    kwh: Series


@dataclass(frozen=True, eq=False)
class Inputs:
    """All that a year is made from. Series in W (or money a kWh) each step; `outage` is the
    backed-up part of the load; both hold the inverters' own `standby_w`. passed_w: what each
    charge controller passes on.
    """

    cal: Calendar
    sun: Series
    sun_outage: Series
    load: Series
    outage: Series
    buy: Series
    sell: Series
    rules: Rules
    bank: Bank | None
    floor_off_grid: float
    off_grid: bool
    work: Work
    faces: tuple[tuple[str, float], ...]
    rests_on: tuple[str, ...]
    currency: str
    standing_year: float
    standby_w: float = 0.0
    passed_w: tuple[float, ...] = ()


@dataclass(frozen=True, eq=False)
class Year:
    """What came of it. Bills in money a year: with nothing, with sun alone, with all of it; the run
    with its trace; shares from 0 to 1.
    """

    with_all: Run
    sun_alone: Run
    nothing: Run
    bill_all: float
    bill_sun: float
    bill_nothing: float
    self_use: float
    self_sufficiency: float
    cycles: float


class NoYear(ValueError):
    """A year cannot be made yet: what is missing is said, and where to type it."""


def keyed(settings: Sequence[Setting], rule: str, otherwise: float) -> float:
    """A percentage of the menu as a share, by what its line means."""
    value = next((s.value for s in settings if s.rule == rule), otherwise)
    return (otherwise if isinstance(value, str) else float(value)) / 100


def own_number(settings: Sequence[Setting], rule: str) -> float | None:
    """A number that the crew keyed of its own; None where Gumboot's stands."""
    value = next((s.value for s in settings if s.rule == rule and s.chosen), None)
    return None if value is None or isinstance(value, str) else float(value)


def lives_on(plan: Plan, old: ExistingPv) -> bool:
    """Whether a PV inverter that is there is counted on in an outage: it stays with the house, and
    is known to throttle when told.
    """
    return old in plan.island_pv.values() and old.obeys_frequency == "yes"


def controllers_a(design: Design) -> float:
    """What all charge controllers together charge with at most, A: as keyed, else as rated."""
    return sum(each_controller_a(design))


def each_controller_a(design: Design) -> list[float]:
    """What each charge controller charges with at most, A: as keyed, else as rated."""
    sheet, fitted = design.controller, design.plan.kit.controllers_fitted
    if sheet is None:
        return []
    menus = (design.menu(CONTROLLERS + n) for n in range(1, fitted + 1))
    keyed = ([s.value for s in menu if s.rule == "charge"] for menu in menus)
    held = (next((float(x) for x in row if not isinstance(x, str)), None) for row in keyed)
    return [sheet.charge_max_a if x is None else x for x in held]


def bank_of(
    plan: Plan,
    inverter: Inverter,
    pack: Pack,
    packs: int,
    charge_a: float | None = None,
    controllers: float = 0.0,
) -> Bank:
    """So many packs in parallel behind the plan's inverters. controllers: what charge controllers
    charge with, A.
    """
    series = plan.kit.series if pack.form != "pack" else 1
    volts = pack.v_nom * series
    cell = float(np.sqrt(CELL_ROUND_TRIP[pack.chemistry]))
    shared = bool(inverter.trackers) or controllers > 0
    direct = shared and not plan.kit.pv_inverters
    ac = inverter.power_w * plan.kit.inverters
    eta = inverter.battery_efficiency
    old_w = sum(pv.power_w for pv in plan.kit.pv_inverters)  # beside a hybrid, not through it
    amps_in = min(
        packs * pack.charge_max_a,
        plan.kit.inverters * min(inverter.charge_max_a, charge_a or inverter.charge_max_a)
        + controllers,
    )
    amps_out = min(
        packs * pack.discharge_max_a,
        plan.kit.inverters * inverter.battery.i_max_a if inverter.battery else np.inf,
    )
    return Bank(
        packs * pack.capacity_ah * volts,
        min(np.inf if shared else ac, amps_in * volts / eta),
        min(ac, amps_out * volts * eta),
        min(1.0, cell * ETA_DC / ETA_INVERTER) if direct else eta * cell,
        eta * cell,
        ac + (old_w if shared else 0.0),
        shared,
        eta * cell,
    )


def warm_enough(
    plan: Plan, pack: Pack | None, cal: Calendar, weather: Weather | None
) -> Series | None:
    """Whether cells may be charged at each step: lithium that hangs outdoors not below 0 °C. None
    where it always may; what no wall holds is taken to stand indoors.
    """
    out = any(
        w.place == "outdoors" and any(k.startswith("pack") for k in w.placed) for w in plan.walls
    )
    if pack is None or not pack.lithium or not out:
        return None
    air = np.repeat(weather.air_c, 4) if weather else assumed_air(plan.site, cal)
    return (np.asarray(air, float) >= FREEZING_C).astype(float)


def export_lines(plan: Plan, design: Design) -> int:
    """On how many lines an export limit counts by itself: a limit of each phase, with a unit that
    feeds all three alike.
    """
    each = plan.energy.tariff.export_limit_of == "each phase"
    three = design.inverter is not None and design.inverter.supply.startswith("three")
    return 3 if each and three else 1


def rules_of(work: Work, cal: Calendar, floor: float, reserve: float) -> Rules:
    """What a work mode lets the battery do at each step.

    Self-use: down to the floor. Reserve: down to the reserve, the rest waits for an outage.
    Windows: in a slot to charge it fills from
    the grid and gives nothing; it gives in the slots to discharge only, or whenever it does not
    charge when there are none.
    """
    n = len(cal.start)
    if work.mode != "windows":
        return Rules(
            np.full(n, reserve if work.mode == "reserve for outage" else floor), np.zeros(n)
        )
    low, fill = np.full(n, 1.0 if work.discharge else floor), np.zeros(n)
    for slot in work.discharge:
        low[_in(slot, cal)] = max(floor, slot.soc / 100)
    for slot in work.charge:
        inside = _in(slot, cal)
        fill[inside], low[inside] = slot.soc / 100, 1.0
    return Rules(low, fill, sell_first=work.spare_sun == "grid")


def _in(slot: Slot, cal: Calendar) -> Series:
    return np.asarray(covered([(slot.start_min, slot.end_min)])[cal.minute])


def lacks(plan: Plan, design: Design) -> str:
    """What a year cannot be made without, and where to type it; empty when all is there."""
    if design.inverter is None:
        return "The kit is not on the shelf: choose an inverter in Brief, under Kit and runs."
    if plan.site.latitude_deg is None:
        return "The latitude is not known: type it in Brief, under Kit and runs."
    if plan.energy.load_file is None and not plan.loads:
        return "No load is known: list circuits on the load board, or give the meter's readings."
    return ""


def gather(
    plan: Plan,
    design: Design,
    catalogue: Catalogue,
    readings: Readings | None = None,
    weather: Weather | None = None,
) -> Inputs:
    """Everything a year is made from. Raises NoYear when the plan lacks what it needs, or its
    readings are not given.
    """
    inverter, pack = design.inverter, design.pack
    if (says := lacks(plan, design)) or inverter is None:
        raise NoYear(says)
    if readings is None and not plan.loads:
        raise NoYear("The meter's readings of the plan are not kept with the job: give them again.")
    cal = calendar(readings.year if readings else YEAR, plan.site.zone, plan.site.longitude_deg)
    faces = faces_of(plan, catalogue)
    table = sky(plan.site, cal, weather, plan.energy.climate_factor) if faces else None
    passed = passes_w(design)
    powers = _powers(plan, faces, table, cal, passed)
    sun, stays = _suns(plan, powers)
    load = (
        demand.of_meter(readings.kwh)
        if readings
        else demand.of_board(plan.loads, cal, plan.energy.yearly_kwh)
    )
    whole = plan.backup.loads == "whole house" or plan.supply.kind == "off-grid"
    outage = (
        load * (demand.backed_share(plan.loads, cal) if plan.loads else 1.0)
        if plan.loads and not (whole and all(x.backed for x in plan.loads))
        else load
    )
    standby = inverter.standby_w * plan.kit.inverters
    if design.controller:
        standby += design.controller.standby_w * plan.kit.controllers_fitted
    off_grid = plan.supply.kind == "off-grid"
    floor_off = keyed(design.settings, "floor_off_grid", 10)
    floor_on, reserve = (
        keyed(design.settings, "floor_on_grid", 20),
        keyed(design.settings, "reserve_soc", 30),
    )
    depth = 1 - pack.depth if pack else 0.0
    floor_off = max(floor_off, depth)
    work = work_keyed(design.settings, plan.energy.work)
    rules = rules_of(work, cal, max(floor_on, depth), max(reserve, depth))
    tariff = plan.energy.tariff
    lines = export_lines(plan, design)
    limits = [
        w * lines
        for w in (own_number(design.settings, "export"), tariff.export_limit_w)
        if w is not None
    ]
    if inverter.grid is None or not inverter.feeds_grid:
        limits.append(sum(pv.power_w for pv in plan.kit.pv_inverters if pv.side == "grid side"))
    rules = replace(
        rules, import_w=tariff.import_limit_w or NO_LIMIT, export_w=min(limits, default=NO_LIMIT)
    )
    if off_grid:
        gen = plan.kit.generator
        rules = Rules(
            np.full(STEPS, floor_off),
            np.zeros(STEPS),
            0.0,
            0.0,
            gen.power_w if gen else 0.0,
            min(0.95, floor_off + GENERATOR_ON),
            max(GENERATOR_OFF, floor_off + 0.1),
            design.charging.charger.n if design.charging else NO_LIMIT,
            gen is not None and plan.kit.on_generator == 0,
        )
    rules = replace(rules, may_charge=warm_enough(plan, pack, cal, weather))
    buy, sell = prices(tariff, cal)
    packs = design.bank.total if design.bank else 0
    amps = (s.value for s in design.settings if s.rule == "charge")
    charge_a = next((float(x) for x in amps if not isinstance(x, str)), None)
    by_controllers = controllers_a(design)
    bank = (
        bank_of(plan, inverter, pack, packs, charge_a, by_controllers) if pack and packs else None
    )
    named = tuple(
        (
            f"{f.watts / 1000:g} kW at {f.tilt_deg:g}° tilt, {f.azimuth_deg:g}° azimuth"
            + (f", charge controller {f.controller}" if f.controller else ""),
            float(p.sum()) / 4000,
        )
        for f, p in zip(faces, powers, strict=True)
    )
    return Inputs(
        cal,
        sun,
        stays,
        load + standby,
        np.asarray(outage) + standby,
        buy,
        sell,
        rules,
        bank,
        floor_off,
        off_grid,
        work,
        named,
        rests_on(plan, standby, readings, weather),
        tariff.currency,
        tariff.standing_day * 365,
        standby,
        passed,
    )


def passes_w(design: Design) -> tuple[float, ...]:
    """What each charge controller passes on at most, W on the inverters' AC side."""
    volts = design.bank.v_nom.n if design.bank else 0.0
    return tuple(a * volts * ETA_INVERTER for a in each_controller_a(design))


def _powers(
    plan: Plan, faces: Sequence[Face], table: Any, cal: Calendar, passed_w: Sequence[float]
) -> list[Series]:
    """What each face gives; those on one charge controller together no more than it passes on; the
    last ones, of PV inverters beside the units, no more than their power.
    """
    powers, beside = [face_power(f, table, cal) for f in faces], plan.kit.pv_inverters
    first = len(powers) - len(beside)
    for n, most in enumerate(passed_w, 1):
        own = [k for k, f in enumerate(faces) if f.controller == n]
        every = np.sum([powers[k] for k in own], axis=0)
        share = np.minimum(1.0, most / np.maximum(every, 1.0))
        for k in own:
            powers[k] = powers[k] * share
    return [
        *powers[:first],
        *(np.minimum(p, pv.power_w) for p, pv in zip(powers[first:], beside, strict=True)),
    ]


def _suns(plan: Plan, powers: Sequence[Series]) -> tuple[Series, Series]:
    """(all the sun, what of it stays in an outage)."""
    sun = np.sum(powers, axis=0) if powers else np.zeros(STEPS)
    beside = plan.kit.pv_inverters
    own = zip(powers[len(powers) - len(beside) :], beside, strict=True)
    return sun, sun - sum((p for p, pv in own if not lives_on(plan, pv)), np.zeros(STEPS))


def other_years(plan: Plan, catalogue: Catalogue, i: Inputs, count: int) -> Iterator[Inputs]:
    """The same house under the days of so many other synthetic years."""
    faces = faces_of(plan, catalogue)
    if not faces:
        return
    clear = clear_sky(plan.site, i.cal)
    for n in range(1, count + 1):
        table = clouded(clear, plan.site, plan.energy.climate_factor, n)
        sun, stays = _suns(plan, _powers(plan, faces, table, i.cal, i.passed_w))
        yield replace(i, sun=sun, sun_outage=stays)


def rests_on(
    plan: Plan, standby_w: float, readings: Readings | None, weather: Weather | None
) -> tuple[str, ...]:
    """What the figures take for granted, each in one sentence."""
    factor = plan.energy.climate_factor
    out = [
        (
            "Weather of the file given."
            if weather
            else (
                f"Synthetic days by {MODEL}, seeded by this job, {factor:g} of a clear sky in the"
                " mean: dull spells are in it, and they are not those of any real year."
            )
        )
    ]
    scaled = (
        f", scaled to {plan.energy.yearly_kwh:g} kWh a year"
        if plan.energy.yearly_kwh and not readings
        else ""
    )
    out.append(
        "Load from the meter's readings."
        if readings
        else f"Load from the load board, every day alike{scaled}."
    )
    if standby_w:
        out.append(
            f"The units themselves draw {standby_w:g} W day and night, counted with the house."
        )
    out.append(
        "14 % of the sun lost to dirt, mismatch, wiring and age; inverter 96 %; no shade:"
        " survey it."
    )
    out.append("Legs or phases metered together; the battery never sells to the grid.")
    if any(not lives_on(plan, pv) for pv in plan.kit.pv_inverters):
        out.append(
            "In an outage a PV inverter that feeds the grid side, or is not known to throttle, is"
            " not counted on."
        )
    if plan.kit.generator and plan.supply.kind == "off-grid":
        out.append(
            "The generator charges through what it lands on, at the current that is keyed."
            if plan.kit.on_generator
            else "While the generator runs on the loads panel it carries the house alone: it does"
            " not charge, and the battery fills by the sun only."
        )
    if not plan.site.zone:
        out.append("No time zone is given: clocks do not change.")
    return tuple(out)


def live(i: Inputs) -> Year:
    """The year with the kit, with its sun alone, and without any of it."""
    zero = np.zeros(STEPS)
    none = Bank(
        0.0, 0.0, 0.0, 1.0, 1.0, i.bank.ac_w if i.bank else NO_LIMIT, bool(i.bank and i.bank.shared)
    )
    bank = i.bank or none
    grid = replace(i.rules, floor=np.ones(STEPS), fill=zero, generator_alone=False)
    free = replace(grid, import_w=NO_LIMIT) if not i.off_grid else grid
    settled = (
        many(i.sun, i.load, i.buy, i.sell, i.rules, [bank], [1.0])[0, -1] * 1000 / bank.capacity_wh
        if bank.capacity_wh
        else 0.5
    )
    all_of_it = run(i.sun, i.load, i.buy, i.sell, i.rules, bank, min(1.0, settled))
    sun_alone = run(i.sun, i.load, i.buy, i.sell, grid, none)
    nothing = run(zero, i.load - i.standby_w, i.buy, i.sell, free, none)
    t = all_of_it.totals
    used = t["sun"] - t["sold"] - t["curtailed"]
    from_outside = t["bought"] + t["unserved"] + t["generator"]
    bill = [
        r.totals["paid"] - r.totals["earned"] + i.standing_year
        for r in (all_of_it, sun_alone, nothing)
    ]
    return Year(
        all_of_it,
        sun_alone,
        nothing,
        bill[0],
        bill[1],
        bill[2],
        used / t["sun"] if t["sun"] else 0.0,
        max(0.0, 1 - from_outside / t["load"]) if t["load"] else 0.0,
        t["discharged"] * 1000 / bank.eta_discharge / bank.capacity_wh if bank.capacity_wh else 0.0,
    )


def year_findings(plan: Plan, i: Inputs, year: Year) -> list[Finding]:
    """What of a year wants a person's judgement."""
    found: list[Finding] = []
    t = year.with_all.totals
    if i.off_grid and t["unserved"] > 0.5:
        hours = float((year.with_all.trace["unserved"] > 1).sum()) / 4
        says = (
            f"Off grid the house goes without {t['unserved']:.0f} kWh in {hours:.0f} hours of the"
            " year."
        )
        found.append(
            check(
                "year.unserved",
                "year",
                says,
                COMMON_PRACTICE,
                Cure("Add packs or modules, a generator, or drop loads: see what each step buys"),
            )
        )
    if i.off_grid and not plan.energy.weather_file:
        says = (
            "The days of this year are synthetic: off grid it is the longest dull spell that"
            " counts, and a real year may hold a longer one."
        )
        found.append(
            check(
                "year.weather",
                "year",
                says,
                COMMON_PRACTICE,
                Cure("Give the weather of a typical year, as EPW or TMY3"),
            )
        )
    if not i.off_grid and not plan.energy.tariff.rates:
        found.append(
            note(
                "year.tariff",
                "year",
                "No tariff is given: the year shows energy, and no bills.",
                "brief",
                Cure("Type the tariff"),
            )
        )
    return found
