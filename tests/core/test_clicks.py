"""A stop is true: by clicks alone every job reaches a plan without one, except where the kit itself
is missing, and then the stop names it. Cures never lead back and forth.
"""

import os
import random

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from gumboot.catalogue import catalogue
from gumboot.core.basis.patch import apply
from gumboot.core.plan import Plan
from gumboot.demo.plans import (
    HERON_SLIP,
    JUNIPER_CUT,
    MOSSBANK_TERRACE,
    SALTINGS_BARN,
    TERN_HOLLOW,
)
from tests.designs import design
from tests.shapes import SHAPES, other

BOOK = catalogue()
MISSING = {  # shapes whose kit does not serve, and what the stops name
    "cabinets": {"bank.fault.pack", "bank.fault.bus"},  # breakers that break less than the bank
}
MOST_CLICKS = 60
MANY = int(os.environ.get("GUMBOOT_PLANS", "60"))


def stops(d):
    return [f for f in d.findings if f.level == "stop"]


def clicked(plan, rng=None):
    """(the design where no click is left, the plans on the way). Raises when a plan comes back."""
    way = [plan.model_dump_json()]
    for _ in range(MOST_CLICKS):
        d = design(plan, BOOK)
        cures = [c for f in stops(d) for c in f.cures if c.changes]
        if not cures:
            return d, way
        cure = rng.choice(cures) if rng else cures[0]
        plan = Plan.model_validate(apply(plan.model_dump(mode="json"), cure.changes))
        assert plan.model_dump_json() not in way, f"“{cure.text}” leads back"
        way.append(plan.model_dump_json())
    raise AssertionError(f"{MOST_CLICKS} clicks, and still {[f.key for f in stops(d)]}")


@pytest.mark.parametrize("name", SHAPES)
def test_clicks_lead_to_a_plan_without_a_stop(name):
    d, _ = clicked(Plan.model_validate(SHAPES[name]))
    assert {f.key for f in stops(d)} == MISSING.get(name, set())


@pytest.mark.parametrize("name", SHAPES)
def test_any_clicks_do(name):
    for seed in range(2):
        d, _ = clicked(Plan.model_validate(SHAPES[name]), random.Random(seed))
        assert {f.key for f in stops(d)} == MISSING.get(name, set())


COMMON = [n for n in SHAPES if SHAPES[n]["site"]["name"] in ("Heron Slip", "Saltings Barn")]


@pytest.mark.parametrize("name", COMMON)
def test_a_common_job_has_at_most_three_checks(name):
    """Packs in a chain of heavy jumpers are not common: their bends and lugs are looked at."""
    d, _ = clicked(Plan.model_validate(SHAPES[name]))
    checks = [f.key for f in d.findings if f.level == "check" and ".bend" not in f.key]
    assert len([k for k in checks if not k.startswith("lug.")]) <= 3, checks


@pytest.mark.parametrize("name", SHAPES)
def test_every_job_has_its_duties(name):
    d, _ = clicked(Plan.model_validate(SHAPES[name]))
    keys = {f.key for f in d.duties}
    assert "disconnects" in keys and all(f.asked for f in d.duties)
    on_grid = d.plan.supply.kind != "off-grid"
    assert ("supply.fault" in keys) == (on_grid and d.plan.supply.fault_a is None)


DOCUMENTS = (TERN_HOLLOW, HERON_SLIP, SALTINGS_BARN, MOSSBANK_TERRACE, JUNIPER_CUT)
WISHES = st.fixed_dictionaries(
    {},
    optional={
        "backup__bond": st.sampled_from(["service", "inverter", "gateway", "loads panel"]),
        "backup__neutral": st.sampled_from(["solid", "switched"]),
        "backup__changeover": st.sampled_from(
            ["transfer switch", "interlocked breakers", "loose breakers"]
        ),
        "supply__earthing": st.sampled_from(["TN-C-S", "TN-S", "TT", None]),
        "supply__electrode": st.sampled_from(["unknown", "none", "own"]),
        "supply__loop_ohm": st.sampled_from([0.2, 0.8, 60.0, 199.0, None]),
        "supply__main_breaker_a": st.sampled_from([63, 100, 200, None]),
        "kit__packs": st.integers(1, 4),
        "kit__hookup": st.sampled_from(["bus", "chain", "inputs"]),
        "kit__gateway": st.none(),
        "kit__inverters": st.integers(1, 3),
        "kit__banks": st.sampled_from(["one for all", "one per inverter"]),
        "backup__loads": st.sampled_from(["whole house", "essential board", "nothing"]),
        "supply__connection": st.sampled_from(
            ["main-panel breaker", "sub-board breaker", "supply-side tap"]
        ),
        "supply__sub_board": st.fixed_dictionaries(
            {},
            optional={
                "breaker_a": st.sampled_from([32, 60, 100]),
                "bus_a": st.sampled_from([63, 100, 125]),
                "backfeed": st.sampled_from(["opposite end", "elsewhere"]),
            },
        ),
        "safeguards": st.sampled_from(
            [
                [],
                [{"kind": "residual-current device", "type": "AC", "trip_ma": 500}],
                [
                    {"kind": "residual-current device", "at": "grid-1", "type": "B"},
                    {"kind": "residual-current device", "type": "A", "trip_ma": 300},
                ],
            ]
        ),
    },
)


@pytest.mark.long
@settings(max_examples=MANY, deadline=None)
@given(st.sampled_from(DOCUMENTS), WISHES, st.integers(0, 9))
def test_clicks_never_go_round_in_circles(document, wishes, seed):
    """Whatever is wished and clicked: it ends, and what is left has no cure at a click."""
    d, _ = clicked(Plan.model_validate(other(document, **wishes)), random.Random(seed))
    assert not [c for f in stops(d) for c in f.cures if c.changes]


def test_a_device_the_shelf_lacks_is_named_and_not_taken_out_at_a_click():
    """TT asks for it, so that taking it out would lead back."""
    wish = {"safeguards": [], "supply__main_breaker_a": 200, "backup__bond": "gateway"}
    for seed in range(3):
        d, _ = clicked(Plan.model_validate(other(SALTINGS_BARN, **wish)), random.Random(seed))
        lacking = {f.key: f.says for f in stops(d)}
        assert "200 A" in lacking["guard.0.device"]
