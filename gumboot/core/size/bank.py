"""The battery bank: voltage window, current at the lowest voltage, energy, and what it may be asked
for.

kit.packs stand in parallel, each of kit.series units in series; packs inside their inverters add to
them.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

from gumboot.core.basis.figure import COMMON_PRACTICE, Figure, fmt, given, solve
from gumboot.core.basis.finding import Asked, Change, Cure, Finding, check, duty, stop
from gumboot.core.kit import Chemistry, Inverter, Pack
from gumboot.core.plan import Kit, Plan
from gumboot.core.size.limits import keyed_limit, limit_cure, packs_allow

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
    many strings stand in parallel.
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
    sheet has no port, power over efficiency at the lowest voltage. A keyed limit caps it.
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
    if inverter.battery:
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


def design_bank(plan: Plan, inverter: Inverter, pack: Pack) -> Bank:
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
    )


def class_findings(plan: Plan, bank: Bank, inverter: Inverter, pack: Pack) -> list[Finding]:
    """Chemistry and voltage window: what makes the rest not worth computing."""
    if pack.chemistry not in inverter.chemistries:
        return [
            stop(
                "bank.class",
                "bank",
                f"{pack.model} is {pack.chemistry}; {inverter.model} charges"
                f" {', '.join(inverter.chemistries)}.",
                "inverter sheet",
                Cure("Choose a pack of a kind the inverter charges"),
            )
        ]
    if (
        bank.v_max.n <= inverter.battery_v_max + 1e-9
        and bank.v_min.n >= inverter.battery_v_min - 1e-9
    ):
        return []
    many = (
        f"{plan.kit.series} × {pack.model}"
        if plan.kit.series > 1 and pack.form != "pack"
        else pack.model
    )
    says = (
        f"{many} works between {bank.v_min.text} and {bank.v_max.text}; the battery port of"
        f" {inverter.model} takes {inverter.battery_v_min:g} to {inverter.battery_v_max:g} V."
    )
    cures = [Cure("Choose a pack of the inverter's voltage class")]
    if pack.form != "pack":
        legal = [
            n
            for n in range(1, pack.series_most + 1)
            if n * pack.bms_v_max <= inverter.battery_v_max
            and n * pack.bms_v_min >= inverter.battery_v_min
        ]
        if legal:
            near = min(legal, key=lambda n: abs(n - plan.kit.series))
            cures.insert(0, Cure(f"Put {near} in series", (Change("/kit/series", near),)))
    return [
        stop("bank.class", "bank", says, "inverter sheet", *cures, figures=(bank.v_min, bank.v_max))
    ]


def count_findings(plan: Plan, inverter: Inverter, pack: Pack) -> list[Finding]:
    """How many in parallel, in series, in cabinets and towers the maker allows."""
    kit, found = plan.kit, list[Finding]()
    banks = banks_of(plan, inverter, pack)
    if kit.packs > pack.parallel_max * banks and pack.form != "stack":
        found.append(
            stop(
                "bank.parallel",
                "bank",
                f"{kit.packs} packs in parallel; {pack.model} allows {pack.parallel_max}.",
                "pack sheet",
                Cure(
                    f"Plan {pack.parallel_max * banks} packs",
                    (Change("/kit/packs", pack.parallel_max * banks),),
                ),
            )
        )
    if pack.form == "stack" and kit.packs != kit.inverters * stacks_each(kit, inverter, pack):
        found.append(_stacks(kit, inverter, pack))
    if kit.series > pack.series_most:
        found.append(
            stop(
                "bank.series",
                "bank",
                f"{kit.series} in series; {pack.model} allows {pack.series_most}.",
                "pack sheet",
                Cure(f"Plan {pack.series_most}", (Change("/kit/series", pack.series_most),)),
            )
        )
    if kit.towers == 2 and not pack.bridge:
        found.append(
            stop(
                "bank.towers",
                "bank",
                f"{pack.model} cannot stand in two towers: it has no bridging bars.",
                "pack sheet",
                Cure("Plan one tower", (Change("/kit/towers", 1),)),
            )
        )
    if pack.cabinet and cabinets(pack, kit.packs) > pack.cabinet.row_max:
        most = pack.cabinet.holds * pack.cabinet.row_max
        found.append(
            stop(
                "bank.cabinets",
                "bank",
                f"{kit.packs} packs need {cabinets(pack, kit.packs)} cabinets;"
                f" {pack.cabinet.row_max} may stand in a row.",
                "pack sheet",
                Cure(f"Plan {most} packs", (Change("/kit/packs", most),)),
            )
        )
    return found


def _stacks(kit: Kit, inverter: Inverter, pack: Pack) -> Finding:
    each, rest = divmod(kit.packs, kit.inverters)
    inputs, most = inverter.battery_inputs, pack.parallel_max
    takes = max(inputs, most) if each else 1
    nearest = kit.inverters * max(1, min(round(kit.packs / kit.inverters), takes))
    cures = [Cure(f"Plan {nearest}", (Change("/kit/packs", nearest),))]
    if rest == 0 and each <= most and kit.hookup == "inputs":
        cures.insert(0, Cure("Bring them together in a combiner", (Change("/kit/hookup", "bus"),)))
    if rest == 0 and each <= inputs and kit.hookup != "inputs":
        cures.insert(
            0, Cure("Land each on an input of its own", (Change("/kit/hookup", "inputs"),))
        )
    units = "1 inverter" if kit.inverters == 1 else f"{kit.inverters} inverters"
    has = "each inverter has a stack of its own"
    if inputs > 1 or most > 1:
        may = [f"each inverter has {inputs} battery input{'s' if inputs > 1 else ''}"]
        may += [f"{most} stacks at most meet in a combiner"] if most > 1 else []
        has = f"{', '.join(may)}, and all have equally many stacks"
    says = f"{kit.packs} stacks for {units}: {has}."
    return stop("bank.stacks", "bank", says, "inverter sheet", *cures)


def bank_findings(plan: Plan, bank: Bank, inverter: Inverter, pack: Pack) -> list[Finding]:
    """Counts and current. `class_findings` comes first."""
    found = count_findings(plan, inverter, pack)
    if bank.i_bank.n < bank.i_all.n:
        each = -int(-bank.i_all.n // (pack.discharge_max_a * SHARING))
        need = each * bank.banks - (bank.total - plan.kit.packs)
        cure = (
            Cure(f"Plan {need} packs", (Change("/kit/packs", need),))
            if (pack.form != "stack" or plan.kit.hookup != "inputs")
            and each <= pack.parallel_max
            and need <= 25
            and not inverter.pack_inside
            else Cure(
                "Choose a pack of higher current, or limit charge and discharge in Set",
                _limit(bank, inverter, plan, pack),
            )
        )
        who = "The inverters" if plan.kit.inverters > 1 else "The inverter"
        give = (
            f"{bank.count} packs give"
            if bank.count > 1
            else "the bank gives"
            if pack.form != "pack"
            else "one pack gives"
        )
        found.append(
            stop(
                "bank.current",
                "bank",
                f"{who} can draw {bank.i_all.against(bank.i_bank.n)}; {give} {bank.i_bank.text}.",
                COMMON_PRACTICE,
                cure,
                figures=(bank.i_all, bank.i_bank),
            )
        )
    if bank.i_inverter.symbol == "I_bat_set":
        says = (
            f"Conductors are sized for {bank.i_inverter.text} because a setting limits it, not the"
            " equipment."
        )
        says += " It is keyed before first power, and the menu is locked."
        asked = Asked("Set")
        found.append(
            duty("bank.limited", "bank", says, COMMON_PRACTICE, asked, figures=(bank.i_inverter,))
        )
    if not pack.lithium and bank.c_rate.n > 0.25:
        says = (
            f"The bank is drawn at {bank.c_rate.text}, faster than lead gives its capacity at:"
            f" expect well under the {bank.energy.text} stated."
        )
        found.append(
            check(
                "bank.rate",
                "bank",
                says,
                COMMON_PRACTICE,
                Cure("Choose larger cells, or a second string"),
                figures=(bank.c_rate,),
            )
        )
    return found


def _limit(bank: Bank, inverter: Inverter, plan: Plan, pack: Pack) -> tuple[Change, ...]:
    units = max(plan.kit.inverters // bank.banks, 1)
    most = packs_allow(inverter, pack, bank.count, units)
    cures = limit_cure(inverter, BOTH_WAYS, bank.i_bank.n / units, "{}", most)
    return cures[0].changes if cures else ()


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
