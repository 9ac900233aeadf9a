"""What the battery's lines of a menu are given, and why."""

from __future__ import annotations

import math
from collections.abc import Callable

from gumboot.core.basis.figure import COMMON_PRACTICE, MEMORY, Figure, given, solve
from gumboot.core.kit import Chemistry, MenuItem
from gumboot.core.set.settings.setting import Filled, Job
from gumboot.core.size.limits import key_of

CELL_V: dict[Chemistry, dict[str, float]] = {  # V a cell, common practice, from memory
    "LFP": {
        "absorb": 3.50,
        "float": 3.375,
        "recharge": 3.30,
        "recover": 3.225,
        "warn": 3.05,
        "cut": 3.00,
        "hard_stop": 2.80,
        "gen_start": 3.15,
        "gen_stop": 3.35,
        "to_grid": 3.10,
        "to_battery": 3.35,
    },
    "NMC": {
        "absorb": 4.10,
        "float": 4.00,
        "recharge": 3.75,
        "recover": 3.60,
        "warn": 3.40,
        "cut": 3.30,
        "hard_stop": 3.00,
        "gen_start": 3.50,
        "gen_stop": 3.90,
        "to_grid": 3.45,
        "to_battery": 3.90,
    },
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
LEAD = {  # the same: a bank of 24 cells goes back to the grid at 46 V, to the battery at 54 V
    "recharge": 2.12,
    "hard_stop": 1.75,
    "gen_start": 2.00,
    "gen_stop": 2.20,
    "to_grid": 1.92,
    "to_battery": 2.25,
}
for _kind_of_lead in ("flooded", "sealed", "gel"):
    CELL_V[_kind_of_lead] |= LEAD
TIMES: dict[str, dict[str, float]] = {  # min and days: common practice, from memory
    "lithium": {"absorb_min": 30, "equalise_min": 0, "equalise_delay": 0, "equalise_days": 0},
    "lead": {"absorb_min": 120, "equalise_min": 120, "equalise_delay": 180, "equalise_days": 60},
}
MV_PER_C = {"lithium": 0.0, "lead": -4.0}  # a cell, from 25 °C: common practice
LITHIUM_AS: dict[Chemistry, str] = {"LFP": "lithium with BMS", "NMC": "lithium NMC with BMS"}
CELL_NAME = {
    "absorb": "Absorption",
    "float": "Float",
    "recover": "Recover to discharge",
    "warn": "Low warning",
    "cut": "Low cut-off",
    "recharge": "Charge again below",
    "hard_stop": "Hard stop",
    "gen_start": "Generator starts",
    "gen_stop": "Generator stops",
    "to_grid": "Back to grid",
    "to_battery": "Back to battery",
    "equalise": "Equalisation",
}


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
        pack, port = job.pack, job.unit.battery
        each = (
            0.0
            if pack is None
            else pack.charge_max_a
            if direction == "charge"
            else pack.discharge_max_a
        )
        most = (
            port.i_max_a if port else job.bank.i_inverter.n if job.bank else job.unit.charge_max_a
        )
        unit = job.unit.charge_max_a if direction == "charge" else most
        packs = _packs(job)
        shared = -(-job.like // (job.bank.banks if job.bank else 1))
        word = "charge controller" if job.controls else "inverter"
        units = given(
            "n_inv", max(shared, 1), "", f"{word[:1].upper()}{word[1:]}s on one bank", "plan"
        )
        bms = given("I_BMS", each, "A", f"Pack {direction} limit", "pack sheet")
        name = f"{word[:1].upper()}{word[1:]} {direction} limit"
        own = given("I_inv", unit, "A", name, f"{word} sheet")
        family = "controller" if job.controls else "battery"
        wires = [s.permitted for s in job.circuits if s.circuit.family == family]
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
                (f"the {word}", own.n),
                ("the battery conductor and breaker", wire.n),
            ),
            key=lambda p: p[1],
        )[0]
        return (
            math.floor(f.n / step + 1e-9) * step,
            f"the least of BMS, {word} and conductor; {least} decides",
            f,
        )

    return rule


def _cells(which: str) -> Callable[[MenuItem, Job], Filled]:
    def rule(item: MenuItem, job: Job) -> Filled:
        cell = CELL_V[job.chemistry].get(which)
        if cell is None:
            never = f"never {CELL_NAME[which].lower()} on {job.chemistry} cells"
            if any(m.rule == "equalise_off" for m in job.unit.menu):
                return item.least or 0.0, never, None
            volts, _, figure = _cells("absorb")(item, job)  # nothing switches it off
            return volts, f"{never}: as absorption, so that it does no harm", figure
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
        f = _within(which, f, job)
        why = (
            f"for {job.chemistry} lead cells at 25 °C"
            if not job.lithium
            else "no link to a BMS: it counts"
            if job.unlinked
            else "safety net should the BMS link fail"
        )
        held = "" if f.symbol == "V_key" else f", {HELD[which]}"
        return _tenths(which, f), f"{why}: {cell:g} V a cell{held}", f

    return rule


