"""From nothing to the first one-line drawing in at most ten answers, for each kind of system."""

import re

import pytest

from tests.browser.test_typing import field, put

MOST = 10
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
def test_a_first_drawing_within_ten_answers(visit, kind):
    page = visit("planner")
    page.goto("/jobs/new")
    given = dict(ANSWERS[kind])
    for path in ("name", "place"):
        answer(page, path, given.pop(path))
    if kind != "pv":
        choose(page, kind)
    for path, text in given.items():
        answer(page, path, text)
    assert len(ANSWERS[kind]) + 1 <= MOST
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
    page.get_by_text("the shelf has none for this supply").wait_for()
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
