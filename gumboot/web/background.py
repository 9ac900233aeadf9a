"""BackgroundJobs: what takes longer than a page may. Worker processes do them, write how far they
are, and
keep what came of it.

A page asks for a result by the key of what it is made from. It gets it, or learns how far it is and
asks again in a second.
"""

from __future__ import annotations

import contextlib
import hashlib
import io
import json
import logging
import multiprocessing
import os
import shutil
import tempfile
import threading
import time
from collections.abc import Callable
from concurrent.futures import Future, ProcessPoolExecutor
from dataclasses import dataclass
from functools import lru_cache, partial
from pathlib import Path
from typing import IO, Any

import numpy as np
from sqlalchemy.exc import SQLAlchemyError
from sqlalchemy.orm import Session, sessionmaker

from gumboot.catalogue import catalogue
from gumboot.core.design import design
from gumboot.core.energy.account import Account, account, best_account, neutral
from gumboot.core.energy.calendar import calendar
from gumboot.core.energy.sun import Weather
from gumboot.core.energy.year import NoYear, Readings, gather
from gumboot.core.plan import Plan
from gumboot.imports import espi, interval_csv, kept
from gumboot.imports.interval import Unreadable
from gumboot.imports.weather import read_weather
from gumboot.store import database, files, results
from gumboot.store.models import Result
from gumboot.web.job.opening import OpenJob

REVISION = 8  # of the computation: raised when the same plan would come to other numbers
LONG = ("best",)
FOLDER = "gumboot-tasks-"
Said = Callable[[float, str], None]
log = logging.getLogger("gumboot")


@dataclass
class BackgroundJob:
    """One that waits or is under way: for whom, what it is made from, and when a page last asked
    for it.
    """

    crew_id: int
    job_id: int
    kind: str
    key: str
    load: dict[str, Any]
    asked: float

    @property
    def lane(self) -> bool:
        """Whether it goes with the long ones."""
        return self.kind in LONG


class BackgroundJobs:
    """The workers of one application, one for short tasks and one for long. Each is started with
    its first task, and anew should it die.

    What was asked for last is done first: a page that somebody looks at asks each second.
    """

    def __init__(self, url: str) -> None:
        self.url = url
        _sweep_up()
        self.folder = tempfile.TemporaryDirectory(prefix=f"{FOLDER}{os.getpid()}-")
        self._pools: dict[bool, ProcessPoolExecutor] = {}
        self._waiting: list[BackgroundJob] = []
        self._at: dict[bool, BackgroundJob] = {}
        self._lock = threading.Lock()
        self._closed = False

    def holds(self, job_id: int, kind: str, key: str) -> bool:
        """Whether a task is waiting or under way here; to ask is to be looking at it."""
        with self._lock:
            found = next(
                (
                    e
                    for e in (*self._waiting, *self._at.values())
                    if (e.job_id, e.kind, e.key) == (job_id, kind, key)
                ),
                None,
            )
            if found:
                found.asked = time.monotonic()
            return found is not None

    def send(self, crew_id: int, job_id: int, kind: str, key: str, load: dict[str, Any]) -> None:
        """Have a claimed task done; one of the same job and kind that still waits is of an older
        plan, and let go.
        """
        with self._lock:
            older = [
                e for e in self._waiting if (e.job_id, e.kind) == (job_id, kind) and kind != "file"
            ]
            self._waiting = [e for e in self._waiting if e not in older] + [
                BackgroundJob(crew_id, job_id, kind, key, load, time.monotonic())
            ]
        for e in older:
            self._tell(crew_id, partial(_forget, task=e))
        self._next(kind in LONG)

    def _next(self, lane: bool) -> None:
        """Give a free worker what was asked for last."""
        with self._lock:
            able = [e for e in self._waiting if e.lane == lane]
            if self._closed or lane in self._at or not able:
                return
            task = max(able, key=lambda e: e.asked)
            self._waiting.remove(task)
            self._at[lane] = task
            if lane not in self._pools:
                self._pools[lane] = ProcessPoolExecutor(
                    1, mp_context=multiprocessing.get_context("spawn"), initializer=_settle
                )
            future = self._pools[lane].submit(
                run, self.url, task.crew_id, task.job_id, task.kind, task.key, task.load
            )
        future.add_done_callback(lambda f: self._done(f, task))

    def _done(self, future: Future[None], task: BackgroundJob) -> None:
        """On to the next. A worker that died cannot say so itself."""
        fault = None if future.cancelled() else future.exception()
        with self._lock:
            self._at.pop(task.lane, None)
            if fault:
                self._pools.pop(task.lane, None)
        if fault and not self._closed:
            log.error("task %s of job %s: %s", task.kind, task.job_id, fault)
            says = "The computation stopped half way. Ask for it again."
            self._tell(
                task.crew_id,
                lambda db: results.fail(db, task.job_id, task.kind, task.key, says),
            )
        self._next(task.lane)

    def _tell(self, crew_id: int, what: Callable[[Session], None]) -> None:
        with (
            contextlib.suppress(SQLAlchemyError),
            database.as_crew(_sessions(self.url), crew_id) as db,
        ):
            what(db)

    def close(self) -> None:
        """Stop the workers, whatever they are at; what they had claimed is free again in a
        minute.
        """
        with self._lock:
            pools, self._pools, self._closed = list(self._pools.values()), {}, True
        for pool in pools:
            for process in list(getattr(pool, "_processes", {}).values()):
                process.terminate()
            pool.shutdown(wait=True, cancel_futures=True)
        self.folder.cleanup()


