"""What a page at the termination sends and asks: entries made with or without a signal, kept once
however
often they come; the worker that keeps pages.
"""

from __future__ import annotations

import re
import uuid as uuids
from pathlib import Path
from typing import Annotated, Any

from fastapi import APIRouter, Body, Request
from fastapi.responses import JSONResponse, Response
from pydantic import ValidationError

from gumboot.core.land.entering import Refused
from gumboot.imports.interval import Unreadable
from gumboot.imports.photo import MEDIA, read_photo
from gumboot.store import files, records
from gumboot.web.field.entry import MAKERS, UUID, Sent
from gumboot.web.field.terminations import changed, terminations_of
from gumboot.web.job.opening import Opened, OpenJob
from gumboot.web.pages.frame import STAMP
from gumboot.web.people.visit import Visiting, uploaded

router = APIRouter()
STATIC = Path(__file__).parent.parent / "static"
AT_ONCE = 50


@router.get("/session.json")
def session(visit: Visiting) -> Response:
    """Who is signed in, and the token that a change must carry. 401 when nobody is."""
    return JSONResponse(
        {"who": visit.who, "person": visit.person_id, "role": visit.role, "csrf": visit.csrf}
    )


@router.post("/jobs/{job_id}/log")
def log_entries(request: Request, job: Opened, sent: Annotated[Any, Body()] = None) -> Response:
    """Keep entries in the order they come. Each is answered: kept, or refused with the field and
    what to do.

    Answered only when the database has them. An entry whose UUID is there already is answered as
    kept and changes nothing.
    """
    visit = job.visit
    visit.needs("installer", "supervisor")
    rows = sent.get("entries") if isinstance(sent, dict) else None
    if not isinstance(rows, list) or not 0 < len(rows) <= AT_ONCE:
        return JSONResponse(
            {"error": "not entries", "message": f"send {{“entries”: […]}}, 1 to {AT_ONCE} of them"},
            422,
        )
    answers = keep(job, rows)
    visit.db.commit()
    fresh = job.anew()
    touched = {key for _, key in answers if key}
    return JSONResponse({"entries": [a for a, _ in answers], **terminations_of(fresh, touched)})


def keep(job: OpenJob, rows: list[Any]) -> list[tuple[dict[str, Any], str]]:
    """Keep entries in their order: of each its answer and the termination it is about."""
    named = (str(r.get("uuid")) for r in rows if isinstance(r, dict))
    appending = records.Appending(
        job.visit.db, job.record, filter(re.compile(UUID).fullmatch, named)
    )
    answers = [_append(job, row, appending) for row in rows]
    appending.keep()
    return answers


def _append(job: OpenJob, row: Any, appending: records.Appending) -> tuple[dict[str, Any], str]:
    try:
        s = Sent.model_validate(row)
        if s.kind not in MAKERS:
            return {
                "uuid": s.uuid,
                "state": "refused",
                "field": "kind",
                "why": "not a kind of entry",
            }, ""
    except ValidationError as exc:
        first = exc.errors()[0]
        return {
            "uuid": str(row.get("uuid", ""))[:36] if isinstance(row, dict) else "",
            "state": "refused",
            "field": str(first["loc"][-1]) if first["loc"] else "",
            "why": first["msg"],
        }, ""
    visit = job.visit
    before = appending.known.get(s.uuid)
    if before is not None:
        about = (before.body.get(k) for k in ("termination", "hole", "step", "slot"))
        own = next((x for x in about if x is not None), before.kind)  # a kind that names no place
        same = own == s.key
        why = "" if same else "this was sent before with other content: enter it again as a new one"
        return {
            "uuid": s.uuid,
            "state": "kept" if same else "refused",
            "why": why,
            "field": "",
            "verdict": before.body.get("verdict"),
        }, s.key
    try:
        kind, body = MAKERS[s.kind](job, s)
        entry = appending.append(kind, body, visit.who, visit.role, s.at_device, s.uuid)
    except Refused as exc:
        return {"uuid": s.uuid, "state": "refused", "field": exc.field, "why": str(exc)}, s.key
    except records.Frozen:
        return {
            "uuid": s.uuid,
            "state": "refused",
            "field": "",
            "why": "the job is signed: a supervisor can reopen it at Hand over",
        }, s.key
    job.state = appending.standing
    return {
        "uuid": s.uuid,
        "state": "kept",
        "why": entry.body.get("why", ""),
        "field": "",
        "verdict": entry.body.get("verdict"),
    }, s.key


@router.get("/jobs/{job_id}/land/changed.json")
def changes(request: Request, job: Opened) -> Response:
    """What the log says of every termination that an entry after number ?after= is about."""
    after = request.query_params.get("after", "0")
    return JSONResponse(changed(job, int(after) if after.isdecimal() and len(after) < 10 else 0))


@router.post("/jobs/{job_id}/log/photo")
def photo(request: Request, job: Opened) -> Response:
    """Keep a photograph that an entry will name by its digest. Sending it again does nothing."""
    visit = job.visit
    visit.needs("installer", "supervisor")
    sent = uploaded(visit, "photo")
    try:
        if sent is None:
            raise Unreadable("no photograph came: choose one")
        read = read_photo(sent.file.read())
    except Unreadable as exc:
        return JSONResponse({"error": "photograph", "field": "photo", "message": str(exc)}, 422)
    about = {"width": read.width, "height": read.height, "taken": read.taken}
    digest = files.keep(
        visit.db,
        job.record.id,
        "photo",
        "field.jpg",
        MEDIA,
        read.data,
        about,
        visit.who,
        read.small,
    )
    what = (
        visit.text("what")
        if visit.text("what") in ("termination", "wall for the kit")
        else "termination"
    )
    if visit.text("what") == "picture":  # its own entry follows
        visit.db.commit()
        return JSONResponse({"digest": digest})
    own = str(uuids.uuid5(uuids.NAMESPACE_OID, f"{job.record.uid} {digest}"))
    if records.entry_of(visit.db, job.record, own) is None:
        try:
            records.append(
                visit.db,
                job.record,
                "photo",
                {"digest": digest, "what": what, "note": visit.text("note")[:200]},
                visit.who,
                visit.role,
                visit.text("at_device")[:40],
                own,
            )
        except records.Frozen:
            return JSONResponse(
                {
                    "error": "signed",
                    "message": "the job is signed: a supervisor can reopen it at Hand over",
                },
                409,
            )
    visit.db.commit()
    return JSONResponse({"digest": digest})


@router.get("/sw.js")
def worker() -> Response:
    """The worker that keeps field pages for where there is no signal. Its text names the version of
    all that ships.
    """
    shipped = sorted(
        p.name for p in STATIC.iterdir() if p.suffix in (".js", ".css", ".svg", ".webmanifest")
    ) + [f"fonts/{p.name}" for p in sorted((STATIC / "fonts").glob("*.woff2"))]
    text = (
        (STATIC / "worker.js")
        .read_text(encoding="utf-8")
        .replace("VERSION", STAMP)
        .replace(
            '"SHIPPED"',
            ", ".join(
                f'"/static/{n}"' for n in shipped if not re.match(r"worker\.js|pack\.css", n)
            ),
        )
    )
    return Response(text, media_type="text/javascript", headers={"Service-Worker-Allowed": "/"})
