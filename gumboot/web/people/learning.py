"""What the crew learns from its own records, for its supervisors: pictures with their numbers."""

from __future__ import annotations

from typing import Any

from fastapi import APIRouter, Request

from gumboot.drawings.bars import bars, spreads
from gumboot.store.learning import learned
from gumboot.web.job.listing import refresh
from gumboot.web.pages.frame import drawn, twin
from gumboot.web.people.visit import Visiting

router = APIRouter()
MOST_LINES = 24


def jobs(row: dict[str, Any]) -> str:
    """How many jobs stand behind a line."""
    return f"{row['jobs']} job{'s' if row['jobs'] != 1 else ''}"


def pictures(found: dict[str, Any]) -> dict[str, str]:
    """A drawing of each question that has an answer."""
    hours = [
        (f"{r['station']}, {r['kind']}", float(r["hours"]), f"{r['hours']:.2f} h, {jobs(r)}")
        for r in found["hours"]
    ]
    loose = [
        (f"{r['device']}, {r['tool']}", float(r["loose"]), f"{r['loose']} of {r['seen']}")
        for r in found["loose"]
    ]
    failed = [
        (r["label"], float(r["failed"]), f"{r['failed']} of {r['tried']}") for r in found["failed"]
    ]
    recur = [(r["says"], float(r["jobs"]), jobs(r)) for r in found["recur"]]
    scatter = [
        (
            f"{r['month']} {r['who']}, {r['tool']}",
            float(r["mean"]),
            float(r["spread"]),
            f"{r['mean']:.3f} ± {2 * r['spread']:.3f}",
        )
        for r in found["scatter"][-MOST_LINES:]
    ]
    drawings = {
        "hours": bars("Hours at each station, by kind of job", hours[:MOST_LINES]),
        "loose": bars("Terminations loose at the return, by device and tool", loose),
        "failed": bars("Tests outside when first made", failed),
        "recur": bars("Checks accepted again and again", recur),
        "scatter": spreads("Torque read over rated, by person, tool and month", scatter),
    }
    return {k: v for k, v in drawings.items() if found[k]}


@twin(router, "/learning", "learning.html")
def learning(request: Request, visit: Visiting) -> dict[str, Any]:
    """The page, for supervisors."""
    visit.needs("supervisor")
    refresh(visit)
    found = learned(visit.db, visit.crew_id)
    return {
        "_visit": visit,
        **found,
        "_drawn": {k: drawn(v) for k, v in pictures(found).items()},
    }
