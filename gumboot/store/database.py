"""The connection: engine, migration, and a session that sees one crew's rows."""

from __future__ import annotations

import os
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from sqlalchemy import Engine, create_engine, text
from sqlalchemy.exc import OperationalError
from sqlalchemy.orm import Session, sessionmaker


class UnsafeRole(RuntimeError):
    """The database role could read every crew's rows; Gumboot will not run on it."""


def connect(url: str) -> Engine:
    """An engine for a PostgreSQL URL. Plain `postgresql://` is understood."""
    url = url.replace("postgresql://", "postgresql+psycopg://", 1).replace(
        "postgres://", "postgresql+psycopg://", 1
    )
    pooled = os.environ.get("GUMBOOT_PGBOUNCER") == "1"  # it keeps no statement between uses
    return create_engine(
        url,
        pool_size=20,
        max_overflow=20,
        pool_timeout=PATIENCE_S,
        pool_pre_ping=False,
        hide_parameters=True,
        connect_args={
            "connect_timeout": PATIENCE_S,
            "tcp_user_timeout": 15_000,
            "keepalives_idle": 30,
            **({"prepare_threshold": None} if pooled else {}),
        },
    )


PATIENCE_S = 5  # for a connection; a page says 503 after it
MIGRATIONS = Path(__file__).parent / "migrations"


def newest() -> str:
    """The newest shape of the tables."""
    return max(p.name for p in (MIGRATIONS / "versions").glob("[0-9]*.py")).split("_")[0]


def migrate(engine: Engine) -> None:
    """Bring the tables to the newest shape. Safe to run again, and by several processes at once;
    quick when nothing is new.
    """
    with engine.begin() as connection:
        connection.execute(text("select pg_advisory_xact_lock(7361)"))
        if (
            connection.scalar(text("select to_regclass('alembic_version')"))
            and connection.scalar(text("select version_num from alembic_version")) == newest()
        ):
            return
        from alembic import command
        from alembic.config import Config

        config = Config()
        config.set_main_option("script_location", str(MIGRATIONS))
        config.attributes["connection"] = connection
        command.upgrade(config, "head")


def refuse_unsafe_role(engine: Engine) -> None:
    """Raise UnsafeRole when row-level security would not bind this role."""
    with engine.connect() as connection:
        if connection.scalar(
            text("select rolsuper or rolbypassrls from pg_roles where rolname = current_user")
        ):
            raise UnsafeRole(
                "GUMBOOT_DATABASE_URL signs in as a superuser or a role with BYPASSRLS, which would"
                " see every crew's jobs. Use an ordinary role that owns the database."
            )


APPEND_ONLY = (
    *("plan_version", "log_entry", "kept_file", "office_entry"),
    *("kit_edition", "kit_reading", "kit_sheet"),
)


def grant(owner: Engine, role: str) -> None:
    """Let the application's role use the tables of the owner, and no more than it needs: it changes
    no table, and what is append-only it can neither alter nor empty.
    """
    quoted = '"' + role.replace('"', '""') + '"'
    with owner.begin() as db:
        db.execute(text("select pg_advisory_xact_lock(7361)"))
        for said in (
            f"grant usage on schema public to {quoted}",
            f"grant select, insert, update, delete on all tables in schema public to {quoted}",
            f"grant usage, select on all sequences in schema public to {quoted}",
            f"revoke update on {', '.join(APPEND_ONLY)} from {quoted}",
            f"revoke delete on office_entry, kit_edition, kit_reading, kit_sheet from {quoted}",
            f"revoke insert, update, delete on alembic_version from {quoted}",
        ):
            db.execute(text(said))


def ready(url: str, owner_url: str = "") -> Engine:
    """An engine on a database that has the newest tables, for a role that row security binds; the
    tables are the owner's where one is given. Raises SystemExit that says what to set, or
    UnsafeRole.
    """
    if not url:
        raise SystemExit(
            "GUMBOOT_DATABASE_URL is not set: give the URL of a PostgreSQL database, or run"
            " script/serve or script/demo."
        )
    engine = connect(url)
    refuse_unsafe_role(engine)
    if owner_url:
        owner = connect(owner_url)
        migrate(owner)
        grant(owner, str(engine.url.username))
        owner.dispose()
    else:
        migrate(engine)
    return engine


def ready_to_serve(db: Session) -> None:
    """Raise when the database does not answer, or has other tables than this release."""
    db.execute(text("set local statement_timeout = '3s'"))
    found = db.scalar(text("select version_num from alembic_version"))
    if found != newest():
        raise OperationalError(f"tables are at {found}, not {newest()}", None, Exception("shape"))


def sessions(engine: Engine) -> sessionmaker[Session]:
    """A factory of sessions on an engine."""
    return sessionmaker(engine, expire_on_commit=False)


@contextmanager
def as_crew(make: sessionmaker[Session], crew_id: int) -> Iterator[Session]:
    """One transaction that sees one crew's rows; committed at the end."""
    with make.begin() as session:
        see_crew(session, crew_id)
        yield session


def see_crew(session: Session, crew_id: int) -> None:
    """From here to its end the transaction sees one crew's rows."""
    session.execute(text("select set_config('gumboot.crew', :crew, true)"), {"crew": str(crew_id)})
