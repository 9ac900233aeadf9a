"""What unlike lines leave in the neutral, and what that costs the line that carries most.

three phases   I_N = √(I_1² + I_2² + I_3² - I_1 I_2 - I_2 I_3 - I_3 I_1)   lines 120° apart
               dV  = R (2 I_1 - (I_2 + I_3) / 2)       line 1 and the neutral, one size
split phase    I_N = |I_1 - I_2|,  dV = R (2 I_1 - I_2)                    lines 180° apart

Power factors alike; harmonics apart, which add in the neutral of three phases (IEC 60364-5-52
Annex E).
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from gumboot.core.basis.figure import Figure, given, solve
from gumboot.core.brief.loads.board.hours import share
from gumboot.core.brief.loads.board.legs import Sheet
from gumboot.core.size.conductors import SizedCircuit

NEUTRAL = {
    2: "abs(I_1 - I_2)",
    3: "sqrt(max(0, I_1**2 + I_2**2 + I_3**2 - I_1 * I_2 - I_2 * I_3 - I_3 * I_1))",
}
DROP = {2: "R * (2 * I_1 - I_2)", 3: "R * (2 * I_1 - (I_2 + I_3) / 2)"}
TO_LOADS = ("loads", "backup-feeder", "backup")  # the run that carries all of them
LAW = "Kirchhoff's laws, phasors"


def neutral_current(amps: Sequence[Figure]) -> Figure:
    """The neutral's current in A from those of two or three lines, named I_1, I_2, I_3."""
    return solve("I_N", "A", "Neutral, all running that may", NEUTRAL[len(amps)], *amps, source=LAW)


def unlike_drop(amps: Sequence[Figure], line: Figure) -> Figure:
    """Volts lost from line 1 to neutral over a run whose conductors have R Ω each."""
    name = "Drop of the line that carries most, with the neutral's"
    return solve("dV", "V", name, DROP[len(amps)], line, *amps, source=LAW)


def line_ohm(s: SizedCircuit) -> Figure:
    """One conductor of a run in Ω, out of the drop that its book gives it: of one line on three
    balanced phases, out and back else.
    """
    ways = given("b", 1 if s.circuit.three_phase else 2, "", "Conductors in that drop", "its book")
    drop, amps = s.trial.drop.renamed("dV_run"), s.circuit.drop_current.renamed("I_run")
    name = "One conductor of the run, its sets side by side"
    return solve("R", "Ω", name, "dV_run / (b * I_run)", drop, ways, amps, source="Ohm's law")


def drop_of(neutral: Figure, sized: Sequence[SizedCircuit]) -> Figure | None:
    """What the run to the loads loses with the lines of that neutral; None where no run is
    sized.
    """
    run = next((s for f in TO_LOADS for s in sized if s.circuit.family == f), None)
    return unlike_drop(neutral.inputs, line_ohm(run)) if run else None


def worst_neutral(sheet: Sheet, lines: Sequence[str], leg_v: float) -> Figure | None:
    """The neutral with all running that may, in the quarter hour that loads it most; None with one
    line, or no load. A line alone, the others off, puts its own current there.
    """
    if len(lines) not in NEUTRAL or not sheet.loads:
        return None
    parts = np.array([[share(load, x) for load in sheet.loads] for x in lines])
    amps = (sheet.watts * parts) @ sheet.may / leg_v
    turn = np.exp(2j * np.pi * np.arange(len(lines)) / len(lines))
    at = int(np.abs(turn @ amps).argmax())
    order = sorted(range(len(lines)), key=lambda k: -amps[k, at])
    rows = [
        given(f"I_{i}", float(amps[k, at]), "A", f"{lines[k]} in that quarter hour", "load board")
        for i, k in enumerate(order, 1)
    ]
    return neutral_current(rows)
