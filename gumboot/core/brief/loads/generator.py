"""A generator against the charger and the loads, and how long a night's recharge takes."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from gumboot.core.basis.figure import COMMON_PRACTICE, Figure, given, solve
from gumboot.core.basis.finding import Change, Cure, Finding, check, note
from gumboot.core.brief.loads.board import Board
from gumboot.core.kit import Inverter
from gumboot.core.plan import Plan
from gumboot.core.set.settings import Setting
from gumboot.core.size.bank import Bank


@dataclass(frozen=True, slots=True)
class Charging:
    """W: the generator, what the chargers draw, what loads draw beside them; hours to refill a
    night's energy.
    """

    power: Figure
    charger: Figure
    need: Figure
    hours: Figure | None


def design_charging(
    plan: Plan,
    inverter: Inverter,
    bank: Bank | None,
    board: Board | None,
    settings: Sequence[Setting],
) -> Charging | None:
    """Generator figures; None without a generator or a bank. The charge current is the one that
    will be keyed.
    """
    gen = plan.kit.generator
    if gen is None or bank is None:
        return None
    keyed = min((float(s.value) for s in _amps(settings, inverter)), default=inverter.charge_max_a)
    power = given("P_gen", gen.power_w, "W", "Generator", "brief")
    amps = given("I_ch", keyed, "A", "Charge current of one inverter", "settings")
    n = given("n_ch", plan.kit.on_generator, "", "Inverters the generator charges through", "plan")
    eta = given(
        "eta", inverter.battery_efficiency, "", "Efficiency, AC to battery", "inverter sheet"
    )
    charger = solve(
        "P_ch",
        "W",
        "Chargers at full current",
        "n_ch * I_ch * V_max / eta",
        n,
        amps,
        bank.v_max,
        eta,
        source="definition",
    )
    loads = (
        board.total.running
        if board
        else given("P_hour", 0.0, "W", "Loads, none listed", "load board")
    )
    need = solve(
        "P_need",
        "W",
        "Chargers and loads together",
        "P_ch + P_hour",
        charger,
        loads,
        source=COMMON_PRACTICE,
    )
    if board is None or board.e_night.n <= 0:
        return Charging(power, charger, need, None)
    day = given("h_day", 24, "h", "Hours of a day", "definition")
    mean = solve(
        "P_mean",
        "W",
        "Loads on average",
        "1000 * E_day / h_day",
        board.e_day,
        day,
        source="definition",
    )
    spare = solve(
        "P_to",
        "W",
        "Left for charging",
        "min(P_ch, P_gen - P_mean)",
        charger,
        power,
        mean,
        source="balance",
    )
    night = solve(
        "E_back",
        "kWh",
        "What a night takes from the bank",
        "min(E_night, E)",
        board.e_night,
        bank.energy,
        source="balance",
    )
    if spare.n <= 0:
        return Charging(power, charger, need, None)
    hours = solve(
        "t_gen",
        "h",
        "To recharge one night",
        "1000 * E_back / (P_to * eta)",
        night,
        spare,
        eta,
        source="definition",
        assumption="full current all the way; the last tenth takes longer",
    )
    return Charging(power, charger, need, hours)


def _amps(settings: Sequence[Setting], inverter: Inverter) -> list[Setting]:
    """The lines that hold what a generator charges with: the charge current, and its own where the
    menu has one; that of the AC input where it stands there for want of a port of its own.
    """
    rules = ("charge", "gen_charge_a", *(() if inverter.generator else ("grid_charge_a",)))
    return [s for s in settings if s.rule in rules and not isinstance(s.value, str)]


def generator_findings(
    plan: Plan, inverter: Inverter, charging: Charging | None, settings: Sequence[Setting]
) -> list[Finding]:
    """Smaller than chargers and loads is a check, cured by a lower charge current. One smaller than
    its inverter is judged where sources meet.
    """
    if charging is None:
        return []
    power, figures = charging.power, (charging.power, charging.need)
    if power.n <= inverter.power_w * plan.kit.on_generator:
        return []  # a stop of the sources that meet (`size/meeting`)
    loads = charging.need.n - charging.charger.n
    if charging.charger.n > 0 and loads >= power.n:
        says = f"The loads leave nothing of the generator's {power.text} for charging."
        return [
            check(
                "generator.charge",
                "generator",
                says,
                COMMON_PRACTICE,
                Cure("Choose a larger generator, or take circuits off backup"),
                figures=figures,
            )
        ]
    if charging.need.n <= power.n:
        who = "chargers and loads" if charging.charger.n > 0 else "the loads"
        lasts = f" It recharges one night in {charging.hours.text}." if charging.hours else ""
        return [
            note(
                "generator.fits",
                "generator",
                f"The generator's {power.text} carry {who}, {charging.need.text}.{lasts}",
                COMMON_PRACTICE,
                figures=figures,
            )
        ]
    alone = "The chargers alone ask" if loads <= 0 else "The loads alone ask"
    both = charging.charger.n > 0 and loads > 0
    who = "Chargers and loads together ask" if both else alone
    says = f"{who} {charging.need.text}; the generator gives {power.text}."
    cures = _lower(charging, settings, inverter)
    return [
        check(
            "generator.charge",
            "generator",
            says,
            COMMON_PRACTICE,
            *cures,
            Cure("Run the generator with few loads on"),
            figures=figures,
        )
    ]


def _lower(charging: Charging, settings: Sequence[Setting], inverter: Inverter) -> tuple[Cure, ...]:
    """The charge current at which chargers and loads fit the generator, where the menu takes it."""
    item = min(_amps(settings, inverter), key=lambda s: float(s.value), default=None)
    left = charging.power.n - (charging.need.n - charging.charger.n)
    if item is None or isinstance(item.value, str) or min(left, charging.charger.n) <= 0:
        return ()
    step = item.step or 1.0
    amps = float(int(item.value * left / charging.charger.n / step) * step)
    if amps < max(item.least or 0.0, step):
        return ()
    by = "" if item.rule == "charge" else " by the generator"
    return (Cure(f"Charge{by} at {amps:g} A", (Change(f"/settings/{item.key}", amps),)),)
