"""A change cut off in the middle leaves nothing half kept and says so in words: the connection to
the database killed under it, its disk full, or the web server's own; and the same change goes
through afterwards.
"""

import json
import os
import re
import tempfile
import uuid

import pytest
from sqlalchemy import text

from gumboot.core.plan import Plan
from gumboot.demo import plans
from gumboot.store import records
from gumboot.store.database import see_crew
from tests.shapes import worst
from tests.web.conftest import PASSWORD, number_of
from tests.web.shelf.test_shelf import H5, P5, typed_form, upload

NEW = "nine-lanterns-over-basalt"
# What is made or used up by any request, whether its change goes through or not.
PASSING = ("sign_in", "task", "result", "failed_sign_in", "known_device", "alembic_version")


class Scene:
    """A crew with a shelf, a job and an invitation open; changes to try on it."""

    def __init__(self, make, crew, member, job):
        self.make, self.crew, self.member, self.job = make, crew, member, job
        self.boss, self.planner = member("supervisor"), member("planner")
        upload(self.planner, [H5, P5])
        said = self.boss.post("/people/invite", {"name": "Bo Reed", "role": "installer"})
        self.link = re.search(r"/join/([\w-]{20,})", said.text)[1]
        kept = self.planner.get(f"/jobs/{job}/export.json").json()
        self.document = {**kept, "log": [], "uid": str(uuid.uuid4())}

    def person(self, role):
        return number_of(self.make, self.crew[1][role])


def entry(s):
    return s.planner.post("/shelf/new/inverter", typed_form({**H5, "id": "own-new"}))


def edition(s):
    typed = {**typed_form({**H5, "power_w": 4800}), "version": "1"}
    return s.planner.post("/shelf/own-h5", typed)


def shelf_import(s):
    return upload(s.planner, [{**H5, "id": f"own-{n}"} for n in range(30)])


def sheet(s):
    return s.planner.post("/shelf/own-h5/sheets", files={"file": ("a.pdf", b"%PDF-1.7 x")})


def hide(s):
    return s.planner.post("/shelf/examples", {"act": "hide"})


def invite(s):
    return s.boss.post("/people/invite", {"name": "Jo Fell", "role": "planner"})


def join(s):
    typed = {"name": "Bo Reed", "email": f"bo@{s.link[:6].lower()}.example"}
    both = {"password": NEW, "again_password": NEW}
    return s.boss.http.post(f"/join/{s.link}", data={**typed, **both})


def role(s):
    return s.boss.post(f"/people/{s.person('planner')}/role", {"role": "installer"})


def take_out(s):
    return s.boss.post(f"/people/{s.person('planner')}/take-out")


def password(s):
    new = {"new_password": NEW, "again_password": NEW}
    return s.planner.post("/account/password", {"old_password": PASSWORD, **new})


def token(s):
    return s.boss.post("/tokens", {"name": "stock list", "scope": "read"})


def defaults(s):
    return s.boss.post("/defaults", {"units": "us", "paper": "letter"})


def office(s):
    return s.planner.post(f"/jobs/{s.job}/office", {"stage": "on site", "day": "2027-05-04"})


def put_away(s):
    return s.planner.post(f"/jobs/{s.job}/put-away", {"act": "away"})


def copied(s):
    return s.planner.post(f"/jobs/{s.job}/copy", {"name": "Dunlin Yard, second house"})


def deleted(s):
    return s.boss.post(f"/jobs/{s.job}/delete", {"name": "Heron Slip", "reason": "made twice"})


def job_import(s):
    return s.planner.post("/jobs/import", files={"file": ("job.json", json.dumps(s.document))})


CHANGES = [
    *[(entry, "kit_edition"), (edition, "kit_edition"), (shelf_import, "kit_edition")],
    *[(sheet, "kit_sheet"), (hide, "office_entry"), (invite, "office_entry")],
    *[(join, "office_entry"), (role, "office_entry"), (take_out, "office_entry")],
    *[(password, "person"), (token, "office_entry"), (defaults, "crew"), (office, "job")],
    *[(put_away, "job"), (copied, "plan_version"), (deleted, "office_entry")],
    *[(job_import, "plan_version")],
]
BLOWS = {
    "killed": "perform pg_terminate_backend(pg_backend_pid());",
    "disk full": "raise exception 'could not extend file' using errcode = '53100';",
}


