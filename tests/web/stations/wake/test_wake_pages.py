"""Wake as a crew uses it: the walk that holds an act, readings that say stop, rehearsing counted by
the server, the way back, guards at a click, what is given away.
"""

import csv
import io
import json
import socket
import uuid

import pytest

from gumboot.catalogue import catalogue
from gumboot.core.design import design
from gumboot.core.plan import Plan
from gumboot.demo.plans import HERON_SLIP, MOSSBANK_TERRACE, TERN_HOLLOW
from gumboot.devices import bms_client
from gumboot.devices.bms import Running as Bus
from gumboot.devices.bms import chain_of
from gumboot.devices.meter import House
from gumboot.devices.meter import Running as Metered
from gumboot.devices.plant import Running, Yard
from tests.conftest import altered
from tests.shapes import other


@pytest.fixture
def job(new_job):
    return new_job(Plan.model_validate(HERON_SLIP))


def entry(key, typed="", act="done", **more):
    own = {"uuid": str(uuid.uuid4()), "kind": "wake"}
    return {**own, "key": key, "act": act, "typed": typed, **more}


def steps(person, job):
    return person.get(f"/jobs/{job}/wake.json").json()["steps"]


def right(s):
    """A reading as expected."""
    if s["does"] not in ("volt", "ohm", "megohm"):
        return ""
    some = [x for x in (s["least"], s["most"]) if x is not None]
    return f"{sum(some) / len(some):.4g}" if len(some) == 2 else f"{some[0]:.4g}"


def walked(person, job, until=""):
    """Every step done, in order, up to one."""
    for s in steps(person, job):
        if s["key"] == until:
            return
        if s["does"] == "duty":
            continue
        (answer,) = person.log(job, entry(s["key"], right(s))).json()["entries"]
        assert answer["state"] == "kept", (s["key"], answer)
        assert answer["verdict"] == "done", (s["key"], right(s))


def test_an_act_is_held_until_what_comes_before_it_is_done(installer, job):
    first = next(s for s in steps(installer, job) if s["does"] == "act")
    (answer,) = installer.log(job, entry(first["key"])).json()["entries"]
    assert answer["state"] == "refused" and answer["why"].startswith("held: “Every termination")
    walked(installer, job, first["key"])
    (answer,) = installer.log(job, entry(first["key"])).json()["entries"]
    assert answer["state"] == "kept"
    log = installer.get(f"/jobs/{job}/land/log").text
    assert first["title"] in log


def test_one_device_leads_and_the_others_follow_or_take_the_lead(installer, supervisor, job):
    """Readings are anybody's; an act is the leading device's, or says that it did not know."""
    acts = [s for s in steps(installer, job) if s["does"] == "act"]
    walked(installer, job, acts[0]["key"])

    def sent(who, key, device, seen, **more):
        answer = who.log(job, entry(key, device=device, seen=seen, **more)).json()
        return answer["entries"][0], answer["seq"]

    (kept, at) = sent(installer, "lead", "aaaa", 0)
    assert kept["state"] == "kept"
    refused, _ = sent(supervisor, acts[0]["key"], "bbbb", at)
    assert refused["state"] == "refused" and refused["why"].startswith("Osk Fellgate leads")
    unaware, _ = sent(supervisor, acts[0]["key"], "bbbb", at - 1)
    assert unaware["state"] == "kept" and "did not know that Osk Fellgate led" in unaware["why"]
    other = next(s for s in steps(installer, job) if s["does"] == "volt")
    assert sent(supervisor, other["key"], "bbbb", at, typed=right(other))[0]["state"] == "kept"
    taken, at = sent(supervisor, "lead", "bbbb", at)
    assert taken["state"] == "kept"
    refused, _ = sent(installer, acts[0]["key"], "aaaa", at)
    assert refused["state"] == "refused" and "Ilse Quayle leads" in refused["why"]
    assert sent(supervisor, acts[0]["key"], "bbbb", at)[0]["state"] == "kept"
    assert "Ilse Quayle leads" in installer.get(f"/jobs/{job}/wake").text  # without a script
    installer.post(f"/jobs/{job}/wake", {"key": "lead", "act": "done"})
    assert "Ilse Quayle leads" not in installer.get(f"/jobs/{job}/wake").text
    sent(installer, "lead", "", at, act="back")
    assert "lead" not in {s["key"] for s in steps(installer, job)}


