"""A job from its first answers: every kind of system, on every supply that the shelf serves, comes
to a drawing without a stop but for lengths nobody typed, and what was answered stays so.
"""

from dataclasses import replace

import pytest

from gumboot.catalogue import catalogue, documents
from gumboot.core.brief.suits import SUPPLIES, suits_unit
from gumboot.core.codes.books import BOOKS
from gumboot.core.kit import Catalogue, entry
from gumboot.core.new_job import (
    KIND,
    KINDS,
    First,
    NoStrings,
    first_plan,
    packs_for,
    units_for,
)
from gumboot.drawings.one_line import one_line
from tests.designs import design

SHELF = catalogue()
BOTH = [(code, s) for code in BOOKS for s in SUPPLIES[BOOKS[code].american][:-1]]


def answers(code, supply, kind, unit, **more):
    packs = packs_for(SHELF, SHELF.inverters[unit])
    said = {
        "name": "Turnstone Rise",
        "code": code,
        "units": "si",
        "kind": KIND[kind],
        "supply": supply,
        "latitude_deg": 44.0,
        "longitude_deg": 5.0,
        "zone": "",
        "outage": "whole house",
        "inverter": unit,
        "inverters": 1,
        "pack": packs[0] if packs else "",
        "packs": 0,
        "module": "reedbed-430",
        "existing_w": 4000.0,
        "generator_w": 16000.0,
    }
    return First(**{**said, **more})


@pytest.mark.parametrize("outage", ["whole house", "essential board", "nothing"])
@pytest.mark.parametrize(("code", "supply"), BOTH)
@pytest.mark.parametrize("kind", [k.id for k in KINDS])
def test_the_first_answers_make_a_plan_whose_only_stops_are_lengths(code, supply, kind, outage):
    for unit in units_for(SHELF, KIND[kind], BOOKS[code], supply):
        first = answers(code, supply, kind, unit, outage=outage, modules=10, array_m=9.0)
        plan = first_plan(first, SHELF)
        d = design(plan, SHELF)
        stops = [f for f in d.findings if f.level == "stop" and not f.key.endswith(".run")]
        assert not stops, (unit, [f.says for f in stops])
        assert plan.backup.loads == (outage if KIND[kind].grid else "whole house")
        assert sum(s.modules for s in plan.strings) == (10 if KIND[kind].pv else 0)
        assert (plan.kit.generator is not None) == KIND[kind].generator
        assert (plan.kit.existing_pv is not None) == KIND[kind].beside
        assert "Turnstone Rise" in one_line(d)


def test_the_likeliest_unit_comes_first():
    nec, split = BOOKS["nec-2023"], "split-phase 120/240 V"
    assert SHELF.inverters[units_for(SHELF, KIND["pv"], nec, split)[0]].trackers
    iec = BOOKS["iec-60364"]
    beside = units_for(SHELF, KIND["beside"], iec, "three-phase 400/230 V")
    assert not SHELF.inverters[beside[0]].trackers
    generated = units_for(SHELF, KIND["off-grid-generator"], nec, split)
    assert SHELF.inverters[generated[0]].generator is not None
    single = "single-phase 230 V"
    assert SHELF.inverters[units_for(SHELF, KIND["pv"], iec, single)[0]].topology == "hybrid"
    for book, supply in ((nec, split), (iec, single)):
        alone = units_for(SHELF, KIND["off-grid"], book, supply)[0]
        assert SHELF.inverters[alone].topology == "inverter-charger"
    none = Catalogue(u for u in SHELF.inverters.values() if u.supply != single)
    assert units_for(none, KIND["pv"], iec, single) == []


def test_packs_suit_their_unit_and_are_as_many_as_it_asks():
    unit = SHELF.inverters["marram-s8"]
    assert all(suits_unit(SHELF.packs[p], unit) for p in packs_for(SHELF, unit))
    assert packs_for(SHELF, None) == packs_for(SHELF, SHELF.inverters["fenwright-w7"]) == []
    small = {**WISH, "pack": "tidewell-5r"}
    most = first_plan(answers(**small), SHELF)
    given = first_plan(answers(**small, packs=1), SHELF)
    assert most.kit.packs > 1 and given.kit.packs == 1  # one is a stop, and stays what was said
    assert "bank.current" in {f.key for f in design(given, SHELF).findings}


