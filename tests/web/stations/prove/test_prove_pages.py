"""Prove as a crew uses it: the table, the walk's entries, the light before the strings, a retest
beside the first, instruments, what a job lacks before it is signed.
"""

import copy
import csv
import io
import socket
import uuid
from datetime import UTC, date, datetime, timedelta

import pytest
from pypdf import PdfReader

from gumboot.catalogue import catalogue
from gumboot.core.plan import Plan
from gumboot.core.prove.listing import dues_of
from gumboot.core.prove.strings import Sky
from gumboot.demo.plans import HERON_SLIP, MOSSBANK_TERRACE, SALTINGS_BARN
from gumboot.devices.plant import Running as Plants
from gumboot.devices.plant import Yard
from gumboot.store import records
from gumboot.store.database import see_crew
from gumboot.store.models import Job
from tests.conftest import ready
from tests.designs import design
from tests.shapes import other


def free():
    with socket.socket() as s:
        s.bind(("127.0.0.1", 0))
        return s.getsockname()[1]


@pytest.fixture
def barn(new_job):
    return new_job(Plan.model_validate(SALTINGS_BARN))


def entry(key, typed="", act="done", **more):
    return {
        "uuid": str(uuid.uuid4()),
        "kind": "test",
        "key": key,
        "act": act,
        "typed": typed,
        **more,
    }


def rows(person, job):
    page = person.get(f"/jobs/{job}/prove.json").json()
    return {r["key"]: r for s in page["stages"] for r in s["rows"]}


def said(person, job, *sent):
    return person.log(job, *sent).json()["entries"]


def test_a_reading_is_judged_and_a_retest_stands_beside_the_first(installer, barn):
    key = "earth.pv-A"
    (first,) = said(installer, barn, entry(key, "0.9", tool="tester 3"))
    assert first["verdict"] == "outside"
    missing = installer.get(f"/jobs/{barn}/hand-over.json").json()["missing"]
    assert any("Prove not as expected" in m for m in missing)
    (second,) = said(installer, barn, entry(key, "0.14"))
    assert second["verdict"] == "done"
    row = rows(installer, barn)[key]
    assert row["read"] == "0.14" and row["before"][0]["typed"] == "0.9"
    assert row["complete"]
    said(installer, barn, entry(key, act="back"))
    assert not rows(installer, barn)[key]["complete"]


@pytest.mark.parametrize(
    ("key", "typed", "says"),
    [
        ("earth.pv-A", "a lot", "Ω"),
        ("rcd.1.grid.time", "28 V", "milliseconds"),
        ("sky.light", "5000", "W/m²"),
        ("soc.apart", "", "per cent"),
        ("string.A.open", "9000", "3000 V"),
        ("string.A.open", "900", "more than this string can give"),
    ],
)
def test_what_is_no_reading_says_what_to_type(installer, barn, key, typed, says):
    (no,) = said(installer, barn, entry(key, typed))
    assert no["state"] == "refused" and no["field"] == "typed" and says in no["why"]


def test_a_string_at_night_gives_no_volts(installer, barn):
    said(installer, barn, entry("sky.light", "12"), entry("sky.cell", "8"))
    (no,) = said(installer, barn, entry("string.A.open", "440 V"))
    assert no["state"] == "refused" and "12 W/m²" in no["why"]


def test_strings_are_judged_by_the_light_last_read(installer, barn):
    wide = rows(installer, barn)["string.A.open"]
    answers = said(
        installer,
        barn,
        entry("sky.light", "850"),
        entry("sky.cell", "48"),
        entry("string.A.open", "434 V"),
        entry("string.B.open", "471 V"),
    )
    assert [a["verdict"] for a in answers] == ["done", "done", "done", "outside"]
    page = installer.get(f"/jobs/{barn}/prove.json").json()
    now = {r["key"]: r for s in page["stages"] for r in s["rows"]}
    assert now["string.A.open"]["most"] < wide["most"]
    assert page["beside"] == ["String B: 1 module short: it reads like 13, 14 are planned."]
    assert "Find out why" in installer.get(f"/jobs/{barn}/prove").text


def ago(minutes):
    return (datetime.now(UTC) - timedelta(minutes=minutes)).isoformat()


def test_a_light_of_an_hour_ago_judges_no_string(installer, barn):
    """Clouds pass: the string is judged by the coldest and hottest day, and it is said."""
    wide, other_wide = (rows(installer, barn)[f"string.{x}.open"] for x in "AB")
    sky = (entry("sky.light", "850", at_device=ago(60)), entry("sky.cell", "48", at_device=ago(59)))
    *_, late = said(installer, barn, *sky, entry("string.A.open", "471 V"))
    assert late["verdict"] == "done" and "not read within half an hour" in late["why"]
    assert rows(installer, barn)["string.A.open"]["expects"] == wide["expects"]
    assert installer.get(f"/jobs/{barn}/prove.json").json()["beside"] == []
    (then,) = said(installer, barn, entry("string.B.open", "471 V", at_device=ago(50)))
    assert then["verdict"] == "outside"  # read by that very light, and sent later
    row = rows(installer, barn)["string.B.open"]
    assert row["most"] < other_wide["most"] and "closer once" not in row["expects"]


