"""A whole inverter entered from its data sheet, as somebody types it, and a job made with it."""

import re

import pytest

from tests.browser.test_first import answer

MOST_FIELDS = 200  # five seconds a field on a tablet: about sixteen minutes would be 200

ELECTRICAL = {
    "maker": "Ownwright",
    "model": "H5 hybrid",
    "power_w": "5 kW",
    "surge_w": "7.5 kW",
    "surge_s": "10",
    "ac_max_a": "21.7 A",
    "battery_v_min": "42",
    "battery_v_max": "58",
    "charge_max_a": "100",
    "pv_v_max": "600",
    "pv_power_max_w": "7500 W",
}
TRACKERS = [
    {"v_min": "100", "v_max": "550", "v_start": "120", "i_mp_max_a": "14", "i_sc_max_a": "18"},
    {"v_min": "100", "v_max": "550", "v_start": "120", "i_mp_max_a": "14", "i_sc_max_a": "18"},
]
CONNECTOR = {"connector/most": "6 mm²", "connector/strip_mm": "7", "connector/bit": "PV spanner"}
PORTS = {
    "battery/i_max_a": "110",
    "battery/protection_max_a": "160 A",
    "battery/protection": "DC breaker",
    "grid/i_max_a": "22",
    "grid/protection_max_a": "32",
    "grid/protection": "two-pole breaker",
    "backup/i_max_a": "22",
    "backup/protection_max_a": "32",
    "backup/protection": "two-pole breaker",
    "earth_screws": "4",
}
SCREW = {
    "end": "ferrule",
    "least": "2.5 mm²",
    "most": "10 mm²",
    "strip_mm": "12",
    "torque_nm": "1.7 Nm",
}
TERMINALS = {
    "battery/terminals/0": {
        "conductors": "+, -",
        "label": "BAT",
        "end": "lug",
        "stud": "M8",
        "least": "16 mm²",
        "most": "70 mm²",
        "torque_nm": "12 Nm",
        "bit": "socket 13 mm",
    },
    "grid/terminals/0": {"conductors": "L1, N", "label": "GRID", "bit": "slot 4 mm", **SCREW},
    "backup/terminals/0": {"conductors": "L1, N", "label": "EPS", "bit": "slot 4 mm", **SCREW},
    "earth/0": {"conductors": "PE", "label": "PE", "bit": "cross PH2", **SCREW},
}
CASE = {
    "enclosure/width": "420",
    "enclosure/height": "560",
    "enclosure/depth": "210",
    "enclosure/mass_kg": "24",
    "enclosure/clear/left": "200",
    "enclosure/clear/right": "200",
    "enclosure/clear/above": "300",
    "enclosure/clear/below": "300",
    "enclosure/holes/0/x": "80",
    "enclosure/holes/0/y": "500",
    "enclosure/holes/1/x": "340",
    "enclosure/holes/1/y": "500",
    "enclosure/t_least_c": "-20",
    "enclosure/t_most_c": "55",
}
MENU = [
    {"group": "Battery", "label": "Battery type", "rule": "lithium", "options": "lithium, lead"},
    {
        "group": "Battery",
        "label": "Max charge",
        "rule": "charge",
        "unit": "A",
        "least": "5",
        "most": "100",
        "step": "1",
    },
    {"group": "Grid", "label": "Export limit", "rule": "export", "unit": "W", "most": "5000"},
]
PORT = {
    "serves": "BMS",
    "label": "BMS",
    "connector": "8P8C",
    "pins": "4 CAN H, 5 CAN L",
    "protocols": "open pack CAN 1",
    "bit_rate": "500000",
    "terminator": "fixed",
}
SERVICE = {"capacitor_wait_min": "10", "switch_off": "turn its switch to off", "shutdown": ""}


