"""The parts of the brief as a crew uses them: load board, year, survey; what is typed is kept, what
is sent is read, what takes long is told.
"""

import html
import io
import json
import re

import numpy as np
import pytest
from PIL import Image

from gumboot.core.plan import Plan
from gumboot.demo import plans
from gumboot.exports.job_file import read
from gumboot.store import database, results
from gumboot.web.stations.brief.loads_form import COLUMNS, documents, row_of, rows_of_csv, to_csv
from tests.conftest import turns
from tests.shapes import SHAPES
from tests.web.test_stations import plan_of

pytestmark = pytest.mark.long


def form_of(page, action):
    """A form as a browser would send it unchanged."""
    form = re.search(rf'<form[^>]*action="{re.escape(action)}".*?</form>', page, re.S)[0]
    fields = {}
    for found in re.finditer(r"<input([^>]*)>", form):
        name, value = (
            re.search(r'name="([^"]*)"', found[1]),
            re.search(r'value="([^"]*)"', found[1]),
        )
        if name and 'type="file"' not in found[1] and name[1] != "csrf":
            fields[name[1]] = html.unescape(value[1]) if value else ""
    for name, options in re.findall(r'<select[^>]* name="([^"]+)"[^>]*>(.*?)</select>', form, re.S):
        chosen = re.search(r'value="([^"]*)" selected', options) or re.search(
            r'value="([^"]*)"', options
        )
        fields[name] = (
            html.unescape(chosen[1]) if chosen else re.search(r"<option>([^<]*)", options)[1]
        )
    return fields


@pytest.fixture
def tern_job(new_job, tern):
    return new_job(tern)


STILL: dict[str, int] = {}


@pytest.fixture
def still_job(new_job, tern):
    """A job that tests leave as it is, one for all of them: its year is made once."""
    if not STILL:
        STILL["job"] = new_job(tern)
    return STILL["job"]


def settled(person, path, *parts):
    """The page's data once the worker is done."""
    for _ in turns(400):
        data = person.get(path).json()
        if all(
            data[p]
            and (data[p].get("done", True) or data[p]["fault"])
            and (p != "file" or data[p]["body"] or data[p]["fault"])
            for p in parts
        ):
            return data
    raise AssertionError(data)


# The load board.


def test_the_board_saved_unchanged_is_the_same_plan(planner, tern_job):
    before = plan_of(planner, tern_job)
    path = f"/jobs/{tern_job}/loads"
    answer = planner.post(path, form_of(planner.get(path).text, path))
    assert answer.status_code == 303 and plan_of(planner, tern_job)["loads"] == before["loads"]


def test_picking_and_typing_rows_keeps_what_was_typed(planner, tern_job):
    path = f"/jobs/{tern_job}/loads"
    sent = {**form_of(planner.get(path).text, path), "load-0-name": "Typed just now"}
    picked = planner.post(path, {**sent, "more": "pick", "ordinary": "6"}).text
    assert (
        "Typed just now" in picked
        and 'value="Well pump"' in picked
        and f'name="load-{len(plans.TERN_HOLLOW["loads"])}-name"' in picked
    )
    grown = form_of(planner.post(path, {**sent, "more": "row"}).text, path)
    assert grown["rows"] == str(int(sent["rows"]) + 1)
    assert plan_of(planner, tern_job)["loads"][0]["name"] == "Refrigerator"


@pytest.mark.parametrize(
    ("field", "typed", "says"),
    [
        ("load-0-runs", "lots", "type a number and unit"),
        ("load-0-runs", "", "type a power"),
        ("load-0-name", "", "type a name"),
        ("load-1-hours", "noonish", "type it as 6-9"),
        ("load-1-share", "140 %", "at most 100 %"),
        ("load-2-starts", "9999 A", "at most 4000 A"),
        ("load-2-legs", "L7", "choose one of"),
        ("load-2-kind", "magic", "choose one of"),
        ("load-2-runs", "0 W", "more than 0 W"),
        ("load-2-runs", "900 kW", "at most"),
    ],
)
def test_a_bad_row_is_named_at_its_field(planner, tern_job, field, typed, says):
    path = f"/jobs/{tern_job}/loads"
    sent = {**form_of(planner.get(path).text, path), "load-5-name": "Typed just now", field: typed}
    answer = planner.post(path, sent)
    assert (
        answer.status_code == 422
        and says in answer.text
        and "Typed just now" in answer.text
        and 'aria-invalid="true"' in answer.text
    )


