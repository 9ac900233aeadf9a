"""Settings: the unit's own menu, filled. Each value with its reason and limits; what the crew keys
instead is judged.

Order that must hold: cut < warn < recover < float ≤ absorb ≤ BMS limit;
reserve SoC ≥ on-grid floor ≥ off-grid floor; back to grid < back to battery.
"""

from __future__ import annotations

import math
import re
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from typing import Literal, get_args

from gumboot.core.basis import clock
from gumboot.core.basis.figure import COMMON_PRACTICE, MEMORY, Figure, given, solve
from gumboot.core.basis.finding import Change, Cure, Finding, check, stop
from gumboot.core.kit import Chemistry, Inverter, MenuItem, Pack
from gumboot.core.plan import Plan, Slot, Work, WorkMode
from gumboot.core.size.bank import Bank
from gumboot.core.size.conductors import SizedCircuit

CELL_V: dict[Chemistry, dict[str, float]] = {  # V a cell, common practice, from memory
    "LFP": {"absorb": 3.50, "float": 3.375, "recover": 3.225, "warn": 3.05, "cut": 3.00},
    "flooded": {
        "absorb": 2.43,
        "float": 2.25,
        "recover": 2.08,
        "warn": 1.95,
        "cut": 1.85,
        "equalise": 2.55,
    },
    "sealed": {"absorb": 2.38, "float": 2.25, "recover": 2.08, "warn": 1.95, "cut": 1.85},
    "gel": {"absorb": 2.33, "float": 2.25, "recover": 2.08, "warn": 1.95, "cut": 1.85},
}
CELL_NAME = {
    "absorb": "Absorption",
    "float": "Float",
    "recover": "Recover to discharge",
    "warn": "Low warning",
    "cut": "Low cut-off",
    "equalise": "Equalisation",
}


MODES = {
    "self-use": "self-use",
    "reserve for outage": "backup first",
    "windows": "time windows",
}  # the plan's word, the menu's
MODE_REASONS = {
    "self-use": "solar serves the house, then the battery, then the grid",
    "reserve for outage": "the battery is kept full down to the reserve, for an outage",
    "windows": (
        "the tariff changes with the hour: the battery fills while it is cheap and gives while it"
        " is dear"
    ),
}
WORK_LINES = (
    "mode",
    "grid_charge",
    "spare_sun",
    *(f"{kind}_{n}" for kind in ("charge", "give") for n in (1, 2, 3)),
)  # how the battery works
SLOT = "slot"  # the unit of a menu line that takes a window: "02:00-05:00 to 80 %", or "off"


def show_slot(slot: Slot) -> str:
    """A window as the menu shows it."""
    return f"{clock.show_spans([(slot.start_min, slot.end_min)])} to {slot.soc:g} %"


def parse_slot(text: str) -> Slot | None:
    """A window as it is typed; None for "off". Raises NotATime, with what to type.

    >>> parse_slot("2-5 to 80 %")
    Slot(start_min=120, end_min=300, soc=80.0)
    """
    if text.strip().lower() in ("", "off"):
        return None
    found = re.fullmatch(r"(.+?)\s*(?:to|,)\s*(\d{1,3}(?:\.\d)?)\s*%?\s*", text)
    if not found or float(found[2]) > 100:
        raise clock.NotATime(
            f"“{text}” is not a window: type off, or hours and a state of charge such as"
            " 02:00-05:00 to 80 %"
        )
    spans = clock.parse_spans(found[1])
    if len(spans) != 1:
        raise clock.NotATime(f"“{text}” is more than one window: each has its own line")
    return Slot(start_min=spans[0][0], end_min=spans[0][1], soc=float(found[2]))


def without_work(keyed: Mapping[str, float | str]) -> dict[str, float | str]:
    """What the crew keyed of its own, but for how the battery works."""
    return {k: v for k, v in keyed.items() if k not in WORK_LINES}


