"""What the database itself guarantees: one crew's rows, an append-only log, no lost plan."""

import threading
import uuid

import pytest
from sqlalchemy import create_engine, select, text
from sqlalchemy.exc import DBAPIError

from gumboot.core.journal import log
from gumboot.store import database, records
from gumboot.store.database import as_crew
from gumboot.store.models import Job, LogEntry
from tests.conftest import READING, altered


@pytest.fixture
def crews(make):
    with make() as db:
        return dict(db.execute(text("select name, id from crew")).tuples().all())


@pytest.fixture
def job(make, crews, heron):
    with as_crew(make, crews["Tidemark crew"]) as db:
        return records.create_job(db, crews["Tidemark crew"], heron, "Merrin Tarn")


def reading(make, crews, job, **kwargs):
    with as_crew(make, crews["Tidemark crew"]) as db:
        return records.append(
            db,
            job,
            "reading",
            {**READING, **kwargs.pop("body", {})},
            "Osk",
            "installer",
            "",
            **kwargs,
        )


def test_without_a_crew_nothing_is_seen(make, job):
    with make() as db:
        assert db.scalars(select(Job)).all() == [] and db.scalars(select(LogEntry)).all() == []


def test_another_crew_sees_and_changes_nothing(make, crews, job):
    with as_crew(make, crews["Other crew"]) as db:
        assert records.current(db, job.id) is None
        assert (
            db.execute(text("update job set name = 'taken' where id = :i"), {"i": job.id}).rowcount
            == 0
        )
        assert db.execute(text("delete from job where id = :i"), {"i": job.id}).rowcount == 0
    with (
        pytest.raises(DBAPIError, match="row-level security"),
        as_crew(make, crews["Other crew"]) as db,
    ):
        db.execute(
            text(
                "insert into plan_version (job_id, version, plan, saved_by) values (:i, 9, '{}',"
                " 'x')"
            ),
            {"i": job.id},
        )


def test_a_job_cannot_be_given_to_another_crew(make, crews, heron):
    with (
        pytest.raises(DBAPIError, match="row-level security"),
        as_crew(make, crews["Other crew"]) as db,
    ):
        records.create_job(db, crews["Tidemark crew"], heron, "x")


@pytest.mark.parametrize(
    "change",
    [
        "update log_entry set who = 'x' where job_id = :i",
        "delete from log_entry where job_id = :i",
        "update plan_version set plan = '{}' where job_id = :i",
        "truncate log_entry cascade",
    ],
)
def test_log_and_plans_are_kept_for_ever(make, crews, job, change):
    reading(make, crews, job)
    with (
        pytest.raises(DBAPIError, match="append-only"),
        as_crew(make, crews["Tidemark crew"]) as db,
    ):
        db.execute(text(change), {"i": job.id} if ":i" in change else {})


def test_the_chain_holds_and_an_edit_behind_its_back_shows(make, crews, job, engine):
    for n in range(4):
        reading(make, crews, job, body={"torque_nm": 4.0 + n / 10})
    with as_crew(make, crews["Tidemark crew"]) as db:
        now = db.get(Job, job.id)
        rows = records.entries(db, now)
        assert (
            log.first_broken(now.uid, rows) is None
            and now.log_head == rows[-1].hash
            and now.log_seq == 4
        )
    owner = create_engine(engine.url)
    with owner.begin() as raw:  # someone with the owner's rights, and intent
        raw.execute(
            text("select set_config('gumboot.crew', :c, true)"), {"c": str(crews["Tidemark crew"])}
        )
        raw.execute(text("alter table log_entry disable trigger kept"))
        raw.execute(
            text(
                "update log_entry set body = replace(body, '4.2', '9.9') where job_id = :i and"
                " seq = 3"
            ),
            {"i": job.id},
        )
        raw.execute(text("alter table log_entry enable trigger kept"))
    owner.dispose()
    with as_crew(make, crews["Tidemark crew"]) as db:
        assert log.first_broken(now.uid, records.entries(db, now)) == 3


