"""The job list; a new job; a job as one file, out and in."""

from __future__ import annotations

from typing import Any

from fastapi import APIRouter, Request
from fastapi.responses import RedirectResponse, Response
from sqlalchemy import select

from gumboot.core.basis.finding import Level
from gumboot.core.design import Design
from gumboot.exports import job_file
from gumboot.imports import kept
from gumboot.imports.interval import Unreadable
from gumboot.imports.photo import read_photo
from gumboot.store import files, records
from gumboot.store.database import see_crew
from gumboot.store.models import Job, PlanVersion
from gumboot.web.job.opening import Opened, OpenJob, designed
from gumboot.web.pages.frame import render, twin
from gumboot.web.people.sign_in import Visit, Visiting, uploaded
from gumboot.web.station import stations

router = APIRouter()


@router.get("/")
def home(visit: Visiting) -> Response:
    """The job list is home."""
    return RedirectResponse("/jobs", 303)


def listed(visit: Visit) -> list[dict[str, Any]]:
    """The crew's jobs, newest change first, each with what a planner asks first."""
    rows = visit.db.execute(
        select(Job, PlanVersion.plan)
        .join(PlanVersion, (PlanVersion.job_id == Job.id) & (PlanVersion.version == Job.version))
        .order_by(Job.changed_at.desc())
    )
    out = []
    for job, plan in rows:
        design = designed(plan)
        t = OpenJob(visit, job, design.plan, design, records.state(visit.db, job))
        out.append(
            {
                "id": job.id,
                "name": job.name,
                "address": design.plan.site.address,
                "supply": design.plan.supply.kind,
                "kit": (
                    f"{design.plan.kit.inverters} ×"
                    f" {design.inverter.model if design.inverter else design.plan.kit.inverter},"
                    f" {bank_words(design)}"
                ),
                "stops": design.count(Level.STOP),
                "checks": len(t.open_checks()),
                "landed": next(s.progress(t) for s in stations() if s.id == "land"),
                "signed": t.state.signed.at_server if t.state.signed else None,
                "changed": job.changed_at,
            }
        )
    return out


def bank_words(design: Design) -> str:
    """The bank as a crew says it: "7 × V5 stack module", "pack inside"."""
    kit, pack = design.plan.kit, design.pack
    if pack is None or (kit.packs == 0 and design.inverter and design.inverter.pack_inside):
        return "pack inside" if pack else str(kit.pack or "no pack")
    return f"{kit.packs * (kit.series if pack.form != 'pack' else 1)} × {pack.model}"


@twin(router, "/jobs", "jobs.html")
def jobs(request: Request, visit: Visiting) -> dict[str, Any]:
    """The job list."""
    return {"jobs": listed(visit), "faults": [], "_visit": visit}


@router.get("/jobs/{job_id}/export.json")
def export_job(job: Opened) -> Response:
    """The whole job as one file."""
    attached = [
        job_file.Attached(f.digest, f.kind, f.name, f.media, f.about, f.kept_by, f.data)
        for f in files.of_job(job.visit.db, job.record)
    ]
    text = job_file.write(
        job.record.uid,
        job.record.version,
        job.plan,
        job.design,
        records.entries(job.visit.db, job.record),
        attached,
    )
    name = "".join(c if c.isalnum() else "-" for c in job.record.name.lower()).strip("-")
    return Response(
        text,
        media_type="application/json",
        headers={"Content-Disposition": f'attachment; filename="{name or "job"}.gumboot.json"'},
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
            {"jobs": listed(visit), "faults": exc.faults, "_visit": visit},
            422,
        )
    job = records.create_job(
        visit.db, visit.crew_id, taken.plan, visit.who, taken.uid, taken.version, imported=True
    )
    records.take_in(visit.db, job, taken.entries)
    try:
        take_in(visit, job, taken.files)
    except job_file.BrokenFile as exc:
        visit.db.rollback()
        see_crew(visit.db, visit.crew_id)
        return render(
            request,
            "jobs.html",
            {"jobs": listed(visit), "faults": exc.faults, "_visit": visit},
            422,
        )
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
