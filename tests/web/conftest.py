"""Crews of the tests' own, so that taking people out harms nobody else's tests."""

from __future__ import annotations

import re
import uuid

import pytest
from fastapi.testclient import TestClient
from sqlalchemy import select

from gumboot.store.database import see_crew
from gumboot.store.models import Crew, Person
from gumboot.web.people.passwords import hashed

PASSWORD = "kelp-anvil-thirty-otters"


class Member:
    """Somebody of a crew made for one test, signed in."""

    def __init__(self, app, email, password=PASSWORD, **headers):
        self.app, self.email = app, email
        self.http = TestClient(
            app, follow_redirects=False, raise_server_exceptions=False, headers=headers
        )
        self.answer = self.http.post("/sign-in", data={"email": email, "password": password})

    def get(self, path, **kwargs):
        return self.http.get(path, **kwargs)

    def post(self, path, data=None, **kwargs):
        page = self.http.get("/account").text
        found = re.search(r'name="csrf" value="([^"]+)"', page)
        csrf = found[1] if found else ""
        return self.http.post(path, data={"csrf": csrf, **(data or {})}, **kwargs)


@pytest.fixture
def crew(app, make):
    """(crew's number, {role: e-mail}) of a new crew of three, and somebody to sign in."""
    tag = uuid.uuid4().hex[:8]
    secret = hashed(PASSWORD)
    with make.begin() as db:
        made = Crew(name=f"Crew {tag}", second_asked="nobody")
        db.add(made)
        db.flush()
        see_crew(db, made.id)
        mails = {r: f"{r}@{tag}.example" for r in ("planner", "installer", "supervisor")}
        for role, mail in mails.items():
            db.add(
                Person(
                    crew_id=made.id,
                    name=f"{role.title()} {tag}",
                    email=mail,
                    role=role,
                    password_hash=secret,
                )
            )
    return made.id, mails


@pytest.fixture
def member(app, crew):
    """Signs somebody of the crew in by role."""
    return lambda role, **headers: Member(app, crew[1][role], **headers)


def number_of(make, email):
    """The number of who has not left under an e-mail."""
    with make() as db:
        return db.scalar(select(Person.id).where(Person.email == email, Person.left_at.is_(None)))
