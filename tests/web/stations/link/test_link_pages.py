"""Link as a crew uses it: the walk with and without a script, ohms, the transformers' test typed
and read from a simulated meter, packs heard, what is wrong said at its field.
"""

import io
import json
import re
import socket
import time
import uuid

import pdfplumber
import pytest

from gumboot.catalogue import catalogue, documents
from gumboot.core.plan import Plan
from gumboot.demo.plans import SALTINGS_BARN, TERN_HOLLOW
from gumboot.devices import bms_client, meter_client
from gumboot.devices.bms import OnRs485, chain_of, wrong
from gumboot.devices.bms import Running as Bus
from gumboot.devices.meter import House, Running, wired
from tests.conftest import altered


@pytest.fixture
def job(new_job):
    return new_job(Plan.model_validate(TERN_HOLLOW))


@pytest.fixture(autouse=True)
def quick(monkeypatch):
    monkeypatch.setattr(meter_client, "BETWEEN_S", 0.05)
    monkeypatch.setattr(bms_client, "LISTEN_S", 0.8)
    monkeypatch.setattr(bms_client, "TRY_S", 0.3)


def entry(key, typed="", act="done", **more):
    return {
        "uuid": str(uuid.uuid4()),
        "kind": "link",
        "key": key,
        "act": act,
        "typed": typed,
        **more,
    }


def steps(person, job):
    return {s["key"]: s for s in person.get(f"/jobs/{job}/link.json").json()["steps"]}


def test_the_walk_keeps_ticks_readings_reasons_and_what_is_taken_back(installer, job):
    sent = (
        entry("before.customer"),
        entry("lead.link-BMS link.through", "7=4 8=5"),
        entry("ohm.pack-1-pack-2.0", "40 Ω", tool="multimeter 7"),
        entry("network.seen", act="declined", note="no network yet"),
        entry("before.account.Marram", act="declined"),
        entry("ohm.pack-1-pack-2.3", "sixty"),
    )
    answers = installer.log(job, *sent).json()["entries"]
    assert [a["state"] for a in answers] == ["kept"] * 3 + ["refused"] * 3
    assert [a["field"] for a in answers[3:]] == ["key", "note", "typed"]
    assert "too many" in answers[2]["why"]
    now = steps(installer, job)
    assert now["lead.link-BMS link.through"]["state"] == "done"
    assert now["ohm.pack-1-pack-2.0"]["state"] == "outside"
    back = installer.log(job, entry("before.customer", act="back")).json()["entries"]
    assert back[0]["state"] == "kept" and steps(installer, job)["before.customer"]["state"] == ""
    again = installer.log(job, sent[1]).json()["entries"]
    assert again[0]["state"] == "kept", "a resend is kept once"
    page = installer.get(f"/jobs/{job}/hand-over.json").json()
    assert any("Link, Wake, Set or Prove not as expected" in m for m in page["missing"])
    assert any(
        r["entry"] and (r["entry"]["typed"], r["entry"]["tool"]) == ("40 Ω", "multimeter 7")
        for r in page["links"]
    )


def test_a_planner_reads_and_does_not_tick(planner, job):
    assert planner.get(f"/jobs/{job}/link").status_code == 200
    assert planner.log(job, entry("before.customer")).status_code == 403


def test_the_plain_form_does_the_same_without_a_script(installer, job):
    sent = {
        "key": "ohm.pack-1-pack-2.0",
        "act": "done",
        "typed": "teapot",
        "uuid": str(uuid.uuid4()),
    }
    bad = installer.post(f"/jobs/{job}/link", sent)
    assert bad.status_code == 422 and "60, or “open”" in bad.text and "teapot" in bad.text
    good = installer.post(f"/jobs/{job}/link", {**sent, "typed": "60"})
    assert good.status_code in (200, 303)
    assert steps(installer, job)["ohm.pack-1-pack-2.0"]["state"] == "done"