def work_keyed(settings: Sequence[Setting], otherwise: Work) -> Work:
    """How the battery will work by what is keyed; `otherwise` where the menu has no work mode."""
    by = {s.id: str(s.value) for s in settings}
    if "mode" not in by:
        return otherwise
    mode: WorkMode = next((m for m in get_args(WorkMode) if MODES[m] == by["mode"]), "self-use")
    if mode != "windows":
        return Work(mode=mode)
    charge, give = (
        tuple(x for n in (1, 2, 3) if (x := parse_slot(by.get(f"{kind}_{n}", "off"))))
        for kind in ("charge", "give")
    )
    spare: Literal["battery", "grid"] = "grid" if by.get("spare_sun") == "grid" else "battery"
    return Work(
        mode=mode,
        spare_sun=spare,
        charge=charge if by.get("grid_charge") != "off" else (),
        discharge=give,
    )


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
    pack: Pack | None
    bank: Bank | None
    circuits: Sequence[SizedCircuit]

    @property
    def count(self) -> int:
        """Strings of units in parallel."""
        return self.bank.count if self.bank else 0

    @property
    def in_series(self) -> int:
        """Cells in series in the whole bank."""
        if self.pack is None:
            return 0
        return self.pack.cells * (self.plan.kit.series if self.pack.form != "pack" else 1)

    @property
    def chemistry(self) -> Chemistry:
        """What the cells are."""
        return self.pack.chemistry if self.pack else "LFP"


Filled = tuple[float | str, str, Figure | None]


def _first(item: MenuItem, job: Job) -> Filled:
    return item.options[0], "the only choice for this supply", None


def _fixed(value: float | str, reason: str) -> Callable[[MenuItem, Job], Filled]:
    return lambda item, job: (value, reason, None)


def _capacity(item: MenuItem, job: Job) -> Filled:
    n, c = (
        _packs(job),
        given("C", job.pack.capacity_ah if job.pack else 0, "Ah", "Capacity of one", "pack sheet"),
    )
    f = solve("C_bank", "Ah", "Bank capacity", "n_pack * C", n, c, source="definition")
    return f.n, f"{job.count} of {c.text} in parallel", f


def _packs(job: Job) -> Figure:
    return given("n_pack", job.count, "", "Packs in parallel", "plan")


def _current(direction: str) -> Callable[[MenuItem, Job], Filled]:
    def rule(item: MenuItem, job: Job) -> Filled:
        pack, port = job.pack, job.inverter.battery
        each = (
            0.0
            if pack is None
            else pack.charge_max_a
            if direction == "charge"
            else pack.discharge_max_a
        )
        most = (
            port.i_max_a
            if port
            else job.bank.i_inverter.n
            if job.bank
            else job.inverter.charge_max_a
        )
        unit = job.inverter.charge_max_a if direction == "charge" else most
        packs = _packs(job)
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
            (
                ("the packs' BMS", packs.n * bms.n / units.n),
                ("the inverter", own.n),
                ("the battery conductor and breaker", wire.n),
            ),
            key=lambda p: p[1],
        )[0]
        return (
            math.floor(f.n / step + 1e-9) * step,
            f"the least of BMS, inverter and conductor; {least} decides",
            f,
        )

    return rule


def _cells(which: str) -> Callable[[MenuItem, Job], Filled]:
    def rule(item: MenuItem, job: Job) -> Filled:
        cell = CELL_V[job.chemistry].get(which)
        if cell is None:
            return (
                item.least or 0.0,
                f"never {CELL_NAME[which].lower()} on {job.chemistry} cells",
                None,
            )
        n = given("n_cell", job.in_series, "", "Cells in series", "pack sheet")
        v = given(
            "V_cell", cell, "V", f"{CELL_NAME[which]} per cell, {job.chemistry}", COMMON_PRACTICE
        )
        f = solve(
            "V_key",
            "V",
            CELL_NAME[which],
            "n_cell * V_cell",
            n,
            v,
            source=COMMON_PRACTICE,
            doubt=MEMORY,
        )
        why = (
            "safety net should the BMS link fail"
            if job.chemistry == "LFP"
            else f"for {job.chemistry} lead cells at 25 °C"
        )
        return round(f.n, 1), f"{why}: {cell:g} V a cell", f

    return rule


