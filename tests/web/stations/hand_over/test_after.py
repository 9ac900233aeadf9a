"""After the hand-over: visits, their list, faults, a part replaced, one more of something."""

import uuid
from datetime import UTC, date, datetime, timedelta
from html import unescape
from io import BytesIO

import pytest
from icalendar import Calendar
from pypdf import PdfReader
from sqlalchemy import insert

from gumboot.core.plan import Plan
from gumboot.demo.plans import HERON_SLIP
from gumboot.store import handing
from gumboot.store.database import see_crew
from gumboot.store.models import Job, VisitDue
from tests.web.stations.hand_over.test_signing import shown, signed

__all__ = ["signed"]


def after(person, job):
    return person.get(f"/jobs/{job}/after.json").json()


def visit(person, job, *rows):
    sent = [{"uuid": str(uuid.uuid4()), "kind": "visit", "act": "done", **r} for r in rows]
    return person.log(job, *sent).json()["entries"]


def test_a_signed_job_is_due_for_its_visits(installer, signed):
    page = after(installer, signed)
    today = datetime.now(UTC).date()
    assert page["next"] == 1 and len(page["visits"]) > 9
    first = date.fromisoformat(page["visits"][0]["day"])
    assert timedelta(28) <= first - today <= timedelta(31)
    rows = installer.get("/visits.json").json()["visits"]
    assert any(v["job"] == signed for v in rows)
    ics = Calendar.from_ical(installer.get(f"/jobs/{signed}/visits.ics").content)
    days = [e["DTSTART"].dt for e in ics.walk("VEVENT")]
    assert days[0] == first and len(days) == len(page["visits"])
    whole = Calendar.from_ical(installer.get("/visits.ics").content)
    assert any("Heron Slip" in str(e["SUMMARY"]) for e in whole.walk("VEVENT"))


def again_of(installer, signed, **more):
    page = installer.get(f"/jobs/{signed}/land.json").json()
    tools = {w["name"]: w["id"] for w in installer.get("/wrenches.json").json()["wrenches"]}
    wants = [t for t in page["terminations"] if t["recheck"] != "none" and t["torque_nm"]]
    own = next(t for t in wants if 1.2 <= t["torque_nm"] <= 6)
    row = {"key": own["key"], "act": "torqued", "typed": f"{own['torque_nm']} Nm", **more}
    return installer.log(signed, {**row, "wrench": tools["small driver"]}).json()["entries"][0]


def test_the_return_after_a_day_is_made_on_a_signed_job(installer, signed):
    """The second reading is kept; any other entry about a termination is not."""
    page = after(installer, signed)
    assert "a day after" in page["back"]
    rows = installer.get("/visits.json").json()["visits"]
    own = next(v for v in rows if v["job"] == signed)
    assert own["months"] == 0 and own["at"].endswith("/land/return")
    assert 'data-may="yes"' in installer.get(f"/jobs/{signed}/land").text
    assert again_of(installer, signed)["state"] == "refused"
    assert again_of(installer, signed, again=True)["state"] == "kept"
    count = int(after(installer, signed)["back"].split()[0])
    assert count == int(page["back"].split()[0]) - 1


def test_a_visit_is_walked_and_judged_on_a_signed_job(installer, planner, signed):
    page = installer.get(f"/jobs/{signed}/after/visit.json?months=1").json()
    keys = [s["key"] for s in page["steps"]]
    assert (
        keys
        and page["may"]
        and not planner.get(f"/jobs/{signed}/after/visit.json?months=1").json()["may"]
    )
    (wrong,) = visit(installer, signed, {"key": keys[0], "typed": "3 lines"})
    assert (wrong["verdict"], wrong["why"]) == ("outside", "changed since hand-over")
    assert after(installer, signed)["next"] == 1
    rest = [{"key": k, "typed": "0"} for k in keys]
    assert {a["state"] for a in visit(installer, signed, *rest)} == {"kept"}
    page = after(installer, signed)
    assert page["visits"][0]["done"] and page["next"] == page["visits"][1]["months"]
    (gone,) = visit(installer, signed, {"key": "visit.1.nothing", "typed": "0"})
    assert gone["state"] == "refused"


