"""The log of Land: every entry, pictures of it, the chain, entries in doubt; and the return after a
day. Part of the Land station.
"""

from __future__ import annotations

from collections.abc import Mapping
from datetime import UTC, datetime
from typing import Any
from urllib.parse import quote

from fastapi import APIRouter, Request
from fastapi.responses import RedirectResponse, Response

from gumboot.core.journal import log
from gumboot.core.journal.entry import KINDS, Entry
from gumboot.core.journal.log import as_event
from gumboot.core.land.recheck import drifted, due
from gumboot.drawings.one_line import one_line
from gumboot.drawings.torque_log import histogram, who_when
from gumboot.exports.calendar import return_calendar
from gumboot.exports.torque_log import log_csv
from gumboot.store import records
from gumboot.web.field.terminations import moved
from gumboot.web.job.opening import Opened, OpenJob, open_job
from gumboot.web.pages.frame import clock, drawn, render, twin
from gumboot.web.people.visit import Visiting

router = APIRouter()
PAGE = 100


def row(e: Entry) -> dict[str, Any]:
    """One entry as a line: what it is about, and what it says."""
    b, kind = e.body, KINDS.get(e.kind)
    about = str(b.get(kind.about, "") if kind else "")
    says = kind.says(b) if kind else e.kind
    return {
        "seq": e.seq,
        "kind": e.kind,
        "who": e.who,
        "role": e.role,
        "at_device": e.at_device,
        "at_server": e.at_server,
        "about": about,
        "termination": b.get("termination", ""),
        "says": says,
        "note": b.get("note", ""),
        "photo": b.get("digest", ""),
        "uuid": e.uuid,
        "hash": e.hash[:12],
    }


def page(job: OpenJob, request: Request, fault: str = "") -> dict[str, Any]:
    """What the page shows: a page of entries, newest first, of all or of one termination or
    person.
    """
    asked = request.query_params
    termination, who, before = (
        asked.get("termination", "")[:200],
        asked.get("who", "")[:200],
        asked.get("before", ""),
    )
    limit = int(before) if before.isdecimal() and len(before) < 10 else None
    rows = records.entries_page(job.visit.db, job.record, limit, termination, who, PAGE + 1)
    t = job.termination(termination) if termination else None
    s = job.state_of(t) if t else None
    events = {m.uuid: m for m in job.state.events.get(termination, ())}
    counts = {
        c.id: [t for t in job.design.terminations if t.circuit == c.id] for c in job.design.circuits
    }
    progress = tuple(
        (k, sum(job.state_of(t).complete for t in ts), len(ts)) for k, ts in counts.items()
    )
    return {
        **job.head("land"),
        "tab": "land/log",
        "entries": [row(e) for e in rows[:PAGE]],
        "older": rows[PAGE - 1].seq if len(rows) > PAGE else None,
        "total": job.state.seq,
        "termination": termination,
        "who": who,
        "people": sorted({w for w, _ in job.state.hours}),
        "about": f"{t.place}, {t.terminal}" if t else termination,
        "doubt": [[moved(events[u]) for u in pair] for pair in s.doubt] if s else [],
        "doubtful": [
            {"key": t.key, "label": t.label or f"{t.place}, {t.terminal}"}
            for t in job.design.terminations
            if job.state_of(t).doubt
        ],
        "head": job.record.log_head,
        "progress": [{"circuit": k, "made": n, "of": m} for k, n, m in progress],
        "_fault": fault,
        "_histogram": drawn(histogram(job.state.ratios)),
        "_who": drawn(who_when(by_the_wall(job.state.hours, job.plan.site.zone))),
        "_drawing": drawn(one_line(job.design, progress=progress)) if progress else "",
    }


def by_the_wall(
    hours: Mapping[tuple[str, str], int], zone: str | None
) -> dict[tuple[str, str], int]:
    """Entries by who and hour, the hours by the clock on the site's wall."""
    out: dict[tuple[str, str], int] = {}
    for (who, hour), n in hours.items():
        key = (who, clock(f"{hour}:00+00:00", zone)[:13])
        out[key] = out.get(key, 0) + n
    return out


@twin(router, "/jobs/{job_id}/land/log", "land_log.html")
def the_log(request: Request, job: Opened) -> dict[str, Any]:
    """The page, a hundred entries at a time."""
    return page(job, request)


@router.get("/jobs/{job_id}/land/log.csv")
def as_csv(job: Opened) -> Response:
    """Every entry about a termination as CSV."""
    rows = [
        (e, as_event(e))
        for e in records.entries(job.visit.db, job.record)
        if e.kind in ("reading", "step", "settle")
    ]
    return Response(
        log_csv(rows),
        media_type="text/csv",
        headers={"Content-Disposition": f'attachment; filename="torque-log-{job.record.id}.csv"'},
    )


@router.get("/jobs/{job_id}/land/chain.json")
def chain(job: Opened) -> dict[str, Any]:
    """Whether the log's chain holds: the number of its first broken entry, or None."""
    entries = records.entries(job.visit.db, job.record)
    return {
        "entries": len(entries),
        "first_broken": log.first_broken(job.record.uid, entries),
        "head": job.record.log_head,
    }