def test_a_reading_that_is_wrong_says_what_it_means_and_holds(installer, job):
    rows = {s["key"]: s for s in steps(installer, job)}
    string = rows["cold.string.A"]
    (answer,) = installer.log(job, entry(string["key"], f"-{right(string)} V")).json()["entries"]
    assert answer["verdict"] == "outside" and "exchanged" in answer["why"]
    (answer,) = installer.log(job, entry("cold.insulation.A", "0,2 MΩ")).json()["entries"]
    assert answer["verdict"] == "outside" and "earth" in answer["why"]
    way = design(Plan.model_validate(HERON_SLIP), catalogue()).wake.way
    plugged = sum(1 << k for k, x in enumerate(way.plant.levers) if x.kind == "connectors")
    sun = next(x.key for x in way.plant.levers if x.kind == "pv")
    tried = f"/jobs/{job}/wake/try.json?scenario=now&state={plugged}&lever={sun}"
    names = {h["name"] for h in installer.get(tried).json()["hazards"]}
    assert "reversed direct current closed on" in names
    for typed in ("many", "5 A", "99999 V", ""):
        (no,) = installer.log(job, entry(string["key"], typed)).json()["entries"]
        assert no["state"] == "refused" and no["field"] == "typed" and "type the volts" in no["why"]
    missing = installer.get(f"/jobs/{job}/hand-over.json").json()["missing"]
    assert any("2 readings of Link, Wake, Set or Prove" in m for m in missing)


def test_the_way_back_knows_what_is_closed(installer, job):
    data = installer.get(f"/jobs/{job}/wake/back.json").json()
    assert data["down"]["acts"] == [] and data["now"]["closed"] == []
    acts = [s for s in steps(installer, job) if s["does"] == "act"]
    walked(installer, job, acts[3]["key"])
    data = installer.get(f"/jobs/{job}/wake/back.json").json()
    assert set(data["now"]["closed"]) == {a["lever"] for a in acts[:3]}
    assert len(data["down"]["acts"]) == 3
    installer.log(job, entry(acts[2]["key"], act="back"))
    assert len(installer.get(f"/jobs/{job}/wake/back.json").json()["down"]["acts"]) == 2


def test_what_if_is_asked_of_any_state(installer, new_job):
    job = new_job(Plan.model_validate(other(HERON_SLIP, backup__changeover="loose breakers")))
    page = installer.get(f"/jobs/{job}/wake/rehearse.json?scenario=down").json()
    state = page["start"]["state"]
    at = f"/jobs/{job}/wake/try.json?state={state}&lever="
    bad = installer.get(f"{at}transfer-switch.grid").json()
    assert bad["hazards"][0]["name"] == "the inverter's output and the grid on one bus"
    assert "679 V" in bad["hazards"][0]["does"] and bad["hazards"][0]["rule"].startswith("NEC")
    lost = installer.get(f"{at}main-panel.main&grid=0").json()
    assert lost["moved"] and not lost["hazards"]
    good = installer.get(f"{at}main-panel.main").json()
    assert any("clicks out" in x for x in good["heard"]), good["heard"]
    for query in (f"{at}nothing", f"/jobs/{job}/wake/try.json?state=-1&lever=main-panel.main"):
        no = installer.get(query)
        assert no.status_code == 422 and "reload" in no.json()["message"]


def test_an_interlock_holds_a_hand(installer, job):
    page = installer.get(f"/jobs/{job}/wake/rehearse.json?scenario=down").json()
    at = f"/jobs/{job}/wake/try.json?state={page['start']['state']}&lever=transfer-switch.grid"
    held = installer.get(at).json()
    assert held["interlock"] and not held["moved"]


def test_a_rehearsal_is_counted_by_replaying_it(installer, job):
    at = f"/jobs/{job}/wake/rehearse"
    order = [a["lever"] for a in installer.get(f"/jobs/{job}/wake/order.json").json()["up"]["acts"]]
    wanted = {
        a["lever"]: bool(a["readied"])
        for a in installer.get(f"/jobs/{job}/wake/order.json").json()["up"]["acts"]
    }
    clean = [[k, True] if wanted[k] else k for k in order]
    unread = next(k for k in order if wanted[k])
    slipped = [*clean]
    slipped.insert(order.index(unread), unread)  # taken back, then read
    short = installer.post(at, {"scenario": "up", "acts": json.dumps(clean[:4])})
    assert short.status_code == 422 and "not come to its end" in short.text
    for acts in (clean, slipped, "no list"):
        installer.post(at, {"scenario": "up", "acts": json.dumps(acts)})
    kept = installer.get(f"{at}.json").json()["kept"]
    assert [r["scenario"] for r in kept] == ["up", "up"]
    assert [(r["slips"], r["acts"]) for r in kept] == [(1, len(order) + 1), (0, len(order))]
    assert all(r["who"] for r in kept)
    assert "up · no slips" in installer.get(f"/jobs/{job}/land/log").text


