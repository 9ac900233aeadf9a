"""Set as a crew uses it: the sheet with its ladders, keyed line by line, another value judged on
the spot, given away as CSV.
"""

import csv
import io
import uuid

import pytest
from pypdf import PdfReader

from gumboot.core.plan import Plan
from gumboot.demo.plans import HERON_SLIP, JUNIPER_CUT, TERN_HOLLOW
from tests.shapes import SHAPES, other


@pytest.fixture
def job(new_job):
    return new_job(Plan.model_validate(JUNIPER_CUT))


def entry(key, typed="", act="done", **more):
    own = {"uuid": str(uuid.uuid4()), "kind": "set"}
    return {**own, "key": key, "act": act, "typed": typed, **more}


def steps(person, job):
    return person.get(f"/jobs/{job}/set/key.json").json()["steps"]


def of_line(person, job, id):
    return next(s for s in steps(person, job) if s["key"].startswith(f"key.1.{id}="))


def test_a_line_is_keyed_as_shown_or_what_stands_there_is_judged(installer, job):
    first = steps(installer, job)[0]
    (no,) = installer.log(job, entry(first["key"], " ")).json()["entries"]
    assert no["state"] == "refused" and no["why"] == "type what stands there"
    assert installer.log(job, entry(first["key"], "V2.14")).json()["entries"][0]["state"] == "kept"
    kind, volts = (of_line(installer, job, x) for x in ("battery_type", "absorb_v"))
    assert kind["lever"] == "FLd" and volts["expects"] == "58.3 V"
    assert "From the works: 56.4" in volts["says"]
    (kept,) = installer.log(job, entry(kind["key"])).json()["entries"]
    assert kept["verdict"] == "done"
    (other,) = installer.log(job, entry(volts["key"], "56.4")).json()["entries"]
    assert other["verdict"] == "outside" and "56.4 V stands there" in other["why"]
    missing = installer.get(f"/jobs/{job}/hand-over.json").json()["missing"]
    assert any("1 reading of Link, Wake, Set or Prove not as expected" in m for m in missing)
    (left,) = installer.log(job, entry(volts["key"], act="declined")).json()["entries"]
    assert left["state"] == "refused" and left["field"] == "note"
    (left,) = installer.log(
        job, entry(volts["key"], act="declined", note="the menu is locked")
    ).json()["entries"]
    assert left["state"] == "kept"
    pack = installer.get(f"/jobs/{job}/hand-over").text
    assert "3 of 66 steps of Set" in pack and "V2.14" in pack and "the menu is locked" in pack


def test_a_value_planned_anew_is_to_be_keyed_anew(planner, installer, job):
    before = of_line(installer, job, "absorb_v")
    installer.log(job, entry(before["key"], "57"))
    form = planner.get(f"/jobs/{job}/set.json").json()["typed"]
    planner.post(f"/jobs/{job}/set", {**form, "absorb_v": "58.0", "version": "1"})
    after = of_line(installer, job, "absorb_v")
    assert after["key"] != before["key"] and after["state"] == ""
    (late,) = installer.log(job, entry(before["key"])).json()["entries"]
    assert late["state"] == "refused" and "reload the page" in late["why"]
    missing = installer.get(f"/jobs/{job}/hand-over.json").json()["missing"]
    assert not any("of Link, Wake or Set" in m for m in missing), "it was of another value"


def test_the_sheet_is_given_away_in_the_order_of_keying(installer, job):
    installer.log(job, entry(of_line(installer, job, "battery_type")["key"]))
    rows = list(csv.DictReader(io.StringIO(installer.get(f"/jobs/{job}/set.csv").text)))
    shown = [s for s in steps(installer, job) if s["key"].startswith("key.")]
    assert len(rows) == len(shown)
    kind = next(r for r in rows if r["line"] == "Battery type")
    assert (kind["number"], kind["works"], kind["display"], kind["keyed"]) == (
        *("18", "SLd", "FLd"),
        "FLd",
    )


