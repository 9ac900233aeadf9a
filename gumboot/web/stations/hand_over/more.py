"""Hand over, after it: one more pack, inverter or charger. What it changes, and what stays."""

from __future__ import annotations

from typing import Any, cast

from fastapi import APIRouter, Request
from fastapi.responses import RedirectResponse, Response
from pydantic import ValidationError

from gumboot.core.hand_over.charger import charger
from gumboot.core.hand_over.growing import Grown, More, compared, grown, kinds_of
from gumboot.core.plan import Plan
from gumboot.store import handing, records
from gumboot.web.job.opening import Opened, OpenJob
from gumboot.web.pages.frame import render, twin

router = APIRouter()


def asked(job: OpenJob, text: str) -> More:
    """What is asked for; the first of what the job may have where it is nothing known."""
    kinds = kinds_of(job.design)
    return cast(More, text if text in kinds else next(iter(kinds)))


def tried(job: OpenJob, what: More) -> tuple[Plan | None, Grown | None, str]:
    """(plan, what changes, why not) with one more of something."""
    try:
        plan = grown(job.design, what)
    except ValidationError as exc:
        return None, None, str(exc.errors()[0]["msg"])
    return plan, compared(job.design, job.tried(plan)), ""


def page(job: OpenJob, what: More, fault: str = "", reason: str = "") -> dict[str, Any]:
    """What the page shows."""
    plan, found, why = tried(job, what)
    own = charger(job.design, plan) if what == "charger" and plan is not None else None
    parts: dict[str, list[Any]] = {}
    for c in found.changes if found else ():
        parts.setdefault(c.part, []).append(c)
    return {
        **job.head("hand-over"),
        "tab": "after",
        "of": what,
        "kinds": kinds_of(job.design),
        "parts": parts,
        "stays": found.stays if found else (),
        "new_stops": found.stops if found else (),
        "why": why,
        "own": {"says": own.says, "over": own.over} if own else None,
        "_figures": own.figures if own else (),
        "fault": fault,
        "reason": reason,
    }


@twin(router, "/jobs/{job_id}/more", "more.html")
def more(request: Request, job: Opened) -> dict[str, Any]:
    """The page: ?of=pack, inverter or charger."""
    return page(job, asked(job, request.query_params.get("of", "")))


@router.post("/jobs/{job_id}/more")
def take(request: Request, job: Opened) -> Response:
    """Make it the next version of the plan; a signed job is opened again, with the reason."""
    visit, what = job.visit, asked(job, job.visit.text("of"))
    visit.needs("supervisor")
    reason = visit.text("reason")[:300]
    plan, _, why = tried(job, what)
    if not reason or plan is None:
        said = why or "type for whom, or why: it stands in the log"
        return render(request, "more.html", page(job, what, said, reason), 422)
    if job.state.signed:
        said = f"{kinds_of(job.design)[what]}: {reason}"
        body, at = {"reason": said}, visit.text("at_device")[:40]
        records.append(visit.db, job.record, "reopen", body, visit.who, visit.role, at)
        visit.tells("reopened", job=job.record.name, uid=job.record.uid, reason=said)
        handing.set_visit(visit.db, visit.crew_id, job.record.id, None)
    try:
        records.save_plan(visit.db, job.record, plan, visit.whole("version", 0), visit.who)
    except records.LostRace:
        visit.db.rollback()
        fresh = job.anew()
        said = "The plan was changed meanwhile: look at it again"
        return render(request, "more.html", page(fresh, what, said, reason), 409)
    visit.db.commit()
    return RedirectResponse(f"/jobs/{job.record.id}/size", 303)
