"""The list of jobs: what it shows of each is stored with what it was made from, so that five
thousand are listed as quickly as five.
"""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date
from typing import Any

from sqlalchemy import ColumnElement, func, select, update

from gumboot.core.basis.finding import Level
from gumboot.core.design import Design
from gumboot.core.journal.entry import Entry
from gumboot.store import records
from gumboot.store import shelf as shelves
from gumboot.store.models import Job, Person, PlanVersion
from gumboot.store.shelf import Shelf
from gumboot.web.job.opening import OpenJob, designed
from gumboot.web.people.visit import Visit
from gumboot.web.station import stations

REVISION = 2  # of what is stored: raised when the same job would be listed or judged otherwise
A_PAGE, MOST = 50, 1000
ANEW = 200  # stale rows made anew for one page; the rest as they are asked for
STAGES = ("planned", "ordered", "on site", "waiting")
STATES = (*STAGES, "signed", "put away")
SHOWN = (
    *(Job.id, Job.name, Job.listed, Job.stage),
    *(Job.person_id, Job.day, Job.put_away_at, Job.changed_at),
)


@dataclass(frozen=True)
class Asked:
    """What is looked for: words, state ("" for all that is not put away), person, day from and to,
    with stops only; page from 0.
    """

    words: str = ""
    state: str = ""
    person: int = 0
    since: date | None = None
    until: date | None = None
    stops: bool = False
    page: int = 0
    count: int = A_PAGE


def elsewhere(job: Job, entry: Entry | None) -> bool:
    """Whether an entry was made before its job was taken in from a file: another crew's claim."""
    return bool(job.imported_by and entry and entry.at_server < job.created_at.isoformat())


def bank_words(design: Design) -> str:
    """The bank as a crew says it: "7 × V5 stack module", "pack inside"."""
    kit, pack = design.plan.kit, design.pack
    if pack is None or (kit.packs == 0 and design.inverter and design.inverter.pack_inside):
        return "pack inside" if pack else str(kit.pack or "no pack")
    return f"{kit.packs * (kit.series if pack.form != 'pack' else 1)} × {pack.model}"


def shown_of(visit: Visit, job: Job, plan: dict[str, Any], shelf: dict[str, Any]) -> dict[str, Any]:
    """What the list shows of a job."""
    design = designed(plan, shelves.of_plan(visit.db, visit.crew_id, Shelf.of(shelf)))
    t = OpenJob(visit, job, design.plan, design, records.state(visit.db, job))
    model = design.inverter.model if design.inverter else design.plan.kit.inverter
    checks = [f for f in design.findings if f.level is Level.CHECK and not t.state.accepts(f)]
    return {
        "address": design.plan.site.address,
        "supply": design.plan.supply.kind,
        "kit": f"{design.plan.kit.inverters} × {model}, {bank_words(design)}",
        "stops": design.count(Level.STOP),
        "checks": len(checks),
        "landed": next(s.progress(t) for s in stations() if s.id == "land"),
        "signed": t.state.signed.at_server if t.state.signed else None,
        "elsewhere": elsewhere(job, t.state.signed),
    }


def refresh(visit: Visit) -> None:
    """Make the stale rows of the crew's list anew, the last changed first."""
    stale = select(Job, PlanVersion.plan, PlanVersion.shelf).join(
        PlanVersion, (PlanVersion.job_id == Job.id) & (PlanVersion.version == Job.version)
    )
    old = stale.where(Job.crew_id == visit.crew_id, Job.listed_rev < REVISION)
    rows = visit.db.execute(old.order_by(Job.changed_at.desc()).limit(ANEW)).all()
    for job, plan, shelf in rows:
        shown = shown_of(visit, job, plan, shelf)
        words = f"{job.name} {shown['address']} {shown['kit']} {shown['supply']}".lower()
        visit.db.execute(
            update(Job)
            .where(Job.id == job.id, Job.version == job.version, Job.log_head == job.log_head)
            .values(
                listed=shown,
                listed_rev=REVISION,
                stops=shown["stops"],
                signed_at=shown["signed"] or "",
                words=words,
            )
            .execution_options(synchronize_session=False)
        )
    if rows:
        visit.db.flush()
        visit.db.expire_all()


def wanted(asked: Asked) -> list[ColumnElement[bool]]:
    """What the database is asked for."""
    out: list[ColumnElement[bool]] = []
    out += [Job.words.contains(w, autoescape=True) for w in asked.words.lower().split()[:6]]
    if asked.state == "put away":
        out.append(Job.put_away_at.is_not(None))
    else:
        out.append(Job.put_away_at.is_(None))
    if asked.state == "signed":
        out.append(Job.signed_at != "")
    elif asked.state in STAGES:
        out += [Job.stage == asked.state, Job.signed_at == ""]
    if asked.person:
        out.append(Job.person_id == asked.person)
    if asked.since:
        out.append(Job.day >= asked.since)
    if asked.until:
        out.append(Job.day <= asked.until)
    if asked.stops:
        out.append(Job.stops > 0)
    return out


def listed(visit: Visit, asked: Asked | None = None) -> tuple[list[dict[str, Any]], int]:
    """(one page of the crew's jobs, newest change first; how many there are in all)."""
    asked = asked or Asked()
    refresh(visit)
    where = [Job.crew_id == visit.crew_id, *wanted(asked)]
    total = visit.db.scalar(select(func.count()).select_from(Job).where(*where)) or 0
    rows = visit.db.execute(
        select(*SHOWN, Person.name.label("who"))
        .outerjoin(Person, Person.id == Job.person_id)
        .where(*where)
        .order_by(Job.changed_at.desc(), Job.id.desc())
        .limit(asked.count)
        .offset(asked.page * asked.count)
    ).all()
    blank = {
        **dict.fromkeys(("address", "supply", "kit", "landed"), ""),
        **dict.fromkeys(("stops", "checks"), 0),
        "signed": None,
        "elsewhere": False,
    }
    return [
        {
            "id": r.id,
            "name": r.name,
            **blank,
            **(r.listed or {}),
            "stage": r.stage,
            "person": r.who,
            "person_id": r.person_id,
            "day": r.day,
            "put_away": r.put_away_at is not None,
            "changed": r.changed_at,
        }
        for r in rows
    ], total
