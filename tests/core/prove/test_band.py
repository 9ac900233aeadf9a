"""Uncertainties put together as the GUM does, against a Monte Carlo of a million draws."""

import numpy as np
import pytest

from gumboot.core.basis.figure import given
from gumboot.core.basis.formula import Formula
from gumboot.core.prove.band import Known, combined, limits, slope
from gumboot.core.prove.dead import METRIC
from gumboot.core.prove.hour import CAPACITY, ETA, RISE
from gumboot.core.prove.strings import SHORTED
from gumboot.core.size.meter_card import NOW

N = 1_000_000
SKY = {"T_cell": (47, 1.2), "G": (812, 23)}
CASES = [
    (NOW, {"n": (10, 0), "V_oc": (49.2, 0.85), "beta": (-0.0027, 1.5e-4), **SKY}),
    (SHORTED, {"I_sc": (13.9, 0.24), "alpha": (5e-4, 1.7e-4), **SKY}),
    (RISE, {"T_spot": (61, 1.2), "T_air": (24, 1.2), "I_r": (200, 0), "I": (122, 2.1)}),
    (METRIC, {"R_20": (4.61, 0.27), "L": (24, 1.4), "R_j": (0.025, 0.0144)}),
    (CAPACITY, {"Q": (51.2, 0.6), "dS": (38, 1.15)}),
    (ETA, {"E_ac": (2400, 28), "E_dc": (2590, 30)}),
]


@pytest.mark.parametrize(("formula", "inputs"), CASES, ids=lambda x: getattr(x, "symbol", ""))
def test_the_band_is_what_a_million_draws_scatter_by(formula, inputs):
    rng = np.random.default_rng(7)
    known = [Known(given(k, v, "", k, "test"), u) for k, (v, u) in inputs.items()]
    band = combined(formula, *known)
    drawn = formula.value(**{k: rng.normal(v, u, N) if u else v for k, (v, u) in inputs.items()})
    assert band.expected.n == pytest.approx(drawn.mean(), rel=0.005)
    assert band.off.n == pytest.approx(2 * drawn.std(), rel=0.03)
    inside = ((drawn >= band.low) & (drawn <= band.high)).mean()
    assert 0.94 < inside < 0.97


def test_the_slope_is_the_derivative():
    f = Formula("y", "a * x * x + log(b)", "", "y", "test")
    at = {"a": 3.0, "x": 2.0, "b": 5.0}
    assert slope(f, at, "x") == pytest.approx(12, rel=1e-6)
    assert slope(f, at, "b") == pytest.approx(0.2, rel=1e-6)


def test_a_class_is_a_rectangle_and_the_working_opens():
    x = limits(given("v", 100.0, "V", "Reading", "test"), 0.02, 0.5)
    assert x.u == pytest.approx(2.5 / np.sqrt(3))
    f = Formula("y", "2 * v", "V", "Twice", "test")
    band = combined(f, x, reading=0.4)
    assert band.off.n == pytest.approx(2 * np.hypot(2 * x.u, 0.4))
    assert {p.symbol for p in band.off.inputs} == {"k", "u_1", "u_m"}
    assert "GUM" in band.off.source


def test_what_is_exact_has_no_band():
    f = Formula("y", "n * 2", "", "Twice", "test")
    assert combined(f, Known(given("n", 4, "", "n", "test"))).off.n == 0
