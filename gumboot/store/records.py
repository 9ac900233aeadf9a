"""Jobs, plans by version, the log and the crew's wrenches. Sessions passed in already see one crew
only.
"""

from __future__ import annotations

import hashlib
import json
import uuid as uuids
from collections.abc import Iterable
from dataclasses import fields
from datetime import UTC, datetime
from typing import Any, cast

from sqlalchemy import bindparam, insert, literal_column, select, text
from sqlalchemy.orm import Session, defer

from gumboot.core.journal import log
from gumboot.core.journal.log import KINDS, Entry, LogState
from gumboot.core.land import Scale, Wrench
from gumboot.core.plan import Plan
from gumboot.core.prove.instrument import Instrument
from gumboot.store.models import InstrumentRow, Job, LogEntry, PlanVersion, WrenchRow


class LostRace(Exception):
    """Someone saved the plan since it was read. `theirs` is what stands now."""

    def __init__(self, theirs: PlanVersion) -> None:
        super().__init__("the plan was saved by someone else since it was read")
        self.theirs = theirs


class Frozen(Exception):
    """The job is signed; its plan and log take no changes until it is re-opened."""


class Moved(Exception):
    """The job changed since the page was read that this was decided on."""


class BadEntry(ValueError):
    """The same UUID came twice with different content."""


def now() -> str:
    """Server time as the log writes it: ISO 8601, UTC, milliseconds."""
    return datetime.now(UTC).isoformat(timespec="milliseconds")


def plan_digest(plan: Plan) -> str:
    """SHA-256 of a plan: what a signature names."""
    return document_digest(plan.model_dump(mode="json"))


def document_digest(document: dict[str, Any]) -> str:
    """The same of a plan as it is stored: one of a release before has fewer fields than it reads
    as now.
    """
    return hashlib.sha256(json.dumps(document, sort_keys=True).encode()).hexdigest()


def create_job(
    db: Session,
    crew_id: int,
    plan: Plan,
    who: str,
    uid: str | None = None,
    version: int = 1,
    imported: bool = False,
    shelf: dict[str, Any] | None = None,
) -> Job:
    """A new job with its first plan, and what of the shelf it is made with."""
    uid = uid or str(uuids.uuid4())
    job = Job(
        crew_id=crew_id,
        uid=uid,
        name=plan.site.name,
        version=version,
        log_seq=0,
        log_head=log.genesis(uid),
        imported_by=who if imported else None,
    )
    db.add(job)
    db.flush()
    db.add(
        PlanVersion(
            job_id=job.id,
            version=version,
            plan=plan.model_dump(mode="json"),
            saved_by=who,
            shelf=shelf or {},
        )
    )
    db.flush()
    return job


def save_plan(
    db: Session,
    job: Job,
    plan: Plan,
    read_version: int,
    who: str,
    shelf: dict[str, Any] | None = None,
) -> int:
    """Save a plan read at `read_version`; returns the new version. The shelf it is made with stays
    what it was unless another is given. Raises LostRace or Frozen and changes nothing.
    """
    locked = db.scalar(
        select(Job)
        .where(Job.id == job.id)
        .with_for_update()
        .execution_options(populate_existing=True)
    )
    assert locked is not None  # noqa: S101 - the caller read it in this transaction
    if state(db, locked).signed:
        raise Frozen
    if locked.version != read_version:
        theirs = db.get(PlanVersion, (job.id, locked.version))
        assert theirs is not None  # noqa: S101 - a foreign key holds it
        db.expunge(theirs)
        raise LostRace(theirs)
    if shelf is None:
        key = (job.id, locked.version)
        shelf = db.scalar(
            select(PlanVersion.shelf).where(
                PlanVersion.job_id == key[0], PlanVersion.version == key[1]
            )
        )
    locked.version += 1
    locked.name = plan.site.name
    locked.changed_at = datetime.now(UTC)
    db.add(
        PlanVersion(
            job_id=job.id,
            version=locked.version,
            plan=plan.model_dump(mode="json"),
            saved_by=who,
            shelf=shelf or {},
        )
    )
    db.flush()
    return locked.version


def jobs(db: Session) -> list[Job]:
    """The crew's jobs, newest change first."""
    return list(db.scalars(select(Job).order_by(Job.changed_at.desc())))


