"""Results of long computations, kept by the key of what they are made from, the newest few of each
kind; until one is there, how far it is (`store.queue` says by whom).
"""

from __future__ import annotations

from typing import Any

from sqlalchemy import delete, func, select, text, update
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from gumboot.store.models import Result

KEEP = {"pdf": 12}  # three books, their folder, drawings, lists and labels
KEEP_OTHERS = 8


def found(db: Session, job_id: int, kind: str, key: str) -> Result | None:
    """The result, done or under way."""
    return db.get(Result, (job_id, kind, key), populate_existing=True)


def begin(db: Session, job_id: int, kind: str, key: str, load: bytes) -> None:
    """It waits to be made from a load; a fault of before is forgotten."""
    fresh = {"share": 0.0, "says": "", "fault": None, "beat_at": func.now(), "load": load}
    db.execute(
        insert(Result)
        .values(job_id=job_id, kind=kind, key=key, load=load)
        .on_conflict_do_update(index_elements=["job_id", "kind", "key"], set_=fresh)
    )


def load_of(db: Session, job_id: int, kind: str, key: str) -> bytes | None:
    """What a result is to be made from."""
    here = (Result.job_id == job_id, Result.kind == kind, Result.key == key)
    return db.scalar(select(Result.load).where(*here))


def beat(db: Session, job_id: int, kind: str, key: str, share: float, says: str) -> None:
    """How far it is."""
    _set(db, job_id, kind, key, share=share, says=says)


def finish(
    db: Session, job_id: int, kind: str, key: str, body: dict[str, Any], data: bytes | None = None
) -> None:
    """Done; the oldest beyond the newest few of its kind go."""
    _set(db, job_id, kind, key, share=1.0, says="", fault=None, body=body, data=data, load=None)
    newest = (
        select(Result.key)
        .where(Result.job_id == job_id, Result.kind == kind)
        .order_by(Result.beat_at.desc())
        .limit(KEEP.get(kind, KEEP_OTHERS))
    )
    db.execute(
        delete(Result).where(
            Result.job_id == job_id, Result.kind == kind, Result.key.not_in(newest)
        )
    )


def fail(db: Session, job_id: int, kind: str, key: str, fault: str) -> None:
    """Stopped, and why, in the crew's words."""
    _set(db, job_id, kind, key, fault=fault, load=None)


def forget(db: Session, job_id: int, kind: str, key: str) -> None:
    """Nobody waits for it any more."""
    db.execute(
        delete(Result).where(Result.job_id == job_id, Result.kind == kind, Result.key == key)
    )


def tidy(db: Session) -> None:
    """Throw away a crew's printed pages of a month ago, and files nobody came to read."""
    for said in (
        "delete from result where kind = 'pdf' and beat_at < now() - interval '30 days'",
        "delete from upload_part where at < now() - interval '1 day'",
    ):
        db.execute(text(said))


def _set(db: Session, job_id: int, kind: str, key: str, **values: Any) -> None:
    here = (Result.job_id == job_id) & (Result.kind == kind) & (Result.key == key)
    db.execute(update(Result).where(here).values(beat_at=func.now(), **values))
