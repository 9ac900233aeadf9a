"""The second factor, against RFC 6238's own values, and the recovery codes."""

import hashlib
import re
from datetime import UTC, datetime

import pyotp
import pytest
from fastapi.testclient import TestClient
from sqlalchemy import select, update

from gumboot.store.models import FailedSignIn, Person
from gumboot.web.people import second
from gumboot.web.people.passwords import weak
from tests.web.conftest import PASSWORD, Member, number_of

# RFC 6238, appendix B, SHA-1, eight digits: the last six are what six digits show.
RFC = [
    (59, "94287082"),
    (1111111109, "07081804"),
    (1111111111, "14050471"),
    (1234567890, "89005924"),
    (2000000000, "69279037"),
    (20000000000, "65353130"),
]


@pytest.mark.parametrize(("at", "code"), RFC)
def test_codes_are_those_of_the_standard(at, code, monkeypatch, make, crew):
    import base64

    secret = base64.b32encode(b"12345678901234567890").decode()
    assert pyotp.TOTP(secret, digits=8).at(at) == code

    class At(datetime):
        @classmethod
        def now(cls, tz=None):
            return datetime.fromtimestamp(at, tz)

    monkeypatch.setattr(second, "datetime", At)
    person = Person(id=1, crew_id=1, name="", role="", totp_secret=secret, totp_step=0)
    assert second.check(None, person, code[2:]) == "code"
    assert second.check(None, person, code[2:]) == ""  # each is taken once


def set_up(person):
    page = person.get("/account/second?asked=1").text
    secret = re.search(r"Type the secret: <span[^>]*>(\w+)<", page)[1]
    assert "<svg" in page and "otpauth://totp/" in page
    on = person.post("/account/second", {"code": pyotp.TOTP(secret).now()})
    assert on.status_code == 200
    return secret, re.findall(r"<li>([A-Z0-9-]{19})</li>", on.text)


def ahead(make, email):
    """As if half an hour had gone by since the last code."""
    with make.begin() as db:
        db.execute(update(Person).where(Person.email == email).values(totp_step=0))


def first_step(app, email, password=PASSWORD):
    http = TestClient(app, follow_redirects=False)
    answer = http.post("/sign-in", data={"email": email, "password": password})
    return http, answer


def second_step(http, page, code):
    csrf = re.search(r'name="csrf" value="([^"]+)"', page.text)[1]
    return http.post("/sign-in/second", data={"csrf": csrf, "code": code})


def test_with_a_second_factor_a_password_alone_does_not_sign_in(app, make, member):
    person = member("planner")
    secret, codes = set_up(person)
    assert len(set(codes)) == 10
    ahead(make, person.email)
    http, asked = first_step(app, person.email)
    assert asked.status_code == 200 and "six figures" in asked.text
    assert http.get("/jobs").status_code == 303 and http.get("/jobs.json").status_code == 401
    wrong = second_step(http, asked, "000000")
    assert wrong.status_code == 401 and "does not match" in wrong.text
    code = pyotp.TOTP(secret).now()
    assert second_step(http, asked, code).status_code == 303
    assert http.get("/jobs").status_code == 200
    again, asked = first_step(app, person.email)  # somebody who looked over the shoulder
    assert second_step(again, asked, code).status_code == 401


def test_a_recovery_code_serves_once(app, make, member):
    person = member("supervisor")
    _, codes = set_up(person)
    http, asked = first_step(app, person.email)
    assert second_step(http, asked, codes[3].lower()).status_code == 303
    other, asked = first_step(app, person.email)
    assert second_step(other, asked, codes[3]).status_code == 401
    assert http.get("/account.json").json()["recovery_codes"] == 9
    assert "9 are left" in http.get("/office").text


def test_new_codes_make_the_old_ones_worthless(app, make, member):
    person = member("supervisor")
    _, old = set_up(person)
    assert person.post("/account/second/codes", {"password": "no"}).status_code == 422
    new = person.post("/account/second/codes", {"password": PASSWORD})
    fresh = re.findall(r"<li>([A-Z0-9-]{19})</li>", new.text)
    assert len(fresh) == 10 and not set(fresh) & set(old)
    http, asked = first_step(app, person.email)
    assert second_step(http, asked, old[0]).status_code == 401
    assert second_step(http, asked, fresh[0]).status_code == 303


def test_codes_are_guessed_slowly(app, make, member):
    person = member("planner")
    set_up(person)
    http, asked = first_step(app, person.email)
    answers = [second_step(http, asked, f"{n:06}").status_code for n in range(6)]
    assert answers == [401] * 5 + [429]
    with make.begin() as db:
        db.query(FailedSignIn).delete()


def test_a_supervisor_takes_it_off_for_who_lost_phone_and_codes(app, make, crew, member):
    person, boss = member("planner"), member("supervisor")
    set_up(person)
    boss.post(f"/people/{number_of(make, person.email)}/second/off")
    assert person.get("/jobs").status_code == 303
    assert Member(app, person.email).answer.status_code == 303


def test_supervisors_are_asked_where_the_crew_says_so(app, member, crew):
    boss = member("supervisor")
    boss.post("/people/second", {"whom": "supervisor"})
    assert Member(app, boss.email).answer.headers["location"] == "/account/second?asked=1"
    assert Member(app, crew[1]["planner"]).answer.headers["location"] == "/jobs"
    boss.post("/people/second", {"whom": "everybody"})
    assert Member(app, crew[1]["planner"]).answer.headers["location"].startswith("/account/second")


def test_a_password_link_does_not_get_round_the_phone(app, make, crew, member):
    person, boss = member("planner"), member("supervisor")
    set_up(person)
    page = boss.post(f"/people/{number_of(make, person.email)}/password").text
    token = re.search(r"/join/([\w-]{20,})", page)[1]
    http = TestClient(app, follow_redirects=False)
    new = "nine-lanterns-over-basalt"
    answer = http.post(f"/join/{token}", data={"password": new, "again_password": new})
    assert answer.headers["location"] == "/sign-in" and http.get("/jobs").status_code == 303


def test_secrets_and_codes_are_kept_as_digests(make, member):
    person = member("planner")
    _, codes = set_up(person)
    with make() as db:
        kept = str(db.execute(select(second.RecoveryCode.code_hash)).all())
    plain = codes[0].replace("-", "")
    assert plain not in kept and hashlib.sha256(plain.encode()).hexdigest() in kept


@pytest.mark.parametrize(
    "poor", ["", "short", "aaaaaaaaaaaa", "password1234", "qwertyuiop12", "x" * 101]
)
def test_poor_passwords_are_refused_in_words(poor):
    says = weak(poor, ("Bo Reed", "bo@crew.example"))
    assert says and not re.search(r"[{}]|None", says)


def test_a_name_is_no_password():
    assert weak("wilhelmina-okonkwo", ("Wilhelmina Okonkwo", "")) and not weak(
        "kelp-anvil-thirty-otters", ("Bo", "")
    )


def test_the_clock_of_the_server_jumps_back(make, crew):
    """A code of an hour later was taken; after the clock is set right, today's codes serve."""
    secret = pyotp.random_base32()
    now = int(datetime.now(UTC).timestamp()) // 30
    person = Person(id=1, crew_id=1, name="", role="", totp_secret=secret, totp_step=now + 120)
    assert second.check(None, person, pyotp.TOTP(secret).now()) == "code"