@pytest.fixture
def scene(make, crew, member, heron):
    with make.begin() as db:
        see_crew(db, crew[0])
        job = records.create_job(db, crew[0], Plan.model_validate(plans.HERON_SLIP), "x").id
    return Scene(make, crew, member, job)


def state(make, crew_id):
    """A digest of every table as the crew sees it."""
    with make() as db:
        see_crew(db, crew_id)
        names = db.scalars(
            text("select tablename from pg_tables where schemaname = 'public' order by 1")
        ).all()
        return {
            n: db.scalar(
                text(
                    f"select md5(coalesce(string_agg(md5(x::text), '' order by md5(x::text)), ''))"
                    f" from (select * from {n}) x"
                )
            )
            for n in names
            if n not in PASSING
        }


@pytest.fixture
def blow(make):
    """Sets a blow on a table that falls after what is written there; taken away at the end."""
    set_on = []

    def fall(table, body):
        set_on.append(table)
        with make.begin() as db:
            db.execute(
                text(
                    "create or replace function blow() returns trigger language plpgsql as"
                    f" $$ begin {body} return null; end $$"
                )
            )
            db.execute(
                text(
                    f"create trigger blow after insert or update or delete on {table}"
                    " for each statement execute function blow()"
                )
            )

    def rest():
        while set_on:
            with make.begin() as db:
                db.execute(text(f"drop trigger blow on {set_on.pop()}"))

    fall.rest = rest
    yield fall
    rest()


@pytest.mark.parametrize(("change", "table"), CHANGES, ids=[c.__name__ for c, _ in CHANGES])
def test_nothing_is_half_kept(scene, blow, change, table):
    before = state(scene.make, scene.crew[0])
    for kind, body in BLOWS.items():
        blow(table, body)
        answer = change(scene)
        blow.rest()
        assert answer.status_code == 503 and "Nothing was saved" in answer.text, answer.text[-400:]
        assert ("disk is full" in answer.text) == (kind == "disk full")
        assert "Traceback" not in answer.text and "could not extend" not in answer.text
        assert state(scene.make, scene.crew[0]) == before
    assert change(scene).status_code in (200, 303)
    assert state(scene.make, scene.crew[0]) != before


def test_a_plan_that_takes_too_long_is_said_and_not_saved(scene, monkeypatch):
    before = state(scene.make, scene.crew[0])
    monkeypatch.setattr("gumboot.core.design.LIMIT_S", -1.0)
    document = {**scene.document, "plan": worst()}
    answer = scene.planner.post(
        "/jobs/import", files={"file": ("job.json", json.dumps(document))}, follow_redirects=True
    )
    assert answer.status_code == 503 and "longer than" in answer.text, answer.text[-500:]
    monkeypatch.undo()
    assert state(scene.make, scene.crew[0]) == before


@pytest.mark.long
def test_the_worst_plan_that_can_be_saved_has_all_its_pages(scene):
    document = {**scene.document, "plan": worst(), "uid": str(uuid.uuid4())}
    answer = scene.planner.post("/jobs/import", files={"file": ("job.json", json.dumps(document))})
    assert answer.status_code == 303, answer.text[-500:]
    job = answer.headers["location"].rsplit("/", 1)[0]
    for page in ("size", "wall", "land", "set", "hand-over", "loads", "brief", "land/cut"):
        assert scene.planner.get(f"{job}/{page}").status_code == 200, page


def test_a_full_disk_of_the_web_server_is_said(scene, monkeypatch):
    """A large file is put by on disk while it comes in; the device here is always full."""

    class Full(tempfile.SpooledTemporaryFile):
        def rollover(self):
            super().rollover()
            self._file.close()
            self._file = os.fdopen(os.open("/dev/full", os.O_WRONLY), "wb", buffering=0)
            self._file.write(b"x")

    monkeypatch.setattr("starlette.formparsers.SpooledTemporaryFile", Full)
    before = state(scene.make, scene.crew[0])
    answer = upload(scene.planner, " " * 3_000_000)
    assert answer.status_code == 503 and "disk is full" in answer.text, answer.text[-400:]
    assert state(scene.make, scene.crew[0]) == before
