"""The queue of long computations, in PostgreSQL: asked for by pages, taken by worker processes on
any machine, each by one at a time.

A worker gives a sign every few seconds; one that falls silent has its task taken by another. What
is asked for last comes first, crews by turns.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

from sqlalchemy import delete, func, select, text, update
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.engine import CursorResult
from sqlalchemy.orm import Session

from gumboot.store import results
from gumboot.store.models import Task, UploadPart

SILENT_S = 60
MOST_TRIES = 3
ONE_AT_A_TIME = "pdf"  # of a crew: each takes a core and hundreds of MB
PART = 1 << 20

TAKE = text("""
with at as (
  select crew_id, kind, id from task where beat_at > now() - make_interval(secs => :silent)
), next as (
  select t.id from task t
  where t.kind = any(:kinds)
    and (t.beat_at is null or t.beat_at < now() - make_interval(secs => :silent))
    and not (t.kind = :one and exists
             (select 1 from at where at.crew_id = t.crew_id and at.kind = :one))
  order by (select count(*) from at where at.crew_id = t.crew_id), t.asked_at desc
  limit 1 for update of t skip locked
)
update task set taken_by = :worker, beat_at = now(), tries = tries + 1
from next where task.id = next.id
returning task.id, task.crew_id, task.job_id, task.kind, task.key, task.tries
""")


@dataclass(frozen=True)
class Taken:
    """A task a worker has taken: of whom, and the key of its result. tries: how often it was taken,
    this time counted.
    """

    id: int
    crew_id: int
    job_id: int
    kind: str
    key: str
    tries: int


def ask(
    db: Session, crew_id: int, job_id: int, kind: str, key: str, load: bytes, alone: bool
) -> None:
    """Have a result made, unless it is being made; what it is made from is kept until then.

    alone: what waits of the same job and kind is of an older plan, and let go.
    """
    row = insert(Task).values(crew_id=crew_id, job_id=job_id, kind=kind, key=key)
    new = db.scalar(
        row.on_conflict_do_nothing(index_elements=["job_id", "kind", "key"]).returning(Task.id)
    )
    if new is None:
        look(db, job_id, kind, key)
        return
    results.begin(db, job_id, kind, key, load)
    if alone:
        of_before = (Task.job_id == job_id, Task.kind == kind, Task.id != new)
        for old in db.scalars(
            delete(Task).where(*of_before, Task.beat_at.is_(None)).returning(Task.key)
        ):
            results.forget(db, job_id, kind, old)


def look(db: Session, job_id: int, kind: str, key: str) -> bool:
    """Whether a result waits or is being made; to ask is to be looking at it."""
    here = (Task.job_id == job_id, Task.kind == kind, Task.key == key)
    return _touched(db.execute(update(Task).where(*here).values(asked_at=func.now()))) > 0


def take(db: Session, worker: str, kinds: Iterable[str]) -> Taken | None:
    """The next task of some kinds for a worker, or None. Outside of any crew; one worker looks at
    a time, so that turns hold.
    """
    db.execute(text("select pg_advisory_xact_lock(7362)"))
    said = {"worker": worker, "kinds": list(kinds), "silent": SILENT_S, "one": ONE_AT_A_TIME}
    row = db.execute(TAKE, said).one_or_none()
    return Taken(**row._mapping) if row else None


def beat(db: Session, task: Taken, worker: str) -> bool:
    """A sign of life; False when the task is nobody's any more, or another's."""
    mine = (Task.id == task.id, Task.taken_by == worker)
    return _touched(db.execute(update(Task).where(*mine).values(beat_at=func.now()))) > 0


def end(db: Session, task: Taken, worker: str) -> bool:
    """The task is over; False when it was not this worker's any more, and its result is not to
    be kept.
    """
    return _touched(db.execute(delete(Task).where(Task.id == task.id, Task.taken_by == worker))) > 0


def free(db: Session, worker: str) -> None:
    """Give back what a worker had taken: it stops, or it died."""
    mine = Task.taken_by == worker
    db.execute(update(Task).where(mine).values(taken_by=None, beat_at=None))


def waiting(db: Session) -> int:
    """How many tasks wait. Outside of any crew: of all."""
    return db.scalar(select(func.count()).where(Task.beat_at.is_(None))) or 0


def keep_part(db: Session, job_id: int, key: str, number: int, data: bytes) -> None:
    """A piece of a file that was sent, for whichever machine reads it; sent twice at once it is
    the same piece, since the key is the digest of the whole.
    """
    row = insert(UploadPart).values(job_id=job_id, key=key, number=number, data=data)
    db.execute(row.on_conflict_do_nothing())


def parts(db: Session, job_id: int, key: str) -> Iterable[bytes]:
    """The pieces of a file in order, one in memory at a time."""
    here = (UploadPart.job_id == job_id, UploadPart.key == key)
    for number in list(
        db.scalars(select(UploadPart.number).where(*here).order_by(UploadPart.number))
    ):
        piece = db.scalar(select(UploadPart.data).where(*here, UploadPart.number == number))
        yield piece or b""


def drop_parts(db: Session, job_id: int, key: str) -> None:
    """Throw the pieces of a file away."""
    db.execute(delete(UploadPart).where(UploadPart.job_id == job_id, UploadPart.key == key))


def _touched(answer: object) -> int:
    return answer.rowcount if isinstance(answer, CursorResult) else 0
