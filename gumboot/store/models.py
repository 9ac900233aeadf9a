"""Tables. A crew's rows are guarded by row-level security in the database itself (see the first
migration).
"""

from __future__ import annotations

from datetime import date, datetime
from typing import Any, ClassVar

from sqlalchemy import (
    BigInteger,
    Computed,
    Date,
    DateTime,
    Float,
    ForeignKey,
    Identity,
    Index,
    Integer,
    Text,
    UniqueConstraint,
    func,
)
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.orm import DeclarativeBase, Mapped, mapped_column


class Base(DeclarativeBase):
    """All tables."""

    type_annotation_map: ClassVar = {
        str: Text,
        datetime: DateTime(timezone=True),
        date: Date,
        float: Float,
        dict[str, Any]: JSONB,
    }


class Crew(Base):
    """A crew; everything it does belongs to it."""

    __tablename__ = "crew"
    id: Mapped[int] = mapped_column(Identity(), primary_key=True)
    name: Mapped[str]


class Person(Base):
    """Someone who signs in. role: planner, installer or supervisor."""

    __tablename__ = "person"
    id: Mapped[int] = mapped_column(Identity(), primary_key=True)
    crew_id: Mapped[int] = mapped_column(ForeignKey("crew.id"))
    name: Mapped[str]
    email: Mapped[str] = mapped_column(unique=True)
    role: Mapped[str]
    password_hash: Mapped[str]


class SignIn(Base):
    """A server-side session; only the hash of its token is kept."""

    __tablename__ = "sign_in"
    token_hash: Mapped[str] = mapped_column(primary_key=True)
    person_id: Mapped[int] = mapped_column(ForeignKey("person.id"))
    csrf: Mapped[str]
    expires_at: Mapped[datetime]


class FailedSignIn(Base):
    """A failed attempt, kept to slow the next ones."""

    __tablename__ = "failed_sign_in"
    id: Mapped[int] = mapped_column(BigInteger, Identity(), primary_key=True)
    email: Mapped[str] = mapped_column(index=True)
    address: Mapped[str] = mapped_column(index=True)
    at: Mapped[datetime] = mapped_column(server_default=func.now())


class Job(Base):
    """A job: its current plan version and the head of its log chain."""

    __tablename__ = "job"
    id: Mapped[int] = mapped_column(Identity(), primary_key=True)
    crew_id: Mapped[int] = mapped_column(ForeignKey("crew.id"), index=True)
    uid: Mapped[str]
    name: Mapped[str]
    version: Mapped[int] = mapped_column(Integer, default=1)
    log_seq: Mapped[int] = mapped_column(Integer, default=0)
    log_head: Mapped[str]
    imported_by: Mapped[str | None]
    created_at: Mapped[datetime] = mapped_column(server_default=func.now())
    changed_at: Mapped[datetime] = mapped_column(server_default=func.now())


class PlanVersion(Base):
    """One saved plan. Never changed; the job points at the newest."""

    __tablename__ = "plan_version"
    job_id: Mapped[int] = mapped_column(ForeignKey("job.id"), primary_key=True)
    version: Mapped[int] = mapped_column(primary_key=True)
    plan: Mapped[dict[str, Any]]
    saved_by: Mapped[str]
    saved_at: Mapped[datetime] = mapped_column(server_default=func.now())


class LogEntry(Base):
    """One entry of a job's log. The database refuses to change or delete it."""

    __tablename__ = "log_entry"
    __table_args__ = (
        UniqueConstraint("job_id", "uuid"),
        Index("log_entry_termination", "job_id", "termination", "seq"),
    )
    job_id: Mapped[int] = mapped_column(ForeignKey("job.id"), primary_key=True)
    seq: Mapped[int] = mapped_column(primary_key=True)
    uuid: Mapped[str]
    kind: Mapped[str]
    who: Mapped[str]
    role: Mapped[str]
    at_device: Mapped[str]
    at_server: Mapped[str]
    body: Mapped[str]
    termination: Mapped[str | None] = mapped_column(
        Computed("(body::jsonb ->> 'termination'::text)", persisted=True)
    )
    prev: Mapped[str]
    hash: Mapped[str]


class WrenchRow(Base):
    """A torque tool of the crew."""

    __tablename__ = "wrench"
    id: Mapped[int] = mapped_column(Identity(), primary_key=True)
    crew_id: Mapped[int] = mapped_column(ForeignKey("crew.id"), index=True)
    name: Mapped[str]
    serial: Mapped[str]
    least_nm: Mapped[float]
    most_nm: Mapped[float]
    calibrated_until: Mapped[date]
    iso_class: Mapped[str] = mapped_column(server_default="II-A", default="II-A")
    scale: Mapped[str] = mapped_column(server_default="N·m", default="N·m")
    address: Mapped[str] = mapped_column(server_default="", default="")


class KeptFile(Base):
    """A file of a job, named by the SHA-256 of its bytes: readings, weather or photo. The database
    refuses to change or delete it.
    """

    __tablename__ = "kept_file"
    job_id: Mapped[int] = mapped_column(ForeignKey("job.id"), primary_key=True)
    digest: Mapped[str] = mapped_column(primary_key=True)
    kind: Mapped[str]
    name: Mapped[str]
    media: Mapped[str]
    about: Mapped[dict[str, Any]]
    data: Mapped[bytes] = mapped_column(deferred=True)
    small: Mapped[bytes | None] = mapped_column(deferred=True)
    kept_by: Mapped[str]
    kept_at: Mapped[datetime] = mapped_column(server_default=func.now())


class Result(Base):
    """What a long computation came to, by what it was made from; until then how far it is, and when
    it last gave sign.
    """

    __tablename__ = "result"
    job_id: Mapped[int] = mapped_column(ForeignKey("job.id"), primary_key=True)
    kind: Mapped[str] = mapped_column(primary_key=True)
    key: Mapped[str] = mapped_column(primary_key=True)
    share: Mapped[float] = mapped_column(server_default="0")
    says: Mapped[str] = mapped_column(server_default="")
    fault: Mapped[str | None]
    body: Mapped[dict[str, Any] | None]
    data: Mapped[bytes | None] = mapped_column(deferred=True)
    beat_at: Mapped[datetime] = mapped_column(server_default=func.now())
