"""Recorded readings matched to terminations: by order against every way of laying them, by scanned
label,
and asked where it is in doubt.
"""

import itertools
import math

import pytest
from hypothesis import given as forall
from hypothesis import settings
from hypothesis import strategies as st

from gumboot.catalogue import catalogue
from gumboot.core.basis.figure import given
from gumboot.core.land.matching import AGAIN, ASTRAY, LOW, SKIP, Recorded, cost, lay, match
from gumboot.core.land.termination import Termination
from tests.designs import design


def termination(i, nm):
    return Termination(
        key=f"k{i}",
        kind="conductor",
        stage="PV",
        body="b",
        place="Box",
        terminal=f"T{i}",
        method="bare",
        label=f"C{i} BOX L1",
        source="plate",
        number=i,
        torque=given("M", nm, "N·m", "", "plate"),
    )


def taken(*values):
    return [Recorded(i, nm, f"{nm} Nm") for i, nm in enumerate(values, 1)]


def every_way(values, rated):
    """The cheapest laying, by trying them all: each reading on a termination not before the last
    one's,
    or on none.
    """
    best = math.inf
    for ways in itertools.product(range(-1, len(rated)), repeat=len(values)):
        total, last = 0.0, -1
        for i, k in enumerate(ways):
            if k < 0:
                total += ASTRAY
            elif k == last and i and values[i - 1] < rated[k] * (1 - LOW):
                total += cost(values[i], rated[k]) + AGAIN
            elif k > last:
                total += cost(values[i], rated[k]) + SKIP * (k - last - 1)
            else:
                total = math.inf
                break
            if k >= 0:
                last = k
        best = min(best, total)
    return best


def price(found, values, rated):
    total, last = 0.0, -1
    for m, v in zip(found, values, strict=True):
        if m.key is None:
            total += ASTRAY
            continue
        k = int(m.key[1:])
        total += cost(v, rated[k]) + (AGAIN if k == last else SKIP * (k - last - 1))
        last = k
    return total


@settings(max_examples=150)
@forall(
    st.lists(st.sampled_from([2.0, 3.6, 4.0, 4.1, 9.0, 12.0, 30.0]), min_size=1, max_size=4),
    st.lists(st.sampled_from([2.0, 4.0, 5.0, 12.0]), min_size=1, max_size=4),
)
def test_the_laying_is_the_cheapest_there_is(values, rated):
    found = lay(taken(*values), [termination(i, nm) for i, nm in enumerate(rated)])
    assert len(found) == len(values)
    assert price(found, values, rated) == pytest.approx(every_way(values, rated))


def test_one_after_another_is_sure():
    found = match(
        taken(4.0, 4.05, 3.97, 12.1, 11.9),
        [termination(i, nm) for i, nm in enumerate((4, 4, 4, 12, 12, 5, 5))],
    )
    assert [(m.key, m.sure) for m in found] == [(f"k{i}", True) for i in range(5)]


def test_a_low_try_and_the_one_after_are_of_one_termination():
    found = match(
        taken(4.0, 3.5, 4.0, 12.0), [termination(i, nm) for i, nm in enumerate((4, 4, 12))]
    )
    assert [m.key for m in found] == ["k0", "k1", "k1", "k2"]


def test_one_too_few_of_equal_terminations_is_asked():
    """Three readings of 4 N·m, then one of 12, for four terminations of 4 and one of 12: which of
    the
    four was left out, nobody knows.
    """
    found = match(
        taken(4.0, 4.0, 4.0, 12.0), [termination(i, nm) for i, nm in enumerate((4, 4, 4, 4, 12))]
    )
    assert found[3].key == "k4" and found[3].sure
    assert not any(m.sure for m in found[:3])


def test_a_reading_far_from_rated_is_asked_and_one_that_fits_nothing_belongs_to_none():
    found = match(taken(4.0, 15.0, 100.0), [termination(0, 4.0), termination(1, 12.0)])
    assert (found[0].key, found[0].sure) == ("k0", True)
    assert (found[1].key, found[1].sure) == ("k1", False) and "125% of rated" in found[1].why
    assert found[2].key is None and not found[2].sure


def test_a_scanned_label_goes_before_order(tern):
    rows = design(tern, catalogue()).terminations
    t = next(t for t in rows if t.key == "battery-1.+@inverter-1")
    for scan in (
        t.label,
        t.label.lower(),
        t.key,
        "http://gumboot.local/jobs/2/land?at=battery-1.%2B%40inverter-1",
    ):
        found = match([Recorded(1, 12.0, "12 Nm", label=scan)], rows)[0]
        assert (found.key, found.sure) == (t.key, True)
    odd = match([Recorded(1, 12.0, "12 Nm", label="C99 NOWHERE")], rows)[0]
    assert odd.key is None and "no label of this job" in odd.why
    assert not match([Recorded(1, 20.0, "20 Nm", label=t.key)], rows)[0].sure


def test_nothing_to_match():
    assert match([], [termination(0, 4)]) == [] and match(taken(4.0), [])[0].key is None