HELD = dict.fromkeys(("absorb", "float", "equalise"), "the pack's sheet takes no more") | {
    "cut": "the pack's own protection opens no lower"
}


def _within(which: str, key: Figure, job: Job) -> Figure:
    """Volts of a line, held to what the pack's sheet takes: charging to its highest, the cut-off to
    its lowest; the same figure where they lie within.
    """
    if job.bank is None or which not in HELD:
        return key
    low = which == "cut"
    limit = job.bank.v_min if low else job.bank.v_max
    if (key.n < limit.n) != low:
        return key
    how = f"{'max' if low else 'min'}(V_key, {limit.symbol})"
    return solve("V_held", "V", CELL_NAME[which], how, key, limit, source="pack sheet")


def _tenths(which: str, volts: Figure) -> float:
    """As a menu takes it, to a tenth; never past the pack's own limit."""
    if volts.symbol == "V_key":
        return round(volts.n, 1)
    towards = math.ceil if which == "cut" else math.floor
    return towards(volts.n * 10 + (-1e-6 if which == "cut" else 1e-6)) / 10


def _time(which: str) -> Callable[[MenuItem, Job], Filled]:
    def rule(item: MenuItem, job: Job) -> Filled:
        value = TIMES["lithium" if job.lithium else "lead"][which]
        if which != "absorb_min" and job.chemistry != "flooded":
            return item.least or 0.0, "these cells are never equalised: it does nothing", None
        return value, f"common practice for {job.chemistry} cells", None

    return rule


def _by_heat(item: MenuItem, job: Job) -> Filled:
    value = MV_PER_C["lithium" if job.lithium else "lead"]
    if value == 0:
        return 0.0, "lithium cells want none; the BMS knows their temperature", None
    return value, "lead cells take less when warm: a cell, for each °C above 25", None


def _tail(item: MenuItem, job: Job) -> Filled:
    n, c = (
        _packs(job),
        given("C", job.pack.capacity_ah if job.pack else 0, "Ah", "Capacity of one", "pack sheet"),
    )
    most = given("I_chg", charge_held(job), "A", "Charge current", "menu")
    how = "min(0.05 * n_pack * C, 0.7 * I_chg)"
    f = solve("I_tail", "A", "Tail current", how, n, c, most, source=COMMON_PRACTICE)
    return max(float(math.floor(f.n + 0.5 - 1e-9)), item.least or 0.0), TAIL_WHY, f


TAIL_WHY = "charge ends when the current falls to 5 % of capacity, or 70 % of what it may be"


def charge_held(job: Job) -> float:
    """The charge current of the unit's own line: as keyed, else as proposed; the unit's most where
    its menu has none.
    """
    line = next((m for m in job.unit.menu if m.rule == "charge"), None)
    if line is None:
        return job.unit.charge_max_a
    every = job.plan.settings.get(key_of(line.id, job.first))
    own = job.plan.settings.get(key_of(line.id, job.unit_no), every)
    return charge_proposed(job) if own is None or isinstance(own, str) else float(own)


def charge_proposed(job: Job) -> float:
    """The charge current of the unit's own line as proposed; its most where its menu has none."""
    line = next((m for m in job.unit.menu if m.rule == "charge"), None)
    value = _current("charge")(line, job)[0] if line else ""
    return job.unit.charge_max_a if isinstance(value, str) else float(value)


def _link(item: MenuItem, job: Job) -> Filled:
    link = job.pack.link if job.pack else "none"
    return (
        link,
        (
            ("no BMS is linked" if job.lithium else "lead cells have no BMS")
            + ": the inverter itself keeps the limits"
            if link == "none"
            else "the pack's BMS commands voltage and current over this link"
        ),
        None,
    )


def _kind(item: MenuItem, job: Job) -> Filled:
    if job.lithium:
        wanted, plain = LITHIUM_AS[job.chemistry], LITHIUM_AS["LFP"]
        if item.choice(plain) and not item.choice(wanted):
            wanted = plain  # the sheet's own word for lithium of any kind
        other = "another lithium's or lead-acid" if job.chemistry == "NMC" else "lead-acid"
        talks = "" if job.unlinked else " and its BMS talks"
        return (
            wanted,
            f"the pack is {job.chemistry}{talks}; {other} values would overcharge it",
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
        (f"never equalise {'a lithium pack' if job.lithium else job.chemistry + ' cells'}"),
        None,
    )
