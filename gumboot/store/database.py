"""The connection: engine, migration, and a session that sees one crew's rows."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from sqlalchemy import Engine, create_engine, text
from sqlalchemy.orm import Session, sessionmaker


class UnsafeRole(RuntimeError):
    """The database role could read every crew's rows; Gumboot will not run on it."""


def connect(url: str) -> Engine:
    """An engine for a PostgreSQL URL. Plain `postgresql://` is understood."""
    url = url.replace("postgresql://", "postgresql+psycopg://", 1).replace(
        "postgres://", "postgresql+psycopg://", 1
    )
    return create_engine(url, pool_size=20, max_overflow=20, pool_pre_ping=False)


MIGRATIONS = Path(__file__).parent / "migrations"


def migrate(engine: Engine) -> None:
    """Bring the tables to the newest shape. Safe to run again, and by several processes at once;
    quick when nothing is new.
    """
    newest = max(p.name for p in (MIGRATIONS / "versions").glob("[0-9]*.py")).split("_")[0]
    with engine.begin() as connection:
        connection.execute(text("select pg_advisory_xact_lock(7361)"))
        if (
            connection.scalar(text("select to_regclass('alembic_version')"))
            and connection.scalar(text("select version_num from alembic_version")) == newest
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
