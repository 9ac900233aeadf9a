"""Raceways are filled by the cable's own diameter, and by what the conduit is made of."""

import math

import pytest

from gumboot.catalogue import catalogue
from gumboot.core.codes import nec
from gumboot.core.plan import Plan
from gumboot.demo.plans import HERON_SLIP
from tests.conftest import altered
from tests.designs import design
from tests.shapes import other

ROWS = {  # Chapter 9 Table 4, 40 % column as printed, from memory: held against the total area
    "emt": (0.122, 0.213, 0.346, 0.598, 0.814, 1.342, 2.343, 3.538, 4.618, 5.901),
    "pvc40": (0.114, 0.203, 0.333, 0.581, 0.794, 1.316, 1.878, 2.907, 3.895, 5.022),
    "rmc": (0.125, 0.220, 0.355, 0.610, 0.829, 1.363, 1.946, 3.000, 4.004, 5.153),
}
TRADES = ("1/2", "3/4", "1", "1-1/4", "1-1/2", "2", "2-1/2", "3", "3-1/2", "4")


@pytest.mark.parametrize("kind", ROWS)
def test_total_area_and_its_forty_per_cent_were_recalled_apart(kind):
    for trade, forty in zip(TRADES, ROWS[kind], strict=True):
        just, over = forty - 0.002, forty + 0.002
        assert nec.conduit((just / 4,) * 4, kind)[0] == trade
        bigger = TRADES[min(TRADES.index(trade) + 1, 9)]
        if trade != "4":
            assert nec.conduit((over / 4,) * 4, kind)[0] == bigger


def way(plan, of):
    return next(r for r in design(plan, catalogue()).raceways if of in r.circuits)


def test_thick_cable_takes_a_larger_conduit():
    """A PV wire is about three times as thick in area as THWN-2 of its size."""
    plan = Plan.model_validate(other(HERON_SLIP))
    s = next(x for x in design(plan, catalogue()).circuits if x.id == "pv-A")
    one = math.pi / 4 * s.cable.outer_mm[s.size] ** 2 / 645.16
    earth = nec.wire_area(str(s.protective.value)).n
    r = way(plan, "pv-A")
    assert r.area.n == pytest.approx(2 * one + earth, rel=1e-4)
    assert (
        one > 2.5 * nec.wire_area(s.size).n and r.conduit.value == nec.conduit((one, one, earth))[0]
    )


def test_the_conduit_is_of_what_the_run_says():
    """Six 1.3 in² of wires: 2 in of EMT (1.342) or RMC (1.363), 2-1/2 in of PVC (1.316)."""
    wires = (0.33, 0.33, 0.33, 0.33)
    assert [nec.conduit(wires, k)[0] for k in ("emt", "rmc", "pvc40")] == ["2", "2", "2-1/2"]
    plan = altered(
        Plan.model_validate(other(HERON_SLIP)),
        "/runs/grid",
        {"length_m": 5, "method": "raceway", "conduit": "PVC"},
    )
    assert way(plan, "grid-1").conduit.unit == "in PVC"