def _tail(item: MenuItem, job: Job) -> Filled:
    n, c = (
        _packs(job),
        given("C", job.pack.capacity_ah if job.pack else 0, "Ah", "Capacity of one", "pack sheet"),
    )
    f = solve("I_tail", "A", "Tail current", "0.05 * n_pack * C", n, c, source=COMMON_PRACTICE)
    return float(round(f.n)), "charge ends when the current falls to 5 % of capacity", f


def _link(item: MenuItem, job: Job) -> Filled:
    link = job.pack.link if job.pack else "none"
    return (
        link,
        (
            "lead cells have no BMS: the inverter itself keeps the limits"
            if link == "none"
            else "the pack's BMS commands voltage and current over this link"
        ),
        None,
    )


def _kind(item: MenuItem, job: Job) -> Filled:
    if job.chemistry == "LFP":
        return (
            "lithium with BMS",
            "the pack is LFP and its BMS talks; lead-acid values would overcharge it",
            None,
        )
    return (
        f"lead, {job.chemistry}",
        f"the cells are {job.chemistry} lead; lithium values would never fill them",
        None,
    )


def _equalise(item: MenuItem, job: Job) -> Filled:
    if job.chemistry == "flooded":
        return (
            "on",
            (
                "flooded cells are equalised each 30 to 90 days, with the caps checked and the room"
                " ventilated"
            ),
            None,
        )
    return (
        "off",
        (
            "never equalise"
            f" {'a lithium pack' if job.chemistry == 'LFP' else job.chemistry + ' cells'}"
        ),
        None,
    )


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
    if keyed not in item.options:
        return item.options[0], f"the menu has no {keyed}", None
    return keyed, MODE_REASONS[mode], None


def _slot(direction: str) -> Callable[[MenuItem, Job], Filled]:
    def rule(item: MenuItem, job: Job) -> Filled:
        work = job.plan.energy.work
        slots = work.charge if direction == "charge" else work.discharge
        n = int(item.id[-1])
        if work.mode != "windows" or n > len(slots):
            return "off", "the plan needs no such window", None
        return (
            show_slot(slots[n - 1]),
            "from the plan's windows; Year shows a year with them",
            None,
        )

    return rule


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
    "charge_slot": _slot("charge"),
    "give_slot": _slot("give"),
    "reserve_soc": _fixed(30.0, "kept back for an outage while the grid is on"),
    "floor_on_grid": _fixed(20.0, "the battery is not drawn lower while the grid is there"),
    "floor_off_grid": _fixed(10.0, "in an outage the house may use this far down"),
    "back_to_grid": _fixed(15.0, "below this the house goes back to grid"),
    "back_to_battery": _fixed(40.0, "above this the house may leave the grid again"),
    "grid_charge": _grid_charge,
    "spare_sun": _spare_sun,
    "bond_off": _bond,
    "sleep_off": _fixed("off", "small loads must not put the inverter to sleep"),
}


def fill_menu(job: Job) -> list[Setting]:
    """The menu in the unit's own order; what the crew keyed, where the line takes it. A rule the
    program lacks is a broken catalogue (KeyError).
    """
    settings: list[Setting] = []
    for item in job.inverter.menu:
        proposed, reason, figure = RULES[item.rule](item, job)
        keyed = job.plan.settings.get(item.id)
        value: float | str = proposed
        if keyed is not None and not misfit(item, keyed):
            value = keyed if isinstance(keyed, str) else float(keyed)
            reason = "the crew's own choice"
        settings.append(
            Setting(
                item.id,
                item.group,
                item.label,
                item.unit,
                value,
                proposed,
                reason,
                item.options,
                item.least,
                item.most,
                item.step,
                figure,
            )
        )
    return settings


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
