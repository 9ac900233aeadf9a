"""The queue of long computations: each task is one worker's, until that one falls silent; the last
asked for comes first, crews by turns; a crew sees its own.
"""

import threading

import pytest
from sqlalchemy import select, text
from sqlalchemy.exc import DBAPIError

from gumboot.store import database, queue, records, results
from gumboot.store.database import as_crew
from gumboot.store.models import Result, Task, UploadPart
from tests.store.test_records import crews, job  # noqa: F401 - fixtures

KINDS = ["year", "file", "pdf"]


@pytest.fixture(scope="module")
def queued(demo_database):
    """A database no worker serves."""
    engine = database.connect(demo_database("queue"))
    yield engine
    engine.dispose()


@pytest.fixture
def make(queued):
    return database.sessions(queued)


@pytest.fixture
def us(make, crews):  # noqa: F811
    return crews["Tidemark crew"]


@pytest.fixture(autouse=True)
def empty(make):
    """No task of another test waits."""
    with make.begin() as db:
        db.execute(text("delete from task"))


@pytest.fixture
def ask(make, us, job):  # noqa: F811
    """Asks for a result of the demo's crew."""

    def asks(kind="year", key="k", load=b"load", alone=False):
        with as_crew(make, us) as db:
            queue.ask(db, us, job.id, kind, key, load, alone)

    return asks


def take(make, worker="one", kinds=KINDS):
    with make.begin() as db:
        return queue.take(db, worker, kinds)


def silence(make):
    """Every worker fell silent a minute ago."""
    with make.begin() as db:
        db.execute(text("update task set beat_at = now() - interval '61 seconds'"))


def test_of_many_workers_one_takes_it_however_often_it_is_asked_for(make, ask):
    for _ in range(3):
        ask()
    taken = []
    gate = threading.Barrier(8)

    def go(n):
        gate.wait()
        taken.append(take(make, f"w{n}"))

    threads = [threading.Thread(target=go, args=(n,)) for n in range(8)]
    for t in threads:
        t.start()
    for t in threads:
        t.join()
    assert sum(t is not None for t in taken) == 1


def test_one_that_falls_silent_loses_its_task_and_may_not_end_it(make, ask, us, job):  # noqa: F811
    ask()
    first = take(make, "one")
    assert first.tries == 1 and take(make, "two") is None
    with as_crew(make, us) as db:
        assert queue.beat(db, first, "one")
    silence(make)
    again = take(make, "two")
    assert (again.id, again.tries) == (first.id, 2)
    with as_crew(make, us) as db:
        assert not queue.beat(db, first, "one") and not queue.end(db, first, "one")
        assert queue.look(db, job.id, "year", "k")
        assert queue.end(db, again, "two") and not queue.look(db, job.id, "year", "k")


def test_what_a_worker_gives_back_is_free_at_once(make, ask):
    ask()
    take(make, "one")
    with make.begin() as db:
        assert queue.waiting(db) == 0
        queue.free(db, "two")
    assert take(make, "three") is None
    with make.begin() as db:
        queue.free(db, "one")
        assert queue.waiting(db) == 1
    assert take(make, "three").tries == 2


def test_who_looks_comes_first_and_an_older_plan_is_let_go(make, ask, us, job):  # noqa: F811
    for key in ("a", "b", "c"):
        ask("pdf", key)
    with as_crew(make, us) as db:
        assert queue.look(db, job.id, "pdf", "a")
    assert take(make).key == "a"
    ask("year", "old", alone=True)
    ask("year", "new", alone=True)
    with as_crew(make, us) as db:
        kept = set(db.scalars(select(Task.key).where(Task.kind == "year")))
        assert kept == {"new"} and results.found(db, job.id, "year", "old") is None


def test_crews_by_turns_and_one_pdf_of_a_crew_at_a_time(make, ask, crews, heron):  # noqa: F811
    other = crews["Other crew"]
    with as_crew(make, other) as db:
        theirs = records.create_job(db, other, heron, "Somebody")
        queue.ask(db, other, theirs.id, "year", "theirs", b"", False)
    for n in range(3):
        ask("file", f"f{n}")
        ask("pdf", f"p{n}")
    assert take(make, "one").kind == "pdf"  # asked for last
    assert take(make, "two").key == "theirs"  # the other crew has none under way
    got = [take(make, f"w{n}") for n in range(4)]
    assert [g and g.kind for g in got] == ["file", "file", "file", None]
    silence(make)
    assert take(make, "late", ["pdf"]) is not None


def test_a_crew_sees_its_own_and_a_worker_no_load(make, ask, us, crews, job):  # noqa: F811
    ask()
    with as_crew(make, us) as db:
        queue.keep_part(db, job.id, "k", 0, b"one")
        queue.keep_part(db, job.id, "k", 1, b"two")
        queue.keep_part(db, job.id, "k", 1, b"two")  # the same file, sent twice at once
        assert b"".join(queue.parts(db, job.id, "k")) == b"onetwo"
        assert results.load_of(db, job.id, "year", "k") == b"load"
    with as_crew(make, crews["Other crew"]) as db:
        assert not db.scalars(select(Task)).all() and not db.scalars(select(UploadPart)).all()
        assert not queue.look(db, job.id, "year", "k")
    with make() as db:  # of no crew: whose and which, and not what
        assert db.scalars(select(Task)).all()
        assert (
            not db.scalars(select(Result.load)).all() and not db.scalars(select(UploadPart)).all()
        )
    with pytest.raises(DBAPIError), as_crew(make, crews["Other crew"]) as db:
        queue.ask(db, us, job.id, "year", "forged", b"", False)
    with as_crew(make, us) as db:
        queue.drop_parts(db, job.id, "k")
        assert not list(queue.parts(db, job.id, "k"))


def test_what_nobody_came_for_is_thrown_away(make, us, job):  # noqa: F811
    with as_crew(make, us) as db:
        for kind in ("pdf", "year"):
            results.begin(db, job.id, kind, "old", b"")
            results.finish(db, job.id, kind, "old", {"n": 1}, b"data")
        queue.keep_part(db, job.id, "left", 0, b"x")
        db.execute(text("update result set beat_at = now() - interval '31 days'"))
        db.execute(text("update upload_part set at = now() - interval '3 days'"))
        results.begin(db, job.id, "pdf", "new", b"")
        results.tidy(db)
        assert results.found(db, job.id, "pdf", "old") is None
        assert results.found(db, job.id, "year", "old") and results.found(db, job.id, "pdf", "new")
        assert not list(queue.parts(db, job.id, "left"))
