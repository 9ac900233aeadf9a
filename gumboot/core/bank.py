"""The battery bank: voltage class, current at the lowest voltage, fault current, energy."""

from __future__ import annotations

from dataclasses import dataclass

from gumboot.core.findings import Change, Cure, Finding, check, stop
from gumboot.core.kit import Inverter, Pack
from gumboot.core.plan import Plan
from gumboot.core.working import COMMON_PRACTICE, Figure, given, solve

LOW_CELL_V = 3.0  # lowest working voltage of an LFP cell, common practice, from memory
SHARING = 0.9  # packs in parallel never share quite alike, common practice


@dataclass(frozen=True, slots=True)
class Bank:
    """The bank's figures: V, A, kWh. i_inverter is one inverter's battery current."""

    v_nom: Figure
    v_low: Figure
    i_inverter: Figure
    i_all: Figure
    i_bank: Figure
    i_pack: Figure
    c_rate: Figure
    energy: Figure


def lowest_voltage(pack: Pack) -> Figure:
    """Lowest working voltage in V of a pack, 3.0 V a cell for LFP (common practice)."""
    cells = given("n_cell", pack.cells, "", "Cells in series", "pack sheet")
    low = given("V_cell", LOW_CELL_V, "V", "Lowest working cell voltage, LFP", COMMON_PRACTICE)
    return solve("V_low", "V", "Lowest working voltage", "n_cell * V_cell", cells, low, source=COMMON_PRACTICE)


def inverter_current(plan: Plan, inverter: Inverter, v_low: Figure) -> Figure:
    """One inverter's battery current in A: power over efficiency at the lowest voltage, or the maker's maximum, the larger; a keyed limit caps it."""
    power = given("P", inverter.power_w, "W", "Inverter power", "inverter sheet")
    eta = given("eta", inverter.battery_efficiency, "", "Efficiency, battery to AC", "inverter sheet")
    stated = given("I_port", inverter.battery.i_max_a, "A", "Battery port maximum", "inverter sheet")
    natural = solve(
        "I_bat",
        "A",
        "Battery current",
        "max(P / (eta * V_low), I_port)",
        power,
        eta,
        v_low,
        stated,
        source=COMMON_PRACTICE,
        assumption="full power held down to the lowest voltage",
    )
    limits = [plan.settings.get("charge_a"), plan.settings.get("discharge_a")]
    least = max((m.least or 0 for m in inverter.menu if m.id in ("charge_a", "discharge_a")), default=0)
    if not all(isinstance(x, float | int) and x >= max(least, 1) for x in limits):
        return natural  # not limited both ways, or by a value the menu does not take
    keyed = given("I_set", max(float(x) for x in limits if x is not None), "A", "Limit keyed in Set", "plan")
    return solve("I_bat_set", "A", "Battery current as limited by setting", "min(I_bat, I_set)", natural, keyed, source=COMMON_PRACTICE)


def design_bank(plan: Plan, inverter: Inverter, pack: Pack) -> Bank:
    """All figures of the bank."""
    packs = given("n_pack", plan.kit.packs, "", "Packs in parallel", "plan")
    units = given("n_inv", plan.kit.inverters, "", "Inverters", "plan")
    v_nom = given("V_nom", pack.v_nom, "V", "Nominal voltage", "pack sheet")
    v_low = lowest_voltage(pack)
    one = inverter_current(plan, inverter, v_low)
    every = solve("I_all", "A", "All inverters together", f"n_inv * {one.symbol}", units, one, source="sum")
    rated = given("I_pack", pack.discharge_max_a, "A", "Pack continuous current", "pack sheet")
    share = given("k_share", SHARING, "", "Allowance for unequal sharing", COMMON_PRACTICE)
    bank = solve("I_bank", "A", "Bank continuous current", "n_pack * I_pack * k_share", packs, rated, share, source=COMMON_PRACTICE)
    alone = solve(
        "I_one",
        "A",
        "One pack's current",
        "min(I_pack, I_all)",
        rated,
        every,
        source=COMMON_PRACTICE,
        assumption="a pack may be asked for its full rating when others drop out",
    )
    capacity = given("C", pack.capacity_ah, "Ah", "Pack capacity", "pack sheet")
    depth = given("DoD", pack.depth, "", "Usable depth", "pack sheet")
    eta = given("eta", inverter.battery_efficiency, "", "Efficiency, battery to AC", "inverter sheet")
    return Bank(
        v_nom, v_low, one, every, bank, alone,
        solve("c", "1/h", "Discharge rate", "I_all / (n_pack * C)", every, packs, capacity, source="definition"),
        solve("E", "kWh", "Usable energy", "n_pack * C * V_nom * DoD * eta / 1000", packs, capacity, v_nom, depth, eta, source="definition"),
    )  # fmt: skip