def test_what_was_read_before_the_plan_changed_is_judged_again(installer, make, barn):
    key = "string.A.open"
    sky = entry("sky.light", "850"), entry("sky.cell", "48")
    said(installer, barn, *sky, entry(key, "434 V"), entry("earth.pv-A", "0.1"))
    assert rows(installer, barn)[key]["complete"]
    plan = copy.deepcopy(SALTINGS_BARN)
    plan["strings"][0]["modules"] -= 1
    with make.begin() as db:
        see_crew(db, 1)
        record = db.get(Job, barn)
        records.save_plan(db, record, Plan.model_validate(plan), record.version, "x")
    now = rows(installer, barn)
    assert not now[key]["complete"] and "the plan has changed since" in now[key]["why"]
    assert now["earth.pv-A"]["complete"]  # it fits the new length as well
    text = installer.get(f"/jobs/{barn}/prove").text
    assert "open again" in text and f'name="{key}"' in text


def test_a_reading_taken_back_hides_no_other(installer, barn):
    key = "earth.pv-A"
    said(installer, barn, entry(key, "0.1"), entry(key, act="back"))
    assert rows(installer, barn)[key]["verdict"] == ""


def test_a_reading_of_a_test_no_longer_due_is_said(installer, barn):
    sent = {"earth.pv-A": "0.14", "earth.gone": "0.2 ohm"}
    answer = installer.post(f"/jobs/{barn}/prove", sent)
    assert answer.status_code == 422 and "no longer due" in answer.text
    assert "earth.gone" in answer.text and "0.2 ohm" in answer.text
    assert rows(installer, barn)["earth.pv-A"]["complete"]


def test_a_series_typed_into_the_table_keeps_what_can_be_read(installer, barn):
    sent = {"earth.pv-A": "0.14", "earth.pv-B": "much", "earth.loads": "0,03", "tool": "tester 3"}
    answer = installer.post(f"/jobs/{barn}/prove", sent)
    assert answer.status_code == 422
    assert 'value="much"' in answer.text and "Kept, but for 1" in answer.text
    now = rows(installer, barn)
    assert now["earth.pv-A"]["complete"] and now["earth.loads"]["complete"]
    assert now["earth.loads"]["tool"] == "tester 3" and not now["earth.pv-B"]["complete"]
    light = {"string.A.open": "434", "sky.light": "850", "sky.cell": "48"}
    assert installer.post(f"/jobs/{barn}/prove", light).status_code == 303
    assert rows(installer, barn)["string.A.open"]["verdict"] == "done"


def test_a_test_closes_its_duty_and_a_duty_its_test(installer, supervisor, barn):
    (kept,) = said(installer, barn, entry("neutral.grid-on", "0.4 V"))
    assert kept["verdict"] == "done"
    duties = installer.get(f"/jobs/{barn}/hand-over.json").json()["duties"]
    of = {r["duty"]["key"]: r for r in duties}
    assert of["bond.one.grid-on"]["closed"] and of["bond.one.grid-on"]["entry"]["typed"] == "0.4 V"
    other_way = of["rcd.1.trips"]
    sent = {
        "duty": "rcd.1.trips",
        "fingerprint": next(
            f.fingerprint
            for f in design(Plan.model_validate(SALTINGS_BARN), catalogue()).duties
            if f.key == "rcd.1.trips"
        ),
        "reading": "24 ms",
        "act": "done",
    }
    assert not other_way["closed"]
    assert installer.post(f"/jobs/{barn}/duty", sent).status_code == 303
    assert rows(installer, barn)["rcd.1.island.time"]["complete"]


def test_tests_are_declined_with_one_reason(installer, barn):
    keys = ["start.hardest", "rotation.island"]
    bare = installer.post(f"/jobs/{barn}/prove/decline", {"key": keys, "note": ""})
    assert bare.status_code == 422 and "Type why they are not done" in bare.text
    assert bare.text.count(" checked") == 2
    sent = {"key": keys, "note": "No pump yet"}
    assert installer.post(f"/jobs/{barn}/prove/decline", sent).status_code == 303
    now = rows(installer, barn)
    assert all(now[k]["verdict"] == "declined" and now[k]["note"] == "No pump yet" for k in keys)
    pack = installer.get(f"/jobs/{barn}/hand-over").text
    assert "No pump yet" in pack and "Tests and results" in pack


