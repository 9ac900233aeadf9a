"""A week's page: which job, who, on what day, and what each day needs on one list to print."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from datetime import UTC, date, datetime, timedelta
from typing import Any

from fastapi import APIRouter, Request
from fastapi.responses import Response
from sqlalchemy import select

from gumboot.core.basis.finding import Level
from gumboot.core.land import best_wrench
from gumboot.core.land.tools import not_kept
from gumboot.exports.calendar import day_calendar
from gumboot.store.models import Job, Person
from gumboot.web.job.opening import OpenJob, open_job, today
from gumboot.web.pages.frame import twin
from gumboot.web.people.defaults import accounts_of
from gumboot.web.people.visit import Visit, Visiting
from gumboot.web.stations.size.bill import lines

router = APIRouter()
MOST = 40  # jobs of one week that are worked out for its list


def week_of(request: Request) -> date:
    """The Monday of the week asked for; this week's where none is, or what is asked is no day."""
    try:
        day = date.fromisoformat(request.query_params.get("day", ""))
    except ValueError:
        day = today()
    if not date(2000, 1, 10) < day < date(2999, 12, 1):
        day = today()
    return day - timedelta(days=day.weekday())


def of_week(visit: Visit, monday: date) -> list[tuple[Job, str | None]]:
    """The jobs of a week that are not put away, by day and name."""
    rows = visit.db.execute(
        select(Job, Person.name)
        .outerjoin(Person, Person.id == Job.person_id)
        .where(Job.day >= monday, Job.day < monday + timedelta(days=7), Job.put_away_at.is_(None))
        .order_by(Job.day, Job.name)
    )
    return [(job, who) for job, who in rows]


def accounts(job: OpenJob, known: Sequence[str]) -> str:
    """The installers' accounts a switch-on asks for, and which of them the crew does not name:
    lacking one ends more commissionings than wiring does (common practice).
    """
    d, have = job.design, {k.lower() for k in known}
    units = (d.inverter, d.pack, d.gateway, d.metering.meter if d.metering else None)
    makers = list(dict.fromkeys(u.maker for u in units if u))
    lack = [m for m in makers if m.lower() not in have]
    if not makers:
        return ""
    said = f"{', '.join(makers)}: app and firmware files on the phone, the owner's network at hand"
    missed = "any of them" if lack == makers and len(makers) > 1 else ", ".join(lack)
    return f"{said}; no account is named for {missed}" if lack else said


def needs(job: OpenJob, known: Sequence[str] = ()) -> list[dict[str, str]]:
    """What a day at a job needs: tools and dies for what is still to make off, what has to be got,
    accounts, licences, what keeps it from being done. known: makers with whom the crew has an
    account.
    """
    d, out = job.design, []
    todo = [t for t in d.terminations if not job.state_of(t).complete]
    dies = Counter(f"{t.tool}, die {t.die}" if t.die else t.tool for t in todo if t.tool)
    turned = (t.torque.n for t in todo if t.torque)
    wrenches = {w.name for nm in turned if (w := best_wrench(nm, job.wrenches, today()))}
    if wrenches or dies:
        names = [*sorted(wrenches), *(f"{t} ({n} ends)" for t, n in sorted(dies.items()))]
        out.append({"what": "Tools", "says": "; ".join(names)})
    bits = sorted({t.bit for t in todo if t.bit})
    if bits:
        out.append({"what": "Bits", "says": ", ".join(bits)})
    if short := not_kept(todo, job.choices.tools):
        out.append({"what": "Not on the shelf", "says": ", ".join(short)})
    get = [r for r in lines(job) if r["to_get"] > 0]
    if get and todo:
        out.append({"what": "Materials", "says": f"{len(get)} lines to get"})
    lifts = sum(not b.there and b.enclosure.people != "one" for b in d.boxes)
    if lifts and todo:
        says = f"{lifts} box{'es' if lifts > 1 else ''} for two people or a lift table"
        out.append({"what": "Hands", "says": says})
    licensed = job.plan.survey.licensed if job.plan.survey else {}
    named = ", ".join(f"{k}: {v}" for k, v in sorted(licensed.items()) if v)
    out.append({"what": "Licence", "says": named or "nobody licensed is named in Survey yet"})
    if not job.state.signed and (said := accounts(job, known)):
        out.append({"what": "Accounts", "says": said})
    if todo and any(s.mounting == "roof" for s in job.plan.strings):
        says = "wind, rain and frost for the roof: note it by hand, or on the office sheet"
        out.append({"what": "Weather", "says": says})
    if stops := d.count(Level.STOP):
        out.append({"what": "Stops", "says": f"{stops} open: see Size"})
    return out


@twin(router, "/days", "days.html")
def days(request: Request, visit: Visiting) -> dict[str, Any]:
    """A week."""
    monday = week_of(request)
    rows, known = of_week(visit, monday), accounts_of(visit)
    found: list[dict[str, Any]] = []
    for n, (job, who) in enumerate(rows):
        opened = open_job(job.id, visit) if n < MOST else None
        found.append(
            {
                "id": job.id,
                "name": job.name,
                "address": opened.plan.site.address if opened else "",
                "day": job.day,
                "who": who,
                "stage": job.stage,
                "note": job.note,
                "needs": needs(opened, known) if opened else [],
            }
        )
    return {
        "monday": monday,
        "before": monday - timedelta(days=7),
        "after": monday + timedelta(days=7),
        "days": [
            {
                "day": monday + timedelta(days=n),
                "jobs": [j for j in found if j["day"] == monday + timedelta(days=n)],
            }
            for n in range(7)
        ],
        "_visit": visit,
    }


@router.get("/days.ics")
def calendar(request: Request, visit: Visiting) -> Response:
    """The same as a calendar file."""
    monday = week_of(request)
    rows = [
        (
            job.uid,
            job.day,
            f"{job.name}{f', {who}' if who else ''}",
            f"{str(request.base_url).rstrip('/')}/jobs/{job.id}/size\n{job.note}".strip(),
        )
        for job, who in of_week(visit, monday)
        if job.day
    ]
    return Response(
        day_calendar(rows, datetime.now(UTC)),
        media_type="text/calendar",
        headers={"Content-Disposition": f'attachment; filename="week-{monday}.ics"'},
    )
