"""What is wrong with a menu as keyed."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from gumboot.core.basis import clock
from gumboot.core.basis.figure import COMMON_PRACTICE, given, solve
from gumboot.core.basis.finding import Change, Cure, Finding, check, stop
from gumboot.core.kit import MenuItem
from gumboot.core.kit.menu import TIME
from gumboot.core.network.house import sun_beside
from gumboot.core.plan import Plan
from gumboot.core.set.settings import windows
from gumboot.core.set.settings.agreement import (
    back,
    battery_findings,
    order_findings,
    plan_findings,
)
from gumboot.core.set.settings.battery_rules import charge_held, charge_proposed
from gumboot.core.set.settings.setting import Job, Setting
from gumboot.core.set.settings.slot import SLOT, is_now, parse_slot
from gumboot.core.size.limits import key_of


def menu_findings(settings: list[Setting], job: Job) -> list[Finding]:
    """What is wrong with what the crew keyed: a value the line does not take, a line the menu does
    not have, an order that does not hold.
    """
    found: list[Finding] = []
    by = {s.id: s for s in settings}
    for item in job.unit.menu:
        keyed = job.plan.settings.get(by[item.id].key)
        if keyed is not None and (fault := misfit(item, keyed)):
            place, says = f"set.{item.id}", f"{item.label}: {fault}."
            found.append(stop(f"{place}.value", place, says, "inverter menu", back(by[item.id])))
    found += [*order_findings(settings), *battery_findings(settings, job)]
    found += current_findings(settings)
    if job.controls:
        return found  # neither grid nor loads, nor windows
    found += plan_findings(settings, job)
    return found + work_findings(settings, job) + sun_findings(settings, job)


def unknown_findings(plan: Plan, of: Mapping[int, Sequence[MenuItem]]) -> list[Finding]:
    """What the plan keys that no unit's menu has. of: the menu of each unit, by its number."""
    known = {key_of(i.id, n) for n, menu in of.items() for i in menu}
    out = []
    for k in plan.settings:
        if k not in known:
            says = f"The plan keys “{k}”, which no unit's menu has."
            remove = Cure("Remove it", (Change(f"/settings/{k}", None),))
            out.append(check(f"set.{k}.unknown", "settings", says, "inverter menu", remove))
    return out


def sun_findings(settings: list[Setting], job: Job) -> list[Finding]:
    """PV inverters that stay with the house in an outage and give more than the battery may be
    charged with.
    """
    line = next((s for s in settings if s.rule == "charge"), None)
    gives = sun_beside(job.plan)
    if line is None or job.bank is None or job.unit_no > 1:
        return []
    n = given("n_inv", job.plan.kit.inverters, "", "Inverters", "plan")
    amps = given("I_chg", charge_held(job), "A", "Charge current of one", "menu")
    volts, name = job.bank.v_nom.renamed("V_nom"), "What charges the battery at most"
    takes = solve("P_chg", "W", name, "n_inv * I_chg * V_nom", n, amps, volts, source="definition")
    if gives.n <= takes.n:
        return []
    alone = job.plan.supply.kind == "off-grid"
    when = "Off grid" if alone else "In an outage"
    says = (
        f"{when} the sun gives up to {gives.text} beside the units, and {amps.text}"
        f"{' each' if n.n > 1 else ''} charge the battery with {takes.text}: with little"
        " load on, the rest has nowhere to go until the PV inverter throttles."
    )
    enough = line.own and n.n * charge_proposed(job) * volts.n >= gives.n
    other = "take a smaller PV inverter" if alone else "move the PV inverter to the grid side"
    cure = back(line) if enough else Cure(f"Fit more packs, or {other}")
    shown = (gives, takes)
    return [check("set.charge.sun", f"set.{line.id}", says, COMMON_PRACTICE, cure, figures=shown)]


