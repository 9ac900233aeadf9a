"""Settings: the unit's own menu, filled. Each value with its reason and limits; what the crew keys instead is judged.

Order that must hold: cut < warn < recover < float ≤ absorb ≤ BMS limit;
reserve SoC ≥ on-grid floor ≥ off-grid floor; back to grid < back to battery.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass

from gumboot.core.bank import Bank
from gumboot.core.conductors import Sized
from gumboot.core.findings import Change, Cure, Finding, check, stop
from gumboot.core.kit import Inverter, MenuItem, Pack
from gumboot.core.plan import Plan
from gumboot.core.working import COMMON_PRACTICE, MEMORY, Figure, given, solve

CELL_V = {"absorb": 3.50, "float": 3.375, "recover": 3.225, "warn": 3.05, "cut": 3.00}  # LFP, common practice, from memory
CELL_NAME = {"absorb": "Absorption", "float": "Float", "recover": "Recover to discharge", "warn": "Low warning", "cut": "Low cut-off"}


@dataclass(frozen=True, slots=True)
class Setting:
    """One line of the menu. `proposed` is what Gumboot would key; `value` what will be keyed."""

    id: str
    group: str
    label: str
    unit: str
    value: float | str
    proposed: float | str
    reason: str
    options: tuple[str, ...]
    least: float | None
    most: float | None
    step: float | None
    figure: Figure | None = None

    @property
    def own(self) -> bool:
        """Whether the crew keyed its own value."""
        return self.value != self.proposed


@dataclass(frozen=True, slots=True)
class Job:
    """What the rules look at."""

    plan: Plan
    inverter: Inverter
    pack: Pack
    bank: Bank
    circuits: Sequence[Sized]


Filled = tuple[float | str, str, Figure | None]


def _first(item: MenuItem, job: Job) -> Filled:
    return item.options[0], "the only choice for this supply", None


def _fixed(value: float | str, reason: str) -> Callable[[MenuItem, Job], Filled]:
    return lambda item, job: (value, reason, None)


def _capacity(item: MenuItem, job: Job) -> Filled:
    n, c = given("n_pack", job.plan.kit.packs, "", "Packs", "plan"), given("C", job.pack.capacity_ah, "Ah", "Pack capacity", "pack sheet")
    f = solve("C_bank", "Ah", "Bank capacity", "n_pack * C", n, c, source="definition")
    return f.n, f"{job.plan.kit.packs} packs of {job.pack.capacity_ah:g} Ah in parallel", f


def _current(direction: str) -> Callable[[MenuItem, Job], Filled]:
    def rule(item: MenuItem, job: Job) -> Filled:
        each = job.pack.charge_max_a if direction == "charge" else job.pack.discharge_max_a
        unit = job.inverter.charge_max_a if direction == "charge" else job.inverter.battery.i_max_a
        packs = given("n_pack", job.plan.kit.packs, "", "Packs", "plan")
        units = given("n_inv", job.plan.kit.inverters, "", "Inverters", "plan")
        bms = given("I_BMS", each, "A", f"Pack {direction} limit", "pack sheet")
        own = given("I_inv", unit, "A", f"Inverter {direction} limit", "inverter sheet")
        wires = [s.permitted for s in job.circuits if s.circuit.family == "battery"]
        wire = min(wires, key=lambda f: f.n, default=own)
        wire = wire.renamed("I_wire")
        f = solve(
            "I_key",
            "A",
            f"Highest {direction} current",
            "min(n_pack * I_BMS / n_inv, I_inv, I_wire)",
            packs,
            bms,
            units,
            own,
            wire,
            source=COMMON_PRACTICE,
        )
        step = item.step or 1
        least = min(
            (("the packs' BMS", packs.n * bms.n / units.n), ("the inverter", own.n), ("the battery conductor and breaker", wire.n)),
            key=lambda p: p[1],
        )[0]
        return math.floor(f.n / step + 1e-9) * step, f"the least of BMS, inverter and conductor; {least} decides", f

    return rule


def _cells(which: str) -> Callable[[MenuItem, Job], Filled]:
    def rule(item: MenuItem, job: Job) -> Filled:
        n = given("n_cell", job.pack.cells, "", "Cells in series", "pack sheet")
        v = given("V_cell", CELL_V[which], "V", f"{CELL_NAME[which]} per cell, LFP", COMMON_PRACTICE)
        f = solve("V_key", "V", CELL_NAME[which], "n_cell * V_cell", n, v, source=COMMON_PRACTICE, doubt=MEMORY)
        return round(f.n, 1), f"safety net should the BMS link fail: {CELL_V[which]:g} V a cell", f

    return rule


def _tail(item: MenuItem, job: Job) -> Filled:
    n, c = given("n_pack", job.plan.kit.packs, "", "Packs", "plan"), given("C", job.pack.capacity_ah, "Ah", "Pack capacity", "pack sheet")
    f = solve("I_tail", "A", "Tail current", "0.05 * n_pack * C", n, c, source=COMMON_PRACTICE)
    return float(round(f.n)), "charge ends when the current falls to 5 % of capacity", f


def _link(item: MenuItem, job: Job) -> Filled:
    return job.pack.link, "the pack's BMS commands voltage and current over this link", None


def _export(item: MenuItem, job: Job) -> Filled:
    n, p = (
        given("n_inv", job.plan.kit.inverters, "", "Inverters", "plan"),
        given("P", job.inverter.power_w, "W", "Inverter power", "inverter sheet"),
    )
    f = solve("P_exp", "W", "Export limit", "n_inv * P", n, p, source="definition")
    return f.n, "all inverters at full output; key the grid operator's figure if it is lower", f


RULES: dict[str, Callable[[MenuItem, Job], Filled]] = {
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
    "lithium": _fixed("lithium with BMS", "the pack is LFP and its BMS talks; lead-acid values would overcharge it"),
    "equalise_off": _fixed("off", "never equalise a lithium pack"),
    "self_use": _fixed("self-use", "solar serves the house, then the battery, then the grid"),
    "reserve_soc": _fixed(30.0, "kept back for an outage while the grid is on"),
    "floor_on_grid": _fixed(20.0, "the battery is not drawn lower while the grid is there"),
    "floor_off_grid": _fixed(10.0, "in an outage the house may use this far down"),
    "back_to_grid": _fixed(15.0, "below this the house goes back to grid"),
    "back_to_battery": _fixed(40.0, "above this the house may leave the grid again"),
    "grid_charge_off": _fixed("off", "charge from the sun unless the tariff says otherwise"),
    "bond_off": _fixed("off", "the neutral is bonded at the service: exactly one bond"),
    "sleep_off": _fixed("off", "small loads must not put the inverter to sleep"),
}


def fill_menu(job: Job) -> tuple[list[Setting], list[Finding]]:
    """The menu in the unit's own order, and what is wrong with what the crew keyed. A rule the program lacks is a broken catalogue (KeyError)."""
    settings: list[Setting] = []
    found: list[Finding] = []
    for item in job.inverter.menu:
        proposed, reason, figure = RULES[item.rule](item, job)
        keyed = job.plan.settings.get(item.id)
        value: float | str = proposed
        if keyed is not None:
            fault = misfit(item, keyed)
            if fault:
                found.append(
                    stop(
                        f"set.{item.id}.value",
                        f"set.{item.id}",
                        f"{item.label}: {fault}.",
                        "inverter menu",
                        _back(item.id, proposed, item.unit),
                    )
                )
            else:
                value, reason = (float(keyed), "the crew's own choice") if not isinstance(keyed, str) else (keyed, "the crew's own choice")
        settings.append(
            Setting(
                item.id, item.group, item.label, item.unit, value, proposed, reason, item.options, item.least, item.most, item.step, figure
            )
        )
    unknown = [k for k in job.plan.settings if k not in {i.id for i in job.inverter.menu}]
    found += [
        check(
            f"set.{k}.unknown",
            "settings",
            f"The plan keys “{k}”, which this unit's menu does not have.",
            "inverter menu",
            Cure("Remove it", (Change(f"/settings/{k}", None),)),
        )
        for k in unknown
    ]
    return settings, found + order_findings(settings, job.pack) + current_findings(settings)


