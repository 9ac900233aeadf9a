"""The crew's shelf through its pages and files: entered, kept in editions, read twice, carried
along with jobs; bad input said at its field, and nothing half taken.
"""

import copy
import json
import re
import threading
from html import unescape

import pytest
from jsonschema import Draft202012Validator

from gumboot.catalogue import catalogue, documents
from gumboot.core.kit import Catalogue, entry, schema_text
from gumboot.core.kit.missing import missing
from gumboot.demo import plans
from gumboot.store import shelf
from gumboot.store.database import see_crew
from gumboot.web.shelf.reading import fields_of, form_of, read
from gumboot.web.shelf.sheets import SHEETS

H5 = {
    "kind": "inverter",
    "id": "own-h5",
    "maker": "Ownwright",
    "model": "H5",
    "supply": "single-phase 230 V",
    "power_w": 5000,
    "battery_v_min": 40,
    "battery_v_max": 60,
    "charge_max_a": 100,
    "pv_v_max": 600,
    "trackers": [{"id": "1", "v_min": 120, "v_max": 500, "i_mp_max_a": 14, "i_sc_max_a": 18}],
    "battery": {"i_max_a": 110, "protection_max_a": 160},
    "grid": {"i_max_a": 22, "protection_max_a": 32},
    "backup": {"i_max_a": 22, "protection_max_a": 32},
}
P5 = {
    "kind": "pack",
    "id": "own-p5",
    "maker": "Ownwright",
    "model": "P5",
    "chemistry": "LFP",
    "cells": 16,
    "capacity_ah": 100,
    "discharge_max_a": 100,
    "charge_max_a": 50,
    "bms_v_max": 57.6,
    "bms_v_min": 44.8,
    "parallel_max": 4,
    "breaker_a": 125,
}


UNKNOWN = {"id": "a", "group": "g", "label": "l", "rule": "x"}
NAMES = "Name,I_sc_ref,V_oc_ref,I_mp_ref,V_mp_ref\n"


def upload(person, rows, name="shelf.json"):
    text = rows if isinstance(rows, str | bytes) else json.dumps(rows)
    return person.post("/shelf/import", files={"file": (name, text)})


def typed_form(body, system="si"):
    """What a browser sends for an entry as its page shows it."""
    sheet = SHEETS[body["kind"]]
    form = form_of(body, sheet, system)
    return {**form.typed, **{f"n.{k}": str(n) for k, n in form.counts.items()}, "units": system}


@pytest.mark.parametrize("system", ["si", "us"])
def test_every_shipped_entry_comes_back_from_its_form_as_it_was(system):
    """No field of any sheet is lost or rounded by being shown, in either system of units."""
    for body in documents():
        sheet = SHEETS[body["kind"]]
        form = form_of(body, sheet, system)
        assert read(form, body, sheet, system) == body, body["id"]
        assert form.faults == {}, body["id"]


def test_whatever_a_shipped_entry_is_can_be_chosen_in_its_form():
    """What a crew copies it can enter too: a residual-current device, a surge arrester."""
    for body in documents():
        sheet = SHEETS[body["kind"]]
        form = form_of(body, sheet, "si")
        for f in fields_of(sheet, form.counts):
            offered = [value for value, _ in f.choices]
            if offered and form.typed[f.path]:
                assert form.typed[f.path] in offered, (body["id"], f.path)


def test_a_first_section_is_enough_and_what_lacks_is_named():
    """An inverter and a pack of their first figures carry a design; each station names what it
    wants."""
    rows = [entry.validate_python(x) for x in (H5, P5)]
    lacks = {m.section for e in rows for m in missing(e)}
    assert {"terminals", "menu", "case", "switching", "signals", "electrical"} <= lacks
    assert all(not missing(e) for e in catalogue().gateways.values())
    from gumboot.core.design import design
    from gumboot.core.plan import Plan

    document = copy.deepcopy(plans.MOSSBANK_TERRACE)
    document["kit"] |= {"inverter": "own-h5", "pack": "own-p5", "packs": 2, "gateway": None}
    document |= {"strings": [], "walls": [], "devices": {}}
    kit = Catalogue([*rows, *catalogue().entries.values()])
    made = design(Plan.model_validate(document), kit)
    named = [f for f in made.findings if f.key.startswith("sheet.own-")]
    assert {made.stations[f.key] for f in named} == {"land", "link", "set", "wall", "size"}
    assert made.circuits and made.terminations
    stops = [f for f in named if f.level.value == "stop"]
    assert stops and all(f.place.startswith("shelf/own-") for f in stops)