def test_leads_are_drawn_and_printed_pin_to_pin(installer, job):
    data = installer.get(f"/jobs/{job}/link/harness.json").json()
    bms = next(x for x in data["leads"] if x["id"] == "link-BMS link")
    assert [(c["pin"], c["far_pin"]) for c in bms["cores"]][:2] == [("7", "4"), ("8", "5")]
    svg = installer.get(f"/jobs/{job}/link/lead-{bms['number']}.svg")
    assert "CAN H" in svg.text and svg.headers["content-type"].startswith("image/svg")
    assert installer.get(f"/jobs/{job}/link/lead-99.svg").status_code == 404
    page = installer.get(f"/jobs/{job}/link/harness").text
    assert "not straight" in page and page.count("<svg") >= len(data["leads"])
    made = installer.get(f"/jobs/{job}/link/leads.pdf")
    with pdfplumber.open(io.BytesIO(made.content)) as pdf:
        assert len(pdf.pages) == len(data["leads"])
        assert "CAN H" in pdf.pages[bms["number"] - 1].extract_text()
    bill = installer.get(f"/jobs/{job}/materials.csv").text
    assert "4 twisted pairs" in bill


def test_ohms_say_what_they_mean_and_where_to_measure_next(installer, job):
    said = installer.get(f"/jobs/{job}/link/ohms.json?r0=40").json()
    assert "too many" in said["meanings"][0]["says"] and said["next"]
    odd = installer.get(f"/jobs/{job}/link/ohms.json?r0=7k5").json()
    assert odd["faults"]["r0"].startswith("type")
    assert odd["places"][0]["typed"] == "7k5"
    assert installer.get(f"/jobs/{job}/link/ohms.json?r0=OL").json()["no_sense"]
    assert installer.get(f"/jobs/{job}/link/ohms.json?r0=60").json()["sound"]


def typed(drive, watts, *rows):
    out = {"drive": drive, "watts": watts, "sign": "plus"}
    for k, (before, after) in enumerate(rows):
        out |= {f"before{k}": before, f"after{k}": after}
    return out


def test_the_transformers_test_by_typing(installer, job):
    at = f"/jobs/{job}/link/ct"
    bad = installer.post(at, typed("backed up.L1", "much", ("NaN", "2 kW"), ("1", "")))
    assert bad.status_code == 422
    for name in ("watts", "before0", "after1"):
        assert f'id="{name}-fault"' in bad.text
    assert 'value="2 kW"' in bad.text, "nothing typed is lost"
    own = {"uuid": str(uuid.uuid4())}
    for _ in range(2):  # sent twice, kept once
        first = typed("backed up.L1", "1,8 kW", ("0,4 kW", "-1.4 kW"), ("500", "502"))
        installer.post(at, {**first, **own})
    assert len(installer.get(f"{at}.json").json()["steps"]) == 1
    installer.post(at, typed("backed up.L2", "1800", ("400", "402"), ("500 W", "2.3 kW")))
    installer.post(at, typed("unit-1.charge", "2000", ("400", "-600"), ("500", "1500")))
    data = installer.get(f"{at}.json").json()
    assert data["sure"] and not data["sound"] and "CT 1, L1 is turned" in data["best"]["says"]
    assert data["best"]["faults"][0]["menu"] and data["best"]["faults"][0]["hand"]
    installer.post(f"{at}/anew", {"act": "cured", "note": "clip turned"})
    data = installer.get(f"{at}.json").json()
    assert data["steps"] == [] and data["cured"] == "clip turned"
    installer.post(at, typed("backed up.L1", "1800", ("400", "2200"), ("500", "502")))
    installer.post(at, typed("backed up.L2", "1800", ("400", "402"), ("500", "2300")))
    installer.post(at, typed("unit-1.charge", "2000", ("400", "1400"), ("500", "1500")))
    assert installer.get(f"{at}.json").json()["sound"]
    assert steps(installer, job)["ct.test"]["state"] == "done"
    log = installer.get(f"/jobs/{job}/land/log").text
    assert "turned round" in log