def test_a_visit_without_a_script(installer, signed):
    key = installer.get(f"/jobs/{signed}/after/visit.json?months=1").json()["steps"][0]["key"]
    sent = {"key": key, "act": "done", "typed": "0", "uuid": str(uuid.uuid4())}
    answer = installer.post(f"/jobs/{signed}/after/visit", sent)
    assert answer.status_code == 303 and answer.headers["location"].endswith("months=1")
    bad = {"key": key, "act": "done", "typed": "", "uuid": str(uuid.uuid4())}
    assert installer.post(f"/jobs/{signed}/after/visit", bad).status_code == 422


def test_no_visit_is_due_of_a_job_that_is_open(supervisor, signed):
    supervisor.post(f"/jobs/{signed}/reopen", {"reason": "a lug"})
    (early,) = visit(supervisor, signed, {"key": "visit.1.settings.1", "typed": "0"})
    assert early["state"] == "refused" and "open again" in early["why"]
    assert after(supervisor, signed)["visits"] == []
    rows = supervisor.get("/visits.json").json()["visits"]
    assert not any(v["job"] == signed for v in rows)
    assert "No visit is due before" in supervisor.get(f"/jobs/{signed}/after/visit").text


def told(person, job, **sent):
    """A fault told of: the path of its page, and its label."""
    answer = person.post(f"/jobs/{job}/after/fault", {"symptom": "dark in an outage", **sent})
    assert answer.status_code == 303
    return answer.headers["location"], answer.headers["location"].split("of=")[1]


def test_a_fault_is_told_searched_and_closed_on_a_signed_job(installer, signed):
    bare = installer.post(f"/jobs/{signed}/after/fault", {"problem": "no_island"})
    assert bare.status_code == 422 and "Type what is seen" in bare.text
    at, label = told(installer, signed, problem="no_island")
    page = installer.get(f"/jobs/{signed}/prove/why?of=no_island")
    assert "The fault: dark in an outage" in page.text
    look = installer.get(f"/jobs/{signed}/prove/why.json?of=no_island").json()["look"]
    seen = {"of": "no_island", "look": look["key"], "answer": "0"}
    assert installer.post(f"/jobs/{signed}/prove/why", seen).status_code == 303
    assert look["says"] in unescape(installer.get(at).text)
    typed = {"label": label, "problem": "no_island", "readings": "Battery: 51.2 V\n\nLamp: red"}
    early = installer.post(f"/jobs/{signed}/after/fault", {**typed, "over": "yes"})
    assert early.status_code == 422 and "Type what was done" in early.text
    assert "Lamp: red" in early.text
    done = {**typed, "over": "yes", "done": "setting put right", "cause": "a setting"}
    assert installer.post(f"/jobs/{signed}/after/fault", done).headers["location"] == at
    (row,) = after(installer, signed)["faults"]
    assert row["over"] and row["done"] == "setting put right" and row["likely"].endswith("%")
    assert row["readings"][0]["what"] == look["says"]
    assert {"what": "Lamp", "read": "red"} in row["readings"]
    assert installer.get(at).text.count("51.2 V") == 1
    same = installer.get(at.replace("fault?", "fault.json?")).json()["own"]
    assert same["label"] == label and same["done"] == row["done"]
    installer.post(f"/jobs/{signed}/after/fault", done)  # once more, with nothing new
    (again,) = after(installer, signed)["faults"]
    assert (again["readings"], again["likely"]) == (row["readings"], row["likely"])
    begins = installer.get(f"/jobs/{signed}/prove/why.json?of=no_island").json()
    assert begins["seen"] == []  # the next search begins with nothing seen
    assert shown(installer, signed)["signed"]  # it stays signed