def test_entered_saved_in_editions_and_only_a_change_makes_one(member):
    planner = member("planner")
    body = {**H5, "model": "H5 A"}
    answer = planner.post("/shelf/new/inverter", {**typed_form(body), "version": "0"})
    assert answer.headers["location"] == "/shelf/ownwright-h5-a?saved=1"
    kept = planner.get("/shelf/ownwright-h5-a.json").json()
    assert kept["entry"]["edition"] == 1 and kept["entry"]["body"]["power_w"] == 5000
    form = typed_form(kept["entry"]["body"])
    same = planner.post("/shelf/ownwright-h5-a", {**form, "version": "1"})
    assert same.headers["location"].endswith("saved=same")
    form["power_w"] = "6 kW"
    changed = planner.post("/shelf/ownwright-h5-a", {**form, "version": "1"})
    assert changed.headers["location"].endswith("saved=1")
    assert planner.get("/shelf/ownwright-h5-a.json").json()["entry"]["edition"] == 2
    assert "5 kW" in planner.get("/shelf/ownwright-h5-a?edition=1").text


@pytest.mark.parametrize(
    ("field", "text", "says"),
    [
        ("power_w", "five", "is not a power"),
        ("battery_v_min", "40 A", "is not a unit of voltage"),
        ("maker", "", "type a name"),
        ("trackers/0/i_sc_max_a", "", "type a value"),
        ("grid/terminals/0/torque_nm", "12 mm", "is not a unit of torque"),
        ("grid/terminals/0/conductors", "L9", "L1"),
        ("menu/0/rule", "", "type a name"),
        ("menu/0/codes", "one; two; three", "one for each, or none"),
        ("menu/4/most", "0", "upside down"),
        ("enclosure/width", "wide", "type it as"),
    ],
)
def test_bad_input_is_said_at_its_field_and_everything_typed_is_kept(member, field, text, says):
    body = {**catalogue_body("marram-t10"), "model": "T10 B"}
    form = {**typed_form(body), "enclosure/width": "", field: text}
    answer = member("planner").post("/shelf/new/inverter", {**form, "version": "0"})
    assert answer.status_code == 422 and "everything you typed is still here" in answer.text
    id = re.escape(field.replace("/", "-"))
    fault = re.search(f'id="{id}-fault">([^<]+)<', answer.text)
    assert fault and says.lower() in fault[1].lower(), re.findall(r'-fault">([^<]+)', answer.text)
    assert 'value="T10 B"' in answer.text


@pytest.mark.parametrize(
    ("field", "text", "says"),
    [
        ("optimizer/in_v_max", "", "type a value, such as"),
        ("optimizer/least", "", "type a whole number"),
        ("optimizer/most", "5", "type 8 or more"),
        ("optimizer/string_v", "380 A", "is not a unit of voltage"),
    ],
)
def test_a_part_that_is_begun_says_what_it_still_wants(member, field, text, says):
    """An optimizer is typed whole, or not at all; it was said that "this is needed"."""
    form = {**typed_form(catalogue_body("reedbed-430o")), "model": "Own", field: text}
    answer = member("planner").post("/shelf/new/module", {**form, "version": "0"})
    id = re.escape(field.replace("/", "-"))
    fault = re.search(f'id="{id}-fault">([^<]+)<', answer.text)
    assert answer.status_code == 422
    assert fault and says in fault[1], re.findall(r'-fault">([^<]+)', answer.text)


def test_an_optimizer_comes_off_a_module_when_its_fields_are_emptied(member):
    form = {**typed_form(catalogue_body("reedbed-430o")), "model": "Own bare", "maker": "Ownwright"}
    form |= {k: "" for k in form if k.startswith("optimizer/")}
    planner = member("planner")
    answer = planner.post("/shelf/new/module", {**form, "version": "0"})
    assert answer.status_code == 303, re.findall(r'-fault">([^<]+)', answer.text)
    at = answer.headers["location"].split("?")[0]
    assert "optimizer" not in planner.get(f"{at}.json").json()["entry"]["body"]