class Typist:
    """Types into the form and counts what it takes."""

    def __init__(self, page):
        self.page, self.fields, self.clicks = page, 0, 0

    def unfold(self, at):
        for fold in at.locator("xpath=ancestor::details").all():
            if fold.get_attribute("open") is None:
                fold.locator("> summary").click()
                self.clicks += 1

    def type(self, path, text):
        at = self.page.locator(f'[name="{path}"]')
        self.unfold(at)
        if at.evaluate("e => e.tagName") == "SELECT":
            at.select_option(text)
        else:
            at.fill(text)
        self.fields += 1

    def row(self, rows, n, cells):
        while not self.page.locator(f'[name^="{rows}/{n}/"]').count():
            more = self.page.locator(f'button[value="row:{rows}"]')
            self.unfold(more)
            with self.page.expect_response(lambda r: r.request.method == "POST"):
                more.click()
            self.page.locator(".htmx-request, .htmx-settling").first.wait_for(state="detached")
            self.clicks += 1
        for path, text in cells.items():
            self.type(f"{rows}/{n}/{path}", text)


@pytest.mark.xdist_group("browser")
def test_a_whole_inverter_from_its_sheet_and_a_job_with_it(visit):
    page = visit("planner")
    page.goto("/shelf/new/inverter")
    hand = Typist(page)
    hand.type("supply", "single-phase 230 V")
    for path, text in ELECTRICAL.items():
        hand.type(path, text)
    for n, cells in enumerate(TRACKERS):
        hand.row("trackers", n, {**cells, **CONNECTOR})
    for path, text in PORTS.items():
        hand.type(path, text)
    for at, cells in TERMINALS.items():
        for path, text in cells.items():
            hand.type(f"{at}/{path}", text)
    for path, text in CASE.items():
        hand.type(path, text)
    page.locator("#drawn svg").first.wait_for()
    for n, cells in enumerate(MENU):
        hand.row("menu", n, cells)
    hand.row("signals", 0, PORT)
    for path, text in SERVICE.items():
        hand.type(path, text)
    hand.type("source.terminals", "installation manual 3.1, page 14")
    page.get_by_role("button", name="Put it on the shelf").click()
    page.wait_for_url("**/shelf/ownwright-h5-hybrid?saved=1")
    assert hand.fields <= MOST_FIELDS and hand.clicks <= 40, (hand.fields, hand.clicks)
    assert page.locator(".entry-side", has_text="Still to enter").count() == 0
    assert page.locator('[name="grid/terminals/0/conductors"]').input_value() == "L1, N"
    assert page.locator('[name="source.terminals"]').input_value().endswith("page 14")

    page.goto("/jobs/new")
    for path, text in {
        "name": "Curlew Lane",
        "place": "Madrid, Spain",
        "modules": "8",
        "array_m": "12 m",
    }.items():
        answer(page, path, text)
    assert page.locator("#inverter").input_value() == "ownwright-h5-hybrid"
    page.get_by_role("button", name="Draw it").click()
    page.wait_for_url(re.compile(r"/jobs/\d+/size"))
    assert "H5 hybrid" in page.locator(".one-line svg").text_content()
    assert not page.get_by_text("sheet of Ownwright H5 hybrid").count()
    page.goto(page.url.split("/size")[0] + "/link/harness")
    assert "CAN H" in page.locator("#s1 svg").text_content(), "its lead, pin to pin"


@pytest.mark.xdist_group("browser")
def test_rows_are_added_and_nothing_typed_is_lost(visit):
    page = visit("planner")
    page.goto("/shelf/new/inverter")
    hand = Typist(page)
    hand.type("model", "Halfway")
    hand.type("trackers/0/v_min", "100 V")
    for n in range(3):
        hand.row("menu", n + 2, {"label": f"Line {n}"})
    assert page.locator('[name="model"]').input_value() == "Halfway"
    assert page.locator('[name="trackers/0/v_min"]').input_value() == "100 V"
    assert [page.locator(f'[name="menu/{n}/label"]').input_value() for n in (2, 3, 4)] == [
        "Line 0",
        "Line 1",
        "Line 2",
    ]
    page.get_by_role("button", name="Put it on the shelf").click()
    page.get_by_text("Not saved yet.").wait_for()
    assert page.locator('[name="menu/4/label"]').input_value() == "Line 2"
    page.goto("/jobs")  # closed half way, and taken up again
    page.goto("/shelf/new/inverter")
    page.get_by_text("What you had typed before is back").wait_for()
    assert page.locator('[name="menu/4/label"]').input_value() == "Line 2"
    page.get_by_role("button", name="Discard it").click()