def bank_findings(plan: Plan, bank: Bank, inverter: Inverter, pack: Pack) -> list[Finding]:
    """Voltage class, number in parallel, current."""
    if pack.bms_v_max > inverter.battery_v_max or pack.bms_v_min < inverter.battery_v_min:
        return [
            stop(
                "bank.class", "bank",
                f"{pack.model} works between {pack.bms_v_min:g} and {pack.bms_v_max:g} V; the battery port of {inverter.model} takes {inverter.battery_v_min:g} to {inverter.battery_v_max:g} V.",
                "inverter sheet", Cure("Choose a pack of the inverter's voltage class"),
            )
        ]  # fmt: skip
    found: list[Finding] = []
    if plan.kit.packs > pack.parallel_max:
        found.append(
            stop(
                "bank.parallel",
                "bank",
                f"{plan.kit.packs} packs in parallel; {pack.model} allows {pack.parallel_max}.",
                "pack sheet",
                Cure(f"Plan {pack.parallel_max} packs", (Change("/kit/packs", pack.parallel_max),)),
            )
        )
    if bank.i_bank.n < bank.i_all.n:
        need = -int(-bank.i_all.n // (pack.discharge_max_a * SHARING))
        cure = (
            Cure(f"Plan {need} packs", (Change("/kit/packs", need),))
            if need <= pack.parallel_max
            else Cure("Choose a pack of higher current, or limit the discharge current in Set")
        )
        found.append(
            stop(
                "bank.current",
                "bank",
                f"{'The inverters' if plan.kit.inverters > 1 else 'The inverter'} can draw {bank.i_all.text}; {f'{plan.kit.packs} packs give' if plan.kit.packs > 1 else 'one pack gives'} {bank.i_bank.text}.",
                COMMON_PRACTICE,
                cure,
                figures=(bank.i_all, bank.i_bank),
            )
        )
    if bank.i_inverter.symbol == "I_bat_set":
        found.append(
            check(
                "bank.limited",
                "bank",
                f"Conductors are sized for {bank.i_inverter.text} because a setting limits it, not the equipment.",
                COMMON_PRACTICE,
                Cure("Key the limit before first power, and lock the menu with a password"),
                figures=(bank.i_inverter,),
            )
        )
    return found


def fault_current(pack: Pack, packs: int, cable_ohm: Figure) -> Figure:
    """Prospective short-circuit current in A at the battery bus, all packs feeding: ΣV/(R_int + R_cable)."""
    count = given("n_pack", packs, "", "Packs in parallel", "plan")
    v = given("V_max", pack.bms_v_max, "V", "Highest pack voltage", "pack sheet")
    r = given("R_int", pack.resistance_ohm, "Ω", "Pack internal resistance", "pack sheet")
    return solve(
        "I_k",
        "A",
        "Prospective fault current",
        "n_pack * V_max / (R_int + R_loop)",
        count,
        v,
        r,
        cable_ohm,
        source="Ohm's law",
        assumption="bolted fault, cables alike",
    )
