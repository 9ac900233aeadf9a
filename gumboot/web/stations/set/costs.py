"""What the windows cost a year, beside the menu: as keyed, without any, and as the tariff would
have them; carried to the menu at a click.
"""

from __future__ import annotations

from typing import Any

from fastapi import APIRouter, Request

from gumboot.core.energy.year import lacks
from gumboot.core.plan import Work
from gumboot.core.set.settings import work_keyed
from gumboot.store.models import Result
from gumboot.web.background import asked
from gumboot.web.job.opening import Opened, OpenJob
from gumboot.web.pages.frame import twin
from gumboot.web.stations.brief.year import words_of
from gumboot.web.stations.brief.year_form import MODES

router = APIRouter()


def missing(job: OpenJob) -> str:
    """Why nothing can be said of a year; empty where something can."""
    plan = job.plan
    if plan.supply.kind == "off-grid":
        return "Off grid nothing is bought or sold: windows save nothing."
    if not plan.energy.tariff.rates:
        return "Type the tariff under Brief, Year: what windows cost and save follows from it."
    if job.design.bank is None:
        return "No battery yet: Size has stops."
    return lacks(plan, job.design)


def said(row: Result | None) -> dict[str, Any]:
    """A result as it stands: done, or how far it is."""
    if row is None:
        return {"done": False, "share": 0.0, "says": "waiting its turn", "fault": ""}
    return {"done": row.body is not None, "share": row.share, "says": row.says, "fault": row.fault}


def rows_of(job: OpenJob, year: dict[str, Any], best: dict[str, Any]) -> list[dict[str, Any]]:
    """Each way of working with its bill a year and what it costs more than the one keyed."""
    keyed = work_keyed(job.design.settings, job.plan.energy.work)
    offered = Work.model_validate(best["work"])
    own = year["bills"]["all"]
    names = dict(MODES)
    rows = [
        ("As keyed", keyed, own),
        ("No windows: self-use", Work(mode="self-use"), best["bill_self_use"]),
        ("Proposed for this tariff", offered, best["bill_proposed"]),
    ]
    return [
        {
            "name": name,
            "mode": names[work.mode],
            "windows": words_of(work) if work.mode == "windows" else [],
            "bill": bill,
            "more": bill - own,
            "is_keyed": n > 0 and work == keyed,
        }
        for n, (name, work, bill) in enumerate(rows)
    ]


@twin(router, "/jobs/{job_id}/set/year", "set_year.html")
def costs(request: Request, job: Opened) -> dict[str, Any]:
    """The part of the page."""
    why = missing(job)
    year, best = (None, None) if why else (asked(job, "year"), asked(job, "best"))
    bodies = [row.body if row is not None else None for row in (year, best)]
    there = all(b is not None for b in bodies) and not why
    rows = rows_of(job, bodies[0] or {}, bodies[1] or {}) if there else []
    return {
        **job.head("set"),
        "lacks": why,
        "waits": [said(x) for x in (year, best)] if not why else [],
        "rows": rows,
        "currency": job.plan.energy.tariff.currency,
        "same": bool(rows) and rows[2]["is_keyed"],
        "saves": -rows[2]["more"] if rows else 0.0,
    }
