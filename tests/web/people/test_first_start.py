"""From an empty database to a crew with its first supervisor."""

import threading

import pytest
from fastapi.testclient import TestClient
from sqlalchemy import text

from gumboot.store import database
from gumboot.web.app import create_app
from gumboot.web.config import Config
from gumboot.web.people.first_start import new_code

TYPED = {
    "crew": "Sandpiper crew",
    "name": "Ada Loftus",
    "email": "ada@sandpiper.example",
    "password": "kelp-anvil-thirty-otters",
    "again_password": "kelp-anvil-thirty-otters",
}


@pytest.fixture
def empty(fresh_database):
    url = fresh_database("first")
    engine = database.ready(url)
    make = database.sessions(engine)
    app = create_app(Config(database_url=url))
    with TestClient(app, follow_redirects=False) as http:
        yield app, http, make
    engine.dispose()


def test_an_empty_database_shows_one_page_and_a_code_makes_the_crew(empty):
    app, http, make = empty
    assert http.get("/jobs").headers["location"] == "/sign-in"
    assert http.get("/sign-in").headers["location"] == "/first-start"
    code = new_code(make)
    assert "First start" in http.get("/first-start").text
    wrong = http.post("/first-start", data={**TYPED, "code": "0000-0000-0000-0000"})
    assert wrong.status_code == 422 and "printed when it started" in wrong.text
    assert "Sandpiper crew" in wrong.text and TYPED["password"] not in wrong.text
    made = http.post("/first-start", data={**TYPED, "code": code.upper()})
    assert made.headers["location"] == "/account/second?asked=1"
    assert http.get("/jobs").status_code == 200
    assert http.get("/first-start").status_code == 303
    assert http.post("/first-start", data={**TYPED, "code": code}).status_code == 303
    assert new_code(make) == ""
    again = TestClient(app, follow_redirects=False)
    answer = again.post("/sign-in", data={k: TYPED[k] for k in ("email", "password")})
    assert answer.status_code == 303
    assert "made the crew Sandpiper crew" in http.get("/office").text


@pytest.mark.long
def test_a_newer_code_takes_the_place_of_an_older(empty):
    _, http, make = empty
    old, new = new_code(make), new_code(make)
    assert http.post("/first-start", data={**TYPED, "code": old}).status_code == 422
    assert http.post("/first-start", data={**TYPED, "code": new}).status_code == 303


def test_many_at_once_make_one_crew(empty):
    app, _, make = empty
    code = new_code(make)
    answers = []

    def go():
        http = TestClient(app, follow_redirects=False)
        answers.append(http.post("/first-start", data={**TYPED, "code": code}).headers["location"])

    threads = [threading.Thread(target=go) for _ in range(6)]
    for t in threads:
        t.start()
    for t in threads:
        t.join()
    assert answers.count("/account/second?asked=1") == 1
    with make() as db:
        assert db.execute(text("select count(*) from crew")).scalar() == 1


def test_codes_are_guessed_slowly(empty):
    _, http, make = empty
    code = new_code(make)
    for _ in range(6):
        last = http.post("/first-start", data={**TYPED, "code": "ffff-0000-ffff-0000"})
    assert "too many tries" in last.text.lower()
    late = http.post("/first-start", data={**TYPED, "code": code})
    assert late.status_code == 422
