"""The office log in the database: appended to in the transaction of what it tells."""

from __future__ import annotations

import json
import uuid as uuids
from typing import Any

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from gumboot.core.journal.office import KINDS, OfficeEntry, canonical, digest, genesis
from gumboot.store.models import Crew, OfficeRow
from gumboot.store.records import now


def append(
    db: Session, crew_id: int, kind: str, who: str, role: str, body: dict[str, Any]
) -> OfficeEntry:
    """Append one entry; the session must see that crew. Raises KeyError for a kind there is not."""
    KINDS[kind]
    crew = db.scalar(
        select(Crew)
        .where(Crew.id == crew_id)
        .with_for_update()
        .execution_options(populate_existing=True)
    )
    assert crew is not None  # noqa: S101 - a foreign key holds it
    crew.office_seq += 1
    prev, written = crew.office_head or genesis(crew.uid), canonical(body)
    row = OfficeRow(
        crew_id=crew_id,
        seq=crew.office_seq,
        uuid=str(uuids.uuid4()),
        kind=kind,
        who=who,
        role=role,
        at=now(),
        body=written,
        prev=prev,
        hash="",
    )
    row.hash = digest(prev, row.seq, row.uuid, kind, who, role, row.at, written)
    crew.office_head = row.hash
    db.add(row)
    db.flush()
    return _entry(row)


def page(
    db: Session, crew_id: int, before: int | None = None, kind: str = "", count: int = 100
) -> list[OfficeEntry]:
    """Up to `count` entries, newest first, older than number `before`."""
    asked = select(OfficeRow).where(OfficeRow.crew_id == crew_id)
    if before is not None:
        asked = asked.where(OfficeRow.seq < before)
    if kind:
        asked = asked.where(OfficeRow.kind == kind)
    return [_entry(r) for r in db.scalars(asked.order_by(OfficeRow.seq.desc()).limit(count))]


def entries(db: Session, crew_id: int) -> list[OfficeEntry]:
    """The whole office log of a crew, oldest first."""
    rows = select(OfficeRow).where(OfficeRow.crew_id == crew_id).order_by(OfficeRow.seq)
    return [_entry(r) for r in db.scalars(rows)]


def heads(db: Session, crew_id: int, job_uid: str) -> list[OfficeEntry]:
    """What the office log says of the heads of a job's log, oldest first."""
    rows = (
        select(OfficeRow)
        .where(
            OfficeRow.crew_id == crew_id,
            OfficeRow.kind.in_(("signed", "pack")),
            func.strpos(OfficeRow.body, canonical(job_uid)) > 0,
        )
        .order_by(OfficeRow.seq)
    )
    return [e for e in map(_entry, db.scalars(rows)) if e.body.get("uid") == job_uid]


def _entry(r: OfficeRow) -> OfficeEntry:
    body = json.loads(r.body)
    return OfficeEntry(r.seq, r.uuid, r.kind, r.who, r.role, r.at, body, r.prev, r.hash)
