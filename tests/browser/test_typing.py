"""Typing in any field, leaving it, adding rows and being interrupted never loses another field."""

import random
import re

import pytest

OWN = {
    "site/name": "Winnow Lane",
    "site/address": "3 Winnow Lane",
    "units": "us",
    "site/latitude_deg": "41.5",
    "site/longitude_deg": "-102.25",
    "site/altitude_m": "3900 ft",
    "site/zone": "America/Denver",
    "site/t_min_c": "-4 F",
    "site/t_roof_c": "97 F",
    "site/t_wall_c": "31 C",
    "supply/main_breaker_a": "150 A",
    "supply/bus_a": "200 A",
    "supply/backfeed": "elsewhere",
    "supply/load_breakers_a": "90 A",
    "kit/inverters": "2",
    "kit/packs": "4",
    "kit/takeoff": "diagonal",
    "kit/generator/power_w": "11 kW",
    "kit/generator/lands": "loads panel",
    "kit/generator/bonded": "yes",
    "kit/existing_pv/power_w": "3.8 kW",
    "kit/existing_pv/side": "grid side",
    "backup/loads": "whole house",
    "backup/board_a": "150 A",
    "strings/0/letter": "A",
    "strings/0/inverter": "1",
    "strings/0/tracker": "1",
    "strings/0/modules": "9",
    "strings/0/run/length_m": "21 ft",
    "strings/1/letter": "B",
    "strings/1/inverter": "2",
    "strings/1/tracker": "2",
    "strings/1/modules": "8",
    "strings/1/run/length_m": "22 m",
    "runs/battery/length_m": "7 ft",
    "runs/pack/length_m": "4 ft",
    "runs/grid/length_m": "19 ft",
    "runs/grid-feeder/length_m": "9 ft",
    "runs/backup/length_m": "12 ft",
    "runs/backup-feeder/length_m": "10 ft",
    "runs/changeover/length_m": "14 ft",
    "runs/loads/length_m": "8 ft",
    "runs/generator/length_m": "40 ft",
    "runs/existing-pv/length_m": "33 ft",
}
THIRD = {
    "strings/2/letter": "C",
    "strings/2/inverter": "1",
    "strings/2/tracker": "3",
    "strings/2/modules": "7",
    "strings/2/run/length_m": "30 ft",
}
RESHAPING = ("kit/inverters", "kit/generator/power_w", "kit/existing_pv/power_w", "backup/loads")


def field(page, path):
    return page.locator(f'[name="{path}"]:visible')


def put(page, path, text):
    """Type into a field and leave it, waiting for what the form then asks."""
    spot = field(page, path)
    if spot.evaluate("e => e.hasAttribute('hx-post')"):
        with page.expect_response(lambda r: r.request.method == "POST"):
            fill(spot, text)
            spot.evaluate("e => e.blur()")
        page.locator(".htmx-request, .htmx-settling").first.wait_for(state="detached")
    else:
        fill(spot, text)
        spot.evaluate("e => e.blur()")


def fill(spot, text):
    if spot.evaluate("e => e.tagName") == "SELECT":
        now = spot.input_value()
        spot.select_option(text)
        if now == text:
            spot.dispatch_event("change")
    else:
        spot.fill(text)


def blank(page):
    """A new job of two answers, and the address of its brief, which is open."""
    page.goto("/jobs/new")
    field(page, "name").fill("Blank Sheet")
    put(page, "place", "Colorado")
    with page.expect_response(lambda r: r.request.method == "POST"):
        field(page, "inverter").select_option("marram-s8")
    page.locator(".htmx-request, .htmx-settling").first.wait_for(state="detached")
    page.get_by_role("button", name="Draw it").click()
    page.wait_for_url(re.compile(r"/jobs/\d+/size"))
    brief = page.url.replace("/size", "/brief")
    page.goto(brief)
    return brief


def typed(page, paths):
    return {p: field(page, p).input_value() for p in paths}