WISH = {
    "code": "nec-2023",
    "supply": "split-phase 120/240 V",
    "kind": "battery",
    "unit": "marram-s8",
}


@pytest.mark.parametrize(("modules", "says"), [(1, "No string"), (400, "type")])
def test_modules_that_find_no_place_are_said(modules, says):
    with pytest.raises(NoStrings, match=says):
        first_plan(answers(**{**WISH, "kind": "pv"}, modules=modules, array_m=9.0), SHELF)


def test_an_array_faces_the_equator():
    north = first_plan(answers(**{**WISH, "kind": "pv"}, modules=12, array_m=9.0), SHELF)
    wish = {**WISH, "kind": "pv", "modules": 12, "array_m": 9.0, "latitude_deg": -34.0}
    south = first_plan(answers(**wish), SHELF)
    assert {s.azimuth_deg for s in north.strings} == {180.0}
    assert {s.azimuth_deg for s in south.strings} == {0.0}


def test_more_strings_than_letters_are_said():
    """Five pairs on each of six trackers: thirty strings."""
    unit = SHELF.inverters["marram-s8"]
    wide = {"pairs": 5, "i_sc_max_a": 90.0, "i_mp_max_a": 90.0, "pair_a": 20.0}
    many = unit.model_copy(
        update={"trackers": (unit.trackers[0].model_copy(update=wide),), "pv_power_max_w": None}
    )
    rest = [u for u in SHELF.inverters.values() if u.id != unit.id]
    shelf = Catalogue(
        [
            *(many, *rest, *SHELF.packs.values(), *SHELF.gateways.values()),
            *(*SHELF.modules.values(), *SHELF.devices, *SHELF.conductors),
        ]
    )
    wish = {**WISH, "kind": "pv", "module": "reedbed-430", "inverters": 6, "array_m": 9.0}
    with pytest.raises(NoStrings, match=r"that makes \d\d strings; 26 have letters"):
        first_plan(answers(**wish, modules=6 * 5 * 10), shelf)


def test_off_grid_without_an_array():
    """A unit without trackers is offered last, and makes a plan with no module and no string."""
    own = {**next(d for d in documents() if d["id"] == "marram-s8"), "id": "own-s8", "trackers": []}
    shelf = Catalogue([*SHELF.entries.values(), entry.validate_python(own)])
    book = BOOKS["nec-2023"]
    offered = units_for(shelf, KIND["off-grid-generator"], book, "split-phase 120/240 V")
    assert offered[-1] == "own-s8" and offered[0] != "own-s8"
    packs = packs_for(shelf, shelf.inverters["own-s8"])
    first = answers("nec-2023", "split-phase 120/240 V", "off-grid-generator", offered[0])
    plan = first_plan(replace(first, inverter="own-s8", pack=packs[0], modules=8), shelf)
    assert not plan.strings and plan.kit.module is None
    stops = [f for f in design(plan, shelf).findings if f.level == "stop"]
    assert all(f.key.endswith(".run") for f in stops), [f.says for f in stops]


def test_off_grid_a_generator_lands_where_it_can_charge():
    """An inverter-charger without a generator port takes it at its AC input (common practice):
    from the loads panel it could not charge.
    """
    unit = SHELF.inverters["marram-u15"]
    assert unit.generator is None and unit.grid is not None
    first = answers("nec-2023", "split-phase 120/240 V", "off-grid-generator", unit.id)
    assert first_plan(first, SHELF).kit.generator.lands == "inverter"


def test_a_pack_whose_terminals_nobody_entered_is_of_no_other_book():
    """What is presumed of its posts says nothing of the cable it is made for: a crew's own pack is
    proposed before the examples, under either book.
    """
    plain = {**next(d for d in documents() if d["id"] == "tidewell-14"), "id": "own-14"}
    own = entry.validate_python({k: v for k, v in plain.items() if k not in ("terminals", "earth")})
    shelf = Catalogue([*SHELF.entries.values(), own], ["own-14"])
    assert packs_for(shelf, shelf.inverters["marram-s8"])[0] == "own-14"