def test_a_preview_shows_the_board_as_typed(planner, tern_job):
    path = f"/jobs/{tern_job}/loads"
    sent = form_of(planner.get(path).text, path)
    assert "<b>■ stop</b> Leg L1: 10.2 kW" in planner.get(path).text
    better = planner.post(path, {**sent, "load-7-legs": "L2", "more": "fields"}).text
    assert (
        "Leg L1: 10.2 kW"
        not in better[
            better.index('id="preview"') : better.index("</section>", better.index('id="preview"'))
        ]
    )
    assert planner.get(f"{path}.json").json()["totals"]["legs"][0]["running_w"] == 10_220


def test_best_legs_are_offered_and_taken(planner, tern_job):
    path = f"/jobs/{tern_job}/loads"
    sent = form_of(planner.get(path).text, path)
    offered = planner.post(path, {**sent, "more": "stay"}).text
    assert "proven least" in offered and "Kitchen sockets: L1 → L2" in offered
    taken = form_of(planner.post(path, {**sent, "more": "take:stay:"}).text, path)
    assert planner.post(path, taken).status_code == 303
    legs = planner.get(f"{path}.json").json()["totals"]["legs"]
    assert max(x["running_w"] for x in legs[:2]) == 7845


def test_best_legs_leave_alone_what_no_inverter_feeds(planner, new_job):
    """Units on L1 and L2: a circuit on L3 that stops with the grid stands in nobody's way; one that
    should live there is to be put right first.
    """
    terrace = SHAPES["single-phase units on three lines"]
    kit = {**terrace["kit"], "inverters": 2, "lines": "L1 L2"}
    heater = {"id": "heater", "name": "Heater", "running_w": 2000, "legs": "L3", "backed": False}
    for backed, says in ((False, "proven least"), (True, "Heater is on L3")):
        loads = [*terrace["loads"], {**heater, "backed": backed}]
        job = new_job(Plan.model_validate({**terrace, "kit": kit, "loads": loads}))
        path = f"/jobs/{job}/loads"
        sent = form_of(planner.get(path).text, path)
        assert says in planner.post(path, {**sent, "more": "stay"}).text
    sent = form_of(planner.post(path, {**sent, "more": "take:stay:"}).text, path)
    assert "L3" in sent.values()


def test_a_table_goes_on_the_board_and_comes_off_it(planner, tern_job):
    path = f"/jobs/{tern_job}/loads"
    sent = form_of(planner.get(path).text, path)
    table = (
        "Circuit;Watts;LRA;Phase;Backup;Hours\nSauna;6"
        " kW;;L1+L2;no;18-20\nRefrigerator;200;12;L2;essential;"
    )
    put = form_of(planner.post(path, {**sent, "more": "csv", "csv": table}).text, path)
    rows = {
        put[f"load-{i}-name"]: {k: put[f"load-{i}-{k}"] for k in COLUMNS}
        for i in range(int(put["rows"]))
    }
    assert (
        rows["Sauna"]["outage"] == "off"
        and rows["Refrigerator"]["starts"] == "12 A"
        and rows["Refrigerator"]["runs"] == "200 W"
        and rows["Refrigerator"]["outage"] == "must"
    )
    assert (
        len([n for n in rows if n == "Refrigerator"]) == 1
        and planner.post(path, put).status_code == 303
    )
    text = planner.get(f"/jobs/{tern_job}/loads.csv").text
    assert to_csv(rows_of_csv(text)) == text
    stored = plan_of(planner, tern_job)["loads"]
    again, faults = documents(
        [{**r, "id": x["id"]} for r, x in zip(rows_of_csv(text), stored, strict=True)]
    )
    assert (
        not faults and [{k: x[k] for k in y} for x, y in zip(stored, again, strict=True)] == again
    )
    refused = planner.post(path, {**sent, "more": "csv", "csv": "nothing to see"})
    assert (
        refused.status_code == 422
        and "paste lines with a name and a power" in refused.text
        and "nothing to see" in refused.text
    )


def test_two_people_on_one_board_lose_nothing(planner, supervisor, tern_job):
    path = f"/jobs/{tern_job}/loads"
    sent = form_of(planner.get(path).text, path)
    assert supervisor.post(path, {**sent, "load-0-runs": "250 W"}).status_code == 303
    answer = planner.post(path, {**sent, "load-1-runs": "333 W"})
    assert (
        answer.status_code == 409
        and "333 W" in answer.text
        and "250 W" in answer.text
        and "Ilse Quayle" in answer.text
    )
    assert planner.post(path, form_of(answer.text, path)).status_code == 303


