"""What a measured I-V curve of a string says beside the one that is expected."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from gumboot.core.prove.curves.diode import Array, Diode, fitted

LEAST_POINTS = 12
STEP = 0.04  # of I_sc: a drop between two plateaus that is a step, common practice
PLATEAU = 0.05  # of V_oc: how long a plateau is at least
WHOLE, THIRD = 0.6, 0.2  # of a module's open volts: one missing, one diode shorted
SERIES = 0.35  # more series resistance than expected, as a share of V_mp/I_mp/10
KNEE = 0.7  # of the shorted current: where what is in series shows
LOW, FLAT = 0.08, 0.06  # of I_sc missing; of it lost between shorted and half the open volts


@dataclass(frozen=True, slots=True)
class Read:
    """Corners as measured, the fitted model, and what is said, worst first, each with the search
    that serves it.
    """

    i_sc: float
    v_oc: float
    p_max: float
    fill: float
    fit: Diode
    says: tuple[tuple[str, str], ...]


def faults_of(volts: Array, amps: Array) -> str:
    """Why points are no I-V curve; empty where they are one."""
    if len(volts) < LEAST_POINTS:
        return f"{len(volts)} points are too few for a curve: {LEAST_POINTS} at least"
    if volts.max() <= 0 or amps.max() <= 0:
        return "volts and amperes are to be positive: are the columns, or the leads, exchanged?"
    if volts.min() > 0.05 * volts.max():
        return "it does not begin near 0 V: half a file, or not an I-V curve"
    if amps.min() > 0.2 * amps.max():
        return "it does not reach open circuit: half a file, or the tester stopped"
    return ""


def steps_in(volts: Array, amps: Array) -> int:
    """How many steps a curve has: places where it falls and flattens again before its knee."""
    order = np.argsort(volts)
    v, i = volts[order], amps[order]
    grid = np.linspace(0.02, 0.98, 97) * v.max()
    smooth = np.interp(grid, v, i)
    slope = -np.gradient(smooth, grid) * v.max() / smooth.max()  # 1: as steep as a straight line
    steep = slope > 0.8
    count, n = 0, 0
    while n < len(grid):
        if not steep[n]:
            n += 1
            continue
        end = n
        while end < len(grid) and steep[end]:
            end += 1
        fell = smooth[max(n - 1, 0)] - smooth[min(end, len(grid) - 1)]
        after = grid[end:]
        flat = (~steep[end:]).cumprod().sum() if len(after) else 0
        if fell > STEP * smooth.max() and flat * (grid[1] - grid[0]) >= PLATEAU * v.max():
            count += 1
        n = end
    return count


def read(volts: Array, amps: Array, expected: Diode, modules: int) -> Read:
    """What a curve says, beside the model of the whole string in the same light. Raises ValueError
    with what to send instead.
    """
    if why := faults_of(volts, amps):
        raise ValueError(why)
    order = np.argsort(volts)
    v, i = volts[order], amps[order]
    i_sc = float(i[v <= 0.05 * v.max()].max())
    v_oc = at_amps(v, i, 0.01 * i_sc)
    p_max = float((v * i).max())
    e_sc, e_oc, e_mp, e_vmp = expected.corners
    fit = fitted(v, i, expected)
    says: list[tuple[str, str]] = []
    short = (e_oc - v_oc) / (e_oc / modules)
    if short >= WHOLE:
        n = max(1, round(short))
        says.append((f"{n} module{'s' if n > 1 else ''} short by its open volts", "low_voc"))
    elif short >= THIRD:
        says.append(("a part of a module bypassed: a diode is shorted", "low_voc"))
    if (n := steps_in(v, i)) > 0:
        what = "a step" if n == 1 else f"{n} steps"
        says.append((f"{what} in it: shade, dirt or a bypassed part carries less", "low_isc"))
    elif i_sc < (1 - LOW) * e_sc:
        share = 100 * (1 - i_sc / e_sc)
        says.append((f"{share:.0f} % less current all along: dirt, or less light", "low_isc"))
    bent = any(x == "low_isc" and "step" in w for w, x in says)
    lost = (i_sc - float(np.interp(0.5 * v_oc, v, i))) / i_sc
    theirs = (e_sc - float(np.interp(0.5 * e_oc, *expected.curve()))) / e_sc
    if lost - theirs > FLAT and not bent:
        says.append(("it falls from the start: unlike modules, or current past a cell", "low_isc"))
    elif not bent:
        more = _knee(v, i, i_sc, v_oc) - _knee(*expected.curve(), e_sc, e_oc)
        if more > SERIES * e_vmp / e_mp / 10:
            says.append((f"{more:.2g} Ω more in series than expected: a poor contact", "low_isc"))
    return Read(i_sc, v_oc, p_max, p_max / (i_sc * v_oc), fit, tuple(says))


def _knee(v: Array, i: Array, i_sc: float, v_oc: float) -> float:
    """Volts lost from open to seven tenths of the shorted current, by that current: Ω. It grows by
    what is more in series, whatever the light.
    """
    return (v_oc - at_amps(v, i, KNEE * i_sc)) / (KNEE * i_sc)


def at_amps(v: Array, i: Array, amps: float) -> float:
    """The highest volts at which a curve still gives so much."""
    falling = np.maximum.accumulate(i[::-1])[::-1]
    return float(np.interp(-amps, -falling, v))