def test_conductors_are_read_as_they_are_typed(member):
    """With commas, spaces or strokes, in small letters, a hyphen for the minus; and a lug without
    what turns it has the socket of its stud.
    """
    device = next(b for b in documents() if b["id"] == "breaker-dc-125-1000")
    form = {**typed_form({k: v for k, v in device.items() if k != "id"}), "label": "DC breaker X"}
    form |= {"terminals/0/conductors": "+ / -", "terminals/0/bit": "", "terminals/0/ids": ""}
    form |= {f"terminals/1/{k.split('/')[2]}": "" for k in form if k.startswith("terminals/1/")}
    answer = member("planner").post("/shelf/new/device", {**form, "version": "0"})
    assert answer.status_code == 303, re.findall(r'-fault">([^<]+)', answer.text)
    at = answer.headers["location"].split("?")[0]
    body = member("planner").get(f"{at}.json").json()["entry"]["body"]
    assert [(t.conductor, t.bit) for t in entry.validate_python(body).terminals] == [
        ("+", "socket 10 mm"),
        ("−", "socket 10 mm"),
    ]


def catalogue_body(id):
    return {k: v for k, v in next(b for b in documents() if b["id"] == id).items() if k != "id"}


def test_a_new_entry_takes_no_edition_from_its_form(member):
    """The form of a new entry with an edition put into it, and one that lacks half."""
    planner = member("planner")
    form = typed_form({**H5, "model": "H5 Z"})
    odd = planner.post("/shelf/new/inverter", {**form, "version": "7"})
    assert odd.headers["location"] == "/shelf/ownwright-h5-z?saved=1"
    bad = planner.post("/shelf/new/inverter", {**form, "battery_v_max": "-5 V", "version": "0"})
    faults = re.findall(r'<li><a href="#([^"]+)">', bad.text)
    assert bad.status_code == 422 and faults == ["battery_v_max"]  # and nothing about an id
    again = planner.post("/shelf/new/inverter", {**form, "version": "0"})
    assert again.headers["location"] == "/shelf/ownwright-h5-z-2?saved=1"  # a name twice


def test_two_people_editing_overwrite_nobody(member):
    planner, boss = member("planner"), member("supervisor")
    upload(planner, [H5])
    form = {**typed_form(H5), "version": "1"}
    assert boss.post("/shelf/own-h5", {**form, "power_w": "5.5 kW"}).status_code == 303
    late = planner.post("/shelf/own-h5", {**form, "charge_max_a": "90 A"})
    assert late.status_code == 409 and "Nothing was overwritten" in late.text
    assert "5.5 kW" in late.text and "90 A" in late.text
    kept = planner.get("/shelf/own-h5.json").json()["entry"]
    assert kept["edition"] == 2 and kept["body"]["charge_max_a"] == 100


def test_many_at_once_make_one_edition_each(member):
    planner = member("planner")
    upload(planner, [H5])
    csrf = re.search(r'name="csrf" value="([^"]+)"', planner.get("/account").text)[1]
    answers = []

    def go(n):
        form = {**typed_form(H5), "version": "1", "power_w": f"{5100 + n} W", "csrf": csrf}
        answers.append(planner.http.post("/shelf/own-h5", data=form).status_code)

    threads = [threading.Thread(target=go, args=(n,)) for n in range(6)]
    for t in threads:
        t.start()
    for t in threads:
        t.join()
    assert sorted(answers) == [303, 409, 409, 409, 409, 409]
    assert planner.get("/shelf/own-h5.json").json()["entry"]["edition"] == 2


def test_a_shelf_leaves_and_enters_under_the_published_schema(member, stranger):
    planner = member("planner")
    assert upload(planner, [H5, P5]).status_code == 303
    rows = planner.get("/shelf/export.json").json()
    assert {r["id"] for r in rows} == {"own-h5", "own-p5"} and H5 in rows
    check = Draft202012Validator(json.loads(planner.get("/shelf.schema.json").text))
    assert list(check.iter_errors(rows)) == []
    assert json.loads(schema_text()) == check.schema
    assert list(check.iter_errors([{**H5, "power_w": "much"}]))
    assert "own-h5" not in stranger.get("/shelf").text  # another crew's shelf is its own
    assert stranger.get("/shelf/own-h5").status_code == 404
    assert upload(stranger, rows).status_code == 303


