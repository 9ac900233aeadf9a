"""What a worker can do: a year with the kit and without, the best that was possible, a file of
readings or weather read, a page printed.

A load is what a task is made from: JSON, packed.
"""

from __future__ import annotations

import gc
import hashlib
import io
import json
import os
import tempfile
import time
import zlib
from collections.abc import Callable
from dataclasses import dataclass, replace
from datetime import UTC, datetime
from typing import IO, Any

import numpy as np
from sqlalchemy.orm import Session, sessionmaker

from gumboot.core.design import design
from gumboot.core.energy.account import Account, account, best_account
from gumboot.core.energy.calendar import calendar
from gumboot.core.energy.sun import Weather
from gumboot.core.energy.year import NoYear, Readings, gather
from gumboot.core.plan import Plan
from gumboot.core.wake.proof import prove
from gumboot.exports.certificate import Seal, new_seal
from gumboot.exports.pack import Enclosed, folder_of, to_pdf
from gumboot.imports import espi, interval_csv, kept
from gumboot.imports.interval import Unreadable
from gumboot.imports.weather import read_weather
from gumboot.store import database, files, handing, queue, results
from gumboot.store.models import Crew
from gumboot.store.queue import Taken
from gumboot.store.shelf import Shelf, of_plan

REVISION = 12  # of the computation: raised when the same plan would come to other numbers
LONG = ("best",)  # never before the others
Said = Callable[[float, str], None]
Made = tuple[dict[str, Any], bytes | None]


@dataclass(frozen=True)
class Work:
    """A task at hand: sessions on the database, what was taken, its load, and whom to tell how far
    it is.
    """

    make: sessionmaker[Session]
    task: Taken
    load: dict[str, Any]
    said: Said


def packed(load: dict[str, Any]) -> bytes:
    """A load as it is kept."""
    return zlib.compress(json.dumps(load).encode(), 1)


def unpacked(data: bytes) -> dict[str, Any]:
    """A load as it was given."""
    found: dict[str, Any] = json.loads(zlib.decompress(data))
    return found


def page_key(load: dict[str, Any]) -> str:
    """What a PDF is made from, as one digest."""
    return hashlib.sha256(json.dumps(load, sort_keys=True).encode()).hexdigest()[:40]


def year_key(plan: Plan, shelf: dict[str, Any]) -> str:
    """What a year follows from, as one digest: the plan without what is only said of it, and the
    kit.
    """
    document = plan.model_dump(
        mode="json", exclude={"survey": True, "units": True, "site": {"name", "address"}}
    )
    made_from = json.dumps([REVISION, document, shelf], sort_keys=True)
    return hashlib.sha256(made_from.encode()).hexdigest()


def _lived(w: Work, of: Callable[..., Account]) -> Made:
    w.said(0.05, "the sun of a year")
    plan = Plan.model_validate(w.load["plan"])
    with database.as_crew(w.make, w.task.crew_id) as db:
        book = of_plan(db, w.task.crew_id, Shelf.of(w.load["shelf"]))
    made = design(plan, book)
    readings, weather = _series_of(w, plan)
    found = of(plan, made, book, gather(plan, made, book, readings, weather), w.said)
    out = io.BytesIO()
    series: Any = {k: v.astype(np.float32) for k, v in found.series.items()}
    np.savez_compressed(out, **series)
    return found.body, out.getvalue()


def _series_of(w: Work, plan: Plan) -> tuple[Readings | None, Weather | None]:
    with database.as_crew(w.make, w.task.crew_id) as db:
        load, weather = (
            files.one(db, w.task.job_id, plan.energy.load_file),
            files.one(db, w.task.job_id, plan.energy.weather_file),
        )
        if plan.energy.weather_file and weather is None:
            raise NoYear("The weather file of the plan is not kept with the job: give it again.")
        return kept.read_readings(load.data) if load else None, (
            kept.read_weather(weather.data) if weather else None
        )


def year(w: Work) -> Made:
    """A year with the kit and without, and its series."""
    return _lived(w, account)


def best(w: Work) -> Made:
    """The best that was possible, and its series."""
    return _lived(w, lambda plan, made, book, inputs, told: best_account(plan, made, inputs, told))


def file(w: Work) -> Made:
    """Read an uploaded file of readings or weather, and keep the year that came of it. Raises
    Unreadable.
    """
    w.said(0.05, "reading the file")
    load, task = w.load, w.task
    with tempfile.TemporaryFile() as sent:
        with database.as_crew(w.make, task.crew_id) as db:
            for piece in queue.parts(db, task.job_id, task.key):
                sent.write(piece)
        sent.seek(0)
        data, extra, report = _read(sent, load)
    about = {
        "found": report.found,
        "repaired": report.repaired,
        "bad": report.bad,
        "bad_lines": report.bad_lines,
        **extra,
    }
    with database.as_crew(w.make, task.crew_id) as db:
        digest = files.keep(
            db, task.job_id, load["kind"], load["name"], kept.MEDIA, data, about, load["who"]
        )
    return {"digest": digest, "kind": load["kind"], "name": load["name"], **about}, None