def test_schools_and_guards_are_the_plans(planner, installer, new_job):
    job = new_job(Plan.model_validate(other(HERON_SLIP, backup__changeover="loose breakers")))
    at = f"/jobs/{job}/wake/order"
    data = planner.get(f"{at}.json").json()
    assert data["unguarded"] == 1 and data["own"]
    slip = next(s for s in data["slips"] if s["unguarded"])
    version = planner.get(f"{at}.json").json()["job"]["version"]
    form = {"version": version, "school": "grid first", "alone": "", f"guard-{slip['lever']}": ""}
    bad = planner.post(at, {**form, "school": "wildly", f"guard-{slip['lever']}": "string"})
    assert bad.status_code == 422
    planner.post(at, {**form, f"guard-{slip['lever']}": "padlock"})
    data = planner.get(f"{at}.json").json()
    assert data["unguarded"] == 0 and data["school"] == "grid first"
    assert data["guards"] == {slip["lever"]: "padlock"}
    assert installer.post(at, form).status_code == 403


def test_what_is_given_away(installer, job):
    at = f"/jobs/{job}/wake"
    states = installer.get(f"{at}/states.json").json()["states"]
    rows = list(csv.DictReader(io.StringIO(installer.get(f"{at}/states.csv").text)))
    assert len(states) == len(rows) and rows[0]["closed"] == "" and rows[-1]["live"]
    assert all(s["faults"] == 0 for s in states)
    made = installer.get(f"{at}/proof.json")
    assert made.status_code in (200, 202)
    card = installer.get(f"{at}/card.pdf?paper=a4")
    assert card.status_code in (200, 202)
    work = installer.get(f"{at}/work.json?at=inverter-1&keep=the backed-up circuits").json()
    assert work["acts"] and work["locks"] and work["where"] == "Inverter"


def test_the_plain_form_does_the_same_without_a_script(installer, job):
    at = f"/jobs/{job}/wake"
    first = next(s for s in steps(installer, job) if s["does"] == "act")
    held = installer.post(at, {"key": first["key"], "act": "done", "uuid": str(uuid.uuid4())})
    assert held.status_code == 422 and "Held: “" in held.text
    own = {"key": "cold.covers", "act": "done", "uuid": str(uuid.uuid4())}
    for _ in range(2):
        installer.post(at, own)
    assert next(s for s in steps(installer, job) if s["key"] == "cold.covers")["state"] == "done"


def test_a_job_without_kit_says_so_everywhere(planner, new_job):
    job = new_job(altered(Plan.model_validate(TERN_HOLLOW), "/kit/inverter", "gone"))
    for page in ("", "/order", "/rehearse", "/work", "/back"):
        answer = planner.get(f"/jobs/{job}/wake{page}")
        assert answer.status_code == 200 and "yet" in answer.text
    assert planner.get(f"/jobs/{job}/wake/states.csv").status_code == 200
    assert planner.get(f"/jobs/{job}/wake/proof.json").status_code == 404


def test_a_unit_is_read_where_it_answers(installer, new_job):
    """Its own volts, by its sheet's registers, from the simulated plant."""
    with socket.socket() as s:
        s.bind(("127.0.0.1", 0))
        port = s.getsockname()[1]
    plan = Plan.model_validate(other(MOSSBANK_TERRACE, linking__unit_at=f"127.0.0.1:{port}"))
    job = new_job(plan)
    at = f"/jobs/{job}/wake/live.json?key="
    key = next(s["key"] for s in steps(installer, job) if s["asks"] == "1:output L1 V")
    silent = installer.get(f"{at}{key}")
    assert silent.status_code == 502 and "does not answer" in silent.json()["message"]
    yard = Yard(design(plan, catalogue()), quick=1e6)
    for a in yard.way.up.acts[:3]:
        yard.move(a.k, True)
    yard.registers(0)
    with Running(yard, port):
        said = installer.get(f"{at}{key}").json()
        assert float(said["value"]) == pytest.approx(230, abs=4)
    for odd in ("cold.covers", "nothing", ""):
        assert installer.get(f"{at}{odd}").status_code == 422


