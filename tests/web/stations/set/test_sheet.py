"""The sheet of settings out and in again; what the windows cost; the grid profile beside what the
unit shows. SunSpec files against pysunspec2's own reader.
"""

import csv
import io
import json

import pytest
from sunspec2.file.client import FileClientDevice

from gumboot.core.plan import Plan
from gumboot.demo.plans import HERON_SLIP, JUNIPER_CUT, SALTINGS_BARN, TERN_HOLLOW
from tests.conftest import turns
from tests.shapes import other


@pytest.fixture
def barn(new_job):
    return new_job(Plan.model_validate(SALTINGS_BARN))


def values(person, job):
    return {s["id"]: s["value"] for s in person.get(f"/jobs/{job}/set.json").json()["settings"]}


def send(person, job, text, name="sheet.csv", version=None):
    version = version or person.get(f"/jobs/{job}/set.json").json()["job"]["version"]
    data = text.encode() if isinstance(text, str) else text
    return person.post(
        f"/jobs/{job}/set/sheet",
        {"unit": "1", "version": str(version)},
        files={"file": (name, data)},
    )


def test_a_sheet_comes_back_as_it_went(planner, new_job):
    first, second = (new_job(Plan.model_validate(JUNIPER_CUT)) for _ in range(2))
    text = planner.get(f"/jobs/{first}/set.csv").text
    assert send(planner, first, text).status_code == 303
    assert values(planner, first) == values(planner, second)
    rows = list(csv.DictReader(io.StringIO(text)))
    of = {r["key"]: r for r in rows}
    of["absorb_v"]["value"] = "57.9"
    of["tail_a"]["value"] = "5" if "tail_a" in of else ""
    out = io.StringIO()
    w = csv.DictWriter(out, rows[0].keys(), delimiter=";")
    w.writeheader()
    w.writerows(rows)
    assert send(planner, first, out.getvalue()).status_code == 303
    assert values(planner, first)["absorb_v"] == 57.9
    sheet = planner.get(f"/jobs/{first}/set-sheet.json").json()
    assert send(planner, second, json.dumps(sheet), "sheet.json").status_code == 303
    assert values(planner, second)["absorb_v"] == 57.9


def test_one_wrong_line_keeps_everything_and_is_said_at_the_line(planner, new_job):
    job = new_job(Plan.model_validate(JUNIPER_CUT))
    before = values(planner, job)
    answer = send(planner, job, "key,value\nabsorb_v,58.1\nfloat_v,a lot\n")
    assert answer.status_code == 422 and "a lot" in answer.text and "58.1" in answer.text
    assert "is not a number" in answer.text
    answer = send(planner, job, "key,value\nabsorb_v,58.1\nno_such,3\n")
    assert answer.status_code == 422 and "line 3 (no_such)" in answer.text
    assert values(planner, job) == before


@pytest.mark.parametrize(
    ("data", "says"),
    [
        ("", "Choose a sheet"),
        ("a,b\n1,2\n", "must name the columns"),
        ("{", "This is no JSON"),
        ('{"rows": 3}', "neither"),
        (b"\xff\xfe\x00\x01", "not text"),
        ("key,value\nnothing,\n", "no lines with a value"),
        ("key,value\nnothing,3\n", "No line of the sheet"),
    ],
)
def test_what_is_no_sheet_says_what_to_send(planner, barn, data, says):
    answer = send(planner, barn, data)
    assert answer.status_code == 422 and says in answer.text


def test_sunspec_points_as_pysunspec2_reads_them(planner, barn, tmp_path):
    """Written: scaled as the model's definition has it. Read: another device's file is taken."""
    document = planner.get(f"/jobs/{barn}/set-sunspec.json").json()
    file = tmp_path / "device.json"
    file.write_text(json.dumps(document))
    device = FileClientDevice(str(file))
    device.scan()
    now = values(planner, barn)
    storage = device.models[124][0]
    assert storage.MinRsvPct.cvalue == now["reserve_soc"]
    assert storage.ChaGriSet.cvalue == ["off", "on"].index(now["grid_charge"])
    storage.MinRsvPct.cvalue = 35.0
    told = json.dumps({"models": [storage.get_dict()]})
    assert send(planner, barn, told, "device.json").status_code == 303
    assert values(planner, barn)["reserve_soc"] == 35


