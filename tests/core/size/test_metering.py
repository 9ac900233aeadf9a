"""Meter and transformers against the service: true stops, and cures that cure."""

import pytest

from gumboot.catalogue import catalogue, documents
from gumboot.core.basis.patch import apply
from gumboot.core.kit import Catalogue, entry
from gumboot.core.plan import Plan
from gumboot.demo import plans
from gumboot.exports.materials import materials
from tests.designs import design

OWN = [
    {
        "kind": "ct",
        "id": "own-333",
        "maker": "Ownwright",
        "model": "V",
        "primary_a": 60,
        "out_v": 0.333,
    },
    {
        "kind": "meter",
        "id": "own-direct",
        "maker": "Ownwright",
        "model": "D",
        "lines": 3,
        "through": "itself",
        "most_a": 100,
    },
]
SHELF = Catalogue([*catalogue().entries.values(), *(entry.validate_python(e) for e in OWN)])


def barn(meter=None, ct=None, main=63):
    plan = Plan.model_validate(plans.SALTINGS_BARN).model_dump(mode="json")
    plan["kit"] |= {"meter": meter, "ct": ct}
    plan["supply"]["main_breaker_a"] = main
    return Plan.model_validate(plan)


def found(plan):
    made = design(plan, SHELF)
    return {f.key: f for f in made.findings if f.key.startswith(("meter.", "ct."))}


@pytest.mark.parametrize(
    ("meter", "ct", "main", "keys"),
    [
        (None, None, 63, set()),
        ("fenwright-m3", "fenwright-c100", 63, set()),
        ("fenwright-m3", None, 63, set()),
        (None, "own-333", 50, set()),
        ("fenwright-m2", None, 63, {"meter.lines"}),
        ("own-direct", None, 63, set()),
        ("own-direct", None, 125, {"meter.amps"}),
        ("fenwright-m3", "own-333", 63, {"ct.reads"}),
        ("fenwright-m3", "fenwright-c100", 125, {"ct.range"}),
    ],
)
def test_what_does_not_measure_this_service_is_said(meter, ct, main, keys):
    plan = barn(meter, ct, main)
    said = found(plan)
    assert set(said) == keys
    for f in said.values():
        clicks = [c for c in f.cures if c.changes]
        assert clicks, f.says
        cured = Plan.model_validate(apply(plan.model_dump(mode="json"), clicks[0].changes))
        assert f.key not in found(cured)


@pytest.mark.parametrize(
    ("reads", "gives", "good"),
    [
        ({"ct_out_v": 0.333}, {"out_v": 1 / 3}, True),
        ({"ct_out_v": 0.333}, {"out_a": 0.333}, False),
        ({"ct_out_a": 5}, {"out_a": 1}, False),
        ({"ct_out_a": 0.05}, {"out_a": 0.05}, True),
        ({}, {"out_a": 1}, True),
    ],
)
def test_a_meter_reads_its_own_kind_of_output(reads, gives, good):
    meter = entry.validate_python(
        {"kind": "meter", "id": "m", "maker": "O", "model": "M", "lines": 1, **reads}
    )
    ct = {"kind": "ct", "id": "c", "maker": "O", "model": "C", "primary_a": 50, **gives}
    assert meter.reads(entry.validate_python(ct)) is good


def test_an_id_the_shelf_lacks_is_named():
    keys = {f.key for f in design(barn("gone"), SHELF).findings}
    assert "kit.meter" in keys


def test_a_ratio_is_what_flows_for_what_comes_out():
    figure = design(barn("fenwright-m3", "fenwright-c100"), SHELF).figures["meter.ratio"]
    assert figure.value == 2000 == 100 / 0.05


def test_transformers_are_counted_by_live_conductors_and_pv_inverters():
    """One a live conductor, none where the meter carries the current itself (common practice)."""

    def signals(plan):
        rows = materials(design(plan, SHELF))
        return {i.what: i.count for i in rows if i.group == "Signals"}

    assert (
        signals(barn("fenwright-m3", "fenwright-c100"))["Fenwright C100 transformer, 100 A : 50 mA"]
        == 3
    )
    assert not [w for w in signals(barn("own-direct", "fenwright-c100")) if "transformer" in w]
    moss = Plan.model_validate(plans.MOSSBANK_TERRACE)
    assert design(moss, SHELF).metering.count == 2  # the service's one, and the PV inverter's


def test_a_unit_whose_sheet_is_silent_of_links_may_have_a_meter():
    """It is bought, and counts no note that nothing measures there."""
    silent = {**next(d for d in documents() if d["id"] == "marram-t10"), "id": "own", "links": []}
    shelf = Catalogue([*SHELF.entries.values(), entry.validate_python(silent)])
    plan = barn("fenwright-m3", "fenwright-c100").model_dump(mode="json")
    plan["kit"] |= {"inverter": "own", "gateway": None}
    made = design(Plan.model_validate(plan), shelf)
    assert made.metering.wanted and not [f for f in made.findings if f.key == "meter.idle"]
    assert "Fenwright M3 meter" in {i.what for i in materials(made)}