@pytest.mark.xdist_group("browser")
@pytest.mark.parametrize("seed", [None, 3])
def test_a_whole_brief_field_by_field(visit, seed):
    page = visit("supervisor")
    blank(page)
    order = [p for p in OWN if p not in RESHAPING]
    first = list(RESHAPING)
    if seed is not None:
        random.Random(seed).shuffle(order)
    for path in first + order:
        put(page, path, OWN[path])
    assert typed(page, OWN) == OWN
    page.get_by_role("button", name="Another row").click()
    page.wait_for_load_state()
    assert typed(page, OWN) == OWN
    for path, text in THIRD.items():
        put(page, path, text)
    put(page, "site/altitude_m", "4000 ft")
    want = OWN | THIRD | {"site/altitude_m": "4000 ft"}
    assert typed(page, want) == want
    page.get_by_role("button", name="Save the brief").click()
    page.wait_for_url(re.compile(r"/jobs/\d+/size"))
    page.goto(page.url.split("?")[0].replace("/size", "/brief"))
    saved = typed(page, want)
    same = {"site/t_min_c": "-4 °F", "site/t_roof_c": "97 °F", "site/t_wall_c": "87.8 °F"}
    degrees = {"site/latitude_deg": "41.5°", "site/longitude_deg": "-102.25°"}
    metres = {"strings/1/run/length_m": "72.2 ft"}
    assert saved == want | same | degrees | metres


@pytest.mark.xdist_group("browser")
def test_what_another_choice_hides_comes_back_with_it(visit):
    page = visit("supervisor")
    blank(page)
    put(page, "supply/main_breaker_a", "125 A")
    put(page, "kit/existing_pv/power_w", "5 kW")
    put(page, "kit/existing_pv/side", "grid side")
    put(page, "supply/kind", "off-grid")
    assert not field(page, "supply/main_breaker_a").count()
    assert not field(page, "kit/existing_pv/side").count()  # off grid there is one side only
    put(page, "supply/kind", "split-phase 120/240 V")
    back = typed(page, ("supply/main_breaker_a", "kit/existing_pv/side"))
    assert back == {"supply/main_breaker_a": "125 A", "kit/existing_pv/side": "grid side"}


@pytest.mark.xdist_group("browser")
def test_a_closed_page_is_taken_up_where_it_was_left(visit):
    page = visit("supervisor")
    brief = blank(page)
    put(page, "site/name", "Half Typed")
    put(page, "kit/inverters", "2")
    put(page, "runs/grid-feeder/length_m", "9 ft")
    page.get_by_role("button", name="Another row").click()
    page.wait_for_load_state()
    put(page, "strings/2/letter", "C")
    page.goto("/jobs")
    page.goto(brief)
    page.get_by_text("is back, and not yet saved").wait_for()
    left = {"site/name": "Half Typed", "runs/grid-feeder/length_m": "9 ft", "strings/2/letter": "C"}
    assert typed(page, left) == left
    page.get_by_role("button", name="Discard it").click()
    page.wait_for_load_state()
    assert field(page, "site/name").input_value() == "Blank Sheet"


@pytest.mark.xdist_group("browser")
def test_a_unit_is_read_back_beside_the_field_it_was_typed_in(visit):
    page = visit("supervisor")
    blank(page)
    before = page.locator("[name]").count()
    put(page, "site/altitude_m", "3900 ft")
    page.locator("#asked .echo:text('= 1188')").wait_for()
    put(page, "units", "si")
    put(page, "site/altitude_m", "1200")
    page.locator("#asked .echo:text('= 3937')").wait_for()
    assert page.locator("[name]").count() == before


@pytest.mark.xdist_group("browser")
def test_every_long_form_is_taken_up_again(visit):
    """Load board, survey, year and menu: what was typed and not saved is there again."""
    page = visit("supervisor")
    page.goto("/jobs")
    page.get_by_role("link", name="Tern Hollow").first.click()
    page.wait_for_selector(".treads")
    job = re.search(r"/jobs/\d+", page.url)[0]
    for path, spot, text in (
        ("loads", "#load-1-name", "Another kettle"),
        ("survey", '[name="survey/opening_m"]', "7.5 ft"),
        ("year", '[name="energy/yearly_kwh"]', "9100"),
        ("set", "#tail_a", "33"),
    ):
        page.goto(f"{job}/{path}")
        page.locator(spot).fill(text)
        page.locator(spot).dispatch_event("input")
        page.goto("/jobs")
        page.goto(f"{job}/{path}")
        page.get_by_text("is back, and not yet saved").wait_for()
        assert page.locator(spot).input_value() == text, path
        page.get_by_role("button", name="Discard it").click()
        page.wait_for_load_state()
        assert page.locator(spot).input_value() != text, path
