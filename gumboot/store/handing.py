"""Links for owners, and the seal of a crew's papers."""

from __future__ import annotations

import hashlib
import secrets
from collections.abc import Sequence
from datetime import UTC, date, datetime, timedelta

from sqlalchemy import delete, func, select, text, tuple_, update
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from gumboot.store.models import Job, SealRow, Share, VisitDue

YEAR = timedelta(days=365)
MOST_YEARS = 25


def share_hash(token: str) -> str:
    """What a link is looked up by."""
    return hashlib.sha256(token.encode()).hexdigest()


def new_share(db: Session, crew_id: int, job_id: int, who: str, years: int) -> Share:
    """A link for a job's owner, for some years; the one of before ends."""
    end_share(db, job_id)
    token = secrets.token_urlsafe(24)
    row = Share(
        token_hash=share_hash(token),
        token=token,
        crew_id=crew_id,
        job_id=job_id,
        made_by=who,
        ends_at=datetime.now(UTC) + years * YEAR,
    )
    db.add(row)
    db.flush()
    return row


def end_share(db: Session, job_id: int) -> None:
    """Take a job's links back."""
    mine = (Share.job_id == job_id, Share.ended_at.is_(None))
    db.execute(update(Share).where(*mine).values(ended_at=datetime.now(UTC)))


def share_of(db: Session, job_id: int) -> Share | None:
    """A job's link that is good now."""
    mine = (Share.job_id == job_id, Share.ended_at.is_(None), Share.ends_at > datetime.now(UTC))
    return db.scalar(select(Share).where(*mine).order_by(Share.made_at.desc()).limit(1))


def opened_share(db: Session, token: str, counts: bool) -> Share | None:
    """The link of a token while it is good; None when it never was, ended, or was taken back.
    counts: whether this opening is counted.
    """
    row = db.get(Share, share_hash(token))
    if row is None or row.ended_at is not None or row.ends_at <= datetime.now(UTC):
        return None
    if counts:
        values = {"opened": Share.opened + 1, "opened_at": datetime.now(UTC)}
        db.execute(update(Share).where(Share.token_hash == row.token_hash).values(**values))
    return row


def seal_row(db: Session, crew_id: int) -> SealRow | None:
    """The seal a crew uses."""
    mine = select(SealRow).where(SealRow.crew_id == crew_id)
    return db.scalar(mine.order_by(SealRow.id.desc()).limit(1))


def seal_lock(db: Session, crew_id: int) -> None:
    """One at a time makes a crew's first seal."""
    db.execute(text("select pg_advisory_xact_lock(7363, :crew)"), {"crew": crew_id})


def keep_seal(
    db: Session, crew_id: int, pkcs12: bytes, certificate: str, kind: str, who: str
) -> None:
    """Use a seal from now on."""
    row = SealRow(crew_id=crew_id, pkcs12=pkcs12, certificate=certificate, kind=kind, made_by=who)
    db.add(row)
    db.flush()


def certificates(db: Session, crew_id: int) -> list[SealRow]:
    """Every certificate that a crew's papers were ever sealed with, the newest first."""
    mine = select(SealRow).where(SealRow.crew_id == crew_id)
    return list(db.scalars(mine.order_by(SealRow.id.desc())))


def set_visit(db: Session, crew_id: int, job_id: int, due: tuple[date, int, str] | None) -> None:
    """When a job's next visit is due, or that none is."""
    if due is None:
        db.execute(delete(VisitDue).where(VisitDue.job_id == job_id))
        return
    values = {"day": due[0], "months": due[1], "says": due[2]}
    row = insert(VisitDue).values(job_id=job_id, crew_id=crew_id, **values)
    db.execute(row.on_conflict_do_update(index_elements=["job_id"], set_=values))


def visits(
    db: Session, crew_id: int, most: int, after: tuple[date, int] | None = None
) -> Sequence[tuple[VisitDue, str]]:
    """The crew's next visits with their jobs' names, the first due first; after: the last row of
    the page before.
    """
    rows = select(VisitDue, Job.name).join(Job, Job.id == VisitDue.job_id)
    rows = rows.where(VisitDue.crew_id == crew_id, Job.put_away_at.is_(None))
    if after is not None:
        rows = rows.where(tuple_(VisitDue.day, VisitDue.job_id) > after)
    rows = rows.order_by(VisitDue.day, VisitDue.job_id).limit(most)
    return [(r[0], r[1]) for r in db.execute(rows)]


def visits_until(db: Session, crew_id: int, day: date) -> int:
    """How many visits are due up to a day."""
    mine = (VisitDue.crew_id == crew_id, VisitDue.day <= day, Job.put_away_at.is_(None))
    rows = select(func.count()).select_from(VisitDue).join(Job, Job.id == VisitDue.job_id)
    return db.scalar(rows.where(*mine)) or 0
