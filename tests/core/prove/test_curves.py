"""Transfers from synthetic waves of a known gap; load steps with lags of their own; a discharge;
where an array touches earth, against a solve of the circuit; heat by hand.
"""

import numpy as np
import pytest

from gumboot.core.prove.curves.step import closed, stepped
from gumboot.core.prove.curves.transfer import half_waves, transfer
from gumboot.core.prove.divider import place
from gumboot.core.prove.hour import Spot, discharge, judged


def wave(gap_ms, hertz=50.0, volts=230.0, rate=10_000, at=0.2, phase=0.7, after=None, noise=1.5):
    rng = np.random.default_rng(4)
    t = np.arange(0, 0.5, 1 / rate)
    end = at + gap_ms / 1000
    sine = volts * np.sqrt(2) * np.sin(2 * np.pi * hertz * t + phase)
    again = volts * np.sqrt(2) * np.sin(2 * np.pi * hertz * t + (phase if after is None else after))
    v = np.where(t < at, sine, np.where(t >= end, again, 0.0))
    v += 0.03 * volts * np.sin(2 * np.pi * 5 * hertz * t) + rng.normal(0, noise, len(t))
    return t, v


def test_gaps_are_read_to_a_millisecond():
    """Four hundred waves: phases, rates, supplies, a jump of phase, a fifth harmonic, noise."""
    rng, off = np.random.default_rng(9), []
    for n in range(400):
        gap = float(rng.uniform(2, 60))
        t, v = wave(
            gap,
            hertz=float(rng.choice([50, 60]) + rng.normal(0, 0.05)),
            volts=float(rng.choice([120, 230])),
            rate=int(rng.choice([4000, 10_000, 20_000])),
            at=float(rng.uniform(0.15, 0.25)),
            phase=float(rng.uniform(0, 6.28)),
            after=float(rng.uniform(0, 6.28)) if n % 2 else None,
        )
        found = transfer(t, v)
        off.append((abs(found.gap_ms - gap), found.off_ms))
    apart, said = np.array(off).T
    assert np.quantile(apart, 0.95) < 1.0 and apart.max() < 2.0
    assert (apart <= said).mean() >= 0.95


def test_half_waves_are_the_rms_of_a_plain_sine():
    t = np.arange(0, 0.2, 1e-4)
    _, rms = half_waves(t, 325.27 * np.sin(2 * np.pi * 50 * t), 200)
    assert rms == pytest.approx(230.0, rel=0.002)


@pytest.mark.parametrize(
    ("make", "says"),
    [
        (lambda t, v: (t[:50], v[:50]), "too few"),
        (lambda t, v: (t, np.clip(v, -200, 200)), "clipped"),
        (lambda t, v: (t**2, v), "not even"),
        (lambda t, v: (t, v * 0 + 3), "no mains wave"),
        (lambda t, v: (t[:1500], v[:1500]), "no gap in it"),
        (lambda t, v: (t[::12], v[::12]), "too few"),
    ],
    ids=["short", "clipped", "uneven", "flat", "no trigger", "slow"],
)
def test_a_poor_recording_says_what_to_do(make, says):
    t, v = wave(20)
    with pytest.raises(ValueError, match=says):
        transfer(*make(t, v))


def test_a_load_step_closes_once_each_series_is_moved_by_its_own_lag():
    """3,000 W switched on at 40 s: grid 1,200 and battery 1,800, shown 2, 6 and 9 s late."""
    rng, t = np.random.default_rng(8), np.arange(0, 120.0, 1.0)

    def shown(before, change, late):
        return before + change * (t >= 40 + late) + rng.normal(0, 15, len(t))

    series = {
        "loads": (t, shown(400, 3000, 2)),
        "grid": (t, shown(100, 1200, 6)),
        "battery": (t, shown(300, 1800, 9)),
        "array": (t, shown(0, 0, 0)),
    }
    found = closed(series)
    assert found.closes and abs(found.left) < 60
    assert found.late == pytest.approx({"loads": 0, "grid": 4, "battery": 7}, abs=1.01)
    lost = closed(series | {"battery": (t, shown(300, 1200, 9))})
    assert not lost.closes and lost.left == pytest.approx(-600, abs=60)


