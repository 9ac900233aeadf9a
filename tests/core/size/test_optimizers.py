"""Strings with an optimizer at each module: their inverter holds the volts, whatever the count."""

import pytest

from gumboot.catalogue import catalogue
from gumboot.core.basis.patch import apply
from gumboot.core.kit import Catalogue, Module
from gumboot.core.kit.entry import WrongTogether
from gumboot.core.plan import Plan
from gumboot.core.prove.listing import dues_of
from gumboot.core.prove.strings import Sky
from gumboot.core.size.finder import Face, find
from gumboot.core.size.meter_card import Weather, expected, judge
from gumboot.core.wake.steps import steps_of
from gumboot.exports.materials import materials
from tests.designs import design
from tests.shapes import HERON_SLIP, SHAPES, other

SHELF = catalogue()
SMART = SHELF.modules["reedbed-430o"]
OWN = SMART.optimizer
ROOF = SHAPES["optimizers at the modules"]


def strung(*counts, **changes):
    strings = [{**s, "modules": n} for s, n in zip(ROOF["strings"], counts, strict=False)]
    return Plan.model_validate(other(ROOF, strings=strings, **changes))


def keys(plan, shelf=SHELF):
    return {f.key for f in design(plan, shelf).findings}


def with_own(**changes):
    """A shelf whose optimizer differs."""
    own = OWN.model_copy(update=changes)
    rest = [e for k, e in SHELF.entries.items() if k != SMART.id]
    return Catalogue([*rest, SMART.model_copy(update={"optimizer": own})])


def test_currents_and_volts_are_the_optimizers():
    """NEC 690.8(A)(1) and 690.7(B)(2), from memory: what one puts out, times 1.25 for conductors by
    690.8(B), and by the maker's manual the most volts. 12 modules of 430 W at 380 V: 13.6 A.
    """
    d = design(strung(12, 9), SHELF)
    run = next(s for s in d.circuits if s.id == "pv-A")
    assert (run.circuit.current.n, run.i_req.n) == (15, pytest.approx(18.75))
    assert run.circuit.voltage.n == 380
    assert run.circuit.drop_current.n == pytest.approx(12 * 430 / 380)
    assert {s.v_oc_cold.n for s in d.strings} == {480}
    assert all(s.fuse is None for s in d.strings)
    silent = design(strung(9, 8), with_own(string_v_max=None))
    assert [s.v_oc_cold.n for s in silent.strings] == [9 * 60, 8 * 60]


def test_a_count_the_maker_does_not_allow_is_a_stop_with_a_click():
    for count, right, key in ((7, 8, "count"), (26, 13, "count"), (14, 13, "watts")):
        d = design(strung(count), SHELF)
        (found,) = [f for f in d.findings if f.key == f"pv-A.{key}"]
        after = apply(d.plan.model_dump(mode="json"), found.cures[0].changes)
        assert after["strings"][0]["modules"] == right
        assert not {"pv-A.count", "pv-A.watts"} & keys(Plan.model_validate(after))


def test_cold_mornings_are_no_matter_of_its_length():
    """13 of them without optimizers reach 577 V at −20 °C, more than the unit takes."""
    plan = strung(13, site__t_min_c=-20.0)
    assert not {k for k in keys(plan) if k.startswith("pv-A.")} - {"pv-A.drop"}
    plain = [{**s, "module": None} for s in plan.model_dump(mode="json")["strings"]]
    assert "pv-A.cold" in keys(Plan.model_validate(other(ROOF, strings=plain)))


@pytest.mark.parametrize(
    ("change", "key"),
    [
        ({"in_v_max": 41.0}, "pv-A.cold"),
        ({"in_isc_max_a": 13.9}, "pv-A.isc"),
        ({"in_w_max": 400.0}, "pv-A.clip"),
        ({"string_v": 100.0}, "pv-A.held"),
        ({"string_v_max": 1000.0}, "pv-A.cold"),
    ],
)
def test_what_does_not_go_together_is_said(change, key):
    assert key not in keys(strung(12))
    assert key in keys(strung(12), with_own(**change))


def test_strings_of_any_length_and_face_share_a_tracker():
    """Each module works by itself (common practice)."""
    strings = [
        {**s, "tracker": "3", "modules": n, "azimuth_deg": a}
        for s, n, a in zip(ROOF["strings"], (12, 9), (90, 270), strict=True)
    ]
    found = keys(Plan.model_validate(other(ROOF, strings=strings)))
    assert not {k for k in found if k.endswith((".unlike", ".clip"))}
    plain = [{**s, "module": None} for s in strings]
    assert "inverter-1.tracker-3.unlike" in keys(Plan.model_validate(other(ROOF, strings=plain)))


def test_the_finder_strings_as_the_maker_allows():
    d = design(strung(12, 9), SHELF)
    found = find(d.plan, d.takers, SMART, [Face(24, 30, 180)])
    assert found.best and all(8 <= x.modules <= 13 for a in found.best for x in a.lots)
    assert found.best[0].used == 24
    high = with_own(string_v=700.0)
    none = find(d.plan, d.takers, high.modules[SMART.id], [Face(24, 30, 180)])
    assert not none.best and "held at 700 V" in none.reason


def test_what_is_read_is_what_they_show_until_they_may_work():
    """A volt a module: one missing is seen."""
    d = design(strung(12, 9), SHELF)
    steps = {s.key: s for s in steps_of(d)}
    string = steps["cold.string.A"]
    assert (string.least, string.most, string.expects) == (11.5, 12.5, "11.5 to 12.5 V")
    assert "maker" in steps["cold.insulation.A"].says
    dues = {x.key: x for x in dues_of(d, Sky(800, 40))}
    assert dues["string.A.open"].expects == "11.5 to 12.5 V" and "string.A.short" not in dues
    card = {k: expected(k, n, "roof", SMART, Weather(800, 20)) for k, n in (("A", 12), ("B", 9))}
    said = {v.letter: v.said for v in judge(card, {"A": 11.0, "B": 9.1}, 800)}
    assert said == {"A": "short", "B": "good"}


def test_they_are_bought():
    bought = {x.what: x.count for x in materials(design(strung(12, 9), SHELF))}
    assert bought[OWN.name] == bought[f"{SMART.maker} {SMART.model}"] == 21


def test_the_most_are_no_fewer_than_the_fewest():
    document = SMART.model_dump() | {"optimizer": {**OWN.model_dump(), "most": 5}}
    with pytest.raises((WrongTogether, ValueError), match="type 8 or more"):
        Module.model_validate(document)


def test_a_plain_string_beside_it_keeps_its_own_rules():
    strings = [ROOF["strings"][0], HERON_SLIP["strings"][1]]
    d = design(Plan.model_validate(other(ROOF, strings=strings)), SHELF)
    assert d.strings[1].i_max.n == pytest.approx(1.25 * 14.0)
