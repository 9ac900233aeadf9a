"""The job at hand: plan, design and log of one job, and the ticket that heads each of its pages."""

from __future__ import annotations

import json
from collections import OrderedDict
from collections.abc import Iterator
from dataclasses import dataclass, field
from datetime import UTC, date, datetime
from functools import cached_property, lru_cache
from typing import Annotated, Any

from fastapi import Depends, Request
from sqlalchemy.orm import Session
from starlette.datastructures import FormData

from gumboot.core.basis.finding import Finding, Level, ordered
from gumboot.core.design import Design, design
from gumboot.core.journal.log import LogState
from gumboot.core.kit import Catalogue
from gumboot.core.land import Termination, TerminationState, Wrench, tool_findings
from gumboot.core.plan import Plan
from gumboot.store import records
from gumboot.store import shelf as shelves
from gumboot.store.database import see_crew
from gumboot.store.models import Job, PlanVersion
from gumboot.store.shelf import Shelf
from gumboot.web.people.visit import Visit, admitted, sent_form, visiting
from gumboot.web.station import stations


class NoSuchJob(Exception):
    """There is none, or it is another crew's: both look the same from outside."""


def today() -> date:
    """The day it is, UTC."""
    return datetime.now(UTC).date()


@dataclass
class OpenJob:
    """A job opened by a visit."""

    visit: Visit
    record: Job
    plan: Plan
    design: Design
    state: LogState
    shelf: Shelf = field(default_factory=Shelf)
    stands: records.Stands | None = None  # how the shelf stands now

    @cached_property
    def choices(self) -> Catalogue:
        """What the job may choose from: what it was made with, and what came on the shelf since."""
        now = shelves.today(self.visit.db, self.visit.crew_id, self.stands)
        return shelves.wide(self.design.catalogue, now)

    @cached_property
    def wrenches(self) -> list[Wrench]:
        """The crew's torque tools."""
        return records.wrenches(self.visit.db)

    @cached_property
    def findings(self) -> tuple[Finding, ...]:
        """What the design finds, and what the crew's tools lack for terminations still to
        be made off.
        """
        return _found(self.design, self.state, tuple(self.wrenches), today())

    def state_of(self, t: Termination) -> TerminationState:
        """Where a termination stands by the log."""
        return self.state.termination(t.key, t.chain)

    def termination(self, key: str) -> Termination | None:
        """A termination by its key."""
        return next((t for t in self.design.terminations if t.key == key), None)

    def tried(self, plan: Plan | dict[str, Any]) -> Design:
        """The design of another plan, with the job's own kit."""
        document = plan if isinstance(plan, dict) else plan.model_dump(mode="json")
        return designed(document, self.design.catalogue)

    def anew(self) -> OpenJob:
        """The same job as it stands now, also after a commit."""
        see_crew(self.visit.db, self.visit.crew_id)
        return open_job(self.record.id, self.visit)

    @property
    def open_stops(self) -> int:
        """Stops of the design."""
        return self.design.count(Level.STOP)

    def open_checks(self) -> list[Finding]:
        """Checks nobody has accepted as they read now."""
        return [f for f in self.findings if f.level is Level.CHECK and not self.state.accepts(f)]

    def head(self, station: str) -> dict[str, Any]:
        """What every page of a job carries: ticket, stations, findings."""
        far = self._far()
        treads = [
            {
                "id": s.id,
                "name": s.name,
                "path": f"/jobs/{self.record.id}/{s.id}",
                "here": s.id == station,
                "progress": far[s.id],
            }
            for s in stations()
        ]
        findings = [
            {
                "finding": f,
                "accepted": self._accepted(f),
                "here": station
                in ("hand-over", self.design.stations.get(f.key, "land")),  # else tools
            }
            for f in self.findings
        ]
        return {
            "job": {
                "id": self.record.id,
                "uid": self.record.uid,
                "name": self.record.name,
                "version": self.record.version,
                "units": self.plan.units,
                "zone": self.plan.site.zone or "UTC",
                "frozen": self.state.signed is not None,
                "imported_by": self.record.imported_by,
            },
            "supply": self.plan.supply.kind,
            "code": self.plan.book.name,
            "stops": self.open_stops,
            "checks": len(self.open_checks()),
            "station": station,
            "stations": treads,
            "findings": findings,
            "open_duties": [
                {"station": f.asked.station, "says": f.says, "rule": f.rule, "key": f.key}
                for f in self.design.duties
                if f.asked and not self.state.closes(f)
            ],
            "keeps": [w.id for w in self.plan.walls],
            "_visit": self.visit,
        }

    def _far(self) -> dict[str, str]:
        """How far each station is, remembered by what it follows from: version, design and log."""
        key = (self.record.version, self.design, self.state)
        found = _progress.get(key)
        if found is None:
            found = _progress[key] = {s.id: s.progress(self) for s in stations()}
            _forget(_progress)
        return found

    def _accepted(self, finding: Finding) -> dict[str, str] | None:
        entry = self.state.accepts(finding)
        return (
            {"who": entry.who, "at": entry.at_server, "reason": entry.body["reason"]}
            if entry
            else None
        )


