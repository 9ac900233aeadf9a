"""Charge controllers against the bank they charge and the arrays that feed them."""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence

from gumboot.core.basis.figure import COMMON_PRACTICE, Figure, given, solve
from gumboot.core.basis.finding import Asked, Change, Cure, Finding, check, duty, note, stop
from gumboot.core.basis.words import counted
from gumboot.core.kit import Controller, Inverter, Pack
from gumboot.core.plan import Plan
from gumboot.core.plan.kit import CONTROLLERS
from gumboot.core.size.bank import Bank, charges_from_ac, controllers_on
from gumboot.core.size.limits import keyed_limit, limit_cure, limit_of
from gumboot.core.size.strings import StringDesign

OVERSIZE = 1.3  # of an array over what its controller passes on: common practice
SHEET = "charge controller sheet"


def controller_findings(
    plan: Plan,
    bank: Bank,
    inverter: Inverter,
    pack: Pack,
    controller: Controller | None,
    strings: Sequence[StringDesign],
) -> Iterator[Finding]:
    """Whether controllers suit bank and packs, and what the array drives into the bank."""
    if controller is None:
        return
    if wrong := controllers_unsuited(plan, bank, inverter, pack, controller):
        yield from wrong
        return
    if plan.kit.controllers_fitted > controller.units_max:
        most = controller.units_max
        says = f"{plan.kit.controllers_fitted} charge controllers; {controller.model} allows {most}"
        cure = Cure(f"Plan {most}", (Change("/kit/controllers", most),))
        yield stop("controller.count", "bank", f"{says}.", SHEET, cure)
    yield from _too_much(plan, bank, inverter, pack, controller, strings)
    for n in range(1, plan.kit.controllers_fitted + 1):
        mine = [s for s in strings if s.body == f"controller-{n}"]
        yield from _array(plan, n, mine, bank, controller)
    yield from _unheard(plan, controller, strings)
    if bank.i_controller and bank.i_controller.symbol == "I_ctl_set":
        says = (
            f"Conductors of charge controllers are sized for {bank.i_controller.text} because a"
            " setting limits it: keyed before first power, and the menu is locked."
        )
        held, asked = (bank.i_controller,), Asked("Set")
        yield duty("controller.limited", "bank", says, COMMON_PRACTICE, asked, figures=held)
    says = (
        "A charge controller gets its battery before its array, and loses its array before its"
        " battery: without a battery its output has nothing to hold it."
    )
    yield duty("controller.order", "controller-1", says, COMMON_PRACTICE, Asked("Wake"))


def controllers_unsuited(
    plan: Plan, bank: Bank, inverter: Inverter, pack: Pack, controller: Controller | None
) -> list[Finding]:
    """What makes the rest not worth computing: no bus for them, or a bank that they do not
    charge.
    """
    if controller is None:
        return []
    wrong = _no_bus(plan, inverter, pack) or _unsuited(bank, pack, controller)
    return [wrong] if wrong else []


def _no_bus(plan: Plan, inverter: Inverter, pack: Pack) -> Finding | None:
    """Packs that never come to a bus, where a controller has nothing to land on."""
    off = Cure("Plan no charge controllers", (Change("/kit/controllers", 0),))
    if inverter.battery is None or plan.kit.packs == 0:
        says = f"{inverter.model} has its pack inside: there is no bus for charge controllers."
        return stop("controller.bus", "bank", says, "inverter sheet", off)
    if pack.form == "stack":
        says = "Stacks land on their inverters: there is no bus for charge controllers."
        return stop("controller.bus", "bank", says, "pack sheet", off)
    return None


def _unsuited(bank: Bank, pack: Pack, controller: Controller) -> Finding | None:
    """A bank that a controller does not charge: by its volts, or its kind."""
    low, high = controller.battery_v_min, controller.battery_v_max
    if pack.chemistry not in controller.chemistries:
        says = f"{controller.model} charges {', '.join(controller.chemistries)};"
        says += f" {pack.model} is {pack.chemistry}."
    elif bank.v_max.n > high + 1e-9 or bank.v_min.n < low - 1e-9:
        says = f"The bank works between {bank.v_min.text} and {bank.v_max.text};"
        says += f" {controller.model} charges {low:g} to {high:g} V."
    else:
        return None
    cure = Cure("Choose a charge controller for this bank", ())
    return stop("controller.class", "bank", says, SHEET, cure, figures=(bank.v_min, bank.v_max))


