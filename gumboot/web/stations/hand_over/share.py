"""The link that an owner gets: how to make it safe, the book, and their signature; read-only, and
nothing else of the crew.
"""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from typing import Annotated, Any

from fastapi import APIRouter, Depends, Request
from fastapi.responses import RedirectResponse, Response
from starlette.datastructures import FormData

from gumboot.core.hand_over.signing import STATEMENTS, NotSigned
from gumboot.store import handing
from gumboot.store.database import see_crew
from gumboot.web.background import made, waiting
from gumboot.web.job.opening import NoSuchJob, Opened, OpenJob, open_job
from gumboot.web.pages.frame import render
from gumboot.web.people.defaults import contact_of
from gumboot.web.people.sign_in import Sent
from gumboot.web.people.visit import Visit, admitted
from gumboot.web.stations.hand_over.books import owner_page, owner_parts, to_come
from gumboot.web.stations.hand_over.pack import walls_of
from gumboot.web.stations.hand_over.signing import sign_part

router = APIRouter()
GONE = (
    "This link has ended or was taken back. Ask the crew that put your installation in for a new"
    " one. Fire, smoke or water: leave, and call the fire service."
)
YEARS = (1, 5, 10, 25)
Room = Annotated[None, Depends(admitted)]


@router.post("/jobs/{job_id}/share")
def share(request: Request, job: Opened) -> Response:
    """Make a link for the owner, or take it back."""
    visit = job.visit
    visit.needs("planner", "installer", "supervisor")
    if visit.text("act") == "end":
        handing.end_share(visit.db, job.record.id)
        visit.tells("share ended", job=job.record.name)
    else:
        years = visit.whole("years", 10)
        years = years if years in YEARS else 10
        row = handing.new_share(visit.db, visit.crew_id, job.record.id, visit.who, years)
        visit.tells("shared", job=job.record.name, until=row.ends_at.date().isoformat())
    visit.db.commit()
    return RedirectResponse(f"/jobs/{job.record.id}/hand-over#share", 303)


@contextmanager
def owned(request: Request, token: str, form: FormData, counts: bool) -> Iterator[OpenJob | None]:
    """The job of a link, seen by nobody of the crew; None where the link is good no more."""
    with request.app.state.sessions() as db:
        row = handing.opened_share(db, token, counts)
        if row is None:
            yield None
            return
        crew, job = row.crew_id, row.job_id
        if counts:
            db.commit()
        see_crew(db, crew)
        visit = Visit(db, 0, crew, "the owner", "owner", "", form, "")
        try:
            yield open_job(job, visit)
        except NoSuchJob:
            yield None


def gone(request: Request) -> Response:
    """What a link shows that is worth nothing any more."""
    context = {"title": "This link is gone", "message": GONE, "back": "", "_visit": None}
    return render(request, "message.html", context, 410)


def page(job: OpenJob, token: str, typed: dict[str, str], fault: str, field: str) -> dict[str, Any]:
    """What the owner sees."""
    parts = owner_parts(job)
    signed = job.state.signed
    mine = job.state.last.get("signature", {}).get("owner")
    since = mine is not None and signed is not None and mine.seq > signed.seq
    return {
        "_visit": None,
        "name": job.record.name,
        "address": job.plan.site.address,
        "crew": contact_of(job.visit),
        "first": parts[0],
        "parts": parts[1:],
        "_walls": walls_of(job, standalone=False, plain=True),
        "token": token,
        "signed": signed.at_server if signed else "",
        "mine": {"name": mine.body["name"], "at": mine.at_server} if mine and since else None,
        "statement": STATEMENTS["owner"],
        "typed": typed,
        "fault": fault,
        "field": field,
        "zone": job.plan.site.zone or "UTC",
    }


@router.get("/o/{token}")
def opened(request: Request, token: str, room: Room) -> Response:
    """The owner's page: first of all, how to make it safe now."""
    with owned(request, token, FormData(), True) as job:
        if job is None:
            return gone(request)
        context = page(job, token, {"name": "", "drawn": ""}, "", "")
        return render(request, "owner_page.html", context)


@router.get("/o/{token}/book.pdf")
def book(request: Request, token: str, room: Room) -> Response:
    """The owner's book as PDF."""
    with owned(request, token, FormData(), False) as job:
        if job is None:
            return gone(request)
        here = f"/o/{token}/book.pdf"
        row = to_come(job, "year")
        if row is not None:
            return waiting(request, job, here, row or None)
        return made(request, job, owner_page(request, job), here)


@router.post("/o/{token}/sign")
def sign(request: Request, token: str, room: Room, form: Sent) -> Response:
    """The owner signs, without an account."""
    typed = {k: str(form.get(k, "")).replace("\x00", "").strip() for k in ("name", "drawn")}
    with owned(request, token, form, False) as job:
        if job is None:
            return gone(request)
        at = str(form.get("at_device", ""))[:40]
        try:
            name = typed["name"][:120]
            sign_part(job, "owner", typed["name"], "", typed["drawn"], at, name)
        except NotSigned as exc:
            context = page(job, token, typed, str(exc), exc.field)
            return render(request, "owner_page.html", context, 422)
        job.visit.db.commit()
    return RedirectResponse(f"/o/{token}#signed", 303)
