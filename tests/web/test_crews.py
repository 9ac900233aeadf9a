"""A crew sees only its own jobs: every route of the application walked with another crew's
identifiers, and with none.
"""

import itertools
import json

import pytest

from gumboot.demo import scenario

BEFORE = {
    "/sign-in",
    "/sign-in/second",
    "/first-start",
    "/join/{token}",
    "/o/{token}/sign",
}  # nobody is known
OPEN = {
    *BEFORE,
    "/healthz",
    "/readyz",
    "/metrics",
    "/job-file.schema.json",
    "/shelf.schema.json",
    "/sw.js",
    "/offline",
    "/o/{token}",
    "/o/{token}/book.pdf",
}


def routes(app):
    """(method, path) of every route there is, from the application's own description of itself."""
    return [
        (method.upper(), path) for path, ways in app.openapi()["paths"].items() for method in ways
    ]


def filled(path, job_id):
    """An address with the numbers of the demo crew in it."""
    return path.replace("{job_id}", str(job_id)).replace("{person_id}", "1")


@pytest.fixture(scope="module")
def job_id(planner):
    return next(
        j["id"] for j in planner.get("/jobs.json").json()["jobs"] if j["name"] == "Tern Hollow"
    )


def secrets_of(planner, job_id):
    """Texts that only the owning crew may see."""
    text = planner.get(f"/jobs/{job_id}/export.json").text
    return ["Tern Hollow", json.loads(text)["uid"], "Ferry Lane", "Merrin Tarn", "Osk Fellgate"]


def test_there_are_routes_to_walk(app):
    walked = routes(app)
    assert len(walked) > 25 and sum("{job_id}" in p for _, p in walked) > 15


@pytest.mark.long
def test_another_crew_sees_nothing_and_changes_nothing(app, planner, stranger, job_id):
    theirs = stranger.get("/jobs.json").json()["jobs"]
    before = planner.get(f"/jobs/{job_id}/export.json").text
    hidden = secrets_of(planner, job_id)
    fields = {
        "finding": "pv-C.cold",
        "cure": "0",
        "version": "1",
        "circuit": "battery-2",
        "size": "2/0",
        "reason": "x",
        "termination": "factory.dc-link-1@inverter-1",
        "torque": "5",
        "digest": "x",
        "back": "/jobs",
    }
    for method, path in routes(app):
        if path == "/sign-out" or path in BEFORE:
            continue
        address = filled(path, job_id)
        answer = stranger.get(address) if method == "GET" else stranger.post(address, fields)
        assert not any(h in answer.text for h in hidden), (method, path)
        if "{job_id}" in path:
            assert answer.status_code == 404, (method, path, answer.status_code)
    assert planner.get(f"/jobs/{job_id}/export.json").text == before
    assert stranger.get("/jobs.json").json()["jobs"] == theirs
    assert job_id not in {j["id"] for j in theirs}


@pytest.mark.long
def test_nobody_sees_anything(app, planner, job_id):
    from fastapi.testclient import TestClient

    hidden = secrets_of(planner, job_id)
    nobody = TestClient(app, follow_redirects=False, raise_server_exceptions=False)
    for method, path in routes(app):
        if path in OPEN:
            continue
        answer = nobody.request(method, filled(path, job_id))
        assert answer.status_code in (303, 401), (method, path, answer.status_code)
        assert not any(h in answer.text for h in hidden)


def test_every_change_wants_the_csrf_token(app, supervisor, job_id):
    for method, path in routes(app):
        if method == "POST" and path not in BEFORE:
            answer = supervisor.http.post(
                filled(path, job_id), data={"csrf": "wrong", "finding": "x"}
            )
            assert answer.status_code == 403 and "reload it" in answer.text, path


@pytest.mark.parametrize(
    "number", ["0", "-1", "999999", "99999999999999999999", "abc", "1;drop", "1%00", "../1"]
)
def test_odd_job_numbers(supervisor, number):
    answer = supervisor.get(f"/jobs/{number}/size")
    assert answer.status_code in (404, 303) and "Traceback" not in answer.text


