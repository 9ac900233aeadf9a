"""The gap of a transfer, from samples of the volts at a backed-up socket.

The gap begins where the wave is no longer as it was a cycle before, and ends where it is as it
will be a cycle later: no sine has to be guessed, and its harmonics do no harm. Beside it stands the
RMS of every half-wave (IEC 61000-4-30's method over half a cycle instead of a whole one, so that a
gap of a few milliseconds shows).
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from gumboot.core.prove.curves.diode import Array

LEAVES = 0.10  # of the peak: how far a wave may stray from its last cycle, common practice
LASTS = 0.03  # of a cycle: for how long at least
FIT_CYCLES = 3.0
LEAST_PER_CYCLE = 40
AT_FIRST_S = 0.1  # of wave before the gap, for its frequency
CLIPPED = 0.03  # of all samples at the very top: flat peaks
DEEP = 0.8  # of the RMS before: a half-wave below it is a dip


@dataclass(frozen=True, slots=True)
class Transfer:
    """begins, ends in s of the file; gap in ms; off: how far that may be off, ms; least: of the
    half-waves' RMS, V; before, after: RMS, V; hertz: before. rms: (s, V) of the half-waves.
    """

    begins: float
    ends: float
    gap_ms: float
    off_ms: float
    least_v: float
    before_v: float
    after_v: float
    hertz: float
    rms: tuple[Array, Array]


def transfer(t: Array, v: Array) -> Transfer:
    """The gap. t in s, even; v in V. Raises ValueError with what is wrong with the file."""
    if len(t) < 200:
        raise ValueError(f"{len(t)} samples are too few: half a second at 2,000 a second or more")
    dt = float(np.median(np.diff(t)))
    if dt <= 0 or np.abs(np.diff(t) - dt).max() > 0.5 * dt:
        raise ValueError("the times are not even: choose the column that counts them")
    some = max(len(v) // 4, round(AT_FIRST_S / dt))
    hertz = frequency(v[:some], dt)
    per = 1 / (hertz * dt) if hertz else 0.0
    if not 15 <= hertz <= 100:
        raise ValueError(f"no mains wave at its start: {hertz:.3g} Hz; are the columns exchanged?")
    if per < LEAST_PER_CYCLE:
        says = f"{1 / dt:,.0f} samples a second are too few: 2,000 or more"
        raise ValueError(says)
    top = np.abs(v).max()
    if (np.abs(v) > 0.999 * top).mean() > CLIPPED:
        raise ValueError("its peaks are clipped: choose a wider range, and take it again")
    n = int(FIT_CYCLES * per)
    rms_t, rms = half_waves(t, v, per)
    first = _leaves(v, per)
    if first is None:
        raise ValueError("no gap in it: the trigger missed it, or there was none")
    again = frequency(v[-some:], dt)
    last = _leaves(v[::-1], 1 / (again * dt)) if again else None
    if last is None:
        raise ValueError("the wave does not come back in it: record longer after the trigger")
    begins, ends = float(t[first]), float(t[len(t) - 1 - last])
    before = float(np.sqrt(np.mean(v[:n] ** 2)))
    after = float(np.sqrt(np.mean(v[-n:] ** 2)))
    gap = max(0.0, 1000 * (ends - begins))
    blind = 1000 * np.arcsin(min(LEAVES, 1.0)) / (2 * np.pi * hertz)  # near a zero nothing shows
    return Transfer(
        begins,
        ends,
        gap,
        float(2 * blind + 1000 * (dt + LASTS / hertz / 2)),
        float(rms.min()),
        before,
        after,
        hertz,
        (rms_t, rms),
    )


def frequency(v: Array, dt: float) -> float:
    """By its rising zeros, in Hz; 0 where there are fewer than three."""
    n = max(1, round(0.001 / dt))
    smooth = np.convolve(v, np.ones(n) / n, "valid")  # noise makes no zeros
    up = np.flatnonzero((smooth[:-1] < 0) & (smooth[1:] >= 0))
    if len(up) < 3:
        return 0.0
    at = up + smooth[up] / (smooth[up] - smooth[up + 1])
    return float(1 / (np.median(np.diff(at)) * dt))


def half_waves(t: Array, v: Array, per: float) -> tuple[Array, Array]:
    """(s, V): RMS over half a cycle, at every sample that has one round it."""
    n = max(2, round(per / 2))
    square = np.concatenate([[0.0], np.cumsum(v**2)])
    rms: Array = np.sqrt(np.maximum(square[n:] - square[:-n], 0.0) / n)
    return t[: len(rms)] + (t[1] - t[0]) * n / 2, rms


def strays(v: Array, per: float, peak: float) -> Array:
    """Where a wave is not as it was a cycle before, as truth by the sample; the first cycle is
    taken to be right.
    """
    at = np.arange(len(v)) - per
    before = np.interp(at, np.arange(len(v)), v)
    out: Array = (np.abs(v - before) > LEAVES * peak) & (at >= 0)
    return out


def _leaves(v: Array, per: float) -> int | None:
    """The sample from which a wave is no longer as a cycle before, most of the time for a
    twentieth of a cycle and longer.
    """
    own = strays(v, per, float(np.sqrt(2) * np.sqrt(np.mean(v[: int(FIT_CYCLES * per)] ** 2))))
    n = max(2, round(per * LASTS))
    many = np.concatenate([[0], np.cumsum(own)])
    share = (many[n:] - many[:-n]) / n
    found = np.flatnonzero(own[: len(share)] & (share > 0.6))
    return int(found[0]) if len(found) else None
