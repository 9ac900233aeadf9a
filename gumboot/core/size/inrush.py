"""The moment the battery breaker closes, and the moment a motor starts."""

from __future__ import annotations

from dataclasses import dataclass

from gumboot.core.basis.figure import COMMON_PRACTICE, Figure, given, solve
from gumboot.core.basis.finding import Cure, Finding, check
from gumboot.core.kit import Inverter, Pack
from gumboot.core.plan import Plan
from gumboot.core.size.bank import Bank

HAND_OHM = 100.0  # a resistor crews carry for a port without precharge, common practice


@dataclass(frozen=True, slots=True)
class Inrush:
    """Current in A into an uncharged port, the time in s that a precharge resistor wants, and who
    has one; by_hand: the time that the resistor wants which a crew carries.
    """

    bare: Figure
    wait: Figure
    whose: str
    by_hand: Figure


def design_inrush(
    bank: Bank, inverter: Inverter, pack: Pack, loop_ohm: float | None
) -> Inrush | None:
    """V/R without precharge; 5·R·C with it. None when the sheet gives no capacitance or no cable is
    sized.
    """
    if inverter.capacitance_f is None or loop_ohm is None:
        return None
    cable = given(
        "R_loop", loop_ohm, "Ω", "Battery cable, out and back", "conductor table and brief"
    )
    n = given("n_pack", bank.count, "", "In parallel", "plan")
    bare = solve(
        "I_in",
        "A",
        "Inrush without precharge",
        "V_max / (R_int / n_pack + R_loop)",
        bank.v_max,
        bank.resistance,
        n,
        cable,
        source="Ohm's law",
    )
    whose = (
        "the inverter" if inverter.precharge_ohm else "the pack" if pack.precharge_ohm else "nobody"
    )
    r = given(
        "R_pre",
        inverter.precharge_ohm or pack.precharge_ohm or HAND_OHM,
        "Ω",
        f"Precharge resistor of {whose}" if whose != "nobody" else "Resistor carried by hand",
        "sheet" if whose != "nobody" else COMMON_PRACTICE,
    )
    c = given(
        "C_dc", inverter.capacitance_f, "F", "Capacitors of the battery port", "inverter sheet"
    )
    hand = given("R_pre", HAND_OHM, "Ω", "Resistor carried by hand", COMMON_PRACTICE)
    name, how, rule = "Time to precharge", "5 * R_pre * C_dc", "five time constants, 99 %"
    wait = solve("t_pre", "s", name, how, r, c, source=rule)
    by_hand = solve("t_pre", "s", f"{name} by hand", how, hand, c, source=rule)
    return Inrush(bare, wait, whose, by_hand)


def inrush_findings(inrush: Inrush | None, units: int) -> list[Finding]:
    """A port that nobody precharges arcs and pits the breaker; of several units on one bank, a
    pack's own precharge serves the first: the others close onto a bus that is live.
    """
    if (
        inrush is None
        or inrush.whose == "the inverter"
        or (inrush.whose == "the pack" and units == 1)
    ):
        return []
    rushes = f"{inrush.bare.text} would rush into the capacitors when the breaker closes."
    says = (
        f"The packs precharge the first inverter only; the next closes onto a live bus: {rushes}"
        if inrush.whose == "the pack"
        else f"Neither pack nor inverter precharges: {rushes}"
    )
    cure = Cure(
        f"Precharge through a {HAND_OHM:g} Ω resistor for {inrush.by_hand.text} before closing, and"
        " measure the port"
    )
    return [
        check(
            "bank.inrush",
            "battery-1",
            says,
            COMMON_PRACTICE,
            cure,
            figures=(inrush.bare, inrush.by_hand),
        )
    ]


def peak_findings(plan: Plan, bank: Bank, inverter: Inverter, pack: Pack) -> list[Finding]:
    """The inverter's surge against what the packs give for as long."""
    if inverter.surge_w is None or pack.peak_a is None:
        return []
    shared = plan.kit.inverters // bank.banks
    units = given("n_inv", shared, "", "Inverters on one bank", "plan")
    surge = given("P_surge", inverter.surge_w, "W", "Surge of one inverter", "inverter sheet")
    eta = given(
        "eta", inverter.battery_efficiency, "", "Efficiency, battery to AC", "inverter sheet"
    )
    want = solve(
        "I_surge",
        "A",
        "Battery current in a surge",
        "n_inv * P_surge / (eta * V_nom)",
        units,
        surge,
        eta,
        bank.v_nom,
        source="definition",
    )
    peak = given("I_peak", pack.peak_a, "A", "Peak of one pack", "pack sheet")
    n = given("n_pack", bank.count, "", "In parallel", "plan")
    give = solve("I_give", "A", "Peak of the bank", "n_pack * I_peak", n, peak, source="sum")
    short = (pack.peak_s or 0) < (inverter.surge_s or 0)
    if want.n <= give.n and not short:
        return []
    says = (
        f"In a surge the inverters ask {want.against(give.n)} for {inverter.surge_s or 0:g} s;"
        f" the packs give"
        f" {give.text} for {pack.peak_s or 0:g} s. Large motors may not start."
    )
    return [
        check(
            "bank.peak",
            "bank",
            says,
            COMMON_PRACTICE,
            Cure("Add a pack, or give the motor a soft starter"),
            figures=(want, give),
        )
    ]