def _sweep_up() -> None:
    """Throw away uploads that an application left when it was killed."""
    for left in Path(tempfile.gettempdir()).glob(f"{FOLDER}*-*"):
        pid = left.name.removeprefix(FOLDER).split("-")[0]
        if pid.isdecimal() and not Path(f"/proc/{pid}").exists():
            shutil.rmtree(left, ignore_errors=True)


def year_key(plan: Plan) -> str:
    """What a year follows from, as one digest: the plan without what is only said of it."""
    document = plan.model_dump(
        mode="json", exclude={"survey": True, "units": True, "site": {"name", "address"}}
    )
    return hashlib.sha256(json.dumps([REVISION, document], sort_keys=True).encode()).hexdigest()


def asked(job: OpenJob, tasks: BackgroundJobs, kind: str, again: bool = False) -> Result | None:
    """The result of a job's year or best possible; sent for when it is not there. None when it was
    just sent for.

    again: a fault is tried again.
    """
    plan = neutral(job.plan) if kind == "best" else job.plan
    return _asked(job, tasks, kind, year_key(plan), {"plan": plan.model_dump(mode="json")}, again)


def _asked(
    job: OpenJob, tasks: BackgroundJobs, kind: str, key: str, load: dict[str, Any], again: bool
) -> Result | None:
    db, crew_id = job.visit.db, job.visit.crew_id
    row = results.found(db, job.record.id, kind, key)
    if row is not None and (
        row.body is not None
        or (row.fault is not None and not again)
        or tasks.holds(job.record.id, kind, key)
    ):
        return row
    if results.claim(db, job.record.id, kind, key):
        db.commit()
        tasks.send(crew_id, job.record.id, kind, key, load)
        database.see_crew(db, crew_id)
        return None
    return row


def send_file(
    job: OpenJob,
    tasks: BackgroundJobs,
    kind: files.FileKind,
    file: IO[bytes],
    name: str,
    month_first: bool,
) -> str:
    """Have an uploaded file read and kept; returns the key of what will be said of it."""
    path = Path(tasks.folder.name) / os.urandom(8).hex()
    summed = hashlib.sha256(
        json.dumps([job.plan.site.zone, job.plan.site.longitude_deg, month_first, kind]).encode()
    )
    with path.open("wb") as out:
        while chunk := file.read(1 << 20):
            summed.update(chunk)
            out.write(chunk)
    key = summed.hexdigest()
    load = {
        "path": str(path),
        "name": name,
        "kind": kind,
        "zone": job.plan.site.zone,
        "longitude": job.plan.site.longitude_deg,
        "month_first": month_first,
        "who": job.visit.who,
    }
    if _asked(job, tasks, "file", key, load, True) is not None:
        path.unlink(missing_ok=True)
    return key


def series_of(data: bytes) -> dict[str, Any]:
    """The series of a result."""
    with np.load(io.BytesIO(data)) as found:
        return {k: found[k].astype(np.float64) for k in found.files}


# In the worker from here on.


def _forget(db: Session, task: BackgroundJob) -> None:
    results.forget(db, task.job_id, task.kind, task.key)


@lru_cache(maxsize=2)
def _sessions(url: str) -> sessionmaker[Session]:
    return database.sessions(database.connect(url))


def _settle() -> None:
    """Gentle with the machine, and gone when the application is."""
    with contextlib.suppress(OSError):
        os.nice(5)
    parent = os.getppid()

    def watch() -> None:
        while os.getppid() == parent:
            time.sleep(1)
        os._exit(1)

    threading.Thread(target=watch, daemon=True).start()