def test_the_sheet_is_printed_with_its_ladders(installer, job):
    """By a worker: every line in the order of keying, on the paper that is asked."""
    pages = PdfReader(io.BytesIO(installer.get(f"/jobs/{job}/set.pdf?paper=letter").content)).pages
    said = "\n".join(p.extract_text() for p in pages)
    assert "Battery type" in said and "FLd lead, flooded" in said and "Volts of the bank" in said
    assert (round(pages[0].mediabox.width), round(pages[0].mediabox.height)) == (612, 792)


def test_an_export_limit_says_what_it_hangs_on(installer, new_job):
    job = new_job(Plan.model_validate(other(HERON_SLIP, energy__tariff={"export_limit_w": 0})))
    said = of_line(installer, job, "export_w")["says"]
    assert "test of the transformers under Link has not passed" in said


def test_a_time_that_is_none_is_said_at_its_field_and_all_is_kept(planner, job):
    form = planner.get(f"/jobs/{job}/set.json").json()["typed"]
    sent = {**form, "charge_1_start": "25:99", "absorb_v": "57.5", "version": "1"}
    answer = planner.post(f"/jobs/{job}/set", sent)
    assert answer.status_code == 422 and 'id="charge_1_start-fault"' in answer.text
    assert 'value="25:99"' in answer.text and 'value="57.5"' in answer.text
    planner.post(f"/jobs/{job}/set", {**sent, "charge_1_start": "2:15 am"})
    assert planner.get(f"/jobs/{job}/set.json").json()["typed"]["charge_1_start"] == "02:15"


def test_leader_and_followers_have_their_own_lines(installer, new_job):
    """Two units: what differs is said at the follower's step."""
    job = new_job(Plan.model_validate(TERN_HOLLOW))
    rows = [s for s in steps(installer, job) if ".parallel=" in s["key"]]
    assert [s["lever"] for s in rows] == ["leader", "follower"]
    assert "other unit has another value" in rows[1]["says"]


def test_a_charge_controller_has_a_menu_of_its_own(planner, installer, new_job):
    """Beside the inverter's: saved for it alone, keyed after it, and judged by its own sheet."""
    job = new_job(Plan.model_validate(SHAPES["charge controllers"]))
    page = planner.get(f"/jobs/{job}/set?unit=11").text
    assert "Charge controller 2" in page and 'name="ctl_absorb"' in page and "No BMS" in page
    assert 'name="unit" value="11"' in page and "absorb_v" not in page.split('id="sheet"')[0]
    sent = {"unit": "11", "version": "1", "ctl_absorb": "5 volts"}
    answer = planner.post(f"/jobs/{job}/set", sent)
    assert answer.status_code == 422 and 'id="ctl_absorb-fault"' in answer.text
    answer = planner.post(f"/jobs/{job}/set", {**sent, "ctl_absorb": "58.0"})
    assert answer.headers["location"].endswith("?unit=11")
    assert "as on charge controller 1" in planner.get(f"/jobs/{job}/set?unit=12").text
    rows = [s for s in steps(installer, job) if ".ctl_absorb=" in s["key"]]
    assert [s["key"] for s in rows] == [
        "key.11.ctl_absorb=58.0 V",
        "key.12.ctl_absorb=58.0 V",
    ]
    installer.post(f"/jobs/{job}/set/key", {"key": rows[0]["key"], "act": "done", "typed": "57"})
    (row,) = [s for s in steps(installer, job) if s["key"] == rows[0]["key"]]
    assert row["state"] == "outside"
    assert installer.get(f"/jobs/{job}/set/read?unit=11").status_code == 200


def test_the_plain_form_does_the_same_without_a_script(installer, job):
    key = of_line(installer, job, "battery_type")["key"]
    page = installer.get(f"/jobs/{job}/set/key?at={key}").text
    assert f'action="/jobs/{job}/set/key"' in page
    installer.post(f"/jobs/{job}/set/key", {"key": key, "act": "done", "typed": "Lib"})
    (row,) = [s for s in steps(installer, job) if s["key"] == key]
    assert row["state"] == "outside" and row["typed"] == "Lib"
