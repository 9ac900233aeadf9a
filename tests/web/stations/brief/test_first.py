"""A new job from its first answers: what follows from each, and bad input said at its field."""

import html
import re

import pytest

from gumboot.catalogue import catalogue
from gumboot.core.kit import Catalogue, entry
from gumboot.core.plan import Plan
from gumboot.demo.plans import JUNIPER_CUT
from gumboot.web.stations.brief.first import START, fields
from gumboot.web.stations.brief.first import followed as followed_by
from gumboot.web.stations.brief.first import read as read_by
from gumboot.web.stations.brief.kit_form import sections, typed_of
from tests.shapes import SHAPES, other
from tests.web.test_stations import plan_of

SHELF = catalogue()


def followed(typed, changed):
    return followed_by(typed, changed, SHELF)


def read(typed):
    return read_by(typed, SHELF)


GOOD = {**followed({**START, "place": "Texas"}, "place"), "name": "Plover Bank"}
GOOD |= {"inverter": "marram-s8", "pack": "tidewell-5r"}


def test_a_place_brings_book_units_supply_and_kit():
    there = followed({**START, "place": "Berlin, Germany"}, "place")
    assert (there["code"], there["units"]) == ("iec-60364", "si")
    assert (there["supply"], there["inverter"]) == ("single-phase 230 V", "marram-h6")
    three = followed({**there, "supply": "three-phase 400/230 V"}, "supply")
    assert three["inverter"] == "marram-t10" and three["pack"] == "saltmarsh-v5"
    own = followed({**three, "inverter": "marram-t10", "code": "iec-60364"}, "outage")
    assert own == three


def test_a_shelf_that_has_no_unit_for_the_supply_says_so():
    three = Catalogue(u for u in SHELF.inverters.values() if u.id == "marram-t10")
    there = followed_by({**START, "place": "Berlin, Germany"}, "place", three)
    assert there["inverter"] == ""
    asked = {f.path: f for f in fields(there, three)}["inverter"]
    assert "the shelf has none for this supply" in asked.why and asked.choices == ()


def test_a_job_from_three_answers(planner):
    answer = planner.post("/jobs/new", GOOD)
    assert answer.status_code == 303, re.findall(r'class="fault"[^>]*>([^<]*)', answer.text)
    job_id = answer.headers["location"].split("/")[2]
    plan = plan_of(planner, job_id)
    assert plan["site"]["latitude_deg"] == 31.5 and plan["site"]["zone"] == "America/Chicago"
    assert set(plan["site"]["guessed"]) == {"t_min_c", "t_roof_c", "t_wall_c"}
    page = planner.get(f"/jobs/{job_id}/size").text
    assert "Plover Bank" in page and "Still to know" in page
    assert 'name="runs/grid/length_m"' in page


def test_what_size_still_asks_is_saved_there(planner):
    job_id = planner.post("/jobs/new", GOOD).headers["location"].split("/")[2]
    page = planner.get(f"/jobs/{job_id}/size").text
    form = page[page.index('id="open"') :]
    form = form[: form.index("</form>")]
    sent = {k: html.unescape(v) for k, v in re.findall(r'name="([^"]+)" value="([^"]*)"', form)}
    before = plan_of(planner, job_id)
    sent |= {"runs/grid/length_m": "12 ft", "supply/main_breaker_a": "200"}
    assert planner.post(f"/jobs/{job_id}/brief", sent).status_code == 303
    after = plan_of(planner, job_id)
    assert after["runs"]["grid"]["length_m"] == pytest.approx(3.6576)
    assert after["supply"]["main_breaker_a"] == 200
    for part in ("site", "kit", "backup", "strings", "safeguards"):
        assert after[part] == before[part]
    page = planner.get(f"/jobs/{job_id}/size").text
    assert 'id="runs-grid-length_m"' not in page and 'id="runs-battery-length_m"' in page