def _read(sent: IO[bytes], load: dict[str, Any]) -> tuple[bytes, dict[str, Any], Any]:
    head = sent.read(400).lstrip(b"\xef\xbb\xbf \t\r\n")
    sent.seek(0)
    if not head:
        raise Unreadable("The file is empty, or not here any more: send it again.")
    if load["kind"] == "weather":
        weather, station, report = read_weather(sent)
        extra: dict[str, Any] = {"place": station.name, "latitude_deg": station.latitude_deg}
        return kept.write_weather(weather), extra, report
    zone, longitude = load["zone"], load["longitude"]
    if head.startswith(b"<"):
        readings, report = espi.read_espi(sent, zone, longitude)
    else:
        readings, report = interval_csv.read_csv(sent, zone, longitude, load["month_first"])
    data = kept.write_readings(readings, calendar(readings.year, zone, longitude))
    return data, {"year": readings.year, "kwh": float(readings.kwh.sum())}, report


def pdf(w: Work) -> Made:
    """A page of HTML as a PDF; or several, in a folder with what goes with them."""
    pages = w.load.get("pages") or [w.load]
    enclosed = [_enclosed(w, x) for x in w.load.get("enclosed", ())]
    gc.disable()  # a page is many small things, all needed to its end: a fifth quicker
    try:
        made = [_page(w, p, enclosed, f"{n} of {len(pages)}: ") for n, p in enumerate(pages, 1)]
    finally:
        gc.enable()
    if "pages" not in w.load:
        return {"name": w.load["name"], "bytes": len(made[0].data)}, made[0].data
    w.said(0.9, "the folder")
    rows = [replace(x, name=f"{w.load['name']}/{x.name}") for x in (*made, *enclosed)]
    data = folder_of(rows, datetime.now(UTC))
    return {"name": w.load["name"], "bytes": len(data), "media": "application/zip"}, data


def _page(w: Work, page: dict[str, Any], enclosed: list[Enclosed], which: str) -> Enclosed:
    which = which if "pages" in w.load else ""
    name = f"{page['name']}.pdf"
    if which and (data := _printed_before(w, page)):
        return Enclosed(name, "application/pdf", page.get("says", ""), data)
    data = to_pdf(
        page["html"],
        lambda says: w.said(0.1, which + says),
        page.get("variant", ""),
        enclosed if page.get("encloses") else (),
        lambda digest: _photo(w, digest, small=True),
    )
    if page.get("seals"):
        w.said(0.9, f"{which}the seal")
        data = _sealed(w, data, page["seals"])
    return Enclosed(name, "application/pdf", page.get("says", ""), data)


def _printed_before(w: Work, page: dict[str, Any]) -> bytes | None:
    """The same page, where it was asked for alone."""
    with database.as_crew(w.make, w.task.crew_id) as db:
        row = results.found(db, w.task.job_id, "pdf", page_key(page))
        return row.data if row is not None else None


def _sealed(w: Work, data: bytes, reason: str) -> bytes:
    from gumboot.exports.seal import sealed

    with database.as_crew(w.make, w.task.crew_id) as db:
        seal = seal_of(db, w.task.crew_id)
    return sealed(data, seal, reason, os.environ.get("GUMBOOT_TIMESTAMP_URL", ""))


def seal_of(db: Session, crew_id: int) -> Seal:
    """The crew's seal; its own is made when there is none yet."""
    handing.seal_lock(db, crew_id)
    row = handing.seal_row(db, crew_id)
    if row is not None:
        return Seal(row.pkcs12, row.certificate)
    crew = db.get(Crew, crew_id)
    made = new_seal(crew.name if crew else "", datetime.now(UTC))
    handing.keep_seal(db, crew_id, made.pkcs12, made.certificate, "own", "Gumboot")
    return made


def _enclosed(w: Work, x: dict[str, Any]) -> Enclosed:
    data = x["text"].encode() if "text" in x else _photo(w, x["digest"])
    return Enclosed(x["name"], x["media"], x["says"], data)


def _photo(w: Work, digest: str, small: bool = False) -> bytes:
    with database.as_crew(w.make, w.task.crew_id) as db:
        kept = files.one(db, w.task.job_id, digest)
        if kept is None:
            raise ValueError(f"there is no photograph {digest[:12]}")
        return (kept.small if small else None) or kept.data


def proof(w: Work) -> Made:
    """Every state of a job's switches judged."""
    w.said(0.1, "looking at every state")
    plan = Plan.model_validate(w.load["plan"])
    with database.as_crew(w.make, w.task.crew_id) as db:
        book = of_plan(db, w.task.crew_id, Shelf.of(w.load["shelf"]))
    wake = design(plan, book).wake
    if wake is None:
        return {"says": "No order yet."}, None
    began = time.monotonic()
    p = prove(wake.way)
    took = f" Judged in {max(time.monotonic() - began, 0.001):.2g} s."
    body = {"says": p.says + took, "states": p.states, "acts": p.acts, "levers": p.levers}
    harmful = dict(p.harmful)
    return {**body, "whole": p.whole, "harmful": harmful, "wrong": p.wrong}, None


TASKS: dict[str, Callable[[Work], Made]] = {
    "year": year,
    "best": best,
    "file": file,
    "pdf": pdf,
    "proof": proof,
}
