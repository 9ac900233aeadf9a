"""A walk along OWASP's ASVS 4.0.3 (clauses from memory): sessions, access, input, errors, as a
visitor meets them. The clause stands in each test's name.
"""

import math
import re

import pytest
from fastapi.testclient import TestClient

from gumboot.demo import scenario
from gumboot.web.app import create_app
from gumboot.web.config import Config
from gumboot.web.people.passwords import LEAST, MOST, weak
from tests.web.conftest import PASSWORD, Member
from tests.web.test_crews import ROLES, filled, routes

NEW = "nine-lanterns-over-basalt"


def cookie_line(answer):
    return next(v for v in answer.headers.get_list("set-cookie") if v.startswith("gumboot="))


# V2 passwords


def test_v2_1_1_at_least_twelve_characters_and_v2_1_2_at_least_64_permitted():
    assert LEAST >= 12 and MOST >= 64
    assert "at least 12" in weak("k3lp-an-vil") and weak("kelp anvil " * 6) == ""


def test_v2_1_3_not_cut_off_and_v2_1_4_any_character(member):
    """A password of 90 characters with blanks and signs of any script; its first 89 are not it."""
    boss = member("supervisor")
    odd = ("кельп и якорь 🥾 über Granit, " * 4)[:90]
    both = {"new_password": odd, "again_password": odd}
    assert boss.post("/account/password", {"old_password": PASSWORD, **both}).status_code == 303
    assert Member(boss.app, boss.email, odd[:-1]).answer.status_code == 401
    assert Member(boss.app, boss.email, odd).answer.status_code == 303


def test_v2_1_6_a_change_asks_for_the_present_one(member):
    boss = member("supervisor")
    both = {"new_password": NEW, "again_password": NEW}
    assert boss.post("/account/password", {"old_password": "x", **both}).status_code == 422


@pytest.mark.parametrize("common", ["passwordpassword", "123456789012", "qwertyuiopas"])
def test_v2_1_7_common_ones_are_refused(common):
    assert weak(common)


def test_v2_1_11_pasting_and_keepers_of_passwords_are_welcome(nobody):
    page = nobody.get("/sign-in").text
    assert 'autocomplete="current-password"' in page and "onpaste" not in page


# V3 sessions


@pytest.fixture
def nobody(app):
    return TestClient(app, follow_redirects=False, raise_server_exceptions=False)


def test_v3_1_1_no_token_in_an_address(member):
    boss = member("supervisor")
    token = boss.http.cookies["gumboot"]
    for path in ("/jobs", "/account", "/people"):
        assert token not in boss.get(path).text
    assert token not in boss.answer.headers["location"]


def test_v3_2_1_a_new_token_at_each_sign_in_and_v3_2_2_of_64_bits(app, crew):
    tokens = {Member(app, crew[1]["planner"]).http.cookies["gumboot"] for _ in range(4)}
    assert len(tokens) == 4
    for token in tokens:  # by its alphabet: at least 64 bits, were each sign drawn
        assert len(token) * math.log2(len(set(token))) >= 64 and len(token) >= 32


def test_v3_3_1_signing_out_ends_it_on_the_server(app, member):
    boss = member("supervisor")
    kept = dict(boss.http.cookies)
    boss.post("/sign-out")
    late = TestClient(app, cookies=kept, follow_redirects=False)
    assert late.get("/jobs").status_code == 303


def test_v3_3_2_it_ends_unused_and_in_all():
    from gumboot.web.people.visit import LONGEST

    assert Config(database_url="x").session_minutes <= 12 * 60 and LONGEST.days <= 30


def test_v3_3_3_a_changed_password_ends_the_others_and_v3_3_4_sessions_are_seen_and_ended(member):
    here, there = member("supervisor"), member("supervisor")
    assert len(here.get("/account.json").json()["sign_ins"]) == 2
    both = {"new_password": NEW, "again_password": NEW}
    here.post("/account/password", {"old_password": PASSWORD, **both})
    assert there.get("/jobs").status_code == 303 and here.get("/jobs").status_code == 200