def test_packs_and_meter_are_read_where_they_answer(installer, new_job, monkeypatch):
    """A pack's volts from its CAN bus, a line's from the meter; what they do not say is said."""
    monkeypatch.setattr(bms_client, "LISTEN_S", 0.8)
    with socket.socket() as s:
        s.bind(("127.0.0.1", 0))
        port = s.getsockname()[1]
    chain = chain_of(catalogue().packs["tidewell-14"].dbc, 3)
    chain.packs[2].silent = True
    with Bus(chain, 0) as bus, Metered(House(), port):
        linking = {
            "bms_at": f"127.0.0.1:{bus.server.server_address[1]}",
            "meter_at": f"127.0.0.1:{port}",
        }
        with_meter = other(TERN_HOLLOW, linking=linking, kit__meter="fenwright-m2")
        job = new_job(Plan.model_validate(with_meter))
        at = f"/jobs/{job}/wake/live.json?key="
        pack, line = (installer.get(f"{at}{k}") for k in ("cold.pack.pack-2", LINE))
        assert float(pack.json()["value"]) == pytest.approx(52.9, abs=0.1)
        assert float(line.json().get("value", "0")) == pytest.approx(120, abs=2), line.json()
        silent = installer.get(f"{at}cold.pack.pack-3")
        assert silent.status_code == 502 and "pack 3 says nothing" in silent.json()["message"]
    assert installer.get(f"{at}{LINE}").status_code == 502


LINE = "cold.service.L1-to-N"


def test_scenarios_with_something_wrong_in_them(installer, new_job):
    """One pack low, a string reversed: found by reading, and left as it is; the end is without it.
    A job without a generator has no such scenario.
    """
    job = new_job(Plan.model_validate(TERN_HOLLOW))
    at = f"/jobs/{job}/wake/rehearse"
    page = installer.get(f"{at}.json").json()
    keys = [s["key"] for s in page["scenarios"]]
    assert {"low", "reversed", "generator"} <= set(keys)
    order = installer.get(f"/jobs/{job}/wake/order.json").json()["up"]["acts"]
    state = {"low": 0, "reversed": 0}
    for a in order:
        if a["lever"] == "pack-2.own":
            break
        at_try = f"/jobs/{job}/wake/try.json?state={state['low']}&lever={a['lever']}"
        state["low"] = installer.get(at_try).json()["state"]["state"]
    for scenario, lever, reads in (
        ("low", "pack-2.own", "1.6 V across it"),
        ("reversed", "inverter-1.connectors", "exchanged"),
    ):
        query = f"state={state[scenario]}&lever={lever}&scenario={scenario}"
        said = installer.get(f"/jobs/{job}/wake/try.json?{query}").json()
        assert said["asks"] and reads in said["reads"]
        acts = [[a["lever"], True] for a in order if a["lever"] != lever]
        installer.post(at, {"scenario": scenario, "acts": json.dumps([lever, *acts])})
    kept = installer.get(f"{at}.json").json()["kept"]
    assert [(r["scenario"], r["slips"]) for r in kept] == [("reversed", 1), ("low", 1)]
    plain = new_job(Plan.model_validate(MOSSBANK_TERRACE))
    page = installer.get(f"/jobs/{plain}/wake/rehearse.json").json()
    assert not {"generator", "reversed", "low"} & {s["key"] for s in page["scenarios"]}


def test_an_act_is_judged_from_where_the_switches_stand(installer, new_job):
    """One left out before it: two units with islands of their own would be joined. It is kept as
    what was done, not as expected, and says what it means; what follows is held.
    """
    job = new_job(Plan.model_validate(TERN_HOLLOW))
    rows = steps(installer, job)
    left = next(s for s in rows if s["lever"] == "backup-combiner.breaker-2")
    later = next(s for s in rows if s["does"] == "act" and s["lever"] == "inverter-2.button")
    walked(installer, job, left["key"])
    why = {"note": "its screw is missing"}
    installer.log(job, entry(left["key"], act="declined", **why))
    after = [s for s in rows if s["n"] > left["n"]]
    for s in after:
        if s["key"] == later["key"]:
            break
        installer.log(job, entry(s["key"], right(s)))
    (answer,) = installer.log(job, entry(later["key"])).json()["entries"]
    assert answer["verdict"] == "done", "its own island harms nobody yet"
    installer.log(job, entry(left["key"]))
    now = {s["key"]: s for s in steps(installer, job)}
    assert now[left["key"]]["state"] == "outside"
    said = installer.get(f"/jobs/{job}/land/changed.json?after=0").json()["steps"][left["key"]]
    assert "two live sources joined out of step" in said["why"]
    next_act = next(s for s in rows if s["does"] == "act" and s["n"] > later["n"])
    (held,) = installer.log(job, entry(next_act["key"])).json()["entries"]
    assert held["state"] == "refused" and "still open" in held["why"]


def test_the_pack_has_the_ways_off_and_on_and_to_work_at_each_unit(installer, new_job):
    job = new_job(Plan.model_validate(TERN_HOLLOW))
    pack = installer.get(f"/jobs/{job}/hand-over").text
    for wanted in (
        "In an emergency",
        "Proof of the order",
        "To work at inverter 1",
        "To work at inverter 2",
        "Locks and tags on: PV switch, Inverter 1; connectors of strings A, B and C",
        "prove dead at every port",
    ):
        assert wanted in pack, wanted
