"""The air that lead batteries want, so that hydrogen stays under 4 %. IEC 62485-2 7.2.

Q = 0.05 · n · I_gas · C_rt / 1000 m³/h; openings low and high of 28 · Q cm² each where air moves by
itself. I_gas in mA/Ah at boost charge: 20 vented, 8 valve-regulated. From memory.
"""

from __future__ import annotations

from gumboot.core.basis.figure import MEMORY, Figure, given, solve
from gumboot.core.basis.finding import Asked, Finding, duty
from gumboot.core.kit import Pack
from gumboot.core.plan import Plan
from gumboot.core.size.bank import Bank

RULE = "IEC 62485-2 7.2"
GASSING = {"flooded": 20.0, "sealed": 8.0, "gel": 8.0}  # mA/Ah at boost charge
CELL_V = 2.0  # a lead cell


def air(plan: Plan, pack: Pack, bank: Bank) -> tuple[Figure, Figure] | None:
    """(air in m³/h, each opening in cm²) of all that is in one place; None where nothing gasses."""
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
    return flow, opening


def air_findings(made: tuple[Figure, Figure] | None) -> list[Finding]:
    """Openings are seen on every job with cells that gas."""
    if made is None:
        return []
    flow, opening = made
    says = (
        f"Charging gives off hydrogen: {flow.text} of air, by openings of {opening.text} low and as"
        " much high on opposite sides, straight outdoors; no spark within 0.5 m of a vent."
    )
    rule = f"{RULE}; local code and the maker's sheet first"
    return [duty("bank.air", "bank", says, rule, Asked("Wall"), figures=made)]