def test_rows_are_the_plan_again():
    from gumboot.core.plan import Load

    loads = [
        Load.model_validate(x)
        for p in (plans.TERN_HOLLOW, plans.SALTINGS_BARN, plans.MOSSBANK_TERRACE, plans.JUNIPER_CUT)
        for x in p["loads"]
    ]
    made, faults = documents([{**row_of(x), "id": f"{n}"} for n, x in enumerate(loads)])
    assert (
        not faults
        and [Load.model_validate({**x, "id": y.id}) for x, y in zip(made, loads, strict=True)]
        == loads
    )


# The year.


@pytest.mark.long
def test_a_year_is_computed_once_and_again_when_what_it_is_made_from_changes(
    planner, supervisor, tern_job, make
):
    path = f"/jobs/{tern_job}/year"
    page = planner.get(path)
    assert page.status_code == 200 and (
        'hx-trigger="every 1s"' in page.text or 'id="outages"' in page.text
    )
    data = settled(planner, f"{path}.json", "lived", "best")
    bills = data["lived"]["body"]["bills"]
    assert (
        bills["nothing"] > bills["sun"] > bills["all"]
        and data["best"]["reach_proposed"] >= 0.875
        and data["best"]["reach"] <= 1
    )
    crew = data["job"]["id"]
    with make() as db:
        database.see_crew(db, 1)
        row = results.found(db, crew, "year", data["lived"]["key"])
        made_at = row.beat_at
    assert planner.get(f"{path}.json").json()["lived"]["key"] == data["lived"]["key"]
    with make() as db:
        database.see_crew(db, 1)
        assert results.found(db, crew, "year", data["lived"]["key"]).beat_at == made_at
    shown = planner.get(f"{path}?day=171&carpet=stored").text
    assert "21 June" in shown and shown.count("data:image/png;base64,") >= 2 and "worst:" in shown
    steps = planner.get(f"/jobs/{tern_job}/year-steps.csv").text.splitlines()
    assert len(steps) == 35_041 and steps[0].startswith("start_utc,sun_w,load_w")
    bought = (
        sum(float(x.split(",")[steps[0].split(",").index("bought_w")]) for x in steps[1:]) / 4000
    )
    assert bought == pytest.approx(data["lived"]["body"]["energy"]["all"]["bought"], rel=1e-4)
    carried = planner.post(f"{path}/work", {"version": str(data["job"]["version"])})
    assert carried.status_code == 303 and carried.headers["location"].endswith("/set")
    sheet = planner.get(f"/jobs/{tern_job}/set").text
    assert (
        "time windows" in sheet
        and plan_of(planner, tern_job)["energy"]["work"]["mode"] == "windows"
    )
    after = settled(planner, f"{path}.json", "lived", "best")
    assert after["best"]["same"] and after["lived"]["body"]["bills"]["all"] == pytest.approx(
        data["best"]["body"]["bill_proposed"], abs=0.01
    )
    assert supervisor.get(f"{path}.json").json()["lived"]["key"] == after["lived"]["key"]


def test_a_tariff_is_typed_with_its_holes_and_contradictions_found(planner, tern_job):
    path = f"/jobs/{tern_job}/year"
    before = plan_of(planner, tern_job)
    assert planner.post(path, form_of(planner.get(path).text, path)).status_code == 303
    assert plan_of(planner, tern_job) == before
    sent = form_of(planner.get(path).text, path)
    assert planner.post(path, {**sent, "energy/tariff/rates/4/hours": "1-6"}).status_code == 303
    assert "The tariff has no rate for 00:00-01:00" in planner.get(path).text
    sent = form_of(planner.get(path).text, path)
    assert planner.post(path, {**sent, "energy/tariff/rates/4/hours": "23-6"}).status_code == 303
    assert "both hold for" in planner.get(path).text


@pytest.mark.parametrize(
    ("field", "typed", "says"),
    [
        ("energy/tariff/rates/0/buy", "cheap", "is not a number"),
        ("energy/tariff/rates/0/buy", "", "type a price"),
        ("energy/tariff/rates/0/name", "", "type a name"),
        ("energy/tariff/rates/0/hours", "5", "type it as 6-9"),
        ("energy/tariff/export_limit_w", "much", "type a number and unit"),
        ("charge-0", "2-5", "such as 02:00-05:00 to 80 %"),
        ("discharge-1", "17-21 to 130 %", "such as"),
        ("energy/climate_factor", "300 %", "at most 1"),
        ("energy/yearly_kwh", "-5", "more than 0"),
        ("energy/tariff/currency", "", "type a name"),
        ("energy/load_file", "f" * 64, "choose one of"),
    ],
)
def test_a_bad_figure_of_the_year_is_named_at_its_field(planner, still_job, field, typed, says):
    path = f"/jobs/{still_job}/year"
    sent = {
        **form_of(planner.get(path).text, path),
        "energy/tariff/rates/1/name": "Typed just now",
        field: typed,
    }
    answer = planner.post(path, sent)
    assert (
        answer.status_code == 422
        and says in answer.text
        and "Typed just now" in answer.text
        and 'aria-invalid="true"' in answer.text
    )


