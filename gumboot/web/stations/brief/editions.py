"""Which editions of its kit a job was made with, which are newer, and what taking one would change,
figure by figure. It is taken on purpose.
"""

from __future__ import annotations

from typing import Any

from fastapi import APIRouter, Request
from fastapi.responses import RedirectResponse, Response

from gumboot.core.basis.figure import Figure
from gumboot.core.basis.finding import Level
from gumboot.core.brief.sheets import in_use
from gumboot.core.design import Design, design
from gumboot.core.kit.missing import name_of
from gumboot.store import records
from gumboot.store import shelf as shelves
from gumboot.store.models import KitEdition
from gumboot.store.shelf import Shelf
from gumboot.web.job import saving
from gumboot.web.job.opening import Opened, OpenJob
from gumboot.web.pages.frame import twin
from gumboot.web.shelf.page import read_words, readings

router = APIRouter()
SHOWN = 80  # figures of one change on the page; the twin has them all


def entries_of(d: Design) -> list[tuple[str, str]]:
    """(id, name) of every entry of the shelf that the design works by."""
    named = {e.id: name_of(e) for e in in_use(d.draft)}
    for s in d.circuits:
        named[s.cable.id] = s.cable.label
    return list(named.items())


def used(job: OpenJob) -> dict[str, KitEdition]:
    """The edition of each entry that the job was made with."""
    db, crew = job.visit.db, job.visit.crew_id
    rows = {r.entry: r for r in shelves.rows_at(db, crew, job.shelf)}
    if not job.shelf.at:
        rows = {**{r.entry: r for r in shelves.shipped(db)}, **rows}
    return rows


def differs(before: Design, after: Design) -> dict[str, Any]:
    """What another edition changes: figures, and stops and checks that come and go."""

    def words(f: Figure | None) -> str:
        return f.text if f else "—"

    figures = [
        {"key": k, "name": f.name if (f := b or a) else k, "was": words(a), "is": words(b)}
        for k, a, b in after.changed(before)
    ]
    levels = (Level.STOP, Level.CHECK)
    was = {f.key: f for f in before.findings if f.level in levels}
    now = {f.key: f for f in after.findings if f.level in levels}
    return {
        "figures": figures,
        "come": [{"level": f.level.value, "says": f.says} for k, f in now.items() if k not in was],
        "gone": [{"level": f.level.value, "says": f.says} for k, f in was.items() if k not in now],
    }


def with_newest(job: OpenJob, ids: list[str]) -> Shelf:
    """The job's shelf with the newest editions of some entries."""
    db, crew = job.visit.db, job.visit.crew_id
    newest = {i: shelves.newest(db, crew, i) for i in ids}
    return Shelf(job.shelf.at, {**job.shelf.taken, **{i: r.digest for i, r in newest.items() if r}})


def tried(job: OpenJob, shelf: Shelf) -> Design:
    """The job's plan, with another shelf."""
    kit = shelves.of_plan(job.visit.db, job.visit.crew_id, shelf)
    return design(job.plan, kit, job.design)


@twin(router, "/jobs/{job_id}/editions", "editions.html")
def editions(request: Request, job: Opened) -> dict[str, Any]:
    """The page."""
    db, crew = job.visit.db, job.visit.crew_id
    made_with, second = used(job), readings(job.visit)
    rows, newer = [], []
    for id, name in entries_of(job.design):
        row, newest = made_with.get(id), shelves.newest(db, crew, id)
        is_newer = bool(row and newest and newest.digest != row.digest)
        if is_newer:
            newer.append(id)
        rows.append(
            {
                "id": id,
                "name": name,
                "edition": row.edition if row else None,
                "read": read_words(row, second) if row else "not on this crew's shelf",
                "newest": newest.edition if newest else None,
                "newer": is_newer,
            }
        )
    changes = {i: differs(job.design, tried(job, with_newest(job, [i]))) for i in newer[:6]}
    head = shelves.head(db)
    return {
        **job.head("brief"),
        "entries": rows,
        "changes": changes,
        "at": job.shelf.at,
        "head": head,
        "shown": SHOWN,
    }


@router.post("/jobs/{job_id}/editions")
def take(request: Request, job: Opened) -> Response:
    """Take the newest edition of one entry, or the whole shelf as it stands today."""
    visit = job.visit
    visit.needs("planner", "supervisor")
    back = f"/jobs/{job.record.id}/editions"
    id = visit.text("entry")
    if id:
        shelf = with_newest(job, [id])
    else:
        shelf = Shelf(shelves.head(visit.db))
    if shelf == job.shelf:
        return RedirectResponse(back, 303)
    try:
        records.save_plan(
            visit.db,
            job.record,
            job.plan,
            visit.whole("version", job.record.version),
            visit.who,
            shelf.document,
        )
    except records.LostRace as race:
        return saving.lost_race(request, job, race, (), back)
    visit.db.commit()
    return RedirectResponse(back, 303)
