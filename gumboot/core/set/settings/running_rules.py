"""What the lines of running are given: which source first, output, outages, generator, clock."""

from __future__ import annotations

import math
from collections.abc import Callable

from gumboot.core.basis.figure import COMMON_PRACTICE, Figure, given, solve
from gumboot.core.kit import MAINS, MenuItem
from gumboot.core.network.house import line_of
from gumboot.core.set.settings.battery_rules import charge_held
from gumboot.core.set.settings.choosing import pick
from gumboot.core.set.settings.setting import Filled, Job

GENERATOR_SHARE = 0.8  # of its plate, for charging and loads together: common practice
START_SOC, STOP_SOC = 30.0, 80.0  # of a generator: common practice
SLEEP_W = 50.0  # below which a unit may sleep: common practice


def _off_grid(job: Job) -> bool:
    return job.plan.supply.kind == "off-grid"


def source_priority(item: MenuItem, job: Job) -> Filled:
    """Which source the loads take first."""
    if _off_grid(job):
        return "solar, battery, grid", "the generator comes last: it runs only when asked", None
    if job.plan.energy.work.mode == "reserve for outage":
        return (
            "solar first",
            "the battery is kept for an outage: sun, grid, battery",
            None,
        )
    return "solar, battery, grid", "sun and battery serve the house before the grid does", None


def charge_priority(item: MenuItem, job: Job) -> Filled:
    """What may charge."""
    work = job.plan.energy.work
    if _off_grid(job):
        if job.plan.kit.generator:
            return "solar first", "sun charges; the generator too, when it runs", None
        return "solar only", "nothing else is there", None
    if work.mode == "windows" and work.charge:
        return "both", "the windows to charge fill it from the grid while it is cheap", None
    return "solar only", "charge from the sun unless the tariff says otherwise", None


def output_in_outage(item: MenuItem, job: Job) -> Filled:
    """Whether the backup port makes a voltage without the grid."""
    if job.plan.backup.loads == "nothing":
        return "off", "nothing is backed up: a port nobody expects must not be live", None
    return "on", "the backed-up loads live on it in an outage", None


def bypass(item: MenuItem, job: Job) -> Filled:
    """Whether an overload goes to the grid."""
    if _off_grid(job):
        return "off", "no grid to pass the loads to", None
    return "on", "the grid carries a start that the unit does not", None


def unbalanced(item: MenuItem, job: Job) -> Filled:
    """Whether each line is driven by itself."""
    if job.plan.energy.tariff.export_limit_w is not None:
        return "on", "an export limit is held on each line only by an unbalanced output", None
    return "on", "each line gets what its own loads take", None


def export_of(item: MenuItem, job: Job) -> Filled:
    """Whether the export limit is of each phase, or of all together."""
    tariff = job.plan.energy.tariff
    if tariff.export_limit_w is not None and tariff.export_limit_of == "each phase":
        return "per phase", "the grid operator allows so much on each phase", None
    return "in all", "the meter bills the sum, unless the grid operator says otherwise", None


def input_range(item: MenuItem, job: Job) -> Filled:
    """How far the input may stray before the unit leaves it."""
    if job.plan.kit.generator:
        return "wide", "a generator's volts and frequency stray: narrow would drop it", None
    return "narrow", "loads are changed over sooner when the grid strays", None


def volts_out(item: MenuItem, job: Job) -> Filled:
    """Output volts, as a number or as a choice: between lines, or to neutral where a menu counts
    so.
    """
    between, neutral = job.inverter.voltage_v, MAINS[job.inverter.supply].to_neutral
    if not _has(item, between) and _has(item, neutral):
        return (f"{neutral:g} V" if item.options else neutral), "the supply's own, to neutral", None
    return (f"{between:g} V" if item.options else between), "the supply's own", None


def _has(item: MenuItem, volts: float) -> bool:
    """Whether a line takes these volts."""
    if item.options:
        return pick(item.options, f"{volts:g} V") is not None
    return (item.least or 0.0) <= volts <= (math.inf if item.most is None else item.most)


def hertz(item: MenuItem, job: Job) -> Filled:
    """Output frequency, of the supply that the unit is made for."""
    f = MAINS[job.inverter.supply].hertz
    return (f"{f:g} Hz" if item.options else f), "the supply's own", None


def phase_mode(item: MenuItem, job: Job) -> Filled:
    """How several units stand together."""
    kit, line = job.plan.kit, line_of(job.plan, job.inverter, job.unit_no)
    if line:
        return f"phase {line}", "the line it is wired to", None
    if kit.inverters > 1:
        return "parallel", f"{kit.inverters} units on the same lines", None
    return "single", "one unit", None


