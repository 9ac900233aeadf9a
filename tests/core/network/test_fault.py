"""Faults of the battery side: closed forms, and what each device sees."""

import pytest

from gumboot.catalogue import catalogue
from gumboot.core.network.fault import Nodal
from gumboot.core.plan import Plan
from tests.designs import design
from tests.shapes import SHAPES

BOOK = catalogue()
TINY = 1e-5


def seen(document, volts=57.6, own=0.01, lead=TINY):
    network = design(Plan.model_validate(document), BOOK).network
    ohm = {c.id: lead for c in network.circuits if c.family in ("pack", "battery")}
    nodal = Nodal(network, ohm, volts, own)
    return {s.id: nodal.through(s) for s in network.switches if s.works == "battery" and s.by_hand}


@pytest.mark.parametrize("n", [2, 3, 5])
def test_a_packs_own_breaker_sees_its_own_pack_or_the_others_whichever_is_more(n):
    """n equal packs on a bus: (n − 1)/n of the bus fault, or one pack's (physics)."""
    plan = {**SHAPES["one bank for all"], "kit": {**SHAPES["one bank for all"]["kit"], "packs": n}}
    rows = seen(plan)
    bus = n * 57.6 / 0.01
    own = rows["pack-1/own"]
    assert own.from_a == pytest.approx(57.6 / 0.01, rel=1e-3)
    assert own.from_b == pytest.approx((n - 1) / n * bus, rel=0.02)
    assert rows["dc-bus/inverter 1"].worst == pytest.approx(bus, rel=0.01)


def test_each_of_three_stacks_faults_alone():
    """One stack per inverter: the fault at each is one stack's (physics)."""
    d = design(Plan.model_validate(SHAPES["a stack per inverter"]), BOOK)
    one = design(Plan.model_validate(SHAPES["towers bridged"]), BOOK)
    assert d.fault.n == pytest.approx(one.fault.n, rel=0.05)
    assert d.bank.count == 1 and d.bank.banks == 3 and d.bank.total == 3
    assert d.bank.energy.n == pytest.approx(3 * one.bank.energy.n)
    assert {x.load for x in d.links if x.name == "BMS link"} == {
        "inverter-1",
        "inverter-2",
        "inverter-3",
    }
    assert not any(x.name == "pack to pack" for x in d.links)
    rows = seen(SHAPES["a stack per inverter"], 403.2, 0.084)
    assert rows["pack-2/own"].from_a == pytest.approx(403.2 / 0.084, rel=1e-3)
    # from its other side nothing comes but through its own inverter's port: no other stack
    assert rows["pack-2/own"].from_b == pytest.approx(0, abs=1e-6)


def test_a_chain_of_two_is_a_ladder():
    """Short at the unit: the near pack alone behind one lead, the far one behind two (Ohm)."""
    own, lead, volts = 0.01, 0.002, 57.6
    plan = SHAPES["packs in a chain to the unit"]
    plan = {**plan, "kit": {**plan["kit"], "packs": 2}}
    rows = seen(plan, volts, own, lead)
    # pack 2's own breaker: from its cells one pack; from its posts pack 1 through the jumper
    assert rows["pack-2/own"].from_a == pytest.approx(volts / own, rel=1e-6)
    assert rows["pack-2/own"].from_b == pytest.approx(volts / (own + lead), rel=1e-3)


def test_parallel_sets_halve_the_loop():
    """Two sets of conductors side by side: the fault grows accordingly (Ohm)."""
    from gumboot.core.size.battery_faults import loop_ohm

    plan = {**SHAPES["one bank for all"]}
    d = design(Plan.model_validate(plan), BOOK)
    s = next(x for x in d.circuits if x.circuit.family == "pack")
    from dataclasses import replace

    two = replace(s, trial=replace(s.trial, sets=2))
    assert loop_ohm(two).n == pytest.approx(loop_ohm(s).n / 2)
