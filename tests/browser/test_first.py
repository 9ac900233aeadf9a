"""From nothing to the first one-line drawing in at most six answers, for each kind of system."""

import re

import pytest

from tests.browser.test_typing import field, put

MOST = 6  # answers that a person gives; ten were asked for
WHERE = {"name": "Redshank Row", "place": "Oregon"}
ANSWERS = {
    "pv": {**WHERE, "modules": "12", "array_m": "40 ft"},
    "beside": {**WHERE, "place": "Dublin, Ireland", "existing_w": "3.6 kW", "packs": "2"},
    "battery": {**WHERE, "outage": "essential board"},
    "off-grid": {**WHERE, "modules": "8", "array_m": "25 ft", "packs": "2"},
    "off-grid-generator": {**WHERE, "generator_w": "9 kW", "modules": "10", "array_m": "30 ft"},
}


def answer(page, path, text):
    """One answer, and the wait for what it brings."""
    if field(page, path).evaluate("e => e.tagName") == "SELECT":
        with page.expect_response(lambda r: r.request.method == "POST"):
            field(page, path).select_option(text)
        page.locator(".htmx-request, .htmx-settling").first.wait_for(state="detached")
    else:
        put(page, path, text)


def choose(page, kind):
    with page.expect_response(lambda r: r.request.method == "POST"):
        page.locator(f"#kind-{kind}").check()
    page.locator(".htmx-request, .htmx-settling").first.wait_for(state="detached")


@pytest.mark.xdist_group("browser")
@pytest.mark.parametrize("kind", ANSWERS)
def test_a_first_drawing_within_six_answers(visit, kind):
    page = visit("planner")
    page.goto("/jobs/new")
    given = dict(ANSWERS[kind])
    for path in ("name", "place"):
        answer(page, path, given.pop(path))
    if kind != "pv":
        choose(page, kind)
    for path, text in given.items():
        answer(page, path, text)
    assert len(ANSWERS[kind]) + (kind != "pv") <= MOST
    page.get_by_role("button", name="Draw it").click()
    page.wait_for_url(re.compile(r"/jobs/\d+/size"))
    drawing = page.locator(".one-line svg").text_content()
    assert "Redshank Row" in drawing and "Inverter" in drawing
    stops = page.locator(".finding.stop").all_inner_texts()
    assert all("the length of this run is not known" in s for s in stops), stops
    assert page.get_by_role("heading", name="Still to know").is_visible()


@pytest.mark.xdist_group("browser")
def test_a_place_brings_its_book_and_what_was_typed_stays(visit):
    page = visit("planner")
    page.goto("/jobs/new")
    field(page, "name").fill("Knot End")
    answer(page, "place", "Lisbon, Portugal")
    assert field(page, "code").input_value() == "iec-60364"
    assert field(page, "units").input_value() == "si"
    assert field(page, "inverter").input_value() == "marram-h6"
    answer(page, "supply", "three-phase 400/230 V")
    assert field(page, "inverter").input_value() == "marram-t10"
    answer(page, "code", "nec-2023")
    assert field(page, "units").input_value() == "us"
    assert field(page, "name").input_value() == "Knot End"
    # Typing goes on while the form is asked anew: nothing of it is lost.
    field(page, "code").select_option("iec-60364")
    field(page, "name").fill("Knot End, typed meanwhile")
    page.locator('[name="units"] option:checked:text("N·m")').wait_for(state="attached")
    page.wait_for_function("document.querySelector('[name=units]').value === 'si'")
    assert field(page, "name").input_value() == "Knot End, typed meanwhile"
    # What was marked to be typed over stays marked when the form is asked anew.
    field(page, "name").select_text()
    with page.expect_response(lambda r: r.request.method == "POST"):
        field(page, "code").dispatch_event("change")
    page.locator(".htmx-request, .htmx-settling").first.wait_for(state="detached")
    page.keyboard.type("Knot End Two")
    assert field(page, "name").input_value() == "Knot End Two"


@pytest.mark.xdist_group("browser")
def test_first_answers_are_taken_up_where_they_were_left(visit):
    """With another kind of system chosen, whose fields the empty page does not have."""
    page = visit("planner")
    page.goto("/jobs/new")
    field(page, "name").fill("Half Said")
    answer(page, "place", "Oregon")
    choose(page, "beside")
    field(page, "existing_w").fill("4 kW")
    page.goto("/jobs")
    page.goto("/jobs/new")
    page.get_by_text("is back, and not yet saved").wait_for()
    assert page.locator("#kind-beside").is_checked()
    left = {"name": "Half Said", "place": "Oregon", "existing_w": "4 kW"}
    assert {k: field(page, k).input_value() for k in left} == left
    assert field(page, "supply").input_value() == "split-phase 120/240 V"


@pytest.mark.xdist_group("browser")
def test_what_size_asks_is_taken_up_where_it_was_left(visit):
    page = visit("planner")
    page.goto("/jobs/new")
    field(page, "name").fill("Half Asked")
    answer(page, "place", "Utah")
    page.get_by_role("button", name="Draw it").click()
    page.wait_for_url(re.compile(r"/jobs/\d+/size"))
    size = page.url
    field(page, "supply/main_breaker_a").fill("125 A")
    page.goto("/jobs")
    page.goto(size)
    page.locator("#open").get_by_text("is back, and not yet saved").wait_for()
    assert field(page, "supply/main_breaker_a").input_value() == "125 A"
    field(page, "supply/bus_a").fill("lots")
    page.get_by_role("button", name="Save what is typed").click()
    page.get_by_text("Not saved yet.").wait_for()
    assert field(page, "supply/main_breaker_a").input_value() == "125 A"
    field(page, "supply/bus_a").fill("200")
    page.get_by_role("button", name="Save the brief").click()
    page.wait_for_url(re.compile(r"/jobs/\d+/size"))
    assert not field(page, "supply/main_breaker_a").count()
    page.get_by_role("heading", name="Still to know").wait_for()
    assert not page.locator("#open").get_by_text("is back, and not yet saved").is_visible()
