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
    Table,
    Text,
    UniqueConstraint,
    false,
    func,
    text,
)
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.orm import DeclarativeBase, Mapped, mapped_column

from gumboot.core.kit.signal import upgraded


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
    """A crew; everything it does belongs to it. second_asked: of whom a second factor is asked
    ("nobody", "supervisor", "everybody"). defaults: what a new job of the crew begins with.
    """

    __tablename__ = "crew"
    id: Mapped[int] = mapped_column(Identity(), primary_key=True)
    name: Mapped[str]
    uid: Mapped[str] = mapped_column(server_default=text("gen_random_uuid()::text"))
    second_asked: Mapped[str] = mapped_column(server_default="supervisor")
    defaults: Mapped[dict[str, Any]] = mapped_column(server_default="{}")
    office_seq: Mapped[int] = mapped_column(server_default="0")
    office_head: Mapped[str] = mapped_column(server_default="")


class Person(Base):
    """Someone who signs in. role: planner, installer or supervisor. Who left keeps the name in the
    logs and can no longer sign in. totp_step: the last time step whose code was taken.
    """

    __tablename__ = "person"
    __table_args__ = (
        Index("person_email", "email", unique=True, postgresql_where=text("left_at is null")),
    )
    id: Mapped[int] = mapped_column(Identity(), primary_key=True)
    crew_id: Mapped[int] = mapped_column(ForeignKey("crew.id"), index=True)
    name: Mapped[str]
    email: Mapped[str]
    role: Mapped[str]
    password_hash: Mapped[str]
    made_at: Mapped[datetime] = mapped_column(server_default=func.now())
    left_at: Mapped[datetime | None]
    totp_secret: Mapped[str | None]
    totp_since: Mapped[datetime | None]
    totp_step: Mapped[int] = mapped_column(BigInteger, server_default="0")


class SignIn(Base):
    """A server-side session; only the hash of its token is kept. second_due: the password was
    right, and the second factor is still asked.
    """

    __tablename__ = "sign_in"
    token_hash: Mapped[str] = mapped_column(primary_key=True)
    person_id: Mapped[int] = mapped_column(ForeignKey("person.id"), index=True)
    csrf: Mapped[str]
    expires_at: Mapped[datetime]
    made_at: Mapped[datetime] = mapped_column(server_default=func.now())
    seen_at: Mapped[datetime] = mapped_column(server_default=func.now())
    address: Mapped[str] = mapped_column(server_default="", default="")
    device: Mapped[str] = mapped_column(server_default="", default="")
    second_due: Mapped[bool] = mapped_column(server_default=false(), default=False)


class FailedSignIn(Base):
    """A failed attempt, kept to slow the next ones; lane: the known device it came from, or ""."""

    __tablename__ = "failed_sign_in"
    id: Mapped[int] = mapped_column(BigInteger, Identity(), primary_key=True)
    email: Mapped[str] = mapped_column(index=True)
    address: Mapped[str] = mapped_column(index=True)
    lane: Mapped[str] = mapped_column(server_default="", default="", index=True)
    at: Mapped[datetime] = mapped_column(server_default=func.now())


class KnownDevice(Base):
    """A browser that a person has signed in with; others' guesses do not slow it."""

    __tablename__ = "known_device"
    token_hash: Mapped[str] = mapped_column(primary_key=True)
    person_id: Mapped[int] = mapped_column(ForeignKey("person.id"), primary_key=True)
    at: Mapped[datetime] = mapped_column(server_default=func.now())


class RecoveryCode(Base):
    """A code that stands in for the second factor once; gone when it was used."""

    __tablename__ = "recovery_code"
    code_hash: Mapped[str] = mapped_column(primary_key=True)
    person_id: Mapped[int] = mapped_column(ForeignKey("person.id"), primary_key=True)


