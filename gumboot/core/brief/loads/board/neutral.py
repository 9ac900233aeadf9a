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
from gumboot.core.brief.loads.board.legs import Sheet
from gumboot.core.size.conductors import SizedCircuit
from gumboot.core.size.sharing import one_way_ohm

NEUTRAL = {
    2: "abs(I_1 - I_2)",
    3: "sqrt(max(0, I_1**2 + I_2**2 + I_3**2 - I_1 * I_2 - I_2 * I_3 - I_3 * I_1))",
}
DROP = {2: "R * (2 * I_1 - I_2)", 3: "R * (2 * I_1 - (I_2 + I_3) / 2)"}
TO_LOADS = ("loads", "backup-feeder", "backup")  # the run that carries all of them
LAW = "Kirchhoff's laws, phasors"


def neutral_current(amps: Sequence[Figure]) -> Figure:
    """The neutral's current in A from those of two or three lines, named I_1, I_2, I_3."""
    return solve("I_N", "A", "Neutral", NEUTRAL[len(amps)], *amps, source=LAW)


def unlike_drop(amps: Sequence[Figure], line_ohm: float) -> Figure:
    """Volts lost from line 1 to neutral over a run whose conductors have so many Ω each."""
    r = given("R", line_ohm, "Ω", "One conductor of the run", "conductor table and brief")
    name = "Drop of the line that carries most, with the neutral's"
    return solve("dV", "V", name, DROP[len(amps)], r, *amps, source=LAW)


def drop_of(neutral: Figure, sized: Sequence[SizedCircuit]) -> Figure | None:
    """What the run to the loads loses when its lines are as unlike as in that neutral; None where
    no run is sized.
    """
    run = next((s for f in TO_LOADS for s in sized if s.circuit.family == f), None)
    return unlike_drop(neutral.inputs, one_way_ohm(run)) if run else None


def worst_neutral(sheet: Sheet, lines: Sequence[str], leg_v: float) -> Figure | None:
    """The neutral in the quarter hour that loads it most; None with one line, or no load."""
    if len(lines) not in NEUTRAL or not sheet.loads:
        return None
    amps = np.array([sheet.draw(x) for x in lines]) / leg_v
    turn = np.exp(2j * np.pi * np.arange(len(lines)) / len(lines))
    at = int(np.abs(turn @ amps).argmax())
    order = sorted(range(len(lines)), key=lambda k: -amps[k, at])
    rows = [
        given(f"I_{i}", float(amps[k, at]), "A", f"{lines[k]} in that quarter hour", "load board")
        for i, k in enumerate(order, 1)
    ]
    return neutral_current(rows)