@router.get("/jobs/{job_id}/land/chain")
def chain_part(request: Request, job: Opened) -> Response:
    """The same, as a line of the page."""
    return render(request, "chain.html", chain(job))


@router.post("/jobs/{job_id}/land/settle")
def settle(request: Request, job: Opened) -> Response:
    """Say which of two entries, made without knowing of each other, stands. Both are kept."""
    visit = job.visit
    visit.needs("installer", "supervisor")
    key, stands, reason = (
        visit.text("termination"),
        visit.text("stands"),
        visit.text("reason")[:500],
    )
    t = job.termination(key)
    pairs = job.state_of(t).doubt if t else ()
    drops = [a if b == stands else b for a, b in pairs if stands in (a, b)]
    back = f"/jobs/{job.record.id}/land/log?termination={quote(key, safe='')}"
    if t is None or not drops:
        return RedirectResponse(back, 303)
    if not reason:
        events = {m.uuid: m for m in job.state.events.get(key, ())}
        context = page(job, request, "Type what you found at the termination.")
        context |= {
            "termination": key,
            "about": f"{t.place}, {t.terminal}",
            "doubt": [[moved(events[u]) for u in p] for p in pairs],
        }
        return render(request, "land_log.html", context, 422)
    body = {
        "termination": key,
        "label": t.label,
        "stands": stands,
        "drops": drops,
        "reason": reason,
        "seen": job.state.seq,
        "device": "",
        "digest": "",
    }
    records.append(
        visit.db, job.record, "settle", body, visit.who, visit.role, visit.text("at_device")[:40]
    )
    visit.db.commit()
    return RedirectResponse(back, 303)


def returning(job: OpenJob) -> dict[str, Any]:
    """What is due at a job, by circuit, and what drifted."""
    rows, now = due(job.design.terminations, job.state_of), datetime.now(UTC)
    return {
        "due": [
            {
                "key": d.termination.key,
                "number": d.termination.number,
                "place": d.termination.place,
                "terminal": d.termination.terminal,
                "label": d.termination.label,
                "school": d.termination.recheck,
                "torque_nm": d.termination.torque.n if d.termination.torque else None,
                "first_nm": d.state.first_nm,
                "at": d.at.isoformat(timespec="minutes"),
                "over": d.at <= now,
            }
            for d in rows
        ],
        "drift": [
            {
                "key": t.key,
                "label": t.label or f"{t.place}, {t.terminal}",
                "first_nm": s.first_nm,
                "second_nm": s.second_nm,
                "share": s.drift.share if s.drift else 0.0,
            }
            for t, s in drifted(job.design.terminations, job.state_of)
        ],
        "rechecked": sum(job.state_of(t).rechecked for t in job.design.terminations),
    }


@twin(router, "/jobs/{job_id}/land/return", "land_return.html")
def back_again(request: Request, job: Opened) -> dict[str, Any]:
    """What is due a day later at this job."""
    return {**job.head("land"), "tab": "land/return", **returning(job)}


def event_of(request: Request, job: OpenJob) -> tuple[str, str, str, str, Any]:
    """A job's return as the calendar wants it."""
    return (
        job.record.uid,
        job.record.name,
        job.plan.site.address,
        f"{request.base_url}jobs/{job.record.id}/land/return",
        due(job.design.terminations, job.state_of),
    )


@router.get("/jobs/{job_id}/land/return.ics")
def calendar(request: Request, job: Opened) -> Response:
    """The return as an iCalendar file."""
    data = return_calendar([event_of(request, job)], datetime.now(UTC))
    return Response(
        data,
        media_type="text/calendar; charset=utf-8",
        headers={"Content-Disposition": f'attachment; filename="return-{job.record.id}.ics"'},
    )


def of_crew(visit: Visiting) -> list[OpenJob]:
    """Every job of the crew that is not signed."""
    opened = [open_job(job.id, visit) for job in records.jobs(visit.db)]
    return [t for t in opened if not t.state.signed]


@twin(router, "/returns", "returns.html")
def returns(request: Request, visit: Visiting) -> dict[str, Any]:
    """What the crew has to come back to, job by job."""
    rows = [
        {
            "id": t.record.id,
            "name": t.record.name,
            "address": t.plan.site.address,
            "zone": t.plan.site.zone or "UTC",
            **returning(t),
        }
        for t in of_crew(visit)
    ]
    rows = [r for r in rows if r["due"]]
    return {"jobs": sorted(rows, key=lambda r: r["due"][0]["at"]), "_visit": visit}


@router.get("/returns.ics")
def crew_calendar(request: Request, visit: Visiting) -> Response:
    """The crew's returns as one iCalendar file."""
    data = return_calendar([event_of(request, t) for t in of_crew(visit)], datetime.now(UTC))
    return Response(
        data,
        media_type="text/calendar; charset=utf-8",
        headers={"Content-Disposition": 'attachment; filename="returns.ics"'},
    )