@pytest.mark.parametrize(
    ("wrong", "field", "says"),
    [
        ({"name": ""}, "name", "type a name"),
        ({"place": ""}, "place", "such as Leeds or Texas"),
        ({"place": "Nosuchtown"}, "place", "“Nosuchtown” is not known here"),
        ({"inverters": "two"}, "inverters", "“two” is not a whole number"),
        ({"inverters": "99"}, "inverters", "type a value of at"),
        ({"inverters": "0"}, "inverters", "type a value of at least 1"),
        ({"packs": "400"}, "packs", "type a value of at most 25"),
        ({"modules": "14"}, "array_m", "type a length"),
        ({"modules": "1", "array_m": "10 ft"}, "modules", "No string"),
        ({"modules": "9", "array_m": "-3"}, "array_m", "type"),
        ({"kind": "beside"}, "existing_w", "type a value"),
        ({"kind": "beside", "existing_w": "lots"}, "existing_w", "lots"),
        ({"kind": "off-grid-generator", "generator_w": "0"}, "generator_w", "type a value of"),
        ({"name": "x" * 300}, "name", "at most 80"),
    ],
)
def test_bad_input_is_said_at_its_field_and_loses_nothing(planner, wrong, field, says):
    answer = planner.post("/jobs/new", {**GOOD, "packs": "3", **wrong})
    text = html.unescape(answer.text)
    assert answer.status_code == 422 and "everything you typed is still here" in text
    said = re.search(rf'id="{field}-fault">([^<]*)', text)
    assert said and says in said[1], (said, re.findall(r'fault">([^<]*)', text))
    kept = {"name": "Plover Bank", "packs": "3", **wrong}
    shown = dict(re.findall(r'name="([^"]+)" value="([^"]*)"', text))
    assert all(shown[k] == v for k, v in kept.items() if k != "kind")


def test_nonsense_is_no_reason_to_fall_over(planner):
    odd = {"kind": "nothing", "code": "none", "supply": "x", "inverter": "y", "pack": "z"}
    assert planner.post("/jobs/new", {**GOOD, **odd}).status_code in (303, 422)
    assert read(followed(START, ""))[0] is None


def test_another_unit_brings_its_likeliest_pack():
    """A stack that suits a high-voltage unit is not carried on to one of 48 V."""
    three = {**START, "place": "Berlin, Germany", "supply": "three-phase 400/230 V"}
    high = followed({**followed(three, "place"), "supply": "three-phase 400/230 V"}, "supply")
    assert high["pack"] == "saltmarsh-v5"
    there = {**START, "place": "Boise", "supply": "three-phase 208Y/120 V"}
    american = followed({**followed(there, "place"), "supply": "three-phase 208Y/120 V"}, "supply")
    assert american["pack"] == "saltmarsh-u5"  # the same, its terminals for AWG
    low = followed({**high, "kind": "beside"}, "kind")
    assert low["inverter"] == "fenwright-a5" and low["pack"].startswith("tidewell")


def test_what_size_asks_is_saved_without_an_array(planner):
    """A unit with trackers and no module yet: nothing is asked that was not asked for."""
    made = planner.post("/jobs/new", {**GOOD, "kind": "battery", "module": ""})
    job_id = made.headers["location"].split("/")[2]
    page = planner.get(f"/jobs/{job_id}/size").text
    form = page[page.index('id="open"') :].split("</form>")[0]
    sent = {k: html.unescape(v) for k, v in re.findall(r'name="([^"]+)" value="([^"]*)"', form)}
    sent["runs/grid/length_m"] = "12 ft"
    assert planner.post(f"/jobs/{job_id}/brief", sent).status_code == 303
    assert plan_of(planner, job_id)["kit"]["module"] is None