def grid_charge_a(item: MenuItem, job: Job) -> Filled:
    """The most A of charging that the grid, or a generator, may give."""
    most = given("I_chg", charge_held(job), "A", "Charge current", "menu")
    volts = given("V_nom", job.bank.v_nom.n if job.bank else 48.0, "V", "Bank", "pack sheet")
    good = given("eta", job.inverter.battery_efficiency, "", "Efficiency", "inverter sheet")
    generator, own = job.plan.kit.generator, item.rule == "gen_charge_a"
    by_grid_port = job.inverter.generator is None  # there a generator comes in as the grid would
    if generator is not None and job.plan.kit.on_generator and (own or by_grid_port):
        share = given("k_gen", GENERATOR_SHARE, "", "Of its plate", COMMON_PRACTICE)
        plate = given("P_gen", generator.power_w, "W", "Generator", "plan")
        name = "Charging from the generator"
        n = given("n_ch", job.plan.kit.on_generator, "", "Inverters that share it", "plan")
        how = "min(I_chg, k_gen * P_gen * eta / (n_ch * V_nom))"
        row = (most, share, plate, good, n, volts)
        f = solve("I_key", "A", name, how, *row, source=COMMON_PRACTICE)
        return _down(f, item), "the charger takes 80 % of the generator at most", f
    amps = job.inverter.pass_through_a or job.inverter.power_w / job.inverter.voltage_v
    through = given("I_thru", amps, "A", "What the port passes", "inverter sheet")
    line = given("U", job.inverter.voltage_v, "V", "Line", "inverter sheet")
    name = "Charging from the grid"
    how = "min(I_chg, I_thru * U * eta / V_nom)"
    f = solve("I_key", "A", name, how, most, through, line, good, volts, source=COMMON_PRACTICE)
    if own:
        where = "it lands on the loads panel" if generator else "no generator in this plan"
        return _down(f, item), f"{where}: it does nothing", None
    return _down(f, item), "the port carries no more; keep it lower where the service is small", f


def _down(f: Figure, item: MenuItem) -> float:
    step = item.step or 1
    held = math.floor(f.n / step + 1e-9) * step
    return held if item.most is None else min(held, item.most)


def generator_soc(which: str) -> Callable[[MenuItem, Job], Filled]:
    """State of charge at which a generator is started and stopped."""

    def rule(item: MenuItem, job: Job) -> Filled:
        value = START_SOC if which == "start" else STOP_SOC
        if job.plan.kit.generator is None:
            return value, "no generator in this plan: it does nothing", None
        why = "before the loads are dropped" if which == "start" else "the sun does the rest"
        return value, why, None

    return rule


def generator_auto(item: MenuItem, job: Job) -> Filled:
    """Whether the unit starts a generator by itself."""
    if job.plan.kit.generator is None:
        return "off", "no generator in this plan", None
    if job.plan.kit.on_generator == 0:
        return "off", "it lands on the loads panel: a hand starts it and throws the interlock", None
    return "on", "by its dry contact, at the states of charge below", None


def address(item: MenuItem, job: Job) -> Filled:
    """The unit's own address on a bus: counted as the units are."""
    return float(job.unit_no - job.first + 1), "each unit of its own on one bus", None


def protocol(item: MenuItem, job: Job) -> Filled:
    """The protocol that pack and unit share on their battery ports."""
    ours, theirs = (
        [x for p in (device.signals if device else ()) if "BMS" in p.serves for x in p.protocols]
        for device in (job.unit, job.pack)
    )
    both = [x for x in ours if x in theirs]
    if not both:
        return item.options[0] if item.options else "as found", "no sheet names one in common", None
    return both[0], "the one that pack and unit both speak, as under Link", None


def fixed(value: float | str, reason: str) -> Callable[[MenuItem, Job], Filled]:
    """The same on every job."""
    return lambda item, job: (value, reason, None)


RUNNING: dict[str, Callable[[MenuItem, Job], Filled]] = {
    "source_priority": source_priority,
    "charge_priority": charge_priority,
    "output_in_outage": output_in_outage,
    "bypass.overload": bypass,
    "restart.overload": fixed("on", "it comes back by itself"),
    "restart.heat": fixed("on", "it comes back when it has cooled"),
    "power_save_w": fixed(SLEEP_W, "used only where sleep is on"),
    "unbalanced": unbalanced,
    "export_per_phase": export_of,
    "power_factor": fixed(1.0, "unity, unless the grid operator asks for another"),
    "reactive": fixed("off", "unless the grid operator asks for it"),
    "input_range": input_range,
    "output_v": volts_out,
    "output_hz": hertz,
    "phase_mode": phase_mode,
    "grid_charge_a": grid_charge_a,
    "gen_auto": generator_auto,
    "gen_start_soc": generator_soc("start"),
    "gen_stop_soc": generator_soc("stop"),
    "gen_charge_a": grid_charge_a,
    "clock": fixed("local time", "windows and logs go by it: set it first"),
    "date": fixed("today", "windows by weekday go by it"),
    "bus_address": address,
    "protocol": protocol,
}