def test_a_step_kept_on_a_device_comes_in_by_the_fields_own_way(installer, job):
    """As `ct.js` sends it when there is a signal again: judged as if typed, kept once."""
    at = f"/jobs/{job}/link/ct"
    fields = typed("backed up.L1", "1,8 kW", ("0,4 kW", "-1.4 kW"), ("500", "502"))
    sent = {"uuid": str(uuid.uuid4()), "kind": "ct", "key": "ct", "act": "step", "fields": fields}
    for _ in range(2):
        answer = installer.log(job, sent).json()
        assert answer["entries"][0]["state"] == "kept", answer
    (step,) = installer.get(f"{at}.json").json()["steps"]
    assert step["watts"] == 1800 and step["after"] == [-1400, 502]
    bad = {**sent, "uuid": str(uuid.uuid4()), "fields": {**fields, "after1": "two"}}
    (no,) = installer.log(job, bad).json()["entries"]
    assert (
        no["state"] == "refused" and no["field"] == "after1" and "type what it shows" in no["why"]
    )


def test_a_channel_that_shows_nothing_and_a_display_that_counts_the_other_way(installer, job):
    at = f"/jobs/{job}/link/ct"
    for line, rows in (
        ("L1", (("-400", "-2200"), ("-", "-"))),
        ("L2", (("-400", "-402"), ("-", "-"))),
    ):
        installer.post(at, {**typed(f"backed up.{line}", "1800", *rows), "sign": "minus"})
    data = installer.get(f"{at}.json").json()
    assert data["steps"][0]["before"][0] == 400 and data["steps"][0]["before"][1] is None


def free():
    with socket.socket() as s:
        s.bind(("127.0.0.1", 0))
        return s.getsockname()[1]


def test_a_meter_is_read_and_its_simulated_house_switched(installer, new_job):
    port = free()
    plan = altered(Plan.model_validate(TERN_HOLLOW), "/linking/meter_at", f"127.0.0.1:{port}")
    job = new_job(plan)
    at = f"/jobs/{job}/link/ct"
    house = House(noise_w=4.0, lag_s=0.0)
    house.wiring = wired(house, "1 turned")
    nobody = installer.post(f"{at}/live", {"when": "before", "before0": "17"})
    assert nobody.status_code == 422 and "does not answer" in nobody.text
    with Running(house, port):
        form = {
            "drive": "backed up.L1",
            "house_drive": "backed up.L1",
            "watts": "1800",
            "sign": "plus",
        }
        for drive in ("backed up.L1", "backed up.L2", "unit-1.charge"):
            if installer.get(f"{at}.json").json()["sure"]:
                break  # it asks no more
            form |= {"drive": drive, "house_drive": drive, "when": "before"}
            form |= fields(installer.post(f"{at}/live", form).text)
            installer.post(f"{at}/house", {**form, "house": "on"})
            time.sleep(0.5)
            form |= {"when": "after"} | fields(
                installer.post(f"{at}/live", {**form, "when": "after"}).text
            )
            installer.post(at, form)
            installer.post(f"{at}/house", {**form, "house": "off"})
            time.sleep(0.5)
    data = installer.get(f"{at}.json").json()
    assert data["sure"] and "CT 1, L1 is turned" in data["best"]["says"]
    assert {s["source"] for s in data["steps"]} == {"meter"}, "read, and no hand changed it"


def fields(page):
    return {
        m[1]: m[2]
        for m in re.finditer(
            r'name="((?:before|after|again|anew)\d|read_(?:before|after))"[^>]*value="([^"]*)"',
            page,
        )
    }


def test_packs_are_heard_and_two_at_one_address_are_named(installer, new_job):
    chain = chain_of(catalogue().packs["tidewell-14"].dbc, 3)
    wrong(chain, "twice 2")
    with Bus(chain, 0) as bus:
        port = bus.server.server_address[1]
        plan = altered(Plan.model_validate(TERN_HOLLOW), "/linking/bms_at", f"127.0.0.1:{port}")
        job = new_job(plan)
        page = installer.post(f"/jobs/{job}/link/bms", {}).text
        assert "2 packs are at address 2" in page and "0448" in page and "56.8 V" in page
        assert steps(installer, job)["bms.inverter-1"]["state"] == "outside"
        chain.packs[-1].address = 3
        assert "Every pack is heard" in installer.post(f"/jobs/{job}/link/bms", {}).text
        assert steps(installer, job)["bms.inverter-1"]["state"] == "done"
    silent = installer.post(f"/jobs/{job}/link/bms", {})
    assert silent.status_code == 422 and "does not answer" in silent.text