STANDS = (  # how far the shelf has come, and what the crew keeps out of its lists
    "(select max(seq) from kit_edition)",
    "coalesce((select defaults ->> 'hide_examples' from crew where id = {crew}), '') = 'true'",
    "array(select entry from kit_state where crew_id = {crew} and hidden order by entry)",
)
Stands = tuple[int, bool, list[str]]
CURRENT: Any = (
    select(Job, PlanVersion, *(literal_column(x.format(crew="job.crew_id")) for x in STANDS))
    .join(PlanVersion, (PlanVersion.job_id == Job.id) & (PlanVersion.version == Job.version))
    .where(Job.id == bindparam("job"))
    .options(defer(PlanVersion.plan))  # a page of a design already made does not read it
)


def opened(db: Session, job_id: int) -> tuple[Job, PlanVersion, Stands] | None:
    """A job, its plan and how the shelf stands, in one go; None when there is none or it is another
    crew's.
    """
    row = db.execute(CURRENT, {"job": job_id}).first()
    return (row[0], row[1], tuple(row[2:])) if row else None


def current(db: Session, job_id: int) -> tuple[Job, PlanVersion] | None:
    """A job and its plan; None when there is none or it is another crew's."""
    found = opened(db, job_id)
    return found[:2] if found else None


def plan_at(db: Session, job: Job, version: int) -> dict[str, Any] | None:
    """The plan document of an earlier version, if there was one."""
    row = db.get(PlanVersion, (job.id, version)) if 0 < version < 2**31 else None
    return row.plan if row else None


class Appending:
    """What appends to a job's log in one transaction: the job is locked once, and what is there of
    the UUIDs to come is looked up once. Nothing is kept before `keep`.
    """

    def __init__(self, db: Session, job: Job, uuids: Iterable[str]) -> None:
        locked = db.scalar(
            select(Job)
            .where(Job.id == job.id)
            .with_for_update()
            .execution_options(populate_existing=True)
        )
        assert locked is not None  # noqa: S101
        self.db, self.job, self.standing = db, locked, state(db, locked)
        self.known = {e.uuid: e for e in _read(db, locked, LogEntry.uuid.in_(uuids))}
        self._new: list[Entry] = []

    def append(
        self,
        kind: str,
        body: dict[str, Any],
        who: str,
        role: str,
        at_device: str,
        uuid: str,
        seen: tuple[int, str] | None = None,
    ) -> Entry:
        """As `append` below."""
        before = self.known.get(uuid)
        if before:
            if before.kind != kind or log.canonical(before.body) != log.canonical(body):
                raise BadEntry(f"entry {uuid} is already kept with other content")
            return before
        if self.standing.signed and not (kind in KINDS and KINDS[kind].kept_after(body)):
            raise Frozen
        job = self.job
        if seen is not None and seen != (job.version, job.log_head):
            raise Moved
        entry = log.next_entry(
            job.log_head, job.log_seq + 1, uuid, kind, who, role, at_device, now(), body
        )
        job.log_seq, job.log_head = entry.seq, entry.hash
        self.standing = log.carry_on(self.standing, [entry])
        self.known[uuid] = entry
        self._new.append(entry)
        return entry

    def keep(self) -> None:
        """Write what was appended."""
        if self._new:
            take_in(self.db, self.job, self._new)
            _remember(self.job, self.standing)


def append(
    db: Session,
    job: Job,
    kind: str,
    body: dict[str, Any],
    who: str,
    role: str,
    at_device: str,
    uuid: str | None = None,
    seen: tuple[int, str] | None = None,
) -> Entry:
    """Append one entry and return it. A resend (same UUID, same body) returns the entry already
    kept.

    seen: plan version and log head that the entry was decided on. Raises Moved when either is no
    longer so, Frozen on a signed job (but for what comes after), and BadEntry for a UUID used for
    something else.
    """
    uuid = uuid or str(uuids.uuid4())
    appending = Appending(db, job, (uuid,))
    entry = appending.append(kind, body, who, role, at_device, uuid, seen)
    appending.keep()
    return entry


def take_in(db: Session, job: Job, entries: list[Entry]) -> None:
    """Keep an imported log as it came; the caller has verified its chain."""
    if entries:
        db.execute(insert(LogEntry), [{"job_id": job.id, **_columns(e)} for e in entries])
        job.log_seq, job.log_head = entries[-1].seq, entries[-1].hash
        job.changed_at = datetime.now(UTC)
    db.flush()


FIELDS = [f.name for f in fields(Entry)]
COLUMNS = [getattr(LogEntry, name) for name in FIELDS]