def test_a_resend_does_nothing_and_a_changed_resend_is_refused(make, crews, job):
    own = str(uuid.uuid4())
    first = reading(make, crews, job, uuid=own)
    assert reading(make, crews, job, uuid=own) == first
    with pytest.raises(records.BadEntry):
        reading(make, crews, job, uuid=own, body={"verdict": "over"})
    with as_crew(make, crews["Tidemark crew"]) as db:
        assert db.get(Job, job.id).log_seq == 1


def test_many_at_once_make_one_chain(make, crews, job):
    threads = [threading.Thread(target=reading, args=(make, crews, job)) for _ in range(12)]
    for t in threads:
        t.start()
    for t in threads:
        t.join()
    with as_crew(make, crews["Tidemark crew"]) as db:
        now = db.get(Job, job.id)
        assert now.log_seq == 12 and log.first_broken(now.uid, records.entries(db, now)) is None


def test_a_lost_race_overwrites_nothing(make, crews, job, heron):
    crew = crews["Tidemark crew"]
    with as_crew(make, crew) as db:
        assert records.save_plan(db, job, altered(heron, "/site/name", "Mine"), 1, "A") == 2
    with pytest.raises(records.LostRace) as race, as_crew(make, crew) as db:
        records.save_plan(db, job, altered(heron, "/site/name", "Theirs"), 1, "B")
    assert race.value.theirs.saved_by == "A"
    with as_crew(make, crew) as db:
        found, plan = records.current(db, job.id)
        assert found.version == 2 and plan.plan["site"]["name"] == "Mine"


def test_of_many_savers_one_wins(make, crews, job, heron):
    won, lost = [], []

    def save(n):
        try:
            with as_crew(make, crews["Tidemark crew"]) as db:
                won.append(
                    records.save_plan(db, job, altered(heron, "/site/name", f"n{n}"), 1, str(n))
                )
        except records.LostRace:
            lost.append(n)

    threads = [threading.Thread(target=save, args=(n,)) for n in range(8)]
    for t in threads:
        t.start()
    for t in threads:
        t.join()
    assert won == [2] and len(lost) == 7


def test_a_signed_job_is_frozen_until_opened_again(make, crews, job, heron):
    crew = crews["Tidemark crew"]
    with as_crew(make, crew) as db:
        records.append(db, job, "sign", {"plan_version": 1}, "Ilse", "supervisor", "")
    with pytest.raises(records.Frozen), as_crew(make, crew) as db:
        records.save_plan(db, job, heron, 1, "A")
    with pytest.raises(records.Frozen):
        reading(make, crews, job)
    with as_crew(make, crew) as db:
        records.append(db, job, "reopen", {"reason": "a pack is added"}, "Ilse", "supervisor", "")
        records.save_plan(db, job, heron, 1, "A")


def test_migrating_twice_changes_nothing(engine):
    database.migrate(engine)
    database.migrate(engine)


def test_the_tables_match_the_models(engine):
    """What the migrations made is what the models say."""
    from alembic.autogenerate import compare_metadata
    from alembic.migration import MigrationContext

    from gumboot.store.models import Base

    with engine.connect() as connection:
        assert compare_metadata(MigrationContext.configure(connection), Base.metadata) == []


def test_a_role_that_sees_everything_is_refused(cluster_url):
    """The cluster's keeper is a superuser, with the same password."""
    keeper = database.connect(cluster_url.replace("//gumboot:", "//keeper:"))
    with pytest.raises(database.UnsafeRole, match="superuser"):
        database.refuse_unsafe_role(keeper)
    keeper.dispose()


def test_a_signature_on_a_page_that_is_out_of_date_is_refused(make, crews, job, heron):
    seen = (job.version, job.log_head)
    reading(make, crews, job)
    with pytest.raises(records.Moved), as_crew(make, crews["Tidemark crew"]) as db:
        records.append(db, job, "sign", {"plan_version": 1}, "Ilse", "supervisor", "", seen=seen)
