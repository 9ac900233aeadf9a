"""Survey: what is known of the house and what is not, who confirmed the local rules, who is
licensed, and photographs. Part of the Brief station.
"""

from __future__ import annotations

from typing import Any

from fastapi import APIRouter, Request
from fastapi.responses import RedirectResponse, Response
from starlette.datastructures import UploadFile

from gumboot.core.basis import units
from gumboot.core.brief.survey import LICENCES, Fact, facts
from gumboot.core.plan import Plan
from gumboot.imports.interval import Unreadable
from gumboot.imports.photo import MEDIA, read_photo
from gumboot.store import files, records
from gumboot.web.job import saving
from gumboot.web.job.opening import Opened, OpenJob
from gumboot.web.pages.form import Field, read, typed_of, words
from gumboot.web.pages.frame import render, twin

router = APIRouter()
SHOWS = (
    "main panel",
    "panel label",
    "meter",
    "earthing",
    "wall for the kit",
    "roof",
    "openings near by",
    "cable ways",
    "existing inverter",
    "something else",
)
MOST_PHOTOS = 10
YES_NO = words("unknown", "yes", "no")
ASKED = (
    Field(
        "survey/wall",
        "Wall",
        "choice",
        choices=words(
            "unknown", "concrete", "solid brick", "hollow block", "timber studs", "steel studs"
        ),
    ),
    Field(
        "survey/surface",
        "Surface behind the storage",
        "choice",
        choices=words("unknown", "non-combustible", "combustible"),
    ),
    Field("survey/opening_m", "Nearest door or window", "length", optional=True),
    Field("survey/sun", "Sun on the wall", "choice", choices=YES_NO),
    Field("survey/rain", "Rain on the wall", "choice", choices=YES_NO),
    Field(
        "survey/network",
        "Network at the wall",
        "choice",
        choices=words("unknown", "wired", "wireless, good", "wireless, weak", "none"),
    ),
)


def fields(plan: Plan) -> tuple[Field, ...]:
    """All that this page asks."""
    rules = [
        Field(f"survey/confirmed/{a.key}", a.says, "text", optional=True) for a in plan.book.asks
    ]
    licences = [Field(f"survey/licensed/{a.key}", a.says, "text", optional=True) for a in LICENCES]
    return (*ASKED, *rules, *licences)


def spoken(fact: Fact, system: units.System) -> str:
    """A fact's value in the crew's units."""
    v = fact.value
    if v is None:
        return ""
    if isinstance(v, str):
        return v
    if fact.unit == "m":
        return units.show_length(v, system)
    return (
        units.show_temperature(v, system)
        if fact.unit == "°C"
        else f"{v:g} {fact.unit}".replace(" °", "°")
    )


@twin(router, "/jobs/{job_id}/survey", "survey.html")
def survey(request: Request, job: Opened) -> dict[str, Any]:
    """The page."""
    return page(
        job,
        typed_of(job.plan.model_dump(mode="json"), fields(job.plan), job.plan.units),
        {},
        job.record.version,
    )


def page(
    job: OpenJob, typed: dict[str, str], faults: dict[str, str], version: int, **more: Any
) -> dict[str, Any]:
    """The page with what was typed."""
    known = facts(job.plan)
    own = {f.path: f for f in ASKED}
    rows = [
        {
            "path": f.path,
            "name": f.name,
            "why": f.why,
            "value": spoken(f, job.plan.units),
            "state": "known" if f.known else "guess" if f.guess else "unknown",
            "here": f.path in own,
        }
        for f in known
    ]
    asked = fields(job.plan)
    pictures = files.of_job(job.visit.db, job.record, "photo")
    shown = [
        {
            "digest": p.digest,
            "what": e.body["what"],
            "note": e.body["note"],
            "who": e.who,
            "at": e.at_server[:10],
            "taken": p.about.get("taken", ""),
        }
        for p in pictures
        if (e := job.state.photos.get(p.digest))
    ]
    return {
        **job.head("brief"),
        "tab": "survey",
        "version": version,
        "faults": faults,
        "facts": rows,
        "known": sum(r["state"] == "known" for r in rows),
        "begun": job.plan.survey is not None,
        "_typed": typed,
        "_own": own,
        "_rules": [f for f in asked if f.path.startswith("survey/confirmed")],
        "_licences": [f for f in asked if f.path.startswith("survey/licensed")],
        "photos": shown,
        "shows": SHOWS,
        "photo_faults": [],
        "theirs": [],
        **more,
    }


