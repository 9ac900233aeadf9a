"""The job list; a new job; a job as one file, out and in."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import UTC, date, datetime
from typing import Any
from urllib.parse import urlencode

from fastapi import APIRouter, Request
from fastapi.responses import RedirectResponse, Response
from sqlalchemy import Row, delete, func, select

from gumboot.exports import job_file
from gumboot.imports import kept
from gumboot.imports.interval import Unreadable
from gumboot.imports.photo import read_photo
from gumboot.store import files, records
from gumboot.store import shelf as shelves
from gumboot.store.database import see_crew
from gumboot.store.models import Job, Person, tables_of_job
from gumboot.web.job.listing import A_PAGE, MOST, STAGES, STATES, Asked, listed
from gumboot.web.job.opening import Opened, OpenJob, open_job
from gumboot.web.pages.frame import render, twin
from gumboot.web.people.visit import Visit, Visiting, uploaded

router = APIRouter()


@router.get("/")
def home(visit: Visiting) -> Response:
    """The job list is home."""
    return RedirectResponse("/jobs", 303)


def asked_of(request: Request) -> Asked:
    """What the address of the list asks for; what makes no sense there asks for nothing."""
    q = request.query_params

    def whole(name: str) -> int:
        text = q.get(name, "")
        return int(text) if text.isdecimal() and len(text) < 9 else 0

    def day(name: str) -> date | None:
        try:
            return date.fromisoformat(q.get(name, ""))
        except ValueError:
            return None

    data = request.url.path.endswith(".json")
    return Asked(
        q.get("q", "").replace("\x00", "")[:80],
        q.get("state", "") if q.get("state", "") in STATES else "",
        whole("person"),
        day("since"),
        day("until"),
        q.get("stops", "") == "yes",
        whole("page"),
        MOST if data else A_PAGE,
    )


def in_crew(visit: Visit) -> Sequence[Row[int, str]]:
    """The people of the crew by name, (id, name): those who may be given a job."""
    return visit.db.execute(
        select(Person.id, Person.name)
        .where(Person.crew_id == visit.crew_id, Person.left_at.is_(None))
        .order_by(func.lower(Person.name))
    ).all()


def list_page(
    request: Request, visit: Visit, faults: list[tuple[str, str]] | None = None
) -> dict[str, Any]:
    """What the page of the list shows."""
    asked = asked_of(request) if request.method == "GET" else Asked()
    rows, total = listed(visit, asked)
    visit.db.commit()  # rows made anew are kept
    see_crew(visit.db, visit.crew_id)
    kept = {k: v for k, v in request.query_params.items() if k != "page" and v}
    return {
        "jobs": rows,
        "total": total,
        "page": asked.page,
        "pages": -(-total // asked.count),
        "faults": faults or [],
        "_asked": asked,
        "_query": urlencode(kept),
        "_people": in_crew(visit),
        "_states": STATES,
        "_visit": visit,
    }


@twin(router, "/jobs", "jobs.html")
def jobs(request: Request, visit: Visiting) -> dict[str, Any]:
    """The job list."""
    return list_page(request, visit)


@router.get("/jobs/{job_id}/export.json")
def export_job(job: Opened) -> Response:
    """The whole job as one file."""
    text = document_of(job)
    plain = "".join(c if c.isascii() and c.isalnum() else "-" for c in job.record.name.lower())
    name = plain.strip("-")
    job.visit.tells("exported", what=f"the job {job.record.name}")
    job.visit.db.commit()
    return Response(
        text,
        media_type="application/json",
        headers={"Content-Disposition": f'attachment; filename="{name or "job"}.gumboot.json"'},
    )


def document_of(job: OpenJob) -> str:
    """A whole job as the text of its file."""
    attached = [
        job_file.Attached(f.digest, f.kind, f.name, f.media, f.about, f.kept_by, f.data)
        for f in files.of_job(job.visit.db, job.record)
    ]
    return job_file.write(
        job.record.uid,
        job.record.version,
        job.plan,
        job.design,
        records.entries(job.visit.db, job.record),
        attached,
        shelves.to_go_with(job.visit.db, job.visit.crew_id, job.shelf),
    )


@router.get("/job-file.schema.json")
def schema() -> Response:
    """The published schema of a job file."""
    return Response(job_file.schema_text(), media_type="application/schema+json")


@router.post("/jobs/import")
def import_job(request: Request, visit: Visiting) -> Response:
    """Take a job file in as a new job; a broken one is refused with the path of each fault, and
    nothing is stored.
    """
    visit.needs("planner", "supervisor")
    file = uploaded(visit, "file")
    try:
        if file is None:
            raise job_file.BrokenFile([("file", "choose a job file, made with “Export this job”")])
        taken = job_file.read(file.file.read())
    except job_file.BrokenFile as exc:
        return render(
            request,
            "jobs.html",
            list_page(request, visit, exc.faults),
            422,
        )
    job = records.create_job(
        visit.db,
        visit.crew_id,
        taken.plan,
        visit.who,
        taken.uid,
        taken.version,
        imported=True,
        shelf=shelves.named(taken.kit).document,
    )
    shelves.take_in(visit.db, visit.crew_id, job.id, taken.kit)
    records.take_in(visit.db, job, taken.entries)
    try:
        take_in(visit, job, taken.files)
    except job_file.BrokenFile as exc:
        visit.db.rollback()
        see_crew(visit.db, visit.crew_id)
        return render(
            request,
            "jobs.html",
            list_page(request, visit, exc.faults),
            422,
        )
    open_job(job.id, visit)  # what cannot be worked out is not kept
    visit.tells("imported", what=f"the job {job.name}")
    visit.db.commit()
    return RedirectResponse(f"/jobs/{job.id}/size", 303)


def take_in(visit: Visit, job: Job, attached: list[job_file.Attached]) -> None:
    """Keep the files of a job as they came, each once it is seen to be what it says. Raises
    BrokenFile.
    """
    for i, a in enumerate(attached):
        try:
            small = read_photo(a.data).small if a.kind == "photo" else None
            if a.kind == "readings":
                kept.read_readings(a.data)
            elif a.kind == "weather":
                kept.read_weather(a.data)
        except (Unreadable, ValueError) as exc:
            raise job_file.BrokenFile([(f"files/{i}/data", str(exc)[:200])]) from exc
        kind = next(k for k in files.KINDS if k == a.kind)
        files.keep(visit.db, job.id, kind, a.name, a.media, a.data, about_of(a), a.kept_by, small)


ABOUT: dict[str, dict[str, Any]] = {
    "readings": {"year": 0, "kwh": 0.0},
    "weather": {"place": "", "latitude_deg": 0.0},
    "photo": {"taken": ""},
    "pack": {"head": ""},
}  # what a page shows of a file


def about_of(a: job_file.Attached) -> dict[str, Any]:
    """What is said of a file, with what a page needs always there and of its kind."""
    return {
        **a.about,
        **{
            k: a.about[k] if isinstance(a.about.get(k), type(v)) else v
            for k, v in ABOUT[a.kind].items()
        },
    }


@router.post("/jobs/{job_id}/office")
def office(request: Request, job: Opened) -> Response:
    """How far a job is, who has it, and when: the office's own words."""
    visit, record = job.visit, job.record
    visit.needs("planner", "supervisor")
    if visit.text("stage") in STAGES:
        record.stage = visit.text("stage")
    who = visit.whole("person", 0)
    known = visit.db.scalar(
        select(Person.id).where(
            Person.id == who, Person.crew_id == visit.crew_id, Person.left_at.is_(None)
        )
    )
    record.person_id = known
    try:
        record.day = date.fromisoformat(visit.text("day")) if visit.text("day") else None
    except ValueError:
        visit.db.rollback()
        see_crew(visit.db, visit.crew_id)
        return again(request, job, "day", "Type a date such as 2027-03-31, or leave it empty.")
    record.note = visit.text("note")[:300]
    visit.db.commit()
    return RedirectResponse(f"/jobs/{record.id}/sheet", 303)


