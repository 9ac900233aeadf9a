"""A crew's own tools read and write by token; and what is counted and logged of every request."""

import json
import logging
import re

import pytest
from fastapi.testclient import TestClient
from prometheus_client.parser import text_string_to_metric_families

from gumboot.web import watching
from gumboot.web.app import create_app
from gumboot.web.config import Config
from tests.web.conftest import Member, number_of


def made(boss, scope="read", name="stock list"):
    page = boss.post("/tokens", {"name": name, "scope": scope})
    return re.search(r">(gb_[\w-]{40,})<", page.text)[1]


def tool(app, token):
    return TestClient(
        app,
        follow_redirects=False,
        raise_server_exceptions=False,
        headers={"authorization": f"Bearer {token}", "accept": "application/json"},
    )


def test_a_token_reads_its_crew_and_changes_nothing(app, member, planner):
    boss = member("supervisor")
    http = tool(app, made(boss))
    assert http.get("/jobs.json").json()["jobs"] == []
    assert http.get("/shelf.json").status_code == 200
    answer = http.post("/shelf/examples", data={"act": "hide"})
    assert answer.status_code == 403 and "only reads" in answer.json()["message"]
    theirs = planner.get("/jobs.json").json()["jobs"][0]["id"]
    assert http.get(f"/jobs/{theirs}/size.json").status_code == 404
    assert "stock list" in boss.get("/tokens").text


def test_a_token_that_writes_does_what_a_planner_may_and_no_more(app, member, new_job, heron):
    boss = member("supervisor")
    http = tool(app, made(boss, "write"))
    assert http.post("/shelf/examples", data={"act": "hide"}).status_code == 303
    assert http.post("/people/invite", data={"name": "x"}).status_code == 403
    assert http.post("/tokens", data={"name": "x", "scope": "write"}).status_code == 403
    assert "by token stock list" in boss.get("/office").text


def test_a_token_ends_at_once_and_with_who_made_it(app, make, crew, member):
    boss = member("supervisor")
    first, second = made(boss), made(boss, name="other")
    which = re.findall(r'name="which" value="(\w{16})"', boss.get("/tokens").text)
    for one in which[1:]:
        boss.post("/tokens/end", {"which": one})
    assert tool(app, first).get("/jobs.json").status_code == 401
    assert tool(app, second).get("/jobs.json").status_code == 200
    link = re.search(
        r"/join/([\w-]{20,})",
        boss.post("/people/invite", {"name": "Bo", "role": "supervisor"}).text,
    )
    TestClient(app).post(
        f"/join/{link[1]}",
        data={
            "name": "Bo",
            "email": f"bo@{crew[0]}.example",
            "password": "nine-lanterns-over-basalt",
            "again_password": "nine-lanterns-over-basalt",
        },
    )
    other = Member(app, f"bo@{crew[0]}.example", "nine-lanterns-over-basalt")
    other.post(f"/people/{number_of(make, boss.email)}/take-out")
    assert tool(app, second).get("/jobs.json").status_code == 401


@pytest.mark.parametrize("token", ["", "x", "gb_" + "a" * 43, "ü" * 5, "a" * 5000])
def test_a_token_that_is_none_is_refused(app, token):
    http = TestClient(app, follow_redirects=False)
    answer = http.get("/jobs.json", headers={"authorization": f"Bearer {token}".encode()})
    assert answer.status_code == 401


def test_what_a_tool_may_ask_is_described(app, member):
    boss = member("supervisor")
    document = boss.get("/openapi.json").json()
    assert document["openapi"].startswith("3.") and len(document["paths"]) > 60
    assert "/jobs/{job_id}/size.json" in document["paths"]
    assert not any(p.startswith(("/people", "/sign-in", "/tokens")) for p in document["paths"])
    http = tool(app, made(boss))
    for path, ways in document["paths"].items():
        if "get" in ways and "{" not in path:
            assert http.get(path).status_code in (200, 403), path


def test_counters_are_prometheus_own_and_not_public(url):
    app = create_app(Config(database_url=url, metrics_networks=("10.0.0.0/8",)))
    with TestClient(app, client=("10.1.2.3", 1)) as inside:
        inside.get("/healthz")
        inside.get("/sign-in")
        families = {f.name: f for f in text_string_to_metric_families(inside.get("/metrics").text)}
    counted = {s.labels["route"] for s in families["gumboot_requests"].samples}
    assert {"/healthz", "/sign-in"} <= counted
    assert families["gumboot_request_seconds"].type == "histogram"
    with TestClient(app, client=("192.0.2.7", 1)) as outside:
        assert outside.get("/metrics").status_code == 404


def test_a_request_is_one_line_of_json_without_personal_data(app, member, caplog):
    boss = member("supervisor")
    with caplog.at_level(logging.INFO, "gumboot.access"):
        answer = boss.get("/jobs?q=Wilhelmina")
    line = json.loads(watching.JsonLines().format(caplog.records[-1]))
    assert line["route"] == "/jobs" and line["status"] == 200 and line["ms"] > 0
    assert line["request"] == answer.headers["x-request-id"]
    assert {"crew", "person"} <= set(line) and "Wilhelmina" not in json.dumps(line)
    assert boss.email not in json.dumps(line)


def test_a_slow_request_is_named_with_its_plans_size(monkeypatch, planner, caplog):
    monkeypatch.setattr(watching, "SLOW_S", 0.0)
    job = planner.get("/jobs.json").json()["jobs"][0]["id"]
    with caplog.at_level(logging.INFO, "gumboot.access"):
        planner.get(f"/jobs/{job}/size")
    more = caplog.records[-1].more
    assert more["circuits"] >= 0 and more["job"] == job
    assert caplog.records[-1].levelname == "WARNING"


def test_a_tool_waits_for_a_pdf_by_its_location(app, member, make, crew, heron):
    """202 with where it will be, then the PDF; the document says so."""
    from gumboot.store import records
    from gumboot.store.database import see_crew
    from tests.conftest import ready

    with make.begin() as db:
        see_crew(db, crew[0])
        job = records.create_job(db, crew[0], heron, "x").id
    http = tool(app, made(member("supervisor")))
    first = http.get(f"/jobs/{job}/one-line.pdf")
    assert first.status_code == 202 and first.json()["ready"] is False
    assert first.headers["location"] == first.json()["at"] and first.headers["retry-after"] == "1"
    assert ready(http, first).content.startswith(b"%PDF")
    said = http.get("/openapi.json").json()["paths"]["/jobs/{job_id}/one-line.pdf"]["get"]
    assert "202" in said["responses"]
    assert http.get(f"/jobs/{job}/printed/none").status_code == 404