@pytest.mark.parametrize(
    ("rows", "path", "says"),
    [
        ("{", "line 1, column 2", "not JSON"),
        (b"\xff\xfe", "file", "not UTF-8"),
        ("[]", "file", "holds 0 entries"),
        ([H5, {**P5, "cells": -3}], "1/cells", "at least 1"),
        ([{**H5, "id": "marram-s8"}], "0/id", "ships with Gumboot"),
        ([{**H5, "id": "no good!"}], "0/id", "letters, figures and hyphens"),
        ([H5, H5], "file", "two entries are called"),
        ([{**H5, "colour": "red"}], "0/colour", "not a field"),
        (
            [{**H5, "menu": [{"id": "a", "group": "g", "label": "l", "when": "a"}]}],
            "0/menu/0/when",
            "under itself",
        ),
        (
            [{**H5, "menu": [{"id": "a", "group": "g", "label": "l", "options": ["x", "x"]}]}],
            "0/menu/0/options",
            "there twice",
        ),
        ([{"kind": "kettle", "id": "k"}], "0/kind", "kettle"),
        ("[" * 100_000, "file", ""),
        ([7], "0", "not an entry"),
    ],
)
def test_a_broken_file_is_refused_whole_with_path_and_reason(member, rows, path, says):
    planner = member("planner")
    answer = upload(planner, rows)
    assert answer.status_code == 422 and "nothing was taken" in answer.text
    told = re.findall(r'<tr><td class="num">([^<]*)</td><td>([^<]*)</td></tr>', answer.text)
    assert any(p.startswith(path) and says in m.replace("&#39;", "'") for p, m in told), told
    assert planner.get("/shelf/export.json").json() == []


@pytest.mark.long
def test_modules_of_the_open_data_set_are_found_by_their_words(member, tmp_path):
    """pvlib's own reading of the set against what the shelf holds of it."""
    from importlib.resources import files

    import pvlib

    path = next(
        p for p in files("pvlib.data").iterdir() if p.name.startswith("sam-library-cec-mod")
    )
    table = pvlib.pvsystem.retrieve_sam(path=str(path)).T
    planner = member("planner")
    answer = upload(planner, path.read_bytes(), "modules.csv")
    assert answer.headers["location"] == "/shelf/modules"
    page = planner.get("/shelf/modules.json").json()
    assert page["total"] == len(table) > 20_000
    from gumboot.imports.modules import read_modules

    rows = read_modules(path.read_bytes())
    for body, (_, theirs) in list(zip(rows, table.iterrows(), strict=True))[::37]:
        assert body["v_oc_v"] == float(theirs["V_oc_ref"])
        assert body["i_sc_a"] == float(theirs["I_sc_ref"])
        assert body["p_max_w"] == pytest.approx(float(theirs["STC"]))
        share = float(theirs["beta_oc"]) / float(theirs["V_oc_ref"])
        assert body["beta_voc_per_c"] == pytest.approx(share, abs=1e-6)
    some = rows[len(rows) // 2]
    words = f"{some['maker']} {some['model']}".split()
    found = planner.get("/shelf/modules.json", params={"q": " ".join(words[-2:])}).json()
    assert any(m["id"] == some["id"] for m in found["modules"])
    taken = planner.post("/shelf/modules/take", {"entry": some["id"]})
    assert taken.headers["location"] == f"/shelf/{some['id']}"
    assert "largest series fuse" in planner.get(f"/shelf/{some['id']}").text


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("a,b\n1,2\n", "are missing"),
        (NAMES, "No module in it"),
        (
            "Name,I_sc_ref,V_oc_ref,I_mp_ref,V_mp_ref\nA,1,2,3,4\nB,1,x,3,4\n" + "C,1,x,3,4\n",
            "Line",
        ),
        (
            "Name,I_sc_ref,V_oc_ref,I_mp_ref,V_mp_ref\nA,9,40,8,33\nB,9,40,8,33\nC,9,-40,8,33\n",
            "Line 4",
        ),
    ],
)
def test_a_broken_list_of_modules_is_refused_with_its_line(member, text, says):
    planner = member("planner")
    answer = upload(planner, text, "modules.csv")
    assert answer.status_code == 422 and says in answer.text
    assert planner.get("/shelf/modules.json").json()["total"] == 0


SUNSPEC = {
    "id": 802,
    "group": {
        "name": "battery",
        "label": "Battery base",
        "points": [
            {"name": "AHRtg", "type": "uint16", "access": "R", "units": "Ah"},
            {
                "name": "SoCRsvMax",
                "type": "uint16",
                "access": "RW",
                "label": "SoC reserve",
                "units": "%",
            },
            {
                "name": "ChaGriSet",
                "type": "enum16",
                "access": "RW",
                "symbols": [{"name": "PV", "value": 0}, {"name": "GRID", "value": 1}],
            },
        ],
        "groups": [{"name": "inner", "points": [{"name": "X", "type": "uint16", "access": "RW"}]}],
    },
}