def test_a_year_that_cannot_be_made_says_what_is_missing(planner, new_job, heron):
    job_id = new_job(heron)
    assert "The latitude is not known" in planner.get(f"/jobs/{job_id}/year").text
    assert planner.get(f"/jobs/{job_id}/year.json").json()["lived"] is None


def meter_csv(year=2023):
    starts = np.arange(
        np.datetime64(f"{year}-01-01T06:00"),
        np.datetime64(f"{year}-01-01T06:00") + np.timedelta64(365, "D"),
        np.timedelta64(30, "m"),
    )
    return "start,kWh\n" + "\n".join(
        f"{t}Z,{0.3 + 0.2 * (n % 48 > 34):.2f}" for n, t in enumerate(starts)
    )


@pytest.mark.long
def test_readings_are_read_said_used_and_go_with_the_job(planner, tern_job, new_job):
    path = f"/jobs/{tern_job}/readings"
    text = meter_csv().splitlines()
    text[77] = "broken,line"
    sent = planner.post(
        path,
        {"kind": "readings", "dates": "month"},
        files={"file": ("house.csv", "\n".join(text).encode())},
    )
    assert sent.status_code == 303
    where = sent.headers["location"].split("#")[0]
    found = settled(planner, where.replace("/year?", "/year.json?"), "file")["file"]["body"]
    assert (
        found["year"] == 2023
        and found["bad"] == 1
        and found["bad_lines"][0][0] == 78
        and "Make the year from it" in planner.get(where).text
    )
    version = str(planner.get(f"/jobs/{tern_job}/year.json").json()["job"]["version"])
    assert (
        planner.post(f"{path}/use", {"digest": found["digest"], "version": version}).status_code
        == 303
    )
    assert plan_of(planner, tern_job)["energy"]["load_file"] == found["digest"]
    body = settled(planner, f"/jobs/{tern_job}/year.json", "lived")["lived"]["body"]
    assert (
        body["energy"]["nothing"]["load"] == pytest.approx(found["kwh"], rel=1e-4)
        and body["year"] == 2023
    )
    assert planner.get(f"/jobs/{tern_job}/files/{found['digest']}.csv").text.startswith(
        "start,kwh_of_2023"
    )
    exported = planner.get(f"/jobs/{tern_job}/export.json").content
    assert [f.digest for f in read(exported).files] == [found["digest"]]
    taken = planner.post("/jobs/import", files={"file": ("job.json", exported)})
    assert taken.status_code == 303
    other = taken.headers["location"].split("/")[2]
    assert (
        settled(planner, f"/jobs/{other}/year.json", "lived")["lived"]["body"]["bills"]
        == body["bills"]
    )
    broken = exported.replace(b'"data": "', b'"data": "AAAA', 1)
    answer = planner.post("/jobs/import", files={"file": ("job.json", broken)})
    assert answer.status_code == 422 and "files/0/data" in answer.text


@pytest.mark.long
@pytest.mark.parametrize(
    ("name", "data", "kind", "says"),
    [
        ("a.csv", b"\x89PNG" + bytes(900), "readings", "not a text file"),
        ("a.xml", b"<feed>", "readings", "breaks at line 1"),
        ("a.epw", b"LOCATION,x\n", "weather", "empty"),
        ("a.csv", b"time,kWh\n2023-01-01 00:00,1\n", "readings", "Not taken"),
    ],
)
def test_files_that_cannot_be_read_are_refused_in_words(planner, still_job, name, data, kind, says):
    sent = planner.post(
        f"/jobs/{still_job}/readings", {"kind": kind, "dates": "day"}, files={"file": (name, data)}
    )
    where = sent.headers["location"].split("#")[0]
    settled(planner, where.replace("/year?", "/year.json?"), "file")
    page = planner.get(where).text
    assert says in page and "Not taken" in page and "Traceback" not in page


