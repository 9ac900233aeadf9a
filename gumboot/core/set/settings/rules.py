"""What each line of a menu is given, and why."""

from __future__ import annotations

import math
from collections.abc import Callable

from gumboot.core.basis.figure import COMMON_PRACTICE, given, solve
from gumboot.core.kit import MenuItem
from gumboot.core.network.house import line_of
from gumboot.core.set.settings import windows
from gumboot.core.set.settings.battery_rules import (
    _by_heat,
    _capacity,
    _cells,
    _current,
    _equalise,
    _kind,
    _link,
    _tail,
    _time,
)
from gumboot.core.set.settings.choosing import pick
from gumboot.core.set.settings.running_rules import RUNNING
from gumboot.core.set.settings.setting import Filled, Job
from gumboot.core.set.settings.slot import MODE_REASONS, MODES, show_slot


def _own(item: MenuItem, job: Job) -> Filled:
    """A line whose meaning nobody has said: it keeps what the maker gave it."""
    if item.default is not None:
        return item.default, "the maker's own: no rule is known for it", None
    return "as found", "not proposed: keep what the unit has, or type your own", None


def rule_for(item: MenuItem, job: Job, window: windows.Of | None) -> Filled:
    """What a line is given, by what it means. window: what it is of one."""
    if window is not None:
        return windows.part_rule(window, show_slot)(item, job)
    return RULES.get(item.rule, _own)(item, job)


def _first(item: MenuItem, job: Job) -> Filled:
    if not item.options:
        return _own(item, job)
    if len(item.options) > 1:
        return item.options[0], "the menu's first; choose what the place asks", None
    return item.options[0], "the only choice this menu has", None


def _role(item: MenuItem, job: Job) -> Filled:
    """What a unit is among several."""
    if job.like == 1:
        return "alone", "one unit", None
    if job.unit_no == job.first:
        return "leader", "the meter and the BMS talk to this one", None
    return "follower", "it does what the first one says", None


def _line(item: MenuItem, job: Job) -> Filled:
    """The line that a single-phase unit stands on in a house of several."""
    line = line_of(job.plan, job.inverter, job.unit_no) or "L1"
    return line, "the line it is wired to", None


def _fixed(value: float | str, reason: str) -> Callable[[MenuItem, Job], Filled]:
    return lambda item, job: (value, reason, None)


def _bond(item: MenuItem, job: Job) -> Filled:
    if job.plan.backup.bond == "inverter":
        return "on in island", "the inverter's relay makes the one bond in an outage", None
    where = {
        "service": "at the service",
        "gateway": "in the gateway",
        "loads panel": "in the loads panel",
    }[job.plan.backup.bond]
    return "off", f"the neutral is bonded {where}: exactly one bond", None


def _pass_through(item: MenuItem, job: Job) -> Filled:
    """The least that any grid conductor and breaker permit, so that a smaller one fitted is kept
    from running hot.
    """
    wires = [s.permitted for s in job.circuits if s.circuit.family == "grid"]
    own = given(
        "I_thru",
        job.inverter.pass_through_a or job.inverter.power_w / job.inverter.voltage_v,
        "A",
        "What the port passes",
        "inverter sheet",
    )
    wire = min(wires, key=lambda f: f.n, default=own).renamed("I_wire")
    f = solve(
        "I_key",
        "A",
        "Highest current from the grid",
        "min(I_thru, I_wire)",
        own,
        wire,
        source=COMMON_PRACTICE,
    )
    step = item.step or 1
    why = (
        "the conductor and breaker as fitted decide"
        if wire.n < own.n
        else "the unit's own pass-through decides"
    )
    return math.floor(f.n / step + 1e-9) * step, why, f


def _mode(item: MenuItem, job: Job) -> Filled:
    mode = job.plan.energy.work.mode
    keyed = MODES[mode]
    if not item.choice(keyed) and pick(item.options, keyed) is None:
        return item.options[0], f"the menu has no {keyed}", None
    return keyed, MODE_REASONS[mode], None