def test_an_export_limit_of_each_phase_is_keyed_so(planner, new_job):
    tariff = {**SALTINGS_BARN["energy"]["tariff"], "export_limit_w": 2000}
    each = other(SALTINGS_BARN, energy__tariff={**tariff, "export_limit_of": "each phase"})
    job = new_job(Plan.model_validate(each))
    now = values(planner, job)
    assert now["export_of"] == "per phase" and now["export_w"] == 2000 and now["unbalanced"] == "on"
    summed = new_job(Plan.model_validate(other(SALTINGS_BARN, energy__tariff=tariff)))
    assert values(planner, summed)["export_of"] == "in all"
    planner.post(
        f"/jobs/{summed}/set",
        {
            **{k: str(v) for k, v in values(planner, summed).items()},
            "export_of": "per phase",
            "version": "1",
        },
    )
    said = planner.get(f"/jobs/{summed}/set.json").text
    assert "2000 W on each of 3 phases is above the 2000 W" in said


@pytest.mark.long
def test_the_windows_cost_is_said_and_the_proposal_taken(planner, new_job):
    job = new_job(Plan.model_validate(TERN_HOLLOW))
    assert planner.get(f"/jobs/{job}/set/year.json").json()["rows"] == []
    for _ in turns(400):
        if rows := planner.get(f"/jobs/{job}/set/year.json").json()["rows"]:
            break
    keyed, plain, offered = rows
    assert keyed["more"] == 0 and offered["bill"] <= plain["bill"] + 0.01
    assert offered["windows"] and offered["more"] < -1
    page = planner.get(f"/jobs/{job}/set/year").text
    assert "Take the windows proposed" in page
    version = planner.get(f"/jobs/{job}/set.json").json()["job"]["version"]
    assert planner.post(f"/jobs/{job}/year/work", {"version": str(version)}).status_code == 303
    assert values(planner, job)["mode"] == "time windows"
    cabin = new_job(Plan.model_validate(JUNIPER_CUT))
    assert "Off grid" in planner.get(f"/jobs/{cabin}/set/year.json").json()["lacks"]


def test_what_the_unit_shows_of_its_profile(installer, planner, supervisor, new_job):
    job = new_job(Plan.model_validate(HERON_SLIP))
    rows = installer.get(f"/jobs/{job}/set.json").json()["profile"]["rows"]
    over, under = rows[0], rows[2]
    bad = installer.post(f"/jobs/{job}/set/profile", {over["key"]: "much", under["key"]: "211 V"})
    assert bad.status_code == 422 and "type the number" in bad.text and "211 V" in bad.text
    sent = {over["key"]: over["value"], under["key"]: "180 V"}
    assert installer.post(f"/jobs/{job}/set/profile", sent).status_code == 303
    page = installer.get(f"/jobs/{job}/set.json").json()["profile"]
    assert [r["verdict"] for r in page["rows"][:3]] == ["done", "", "outside"]
    assert page["strays"] == 1
    missing = supervisor.get(f"/jobs/{job}/hand-over.json").json()["missing"]
    assert any("another value than planned" in m for m in missing)
    word = {"who": "A. Grey, licence 77", "letter": "12 March, ref. 8", "version": "1"}
    assert installer.post(f"/jobs/{job}/set/profile/word", word).status_code == 403
    assert planner.post(f"/jobs/{job}/set/profile/word", word).status_code == 303
    assert installer.get(f"/jobs/{job}/set.json").json()["profile"]["strays"] == 0
