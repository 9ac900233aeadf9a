"""Rows of modules joined at the array by branch connectors, on one run and one pair."""

import pytest

from gumboot.catalogue import catalogue
from gumboot.core.basis.patch import apply
from gumboot.core.energy.sun import faces_of
from gumboot.core.plan import Plan
from gumboot.core.prove.listing import dues_of
from gumboot.core.prove.strings import Sky
from gumboot.exports.materials import materials
from tests.designs import design
from tests.shapes import HERON_SLIP, SHAPES, other

SHELF = catalogue()
NEW = SHELF.modules["reedbed-430"]
ROOF = SHAPES["rows joined at the array"]


def of(**changes):
    return design(Plan.model_validate(other(ROOF, **changes)), SHELF)


def strung(*rows, document=ROOF, **more):
    return [{**document["strings"][0], "letter": k, "rows": n, **more} for k, n in rows]


def test_amperes_add_and_volts_do_not():
    """Two rows of ten: 2 · 1.25 · I_sc by 690.8(A)(1), twice the power, the volts of one."""
    one, two = of(strings=strung(("A", 1))).strings[0], of(strings=strung(("A", 2))).strings[0]
    assert two.i_max.n == pytest.approx(2 * 1.25 * NEW.i_sc_a)
    assert two.power.n == 2 * one.power.n == 20 * NEW.p_max_w
    assert two.v_oc_cold.n == one.v_oc_cold.n
    d = of(strings=strung(("A", 2)))
    run = next(s for s in d.circuits if s.id == "pv-A")
    assert run.i_req.n == pytest.approx(1.25 * two.i_max.n)
    assert run.circuit.drop_current.n == pytest.approx(2 * NEW.i_mp_a)
    assert {b.lines for b in d.bodies if b.role == "array"} == {("2 × 10 modules",)}
    assert sum(f.watts for f in faces_of(d.plan, SHELF)) == two.power.n


def test_prove_expects_the_amperes_of_both():
    d = of(strings=strung(("A", 2)))
    alone = of(strings=strung(("A", 1)))
    two, one = ({x.key: x for x in dues_of(x, Sky(800, 40))} for x in (d, alone))
    ratio = two["string.A.short"].band.expected.n / one["string.A.short"].band.expected.n
    assert ratio == pytest.approx(2)
    assert two["string.A.open"].band.expected.n == one["string.A.open"].band.expected.n


def test_modules_and_branch_connectors_are_bought():
    bought = {x.what: x.count for x in materials(of(strings=strung(("A", 2))))}
    assert bought[f"{NEW.maker} {NEW.model}"] == 20
    assert bought["PV branch connectors of the modules' make, pair"] == 1


def test_a_pair_of_connectors_bears_what_both_push():
    """Tracker 1 of the unit has a pair for 15 A: two rows of 14 A are too much."""
    d = of(strings=strung(("A", 2), tracker="1"))
    found = {f.key: f for f in d.findings}
    assert found["inverter-1.tracker-1.isc"].says.startswith("String A can push 28 A")
    for key in ("pv-A.pair", "inverter-1.tracker-1.isc"):
        after = apply(d.plan.model_dump(mode="json"), found[key].cures[0].changes)
        assert [(s["letter"], s["rows"]) for s in after["strings"]] == [("A", 1), ("B", 1)]


def test_so_many_that_each_wants_a_fuse_are_led_down_apart():
    """NEC 690.9(A): three rows push 2 · 1.56 · I_sc into a fourth of 25 A at most."""
    d = of(strings=strung(("A", 3), tracker="3"))
    (found,) = [f for f in d.findings if f.key == "pv-A.rows"]
    after = apply(d.plan.model_dump(mode="json"), found.cures[0].changes)
    assert [(s["letter"], s["rows"]) for s in after["strings"]] == [("A", 1), ("B", 1), ("C", 1)]
    keys = {f.key for f in of(strings=strung(("A", 2), tracker="3")).duties}
    assert "pv-A.rows" in keys


def test_connectors_that_nobody_entered_are_no_screws():
    """Two rows of 13.9 A ask 43.4 A: 8 AWG, which 60 °C would leave at 40 A (NEC 110.14(C)(1)); a
    PV connector is made for 90 °C (UL 6703, from memory).
    """
    unit = SHELF.inverters[ROOF["kit"]["inverter"]]
    tracker = {"id": "3", "v_min": 120, "v_max": 450, "i_mp_max_a": 30, "i_sc_max_a": 40}
    bare = type(unit).model_validate(
        {**unit.model_dump(exclude={"trackers"}), "trackers": [{**tracker, "pairs": 1}]}
    )
    rest = [e for k, e in SHELF.entries.items() if k != unit.id]
    plan = Plan.model_validate(other(ROOF, strings=strung(("A", 2), tracker="3")))
    d = design(plan, type(SHELF)([*rest, bare]))
    run = next(s for s in d.circuits if s.id == "pv-A")
    assert run.size == "8" and not run.trial.fails
    assert "pv-A.conductor" not in {f.key for f in d.findings}


def test_two_like_strings_on_one_pair_are_joined_at_a_click():
    unit = SHELF.inverters[ROOF["kit"]["inverter"]]
    wide = [t.model_copy(update={"pairs": 1, "pair_a": 30.0}) for t in unit.trackers]
    shelf = type(SHELF)(
        [
            *(e for k, e in SHELF.entries.items() if k != unit.id),
            unit.model_copy(update={"trackers": tuple(wide)}),
        ]
    )
    strings = [{**x, "tracker": "3"} for x in HERON_SLIP["strings"]]
    d = design(Plan.model_validate(other(ROOF, strings=strings)), shelf)
    (found,) = [f for f in d.findings if f.key == "inverter-1.tracker-3.pairs"]
    assert "one pair of connectors" in found.says
    joined = next(c for c in found.cures if c.text.startswith("Join A and B"))
    after = Plan.model_validate(apply(d.plan.model_dump(mode="json"), joined.changes))
    assert [(s.letter, s.rows, s.modules) for s in after.strings] == [("A", 2, 10)]
    mended = {f.key for f in design(after, shelf).findings if f.level.value == "stop"}
    assert not {k for k in mended if k.startswith(("pv-", "inverter-1"))}
