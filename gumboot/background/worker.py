"""One worker process: takes a task, does it, keeps what came of it, and takes the next."""

from __future__ import annotations

import contextlib
import logging
import os
import threading
import time
from collections.abc import Collection

from sqlalchemy.exc import SQLAlchemyError
from sqlalchemy.orm import Session, sessionmaker

from gumboot.background.tasks import TASKS, Work, unpacked
from gumboot.core.energy.year import NoYear
from gumboot.exports.pack import to_pdf
from gumboot.imports.interval import Unreadable
from gumboot.store import database, queue, results
from gumboot.store.models import Crew
from gumboot.store.queue import Taken

LOOK_S, BEAT_S, TELL_S, TIDY_S = 0.2, 5.0, 0.4, 3600.0
LONGEST_S = 900.0
FAULT = "An error on our side stopped the computation. It has been logged; ask again."
TOO_OFTEN = "The computation was stopped half way three times. Ask for it again."
TOO_LONG = f"The computation took longer than {LONGEST_S / 60:.0f} minutes and was stopped."
log = logging.getLogger("gumboot")


def work(url: str, kinds: Collection[str], name: str, stop: threading.Event) -> None:
    """Take tasks of some kinds until told to stop, under a name no other worker has. Gentle with
    the machine; a database that is away is waited for.
    """
    with contextlib.suppress(OSError):
        os.nice(5)
    if "pdf" in kinds:
        to_pdf("<p>.</p>")  # its library and the fonts are read before somebody waits for a book
    engine = database.connect(url)
    make = database.sessions(engine)
    tidied = time.monotonic()
    while not stop.is_set():
        try:
            with make.begin() as db:
                task = queue.take(db, name, kinds)
            if task:
                do(make, task, name)
                continue
            if time.monotonic() - tidied > TIDY_S:
                tidied = time.monotonic()
                tidy(make)
        except SQLAlchemyError as exc:
            log.error("worker: %s", getattr(exc, "orig", exc))
            stop.wait(2.0)
        stop.wait(LOOK_S)
    engine.dispose()


def do(make: sessionmaker[Session], task: Taken, name: str) -> None:
    """One task: do it, and keep its result or its fault. A sign of life goes out meanwhile; should
    nobody wait for it any more, the process ends, and whoever keeps it starts another.
    """
    over, began = threading.Event(), time.monotonic()
    last = 0.0

    def signs() -> None:
        while not over.wait(BEAT_S):
            with contextlib.suppress(SQLAlchemyError):
                if time.monotonic() - began > LONGEST_S:
                    ended(make, task, name, TOO_LONG)
                    os._exit(1)
                with database.as_crew(make, task.crew_id) as db:
                    mine = queue.beat(db, task, name)
                if not mine and not over.is_set():
                    os._exit(1)

    def said(share: float, says: str) -> None:
        nonlocal last
        if time.monotonic() - last > TELL_S:
            with database.as_crew(make, task.crew_id) as db:
                results.beat(db, task.job_id, task.kind, task.key, share, says)
            last = time.monotonic()

    def gives_up(fault: str) -> None:
        over.set()
        ended(make, task, name, fault)

    signing = threading.Thread(target=signs, daemon=True)
    signing.start()
    try:
        if task.tries > queue.MOST_TRIES:
            gives_up(TOO_OFTEN)
            return
        with database.as_crew(make, task.crew_id) as db:
            load = results.load_of(db, task.job_id, task.kind, task.key)
        body, data = TASKS[task.kind](Work(make, task, unpacked(load or b""), said))
    except (NoYear, Unreadable) as exc:
        gives_up(str(exc))
    except SQLAlchemyError:
        raise
    except Exception:
        log.exception("task %s of job %s", task.kind, task.job_id)
        gives_up(FAULT)
    else:
        over.set()
        with database.as_crew(make, task.crew_id) as db:
            if queue.end(db, task, name):
                results.finish(db, task.job_id, task.kind, task.key, body, data)
                queue.drop_parts(db, task.job_id, task.key)
    finally:
        over.set()
        signing.join()


def ended(make: sessionmaker[Session], task: Taken, name: str, fault: str) -> None:
    """A task is over without a result, and why."""
    with database.as_crew(make, task.crew_id) as db:
        if queue.end(db, task, name):
            results.fail(db, task.job_id, task.kind, task.key, fault)
            queue.drop_parts(db, task.job_id, task.key)


def tidy(make: sessionmaker[Session]) -> None:
    """Throw away what nobody came for, of every crew."""
    with make() as db:
        crews = [row.id for row in db.query(Crew.id)]
    for crew_id in crews:
        with database.as_crew(make, crew_id) as db:
            results.tidy(db)