def test_v3_4_1_to_3_the_cookie_is_secure_httponly_and_same_site(url):
    app = create_app(Config(database_url=url, secure_cookies=True))
    with TestClient(app, base_url="https://testserver", follow_redirects=False) as http:
        data = {"email": "planner@demo.example", "password": scenario.PASSWORD}
        answer = http.post("/sign-in", data=data)
        line = cookie_line(answer).lower()
    assert "secure" in line and "httponly" in line and "samesite=lax" in line and "path=/" in line
    assert answer.headers["strict-transport-security"]  # V14.4.5


# V4 access


def test_v4_1_1_what_a_role_may_is_decided_on_the_server(app, crew, member, new_job, heron):
    """Every change a role may not do is refused, whatever the page shows."""
    hand, job = member("installer"), 1
    tried = 0
    for path, may in ROLES.items():
        if "installer" not in may and "{job_id}" not in path:
            answer = hand.post(filled(path, job), {"x": "y"})
            assert answer.status_code in (403, 404), (path, answer.status_code)
            tried += 1
    assert hand.post("/people/invite", {"name": "Bo", "role": "planner"}).status_code == 403
    assert hand.post("/tokens", {"name": "x", "scope": "write"}).status_code in (403, 303)


def test_v4_1_2_what_says_who_one_is_cannot_be_sent(app, crew, member, make):
    """Fields that name a role, a crew or a person are not read from a form."""
    hand = member("installer")
    hand.post("/account/password", {"role": "supervisor", "crew_id": "1", "old_password": "x"})
    hand.post("/jobs/new", {"role": "supervisor", "who": "Somebody", "crew_id": "1"})
    assert hand.get("/people").status_code in (200, 403)
    assert hand.post("/people/invite", {"name": "Bo"}).status_code == 403


def test_v4_2_1_another_crews_things_do_not_exist(planner, member):
    theirs = planner.get("/jobs.json").json()["jobs"][0]["id"]
    mine = member("supervisor")
    for path in ("size", "hand-over", "export.json", "sheet", "editions"):
        assert mine.get(f"/jobs/{theirs}/{path}").status_code == 404


def test_v4_2_2_every_change_wants_a_token_of_its_own_page(app, member):
    boss = member("supervisor")
    for method, path in routes(app):
        if method == "POST" and path in ("/people/invite", "/tokens", "/defaults", "/shelf/import"):
            assert boss.http.post(path, data={"csrf": "guessed"}).status_code == 403, path


# V5 input and output


def test_v5_1_2_fields_nobody_asked_for_change_nothing(member, make):
    boss = member("supervisor")
    before = boss.get("/people.json").json()
    boss.post("/defaults", {"units": "si", "role": "x", "crew_id": "1", "email": "a@b.example"})
    assert boss.get("/people.json").json()["people"] == before["people"]


@pytest.mark.parametrize("to", ["https://evil.example", "//evil.example", "/\\evil.example"])
def test_v5_1_5_a_sign_in_leads_nowhere_else(app, crew, to):
    http = TestClient(app, follow_redirects=False)
    data = {"email": crew[1]["planner"], "password": PASSWORD, "next": to}
    assert http.post("/sign-in", data=data).headers["location"].startswith("/")
    assert "evil" not in http.post("/sign-in", data=data).headers["location"]


def test_v5_3_3_what_is_typed_comes_back_as_text(member):
    boss = member("supervisor")
    page = boss.post(
        "/people/invite", {"name": "<script>alert(1)</script>", "role": "planner"}
    ).text
    assert "<script>alert(1)" not in page and "&lt;script&gt;" in page


@pytest.mark.parametrize("words", ["' or 1=1 --", "%' union select 1 --", "\\", "%", "_"])
def test_v5_3_4_what_is_searched_is_a_parameter(member, words):
    boss = member("supervisor")
    answer = boss.get("/jobs.json", params={"q": words})
    assert answer.status_code == 200 and answer.json()["jobs"] == []