class Invitation(Base):
    """A link that is good once: to join a crew, or (person_id) to set a new password."""

    __tablename__ = "invitation"
    token_hash: Mapped[str] = mapped_column(primary_key=True)
    crew_id: Mapped[int] = mapped_column(ForeignKey("crew.id"), index=True)
    person_id: Mapped[int | None] = mapped_column(ForeignKey("person.id"))
    name: Mapped[str]
    email: Mapped[str] = mapped_column(server_default="", default="")
    role: Mapped[str]
    made_by: Mapped[str]
    made_at: Mapped[datetime] = mapped_column(server_default=func.now())
    ends_at: Mapped[datetime]
    used_at: Mapped[datetime | None]


class Token(Base):
    """A key of a crew's office tools. scope: "read", or "write" (what a planner may). It acts for
    the person who made it, and ends when that person leaves.
    """

    __tablename__ = "token"
    token_hash: Mapped[str] = mapped_column(primary_key=True)
    crew_id: Mapped[int] = mapped_column(ForeignKey("crew.id"), index=True)
    person_id: Mapped[int] = mapped_column(ForeignKey("person.id"))
    name: Mapped[str]
    scope: Mapped[str]
    made_at: Mapped[datetime] = mapped_column(server_default=func.now())
    used_at: Mapped[datetime | None]
    ended_at: Mapped[datetime | None]


class FirstCode(Base):
    """The one-time code that makes the first crew of an empty database."""

    __tablename__ = "first_code"
    code_hash: Mapped[str] = mapped_column(primary_key=True)
    made_at: Mapped[datetime] = mapped_column(server_default=func.now())


class OfficeRow(Base):
    """One entry of a crew's office log. The database refuses to change or delete it."""

    __tablename__ = "office_entry"
    crew_id: Mapped[int] = mapped_column(ForeignKey("crew.id"), primary_key=True)
    seq: Mapped[int] = mapped_column(primary_key=True)
    uuid: Mapped[str]
    kind: Mapped[str]
    who: Mapped[str]
    role: Mapped[str]
    at: Mapped[str]
    body: Mapped[str]
    prev: Mapped[str]
    hash: Mapped[str]


class Job(Base):
    """A job: its current plan version and the head of its log chain. stage, person_id, day: what
    the office says of it; listed: what the list of jobs shows, made by its revision listed_rev (the
    database sets that to 0 when plan or log change), with what it is searched by.
    """

    __tablename__ = "job"
    __table_args__ = (
        Index("job_listed", "crew_id", "listed_rev"),
        Index(
            "job_shown",
            "crew_id",
            text("changed_at desc"),
            text("id desc"),
            postgresql_where=text("put_away_at is null"),
        ),
    )
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
    stage: Mapped[str] = mapped_column(server_default="planned", default="planned")
    person_id: Mapped[int | None] = mapped_column(ForeignKey("person.id"))
    day: Mapped[date | None]
    note: Mapped[str] = mapped_column(server_default="", default="")
    put_away_at: Mapped[datetime | None]
    listed: Mapped[dict[str, Any] | None] = mapped_column(deferred=True)
    listed_rev: Mapped[int] = mapped_column(server_default="0", default=0)
    stops: Mapped[int] = mapped_column(server_default="0", default=0)
    signed_at: Mapped[str] = mapped_column(server_default="", default="")
    words: Mapped[str] = mapped_column(server_default="", default="", deferred=True)


class PlanVersion(Base):
    """One saved plan. Never changed; the job points at the newest."""

    __tablename__ = "plan_version"
    job_id: Mapped[int] = mapped_column(ForeignKey("job.id"), primary_key=True)
    version: Mapped[int] = mapped_column(primary_key=True)
    plan: Mapped[dict[str, Any]]
    saved_by: Mapped[str]
    saved_at: Mapped[datetime] = mapped_column(server_default=func.now())
    shelf: Mapped[dict[str, Any]] = mapped_column(server_default="{}")