def again(request: Request, job: Opened, field: str, fault: str) -> Response:
    """The sheet once more: the fault at its field, everything as it was typed."""
    page = sheet_page(job)
    typed = {key: job.visit.text(key) for key in ("reason", "name")}
    if field == "day":  # sent by the office's form: what it sent stands in it
        page["job"] |= {key: job.visit.text(key) for key in ("stage", "day", "note")}
        page["job"]["person"] = job.visit.whole("person", 0)
    context = {**page, "faults": {field: fault}, "_typed": typed}
    return render(request, "job_sheet.html", context, 422)


@twin(router, "/jobs/{job_id}/sheet", "job_sheet.html")
def sheet(request: Request, job: Opened) -> dict[str, Any]:
    """What the office does with a job: state, person and day, a copy, put away, delete."""
    return sheet_page(job)


def sheet_page(job: Opened) -> dict[str, Any]:
    """What the sheet shows."""
    return {
        "job": {
            "id": job.record.id,
            "name": job.record.name,
            "stage": job.record.stage,
            "person": job.record.person_id,
            "day": job.record.day,
            "note": job.record.note,
            "put_away": job.record.put_away_at,
            "signed": job.state.signed is not None,
        },
        "faults": {},
        "_typed": {},
        "_stages": STAGES,
        "_people": in_crew(job.visit),
        "_visit": job.visit,
    }


@router.post("/jobs/{job_id}/copy")
def copy(job: Opened) -> Response:
    """The plan of a job as a new one: nothing of its record goes along."""
    visit = job.visit
    visit.needs("planner", "supervisor")
    name = f"{job.plan.site.name[:70]} (copy)"
    plan = job.plan.model_copy(update={"site": job.plan.site.model_copy(update={"name": name})})
    made = records.create_job(visit.db, visit.crew_id, plan, visit.who, shelf=job.shelf.document)
    visit.db.commit()
    return RedirectResponse(f"/jobs/{made.id}/brief", 303)


@router.post("/jobs/{job_id}/put-away")
def put_away(job: Opened) -> Response:
    """Out of the list, with everything kept; or back into it."""
    visit = job.visit
    visit.needs("planner", "supervisor")
    away = visit.text("act") != "back"
    job.record.put_away_at = datetime.now(UTC) if away else None
    visit.tells("put away" if away else "brought back", job=job.record.name, uid=job.record.uid)
    visit.db.commit()
    return RedirectResponse("/jobs" if away else f"/jobs/{job.record.id}/sheet", 303)


@router.post("/jobs/{job_id}/delete")
def delete_job(request: Request, job: Opened) -> Response:
    """Delete a job for good: its name typed, with a reason; the office log keeps that, and the head
    of the job's log.
    """
    visit, record = job.visit, job.record
    visit.needs("supervisor")
    reason, typed = visit.text("reason")[:500], visit.text("name")
    if not reason or typed != record.name:
        fault = (
            "Type why it is deleted: the reason is kept with your name."
            if not reason
            else f"Type the name of the job, {record.name}, to show that it is this one."
        )
        return again(request, job, "name" if reason else "reason", fault)
    body = {"job": record.name, "uid": record.uid, "reason": reason}
    visit.tells("deleted", **body, seq=record.log_seq, head=record.log_head)
    for table in tables_of_job():
        visit.db.execute(delete(table).where(table.c.job_id == record.id))
    visit.db.execute(delete(Job).where(Job.id == record.id))
    visit.db.commit()
    return RedirectResponse("/jobs", 303)