def test_steps_say_what_they_lack():
    t = np.arange(10.0)
    with pytest.raises(ValueError, match="too few"):
        stepped("grid", t[:4], t[:4])
    with pytest.raises(ValueError, match="no column of the loads"):
        closed({"grid": (t, t)})
    with pytest.raises(ValueError, match="nothing changes"):
        closed({"loads": (t, np.zeros(10) + np.tile([0, 1], 5))})


def divided(n, at, module_v, leak_ohm, meter_ohm=10e6):
    """V+ and V− that a meter shows of a string with a leak between modules, by Kirchhoff: the meter
    closes the circuit from a pole through itself and the leak.
    """
    plus = at * module_v * meter_ohm / (meter_ohm + leak_ohm)
    minus = (n - at) * module_v * meter_ohm / (meter_ohm + leak_ohm)
    return plus, minus


@pytest.mark.parametrize("leak", [0.0, 5e3, 1e6])
def test_the_divider_finds_the_join(leak):
    for n in (7, 10, 14):
        for at in range(1, n):
            plus, minus = divided(n, at, 45.0, leak)
            found = place(plus, minus, n, 45.0 * n)
            assert found.modules.n == pytest.approx(at)
            assert f"join of modules {at} and {at + 1}" in found.says


@pytest.mark.parametrize(
    ("plus", "minus", "says"),
    [
        (2, 430, "plus end"),
        (450, 1, "minus end"),
        (68, 382, "inside module 2"),
        (3, 4, "die away"),
        (400, 400, "more than the string gives"),
        (60, 100, "soft"),
    ],
)
def test_what_two_poles_say(plus, minus, says):
    assert says in place(plus, minus, 10, 450).says


def test_without_the_open_volts_nothing_is_said():
    assert place(1, 2, 10, 0).modules is None


def test_capacity_by_what_came_out():
    """51.2 Ah for 38 % is 134.7 Ah; a display of whole per cents is what it is least sure of."""
    found = discharge(1.0, 51.2, 2600.0, 38.0, 2418.0)
    assert found.capacity.expected.n == pytest.approx(134.74, rel=1e-4)
    assert 0.05 < found.capacity.off.n / found.capacity.expected.n < 0.08
    assert found.efficiency.expected.n == pytest.approx(0.93)
    with pytest.raises(ValueError, match="nothing came out"):
        discharge(1.0, 0.0, 0.0, 0.0)


def test_heat_goes_with_the_square_of_the_current():
    """By hand: 20 K at 100 A is 80 K at 200 A; with 40 °C air 120 °C, over a limit of 75."""
    spot = Spot("lug", 44, 24, 100, 200, 75)
    found = judged(spot, 40.0, [spot])
    assert found.rise.expected.n == pytest.approx(80) and found.hottest.n == pytest.approx(120)
    assert found.verdict == "outside" and "75 °C" in found.why
    cool = Spot("lug", 29, 24, 150, 200, 75)
    assert judged(cool, 40.0, [cool]).verdict == "done"


def test_a_spot_is_held_against_its_like_at_one_current():
    """15 K above its like at the same current is a poor contact, whatever the limit."""
    a, b = (Spot(n, c, 24, 100, 110, 90, "lugs") for n, c in (("a", 30), ("b", 45)))
    assert judged(b, 30.0, [a, b]).verdict == "outside"
    assert "15 K above" in judged(b, 30.0, [a, b]).why
    assert judged(a, 30.0, [a, b]).verdict == "done"


def test_too_little_current_says_nothing():
    spot = Spot("lug", 30, 24, 20, 200, 75)
    found = judged(spot, 40.0, [spot])
    assert found.verdict == "withheld" and "under 30 %" in found.why
