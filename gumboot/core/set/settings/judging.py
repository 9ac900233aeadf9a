"""What is wrong with a menu as keyed."""

from __future__ import annotations

import math

from gumboot.core.basis import clock
from gumboot.core.basis.figure import COMMON_PRACTICE
from gumboot.core.basis.finding import Change, Cure, Finding, check, stop
from gumboot.core.kit import MenuItem
from gumboot.core.set.settings.setting import Job, Setting
from gumboot.core.set.settings.slot import SLOT, parse_slot


def menu_findings(settings: list[Setting], job: Job) -> list[Finding]:
    """What is wrong with what the crew keyed: a value the line does not take, a line the menu does
    not have, an order that does not hold.
    """
    found: list[Finding] = []
    proposed = {s.id: s.proposed for s in settings}
    for item in job.inverter.menu:
        keyed = job.plan.settings.get(item.id)
        if keyed is not None and (fault := misfit(item, keyed)):
            place, says = f"set.{item.id}", f"{item.label}: {fault}."
            back = _back(item.id, proposed[item.id], item.unit)
            found.append(stop(f"{place}.value", place, says, "inverter menu", back))
    known = {i.id for i in job.inverter.menu}
    for k in job.plan.settings:
        if k not in known:
            says = f"The plan keys “{k}”, which this unit's menu does not have."
            remove = Cure("Remove it", (Change(f"/settings/{k}", None),))
            found.append(check(f"set.{k}.unknown", "settings", says, "inverter menu", remove))
    found += order_findings(settings, job) + current_findings(settings)
    return found + work_findings(settings, job)


def work_findings(settings: list[Setting], job: Job) -> list[Finding]:
    """Windows that do nothing or contradict each other; more sold than the grid operator allows."""
    by = {s.id: s for s in settings}
    found: list[Finding] = []
    work = job.plan.energy.work
    charge = by.get("grid_charge")
    slots = {s.id: slot for s in settings if s.unit == SLOT and (slot := parse_slot(str(s.value)))}
    if (
        charge
        and charge.own
        and charge.value == "off"
        and any(k.startswith("charge") for k in slots)
    ):
        says = "Windows to charge are keyed, and charging from the grid is off: they do nothing."
        found.append(
            check(
                "set.grid_charge.windows",
                "set.grid_charge",
                says,
                COMMON_PRACTICE,
                _back("grid_charge", charge.proposed, ""),
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
    if work.mode == "windows" and "charge_1" not in by:
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
    limit, keyed = job.plan.energy.tariff.export_limit_w, by.get("export_w")
    if limit is not None and keyed and not isinstance(keyed.value, str) and keyed.value > limit:
        says = (
            f"Export limit {keyed.value:g} W is above the {limit:g} W that the grid operator"
            " allows."
        )
        found.append(
            stop(
                "set.export_w.limit",
                "set.export_w",
                says,
                "the grid operator",
                _back("export_w", keyed.proposed, "W"),
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


def _back(id: str, proposed: float | str, unit: str) -> Cure:
    shown = proposed if isinstance(proposed, str) else f"{proposed:g} {unit}".strip()
    return Cure(f"Back to {shown}", (Change(f"/settings/{id}", None),))


ORDERS: tuple[tuple[str, str, bool], ...] = (  # lower, higher, may be equal
    ("cut_v", "warn_v", False),
    ("warn_v", "recover_v", False),
    ("recover_v", "float_v", False),
    ("float_v", "absorb_v", True),
    ("floor_off_grid", "floor_on_grid", True),
    ("floor_on_grid", "reserve_soc", True),
    ("back_to_grid", "back_to_battery", False),
)


def order_findings(settings: list[Setting], job: Job) -> list[Finding]:
    """The invariants of order. A broken one is a stop on the line the crew keyed."""
    by = {s.id: s for s in settings}
    found: list[Finding] = []
    for low, high, equal in ORDERS:
        if low not in by or high not in by:
            continue
        a, b = by[low], by[high]
        if (
            isinstance(a.value, str)
            or isinstance(b.value, str)
            or a.value < b.value
            or (equal and a.value == b.value)
        ):
            continue
        at = a if a.own else b
        found.append(
            stop(
                f"set.{low}.{high}",
                f"set.{at.id}",
                f"{a.label} {a.value:g} {a.unit} must be below"
                f" {'or equal to ' if equal else ''}{b.label.lower()} {b.value:g} {b.unit}.",
                COMMON_PRACTICE,
                _back(at.id, at.proposed, at.unit),
            )
        )
    absorb = by.get("absorb_v")
    v_max = job.bank.v_max.n if job.bank else math.inf
    if absorb and not isinstance(absorb.value, str) and absorb.value > v_max:
        found.append(
            stop(
                "set.absorb_v.bms",
                "set.absorb_v",
                f"Absorption {absorb.value:g} V is above the pack's limit of {v_max:g} V.",
                "pack sheet",
                _back("absorb_v", absorb.proposed, "V"),
            )
        )
    return found


def current_findings(settings: list[Setting]) -> list[Finding]:
    """A keyed current above what the least of BMS, inverter and conductor allows."""
    found: list[Finding] = []
    for s in settings:
        if (
            s.id in ("charge_a", "discharge_a")
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
                    _back(s.id, s.proposed, s.unit),
                    figures=(s.figure,),
                )
            )
    return found