_designs: OrderedDict[tuple[str, Catalogue], Design] = OrderedDict()
_versions: OrderedDict[tuple[str, int, datetime], Design] = OrderedDict()
_latest: OrderedDict[str, Design] = OrderedDict()  # by the site's name: what a change starts from
_progress: OrderedDict[tuple[int, Design, LogState], dict[str, str]] = OrderedDict()
REMEMBERED = 200


def _forget(kept: OrderedDict[Any, Any]) -> None:
    """The oldest, where there are more than are remembered."""
    while len(kept) > REMEMBERED:
        kept.popitem(last=False)


def _of_version(db: Session, job: Job, row: PlanVersion) -> Design:
    """The design of a stored version, remembered by that version: what is stored never changes."""
    key = (job.uid, row.version, row.saved_at)
    found = _versions.get(key)
    if found is None:
        kit = shelves.of_plan(db, job.crew_id, Shelf.of(row.shelf))
        found = _versions[key] = designed(row.plan, kit)
        _forget(_versions)
    return found


def designed(plan_document: dict[str, Any], kit: Catalogue) -> Design:
    """The design of a stored plan, remembered by the plan's own text and its kit: same in, same
    out. What did not change since the last design of that site is taken over from it.
    """
    key = (json.dumps(plan_document, sort_keys=True), kit)
    found = _designs.get(key)
    if found is None:
        plan = Plan.model_validate(plan_document)
        before = _latest.get(plan.site.name)
        found = _designs[key] = design(plan, kit, before)
        _latest[plan.site.name] = found
        _forget(_designs)
        _forget(_latest)
    return found


@lru_cache(maxsize=REMEMBERED)
def _found(
    design_: Design, state: LogState, wrenches: tuple[Wrench, ...], day: date
) -> tuple[Finding, ...]:
    turning = [t for t in design_.terminations if t.torque]
    todo = [t for t in turning if not state.termination(t.key, t.chain).complete]
    tools = tool_findings(todo, wrenches, design_.plan, day)
    return ordered([*design_.findings, *tools])


def open_job(job_id: int, visit: Visit) -> OpenJob:
    """Open a job. Raises NoSuchJob."""
    found = records.opened(visit.db, job_id) if 0 < job_id < 2**31 else None
    if found is None:
        raise NoSuchJob
    job, row, stands = found
    design_ = _of_version(visit.db, job, row)
    state = records.state(visit.db, job)
    return OpenJob(visit, job, design_.plan, design_, state, Shelf.of(row.shelf), stands)


def opened(
    job_id: int,
    request: Request,
    form: Annotated[FormData, Depends(sent_form)],
    admitted: Annotated[None, Depends(admitted)] = None,
) -> Iterator[OpenJob]:
    """The job of an address, opened by who is signed in; in one step, since each step of a request
    waits for a thread of its own. Raises NeedsSignIn, Forbidden, NoSuchJob.
    """
    with visiting(request, form) as visit:
        request.state.job = job_id
        found = open_job(job_id, visit)
        request.state.circuits = len(found.design.circuits)
        yield found


Opened = Annotated[OpenJob, Depends(opened)]