class KitEdition(Base):
    """One saved edition of an entry of the shelf; of no crew: it ships with Gumboot. seq counts
    through all of them: a job names the number up to which the shelf was read. job_id: it came with
    that job's file and stands on no shelf. sources: where values stand, by section.
    """

    __tablename__ = "kit_edition"
    __table_args__ = (
        Index("kit_edition_of", "crew_id", "entry", "seq"),
        Index("kit_edition_kind", "crew_id", "kind", "seq"),
        Index("kit_edition_digest", "digest"),
    )
    seq: Mapped[int] = mapped_column(BigInteger, Identity(), primary_key=True)
    crew_id: Mapped[int | None] = mapped_column(ForeignKey("crew.id"))
    entry: Mapped[str]
    kind: Mapped[str]
    name: Mapped[str]
    digest: Mapped[str]
    saved_by: Mapped[str]
    edition: Mapped[int]
    body: Mapped[dict[str, Any]]
    sources: Mapped[dict[str, Any]] = mapped_column(server_default="{}")
    job_id: Mapped[int | None]
    saved_at: Mapped[datetime] = mapped_column(server_default=func.now())

    @property
    def said(self) -> dict[str, Any]:
        """Its document in today's words: what older editions said otherwise is read so."""
        body: dict[str, Any] = upgraded(self.body)
        return body


class KitReading(Base):
    """A second reading of an entry's values that can hurt, by another person."""

    __tablename__ = "kit_reading"
    __table_args__ = (Index("kit_reading_of", "crew_id", "entry"),)
    id: Mapped[int] = mapped_column(BigInteger, Identity(), primary_key=True)
    crew_id: Mapped[int] = mapped_column(ForeignKey("crew.id"))
    entry: Mapped[str]
    digest: Mapped[str]
    who: Mapped[str]
    body: Mapped[dict[str, Any]]
    at: Mapped[datetime] = mapped_column(server_default=func.now())


class KitSheet(Base):
    """A data sheet or the photograph of a plate, kept with an entry."""

    __tablename__ = "kit_sheet"
    __table_args__ = (Index("kit_sheet_of", "crew_id", "entry"),)
    id: Mapped[int] = mapped_column(BigInteger, Identity(), primary_key=True)
    crew_id: Mapped[int] = mapped_column(ForeignKey("crew.id"))
    entry: Mapped[str]
    name: Mapped[str]
    media: Mapped[str]
    digest: Mapped[str]
    kept_by: Mapped[str]
    data: Mapped[bytes] = mapped_column(deferred=True)
    kept_at: Mapped[datetime] = mapped_column(server_default=func.now())


class KitLibrary(Base):
    """A module of a long list that a crew took in, found by its words and put on the shelf."""

    __tablename__ = "kit_library"
    crew_id: Mapped[int] = mapped_column(ForeignKey("crew.id"), primary_key=True)
    entry: Mapped[str] = mapped_column(primary_key=True)
    name: Mapped[str]
    words: Mapped[str]
    kept_by: Mapped[str]
    body: Mapped[dict[str, Any]]
    kept_at: Mapped[datetime] = mapped_column(server_default=func.now())


class KitState(Base):
    """How a crew keeps an entry: hidden from its lists, what it has in stock and what it costs."""

    __tablename__ = "kit_state"
    crew_id: Mapped[int] = mapped_column(ForeignKey("crew.id"), primary_key=True)
    entry: Mapped[str] = mapped_column(primary_key=True)
    hidden: Mapped[bool] = mapped_column(server_default=false(), default=False)
    stock: Mapped[dict[str, Any]] = mapped_column(server_default="{}")


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


class InstrumentRow(Base):
    """An instrument of the crew. share, plain: its class."""

    __tablename__ = "instrument"
    id: Mapped[int] = mapped_column(Identity(), primary_key=True)
    crew_id: Mapped[int] = mapped_column(ForeignKey("crew.id"), index=True)
    kind: Mapped[str]
    name: Mapped[str]
    serial: Mapped[str]
    share: Mapped[float]
    plain: Mapped[float] = mapped_column(server_default="0", default=0.0)
    calibrated_until: Mapped[date]


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


