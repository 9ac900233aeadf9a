"""Hand over, after it: visits that are due and their walk, faults, a part replaced."""

from __future__ import annotations

import re
import uuid
from datetime import UTC, date, datetime
from typing import Any

from fastapi import APIRouter, Request
from fastapi.responses import RedirectResponse, Response

from gumboot.core.diagnose.problems import PROBLEMS
from gumboot.core.hand_over.devices import devices
from gumboot.core.hand_over.replacing import reopened
from gumboot.core.hand_over.serials import NoSerial, serial_of
from gumboot.core.hand_over.visits import Visit, changed, on_day, schedule, steps
from gumboot.core.journal.entry import Entry
from gumboot.core.land.entering import Refused
from gumboot.core.land.recheck import due as again
from gumboot.core.walk.entering import Entry as Entered
from gumboot.core.walk.entering import body_of, entry_body
from gumboot.core.walk.step import Step
from gumboot.exports.calendar import day_calendar
from gumboot.store import handing, records
from gumboot.web.field.entry import Sent, makes
from gumboot.web.job import walking
from gumboot.web.job.opening import Opened, OpenJob, today
from gumboot.web.pages.frame import render, twin
from gumboot.web.people.visit import Visiting
from gumboot.web.stations.hand_over.delivery import noted
from gumboot.web.stations.prove.standing import dues_now
from gumboot.web.stations.prove.walk import closing, instruments_of

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


def faults_of(job: OpenJob) -> list[Entry]:
    """The newest word on each fault, the newest first."""
    rows = job.state.last.get("fault", {}).values()
    return sorted(rows, key=lambda e: e.seq, reverse=True)


def page(
    job: OpenJob, typed: dict[str, str] | None = None, fault: tuple[str, str] = ("", "")
) -> dict[str, Any]:
    """What the page shows."""
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
        **job.head("hand-over"),
        "tab": "after",
        "visits": rows,
        "back": back[2] if signed and (back := returning(job)) else "",
        "next": next((r["months"] for r in rows if not r["done"]), None),
        "faults": [
            {"label": e.body["label"], "who": e.who, "at": e.at_server, **e.body}
            for e in faults_of(job)
        ],
        "replaced": [
            {"who": e.who, "at": e.at_server, **e.body}
            for e in job.state.last.get("replaced", {}).values()
        ],
        "problems": [(p.key, p.title) for p in PROBLEMS.values()],
        "devices": [(x.key, x.label, noted(job, x)["serial"]) for x in devices(job.design)],
        "typed": typed or {},
        "fault": {"field": fault[0], "says": fault[1]},
        "_may": job.visit.role != "planner",
    }


@twin(router, "/jobs/{job_id}/after", "after.html")
def after(request: Request, job: Opened) -> dict[str, Any]:
    """The page."""
    found = page(job)
    set_due(job)
    job.visit.db.commit()
    return found


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


@router.post("/jobs/{job_id}/after/fault")
def tell(request: Request, job: Opened) -> Response:
    """A fault is told of, or what was done about it is kept."""
    visit = job.visit
    visit.needs("installer", "supervisor")
    fields = ("label", "problem", "symptom", "cause", "done", "parts")
    typed = {k: visit.text(k)[:500] for k in fields}
    if not typed["symptom"]:
        again = page(job, typed, ("symptom", "type what is seen, heard, or shown"))
        return render(request, "after.html", again, 422)
    typed["problem"] = typed["problem"] if typed["problem"] in PROBLEMS else ""
    typed["label"] = typed["label"] or f"fault-{uuid.uuid4().hex[:8]}"
    body = {**typed, "over": bool(typed["done"])}
    at = visit.text("at_device")[:40]
    records.append(visit.db, job.record, "fault", body, visit.who, visit.role, at)
    visit.db.commit()
    return RedirectResponse(f"/jobs/{job.record.id}/after#faults", 303)


@router.post("/jobs/{job_id}/after/replace")
def replace(request: Request, job: Opened) -> Response:
    """A part is replaced: its new serial, and what that opens again."""
    visit = job.visit
    visit.needs("supervisor")
    typed = {k: visit.text(k)[:200] for k in ("device", "now", "firmware", "reason")}
    own = next((x for x in devices(job.design) if x.key == typed["device"]), None)
    fault: tuple[str, str] | None = None
    others = {noted(job, x)["serial"] for x in devices(job.design) if x.key != typed["device"]}
    try:
        serial = serial_of(typed["now"])
    except NoSerial as exc:
        serial, fault = "", ("now", str(exc))
    if own is None:
        fault = ("device", "choose the device")
    elif not typed["reason"]:
        fault = ("reason", "type why it is replaced")
    elif serial and serial in others:
        fault = ("now", "another device of this job has this number: look at the plate again")
    if fault is not None or own is None:
        again = page(job, typed, fault or ("device", ""))
        return render(request, "after.html", again, 422)
    opened = reopened(job.design, own.key, dues_now(job))
    reason = f"{own.label} replaced: {typed['reason']}"
    at, before = visit.text("at_device")[:40], noted(job, own)

    def keep(kind: str, body: dict[str, Any]) -> None:
        records.append(visit.db, job.record, kind, body, visit.who, visit.role, at)

    if job.state.signed:
        keep("reopen", {"reason": reason})
        visit.tells("reopened", job=job.record.name, uid=job.record.uid, reason=reason)
    about = {"device": own.key, "label": own.label}
    made_off = [t for t in opened.terminations if job.state.events.get(t.key)]
    tried = [x for x in opened.tests if x.key in job.state.tests]
    keyed = [s for s in opened.lines if walking.last(job, s) is not None]
    keep(
        "replaced",
        {
            **about,
            "was": before["serial"],
            "now": serial,
            "firmware": typed["firmware"],
            "reason": typed["reason"],
            "reopens": [t.key for t in made_off],
            "tests": [x.key for x in tried],
            "lines": [x.key for x in keyed],
        },
    )
    firmware = {"firmware_found": typed["firmware"], "firmware_left": typed["firmware"]}
    keep(
        "serial",
        {**about, "kit": "", "serial": serial, **firmware, "source": "typed", "note": reason[:200]},
    )
    for t in made_off:
        undone = {"act": "undone", "corrects": None, "note": reason[:300]}
        keep("step", {"termination": t.key, "label": t.label, **undone})
    for x in tried:
        back = body_of(x.step(), Entered(x.key, x.title, "back", note=reason), "taken back")
        keep("test", {**back, **closing(job, x)})
    for line in keyed:
        back = body_of(line, Entered(line.key, line.title, "back", note=reason), "taken back")
        keep("set", back)
    set_due(job.anew())
    visit.db.commit()
    return RedirectResponse(f"/jobs/{job.record.id}/after#replaced", 303)


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