def test_a_live_test_before_wake_is_kept_and_said(installer, barn):
    (kept,) = said(installer, barn, entry("volts.grid.L1-to-N", "231"))
    assert kept["state"] == "kept"
    assert "before the walk of Wake" in rows(installer, barn)["volts.grid.L1-to-N"]["why"]


def test_wake_takes_from_prove_what_was_read_here(installer, barn):
    said(installer, barn, entry("sky.light", "850"), entry("sky.cell", "48"))
    said(installer, barn, entry("string.A.open", "434"))
    steps = installer.get(f"/jobs/{barn}/wake.json").json()["steps"]
    of = {s["key"]: s for s in steps}
    assert of["cold.string.A"]["known"] and not of["cold.string.B"]["known"]


def instrument(person, **changes):
    until = (date.today() + timedelta(days=200)).isoformat()
    sent = {"kind": "multifunction tester", "name": "tester 3", "serial": "IT-1", "share": "2"}
    return person.post(
        "/instruments", {**sent, "plain": "0.02", "calibrated_until": until, **changes}
    )


def test_out_of_calibration_no_verdict_is_given(installer, supervisor, barn):
    old = (date.today() - timedelta(days=2)).isoformat()
    assert instrument(installer, calibrated_until=old).status_code == 303
    (kept,) = said(installer, barn, entry("earth.pv-A", "0.14", tool="tester 3 IT-1"))
    assert kept["verdict"] == "withheld"
    assert "ran out" in rows(installer, barn)["earth.pv-A"]["why"]
    assert instrument(installer).status_code == 403  # renewing is no installer's word alone
    assert instrument(supervisor).status_code == 303
    (kept,) = said(installer, barn, entry("earth.pv-A", "0.14", tool="IT-1"))
    assert kept["verdict"] == "done"
    (near,) = said(installer, barn, entry("earth.pv-A", "0.175", tool="IT-1"))
    assert near["verdict"] == "done"
    assert "within what the instrument may be off" in rows(installer, barn)["earth.pv-A"]["why"]


@pytest.mark.parametrize(
    ("field", "value", "says"),
    [
        ("kind", "a spoon", "choose what it is"),
        ("name", "", "type its name"),
        ("share", "much", "per cent"),
        ("plain", "-3", "a number"),
        ("calibrated_until", "soon", "2027-03-31"),
    ],
)
def test_an_instrument_says_what_to_type(installer, field, value, says):
    answer = instrument(installer, **{field: value})
    assert answer.status_code == 422 and says in answer.text and "IT-1" in answer.text


def test_an_instrument_is_listed_once(installer):
    for _ in range(2):
        instrument(installer, serial="IT-77")
    rows = installer.get("/instruments.json").json()["instruments"]
    assert [x["serial"] for x in rows].count("IT-77") == 1


def test_the_schedule_is_given_away(installer, barn):
    said(installer, barn, entry("earth.pv-A", "0.14"))
    table = list(csv.DictReader(io.StringIO(installer.get(f"/jobs/{barn}/prove.csv").text)))
    of = {r["key"]: r for r in table}
    assert of["earth.pv-A"]["read"] == "0.14" and of["earth.pv-A"]["verdict"] == "done"
    d = design(Plan.model_validate(SALTINGS_BARN), catalogue())
    assert [r["key"] for r in table] == [x.key for x in dues_of(d, Sky())]
    body = installer.get(f"/jobs/{barn}/tests.json").json()
    assert len(body["tests"]) == len(table) and body["curves"] == []
    pdf = ready(installer.http, installer.get(f"/jobs/{barn}/prove.pdf"))
    words = "".join(p.extract_text() for p in PdfReader(io.BytesIO(pdf.content)).pages)
    assert "tests and results" in words and "Earth of C1" in words
    assert "Shorted amperes" in words and words.index("Array") < words.index("Circuits")


def test_without_a_script_the_same_is_entered(installer, barn):
    page = installer.get(f"/jobs/{barn}/prove/walk?at=earth.pv-A").text
    assert "<noscript>" in page
    sent = {"key": "earth.pv-A", "act": "done", "typed": "0.13", "uuid": str(uuid.uuid4())}
    assert installer.post(f"/jobs/{barn}/prove/walk", sent).status_code == 303
    wrong = installer.post(
        f"/jobs/{barn}/prove/walk", {**sent, "typed": "x", "uuid": str(uuid.uuid4())}
    )
    assert wrong.status_code == 422 and "Type what the meter shows" in wrong.text


def test_a_job_is_not_signed_with_tests_open(supervisor, installer, new_job):
    job = new_job(Plan.model_validate(MOSSBANK_TERRACE))
    missing = supervisor.get(f"/jobs/{job}/hand-over.json").json()["missing"]
    assert any("tests of Prove open" in m for m in missing)


