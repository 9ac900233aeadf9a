"""A backup is taken of a running server, and comes back whole; the owner of the tables and the
application are two roles.
"""

import os
import subprocess
import threading
from contextlib import suppress

import pytest
from sqlalchemy import create_engine, text
from sqlalchemy.exc import ProgrammingError

from gumboot.demo import scenario
from gumboot.store import database
from tests.conftest import ROOT


def as_keeper(url):
    """The same cluster as the role that made it."""
    return url.replace("//gumboot:", "//keeper:", 1)


def run(script, *arguments, **env):
    return subprocess.run(
        [ROOT / "script" / script, *arguments],
        capture_output=True,
        text=True,
        env={**os.environ, **env},
        cwd=ROOT,
    )


@pytest.fixture(scope="module")
def full(demo_database):
    url = demo_database("kept")
    database.ready(url).dispose()
    return url


def counts(url):
    engine = create_engine(as_keeper(url).replace("postgresql:", "postgresql+psycopg:"))
    tables = ("job", "log_entry", "plan_version", "person", "office_entry", "kit_edition")
    with engine.connect() as db:
        out = {t: db.execute(text(f"select count(*) from {t}")).scalar() for t in tables}
    engine.dispose()
    return out


def test_a_backup_of_a_running_server_comes_back_whole(full, fresh_database, tmp_path):
    """Somebody writes meanwhile; pg_restore reads the list; every chain is checked."""
    engine, going = database.connect(full), True
    make = database.sessions(engine)

    def write():
        while going:
            with make.begin() as db:
                db.execute(text("insert into failed_sign_in (email, address) values ('x', 'y')"))

    writer = threading.Thread(target=write)
    writer.start()
    file = tmp_path / "gumboot.dump"
    kept = run("backup", str(file), GUMBOOT_BACKUP_URL=as_keeper(full))
    going = False
    writer.join()
    engine.dispose()
    assert kept.returncode == 0 and file.stat().st_size > 10_000, kept.stderr
    assert file.stat().st_mode & 0o077 == 0  # nobody else reads it
    listed = subprocess.run(["pg_restore", "--list", file], capture_output=True, text=True)
    assert all(
        f"TABLE DATA public {t} " in listed.stdout for t in ("job", "log_entry", "kept_file")
    )
    empty = fresh_database("back")
    back = run("restore", str(file), empty)
    assert back.returncode == 0, back.stderr
    assert "Tern Hollow" in back.stdout and "every chain is whole" in back.stdout
    assert "office of crew 1" in back.stdout and "broken" not in back.stdout
    assert counts(empty) == counts(full)
    again = run("restore", str(file), empty)
    assert again.returncode == 1 and "restore into an empty one" in again.stderr


@pytest.mark.long
def test_a_backup_as_the_application_sees_fails_and_leaves_nothing(full, tmp_path):
    """It would hold no job at all; row security says no instead."""
    file = tmp_path / "none.dump"
    kept = run("backup", str(file), GUMBOOT_BACKUP_URL=full)
    assert kept.returncode != 0 and not file.exists() and not list(tmp_path.iterdir())


def test_a_cut_backup_is_refused(full, tmp_path):
    file = tmp_path / "cut.dump"
    file.write_bytes(b"PGDMP\x01")
    back = run("restore", str(file), full)
    assert back.returncode == 1 and "cut short" in back.stderr


def test_the_application_owns_nothing_and_cannot_undo_its_own_records(cluster_url, worker_id):
    """E8: migrations by an owner, the application by a lesser role."""
    name = f"apart_{worker_id}"
    url = f"{cluster_url.rpartition('/')[0]}/{name}"
    there = as_keeper(cluster_url).replace("postgresql:", "postgresql+psycopg:")
    outside = create_engine(there, isolation_level="AUTOCOMMIT")
    with outside.connect() as db:
        db.execute(text(f"drop database if exists {name} with (force)"))
        db.execute(text(f"create database {name}"))
    outside.dispose()
    keeper = create_engine(
        as_keeper(url).replace("postgresql:", "postgresql+psycopg:"), isolation_level="AUTOCOMMIT"
    )
    with keeper.connect() as db:
        for role in ("lesser", "owning"):
            with suppress(ProgrammingError):  # where another worker's test made it
                db.execute(text(f"create role {role} login password 'x'"))
        db.execute(text(f"alter database {name} owner to owning"))
        db.execute(text("alter schema public owner to owning"))
    host = url.rpartition("@")[2]
    engine = database.ready(f"postgresql://lesser:x@{host}", f"postgresql://owning:x@{host}")
    make = database.sessions(engine)
    scenario.load(make)
    with make() as db:
        crew = db.execute(text("select id from crew limit 1")).scalar()
    for change in (
        "alter table log_entry disable trigger all",
        "drop table office_entry",
        "update log_entry set who = 'x'",
        "update office_entry set who = 'x'",
        "delete from office_entry",
        "truncate plan_version",
        "drop policy own_crew on job",
        "alter table job disable row level security",
        "create table x (a int)",
        "update alembic_version set version_num = '0'",
    ):
        with pytest.raises(ProgrammingError), make.begin() as db:
            database.see_crew(db, crew)
            db.execute(text(change))
    engine.dispose()
    keeper.dispose()
