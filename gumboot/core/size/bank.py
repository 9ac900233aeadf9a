"""The battery bank: voltage window, current at the lowest voltage, energy, and what it may be asked
for.

kit.packs stand in parallel, each of kit.series units in series; packs inside their inverters add to
them.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

from gumboot.core.basis.figure import COMMON_PRACTICE, Figure, fmt, given, solve
from gumboot.core.kit import Chemistry, Controller, Inverter, Pack
from gumboot.core.kit.presumed import NOT_ENTERED
from gumboot.core.plan import Kit, Plan
from gumboot.core.size.limits import keyed_limit

LOW_CELL_V: dict[Chemistry, float] = {
    "LFP": 3.0,
    "NMC": 3.2,
    "flooded": 1.85,
    "sealed": 1.85,
    "gel": 1.85,
}  # lowest working voltage under load, common practice, from memory
BOTH_WAYS = ("charge", "discharge")
SHARING = 0.9  # packs in parallel never share quite alike, common practice


@dataclass(frozen=True, slots=True)
class Bank:
    """The bank's figures: V, A, kWh. i_inverter is one inverter's battery current; count is how
    many strings stand in parallel. i_in: what charges one bank together, where charge controllers
    do; i_bus: what passes its bus; i_controller: what one of them charges with.
    """

    count: int
    banks: int
    total: int
    v_nom: Figure
    v_low: Figure
    v_max: Figure
    v_min: Figure
    resistance: Figure
    i_inverter: Figure
    i_all: Figure
    i_bank: Figure
    i_pack: Figure
    c_rate: Figure
    energy: Figure
    i_in: Figure | None = None
    i_bus: Figure | None = None
    i_controller: Figure | None = None

    @property
    def at_bus(self) -> Figure:
        """What passes the bus of one bank."""
        return self.i_bus or self.i_all


def cabinets(pack: Pack, packs: int) -> int:
    """How many cabinets hold so many packs."""
    return math.ceil(packs / pack.cabinet.holds) if pack.cabinet else 0


def in_series(name: str, symbol: str, each: Figure, series: int, source: str = "sum") -> Figure:
    """Units in series add their voltage or resistance; one alone is itself."""
    n = given("n_ser", series, "", "Units in series", "plan")
    return solve(symbol, each.unit, name, f"n_ser * {each.symbol}", n, each, source=source)


def lowest_voltage(pack: Pack, series: int) -> Figure:
    """Lowest working voltage in V: 3.0 V a cell for LFP, 1.85 V for lead (common practice)."""
    cells = given("n_cell", pack.cells * series, "", "Cells in series", "pack sheet")
    low = given(
        "V_cell",
        LOW_CELL_V[pack.chemistry],
        "V",
        f"Lowest working cell voltage, {pack.chemistry}",
        COMMON_PRACTICE,
    )
    return solve(
        "V_low",
        "V",
        "Lowest working voltage",
        "n_cell * V_cell",
        cells,
        low,
        source=COMMON_PRACTICE,
    )


def inverter_current(plan: Plan, inverter: Inverter, v_low: Figure) -> Figure:
    """One inverter's battery current in A: its port's own maximum, which the unit holds; where the
    sheet has no port, power over efficiency at the bank's lowest voltage, or what it charges with
    where that is more. A keyed limit caps it.
    """
    power = given("P", inverter.power_w, "W", "Inverter power", "inverter sheet")
    eta = given(
        "eta", inverter.battery_efficiency, "", "Efficiency, battery to AC", "inverter sheet"
    )
    asked = solve(
        "I_low",
        "A",
        "Full power at the lowest voltage",
        "P / (eta * V_low)",
        power,
        eta,
        v_low,
        source=COMMON_PRACTICE,
    )
    natural = asked.renamed("I_bat").called("Battery current")
    if inverter.battery and inverter.battery.source == NOT_ENTERED:
        charge = given("I_chg", inverter.charge_max_a, "A", "Charges with", "inverter sheet")
        natural = solve(
            "I_bat",
            "A",
            "Battery current",
            "max(I_low, I_chg)",
            asked,
            charge,
            source=COMMON_PRACTICE,
            assumption="what its battery port carries is not entered on its sheet",
        )
    elif inverter.battery:
        port = given(
            "I_port", inverter.battery.i_max_a, "A", "Battery port maximum", "inverter sheet"
        )
        less = f": full power is not held below {fmt(power.n / (eta.n * port.n))} V"
        natural = solve(
            "I_bat",
            "A",
            "Battery current",
            "1 * I_port",
            port,
            asked,
            source="inverter sheet",
            assumption=f"the unit holds its port's maximum{less if asked.n > port.n else ''}",
        )
    limits = [keyed_limit(plan, inverter, rule) for rule in BOTH_WAYS]
    if None in limits:
        return natural  # not limited both ways, or by a value the menu does not take
    most = max(x for x in limits if x is not None)
    keyed = given("I_set", most, "A", "Limit keyed in Set", "plan")
    return solve(
        "I_bat_set",
        "A",
        "Battery current as limited by setting",
        "min(I_bat, I_set)",
        natural,
        keyed,
        source=COMMON_PRACTICE,
    )


def banks_of(plan: Plan, inverter: Inverter, pack: Pack) -> int:
    """How many banks a job has: one for all inverters, or one for each where its packs are inside
    it, stand in a stack of its own, or are planned so.
    """
    kit = plan.kit
    own = pack.form == "stack" or inverter.pack_inside or kit.banks == "one per inverter"
    return kit.inverters if own else 1


def stacks_each(kit: Kit, inverter: Inverter, pack: Pack) -> int:
    """How many stacks every unit has: one, one for each of its battery inputs that are used, or as
    many as may meet in a combiner ahead of its port.
    """
    asked = kit.packs // kit.inverters
    most = inverter.battery_inputs if kit.hookup == "inputs" else pack.parallel_max
    return max(1, min(asked, most))


def charges_from_ac(plan: Plan, inverter: Inverter) -> bool:
    """Whether the inverters have anything on their AC side to charge from."""
    grid = inverter.grid is not None and plan.supply.kind != "off-grid"
    return grid or plan.kit.on_generator > 0 or bool(plan.kit.pv_inverters)


def controllers_on(kit: Kit, bank: int, banks: int) -> list[int]:
    """The charge controllers that charge a bank, both from 1: of several banks each in turn."""
    return [n for n in range(1, kit.controllers_fitted + 1) if (n - 1) % banks == bank - 1]


def controller_current(plan: Plan, controller: Controller) -> Figure:
    """What one charge controller charges with in A: its rating; a keyed limit caps it."""
    sheet = "charge controller sheet"
    own = given("I_ctl", controller.charge_max_a, "A", "What it charges with", sheet)
    held = keyed_limit(plan, controller, "charge")
    if held is None or held >= own.n:
        return own
    keyed = given("I_set", held, "A", "Limit keyed in Set", "plan")
    return solve(
        "I_ctl_set",
        "A",
        "What it charges with, as limited by setting",
        "min(I_ctl, I_set)",
        own,
        keyed,
        source=COMMON_PRACTICE,
    )


def charging_together(plan: Plan, inverter: Inverter, each: Figure, banks: int) -> Figure:
    """What charges one bank together in A: its controllers, and the inverters where they have
    something to charge from. each: what one controller charges with.
    """
    n = given("n_ctl", -(-plan.kit.controllers_fitted // banks), "", "Charge controllers", "plan")
    units = given("n_inv", plan.kit.inverters // banks, "", "Inverters on one bank", "plan")
    most = keyed_limit(plan, inverter, "charge") or inverter.charge_max_a
    from_ac = given(
        "I_chg",
        most if charges_from_ac(plan, inverter) else 0.0,
        "A",
        "One inverter, from its AC side",
        "inverter sheet",
    )
    return solve(
        "I_in",
        "A",
        "What charges the bank together",
        "n_ctl * I_ctl + n_inv * I_chg",
        n,
        each.renamed("I_ctl"),
        units,
        from_ac,
        source="sum",
    )


def design_bank(
    plan: Plan, inverter: Inverter, pack: Pack, controller: Controller | None = None
) -> Bank:
    """All figures of the bank."""
    kit = plan.kit
    banks = banks_of(plan, inverter, pack)
    total = kit.packs + (kit.inverters if inverter.pack_inside else 0)
    count = max(total // banks, 1)
    series = kit.series if pack.form != "pack" else 1
    packs = given(
        "n_pack", count, "", "Packs in parallel" if series == 1 else "Strings in parallel", "plan"
    )
    units = given("n_inv", kit.inverters // banks, "", "Inverters on one bank", "plan")
    every_pack = given("n_all", total, "", "All packs of the job", "plan")
    v_nom = in_series(
        "Nominal voltage",
        "V_nom",
        given("V_unit", pack.v_nom, "V", "Nominal voltage of one unit", "pack sheet"),
        series,
    )
    v_max = in_series(
        "Highest voltage",
        "V_max",
        given("V_top", pack.bms_v_max, "V", "Highest voltage of one unit", "pack sheet"),
        series,
    )
    v_min = in_series(
        "Lowest voltage",
        "V_min",
        given("V_bot", pack.bms_v_min, "V", "Lowest voltage of one unit", "pack sheet"),
        series,
    )
    r_int = in_series(
        "Internal resistance",
        "R_int",
        given("R_unit", pack.resistance_ohm, "Ω", "Internal resistance of one unit", "pack sheet"),
        series,
    )
    v_low = lowest_voltage(pack, series)
    one = inverter_current(plan, inverter, v_low)
    every = solve(
        "I_all",
        "A",
        "All inverters of one bank together",
        f"n_inv * {one.symbol}",
        units,
        one,
        source="sum",
    )
    rated = given("I_pack", pack.discharge_max_a, "A", "Continuous current of one", "pack sheet")
    share = given(
        "k_share",
        SHARING if count > 1 else 1.0,
        "",
        "Allowance for unequal sharing",
        COMMON_PRACTICE,
    )
    bank = solve(
        "I_bank",
        "A",
        "Bank continuous current",
        "n_pack * I_pack * k_share",
        packs,
        rated,
        share,
        source=COMMON_PRACTICE,
    )
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
    i_in = i_bus = i_controller = None
    if controller:
        i_controller = controller_current(plan, controller)
        i_in = charging_together(plan, inverter, i_controller, banks)
        most_in = given("I_pin", pack.charge_max_a, "A", "Charge current of one", "pack sheet")
        alone = solve(
            "I_one",
            "A",
            "One pack's current",
            "max(min(I_pack, I_all), min(I_pin, I_in))",
            rated,
            every.renamed("I_all"),
            most_in,
            i_in,
            source=COMMON_PRACTICE,
            assumption="a pack may be asked for its full rating when others drop out",
        )
        i_bus = solve(
            "I_bus",
            "A",
            "What passes the bus",
            "max(I_all, I_in)",
            every.renamed("I_all"),
            i_in,
            source="sum",
            assumption="what comes in goes out: to the packs, or to the inverters",
        )
    capacity = given("C", pack.capacity_ah, "Ah", "Capacity of one", "pack sheet")
    depth = given("DoD", pack.depth, "", "Usable depth", "pack sheet")
    eta = given(
        "eta", inverter.battery_efficiency, "", "Efficiency, battery to AC", "inverter sheet"
    )
    return Bank(
        count,
        banks,
        total,
        v_nom,
        v_low,
        v_max,
        v_min,
        r_int,
        one,
        every,
        bank,
        alone,
        solve(
            "c",
            "C",
            "Discharge rate",
            "I_all / (n_pack * C)",
            every,
            packs,
            capacity,
            source="definition",
        ),
        solve(
            "E",
            "kWh",
            "Usable energy",
            "n_all * C * V_nom * DoD * eta / 1000",
            every_pack,
            capacity,
            v_nom,
            depth,
            eta,
            source="definition",
        ),
        i_in,
        i_bus,
        i_controller,
    )


def fault_current(bank: Bank, cable_ohm: Figure) -> Figure:
    """Prospective short-circuit current in A at the battery bus, all strings feeding: ΣV/(R_int +
    R_cable).
    """
    count = given("n_pack", bank.count, "", "In parallel", "plan")
    return solve(
        "I_k",
        "A",
        "Prospective fault current",
        "n_pack * V_max / (R_int + R_loop)",
        count,
        bank.v_max,
        bank.resistance,
        cable_ohm,
        source="Ohm's law",
        assumption="bolted fault, cables alike",
    )
