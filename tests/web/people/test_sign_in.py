"""Signing in: slowed, kept on the server, and an expired session loses nothing typed."""

import base64
import re
from datetime import UTC, datetime, timedelta

import pytest
from fastapi.testclient import TestClient
from sqlalchemy import delete, update

from gumboot.demo import scenario
from gumboot.store.models import FailedSignIn, SignIn
from gumboot.web.app import most_bytes
from gumboot.web.people.mask import is_of, masked
from tests.conftest import Person


def unmasked(shown):
    """The session's token behind what a page shows."""
    both = base64.urlsafe_b64decode(shown)
    half = len(both) // 2
    return bytes(a ^ b for a, b in zip(both[:half], both[half:], strict=True)).decode()


def test_a_token_looks_different_in_every_page_and_means_the_same(planner):
    """So that compression gives nothing of it away; cut short or altered it is refused."""
    first, second = (
        planner.get("/jobs").text.split('name="csrf" value="')[1].split('"')[0] for _ in range(2)
    )
    assert first != second and unmasked(first) == unmasked(second)
    token = unmasked(first)
    assert is_of(first, token) and is_of(second, token) and is_of(masked(token), token)
    for wrong in ("", token, first[:-4], "A" * len(first), first[4:], "ü", masked(token + "x")):
        assert not is_of(wrong, token)


@pytest.mark.parametrize("path", ["/jobs", "/jobs.json", "/static/app.js", "/static/gumboot.css"])
def test_pages_and_scripts_go_compressed(planner, path):
    plain = planner.get(path, headers={"accept-encoding": "identity"})
    packed = planner.get(path, headers={"accept-encoding": "gzip"})
    assert packed.headers["content-encoding"] == "gzip" and "content-encoding" not in plain.headers
    assert "accept-encoding" in packed.headers["vary"].lower()
    assert (
        "content-encoding"
        not in planner.get("/static/boot-192.png", headers={"accept-encoding": "gzip"}).headers
    )


@pytest.fixture
def http(app, make):
    with make.begin() as db:
        db.execute(delete(FailedSignIn))
    yield TestClient(app, follow_redirects=False)
    with make.begin() as db:
        db.execute(delete(FailedSignIn))


def attempt(http, password, email="planner@demo.example"):
    return http.post("/sign-in", data={"email": email, "password": password})


def test_wrong_password_and_unknown_address_read_alike(http):
    wrong, unknown = attempt(http, "no"), attempt(http, "no", "nobody@demo.example")
    assert wrong.status_code == unknown.status_code == 401
    strip = lambda a: re.sub(r'value="[^"]*"', "", a.text)  # noqa: E731
    assert strip(wrong) == strip(unknown)


def test_attempts_are_slowed_and_the_wait_is_said(http):
    assert [attempt(http, "no").status_code for _ in range(5)] == [401] * 5
    slowed = attempt(http, scenario.PASSWORD)
    assert slowed.status_code == 429 and re.search(r"Wait \d+ seconds", slowed.text)
    assert attempt(http, scenario.PASSWORD, "installer@demo.example").status_code == 303


def test_the_wait_ends(http, make):
    for _ in range(5):
        attempt(http, "no")
    with make.begin() as db:
        db.execute(update(FailedSignIn).values(at=datetime.now(UTC) - timedelta(seconds=301)))
    assert attempt(http, scenario.PASSWORD).status_code == 303


def test_the_cookie_is_closed_to_scripts_and_sign_out_ends_it_on_the_server(app, http):
    answer = attempt(http, scenario.PASSWORD)
    cookie = answer.headers["set-cookie"].lower()
    assert "httponly" in cookie and "samesite=lax" in cookie
    person = Person(app, "planner@demo.example")
    token = dict(person.http.cookies)
    person.post("/sign-out")
    again = TestClient(app, cookies=token, follow_redirects=False)
    assert again.get("/jobs").status_code == 303


def test_passwords_and_tokens_are_not_kept_in_the_clear(app, make, http):
    from sqlalchemy import text

    attempt(http, scenario.PASSWORD)
    token = http.cookies["gumboot"]
    with make() as db:
        kept = str(db.execute(text("select * from person")).all()) + str(
            db.execute(text("select * from sign_in")).all()
        )
    assert scenario.PASSWORD not in kept and token not in kept and "$argon2id$" in kept