def test_a_sunspec_model_becomes_menu_lines(member):
    """The form of a model is SunSpec's: groups of points with access, units and symbols."""
    planner = member("planner")
    upload(planner, [H5])
    file = {"file": ("model.json", json.dumps(SUNSPEC))}
    assert planner.post("/shelf/own-h5/menu", files=file).status_code == 303
    menu = planner.get("/shelf/own-h5.json").json()["entry"]["body"]["menu"]
    assert [m["label"] for m in menu] == ["SoC reserve", "ChaGriSet", "X"]
    assert menu[0]["unit"] == "%" and menu[1]["options"] == ["PV", "GRID"]
    assert planner.post("/shelf/own-h5/menu", files=file).status_code == 303  # none comes twice
    assert len(planner.get("/shelf/own-h5.json").json()["entry"]["body"]["menu"]) == 3
    for broken in ("{}", "nonsense", '{"group": {"points": []}}'):
        answer = planner.post("/shelf/own-h5/menu", files={"file": ("m.json", broken)})
        assert answer.status_code == 422


def blind_values(page):
    return re.findall(r'<input id="[^"]+" name="([^"]+)" value=""', page.text)


def test_read_twice_by_another_person_and_what_differs_is_settled(member):
    planner, boss = member("planner"), member("supervisor")
    body = {**catalogue_body("marram-t10"), "id": "own-t10"}
    upload(planner, [body])
    own = planner.get("/shelf/own-t10/second")
    assert "You typed this edition yourself" in own.text
    blind = boss.get("/shelf/own-t10/second")
    names = blind_values(blind)
    right = form_of(body, SHEETS["inverter"], "si").typed
    assert len(names) > 40  # and nothing of what was typed is shown
    assert not [n for n in names if f'value="{right[n]}"' in blind.text]
    typed = {n: right[n] for n in names}
    wrong = "battery/protection_max_a"
    digest = re.search(r'name="digest" value="(\w+)"', blind.text)[1]
    sent = {**typed, "digest": digest, "units": "si", wrong: "63 A"}
    unsure = boss.post("/shelf/own-t10/second", {**sent, names[0]: ""})
    assert unsure.status_code == 422
    differ = boss.post("/shelf/own-t10/second", sent)
    assert differ.status_code == 200 and "1 value differs" in differ.text and "63 A" in differ.text
    settled = boss.post("/shelf/own-t10/second", {**sent, f"settle.{wrong}": "mine"})
    assert settled.status_code == 303, settled.text[-500:]
    kept = planner.get("/shelf/own-t10.json").json()["entry"]
    assert kept["body"]["battery"]["protection_max_a"] == 63 and kept["edition"] == 2
    assert kept["read"].startswith("read twice, by Planner") and "Supervisor" in kept["read"]
    assert "1 values differed" in boss.get("/office").text


def test_a_second_reading_by_who_typed_it_is_refused(member):
    planner = member("planner")
    upload(planner, [H5])
    assert planner.post("/shelf/own-h5/second", {}).status_code == 409


def test_sheets_and_plates_are_kept_with_an_entry(member, stranger):
    planner = member("planner")
    upload(planner, [H5])
    pdf = b"%PDF-1.7 a sheet"
    assert planner.post("/shelf/own-h5/sheets", files={"file": ("a.pdf", pdf)}).status_code == 303
    number = planner.get("/shelf/own-h5.json").json()["sheets"][0]["id"]
    back = planner.get(f"/shelf/own-h5/sheets/{number}")
    assert back.content == pdf and back.headers["content-type"] == "application/pdf"
    assert stranger.get(f"/shelf/own-h5/sheets/{number}").status_code == 404
    for bad in (b"<script>", b"MZ", b""):
        answer = planner.post("/shelf/own-h5/sheets", files={"file": ("a.pdf", bad)})
        assert answer.status_code == 422


def test_examples_and_entries_are_hidden_from_new_jobs_only(member, make, crew):
    planner = member("planner")
    upload(planner, [H5, P5])
    planner.post("/shelf/examples", {"act": "hide"})
    with make() as db:
        see_crew(db, crew[0])
        today = shelf.today(db, crew[0])
    assert set(today.inverters) == {"own-h5"} and today.devices and today.conductors
    planner.post("/shelf/own-h5/hide", {"act": "hide"})
    with make() as db:
        see_crew(db, crew[0])
        assert not shelf.today(db, crew[0]).inverters
    assert "hidden" in planner.get("/shelf").text


