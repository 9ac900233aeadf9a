"""What a tester shows of a made lead, against every single mistake that hands make."""

import itertools

import pytest
from hypothesis import given
from hypothesis import strategies as st

from gumboot.core.link.continuity import expected, told
from gumboot.core.network.circuit import Core

CORES = (
    Core("CAN H", "CAN H", "7", "4", "white/brown", 1),
    Core("CAN L", "CAN L", "8", "5", "brown", 1),
    Core("enable", "enable", "1", "1", "white/orange", 2),
    Core("enable return", "enable return", "2", "2", "orange", 2),
    Core("shield", "shield", "S", "S", "drain", 0),
)
WANT = {"7": ("4",), "8": ("5",), "1": ("1",), "2": ("2",)}


def test_a_right_lead_says_nothing():
    assert expected(CORES) == WANT and told(CORES, WANT) == []


@pytest.mark.parametrize(("a", "b"), list(itertools.combinations(WANT, 2)))
def test_any_two_cores_exchanged_are_named(a, b):
    found = told(CORES, {**WANT, a: WANT[b], b: WANT[a]})
    does = {c.pin: c.does for c in CORES}
    assert len(found) == 1 and does[a] in found[0] and does[b] in found[0]
    assert ("one pair" in found[0]) == ({a, b} in ({"7", "8"}, {"1", "2"}))


@pytest.mark.parametrize("pin", WANT)
def test_an_open_core_and_one_that_touches(pin):
    assert "is open" in told(CORES, {**WANT, pin: ()})[0]
    assert "touch" in told(CORES, {**WANT, pin: ("4", "5")})[0]


def test_a_straight_lead_is_known_for_what_it_is():
    """The commonest mistake (common practice): a patch lead where pins differ."""
    assert "straight lead" in told(CORES, {p: (p,) for p in WANT})[0]


def test_three_moved_round():
    moved = {"7": ("5",), "8": ("1",), "1": ("4",), "2": ("2",)}
    found = told(CORES, moved)
    assert len(found) == 1 and "moved round" in found[0]


@given(st.permutations(["4", "5", "1", "2"]))
def test_only_what_is_right_says_nothing(ends):
    found = told(CORES, {p: (e,) for p, e in zip(WANT, ends, strict=True)})
    assert (found == []) == (list(ends) == ["4", "5", "1", "2"])
