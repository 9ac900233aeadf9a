"""What is wrong with a bank: its voltage against the unit's, how many stand in parallel, in series,
in cabinets and towers, and what is asked of each pack.
"""

from __future__ import annotations

from gumboot.core.basis.figure import COMMON_PRACTICE
from gumboot.core.basis.finding import Asked, Change, Cure, Finding, check, duty, stop
from gumboot.core.basis.words import counted
from gumboot.core.kit import Inverter, Pack
from gumboot.core.plan import Kit, Plan
from gumboot.core.size.bank import BOTH_WAYS, SHARING, Bank, banks_of, cabinets, stacks_each
from gumboot.core.size.limits import limit_cure, packs_allow


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
                    f"Plan {counted(pack.parallel_max * banks, 'pack')}",
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
                Cure(f"Plan {counted(most, 'pack')}", (Change("/kit/packs", most),)),
            )
        )
    return found


def _stacks(kit: Kit, inverter: Inverter, pack: Pack) -> Finding:
    each, rest = divmod(kit.packs, kit.inverters)
    inputs, most = inverter.battery_inputs, pack.parallel_max
    takes = inputs if kit.hookup == "inputs" else most
    nearest = kit.inverters * max(1, min(round(kit.packs / kit.inverters), takes))
    cures = [Cure(f"Plan {counted(nearest, 'stack')}", (Change("/kit/packs", nearest),))]
    if rest == 0 and each <= most and kit.hookup != "bus":
        cures.insert(0, Cure("Bring them together in a combiner", (Change("/kit/hookup", "bus"),)))
    if rest == 0 and each <= inputs and kit.hookup != "inputs":
        cures.insert(
            0, Cure("Land each on an input of its own", (Change("/kit/hookup", "inputs"),))
        )
    has = "each inverter has a stack of its own"
    if inputs > 1 or most > 1:
        may = [f"each inverter has {inputs} battery input{'s' if inputs > 1 else ''}"]
        may += [f"{most} stacks at most meet in a combiner"] if most > 1 else []
        has = f"{', '.join(may)}, and all have equally many stacks"
    planned = f"{counted(kit.packs, 'stack')} for {counted(kit.inverters, 'inverter')}"
    says = f"{planned[:1].upper()}{planned[1:]}: {has}."
    return stop("bank.stacks", "bank", says, "inverter sheet", *cures)


def bank_findings(plan: Plan, bank: Bank, inverter: Inverter, pack: Pack) -> list[Finding]:
    """Counts and current. `class_findings` comes first."""
    found = count_findings(plan, inverter, pack)
    if bank.i_bank.n < bank.i_all.n:
        each = -int(-bank.i_all.n // (pack.discharge_max_a * SHARING))
        need = each * bank.banks - (bank.total - plan.kit.packs)
        cure = (
            Cure(f"Plan {counted(need, 'pack')}", (Change("/kit/packs", need),))
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
    cures = limit_cure(plan, inverter, BOTH_WAYS, bank.i_bank.n / units, "{}", most)
    return cures[0].changes if cures else ()
