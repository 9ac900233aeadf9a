"""Files kept with a job, each named by the SHA-256 of its bytes."""

from __future__ import annotations

import hashlib
from typing import Any, Literal, get_args

from sqlalchemy import select
from sqlalchemy.orm import Session

from gumboot.store.models import Job, KeptFile

FileKind = Literal["readings", "weather", "photo", "pack"]
KINDS: tuple[FileKind, ...] = get_args(FileKind)


def keep(
    db: Session,
    job_id: int,
    kind: FileKind,
    name: str,
    media: str,
    data: bytes,
    about: dict[str, Any],
    who: str,
    small: bytes | None = None,
) -> str:
    """Keep a file, once; returns its digest."""
    digest = hashlib.sha256(data).hexdigest()
    if db.get(KeptFile, (job_id, digest)) is None:
        db.add(
            KeptFile(
                job_id=job_id,
                digest=digest,
                kind=kind,
                name=name[:200],
                media=media,
                about=about,
                data=data,
                small=small,
                kept_by=who,
            )
        )
        db.flush()
    return digest


def of_job(db: Session, job: Job, *kinds: FileKind) -> list[KeptFile]:
    """A job's files of some kinds (all when none is named), oldest first, without their bytes."""
    rows = (
        select(KeptFile)
        .where(KeptFile.job_id == job.id, KeptFile.kind.in_(kinds or KINDS))
        .order_by(KeptFile.kept_at, KeptFile.digest)
    )
    return list(db.scalars(rows))


def one(db: Session, job_id: int, digest: str | None) -> KeptFile | None:
    """One file, or None."""
    return db.get(KeptFile, (job_id, digest)) if digest else None
