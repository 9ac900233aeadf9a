"""Hand over, after it: visits that are due, and their walk."""

from __future__ import annotations

import re
from datetime import UTC, date, datetime
from typing import Any

from fastapi import APIRouter, Request
from fastapi.responses import RedirectResponse, Response

from gumboot.core.hand_over.visits import Visit, changed, on_day, schedule, steps
from gumboot.core.land.entering import Refused
from gumboot.core.land.recheck import due as again
from gumboot.core.walk.entering import body_of, entry_body
from gumboot.core.walk.step import Step
from gumboot.exports.calendar import day_calendar
from gumboot.store import handing
from gumboot.web.field.entry import Sent, makes
from gumboot.web.job import walking
from gumboot.web.job.opening import Opened, OpenJob, today
from gumboot.web.pages.frame import twin
from gumboot.web.people.visit import Visiting
from gumboot.web.stations.prove.walk import instruments_of

router = APIRouter()
PATH = "after/visit"
MOST_SHOWN, MOST_IN_CALENDAR = 50, 500
DONE = ("done", "declined")


def signed_on(job: OpenJob) -> date | None:
    """The day a job was signed; None while it is not."""
    signed = job.state.signed
    return date.fromisoformat(signed.at_server[:10]) if signed else None


def visit_of(job: OpenJob, months: int) -> Visit | None:
    """A visit of the schedule."""
    return next((v for v in schedule(job.design) if v.months == months), None)


def complete(job: OpenJob, v: Visit) -> bool:
    """Whether a visit was made: each of its steps done, or left out with a reason."""
    rows = steps(job.design, job.state, v)
    since = job.state.signed.seq if job.state.signed else 0
    entries = (walking.last(job, s) for s in rows)
    return bool(rows) and all(
        e is not None and e.seq > since and e.body["verdict"] in DONE for e in entries
    )


def returning(job: OpenJob) -> tuple[date, int, str] | None:
    """(day, 0, what for) of the return a day after the ends were made off, while any is due."""
    rows = again(job.design.terminations, job.state_of)
    if not rows:
        return None
    many = f"{len(rows)} termination{'s' if len(rows) != 1 else ''} again, a day after"
    return max(r.at for r in rows).date(), 0, many


def next_visit(job: OpenJob) -> tuple[date, int, str] | None:
    """(day, months, what for) of the first visit that was not made; None before a signature."""
    signed = signed_on(job)
    if signed is None:
        return None
    if back := returning(job):
        return back
    v = next((v for v in schedule(job.design) if not complete(job, v)), None)
    return (on_day(signed, v.months), v.months, v.says) if v else None


def set_due(job: OpenJob) -> None:
    """Put the job's next visit into the crew's list."""
    handing.set_visit(job.visit.db, job.visit.crew_id, job.record.id, next_visit(job))


def changes(job: OpenJob, v: Visit) -> list[dict[str, Any]]:
    """What a visit found, step by step."""
    return [
        {
            "title": s.title,
            "expects": s.expects,
            "typed": e.body["typed"] or e.body["verdict"],
            "verdict": e.body["verdict"],
            "note": e.body["note"],
            "who": e.who,
            "at": e.at_server,
        }
        for s in steps(job.design, job.state, v)
        if (e := walking.last(job, s)) is not None
    ]


def visits_page(job: OpenJob) -> dict[str, Any]:
    """What the page shows of visits."""
    signed, day = signed_on(job), today()
    rows = []
    for v in schedule(job.design) if signed else ():
        on = on_day(signed, v.months) if signed else day
        done = complete(job, v)
        rows.append(
            {
                "months": v.months,
                "day": on.isoformat(),
                "says": v.says,
                "done": done,
                "over": not done and on < day,
                "found": changes(job, v),
            }
        )
    return {
        "visits": rows,
        "back": back[2] if signed and (back := returning(job)) else "",
        "next": next((r["months"] for r in rows if not r["done"]), None),
    }


def walk_page(
    job: OpenJob,
    months: int,
    key: str = "",
    typed: dict[str, str] | None = None,
    fault: tuple[str, str] | None = None,
) -> dict[str, Any]:
    """What the walk of a visit shows."""
    v = visit_of(job, months) or Visit(months, ())
    rows = steps(job.design, job.state, v)
    shown = [walking.row(job, n, s) for n, s in enumerate(rows, 1)]
    return {
        **job.head("hand-over"),
        "tab": "after",
        "months": months,
        "day": on_day(signed, months).isoformat() if (signed := signed_on(job)) else "",
        "tools": [f"{x.name} {x.serial}" for x in instruments_of(job)],
        "may": job.visit.role != "planner" and job.state.signed is not None,
        **walking.walk(job, "visit", shown, {}, f"{PATH}?months={months}"),
        **walking.plainly(rows, key, lambda s: walking.complete(job, s), typed, fault),
    }


