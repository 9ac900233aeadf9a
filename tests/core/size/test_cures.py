"""What a click offers is tried: after it the finding is gone, or at least another. On shapes the
demo does not have, each put out of order on purpose.
"""

import pytest

from gumboot.catalogue import catalogue
from gumboot.core.basis.patch import apply
from gumboot.core.plan import Plan
from tests.designs import design
from tests.shapes import SHAPES, TERN_HOLLOW, other

SHELF = catalogue()
BARN = "stacks in a combiner at each of two units"


def of(shape, **changes):
    return design(Plan.model_validate(other(SHAPES[shape], **changes)), SHELF)


def clicked(d, cure):
    after = apply(d.plan.model_dump(mode="json"), cure.changes)
    return design(Plan.model_validate(after), SHELF)


def found(d, key):
    return [f for f in d.findings if f.key == key]


def cures(d, key):
    return [c for f in found(d, key) for c in f.cures if c.changes]


DISORDER = {
    "six packs": {"kit__packs": 6},
    "three units": {"kit__inverters": 3},
    "packs inside one another": {"kit__hookup": "inputs"},
    "a main of 60 A": {"supply__main_breaker_a": 60},
    "no electrode": {"supply__electrode": "none"},
    "another take-off": {"kit__takeoff": "one end"},
}
TRIED = [
    "one bank for all",
    "a bank per inverter, on buses",
    "packs in a chain to the unit",
    "a chain onto a bus",
    BARN,
    "a single-phase hybrid",
    "two units on a sub-board, a PV inverter at the main",
    "a charge controller beside trackers",
]


@pytest.mark.parametrize("shape", TRIED)
@pytest.mark.parametrize("disorder", DISORDER)
def test_no_click_leaves_things_as_they_were(shape, disorder):
    """Nothing says after a click word for word what it said before."""
    d = of(shape, **DISORDER[disorder])
    for f in d.findings:
        for c in f.cures:
            if c.changes:
                assert f.says not in [x.says for x in found(clicked(d, c), f.key)], c.text


@pytest.mark.parametrize(
    "shape",
    ["one bank for all", "packs in a chain to the unit", "a bank per inverter, on buses"],
)
def test_a_fuse_for_each_pack_is_one_that_breaks_what_is_there(shape):
    """Eight packs drive more than a fuse of 20 kA breaks: one of 50 kA is fitted by the click."""
    d = of(shape, kit__packs=8)
    stops = [f for f in d.findings if f.key.startswith("bank.fault") and f.level == "stop"]
    fuses = [c for f in stops for c in f.cures if "fuse" in c.text and c.changes]
    assert fuses
    for c in fuses:
        after = [f for f in clicked(d, c).findings if f.key.startswith("bank.fault")]
        assert [f.key for f in after if f.level == "stop"] == []


def test_strings_in_parallel_are_shortened_together():
    strings = [{**s, "modules": s["modules"] + 6} for s in SHAPES["charge controllers"]["strings"]]
    d = of("charge controllers", strings=strings)
    (cure,) = cures(d, "pv-P.cold")
    assert cure.text.endswith("in strings P and Q") and len(cure.changes) == 2
    better = clicked(d, cure)
    keys = {f.key for f in better.findings}
    assert not keys & {"pv-P.cold", "pv-Q.cold", "controller-1.tracker-1.unlike"}


def test_stacks_are_hooked_up_as_a_click_says():
    d = of(BARN, kit__hookup="inputs")
    texts = [c.text for c in cures(d, "bank.stacks")]
    assert texts == ["Bring them together in a combiner", "Plan 2 stacks"]
    assert not any(found(clicked(d, c), "bank.stacks") for c in cures(d, "bank.stacks"))
    assert of(BARN, kit__takeoff="one end").bank  # a take-off of packs, left from another bank


def test_the_first_packs_are_as_many_as_there_are_banks():
    d = of("a stack per inverter", kit__packs=0)
    (cure,) = cures(d, "kit.packs")
    assert cure.changes[0].value == 3 and not found(clicked(d, cure), "bank.stacks")


def test_a_string_is_moved_only_where_it_still_works():
    """A controller's tracker works from the bank's volts; an inverter's from far more."""
    strings = SHAPES["charge controllers on a bank for each"]["strings"]
    strings = [{**s, "modules": s["modules"] - i % 2} for i, s in enumerate(strings)]
    d = of("charge controllers on a bank for each", strings=strings)
    unlike = [f for f in d.findings if f.key.endswith(".unlike")]
    assert unlike
    for c in (c for f in unlike for c in f.cures if c.changes):
        after = {x.key for x in clicked(d, c).findings}
        assert not any(k.endswith((".hot", ".cold", ".start")) for k in after)


def test_a_string_on_a_unit_that_is_not_planned_goes_to_a_free_tracker():
    """It was put on the first tracker there is, which had two strings."""
    strings = [dict(x) for x in TERN_HOLLOW["strings"]]
    strings[-1]["inverter"] = 3
    d = design(Plan.model_validate(other(TERN_HOLLOW, strings=strings)), SHELF)
    (cure,) = cures(d, "pv-E.inverter")
    mended = clicked(d, cure)
    assert not found(mended, "pv-E.inverter")
    seats = [(s.body, s.tracker) for s in mended.strings]
    assert seats.count(seats[-1]) == 1


def test_leads_of_a_star_are_made_alike_in_size_too():
    d = of("interlocked breakers", fitted={"pack-1": {"size": "4"}})
    (cure,) = cures(d, "bank.share")
    assert not found(clicked(d, cure), "bank.share")


def test_a_jumper_of_a_chain_that_is_too_thin_gives_way_to_a_bus():
    d = of("packs in a chain to the unit", fitted={"pack-2": {"size": "4"}})
    (apart,) = [c for c in cures(d, "pack-2.conductor") if "bus" in c.text]
    assert {s.circuit.load.body for s in clicked(d, apart).circuits if s.id == "pack-2"} == {
        "dc-bus"
    }


def test_an_earth_stands_the_current_that_it_lets_flow_itself():
    """A larger earth lets more flow: of 2.5 mm², 266 A for 5 s ask 5.2 mm²; through 6 mm² it is
    319 A, which asks 6.2.
    """
    d = of("on a sub-board", fitted={"sub-feeder": {"size": "1.5 mm²", "earth": "2.5 mm²"}})
    (cure,) = cures(d, "sub-feeder.adiabatic")
    assert not found(clicked(d, cure), "sub-feeder.adiabatic")