def test_what_a_person_chose_stays_while_it_serves():
    first = followed({**START, "place": "Texas"}, "place")
    own = followed({**first, "inverter": "marram-s8"}, "inverter")
    own = followed({**own, "pack": "tidewell-5r"}, "pack")
    for changed, value in (("kind", "battery"), ("outage", "nothing"), ("place", "Ohio")):
        own = followed({**own, changed: value}, changed)
        assert (own["inverter"], own["pack"]) == ("marram-s8", "tidewell-5r"), changed
    far = followed({**own, "place": "Berlin, Germany"}, "place")
    assert far["inverter"] == "fenwright-a5" and far["pack"] == "tidewell-5r"  # 48 V there too


BARE = {"id": "bare", "trackers": [], "model": "V6", "maker": "Kettlewright"}
WITH_BARE = Catalogue(
    [
        *SHELF.entries.values(),
        entry.validate_python(SHELF.inverters["marram-c6"].model_dump(mode="json") | BARE),
    ]
)


def test_a_unit_without_a_pv_input_is_offered_a_charge_controller():
    """Modules are asked for as soon as there is one, and the form says why not before."""
    there = followed_by({**START, "place": "Texas", "kind": "off-grid"}, "place", WITH_BARE)
    own = followed_by({**there, "inverter": "bare"}, "inverter", WITH_BARE)
    assert own["controller"] == "marram-p100"
    assert {"module", "modules", "controller"} <= {f.path for f in fields(own, WITH_BARE)}
    none = {f.path: f for f in fields({**own, "controller": ""}, WITH_BARE)}
    assert "modules" not in none and "no PV input" in none["inverter"].why
    typed = {**own, "name": "Larkspur", "modules": "8", "array_m": "60 ft"}
    first, faults = read_by(typed, WITH_BARE)
    assert not faults and first.controller == "marram-p100"
    hybrid = {**BARE, "topology": "hybrid", "id": "new"}
    shelf = Catalogue(
        [
            *SHELF.entries.values(),
            entry.validate_python(SHELF.inverters["marram-s8"].model_dump(mode="json") | hybrid),
        ]
    )
    grid = followed_by({**START, "place": "Texas"}, "place", shelf)
    open_ = {f.path: f for f in fields({**grid, "inverter": "new"}, shelf)}
    assert "not entered yet" in open_["inverter"].why and "modules" not in open_


def test_strings_say_which_controller_they_land_on():
    """A column for it where there is one; of inverters only where they take strings."""

    def columns(document, **typed):
        plan = Plan.model_validate(document)
        rows = len(plan.strings)
        form = typed_of(plan.model_dump(mode="json"), rows, "us", SHELF) | typed
        asked = dict(sections(form, rows, SHELF))["Strings"]
        return [f.label for f in asked[: len(asked) // rows]], asked[1].choices

    bare, _ = columns(JUNIPER_CUT)
    assert bare[:3] == ["Letter", "Inverter", "Tracker"]
    both, choices = columns(SHAPES["charge controllers"])
    assert both[:4] == ["Letter", "On", "Inverter", "Tracker"]
    assert [k for k, _ in choices] == ["0", "1", "2"]
    more, choices = columns(SHAPES["charge controllers"], **{"kit/controllers": "3"})
    assert [k for k, _ in choices] == ["0", "1", "2", "3"] and more == both


def test_a_controller_is_planned_in_brief(planner, new_job):
    job = new_job(Plan.model_validate(other(SHAPES["charge controllers"], kit__controllers=1)))
    page = planner.get(f"/jobs/{job}/brief").text
    form = dict(re.findall(r'name="([^"]+)" value="([^"]*)"', page))
    picked = re.findall(
        r'<select id="[^"]*" name="([^"]+)".*?value="([^"]*)" selected', page, re.DOTALL
    )
    sent = {k: html.unescape(v) for k, v in [*form.items(), *picked]}
    sent.pop("more")
    sent |= {"kit/controllers": "2", "strings/0/controller": "2"}
    answer = planner.post(f"/jobs/{job}/brief", sent)
    assert answer.status_code == 303, re.findall(r'class="fault"[^>]*>([^<]*)', answer.text)
    after = plan_of(planner, job)
    assert after["kit"]["controllers"] == 2 and after["strings"][0]["controller"] == 2