@router.post("/jobs/{job_id}/survey")
def save(request: Request, job: Opened) -> Response:
    """Keep what was seen and said."""
    visit = job.visit
    visit.needs("planner", "supervisor")
    asked = fields(job.plan)
    typed = {f.path: visit.text(f.path) for f in asked}
    version = visit.whole("version", 0)
    document, faults = read(typed, asked, job.plan.model_dump(mode="json"), job.plan.units)
    for part in ("confirmed", "licensed"):
        document["survey"][part] = {k: v for k, v in document["survey"].get(part, {}).items() if v}
    plan = None
    if not faults:
        plan, faults = saving.checked(document)
    if plan is None:
        return render(request, "survey.html", page(job, typed, faults, version), 422)

    def lost(race: records.LostRace) -> Response:
        theirs = typed_of(race.theirs.plan, asked, job.plan.units)
        both = saving.differing(typed, theirs, {f.path: f.label for f in asked}, race)
        context = page(job, typed, {}, race.theirs.version, theirs=both)
        return render(request, "survey.html", context, 409)

    return saving.save(request, job, plan, f"/jobs/{job.record.id}/survey", lost)


@router.post("/jobs/{job_id}/photos")
def send(request: Request, job: Opened) -> Response:
    """Take photographs; each that cannot be read is refused by name, the others are kept."""
    visit = job.visit
    sent = [f for f in visit.form.getlist("photos") if isinstance(f, UploadFile) and f.size]
    what, note = visit.text("what"), visit.text("note")[:200]
    refused: list[str] = []
    if not sent:
        refused.append("Choose one or more photographs.")
    for file in sent[:MOST_PHOTOS]:
        name = (file.filename or "photograph")[:120]
        try:
            photo = read_photo(file.file.read())
        except Unreadable as exc:
            refused.append(f"{name}: {exc}")
            continue
        about = {"width": photo.width, "height": photo.height, "taken": photo.taken}
        digest = files.keep(
            visit.db, job.record.id, "photo", name, MEDIA, photo.data, about, visit.who, photo.small
        )
        body = {"digest": digest, "what": what if what in SHOWS else SHOWS[-1], "note": note}
        records.append(
            visit.db, job.record, "photo", body, visit.who, visit.role, visit.text("at_device")[:40]
        )
    refused += [
        f"{f.filename}: at most {MOST_PHOTOS} at once; send it again." for f in sent[MOST_PHOTOS:]
    ]
    visit.db.commit()
    if not refused:
        return RedirectResponse(f"/jobs/{job.record.id}/survey#photos", 303)
    fresh = job.anew()
    typed = typed_of(fresh.plan.model_dump(mode="json"), fields(fresh.plan), fresh.plan.units)
    return render(
        request,
        "survey.html",
        page(fresh, typed, {}, fresh.record.version, photo_faults=refused),
        422,
    )


@router.post("/jobs/{job_id}/photos/withdraw")
def withdraw(request: Request, job: Opened) -> Response:
    """Take a photograph off the page; the record keeps it, and who took it off and why."""
    visit = job.visit
    digest, reason = visit.text("digest"), visit.text("reason")[:200]
    if digest in job.state.photos and reason:
        records.append(
            visit.db,
            job.record,
            "withdraw",
            {"digest": digest, "reason": reason},
            visit.who,
            visit.role,
            visit.text("at_device")[:40],
        )
        visit.db.commit()
    return RedirectResponse(f"/jobs/{job.record.id}/survey#photos", 303)


@router.get("/jobs/{job_id}/photos/{digest}.jpg")
def photo(request: Request, job: Opened, digest: str) -> Response:
    """A photograph; ?small for the one of the list."""
    file = files.one(job.visit.db, job.record.id, digest)
    if file is None or file.kind != "photo":
        return Response("no such photograph", 404)
    return Response(
        file.small if "small" in request.query_params and file.small else file.data,
        media_type=file.media,
    )
