"""What unlike lines leave in the neutral, and what that costs the line that carries most.

three phases   I_N = √(I_1² + I_2² + I_3² - I_1 I_2 - I_2 I_3 - I_3 I_1)   lines 120° apart
               dV  = R (2 I_1 - (I_2 + I_3) / 2)       line 1 and the neutral, one size
two of them    I_N = √(I_1² + I_2² - I_1 I_2),  dV = R (2 I_1 - I_2 / 2)
split phase    I_N = |I_1 - I_2|,               dV = R (2 I_1 - I_2)       lines 180° apart

What lies between two lines puts nothing in the neutral: its part in phase with line 1, X_1, is lost
in that line alone.

Power factors alike; harmonics apart, which add in the neutral of three phases (IEC 60364-5-52
Annex E).
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from gumboot.core.basis.figure import Figure, given, solve
from gumboot.core.brief.loads.board.hours import share
from gumboot.core.brief.loads.board.legs import Sheet
from gumboot.core.kit import Mains
from gumboot.core.size.conductors import SizedCircuit

SPLIT = "abs(I_1 - I_2)"
TWO = "sqrt(max(0, I_1**2 + I_2**2 - I_1 * I_2))"
THREE = "sqrt(max(0, I_1**2 + I_2**2 + I_3**2 - I_1 * I_2 - I_2 * I_3 - I_3 * I_1))"
LOST = {SPLIT: "2 * I_1 - I_2", TWO: "2 * I_1 - I_2 / 2", THREE: "2 * I_1 - (I_2 + I_3) / 2"}
TO_LOADS = ("loads", "backup-feeder", "backup")  # the run that carries all of them
LAW = "Kirchhoff's laws, phasors"


@dataclass(frozen=True, slots=True)
class Unlike:
    """The neutral's A in the quarter hour that loads it most, of the lines' named I_1, I_2, I_3;
    and what line 1 carries besides to another line, X_1.
    """

    neutral: Figure
    across: Figure


def neutral_current(amps: Sequence[Figure], wye: bool) -> Figure:
    """The neutral's current in A from those of two or three lines to it, named I_1, I_2, I_3. wye:
    whether lines stand 120° apart.
    """
    text = THREE if len(amps) == 3 else TWO if wye else SPLIT
    return solve("I_N", "A", "Neutral, all running that may", text, *amps, source=LAW)


def unlike_drop(x: Unlike, line: Figure) -> Figure:
    """Volts lost from line 1 to neutral over a run whose conductors have R Ω each."""
    name = "Drop of the line that carries most, with the neutral's"
    text = f"R * ({LOST[x.neutral.formula]} + X_1)"
    return solve("dV", "V", name, text, line, *x.neutral.inputs, x.across, source=LAW)


def line_ohm(s: SizedCircuit) -> Figure:
    """One conductor of a run in Ω, out of the drop that its book gives it: of one line on three
    balanced phases, out and back else.
    """
    ways = given("b", 1 if s.circuit.three_phase else 2, "", "Conductors in that drop", "its book")
    drop, amps = s.trial.drop.renamed("dV_run"), s.circuit.drop_current.renamed("I_run")
    name = "One conductor of the run, its sets side by side"
    return solve("R", "Ω", name, "dV_run / (b * I_run)", drop, ways, amps, source="Ohm's law")


def drop_of(x: Unlike, sized: Sequence[SizedCircuit]) -> Figure | None:
    """What the run to the loads loses with lines so unlike; None where no run is sized."""
    run = next((s for f in TO_LOADS for s in sized if s.circuit.family == f), None)
    return unlike_drop(x, line_ohm(run)) if run else None


def worst_neutral(sheet: Sheet, mains: Mains) -> Unlike | None:
    """The neutral with all running that may, in the quarter hour that loads it most; None with one
    line, or no load. A line alone, the others off, puts its own current there.
    """
    lines = mains.lines
    if len(lines) < 2 or not sheet.loads:
        return None
    alone = np.array([float("+" not in x.legs) for x in sheet.loads])
    shares = np.array([[share(load, x) for load in sheet.loads] for x in lines])
    drawn = sheet.watts[:, None] * sheet.may / mains.to_neutral
    amps, across = (shares * alone) @ drawn, (shares * (1 - alone)) @ drawn
    at = int(np.abs(np.exp(1j * np.radians(mains.angles)) @ amps).argmax())
    order = sorted(range(len(lines)), key=lambda k: -(amps + across)[k, at])
    rows = [
        _amps(f"I_{i}", amps[k, at], f"{lines[k]} to neutral in that quarter hour")
        for i, k in enumerate(order, 1)
    ]
    first = order[0]
    besides = _amps("X_1", across[first, at], f"{lines[first]} to other lines, in phase with it")
    return Unlike(neutral_current(rows, mains.wye), besides)


def _amps(symbol: str, amps: float, name: str) -> Figure:
    return given(symbol, float(amps), "A", name, "load board")
