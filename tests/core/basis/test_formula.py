"""A formula says the same on a page and over arrays."""

import numpy as np
import pytest
from hypothesis import given as over
from hypothesis import strategies as st

from gumboot.core.basis.figure import given
from gumboot.core.basis.formula import Formula

POWER = Formula("P", "min(P_max, V * I)", "W", "Power", "definition")
number = st.floats(0.1, 1000)


@over(most=number, volts=number, amps=number)
def test_the_figure_and_the_value_are_one(most, volts, amps):
    most_figure = given("P_max", most, "W", "", "")
    f = POWER.figure(given("I", amps, "A", "", ""), given("V", volts, "V", "", ""), most_figure)
    assert f.n == min(most, volts * amps)  # the definition
    assert POWER.value(P_max=most, V=volts, I=amps) == f.n
    known = POWER.knowing(most_figure)
    assert np.array_equal(
        known.value(V=[volts, 2 * volts], I=amps),
        [min(most, volts * amps), min(most, 2 * volts * amps)],
    )
    assert [x.symbol for x in f.inputs] == ["P_max", "V", "I"]  # in the order of the text


def test_arrays_of_any_shape_meet():
    grid = POWER.value(P_max=50.0, V=np.arange(3)[:, None], I=np.arange(4)[None, :] * 10)
    assert grid.shape == (3, 4) and grid.max() == 50 and grid[1, 2] == 20


def test_a_missing_or_strange_input_is_named():
    volts = given("V", 1, "V", "", "")
    with pytest.raises(NameError, match="needs I, P_max"):
        POWER.figure(volts)
    with pytest.raises(NameError, match="needs I"):
        POWER.value(V=1, P_max=2)
    with pytest.raises(NameError, match="has no U"):
        POWER.value(V=1, P_max=2, I=3, U=4)
    with pytest.raises(NameError, match="has no R"):
        POWER.knowing(given("R", 1, "Ω", "", ""))


def test_no_formula_reaches_what_is_not_arithmetic():
    with pytest.raises(NameError):
        Formula("x", "open(a)", "", "", "").value(a=1)