def run(url: str, crew_id: int, job_id: int, kind: str, key: str, load: dict[str, Any]) -> None:
    """One task: do it, and keep its result or its fault."""
    make = _sessions(url)
    last = 0.0

    def said(share: float, says: str) -> None:
        nonlocal last
        if time.monotonic() - last > 0.4:
            with database.as_crew(make, crew_id) as db:
                results.beat(db, job_id, kind, key, share, says)
            last = time.monotonic()

    try:
        body, data = TASKS[kind](make, crew_id, job_id, load, said)
    except (NoYear, Unreadable) as exc:
        with database.as_crew(make, crew_id) as db:
            results.fail(db, job_id, kind, key, str(exc))
    except Exception:
        log.exception("task %s of job %s", kind, job_id)
        with database.as_crew(make, crew_id) as db:
            results.fail(
                db,
                job_id,
                kind,
                key,
                "An error on our side stopped the computation. It has been logged; ask again.",
            )
    else:
        with database.as_crew(make, crew_id) as db:
            results.finish(db, job_id, kind, key, body, data)


def _lived(
    make: sessionmaker[Session],
    crew_id: int,
    job_id: int,
    load: dict[str, Any],
    said: Said,
    of: Callable[..., Account],
) -> tuple[dict[str, Any], bytes]:
    said(0.05, "the sun of a year")
    plan = Plan.model_validate(load["plan"])
    book = catalogue()
    made = design(plan, book)
    readings, weather = _series_of(make, crew_id, job_id, plan)
    found = of(plan, made, book, gather(plan, made, book, readings, weather), said)
    out = io.BytesIO()
    series: Any = {k: v.astype(np.float32) for k, v in found.series.items()}
    np.savez_compressed(out, **series)
    return found.body, out.getvalue()


def _series_of(
    make: sessionmaker[Session], crew_id: int, job_id: int, plan: Plan
) -> tuple[Readings | None, Weather | None]:
    with database.as_crew(make, crew_id) as db:
        load, weather = (
            files.one(db, job_id, plan.energy.load_file),
            files.one(db, job_id, plan.energy.weather_file),
        )
        if plan.energy.weather_file and weather is None:
            raise NoYear("The weather file of the plan is not kept with the job: give it again.")
        return kept.read_readings(load.data) if load else None, (
            kept.read_weather(weather.data) if weather else None
        )


def _year(
    make: sessionmaker[Session], crew_id: int, job_id: int, load: dict[str, Any], said: Said
) -> tuple[dict[str, Any], bytes]:
    return _lived(make, crew_id, job_id, load, said, account)


def _best(
    make: sessionmaker[Session], crew_id: int, job_id: int, load: dict[str, Any], said: Said
) -> tuple[dict[str, Any], bytes]:
    return _lived(
        make,
        crew_id,
        job_id,
        load,
        said,
        lambda plan, made, book, inputs, told: best_account(plan, made, inputs, told),
    )


def _file(
    make: sessionmaker[Session], crew_id: int, job_id: int, load: dict[str, Any], said: Said
) -> tuple[dict[str, Any], None]:
    """Read an uploaded file of readings or weather, and keep the year that came of it."""
    path = Path(load["path"])
    done = threading.Event()

    def ticking() -> None:  # a large file is read in one go: a sign of life meanwhile
        share = 0.05
        while not done.wait(1.0):
            said(share := min(0.95, share + (1 - share) * 0.05), "reading the file")

    threading.Thread(target=ticking, daemon=True).start()
    try:
        with path.open("rb") as file:
            head = file.read(400).lstrip(b"\xef\xbb\xbf \t\r\n")
            file.seek(0)
            if load["kind"] == "weather":
                weather, station, report = read_weather(file)
                data, extra = (
                    kept.write_weather(weather),
                    {"place": station.name, "latitude_deg": station.latitude_deg},
                )
            else:
                if head.startswith(b"<"):
                    readings, report = espi.read_espi(file, load["zone"], load["longitude"])
                else:
                    readings, report = interval_csv.read_csv(
                        file, load["zone"], load["longitude"], load["month_first"]
                    )
                data = kept.write_readings(
                    readings, calendar(readings.year, load["zone"], load["longitude"])
                )
                extra = {"year": readings.year, "kwh": float(readings.kwh.sum())}
    except FileNotFoundError as exc:
        raise Unreadable("The file is not here any more: send it again.") from exc
    finally:
        done.set()
        path.unlink(missing_ok=True)
    about = {
        "found": report.found,
        "repaired": report.repaired,
        "bad": report.bad,
        "bad_lines": report.bad_lines,
        **extra,
    }
    with database.as_crew(make, crew_id) as db:
        digest = files.keep(
            db, job_id, load["kind"], load["name"], kept.MEDIA, data, about, load["who"]
        )
    return {"digest": digest, "kind": load["kind"], "name": load["name"], **about}, None


TASKS: dict[str, Callable[..., tuple[dict[str, Any], bytes | None]]] = {
    "year": _year,
    "best": _best,
    "file": _file,
}