class Share(Base):
    """A link that shows the owner of a job their book: read-only, until it ends or is taken back.
    Its token is kept, since placards are printed with it later.
    """

    __tablename__ = "share"
    token_hash: Mapped[str] = mapped_column(primary_key=True)
    token: Mapped[str]
    crew_id: Mapped[int] = mapped_column(ForeignKey("crew.id"), index=True)
    job_id: Mapped[int] = mapped_column(ForeignKey("job.id"), index=True)
    made_by: Mapped[str]
    made_at: Mapped[datetime] = mapped_column(server_default=func.now())
    ends_at: Mapped[datetime]
    ended_at: Mapped[datetime | None]
    opened: Mapped[int] = mapped_column(server_default="0", default=0)
    opened_at: Mapped[datetime | None]


class SealRow(Base):
    """A certificate and its key, that a crew's papers are sealed with; the newest is in use. kind:
    "own", made here, or "bought". Older ones stay, so that papers of before can be checked.
    """

    __tablename__ = "seal"
    id: Mapped[int] = mapped_column(Identity(), primary_key=True)
    crew_id: Mapped[int] = mapped_column(ForeignKey("crew.id"), index=True)
    pkcs12: Mapped[bytes] = mapped_column(deferred=True)
    certificate: Mapped[str]
    kind: Mapped[str]
    made_by: Mapped[str]
    made_at: Mapped[datetime] = mapped_column(server_default=func.now())


class VisitDue(Base):
    """When a crew comes back to a signed job next, and what for: so many months after."""

    __tablename__ = "visit_due"
    __table_args__ = (Index("visit_due_next", "crew_id", "day", "job_id"),)
    job_id: Mapped[int] = mapped_column(ForeignKey("job.id"), primary_key=True)
    crew_id: Mapped[int] = mapped_column(ForeignKey("crew.id"))
    day: Mapped[date]
    months: Mapped[int]
    says: Mapped[str]


class Result(Base):
    """What a long computation came to, by the key of what it was made from; until then how far it
    is, and the load it is made from.
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
    load: Mapped[bytes | None] = mapped_column(deferred=True)
    beat_at: Mapped[datetime] = mapped_column(server_default=func.now())


class Task(Base):
    """A result that waits to be made, or is being made by a worker, which gives a sign each few
    seconds.
    """

    __tablename__ = "task"
    __table_args__ = (UniqueConstraint("job_id", "kind", "key"),)
    id: Mapped[int] = mapped_column(Identity(), primary_key=True)
    crew_id: Mapped[int] = mapped_column(ForeignKey("crew.id"))
    job_id: Mapped[int] = mapped_column(ForeignKey("job.id", ondelete="CASCADE"))
    kind: Mapped[str]
    key: Mapped[str]
    asked_at: Mapped[datetime] = mapped_column(server_default=func.now())
    taken_by: Mapped[str | None]
    beat_at: Mapped[datetime | None]
    tries: Mapped[int] = mapped_column(server_default="0", default=0)


class UploadPart(Base):
    """A piece of a file that was sent, until it is read."""

    __tablename__ = "upload_part"
    job_id: Mapped[int] = mapped_column(ForeignKey("job.id", ondelete="CASCADE"), primary_key=True)
    key: Mapped[str] = mapped_column(primary_key=True)
    number: Mapped[int] = mapped_column(primary_key=True)
    data: Mapped[bytes]
    at: Mapped[datetime] = mapped_column(server_default=func.now())


def tables_of_job() -> list[Table]:
    """Every table whose rows belong to a job, in an order in which they can be deleted."""
    of_job = Job.__table__.c.id
    return [
        t
        for t in reversed(Base.metadata.sorted_tables)
        if any(k.column is of_job for k in t.foreign_keys)
    ]