def work_findings(settings: list[Setting], job: Job) -> list[Finding]:
    """Windows that do nothing or contradict each other; more sold than the grid operator allows."""
    by = {s.rule: s for s in reversed(settings)} | {s.id: s for s in settings}
    found: list[Finding] = []
    work = job.plan.energy.work
    charge = by.get("grid_charge")
    slots = windows.keyed(settings, parse_slot)
    of = {s.id: s.window for s in settings if s.window is not None}
    if (
        charge
        and charge.own
        and is_now(charge, "off")
        and any(of[k].way == "charge" for k in slots)
    ):
        says = "Windows to charge are keyed, and charging from the grid is off: they do nothing."
        found.append(
            check(
                f"set.{charge.id}.windows",
                f"set.{charge.id}",
                says,
                COMMON_PRACTICE,
                back(charge),
            )
        )
    named = [(k, clock.covered([(slot.start_min, slot.end_min)])) for k, slot in slots.items()]
    clash = next(
        (
            (a, b)
            for n, (a, x) in enumerate(named)
            for b, y in named[n + 1 :]
            if bool((x & y).any())
        ),
        None,
    )
    if clash:
        says = (
            f"{by[clash[0]].label} {by[clash[0]].value} and {by[clash[1]].label.lower()}"
            f" {by[clash[1]].value} overlap."
        )
        found.append(
            check(
                "set.windows", f"set.{clash[1]}", says, COMMON_PRACTICE, Cure("Shorten one of them")
            )
        )
    if work.mode == "windows" and not of:
        says = f"The plan works by windows; the menu of {job.inverter.model} has none."
        found.append(
            check(
                "set.no_windows",
                "settings",
                says,
                "inverter menu",
                Cure("Choose another work mode in Year"),
            )
        )
    limit, keyed = job.plan.energy.tariff.export_limit_w, by.get("export")
    lines = feeding_lines(settings, job)
    if (
        limit is not None
        and keyed
        and not isinstance(keyed.value, str)
        and keyed.value * lines > limit
    ):
        by_line = f" on each of {lines} phases" if lines > 1 else ""
        says = (
            f"Export limit {keyed.value:g} W{by_line} is above the {limit:g} W that the grid"
            " operator allows."
        )
        found.append(
            stop(
                f"set.{keyed.id}.limit",
                f"set.{keyed.id}",
                says,
                "the grid operator",
                back(keyed),
            )
        )
    return found


def misfit(item: MenuItem, keyed: float | str) -> str:
    """What is wrong with a keyed value for a menu line; empty when it fits."""
    if item.unit == SLOT:
        try:
            parse_slot(str(keyed))
        except clock.NotATime as exc:
            return str(exc)
        return ""
    if item.unit == TIME:
        try:
            clock.parse_time(str(keyed))
        except clock.NotATime as exc:
            return str(exc)
        return ""
    if item.options:
        return (
            ""
            if keyed in item.options
            else f"“{keyed}” is not a choice of the menu: {', '.join(item.options)}"
        )
    if isinstance(keyed, str):
        return f"“{keyed}” is not a number in {item.unit}" if item.least is not None else ""
    if (item.least is not None and keyed < item.least) or (
        item.most is not None and keyed > item.most
    ):
        return (
            f"{keyed:g} {item.unit} is outside the menu's {item.least:g} to {item.most:g}"
            f" {item.unit}"
        )
    return ""


def current_findings(settings: list[Setting]) -> list[Finding]:
    """A keyed current above what the least of BMS, inverter and conductor allows."""
    found: list[Finding] = []
    for s in settings:
        if (
            s.rule in ("charge", "discharge")
            and s.figure
            and not isinstance(s.value, str)
            and s.value > s.figure.n + 1e-9
        ):
            found.append(
                stop(
                    f"set.{s.id}.limit",
                    f"set.{s.id}",
                    f"{s.label} {s.value:g} A is above the {s.figure.text} that BMS, inverter and"
                    " conductor allow.",
                    COMMON_PRACTICE,
                    back(s),
                    figures=(s.figure,),
                )
            )
    return found


def feeding_lines(settings: Sequence[Setting], job: Job) -> int:
    """How many times the keyed export limit may go out of what the operator allows: once a phase,
    where the unit holds it on each and the operator counts the sum.
    """
    each = any(s.rule == "export_per_phase" and s.means_now == "per phase" for s in settings)
    summed = job.plan.energy.tariff.export_limit_of == "in all"
    return 3 if each and summed and job.inverter.supply.startswith("three") else 1
