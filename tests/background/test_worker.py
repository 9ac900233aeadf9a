"""Workers as processes: one killed in the middle has its task done by another; what fails is said
in words; all end with whoever started them.
"""

import os
import signal
import subprocess
import sys
import time

import pytest
from sqlalchemy import func, select, text

from gumboot.background import worker
from gumboot.background.keeper import beside
from gumboot.background.tasks import packed, unpacked
from gumboot.store import database, queue, results
from gumboot.store.database import as_crew
from gumboot.store.models import Job, Task
from tests.conftest import ROOT

PAGE = {"html": "<h1>A page</h1>" + "<p>and a line</p>" * 60, "name": "a-page"}
LONG_PAGE = {"html": "<h1>A long page</h1>" + "<p>and a line</p>" * 2_000, "name": "long"}


@pytest.fixture(scope="module")
def place(demo_database):
    """(URL, sessions, crew's number, job's number) of a database with the demo."""
    url = demo_database("worker")
    engine = database.connect(url)
    make = database.sessions(engine)
    with as_crew(make, 1) as db:
        job = db.scalar(select(func.min(Job.id)))
    yield url, make, 1, job
    engine.dispose()


@pytest.fixture(autouse=True)
def empty(place):
    with place[1].begin() as db:
        db.execute(text("delete from task"))


def ask(place, key, load=PAGE, kind="pdf"):
    _, make, crew, job = place
    with as_crew(make, crew) as db:
        queue.ask(db, crew, job, kind, key, packed(load), False)


def wait(place, key, kind="pdf", seconds=400.0):
    """The result, once it is there or has failed."""
    _, make, crew, job = place
    ends = time.monotonic() + seconds
    while time.monotonic() < ends:
        with as_crew(make, crew) as db:
            row = results.found(db, job, kind, key)
            if row and (row.body is not None or row.fault):
                return row.body, row.fault
        time.sleep(0.1)
    raise AssertionError("no result")


def pid_at(place, seconds=400.0):
    """The process that has a task."""
    ends = time.monotonic() + seconds
    while time.monotonic() < ends:
        with place[1]() as db:
            if by := db.scalar(select(Task.taken_by).where(Task.taken_by.is_not(None))):
                return int(by.rsplit("-", 1)[1])
        time.sleep(0.02)
    raise AssertionError("no worker came")


@pytest.mark.long
def test_a_worker_killed_in_the_middle_has_its_task_done_by_another(place):
    with beside(place[0], 1):
        ask(place, "long", LONG_PAGE)
        first = pid_at(place)
        os.kill(first, signal.SIGKILL)
        body, fault = wait(place, "long")
    assert fault is None and body["bytes"] > 10_000
    with as_crew(place[1], place[2]) as db:
        assert not db.scalars(select(Task)).all()


@pytest.mark.long
def test_workers_end_with_who_started_them(place):
    starter = subprocess.Popen(
        [
            sys.executable,
            "-c",
            "import sys, time; from gumboot.background.keeper import beside\n"
            f"with beside({place[0]!r}, 1): time.sleep(600)",
        ],
        cwd=ROOT,
        env={**os.environ, "PYTHONPATH": str(ROOT)},
    )
    ask(place, "one", LONG_PAGE)
    number = pid_at(place)
    starter.kill()
    starter.wait()
    for _ in range(900):
        try:
            os.kill(number, 0)
        except ProcessLookupError:
            break
        time.sleep(0.1)
    else:
        raise AssertionError("a worker is left")


def taken(place):
    with place[1].begin() as db:
        return queue.take(db, "here", ["pdf", "file", "year"])


def test_what_is_broken_is_said_in_words(place, caplog):
    ask(place, "odd", {"html": 3, "name": "x"})
    worker.do(place[1], taken(place), "here")
    assert wait(place, "odd") == (None, worker.FAULT) and "Traceback" in caplog.text
    ask(place, "none", {"kind": "readings"}, "file")
    worker.do(place[1], taken(place), "here")
    assert "send it again" in wait(place, "none", "file")[1]


def test_what_stops_workers_three_times_is_given_up(place):
    ask(place, "stops")
    for _ in range(queue.MOST_TRIES):
        assert taken(place)
        with place[1].begin() as db:
            queue.free(db, "here")
    worker.do(place[1], taken(place), "here")
    assert wait(place, "stops") == (None, worker.TOO_OFTEN)


def test_who_lost_a_task_keeps_no_result_of_it(place, monkeypatch):
    """Without its sign of life: that would end this very process."""
    monkeypatch.setattr(worker, "BEAT_S", 3600.0)
    ask(place, "lost")
    task = taken(place)
    with place[1].begin() as db:
        db.execute(text("update task set taken_by = 'another'"))
    worker.do(place[1], task, "here")
    with as_crew(place[1], place[2]) as db:
        assert results.found(db, place[3], "pdf", "lost").body is None


def test_a_load_comes_back_as_it_was():
    assert unpacked(packed(PAGE)) == PAGE