def from_array(
    mine: Sequence[StringDesign], bank: Bank, controller: Controller, held: float | None
) -> Figure:
    """What the array of one controller drives into the bank in A, at the lowest voltage it works
    at: at most what the controller passes on, or is limited to by its own menu, `held`.
    """
    watts = given("P_pv", sum(s.power.n for s in mine), "W", "Array of one controller", "plan")
    eta = given("eta_ctl", controller.battery_efficiency, "", "Efficiency, array to battery", SHEET)
    most = given("I_ctl", controller.charge_max_a, "A", "The controller's most", SHEET)
    if held is not None and held < most.n:
        most = given("I_ctl", held, "A", "What its menu limits it to", "plan")
    return solve(
        "I_sun",
        "A",
        "What one array drives into the bank",
        "min(I_ctl, P_pv * eta_ctl / V_low)",
        most,
        watts,
        eta,
        bank.v_low,
        source="energy balance",
    )


def _at_noon(
    plan: Plan, bank: Bank, n: int, controller: Controller, strings: Sequence[StringDesign]
) -> Figure:
    """What the charge controllers of one bank, from 1, drive into it together in full sun."""
    arrays = {
        k: [s for s in strings if s.body == f"controller-{k}"]
        for k in controllers_on(plan.kit, n, bank.banks)
    }
    held = {k: limit_of(plan, controller, "charge", CONTROLLERS + k) for k in arrays}
    parts = [
        from_array(mine, bank, controller, held[k]).renamed(f"I_{k}") for k, mine in arrays.items()
    ]
    terms = " + ".join(x.symbol for x in parts)
    return solve("I_noon", "A", "All of them in full sun", terms, *parts, source="sum")