@twin(router, "/jobs/{job_id}/after/visit", "visit_walk.html")
def walk(request: Request, job: Opened) -> dict[str, Any]:
    """The walk of a visit: ?months= after the signature, else the next that is due."""
    asked = request.query_params.get("months", "")
    due = next_visit(job)
    months = int(asked) if asked.isdecimal() and len(asked) < 4 else due[1] if due else 0
    return walk_page(job, months, request.query_params.get("at", ""))


def months_of(key: str) -> int:
    """Of which visit a step is, by its key; 0 for none."""
    found = re.match(r"visit\.(\d{1,3})\.", key)
    return int(found[1]) if found else 0


def step_of(job: OpenJob, key: str) -> Step | None:
    """A step of a visit by its key."""
    v = visit_of(job, months_of(key))
    rows = steps(job.design, job.state, v) if v else ()
    return next((s for s in rows if s.key == key), None)


@makes("visit")
def entry(job: OpenJob, s: Sent) -> tuple[str, dict[str, Any]]:
    """(kind, body) of an entry about a step of a visit. Raises Refused."""
    if job.state.signed is None:
        raise Refused("key", "a visit is made on a signed job: this one is open again")
    own, sent = step_of(job, s.key), walking.entered(s)
    body = entry_body(own, sent)
    if own is not None and body["verdict"] == "done" and (why := changed(own, body["typed"])):
        body = body_of(own, sent, "outside", None, why)
    return "visit", body


@router.post("/jobs/{job_id}/after/visit")
def plain_entry(request: Request, job: Opened) -> Response:
    """One entry from the plain form."""
    key = job.visit.text("key")
    months = months_of(key)
    path = f"{PATH}?months={months}"
    answer = walking.plain_entry(
        request, job, "visit", lambda *more: walk_page(job, months, *more), PATH, "visit_walk.html"
    )
    if answer.status_code == 303:
        return RedirectResponse(f"/jobs/{job.record.id}/{path}", 303)
    return answer


@router.get("/jobs/{job_id}/visits.ics")
def calendar(request: Request, job: Opened) -> Response:
    """Every visit of a job as an iCalendar file."""
    signed = signed_on(job)
    rows = [
        (
            f"{job.record.uid}-{v.months}",
            on_day(signed, v.months),
            f"{job.record.name}: visit after {v.months} months",
            f"{v.says}\n{request.base_url}jobs/{job.record.id}/{PATH}?months={v.months}",
        )
        for v in (schedule(job.design) if signed else ())
        if signed and not complete(job, v)
    ]
    return as_calendar(rows, f"visits-{job.record.id}")


def as_calendar(rows: list[tuple[str, date, str, str]], name: str) -> Response:
    """Whole days as an iCalendar file."""
    head = {"Content-Disposition": f'attachment; filename="{name}.ics"'}
    data = day_calendar(rows, datetime.now(UTC))
    return Response(data, media_type="text/calendar; charset=utf-8", headers=head)


def after_of(text: str) -> tuple[date, int] | None:
    """Where a page of the list begins."""
    day, _, number = text.partition("_")
    try:
        return (date.fromisoformat(day), int(number)) if number.isdecimal() else None
    except ValueError:
        return None


@twin(router, "/visits", "visits.html")
def due(request: Request, visit: Visiting) -> dict[str, Any]:
    """The crew's visits, the first due first."""
    begins = after_of(request.query_params.get("after", ""))
    rows = handing.visits(visit.db, visit.crew_id, MOST_SHOWN + 1, begins)
    shown, day = rows[:MOST_SHOWN], today()
    last = shown[-1][0] if len(rows) > MOST_SHOWN else None
    return {
        "_visit": visit,
        "visits": [
            {
                "job": v.job_id,
                "name": name,
                "day": v.day.isoformat(),
                "months": v.months,
                "at": address(v.job_id, v.months),
                "says": v.says,
                "over": v.day < day,
            }
            for v, name in shown
        ],
        "overdue": handing.visits_until(visit.db, visit.crew_id, day),
        "more": f"{last.day.isoformat()}_{last.job_id}" if last else "",
    }


def address(job: int, months: int) -> str:
    """Where a visit is walked."""
    return f"/jobs/{job}/{PATH}?months={months}" if months else f"/jobs/{job}/land/return"


@router.get("/visits.ics")
def crew_calendar(request: Request, visit: Visiting) -> Response:
    """The crew's next visits as one iCalendar file."""
    rows = [
        (
            f"visit-{v.job_id}-{v.months}",
            v.day,
            f"{name}: {f'visit after {v.months} months' if v.months else 'the return'}",
            f"{v.says}\n{request.base_url}{address(v.job_id, v.months)[1:]}",
        )
        for v, name in handing.visits(visit.db, visit.crew_id, MOST_IN_CALENDAR)
    ]
    return as_calendar(rows, "visits")
