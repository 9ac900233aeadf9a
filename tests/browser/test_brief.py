"""The brief with the homeowner, in a real browser: board, best legs, a year while the page stays
alive, windows carried to Set, a photograph.
"""

import io
import re

import pytest
from PIL import Image

from tests.browser.conftest import MADE


def copy_of(page, name):
    """A copy of a demo job, by its own file."""
    page.goto("/jobs")
    page.get_by_role("link", name=name).first.click()
    page.wait_for_selector(".treads")
    job = re.search(r"/jobs/\d+", page.url)[0]
    exported = page.request.get(f"{job}/export.json").body()
    page.goto("/jobs")
    page.locator("input[type=file]").set_input_files(
        {"name": "job.json", "mimeType": "application/json", "buffer": exported}
    )
    page.locator("form:has(input[type=file]) button").click()
    page.wait_for_url(re.compile(r"/jobs/\d+/size"))
    return re.search(r"/jobs/\d+", page.url)[0]


@pytest.mark.xdist_group("browser")
def test_a_brief_in_ten_minutes(visit):
    page = visit("supervisor")
    job = copy_of(page, "Tern Hollow")

    # The board answers while typing: one circuit to the other leg, and the bar is no longer over.
    page.goto(f"{job}/loads")
    assert "10.2 of 9.6 kW, over" in page.locator("#preview").inner_text()
    page.locator("#load-7-legs").select_option("L2")
    page.locator("#preview:has-text('Runs 8.42 of 9.6 kW')").wait_for()
    page.locator("#load-0-name").fill("Kitchen refrigerator")
    page.locator("#ordinary").select_option(label="Heating controls and pump, 90 W")
    page.get_by_role("button", name="Add it").click()
    page.wait_for_load_state()
    assert (
        page.locator("#load-16-name").input_value() == "Heating controls and pump"
        and page.locator("#load-0-name").input_value() == "Kitchen refrigerator"
    )
    page.get_by_role("button", name="Move between legs only").click()
    page.get_by_role("button", name=re.compile("^Take the assignment")).last.click()
    page.wait_for_load_state()
    page.get_by_role("button", name="Save the board").click()
    page.wait_for_url(f"**{job}/loads")
    assert "over" not in page.locator("#preview svg").first.text_content()

    # The year is computed while the page stays alive: another part of the brief answers meanwhile.
    page.get_by_role("link", name="Year").click()
    page.locator("#lived [role=status], #outages").first.wait_for()
    assert page.request.get(f"{job}/survey").ok
    page.locator("#outages").wait_for(timeout=MADE)
    assert (
        "worst:" in page.locator("#lived").inner_text()
        and page.locator("#lived image").count() >= 2
    )
    page.get_by_role("link", name="21 June").click()
    page.wait_for_url("**day=171**")
    assert "21 June, standard time" in page.locator("#lived").inner_text()
    page.get_by_role("button", name="Carry the proposal to Set").click(timeout=MADE)
    page.wait_for_url("**/set")
    assert (
        page.locator("#charge_1").input_value().endswith(" %")
        and page.locator("#mode").input_value() == "time windows"
    )

    # A photograph, and what nobody knows yet.
    page.goto(f"{job}/survey")
    out = io.BytesIO()
    Image.new("RGB", (640, 480), (120, 130, 90)).save(out, "JPEG")
    page.locator("#photos-file").set_input_files(
        {"name": "panel.jpg", "mimeType": "image/jpeg", "buffer": out.getvalue()}
    )
    page.locator("#what").select_option("panel label")
    page.get_by_role("button", name="Save photographs").click()
    page.locator("figure:has-text('Panel label') img").wait_for()
    assert page.locator("tr.unknown").count() == 1
    page.locator("#survey-network").select_option("wired")
    page.get_by_role("button", name="Save the survey").click()
    page.wait_for_load_state()
    assert page.locator("tr.unknown").count() == 0


@pytest.mark.xdist_group("browser")
def test_a_meters_file_is_read_while_the_page_waits(visit):
    page = visit("planner", 390, 844)
    job = copy_of(page, "Mossbank Terrace")
    page.goto(f"{job}/year")
    rows = ["time,kWh"] + [
        f"2023-{1 + d // 28:02d}-{1 + d % 28:02d} {h:02d}:{m:02d},0.{d % 9}1"
        for d in range(300)
        for h in range(24)
        for m in (0, 30)
    ]
    page.locator("#file").set_input_files(
        {"name": "meter.csv", "mimeType": "text/csv", "buffer": "\n".join(rows).encode()}
    )
    page.get_by_role("button", name="Read it").click()
    page.get_by_role("button", name="Make the year from it").click(timeout=MADE)
    page.wait_for_url(f"**{job}/year")
    page.locator("#outages").wait_for(timeout=MADE)
    page.get_by_text("Assumptions").click()
    assert "Load from the meter's readings" in page.locator("#lived").inner_text()