def test_no_file_is_asked_for(planner, still_job):
    answer = planner.post(f"/jobs/{still_job}/readings", {"kind": "readings"})
    assert answer.status_code == 422 and "choose a file" in answer.text


# The survey.


def jpeg(w=900, h=600):
    out = io.BytesIO()
    Image.new("RGB", (w, h), (90, 120, 60)).save(out, "JPEG")
    return out.getvalue()


def test_what_is_unknown_stays_so_until_someone_looks(planner, new_job, heron):
    job_id = new_job(heron)
    path = f"/jobs/{job_id}/survey"
    data = planner.get(f"{path}.json").json()
    assert not data["begun"] and {f["state"] for f in data["facts"] if f["here"]} == {"unknown"}
    sent = form_of(planner.get(path).text, path)
    assert (
        planner.post(
            path,
            {
                **sent,
                "survey/wall": "concrete",
                "survey/opening_m": "2 ft",
                "survey/confirmed/permit": "Desk 4, by telephone",
            },
        ).status_code
        == 303
    )
    page = html.unescape(planner.get(path).text)
    assert (
        "2 ft away; 3 ft is commonly asked" in page
        and "Not surveyed yet: surface behind the storage" in page
        and "5 of 6 local rules are not confirmed" in page
    )
    assert plan_of(planner, job_id)["survey"]["confirmed"] == {"permit": "Desk 4, by telephone"}
    bad = planner.post(
        path,
        {**form_of(page, path), "survey/opening_m": "far", "survey/licensed/ac": "Typed just now"},
    )
    assert (
        bad.status_code == 422
        and "type a number and unit" in bad.text
        and "Typed just now" in bad.text
    )


def test_a_guess_from_the_latitude_is_marked_and_found(planner, new_job, heron):
    job_id = new_job(heron)
    path = f"/jobs/{job_id}/brief"
    sent = {
        **form_of(planner.get(path).text, path),
        "site/latitude_deg": "45",
        "site/t_min_c": "",
        "site/t_roof_c": "",
    }
    assert planner.post(path, sent).status_code == 303
    site = plan_of(planner, job_id)["site"]
    assert site["guessed"] == ["t_min_c", "t_roof_c"] and site["t_min_c"] == pytest.approx(
        27 - 1.1 * 45
    )
    data = planner.get(f"/jobs/{job_id}/survey.json").json()
    assert {f["path"] for f in data["facts"] if f["state"] == "guess"} == {
        "site/t_min_c",
        "site/t_roof_c",
    }
    assert "is a guess from the place" in planner.get(path).text


def test_photographs_are_kept_in_the_record_and_withdrawn_by_name(
    installer, planner, tern_job, stranger
):
    path = f"/jobs/{tern_job}/photos"
    some = [("photos", ("a.jpg", jpeg())), ("photos", ("b.txt", b"not a photo"))]
    answer = installer.post(path, {"what": "meter", "note": "seal intact"}, files=some)
    assert answer.status_code == 422 and "b.txt: It is not a photograph" in answer.text
    (photo,) = installer.get(f"/jobs/{tern_job}/survey.json").json()["photos"]
    assert photo["note"] == "seal intact" and photo["who"] == "Osk Fellgate"
    shown = planner.get(f"{path}/{photo['digest']}.jpg")
    assert shown.headers["content-type"] == "image/jpeg" and Image.open(
        io.BytesIO(shown.content)
    ).size == (900, 600)
    assert stranger.get(f"{path}/{photo['digest']}.jpg").status_code == 404
    assert (
        installer.post(
            f"{path}/withdraw", {"digest": photo["digest"], "reason": "wrong house"}
        ).status_code
        == 303
    )
    assert not installer.get(f"/jobs/{tern_job}/survey.json").json()["photos"]
    log = json.loads(planner.get(f"/jobs/{tern_job}/export.json").text)
    assert [e["kind"] for e in log["log"]][-2:] == ["photo", "withdraw"] and [
        f["kind"] for f in log["files"]
    ] == ["photo"]
    assert installer.post(path, {"what": "meter"}).status_code == 422


def test_a_signed_job_takes_no_photograph(installer, planner):
    heron_id = next(j["id"] for j in planner.get("/jobs.json").json()["jobs"] if j["signed"])
    answer = installer.post(
        f"/jobs/{heron_id}/photos", {"what": "meter"}, files=[("photos", ("a.jpg", jpeg()))]
    )
    assert answer.status_code == 409 and "signed" in answer.text
    assert not planner.get(f"/jobs/{heron_id}/survey.json").json()["photos"]