def _too_much(
    plan: Plan,
    bank: Bank,
    inverter: Inverter,
    pack: Pack,
    controller: Controller,
    strings: Sequence[StringDesign],
) -> Iterator[Finding]:
    """More in full sun than the packs of one bank may be charged with is a stop; with what the
    inverters charge from their AC side besides a check, for seldom is a generator run at noon.
    """
    fitted = plan.kit.controllers_fitted
    charged = range(1, min(bank.banks, fitted) + 1)
    noons = {n: _at_noon(plan, bank, n, controller, strings) for n in charged}
    hardest = max(noons, key=lambda n: noons[n].n)
    sun, share = noons[hardest], len(controllers_on(plan.kit, hardest, bank.banks))
    packs = given("n_pack", bank.count, "", "Packs in parallel", "plan")
    may = given("I_pin", pack.charge_max_a, "A", "Charge current of one", "pack sheet")
    takes = solve("I_take", "A", "What the bank takes", "n_pack * I_pin", packs, may, source="sum")
    who = "Charge controllers" if fitted > 1 else "The charge controller"
    if sun.n > takes.n + 1e-9:
        says = f"{who} in full sun can charge with {sun.against(takes.n)}; the bank takes"
        yield stop(
            "controller.charge",
            "bank",
            f"{says} {takes.text}.",
            "pack sheet",
            *limit_cure(plan, controller, ("charge",), takes.n / share, "Limit each of them to {}"),
            *_more_packs(plan, bank, pack, sun.n),
            figures=(sun, takes),
        )
        return
    held = keyed_limit(plan, inverter, "charge") or inverter.charge_max_a
    units = given("n_inv", plan.kit.inverters // bank.banks, "", "Inverters on one bank", "plan")
    from_ac = given("I_chg", held, "A", "One inverter, from its AC side", "inverter sheet")
    both = solve(
        "I_both",
        "A",
        "With what the inverters charge",
        "I_noon + n_inv * I_chg",
        sun,
        units,
        from_ac,
        source="sum",
    )
    if not charges_from_ac(plan, inverter) or both.n <= takes.n + 1e-9:
        return
    left = (takes.n - sun.n) / units.n
    says = (
        f"{who} in full sun, and the inverters from their AC side at the same time, can charge with"
        f" {both.against(takes.n)}; the bank takes {takes.text}."
    )
    yield check(
        "controller.both",
        "bank",
        says,
        "pack sheet",
        *limit_cure(
            plan, inverter, ("charge",), left, "Limit what each inverter charges with to {}"
        ),
        *_more_packs(plan, bank, pack, both.n),
        Cure(
            "Charge from the AC side without sun only, or leave it to the BMS where one is linked"
        ),
        figures=(both, takes),
    )


def _more_packs(plan: Plan, bank: Bank, pack: Pack, amps: float) -> list[Cure]:
    """As many packs as take a current, where their maker lets so many stand together."""
    more = math.ceil(amps / pack.charge_max_a) * bank.banks
    if more > min(25, pack.parallel_max * bank.banks):
        return [Cure("Choose packs that take more, or smaller charge controllers")]
    return [Cure(f"Plan {counted(more, 'pack')}", (Change("/kit/packs", more),))]


def _unheard(
    plan: Plan, controller: Controller, strings: Sequence[StringDesign]
) -> Iterator[Finding]:
    """Faults of an array that a book wants found, and a controller does not find or whose sheet is
    silent: of its earth; of an arc, where its volts are high and it is on a building.
    """
    book, faced = plan.book, {s.letter: s.mounting for s in plan.strings}
    mine = [s for s in strings if s.body.startswith("controller-")]
    on_roof = [s.v_oc_cold.n for s in mine if faced.get(s.letter) == "roof"]
    arcs = book.arc_fault_v is not None and max(on_roof, default=0.0) >= book.arc_fault_v
    asked = [("an earth fault", controller.earth_fault, book.clauses["array earth fault"])]
    asked += [("an arc", controller.arc_fault, book.clauses["array arc"])] if arcs else []
    ahead = Cure("Fit a device ahead of it that does, by its maker's manual")
    for said, key in ((None, "silent"), (False, "lacks")):
        rows = [(what, rule) for what, finds, rule in asked if finds is said and mine]
        what, rule = " or ".join(x for x, _ in rows), ", ".join(x for _, x in rows)
        if not rows:
            continue
        name = f"controller.faults.{key}"
        if said is None:
            says = f"The sheet of {controller.model} does not say whether it finds {what} of its"
            says += " array."
            read = Cure("Read its sheet, and enter it on the shelf")
            yield check(name, "controller-1", says, rule, read, ahead)
        else:
            says = (
                f"{controller.model} does not find {what} of its array: nobody hears of the first."
            )
            yield check(name, "controller-1", says, rule, ahead)


def _array(
    plan: Plan, n: int, mine: Sequence[StringDesign], bank: Bank, controller: Controller
) -> Iterator[Finding]:
    """A controller without an array, or with far more of it than it passes on."""
    place = f"controller-{n}"
    name = f"Charge controller {n}" if plan.kit.controllers_fitted > 1 else "The charge controller"
    if not mine:
        if plan.strings:
            fewer = plan.kit.controllers_fitted - 1
            cure = Cure(f"Plan {fewer}", (Change("/kit/controllers", fewer),))
            last = n == plan.kit.controllers_fitted
            says = f"{name} has no string."
            cures = (cure,) if last else (Cure("Put a string on it in Brief"),)
            yield check(f"{place}.idle", place, says, "plan", *cures)
        return
    watts = sum(s.power.n for s in mine)
    passes = controller.charge_max_a * bank.v_nom.n / controller.battery_efficiency
    if controller.pv_power_max_w is None and watts > OVERSIZE * passes:
        says = (
            f"{name} has {watts / 1000:.3g} kW of modules and passes on some {passes / 1000:.2g} kW"
            f" at {bank.v_nom.text}: the rest is lost in full sun."
        )
        cure = Cure("Accept the loss, or spread the strings over more controllers")
        yield note(f"{place}.clips", place, says, COMMON_PRACTICE, cure)
