"""What a circuit draws at the moment it starts."""

from __future__ import annotations

from gumboot.core.basis.figure import COMMON_PRACTICE, Figure, given, solve
from gumboot.core.plan import Load, LoadKind

STARTING: dict[LoadKind, float] = {
    "resistive": 1.0,
    "heater": 1.0,
    "electronics": 1.5,
    "motor": 4.0,
    "pump": 5.0,
}  # times running power
STARTS_S: dict[LoadKind, float] = {
    "resistive": 0.0,
    "heater": 0.0,
    "electronics": 0.1,
    "motor": 1.0,
    "pump": 2.0,
}  # how long a start lasts, s
COINCIDE_S = 0.5  # starts shorter than this are not counted on to meet: common practice
SOFT_START = 0.4  # what a soft starter leaves of the start; all common practice, from memory


def starting_power(load: Load, leg_v: float, wye: bool) -> Figure:
    """Power in W at the moment it starts: as given, locked-rotor current times voltage, or a
    multiple by its kind; a soft starter leaves 40 %. wye: whether lines stand 120° apart.
    """
    run = given("P_run", load.running_w, "W", f"Running power of {load.name}", "load board")
    name = f"Starting power of {load.name}"
    if load.starting_w is not None:
        plain = given("P_st", load.starting_w, "W", name, "load board")
    elif load.locked_rotor_a is not None:
        on = len(load.legs.split("+"))
        volts_over = 3**0.5 if wye and on == 2 else on
        n = given("n_leg", volts_over, "", "Its volts over a leg's, all lines", "load board")
        amps = given("I_LR", load.locked_rotor_a, "A", "Locked-rotor current", "load board")
        volts = given("V_leg", leg_v, "V", "Leg to neutral", "supply")
        plain = solve(
            "P_st", "W", name, "I_LR * n_leg * V_leg", amps, n, volts, source="definition"
        )
    else:
        k = given(
            "k_st", STARTING[load.kind], "", f"Start over running, {load.kind}", COMMON_PRACTICE
        )
        plain = solve(
            "P_st",
            "W",
            name,
            "k_st * P_run",
            k,
            run,
            source=COMMON_PRACTICE,
            doubt="read the plate",
        )
    if not load.soft_start:
        return plain
    soft = given("k_soft", SOFT_START, "", "What a soft starter leaves of a start", COMMON_PRACTICE)
    return solve(
        "P_soft",
        "W",
        f"{name}, soft",
        "max(P_run, k_soft * P_st)",
        run,
        soft,
        plain,
        source=COMMON_PRACTICE,
    )