def job_with(person, plan):
    document = {
        "format": "gumboot-job/1",
        "uid": "00000000-0000-4000-8000-000000000001",
        "version": 1,
        "plan": plan,
        "log": [],
    }
    answer = person.post("/jobs/import", files={"file": ("job.json", json.dumps(document))})
    assert answer.status_code == 303, answer.text[-600:]
    return int(answer.headers["location"].split("/")[2])


def test_a_job_keeps_its_editions_until_a_newer_one_is_taken_on_purpose(member, make, crew):
    planner = member("planner")
    upload(planner, [H5, P5])
    plan = copy.deepcopy(plans.MOSSBANK_TERRACE)
    plan["kit"] |= {"packs": 2, "gateway": None}
    plan |= {"strings": [], "walls": [], "devices": {}}
    job = job_with(planner, plan)
    # the brief offers what came on the shelf since, and takes it
    page = planner.get(f"/jobs/{job}/brief")
    assert "Ownwright H5" in page.text
    cure = {"/kit/inverter": "own-h5", "/kit/pack": "own-p5"}
    with make.begin() as db:
        see_crew(db, crew[0])
        from gumboot.core.plan import Plan
        from gumboot.store import records

        record, row = records.current(db, job)
        chosen = {**row.plan, "kit": {**row.plan["kit"], **{k[5:]: v for k, v in cure.items()}}}
        made = Plan.model_validate(chosen)
        before = shelf.Shelf.of(row.shelf)
        kit = shelf.of_plan(db, crew[0], before)
        own = shelf.taken_for(db, crew[0], before, kit, made.chosen)
        records.save_plan(db, record, made, 1, "x", own.document)
    for page in ("brief", "survey", "loads", "size", "strings", "wall", "land", "land/cut", "set"):
        assert planner.get(f"/jobs/{job}/{page}").status_code in (200, 303), page
    figures = planner.get(f"/jobs/{job}/size.json").json()
    assert "own-h5" in json.dumps(own.document) and figures["stations"]
    upload(planner, [{**H5, "battery": {"i_max_a": 150, "protection_max_a": 200}}])
    before = planner.get(f"/jobs/{job}/export.json").json()["design"]["figures"]
    page = planner.get(f"/jobs/{job}/editions.json").json()
    row = next(e for e in page["entries"] if e["id"] == "own-h5")
    assert (row["edition"], row["newest"], row["newer"]) == (1, 2, True)
    assert any(f["was"] != f["is"] for f in page["changes"]["own-h5"]["figures"])
    assert before == planner.get(f"/jobs/{job}/export.json").json()["design"]["figures"]
    assert planner.post(f"/jobs/{job}/editions", {"entry": "own-h5"}).status_code == 303
    after = planner.get(f"/jobs/{job}/export.json").json()["design"]["figures"]
    assert after != before
    now = planner.get(f"/jobs/{job}/editions.json").json()
    assert not any(e["newer"] for e in now["entries"])


def test_a_job_carries_its_kit_to_another_crew(member, stranger, make, crew):
    planner = member("planner")
    far_h5, far_p5 = {**H5, "id": "far-h5"}, {**P5, "id": "far-p5"}
    upload(planner, [far_h5, far_p5])
    plan = copy.deepcopy(plans.MOSSBANK_TERRACE)
    plan["kit"] |= {"packs": 2, "gateway": None, "inverter": "far-h5", "pack": "far-p5"}
    plan |= {"strings": [], "walls": [], "devices": {}}
    document = {
        "format": "gumboot-job/1",
        "uid": "00000000-0000-4000-8000-000000000002",
        "version": 1,
        "plan": plan,
        "log": [],
        "kit": [far_h5, far_p5],
    }
    answer = planner.post("/jobs/import", files={"file": ("job.json", json.dumps(document))})
    job = int(answer.headers["location"].split("/")[2])
    file = planner.get(f"/jobs/{job}/export.json").json()
    assert {k["id"] for k in file["kit"]} == {"far-h5", "far-p5"}
    there = stranger.post("/jobs/import", files={"file": ("job.json", json.dumps(file))})
    other = int(there.headers["location"].split("/")[2])
    again = stranger.get(f"/jobs/{other}/export.json").json()
    assert again["design"]["figures"] == file["design"]["figures"]
    assert [f["says"] for f in again["design"]["findings"]] == [
        f["says"] for f in file["design"]["findings"]
    ]
    assert "far-h5" not in stranger.get("/shelf").text  # it came with the job, not onto the shelf
    broken = {**file, "kit": [{**far_h5, "power_w": -1}], "uid": document["uid"]}
    refused = stranger.post("/jobs/import", files={"file": ("job.json", json.dumps(broken))})
    assert refused.status_code == 422 and "kit/0/" in refused.text


