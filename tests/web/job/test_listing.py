"""The list of jobs: found as one types, by state, person, day and stops; copied, put away, brought
back, deleted with a reason.
"""

import copy
import json

import pytest
from sqlalchemy import select, text

from gumboot.core.plan import Plan
from gumboot.demo import plans
from gumboot.store import office, records
from gumboot.store.database import see_crew
from gumboot.store.models import Job
from tests.web.conftest import number_of


def named(name, of=plans.HERON_SLIP, address="1 Mill Lane"):
    plan = copy.deepcopy(of)
    plan["site"] |= {"name": name, "address": address}
    return plan


@pytest.fixture
def three(make, crew):
    """Three jobs of a crew of its own, by name."""
    with make.begin() as db:
        see_crew(db, crew[0])
        return {
            name: records.create_job(db, crew[0], Plan.model_validate(plan), "x").id
            for name, plan in (
                ("Avocet Row", named("Avocet Row")),
                ("Dunlin Yard", named("Dunlin Yard", plans.TERN_HOLLOW, "9 Harbour Road")),
                ("Plover Bank", named("Plover Bank")),
            )
        }


def names(someone, **query):
    return [j["name"] for j in someone.get("/jobs.json", params=query).json()["jobs"]]


def test_found_by_words_stops_state_person_and_day(three, member, make):
    planner = member("planner")
    assert names(planner) == ["Plover Bank", "Dunlin Yard", "Avocet Row"]
    assert names(planner, q="dunl") == names(planner, q="harbour YARD") == ["Dunlin Yard"]
    assert names(planner, q="nowhere") == []
    assert names(planner, stops="yes") == ["Dunlin Yard"]
    who = number_of(make, member("installer").email)
    sent = {"stage": "on site", "person": str(who), "day": "2027-05-04"}
    assert planner.post(f"/jobs/{three['Avocet Row']}/office", sent).status_code == 303
    assert names(planner, state="on site") == names(planner, person=str(who)) == ["Avocet Row"]
    assert names(planner, since="2027-05-04", until="2027-05-04") == ["Avocet Row"]
    assert names(planner, since="2027-05-05") == []
    assert len(names(planner, since="no day", state="x", person="-1", page="no")) == 3
    page = planner.get("/jobs?state=on+site").text
    assert "Avocet Row" in page and "Dunlin Yard" not in page and "2027-05-04" in page


def test_bad_office_input_is_said_and_nothing_changes(three, member):
    planner = member("planner")
    sent = {"stage": "dancing", "person": "999999", "day": "soon", "note": "Key at no. 4"}
    answer = planner.post(f"/jobs/{three['Avocet Row']}/office", sent)
    assert answer.status_code == 422 and "2027-03-31" in answer.text
    assert 'id="day-fault"' in answer.text, "said at the field"
    assert 'value="Key at no. 4"' in answer.text and 'value="soon"' in answer.text
    row = planner.get(f"/jobs/{three['Avocet Row']}/sheet.json").json()["job"]
    assert (row["stage"], row["person"], row["day"]) == ("planned", None, None)


def test_what_is_listed_follows_every_change(three, member, make, crew):
    """A cure applied, and a log entry: the row says so at once; nothing else is made anew."""
    boss = member("supervisor")
    before = {j["name"]: j for j in boss.get("/jobs.json").json()["jobs"]}
    with make() as db:
        see_crew(db, crew[0])
        assert all(j.listed_rev for j in db.scalars(select(Job)))
    finding = next(
        f["finding"]
        for f in boss.get(f"/jobs/{three['Dunlin Yard']}/size.json").json()["findings"]
        if f["finding"]["level"] == "stop" and f["finding"]["cures"][0]["changes"]
    )
    cured = boss.post(
        f"/jobs/{three['Dunlin Yard']}/cure",
        {"finding": finding["key"], "cure": "0", "version": "1"},
    )
    assert cured.status_code == 303
    with make() as db:
        see_crew(db, crew[0])
        stale = [j.id for j in db.scalars(select(Job)) if not j.listed_rev]
    assert stale == [three["Dunlin Yard"]]
    after = {j["name"]: j for j in boss.get("/jobs.json").json()["jobs"]}
    assert after["Dunlin Yard"]["stops"] != before["Dunlin Yard"]["stops"]


def test_a_long_list_is_paged(three, member, monkeypatch):
    from gumboot.web.job import jobs

    monkeypatch.setattr(jobs, "A_PAGE", 2)
    planner = member("planner")
    first, second = (planner.get(f"/jobs?page={n}").text for n in (0, 1))
    assert "1 of 2; 3 jobs" in first and "Older" in first and "Avocet Row" not in first
    assert "Avocet Row" in second and "Newer" in second


def test_a_copy_is_a_new_job_without_a_record(three, member):
    planner = member("planner")
    answer = planner.post(f"/jobs/{three['Avocet Row']}/copy")
    made = int(answer.headers["location"].split("/")[2])
    file = planner.get(f"/jobs/{made}/export.json").json()
    old = planner.get(f"/jobs/{three['Avocet Row']}/export.json").json()
    assert file["plan"]["site"]["name"] == "Avocet Row (copy)" and file["log"] == []
    assert file["uid"] != old["uid"] and file["plan"]["kit"] == old["plan"]["kit"]