def _columns(e: Entry) -> dict[str, Any]:
    """An entry as it is stored: its body as the text that was hashed."""
    return {**{name: getattr(e, name) for name in FIELDS}, "body": log.canonical(e.body)}


def _read(db: Session, job: Job, *where: Any) -> list[Entry]:
    """Entries of a job, oldest first, as plain rows: a long log is read three times as fast so."""
    rows = db.execute(
        select(*COLUMNS).where(LogEntry.job_id == job.id, *where).order_by(LogEntry.seq)
    )
    return [
        Entry(seq, uuid, kind, who, role, device, server, json.loads(body), prev, digest)
        for seq, uuid, kind, who, role, device, server, body, prev, digest in rows
    ]


def _entry(row: LogEntry) -> Entry:
    return Entry(
        row.seq,
        row.uuid,
        row.kind,
        row.who,
        row.role,
        row.at_device,
        row.at_server,
        json.loads(row.body),
        row.prev,
        row.hash,
    )


_logs: dict[tuple[int, str], LogState] = {}
_last: dict[int, str] = {}  # the head that each job's state was last read up to


def entries(db: Session, job: Job) -> tuple[Entry, ...]:
    """The whole log of a job, oldest first, straight from the database."""
    return tuple(_read(db, job))


def entries_page(
    db: Session,
    job: Job,
    before: int | None = None,
    termination: str = "",
    who: str = "",
    count: int = 100,
) -> tuple[Entry, ...]:
    """Up to `count` entries, newest first, older than number `before`; of one termination or one
    person
    where one is named.
    """
    asked = select(LogEntry).where(LogEntry.job_id == job.id)
    if before is not None:
        asked = asked.where(LogEntry.seq < before)
    if termination:
        asked = asked.where(LogEntry.termination == termination)
    if who:
        asked = asked.where(LogEntry.who == who)
    return tuple(_entry(r) for r in db.scalars(asked.order_by(LogEntry.seq.desc()).limit(count)))


def of_kind(db: Session, job: Job, kind: str, after: int = 0) -> list[Entry]:
    """A job's entries of one kind, oldest first, that came after a number."""
    return _read(db, job, LogEntry.kind == kind, LogEntry.seq > after)


def entry_of(db: Session, job: Job, uuid: str) -> Entry | None:
    """The entry of a UUID, if the job has it."""
    row = db.scalar(select(LogEntry).where(LogEntry.job_id == job.id, LogEntry.uuid == uuid))
    return _entry(row) if row else None


def state(db: Session, job: Job) -> LogState:
    """What the log adds up to. Remembered by the head of the chain, which names the content; a
    longer log is read on from there.
    """
    key = (job.id, job.log_head)
    found = _logs.get(key)
    if found is None:
        before = _logs.get((job.id, _last.get(job.id, "")))
        rows = _read(db, job, LogEntry.seq > (before.seq if before else 0))
        if before and (not rows or rows[0].prev != _last[job.id]):
            before, rows = None, list(entries(db, job))
        found = log.carry_on(before or LogState(), rows)
        _remember(job, found)
    return found


def _remember(job: Job, found: LogState) -> None:
    """A job's log as it adds up to its head; a head that is not kept after all names nothing."""
    if len(_logs) > 256:
        _logs.clear()
    _logs.pop((job.id, _last.get(job.id, "")), None)
    _logs[(job.id, job.log_head)] = found
    _last[job.id] = job.log_head


def wrenches(db: Session) -> list[Wrench]:
    """The crew's torque tools, smallest first."""
    table = WrenchRow.__table__
    rows = db.execute(select(table).order_by(table.c.most_nm, table.c.id))
    return [
        Wrench(
            str(r.id),
            r.name,
            r.serial,
            r.least_nm,
            r.most_nm,
            r.calibrated_until,
            r.iso_class,
            cast(Scale, r.scale),
            r.address,
        )
        for r in rows
    ]


def instruments(db: Session) -> list[Instrument]:
    """The crew's instruments, by kind and name."""
    rows = db.query(InstrumentRow).order_by(InstrumentRow.kind, InstrumentRow.name)
    return [
        Instrument(str(r.id), r.kind, r.name, r.serial, r.share, r.plain, r.calibrated_until)
        for r in rows
    ]


def ping(db: Session) -> None:
    """Raise when the database does not answer."""
    db.execute(text("select 1"))