ROLES = {  # who may do what: common practice of crews
    "/jobs/{job_id}/cure": {"planner", "supervisor"},
    "/jobs/{job_id}/fit": {"planner", "supervisor"},
    "/jobs/{job_id}/brief": {"planner", "supervisor"},
    "/jobs/{job_id}/set": {"planner", "supervisor"},
    "/jobs/{job_id}/set/key": {"installer", "supervisor"},
    "/jobs/{job_id}/set/read": {"planner", "installer", "supervisor"},
    "/jobs/{job_id}/set/limits": {"planner", "installer", "supervisor"},
    "/jobs/{job_id}/set/explain": {"planner", "installer", "supervisor"},
    "/jobs/{job_id}/set/write": {"planner", "supervisor"},
    "/jobs/{job_id}/strings": {"planner", "supervisor"},
    "/jobs/{job_id}/land": {"installer", "supervisor"},
    "/jobs/{job_id}/land/school": {"planner", "supervisor"},
    "/jobs/{job_id}/land/settle": {"installer", "supervisor"},
    "/jobs/{job_id}/land/cut/remnant": {"planner", "supervisor"},
    "/jobs/{job_id}/land/cut/prepared": {"installer", "supervisor"},
    "/jobs/{job_id}/land/readings": {"installer", "supervisor"},
    "/jobs/{job_id}/land/readings/ask": {"installer", "supervisor"},
    "/jobs/{job_id}/land/readings/keep": {"installer", "supervisor"},
    "/jobs/{job_id}/link": {"installer", "supervisor"},
    "/jobs/{job_id}/link/ct": {"installer", "supervisor"},
    "/jobs/{job_id}/link/ct/anew": {"installer", "supervisor"},
    "/jobs/{job_id}/link/ct/live": {"installer", "supervisor"},
    "/jobs/{job_id}/link/ct/house": {"installer", "supervisor"},
    "/jobs/{job_id}/link/bms": {"installer", "supervisor"},
    "/jobs/{job_id}/wake": {"installer", "supervisor"},
    "/jobs/{job_id}/wake/rehearse": {"installer", "supervisor"},
    "/jobs/{job_id}/wake/order": {"planner", "supervisor"},
    "/jobs/{job_id}/link/network": {"planner", "supervisor"},
    "/jobs/{job_id}/log": {"installer", "supervisor"},
    "/jobs/{job_id}/log/photo": {"installer", "supervisor"},
    "/jobs/{job_id}/accept": {"supervisor"},
    "/jobs/{job_id}/sign": {"supervisor"},
    "/jobs/{job_id}/reopen": {"supervisor"},
    "/jobs/{job_id}/signature": {"installer", "supervisor"},
    "/jobs/{job_id}/share": {"planner", "installer", "supervisor"},
    "/jobs/{job_id}/delivery": {"installer", "supervisor"},
    "/jobs/{job_id}/as-built": {"installer", "supervisor"},
    "/jobs/{job_id}/after/visit": {"installer", "supervisor"},
    "/jobs/{job_id}/after/fault": {"installer", "supervisor"},
    "/jobs/{job_id}/after/replace": {"supervisor"},
    "/jobs/{job_id}/more": {"supervisor"},
    "/seal": {"supervisor"},
    "/seal/check": {"planner", "installer", "supervisor"},
    "/jobs/{job_id}/loads": {"planner", "supervisor"},
    "/jobs/{job_id}/year": {"planner", "supervisor"},
    "/jobs/{job_id}/year/work": {"planner", "supervisor"},
    "/jobs/{job_id}/survey": {"planner", "supervisor"},
    "/jobs/{job_id}/readings": {"planner", "supervisor"},
    "/jobs/{job_id}/readings/use": {"planner", "supervisor"},
    "/jobs/{job_id}/photos": {"planner", "installer", "supervisor"},
    "/jobs/{job_id}/photos/withdraw": {"planner", "installer", "supervisor"},
    "/jobs/{job_id}/wall": {"planner", "supervisor"},
    "/jobs/{job_id}/wall/describe": {"planner", "supervisor"},
    "/jobs/{job_id}/wall/try": {"planner", "installer", "supervisor"},
    "/jobs/{job_id}/wall/as-built": {"planner", "supervisor"},
    "/jobs/new": {"planner", "supervisor"},
    "/jobs/import": {"planner", "supervisor"},
    "/jobs/{job_id}/devices": {"planner", "supervisor"},
    "/jobs/{job_id}/safeguards": {"planner", "supervisor"},
    "/jobs/{job_id}/duty": {"planner", "installer", "supervisor"},
    "/wrenches": {"planner", "installer", "supervisor"},
    "/instruments": {"planner", "installer", "supervisor"},
    "/weights": {"supervisor"},
    "/jobs/{job_id}/set/sheet": {"planner", "supervisor"},
    "/jobs/{job_id}/set/profile": {"installer", "supervisor"},
    "/jobs/{job_id}/set/profile/word": {"planner", "supervisor"},
    "/jobs/{job_id}/prove": {"installer", "supervisor"},
    "/jobs/{job_id}/prove/walk": {"installer", "supervisor"},
    "/jobs/{job_id}/prove/decline": {"installer", "supervisor"},
    "/jobs/{job_id}/prove/curves": {"installer", "supervisor"},
    "/jobs/{job_id}/prove/heat": {"installer", "supervisor"},
    "/jobs/{job_id}/prove/tester": {"installer", "supervisor"},
    "/jobs/{job_id}/prove/why": {"installer", "supervisor"},
    "/jobs/{job_id}/prove/divider": {"planner", "installer", "supervisor"},
    "/account/password": {"planner", "installer", "supervisor"},
    "/account/sign-ins/end": {"planner", "installer", "supervisor"},
    "/account/second": {"planner", "installer", "supervisor"},
    "/account/second/codes": {"planner", "installer", "supervisor"},
    "/account/second/off": {"planner", "installer", "supervisor"},
    "/people/invite": {"supervisor"},
    "/people/invitations/withdraw": {"supervisor"},
    "/people/second": {"supervisor"},
    "/people/{person_id}/role": {"supervisor"},
    "/people/{person_id}/take-out": {"supervisor"},
    "/people/{person_id}/password": {"supervisor"},
    "/people/{person_id}/second/off": {"supervisor"},
    "/people/{person_id}/sign-ins/end": {"supervisor"},
    "/shelf/new/{kind}": {"planner", "supervisor"},
    "/shelf/draw/{kind}": {"planner", "installer", "supervisor"},
    "/shelf/{entry}": {"planner", "supervisor"},
    "/shelf/{entry}/hide": {"planner", "supervisor"},
    "/jobs/{job_id}/materials": {"planner", "supervisor"},
    "/shelf/{entry}/second": {"planner", "supervisor"},
    "/shelf/{entry}/sheets": {"planner", "supervisor"},
    "/shelf/{entry}/menu": {"planner", "supervisor"},
    "/shelf/{entry}/dbc": {"planner", "supervisor"},
    "/shelf/examples": {"planner", "supervisor"},
    "/shelf/import": {"planner", "supervisor"},
    "/shelf/modules/take": {"planner", "supervisor"},
    "/jobs/{job_id}/editions": {"planner", "supervisor"},
    "/defaults": {"planner", "supervisor"},
    "/tokens": {"supervisor"},
    "/tokens/end": {"supervisor"},
    "/jobs/{job_id}/office": {"planner", "supervisor"},
    "/jobs/{job_id}/copy": {"planner", "supervisor"},
    "/jobs/{job_id}/put-away": {"planner", "supervisor"},
    "/jobs/{job_id}/delete": {"supervisor"},
}


def test_roles_are_kept_on_every_change(app, planner, installer, supervisor, job_id):
    people = {"planner": planner, "installer": installer, "supervisor": supervisor}
    changes = {p for m, p in routes(app) if m == "POST"} - {*BEFORE, "/sign-out"}
    assert changes == set(ROLES)
    for path, role in itertools.product(changes, people):
        if role not in ROLES[path]:
            fields = {
                "circuit": "battery-2",
                "finding": "pv-C.cold",
                "cure": "0",
                "set": "1",
                **{k: str(v) for k, v in scenario.TERN_HOLLOW["supply"].items()},
            }
            answer = people[role].post(filled(path, job_id), fields)
            assert answer.status_code == 403, (path, role, answer.status_code)
            assert "This is for a" in answer.text
