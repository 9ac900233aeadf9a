"""The air that lead batteries want, so that hydrogen stays under 4 %. IEC 62485-2 7.2.

Q = 0.05 · n · I_gas · C_rt / 1000 m³/h; openings low and high of 28 · Q cm² each where air moves by
itself. No spark nearer to a vent than d = 28.8 · ∛(N · I_gas · C_rt) mm, of the N cells behind one
vent. I_gas in mA/Ah at boost charge: 20 vented, 8 valve-regulated. From memory.
"""

from __future__ import annotations

from gumboot.core.basis.figure import MEMORY, Figure, as_read, given, solve
from gumboot.core.basis.finding import Asked, Finding, duty
from gumboot.core.basis.units import show_place
from gumboot.core.kit import Pack
from gumboot.core.plan import Plan
from gumboot.core.size.bank import Bank

RULE = "IEC 62485-2 7.2"
GASSING = {"flooded": 20.0, "sealed": 8.0, "gel": 8.0}  # mA/Ah at boost charge
CELL_V = 2.0  # a lead cell
M3H_CFM = 1.699011  # m³/h in a cubic foot a minute
IN2_CM2 = 6.4516


def air(plan: Plan, pack: Pack, bank: Bank) -> tuple[Figure, Figure, Figure] | None:
    """(air in m³/h, each opening in cm², distance of a spark in mm) of all that is in one place;
    None where nothing gasses.
    """
    if pack.chemistry not in GASSING:
        return None
    series = plan.kit.series if pack.form != "pack" else 1
    cells = given("n", round(pack.v_nom * series / CELL_V), "", "Cells in series", "pack sheet")
    gas = given("I_gas", GASSING[pack.chemistry], "mA/Ah", "Current that gasses, boost", RULE)
    amp_hours = given(
        "C_rt", pack.capacity_ah * bank.total, "Ah", "Capacity of all in parallel", "pack sheet"
    )
    flow = solve(
        "Q",
        "m³/h",
        "Air that the cells want",
        "0.05 * n * I_gas * C_rt / 1000",
        cells,
        gas,
        amp_hours,
        source=RULE,
        doubt=MEMORY,
    )
    opening = solve(
        "A", "cm²", "Each opening, low and high", "28 * Q", flow, source=RULE, doubt=MEMORY
    )
    behind = given("N", round(pack.v_nom / CELL_V), "", "Cells in one case", "pack sheet")
    one = given("C_1", pack.capacity_ah, "Ah", "Capacity of a cell", "pack sheet")
    apart = solve(
        "d",
        "mm",
        "No spark nearer to a vent",
        "28.8 * (N * I_gas * C_1) ** (1 / 3)",
        behind,
        gas,
        one,
        source="IEC 62485-2 7.5",
        doubt=MEMORY,
    )
    return flow, opening, apart


def air_findings(made: tuple[Figure, Figure, Figure] | None, plan: Plan) -> list[Finding]:
    """Openings are seen on every job with cells that gas."""
    if made is None:
        return []
    flow, opening, apart = made
    us = plan.units == "us"
    wants = f"{as_read(flow.n / M3H_CFM, 'cfm')} cfm" if us else flow.text
    gaps = f"{as_read(opening.n / IN2_CM2, 'in²')} in²" if us else opening.text
    says = (
        f"Charging gives off hydrogen: {wants} of air, by openings of {gaps} low and as much high"
        " on opposite sides, straight outdoors; no spark nearer to a vent than"
        f" {show_place(apart.n, plan.units)}."
    )
    rule = f"{RULE}; local code and the maker's sheet first"
    return [duty("bank.air", "bank", says, rule, Asked("Wall"), figures=made)]