def misfit(item: MenuItem, keyed: float | str) -> str:
    """What is wrong with a keyed value for a menu line; empty when it fits."""
    if item.options:
        return "" if keyed in item.options else f"“{keyed}” is not a choice of the menu: {', '.join(item.options)}"
    if isinstance(keyed, str):
        return f"“{keyed}” is not a number in {item.unit}" if item.least is not None else ""
    if (item.least is not None and keyed < item.least) or (item.most is not None and keyed > item.most):
        return f"{keyed:g} {item.unit} is outside the menu's {item.least:g} to {item.most:g} {item.unit}"
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


def order_findings(settings: list[Setting], pack: Pack) -> list[Finding]:
    """The invariants of order. A broken one is a stop on the line the crew keyed."""
    by = {s.id: s for s in settings}
    found: list[Finding] = []
    for low, high, equal in ORDERS:
        if low not in by or high not in by:
            continue
        a, b = by[low], by[high]
        if isinstance(a.value, str) or isinstance(b.value, str) or a.value < b.value or (equal and a.value == b.value):
            continue
        at = a if a.own else b
        found.append(
            stop(
                f"set.{low}.{high}",
                f"set.{at.id}",
                f"{a.label} {a.value:g} {a.unit} must be below {'or equal to ' if equal else ''}{b.label.lower()} {b.value:g} {b.unit}.",
                COMMON_PRACTICE,
                _back(at.id, at.proposed, at.unit),
            )
        )
    absorb = by.get("absorb_v")
    if absorb and not isinstance(absorb.value, str) and absorb.value > pack.bms_v_max:
        found.append(
            stop(
                "set.absorb_v.bms",
                "set.absorb_v",
                f"Absorption {absorb.value:g} V is above the pack's limit of {pack.bms_v_max:g} V.",
                "pack sheet",
                _back("absorb_v", absorb.proposed, "V"),
            )
        )
    return found


def current_findings(settings: list[Setting]) -> list[Finding]:
    """A keyed current above what the least of BMS, inverter and conductor allows."""
    found: list[Finding] = []
    for s in settings:
        if s.id in ("charge_a", "discharge_a") and s.figure and not isinstance(s.value, str) and s.value > s.figure.n + 1e-9:
            found.append(
                stop(
                    f"set.{s.id}.limit",
                    f"set.{s.id}",
                    f"{s.label} {s.value:g} A is above the {s.figure.text} that BMS, inverter and conductor allow.",
                    COMMON_PRACTICE,
                    _back(s.id, s.proposed, s.unit),
                    figures=(s.figure,),
                )
            )
    return found
