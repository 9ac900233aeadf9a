"""The office log as a page, as data, and as a file that tells whether its chain holds."""

from __future__ import annotations

from dataclasses import asdict
from typing import Any

from fastapi import APIRouter, Request
from fastapi.responses import JSONResponse, Response

from gumboot.core.journal.office import KINDS, first_broken
from gumboot.store import office
from gumboot.store.models import Crew
from gumboot.web.pages.frame import twin
from gumboot.web.people.visit import Visiting

router = APIRouter()
A_PAGE = 100


@twin(router, "/office", "office.html")
def office_log(request: Request, visit: Visiting) -> dict[str, Any]:
    """A page of the office log, newest first, for supervisors."""
    visit.needs("supervisor")
    asked = request.query_params
    before = asked.get("before", "")
    kind = asked.get("kind", "") if asked.get("kind", "") in KINDS else ""
    rows = office.page(
        visit.db,
        visit.crew_id,
        int(before) if before.isdecimal() and len(before) < 10 else None,
        kind,
        A_PAGE + 1,
    )
    return {
        "entries": [{**asdict(e), "says": e.says} for e in rows[:A_PAGE]],
        "older": rows[A_PAGE - 1].seq if len(rows) > A_PAGE else None,
        "kind": kind,
        "kinds": sorted(KINDS),
        "_visit": visit,
    }


@router.get("/office/export.json")
def export(visit: Visiting) -> Response:
    """The whole office log with its chain, to keep elsewhere."""
    visit.needs("supervisor")
    visit.tells("exported", what="the office log")
    crew = visit.db.get(Crew, visit.crew_id)
    rows = office.entries(visit.db, visit.crew_id)
    document = {
        "format": "gumboot-office-log/1",
        "crew": crew.name if crew else "",
        "uid": crew.uid if crew else "",
        "first_broken": first_broken(crew.uid if crew else "", rows),
        "log": [asdict(e) for e in rows],
    }
    visit.db.commit()
    return JSONResponse(
        document, headers={"Content-Disposition": 'attachment; filename="office-log.json"'}
    )