def test_packs_on_rs485_are_asked(planner, installer):
    """A unit whose sheet knows RS-485 alone: the job speaks on the other pair of the same packs."""
    unit = next(e for e in documents() if e["id"] == "marram-s8")
    own = json.loads(json.dumps(unit)) | {"id": "own-rs", "maker": "Ownwright", "model": "RS8"}
    own["signals"][0] |= {"pins": ["1 D+", "2 D−"], "protocols": ["open pack RS-485 1"]}
    own["signals"][0]["bit_rate"] = 500_000
    chain, port = chain_of(catalogue().packs["tidewell-14"].dbc, 3), free()
    plan = altered(Plan.model_validate(TERN_HOLLOW), "/linking/bms_at", f"127.0.0.1:{port}")
    document = {
        "format": "gumboot-job/1",
        "uid": str(uuid.uuid4()),
        "version": 1,
        "plan": altered(plan, "/kit/inverter", "own-rs").model_dump(mode="json"),
        "log": [],
        "kit": [own],
    }
    answer = planner.post("/jobs/import", files={"file": ("job.json", json.dumps(document))})
    job = int(answer.headers["location"].split("/")[2])
    with OnRs485(chain, port):
        page = installer.post(f"/jobs/{job}/link/bms", {}).text
    assert "Every pack is heard" in page and "answers" in page


def test_what_the_house_wants_and_fixed_addresses(planner, new_job):
    job = new_job(Plan.model_validate(SALTINGS_BARN))
    at = f"/jobs/{job}/link/network"
    sent = {
        "grid_operator": "yes",
        "heat_pump": "1",
        "network": "wire",
        "router": "192.168.1.1",
        "address-inverter-1": "192.168.1.400",
        "meter_at": "meter:port",
        "meter_framing": "tcp",
        "unit_framing": "tcp",
        "bms_at": "",
    }
    bad = planner.post(at, sent)
    assert (
        bad.status_code == 422
        and "192.168.1.400" in bad.text
        and "such as 192.168.1.40" in bad.text
    )
    assert 'id="meter_at-fault"' in bad.text
    planner.post(at, {**sent, "address-inverter-1": "192.168.1.1", "meter_at": "192.168.1.60:502"})
    names = {x["name"] for x in planner.get(f"/jobs/{job}/link/harness.json").json()["leads"]}
    assert {"grid operator's inputs", "heat pump relay", "network"} <= names
    twin = planner.get(f"/jobs/{job}/link.json").json()
    assert any(f["finding"]["key"] == "link.ip.inverter-1" for f in twin["findings"])


OVERLAPS = """VERSION ""
BU_: P
BO_ 100 M: 8 P
 SG_ a : 0|16@1+ (1,0) [0|1] "" P
 SG_ b : 8|16@1+ (1,0) [0|1] "" P
"""


def test_a_crews_own_dbc_is_taken_in_and_a_bad_one_refused(planner):
    pack = {
        "kind": "pack",
        "id": "own-dbc",
        "maker": "Ownwright",
        "model": "D5",
        "chemistry": "LFP",
        "cells": 16,
        "capacity_ah": 100,
        "discharge_max_a": 100,
        "charge_max_a": 50,
        "bms_v_max": 57.6,
        "bms_v_min": 44.8,
        "chain": [
            {"label": "OUT", "end": "plug", "form": "8P8C plug"},
            {"label": "IN", "end": "plug", "form": "8P8C plug"},
        ],
    }
    planner.post("/shelf/import", files={"file": ("shelf.json", json.dumps([pack]))})
    at = "/shelf/own-dbc/dbc"
    for text, words in ((OVERLAPS, "overlap"), ("x" * 2_000_000, "characters"), ("x", "no DBC")):
        bad = planner.post(at, files={"file": ("own.dbc", text)})
        assert bad.status_code == 422 and words in bad.text
    good = catalogue().packs["tidewell-14"].dbc
    assert planner.post(at, files={"file": ("own.dbc", good)}).status_code == 303
    body = planner.get("/shelf/own-dbc.json").json()["entry"]["body"]
    assert body["dbc"] == good
    ports = [(p["label"], p["serves"]) for p in body["signals"]]
    assert ports == [("OUT", ["chain out"]), ("IN", ["chain in"])], "said as ports since"
    assert "PackState" in planner.get("/shelf/own-dbc").text
