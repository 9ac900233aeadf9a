"""What takes longer than a page may: a page asks for a result by the key of what it is made from,
gets it, or learns how far it is and asks again in a second. Workers make it (`gumboot.background`).
"""

from __future__ import annotations

import hashlib
import io
import json
from typing import IO, Any

import numpy as np
from fastapi import APIRouter, Request
from fastapi.responses import JSONResponse, Response

from gumboot.background.tasks import packed, page_key, year_key
from gumboot.core.energy.account import neutral
from gumboot.store import database, files, queue, results
from gumboot.store.models import Result
from gumboot.web.job.opening import Opened, OpenJob
from gumboot.web.pages.frame import render, templates

router = APIRouter()


def asked(job: OpenJob, kind: str, again: bool = False) -> Result | None:
    """The result of a job's year or best possible; sent for when it is not there. None when it was
    just sent for.

    again: a fault is tried again.
    """
    plan = neutral(job.plan, job.design.inverter) if kind == "best" else job.plan
    shelf = job.shelf.document
    key = year_key(plan, shelf)
    row = _there(job, kind, key, again)
    if row is None:
        _send_for(job, kind, key, {"plan": plan.model_dump(mode="json"), "shelf": shelf})
    return row


def _there(job: OpenJob, kind: str, key: str, again: bool) -> Result | None:
    """A result done, failed or under way; None when it is to be sent for."""
    db, number = job.visit.db, job.record.id
    under_way = queue.look(db, number, kind, key)
    _settle(job)
    row = results.found(db, number, kind, key)  # after: it may have been ended meanwhile
    over = row is not None and (row.body is not None or (row.fault is not None and not again))
    return row if under_way or over else None


def _send_for(job: OpenJob, kind: str, key: str, load: dict[str, Any]) -> None:
    alone = kind not in ("file", "pdf")  # a year of an older plan nobody waits for
    queue.ask(job.visit.db, job.visit.crew_id, job.record.id, kind, key, packed(load), alone)
    _settle(job)


def _settle(job: OpenJob) -> None:
    """Commit, and see the crew's rows again."""
    job.visit.db.commit()
    database.see_crew(job.visit.db, job.visit.crew_id)


def send_file(
    job: OpenJob, kind: files.FileKind, file: IO[bytes], name: str, month_first: bool
) -> str:
    """Have an uploaded file read and kept; returns the key of what will be said of it."""
    db, number = job.visit.db, job.record.id
    load = {
        "name": name,
        "kind": kind,
        "zone": job.plan.site.zone,
        "longitude": job.plan.site.longitude_deg,
        "month_first": month_first,
        "who": job.visit.who,
    }
    summed = hashlib.sha256(json.dumps([load[k] for k in sorted(load) if k != "who"]).encode())
    while chunk := file.read(queue.PART):
        summed.update(chunk)
    key = summed.hexdigest()
    if _there(job, "file", key, True) is None:
        file.seek(0)
        queue.drop_parts(db, number, key)
        for n, chunk in enumerate(iter(lambda: file.read(queue.PART), b"")):
            queue.keep_part(db, number, key, n, chunk)
        _send_for(job, "file", key, load)
    return key


def series_of(data: bytes) -> dict[str, Any]:
    """The series of a result."""
    with np.load(io.BytesIO(data)) as found:
        return {k: found[k].astype(np.float64) for k in found.files}


def printed(
    request: Request,
    job: OpenJob,
    template: str,
    name: str,
    context: dict[str, Any],
    **more: Any,
) -> Response:
    """A template as a PDF, made by a worker: the PDF when it is there, else a page that waits for
    it. The same page is printed once.

    name: of the file, without the job's number; more: what else the worker is told of it.
    """
    html = templates.get_template(template).render(**context)
    return made(request, job, {"html": html, "name": f"{name}-{job.record.id}", **more})


def made(request: Request, job: OpenJob, load: dict[str, Any], here: str = "") -> Response:
    """What a worker makes of some pages: there, or on its way; kept until they change. here: where
    it is asked for again, where that is not by its key.
    """
    key = page_key(load)
    row = _there(job, "pdf", key, True)
    if row is None:
        _send_for(job, "pdf", key, load)
    return _pdf(request, job, key, row, here)


@router.get("/jobs/{job_id}/printed/{key}")
def printed_before(request: Request, job: Opened, key: str) -> Response:
    """A PDF by its key: there, on its way, or not known (any more)."""
    row = _there(job, "pdf", key, False)
    if row is None:
        gone = "This PDF is not kept any more. Ask for it again on the page it is from."
        context = {"title": "Not kept", "message": gone, "back": f"/jobs/{job.record.id}/hand-over"}
        return render(request, "message.html", {**context, "_visit": job.visit}, 404)
    return _pdf(request, job, key, row)


def _pdf(request: Request, job: OpenJob, key: str, row: Result | None, at: str = "") -> Response:
    here = at or f"/jobs/{job.record.id}/printed/{key}"
    if row is not None and row.body is not None:
        if request.headers.get("hx-request"):
            return Response(headers={"HX-Redirect": here})
        media = row.body.get("media", "application/pdf")
        how, ends = ("inline", "pdf") if media == "application/pdf" else ("attachment", "zip")
        name = {"Content-Disposition": f'{how}; filename="{row.body["name"]}.{ends}"'}
        return Response(row.data, media_type=media, headers=name)
    return waiting(request, job, here, row)


def waiting(request: Request, job: OpenJob, here: str, row: Result | None) -> Response:
    """What is on its way, and asks again where it will be."""
    how_far = {
        "ready": False,
        "at": here,
        "says": row.says if row else "",
        "fault": row.fault if row else None,
    }
    headers = {"Location": here, "Retry-After": "1"}
    if "text/html" not in request.headers.get("accept", "") and "hx-request" not in request.headers:
        return JSONResponse(how_far, 502 if how_far["fault"] else 202, headers)
    status = 200 if "hx-request" in request.headers else 202  # a script swaps in what succeeded
    whose = {"name": job.record.name, "job_id": job.record.id, "_visit": job.visit}
    whose |= {"_visit": None, "job_id": 0} if job.visit.role == "owner" else {}
    answer = render(request, "printing.html", {**how_far, **whose}, status)
    answer.headers.update(headers)
    return answer