def test_a_search_of_before_is_none_of_a_new_fault(installer, signed):
    look = installer.get(f"/jobs/{signed}/prove/why.json?of=no_island").json()["look"]
    seen = {"of": "no_island", "look": look["key"], "answer": "0"}
    installer.post(f"/jobs/{signed}/prove/why", seen)
    _, label = told(installer, signed, problem="no_island")
    installer.post(f"/jobs/{signed}/after/fault", {"label": label, "problem": "no_island"})
    assert after(installer, signed)["faults"][0]["readings"] == []


def test_an_alarm_brings_its_search(installer, signed):
    code = next(x for x in after(installer, signed)["alarms"])
    told(installer, signed, symptom=code)
    assert after(installer, signed)["faults"][0]["symptom"] == code


@pytest.mark.long
def test_parts_put_in_are_those_of_the_job_by_serial(supervisor, installer, signed):
    """An installer notes them at the wall; a supervisor opens the job for a device of it."""
    _, label = told(installer, signed)
    fuse = {"device-0": "other", "part-0": "Battery fuse", "now-0": "F-2"}
    pack = {"device-1": "pack-1", "now-1": "P-NEW-7"}
    sent = {"label": label, "done": "both changed", "over": "yes", **fuse, **pack}
    assert installer.post(f"/jobs/{signed}/after/fault", sent).status_code == 303
    (row,) = after(installer, signed)["faults"]
    assert row["put_in"][0] == "Battery fuse, number not noted → F-2"
    (waits,) = row["waiting"]
    pdf = PdfReader(BytesIO(installer.get(f"/jobs/{signed}/books/inspector.pdf").content))
    text = " ".join(p.extract_text() for p in pdf.pages)
    assert "After the hand-over" in text and "P-NEW-7" in text and "dark in an outage" in text
    assert (waits["device"], waits["now"]) == ("pack-1", "P-NEW-7")
    assert shown(installer, signed)["signed"]
    assert "A supervisor says so" in installer.get(f"/jobs/{signed}/after").text
    new = {"device": "pack-1", "now": waits["now"], "reason": row["symptom"]}
    assert supervisor.post(f"/jobs/{signed}/after/replace", new).status_code == 303
    page = after(supervisor, signed)
    assert page["faults"][0]["waiting"] == [] and page["replaced"][0]["now"] == "P-NEW-7"
    again = {"device": "pack-1", "now": "P-NEW-8", "reason": "that one too"}
    supervisor.post(f"/jobs/{signed}/after/replace", again)
    assert after(supervisor, signed)["faults"][0]["waiting"] == []


@pytest.mark.parametrize(
    ("row", "says"),
    [
        ({"device-0": "pack-1"}, "Type the number"),
        ({"device-0": "other", "now-0": "F-2"}, "Type which part"),
        ({"device-0": "pack-99", "now-0": "F-2"}, "Choose a device"),
        ({"device-0": "pack-1", "now-0": "https://x.example"}, "is a link"),
    ],
)
def test_a_part_put_in_says_what_to_type(installer, signed, row, says):
    _, label = told(installer, signed)
    sent = {"label": label, "done": "a lug made anew", **row}
    answer = installer.post(f"/jobs/{signed}/after/fault", sent)
    assert answer.status_code == 422 and says in answer.text and "a lug made anew" in answer.text
    assert all(f'value="{v}"' in answer.text for k, v in row.items() if k == "now-0")