def test_the_shelf_in_the_database_is_what_ships(make, crew):
    with make() as db:
        see_crew(db, crew[0])
        assert shelf.today(db, crew[0]) is catalogue()
        assert shelf.of_plan(db, crew[0], shelf.Shelf(shelf.head(db))) is not None
        assert shelf.of_plan(db, crew[0], shelf.Shelf()) is catalogue()


def test_installers_read_the_shelf_and_change_nothing(member):
    hand = member("installer")
    assert hand.get("/shelf/marram-s8").status_code == 200
    assert hand.post("/shelf/new/inverter", typed_form(H5)).status_code == 403
    assert hand.post("/shelf/import", files={"file": ("a.json", "[]")}).status_code == 403


def test_every_page_of_a_job_of_first_sections_stands(member):
    """No run is typed, no sheet entered to the end: stops say so, and every page shows."""
    planner = member("planner")
    T3 = {
        **H5,
        "id": "own-t3",
        "supply": "three-phase 400/230 V",
        "backup": {"i_max_a": 12, "protection_max_a": 20},
    }
    G3 = {
        "kind": "gateway",
        "id": "own-g3",
        "maker": "Ownwright",
        "model": "G3",
        "supply": "three-phase 400/230 V",
        "i_max_a": 63,
        "neutral": "switched",
        "bond_relay": True,
        "meter_inside": True,
    }
    upload(planner, [T3, P5, G3])
    plan = copy.deepcopy(plans.SALTINGS_BARN)
    plan["kit"] |= {"inverter": "own-t3", "pack": "own-p5", "gateway": "own-g3", "packs": 2}
    plan["kit"] |= {"series": 1}
    plan |= {"strings": [], "walls": [], "devices": {}, "runs": {}}
    document = {
        "format": "gumboot-job/1",
        "uid": "00000000-0000-4000-8000-000000000003",
        "version": 1,
        "plan": plan,
        "log": [],
        "kit": [T3, P5, G3],
    }
    answer = planner.post("/jobs/import", files={"file": ("job.json", json.dumps(document))})
    job = int(answer.headers["location"].split("/")[2])
    stations = ("brief", "survey", "loads", "size", "strings", "wall", "land", "set", "hand-over")
    more = ("editions", "land/cut", "land/labels", "land/log", "wall/describe", "sheet")
    for page in (*stations, *more):
        assert planner.get(f"/jobs/{job}/{page}").status_code in (200, 303), page
        assert planner.get(f"/jobs/{job}/{page}.json").status_code < 500, page


def test_each_value_can_name_document_and_page(member):
    """By section, by single value, by row; and the second reader sees where, not what."""
    planner, boss = member("planner"), member("supervisor")
    sheet = {
        "source.electrical": "manual 2.1, p. 12",
        "source.battery_v_max": "plate",
        "source.trackers/0": "manual 2.1, p. 14",
    }
    form = {**typed_form({**H5, "model": "H5 S"}), **sheet, "version": "0"}
    at = planner.post("/shelf/new/inverter", form).headers["location"].split("?")[0]
    kept = planner.get(f"{at}.json").json()["entry"]["sources"]
    assert kept == {k.removeprefix("source."): v for k, v in sheet.items()} | {"units": "si"}
    page = planner.get(at).text
    assert page.count("manual 2.1, p. 12") == page.count("manual 2.1, p. 14") == 1
    blind = boss.get(f"{at}/second").text
    said = re.findall(r'<label for="([\w-]+)">(?:.(?!</label>))*p\. 14', blind, re.DOTALL)
    assert said and all(x.startswith("trackers-0") for x in said)
    by_eye = re.sub(r'name="csrf" value="[^"]*"', "", blind)  # a token is of any letters, 600 too
    assert ">plate</span>" in blind and "600" not in by_eye
    # A fault elsewhere loses none of it.
    bad = planner.post(at, {**form, "power_w": "five", "version": "1"})
    assert bad.status_code == 422 and bad.text.count("manual 2.1, p. 14") == 1