def _grid_charge(item: MenuItem, job: Job) -> Filled:
    work = job.plan.energy.work
    if work.mode == "windows" and work.charge:
        return "on", "the windows to charge fill it from the grid while it is cheap", None
    return "off", "charge from the sun unless the tariff says otherwise", None


def _spare_sun(item: MenuItem, job: Job) -> Filled:
    work = job.plan.energy.work
    if work.mode == "windows" and work.spare_sun == "grid":
        return "grid", "the grid pays more for it than a night's charge costs", None
    return "battery", "the battery takes what the house leaves, then the grid", None


def _export(item: MenuItem, job: Job) -> Filled:
    n, p = (
        given("n_inv", job.plan.kit.inverters, "", "Inverters", "plan"),
        given("P", job.inverter.power_w, "W", "Inverter power", "inverter sheet"),
    )
    if (limit := job.plan.energy.tariff.export_limit_w) is not None:
        may = given("P_may", limit, "W", "What the grid operator allows", "tariff")
        if job.plan.energy.tariff.export_limit_of == "each phase":
            step = item.step or 1
            kept = any(m.rule == "export_per_phase" for m in job.inverter.menu)
            more = "" if kept else ": this menu holds the sum only, and all of it may go one way"
            return math.floor(limit / step) * step, f"allowed on each phase{more}", may
        f = solve(
            "P_exp",
            "W",
            "Export limit",
            "min(P_may, n_inv * P)",
            may,
            n,
            p,
            source="the grid operator",
        )
        step = item.step or 1
        return math.floor(f.n / step + 1e-9) * step, "what the grid operator allows", f
    f = solve("P_exp", "W", "Export limit", "n_inv * P", n, p, source="definition")
    return f.n, "all inverters at full output; key the grid operator's figure if it is lower", f


RULES: dict[str, Callable[[MenuItem, Job], Filled]] = {
    "own": _own,
    "first": _first,
    "link": _link,
    "capacity": _capacity,
    "charge": _current("charge"),
    "discharge": _current("discharge"),
    "absorb": _cells("absorb"),
    "float": _cells("float"),
    "recover": _cells("recover"),
    "warn": _cells("warn"),
    "cut": _cells("cut"),
    "tail": _tail,
    "export": _export,
    "equalise_v": _cells("equalise"),
    "lithium": _kind,
    "equalise_off": _equalise,
    "pass_through": _pass_through,
    "mode": _mode,
    "charge_slot": _own,  # filled by its number among its like
    "give_slot": _own,
    **RUNNING,
    "recharge": _cells("recharge"),
    "hard_stop": _cells("hard_stop"),
    "gen_start_v": _cells("gen_start"),
    "gen_stop_v": _cells("gen_stop"),
    "cut_delay": _fixed(30.0, "a start must not drop the bank: common practice"),
    "absorb_min": _time("absorb_min"),
    "equalise_min": _time("equalise_min"),
    "equalise_delay": _time("equalise_delay"),
    "equalise_days": _time("equalise_days"),
    "equalise_now": _fixed("off", "never started from the menu on the day"),
    "per_heat": _by_heat,
    "reserve_soc": _fixed(30.0, "kept back for an outage while the grid is on"),
    "floor_on_grid": _fixed(20.0, "the battery is not drawn lower while the grid is there"),
    "floor_off_grid": _fixed(10.0, "in an outage the house may use this far down"),
    "back_to_grid": _fixed(15.0, "below this the house goes back to grid"),
    "back_to_battery": _fixed(40.0, "above this the house may leave the grid again"),
    "back_to_grid_v": _cells("to_grid"),
    "back_to_battery_v": _cells("to_battery"),
    "grid_charge": _grid_charge,
    "spare_sun": _spare_sun,
    "bond_off": _bond,
    "role": _role,
    "line": _line,
    "sleep_off": _fixed("off", "small loads must not put the inverter to sleep"),
}