def test_what_was_typed_is_still_there_after_signing_in_again(app, make):
    """The session runs out between opening the page and sending the form."""
    person = Person(app, "planner@demo.example")
    with make.begin() as db:
        db.execute(
            update(SignIn)
            .where(SignIn.csrf == unmasked(person.csrf))
            .values(expires_at=datetime.now(UTC) - timedelta(seconds=1))
        )
    typed = {
        "name": 'my "best" <driver>',
        "serial": "K-77",
        "least": "1 Nm",
        "most": "6 Nm",
        "calibrated_until": "2030-01-01",
    }
    lost = person.post("/wrenches", typed)
    assert lost.status_code == 401 and "what you typed is kept" in lost.text
    hidden = dict(re.findall(r'type="hidden" name="([^"]+)" value="([^"]*)"', lost.text))
    assert (
        hidden["pending_path"] == "/wrenches"
        and hidden["pending.serial"] == "K-77"
        and "pending.csrf" not in hidden
    )
    import html

    http = TestClient(app, follow_redirects=False)
    back = http.post(
        "/sign-in",
        data={
            "email": "planner@demo.example",
            "password": scenario.PASSWORD,
            **{k: html.unescape(v) for k, v in hidden.items()},
        },
    )
    assert back.status_code == 200 and "Send what I typed" in back.text
    fields = {
        k: html.unescape(v)
        for k, v in re.findall(r'type="hidden" name="([^"]+)" value="([^"]*)"', back.text)
    }
    assert http.post("/wrenches", data=fields).status_code == 303
    assert 'my "best" <driver>' in {
        w["name"] for w in http.get("/wrenches.json").json()["wrenches"]
    }


def test_a_field_of_any_name_is_carried_on_but_no_secret(http):
    """The brief has a field “code”, the code book: it was dropped as if it were a second factor."""
    lost = http.post("/jobs/1/brief", data={"code": "nec-2023", "csrf": "x", "new_password": "y"})
    hidden = dict(re.findall(r'type="hidden" name="([^"]+)" value="([^"]*)"', lost.text))
    assert hidden["pending.code"] == "nec-2023" and "pending.new_password" not in hidden
    secret = http.post("/account/second", data={"code": "123456"})
    assert secret.status_code == 401 and "123456" not in secret.text


def test_a_stale_session_is_no_session(app, make):
    person = Person(app, "planner@demo.example")
    with make.begin() as db:
        db.execute(
            update(SignIn)
            .where(SignIn.csrf == unmasked(person.csrf))
            .values(expires_at=datetime.now(UTC) - timedelta(seconds=1))
        )
    assert person.get("/jobs").headers["location"] == "/sign-in"
    assert person.get("/jobs.json").status_code == 401


@pytest.mark.parametrize(
    "next_path", ["//evil.example", "https://evil.example", "/\\evil.example", "jobs"]
)
def test_sign_in_leads_nowhere_else(http, next_path):
    answer = http.post(
        "/sign-in",
        data={"email": "planner@demo.example", "password": scenario.PASSWORD, "next": next_path},
    )
    assert answer.headers["location"] == "/jobs"


def test_every_answer_carries_a_strict_policy(http):
    policy = http.get("/sign-in").headers["content-security-policy"]
    assert (
        "default-src 'none'" in policy
        and "unsafe" not in policy
        and "frame-ancestors 'none'" in policy
    )
    assert http.get("/static/app.js").headers["x-content-type-options"] == "nosniff"


def test_too_much_is_refused(planner):
    answer = planner.post("/jobs/1/set", files={"file": ("big.json", b"x" * 8_200_000)})
    assert answer.status_code == 413 and "At most 8 MB" in answer.text
    assert (
        most_bytes("/jobs/7/readings")
        == most_bytes("/jobs/7/photos")
        == most_bytes("/jobs/import")
        == 130_000_000
    )
    assert "Traceback" not in answer.text


def test_a_panel_asks_for_sign_in_and_a_fields_echo_stays_silent(app):
    http = TestClient(
        app,
        follow_redirects=False,
        headers={"hx-request": "true", "hx-current-url": "http://x/jobs/1/size?at=1"},
    )
    panel = http.get("/jobs/1/size/working?at=grid-1")
    assert panel.status_code == 401 and panel.headers["hx-redirect"] == "/sign-in?next=/jobs/1/size"
    echo = http.get("/units?kind=length&x=3")
    assert echo.status_code == 401 and "hx-redirect" not in echo.headers