METERS = [
    {
        "kind": "meter",
        "id": "own-m",
        "maker": "Ownwright",
        "model": "M",
        "lines": 3,
        "ct_out_v": 0.333,
        "bus": "RS-485",
    },
    {
        "kind": "ct",
        "id": "own-ct",
        "maker": "Ownwright",
        "model": "C",
        "primary_a": 200,
        "out_v": 0.333,
    },
    {
        "kind": "tool",
        "id": "own-crimper",
        "role": "crimper",
        "label": "Crimper",
        "takes": ["35 mm²"],
    },
]
FLAT = {
    "kind": "labels",
    "id": "own-flat",
    "label": "flat 50 × 25 mm, 40 on A4",
    "paper": "a4",
    "width": 50,
    "height": 25,
    "across": 4,
    "down": 10,
    "left": 5,
    "top": 20,
    "pitch_x": 50,
    "pitch_y": 25.4,
}


def test_label_stocks_and_meters_of_the_crews_own_serve_its_jobs(member):
    planner = member("planner")
    upload(planner, [*METERS, FLAT])
    job = job_with(planner, copy.deepcopy(plans.SALTINGS_BARN))
    page = planner.get(f"/jobs/{job}/land/labels").text
    assert "flat 50 × 25 mm, 40 on A4" in page
    assert planner.get(f"/jobs/{job}/land/labels.pdf?stock=own-flat").status_code in (200, 202)
    assert "flat 50 × 25 mm" in planner.get("/defaults").text
    brief = planner.get(f"/jobs/{job}/brief").text
    assert "Ownwright M" in brief and "Ownwright C, 200 A : 333 mV" in brief
    assert "Not among the tools on your shelf" in planner.get(f"/jobs/{job}/land/tools").text


@pytest.mark.parametrize(
    ("change", "says"),
    [
        ({"width": "60 mm"}, "do not fit on the sheet"),
        ({"pitch_x": "40 mm"}, "labels overlap"),
        ({"form": "wrap"}, "a wrap needs its printed part"),
        ({"across": "no"}, "is not a whole number"),
    ],
)
def test_a_label_stock_that_is_none_is_refused_with_what_to_check(member, change, says):
    answer = member("planner").post("/shelf/new/labels", {**typed_form(FLAT), **change})
    assert answer.status_code == 422 and says in answer.text
    assert "flat 50 × 25 mm" in answer.text
    at = {"form": "face"}.get(next(iter(change)), next(iter(change)))
    assert re.search(rf'id="{at}"[^>]*aria-invalid="true"', answer.text), at


def test_a_transformer_without_an_output_is_told_at_that_field(member):
    typed = typed_form({**METERS[1], "id": "x"}) | {"out_v": ""}
    answer = member("planner").post("/shelf/new/ct", typed)
    assert answer.status_code == 422 and "one only" in answer.text
    assert re.search(r'id="out_a"[^>]*aria-invalid="true"', answer.text)


def test_a_menu_of_a_hundred_and_twenty_lines_is_saved_and_loses_nothing(member):
    """68 lines with all that is asked of each came to more fields than a form might have."""
    planner = member("planner")
    body = catalogue_body("marram-c6")
    more = [{**m, "id": f"x{n}", "number": f"9{n}"} for n, m in enumerate(body["menu"][6:58])]
    for m in more:
        for k in ("when", "when_is", "rewrites"):
            m.pop(k, None)
    body = {**body, "id": "own-long", "model": "Long", "menu": [*body["menu"], *more]}
    assert len(body["menu"]) == 120 and upload(planner, [body]).status_code == 303
    page = planner.get("/shelf/own-long").text
    sent = dict(re.findall(r'<input[^>]* name="([^"]+)" value="([^"]*)"', page))
    for name, inner in re.findall(r'<select[^>]* name="([^"]+)"[^>]*>(.*?)</select>', page, re.S):
        chosen = re.search(r'<option value="([^"]*)" selected', inner)
        sent[name] = chosen[1] if chosen else ""
    sent = {k: unescape(v) for k, v in sent.items() if k != "csrf"}
    assert len(sent) > 3000
    answer = planner.post("/shelf/own-long", {**sent, "menu/119/label": "The last line"})
    assert answer.status_code == 303, re.findall(r'-fault">([^<]+)', answer.text)
    (kept,) = planner.get("/shelf/export.json").json()
    last = {**body["menu"][119], "label": "The last line"}
    assert kept["menu"][:119] == body["menu"][:119] and kept["menu"][119] == last
