"""Results of long computations: claimed by one worker at a time, kept by the key of what they are
made from, the newest few of each kind.

A claim whose worker gave no sign for a minute is free again.
"""

from __future__ import annotations

from datetime import timedelta
from typing import Any

from sqlalchemy import delete, func, or_, select, update
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from gumboot.store.models import Result

SILENT = timedelta(seconds=60)
KEEP = 8


def found(db: Session, job_id: int, kind: str, key: str) -> Result | None:
    """The result, done or under way."""
    return db.get(Result, (job_id, kind, key), populate_existing=True)


def claim(db: Session, job_id: int, kind: str, key: str) -> bool:
    """Take it on: true for one asker only, until it is done or falls silent."""
    stale = or_(Result.fault.is_not(None), Result.beat_at < func.now() - SILENT)
    row = insert(Result).values(job_id=job_id, kind=kind, key=key)
    fresh = {"share": 0.0, "says": "", "fault": None, "beat_at": func.now()}
    taken = db.scalar(
        row.on_conflict_do_update(
            index_elements=["job_id", "kind", "key"],
            set_=fresh,
            where=Result.body.is_(None) & stale,
        ).returning(Result.key)
    )
    return taken is not None


def beat(db: Session, job_id: int, kind: str, key: str, share: float, says: str) -> None:
    """A sign of life, with how far it is."""
    _set(db, job_id, kind, key, share=share, says=says)


def finish(
    db: Session, job_id: int, kind: str, key: str, body: dict[str, Any], data: bytes | None = None
) -> None:
    """Done; the oldest beyond the newest few of its kind go."""
    _set(db, job_id, kind, key, share=1.0, says="", fault=None, body=body, data=data)
    newest = (
        select(Result.key)
        .where(Result.job_id == job_id, Result.kind == kind)
        .order_by(Result.beat_at.desc())
        .limit(KEEP)
    )
    db.execute(
        delete(Result).where(
            Result.job_id == job_id, Result.kind == kind, Result.key.not_in(newest)
        )
    )


def fail(db: Session, job_id: int, kind: str, key: str, fault: str) -> None:
    """Stopped, and why, in the crew's words."""
    _set(db, job_id, kind, key, fault=fault)


def forget(db: Session, job_id: int, kind: str, key: str) -> None:
    """Nobody waits for it any more."""
    db.execute(
        delete(Result).where(Result.job_id == job_id, Result.kind == kind, Result.key == key)
    )


def _set(db: Session, job_id: int, kind: str, key: str, **values: Any) -> None:
    here = (Result.job_id == job_id) & (Result.kind == kind) & (Result.key == key)
    db.execute(update(Result).where(here).values(beat_at=func.now(), **values))