def test_a_part_replaced_opens_its_ends_and_its_tests(supervisor, installer, signed):
    sent = {"device": "pack-1", "now": "P-NEW-1", "reason": "swollen"}
    assert installer.post(f"/jobs/{signed}/after/replace", sent).status_code == 403
    before = supervisor.get(f"/jobs/{signed}/land.json").json()
    assert supervisor.post(f"/jobs/{signed}/after/replace", sent).status_code == 303
    page = after(supervisor, signed)
    (row,) = page["replaced"]
    assert row["now"] == "P-NEW-1" and row["reopens"]
    now = shown(supervisor, signed)
    assert now["signed"] is None
    assert f"{len(row['reopens'])} of" in " ".join(now["missing"])
    assert any("tests" in m for m in now["missing"]) is bool(row["tests"])
    assert before["terminations"]
    rows = supervisor.get(f"/jobs/{signed}/delivery.json").json()["devices"]
    assert next(d["serial"] for d in rows if d["key"] == "pack-1") == "P-NEW-1"


@pytest.mark.parametrize(
    ("change", "says"),
    [
        ({"device": ""}, "Choose the device"),
        ({"now": ""}, "Type the number"),
        ({"reason": ""}, "Type why"),
        ({"now": "4006381333931"}, "article"),
    ],
)
def test_a_part_says_what_to_type(supervisor, signed, change, says):
    sent = {"device": "pack-1", "now": "P-9", "reason": "swollen", **change}
    answer = supervisor.post(f"/jobs/{signed}/after/replace", sent)
    assert answer.status_code == 422 and says in answer.text
    assert shown(supervisor, signed)["signed"]


def test_one_more_pack_is_the_next_version_of_the_signed_plan(supervisor, signed):
    page = supervisor.get(f"/jobs/{signed}/more?of=pack").text
    assert "Pack 3" in page and "stay" in page
    bare = supervisor.post(f"/jobs/{signed}/more", {"of": "pack", "version": "1", "reason": ""})
    assert bare.status_code == 422 and shown(supervisor, signed)["signed"]
    sent = {"of": "pack", "version": "1", "reason": "the owner wants more"}
    late = supervisor.post(f"/jobs/{signed}/more", {**sent, "version": "7"})
    assert late.status_code == 409 and shown(supervisor, signed)["signed"]
    assert supervisor.post(f"/jobs/{signed}/more", sent).status_code == 303
    now = shown(supervisor, signed)
    assert now["job"]["version"] == 2 and now["signed"] is None
    assert "One more pack: the owner wants more" in str(now["history"])


def test_a_long_list_of_visits_comes_by_pages(make, member, crew):
    """Each once, the first due first, whatever stands behind `after`."""
    person = member("supervisor")
    with make.begin() as db:
        see_crew(db, crew[0])
        rows = [
            {"uid": str(uuid.uuid4()), "name": f"Job {n}", "crew_id": crew[0], "log_head": ""}
            for n in range(120)
        ]
        ids = list(db.scalars(insert(Job).returning(Job.id), rows))
        day = date(2027, 1, 1)
        due = [
            {"job_id": i, "crew_id": crew[0], "day": day + timedelta(i % 40), "months": 12}
            for i in ids
        ]
        db.execute(insert(VisitDue), [{**d, "says": "x"} for d in due])
    seen, days, at = [], [], "/visits.json"
    for _ in range(3):
        page = person.get(at).json()
        seen += [v["job"] for v in page["visits"]]
        days += [v["day"] for v in page["visits"]]
        at = f"/visits.json?after={page['more']}"
    assert sorted(seen) == sorted(ids) and days == sorted(days) and page["more"] == ""
    assert len(person.get("/visits.json?after=nonsense").json()["visits"]) == 50
    with make() as db:
        see_crew(db, crew[0])
        assert handing.visits_until(db, crew[0], date(2026, 12, 31)) == 0
        assert handing.visits_until(db, crew[0], date(2030, 1, 1)) == 120


def test_the_pages_open_on_a_job_that_is_not_signed(installer, new_job):
    job = new_job(Plan.model_validate(HERON_SLIP))
    for path in ("after", "after/visit", "more?of=inverter", "more?of=none", "visits.ics"):
        assert installer.get(f"/jobs/{job}/{path}").status_code == 200
