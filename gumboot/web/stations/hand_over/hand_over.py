"""Hand over: the page, duties, signing and re-opening."""

from __future__ import annotations

from typing import Any

from fastapi import APIRouter, Request
from fastapi.responses import RedirectResponse, Response

from gumboot.core.basis.units import NotAQuantity, parse
from gumboot.store import records
from gumboot.web.job.opening import Opened
from gumboot.web.pages.frame import render, twin
from gumboot.web.stations.hand_over.pack import page

router = APIRouter()


@twin(router, "/jobs/{job_id}/hand-over", "hand_over.html")
def hand_over(request: Request, job: Opened) -> dict[str, Any]:
    """The page."""
    return page(job)


@router.post("/jobs/{job_id}/duty")
def attend(request: Request, job: Opened) -> Response:
    """A duty is done, with its reading or a tick; declined with a reason; or taken back."""
    visit, key = job.visit, job.visit.text("duty")
    back = f"/jobs/{job.record.id}/hand-over#duties"
    found = next((f for f in job.design.duties if f.key == key), None)
    if found is None or found.asked is None or found.fingerprint != visit.text("fingerprint"):
        return RedirectResponse(back, 303)  # the plan changed since the page was read
    act, typed, why = visit.text("act"), visit.text("reading")[:40], visit.text("note")[:500]
    value: float | None = None
    verdict = {"decline": "declined", "back": "taken back"}.get(act, "done")
    if verdict == "done" and found.asked.kind == "form":
        return RedirectResponse(back, 303)  # done by what is typed there, not by a tick
    try:
        if verdict == "done" and found.asked.kind:
            value = parse(typed, found.asked.kind, job.plan.units)
            verdict = "done" if found.asked.within(value) else "outside"
        if verdict == "declined" and not why:
            raise NotAQuantity("type why it is not done: the reason is kept with your name")
        if verdict == "declined":
            visit.needs("supervisor")
    except NotAQuantity as exc:
        again = page(job, faults={key: (str(exc), typed)})
        return render(request, "hand_over.html", again, 422)
    if not job.state.signed:
        body = {
            "duty": key,
            "fingerprint": found.fingerprint,
            "says": found.says,
            "typed": typed if verdict in ("done", "outside") else "",
            "value": value,
            "verdict": verdict,
            "note": why,
        }
        at = visit.text("at_device")[:40]
        records.append(visit.db, job.record, "duty", body, visit.who, visit.role, at)
        visit.db.commit()
    return RedirectResponse(back, 303)
