"""A week's page, its calendar file, what each day needs; and what the crew asks once."""

import re
from datetime import date

import pytest
from icalendar import Calendar

from tests.web.job.test_listing import three  # noqa: F401 - a fixture


@pytest.fixture
def planned(three, member):  # noqa: F811
    planner = member("planner")
    sent = {"stage": "ordered", "day": "2027-05-05", "note": "dry till noon; key at no. 3"}
    planner.post(f"/jobs/{three['Dunlin Yard']}/office", sent)
    return planner, three["Dunlin Yard"]


def test_a_week_shows_its_jobs_and_what_each_needs(planned):
    planner, _ = planned
    week = planner.get("/days.json", params={"day": "2027-05-07"}).json()
    assert week["monday"] == "2027-05-03" and len(week["days"]) == 7
    (found,) = week["days"][2]["jobs"]
    assert found["name"] == "Dunlin Yard" and found["note"].startswith("dry till noon")
    needs = {n["what"]: n["says"] for n in found["needs"]}
    assert {"Tools", "Bits", "Materials", "Hands", "Licence", "Stops"} <= set(needs)
    assert re.search(r"die .+ \(\d+ ends\)", needs["Tools"])
    assert "Marram" in needs["Accounts"] and "no account is named for any" in needs["Accounts"]
    planner.post("/defaults", {"accounts": "marram, Tidewell,, Tidewell"})
    planner.post("/defaults", {"units": "us"})  # what is not sent stays
    assert planner.get("/defaults.json").json()["accounts"] == ["marram", "Tidewell"]
    again = planner.get("/days.json", params={"day": "2027-05-07"}).json()["days"][2]["jobs"][0]
    said = {n["what"]: n["says"] for n in again["needs"]}
    assert "no account" not in said["Accounts"] and "roof" in said["Weather"]
    page = planner.get("/days?day=2027-05-03").text
    assert "Dunlin Yard" in page and "Wednesday" in page and "key at no. 3" in page
    assert "Dunlin Yard" not in planner.get("/days?day=2027-05-10").text


@pytest.mark.parametrize("day", ["", "soon", "9999-12-31", "0001-01-01", "2027-02-30"])
def test_what_is_no_day_shows_this_week(planned, day):
    planner, _ = planned
    week = planner.get("/days.json", params={"day": day}).json()
    monday = date.fromisoformat(week["monday"])
    assert monday.weekday() == 0 and abs((monday - date.today()).days) <= 8


def test_the_week_as_a_calendar_file(planned):
    """Read by icalendar itself: one whole day."""
    planner, _ = planned
    answer = planner.get("/days.ics", params={"day": "2027-05-05"})
    assert answer.headers["content-type"].startswith("text/calendar")
    (event,) = Calendar.from_ical(answer.content).walk("VEVENT")
    assert event.decoded("dtstart") == date(2027, 5, 5)
    assert event.decoded("dtend") == date(2027, 5, 6)
    assert str(event["summary"]) == "Dunlin Yard" and "key at no. 3" in str(event["description"])


def test_defaults_are_asked_once(member):
    planner = member("planner")
    sent = {"code": "iec-60364", "units": "si", "landing": "A", "recheck": "look", "labels": "none"}
    assert planner.post("/defaults", {**sent, "paper": "letter"}).status_code == 303
    chosen = planner.get("/defaults.json").json()["chosen"]
    assert (
        chosen["paper"] == "letter"
        and chosen["units"] == "si"
        and chosen["recheck"] == "look"
        and "labels" not in chosen
    )
    new = planner.get("/jobs/new.json").json()["typed"]
    assert (new["code"], new["units"]) == ("iec-60364", "si")
    first = {**new, "name": "Knot Row", "place": "Texas", "kind": "battery", "more": "fields"}
    page = planner.post("/jobs/new", first, headers={"HX-Trigger-Name": "place"}).text
    assert re.search(r'<option value="si" selected', page)  # the crew's own, wherever it is
    made = planner.post("/jobs/new", {**first, "more": "", "code": "nec-2023", "packs": "1"})
    assert made.status_code == 303, re.findall(r'class="fault"[^>]*>([^<]+)', made.text)
    plan = planner.get(made.headers["location"].replace("/size", "/export.json")).json()["plan"]
    assert plan["recheck"] == "look"