def test_what_a_unit_shows_is_read_live(installer, new_job):
    """Over Modbus from the simulated plant, dark: 0 V at its output."""
    port = free()
    plan = other(HERON_SLIP, linking__unit_at=f"127.0.0.1:{port}")
    d = design(Plan.model_validate(plan), catalogue())
    job = new_job(Plan.model_validate(plan))
    with Plants(Yard(d), port):
        answer = installer.get(f"/jobs/{job}/prove/live.json?key=volts.grid.L1-to-N")
    assert answer.status_code == 200 and float(answer.json()["value"]) == pytest.approx(0, abs=1)
    gone = installer.get(f"/jobs/{job}/prove/live.json?key=volts.grid.L1-to-N")
    assert gone.status_code == 502 and "does not answer" in gone.json()["message"]
    none = installer.get(f"/jobs/{job}/prove/live.json?key=earth.pv-A")
    assert none.status_code == 422


def serving(yard):
    """Every act of the way up done, the waits gone by."""
    for act in yard.job.wake.way.up.acts:
        yard.move(act.k, act.closing)
    return yard


def test_a_plant_that_serves_closes_its_sums_and_says_its_volts(installer, new_job):
    """Live from unit and packs of the simulated plant: volts, hertz, sums, state of charge; and
    what each fault it is told to have shows.
    """
    port, can = free(), free()
    linking = {"unit_at": f"127.0.0.1:{port}", "bms_at": f"127.0.0.1:{can}"}
    plan = other(HERON_SLIP, linking=linking)
    d = design(Plan.model_validate(plan), catalogue())
    job = new_job(Plan.model_validate(plan))

    def settle():
        for _ in range(5):  # it wakes, sees the grid, joins: each counts from when it is looked at
            installer.get(f"/jobs/{job}/prove/live.json?key=hertz.island")

    def live(key):
        answer = installer.get(f"/jobs/{job}/prove/live.json?key={key}")
        return float(answer.json()["value"]) if answer.status_code == 200 else answer.json()

    due = {x.key: x for x in dues_of(d, Sky())}
    with Plants(serving(Yard(d, quick=1e6)), port, can):
        settle()
        for key in ("volts.grid.L1-to-N", "neutral.grid-on", "sum.closes", "battery.volts"):
            assert due[key].least <= live(key) <= due[key].most, key
        assert abs(live("soc.apart")) < 60
    bare = Yard(d, quick=1e6, wrong="no bond")
    with Plants(serving(bare), port):
        settle()
        assert live("neutral.grid-on") > due["neutral.grid-on"].most
    low = Yard(d, quick=1e6, wrong="pack 2 low 6")
    with Plants(serving(low), port):
        settle()
        assert live("battery.volts") < due["battery.volts"].least
    dark = Yard(d, quick=1e6, wrong="unit 1 asleep")
    with Plants(serving(dark), port):
        settle()
        assert live("volts.grid.L1-to-N") < due["volts.grid.L1-to-N"].least
        assert "switch 200 W or more on" in live("sum.closes")["message"]
    alone = Yard(d, quick=1e6, wrong="no grid")
    with Plants(serving(alone), port):
        settle()
        assert "makes its own voltage" in live("volts.grid.L1-to-N")["message"]
        island = due["volts.island.L1-to-N"]
        assert island.least <= live(island.key) <= island.most
        alone.grid = True
        settle()
        assert "on the grid now" in live(island.key)["message"]
    turned = Yard(d, quick=1e6, wrong=f"string {d.strings[0].letter} reversed")
    with Plants(serving(turned), port):
        settle()
        assert live("volts.grid.L1-to-N") < due["volts.grid.L1-to-N"].least


def test_a_menu_read_in_an_island_says_so(installer, new_job):
    port = free()
    plan = other(HERON_SLIP, linking={"unit_at": f"127.0.0.1:{port}"})
    d = design(Plan.model_validate(plan), catalogue())
    job = new_job(Plan.model_validate(plan))
    yard = serving(Yard(d, quick=1e6))
    yard.grid = False
    with Plants(yard, port):
        for _ in range(5):
            installer.get(f"/jobs/{job}/prove/live.json?key=hertz.island")
        assert installer.post(f"/jobs/{job}/set/read", {"after": "visit"}).status_code == 303
        assert "made its own voltage" in installer.get(f"/jobs/{job}/set/read").text
        yard.grid = True
        installer.get(f"/jobs/{job}/prove/live.json?key=hertz.island")
        installer.post(f"/jobs/{job}/set/read", {"after": "visit"})
        assert "made its own voltage" not in installer.get(f"/jobs/{job}/set/read").text