def test_v5_5_2_xml_reads_no_entity_of_anybodys(member, new_job):
    """An entity of a file, and one that grows without end, are refused."""
    from io import BytesIO

    from gumboot.imports import espi
    from gumboot.imports.interval import Unreadable

    for evil in (
        '<!DOCTYPE f [<!ENTITY x SYSTEM "file:///etc/hostname">]><feed>&x;</feed>',
        '<!DOCTYPE f [<!ENTITY a "aaaa"><!ENTITY b "&a;&a;&a;">]><feed>&b;</feed>',
    ):
        with pytest.raises(Unreadable):
            espi.read_espi(BytesIO(evil.encode()), "UTC", 0.0)


# V7 errors and logs, V8 data


def test_v7_1_1_no_password_or_token_in_a_log(app, crew, caplog):
    caplog.set_level("DEBUG")
    boss = Member(app, crew[1]["supervisor"])
    boss.get("/account")
    Member(app, crew[1]["supervisor"], "wrong-" + NEW)
    said = caplog.text
    assert PASSWORD not in said and NEW not in said and boss.http.cookies["gumboot"] not in said


def test_v7_4_1_a_fault_says_nothing_of_the_inside(app, member, monkeypatch):
    def broken(*a, **k):
        raise RuntimeError("secret of the house")

    monkeypatch.setattr("gumboot.web.job.listing.refresh", broken)
    answer = member("supervisor").get("/jobs")
    assert answer.status_code == 500 and "secret of the house" not in answer.text
    assert "An error on our side" in answer.text


def test_v8_2_1_pages_are_not_kept_by_caches(member):
    boss = member("supervisor")
    for path in ("/jobs", "/account", "/jobs.json"):
        assert boss.get(path).headers["cache-control"] == "no-store"


def test_v8_3_1_secrets_travel_in_bodies(app):
    """No form that asks for a password or a code sends it in an address."""
    for page in ("/sign-in", "/first-start"):
        text = TestClient(app).get(page).text
        for form in re.findall(r"<form[^>]*>.*?</form>", text, re.DOTALL):
            if 'type="password"' in form:
                assert 'method="post"' in form.split(">", 1)[0]


# V12 files, V14 headers


def test_v12_1_1_a_file_is_bounded_and_v12_5_1_of_a_kind(member):
    planner = member("planner")
    big = planner.post("/shelf/import", files={"file": ("a.json", b" " * 9_000_000)})
    assert big.status_code == 413
    odd = planner.post("/shelf/import", files={"file": ("a.json", b"\x7fELF\x00\x00")})
    assert odd.status_code == 422


def test_v12_3_1_a_files_name_leads_nowhere(member):
    planner = member("planner")
    answer = planner.post("/shelf/import", files={"file": ("../../etc/passwd", b"[]")})
    assert answer.status_code in (200, 303, 422) and "root:" not in answer.text


@pytest.mark.parametrize(
    ("name", "holds"),
    [
        ("content-security-policy", "default-src 'none'"),  # V14.4.3
        ("x-content-type-options", "nosniff"),  # V14.4.4
        ("referrer-policy", "same-origin"),  # V14.4.6
        ("content-security-policy", "frame-ancestors 'none'"),  # V14.4.7
        ("content-type", "charset=utf-8"),  # V14.4.1
    ],
)
def test_v14_4_headers(nobody, name, holds):
    assert holds in nobody.get("/sign-in").headers[name].lower()


@pytest.mark.parametrize("method", ["PUT", "DELETE", "PATCH", "OPTIONS", "TRACE"])
def test_v14_5_1_other_methods_are_refused(member, method):
    boss = member("supervisor")
    assert boss.http.request(method, "/jobs").status_code == 405


def test_v14_5_3_no_other_origin_is_let_in(member):
    boss = member("supervisor")
    answer = boss.http.get("/jobs.json", headers={"origin": "https://evil.example"})
    assert "access-control-allow-origin" not in answer.headers