def test_put_away_and_brought_back(three, member):
    planner, job = member("planner"), three["Avocet Row"]
    planner.post(f"/jobs/{job}/put-away")
    assert "Avocet Row" not in names(planner)
    assert names(planner, state="put away") == ["Avocet Row"]
    planner.post(f"/jobs/{job}/put-away", {"act": "back"})
    assert "Avocet Row" in names(planner)


def test_deleted_by_a_supervisor_with_a_reason_and_the_office_log_keeps_it(
    three, member, make, crew
):
    boss, job = member("supervisor"), three["Avocet Row"]
    uid = boss.get(f"/jobs/{job}/export.json").json()["uid"]
    for sent in ({"name": "Avocet Row"}, {"reason": "twice"}, {"reason": "x", "name": "Dunlin"}):
        answer = boss.post(f"/jobs/{job}/delete", sent)
        assert answer.status_code == 422 and "Type" in answer.text
        assert all(f'value="{typed}"' in answer.text for typed in sent.values()), "typing lost"
    assert (
        boss.post(f"/jobs/{job}/delete", {"name": "Avocet Row", "reason": "twice"}).status_code
        == 303
    )
    assert boss.get(f"/jobs/{job}/size").status_code == 404 and "Avocet Row" not in names(boss)
    with make() as db:
        see_crew(db, crew[0])
        last = office.entries(db, crew[0])[-1]
        left = db.execute(text("select count(*) from log_entry where job_id = :j"), {"j": job})
        assert left.scalar() == 0
    assert last.kind == "deleted" and last.body["uid"] == uid and last.body["reason"] == "twice"


def test_without_that_word_the_database_deletes_nothing(three, make, crew):
    with pytest.raises(Exception, match="append-only"), make.begin() as db:
        see_crew(db, crew[0])
        db.execute(text("delete from plan_version where job_id in (select id from job)"))


def own_heron(someone):
    """The demo's signed job; other tests take copies of it in."""
    jobs = someone.get("/jobs.json", params={"q": "heron slip", "state": "signed"}).json()["jobs"]
    return next(j for j in jobs if not j["elsewhere"])


def test_a_signature_of_a_file_looks_like_another_crews_claim(member, supervisor):
    """E11: an imported job arrives "signed"; nobody here has."""
    heron = own_heron(supervisor)
    file = supervisor.get(f"/jobs/{heron['id']}/export.json").json()
    there = member("supervisor")
    answer = there.post("/jobs/import", files={"file": ("job.json", json.dumps(file))})
    number = int(answer.headers["location"].split("/")[2])
    page = there.get(f"/jobs/{number}/hand-over").text
    assert "signed it elsewhere; nobody of this crew has" in page
    assert next(j for j in there.get("/jobs.json").json()["jobs"])["elsewhere"] is True
    own = supervisor.get(f"/jobs/{heron['id']}/hand-over").text
    assert "signed it elsewhere" not in own and "does not hold" not in own


@pytest.mark.long
def test_a_plan_put_under_a_signature_shows(make, supervisor):
    """E11: a version put in by SQL shows as not the one that was signed; a tail cut off shows by
    the head that the office log kept.
    """
    heron = own_heron(supervisor)["id"]
    assert supervisor.get(f"/jobs/{heron}/books/inspector.pdf").status_code == 200
    assert all(
        a["holds"] for a in supervisor.get(f"/jobs/{heron}/hand-over.json").json()["anchors"]
    )
    with make() as db:
        crew_id = db.execute(text("select id from crew where name = 'Tidemark crew'")).scalar()
        see_crew(db, crew_id)
        job = db.get(Job, heron)
        row = records.plan_at(db, job, job.version)
        forged = {**row, "site": {**row["site"], "address": "elsewhere"}}
        db.execute(
            text(
                "insert into plan_version (job_id, version, plan, saved_by) values (:j, :v, :p,"
                " 'x')"
            ),
            {"j": heron, "v": job.version + 1, "p": json.dumps(forged)},
        )
        db.execute(text("update job set version = version + 1 where id = :j"), {"j": heron})
        db.expire_all()
        from gumboot.core.journal.office import OfficeEntry
        from gumboot.web.job.opening import open_job
        from gumboot.web.people.visit import Visit
        from gumboot.web.stations.hand_over.pack import anchors, holds

        visit = Visit(db, 1, crew_id, "x", "supervisor", "t", {}, "k")
        opened = open_job(heron, visit)
        assert "not the one that was signed" in holds(opened)
        entries = records.entries(db, job)
        assert all(a["holds"] for a in anchors(opened, entries))
        assert not all(a["holds"] for a in anchors(opened, entries[:-1]))
        assert isinstance(office.heads(db, crew_id, job.uid)[0], OfficeEntry)
        db.rollback()


def test_words_of_another_crew_find_nothing(three, stranger):
    assert "Avocet Row" not in names(stranger, q="avocet")
