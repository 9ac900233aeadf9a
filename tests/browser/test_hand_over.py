"""Hand over in a browser: a serial scanned from a plate's code, photographs taken without a signal,
a signature drawn by a finger.
"""

import pytest
import zxingcpp
from PIL import Image
from playwright.sync_api import expect

from tests.browser.conftest import kept_here
from tests.browser.test_axe import faults


def coded(text, kind, tmp_path):
    """A photograph of a code on a plate."""
    code = zxingcpp.create_barcode(text, kind)
    picture = Image.fromarray(zxingcpp.write_barcode_to_image(code, scale=4)).convert("RGB")
    plate = Image.new("RGB", (picture.width + 300, picture.height + 240), "white")
    plate.paste(picture, (150, 120))
    path = tmp_path / "plate.png"
    plate.save(path)
    return path


def photo(path, colour):
    Image.new("RGB", (640, 480), colour).save(path, "JPEG")
    return path


@pytest.mark.xdist_group("browser")
def test_a_serial_is_scanned_from_a_photograph_by_the_decoder_that_ships(visit, tmp_path):
    page = visit("installer", 390, 844)
    page.goto("/jobs/3/delivery")
    page.locator('[data-scan="inverter-1"]').click()
    page.get_by_text("No camera here").wait_for()
    choose = page.locator("#scanner input[type=file]")
    choose.set_input_files(coded("4006381333931", zxingcpp.BarcodeFormat.EAN13, tmp_path))
    page.get_by_text("the article's number").wait_for()
    choose.set_input_files(photo(tmp_path / "none.jpg", (90, 90, 90)))
    page.get_by_text("No code could be read").wait_for()
    choose.set_input_files(coded("S/N: MT-2611-0042", zxingcpp.BarcodeFormat.Code128, tmp_path))
    expect(page.locator("#serial-inverter-1")).to_have_value("MT-2611-0042", timeout=60_000)
    page.locator('[data-scan="gateway"]').click()
    choose.set_input_files(coded("GW 77 001", zxingcpp.BarcodeFormat.QRCode, tmp_path))
    expect(page.locator("#serial-gateway")).to_have_value("GW 77 001", timeout=60_000)
    assert page.evaluate("document.documentElement.scrollWidth") <= 390
    page.get_by_role("button", name="Keep", exact=True).click()
    page.wait_for_load_state()
    assert page.locator("#serial-inverter-1").input_value() == "MT-2611-0042"


@pytest.mark.xdist_group("browser")
def test_photographs_are_taken_without_a_signal_and_sent_after(visit, tmp_path):
    page = visit("installer", 390, 844, no_signal=True)
    page.goto("/jobs/3/photographs")
    page.wait_for_selector("#slots[data-ready]")
    page.evaluate("navigator.serviceWorker.ready")
    kept_here(page, "/jobs/3/photographs")
    page.context.set_offline(True)
    page.goto("/jobs/3/photographs")
    page.wait_for_selector("#slots[data-ready]")
    slot = page.locator('[data-slot="busbar"]')
    slot.locator("input[type=file]").set_input_files(photo(tmp_path / "m.jpg", (10, 90, 40)))
    slot.get_by_text("waiting to be sent").wait_for()
    page.context.set_offline(False)
    page.evaluate("window.dispatchEvent(new Event('online'))")
    slot.get_by_text("✓ taken").wait_for(timeout=30_000)
    page.goto("/jobs/3/photographs")
    page.locator('[data-slot="busbar"] img').wait_for()
    page.goto("/jobs/3/land?at=cover%40main-panel")
    page.get_by_text("✓ Photographed: Main board: its busbar").wait_for()
    page.get_by_text("Photograph first: Main board: open").wait_for()


@pytest.mark.xdist_group("browser")
def test_an_owner_signs_by_finger_on_their_own_telephone(visit, chromium):
    page = visit("supervisor", 1280, 800)
    page.goto("/jobs")
    page.get_by_role("link", name="Dunlin End").first.click()
    page.goto(page.url.rsplit("/", 1)[0] + "/hand-over")
    page.get_by_role("button", name="Make the link").click()
    link = page.locator("#share .link-shown").inner_text()
    own = chromium.new_context(viewport={"width": 390, "height": 844}, has_touch=True).new_page()
    own.goto(link)
    safe = own.locator(".safe").bounding_box()
    assert safe["y"] + safe["height"] <= 844  # all of it without scrolling
    assert own.evaluate("document.documentElement.scrollWidth") <= 390
    pad = own.locator("canvas.pen")
    pad.scroll_into_view_if_needed()
    own.get_by_label("Your whole name").fill("Una Sedge")
    box = pad.bounding_box()
    own.mouse.move(box["x"] + 30, box["y"] + 60)
    own.mouse.down()
    for n in range(12):
        own.mouse.move(box["x"] + 30 + 20 * n, box["y"] + 60 + (18 if n % 2 else -18))
    own.mouse.up()
    drawn = own.locator('input[name="drawn"]').input_value()
    assert len(drawn.split(" ")) >= 10
    own.get_by_role("button", name="Sign", exact=True).click()
    own.get_by_text("Signed by Una Sedge").wait_for()
    own.context.close()
    page.reload()
    page.get_by_role("img", name="Signature of Una Sedge").wait_for()


@pytest.mark.xdist_group("browser")
def test_a_fault_is_told_searched_and_its_part_scanned_on_a_telephone(visit, tmp_path):
    page = visit("installer", 390, 844, bypass_csp=True)
    page.goto("/jobs/1/after")
    page.get_by_label("What is seen, heard, or shown").fill("Dark in an outage")
    page.get_by_label("Search for its cause").select_option("no_island")
    page.get_by_role("button", name="Tell of it").click()
    page.get_by_role("link", name="Find out why").click()
    page.locator(".step button[name=answer]").first.click()
    page.get_by_role("link", name="The fault: Dark in an outage").click()
    page.get_by_text("Likeliest").wait_for()
    assert faults(page, page.url) == {}
    page.set_viewport_size({"width": 390, "height": 844})
    page.locator("#device-0").select_option("pack-1")
    page.locator('[data-scan="part-0"]').click()
    scanned = coded("S/N: TI-2611-0077", zxingcpp.BarcodeFormat.Code128, tmp_path)
    page.locator("#scanner input[type=file]").set_input_files(scanned)
    expect(page.locator("#serial-part-0")).to_have_value("TI-2611-0077", timeout=60_000)
    page.get_by_label("It works again").check()
    page.get_by_role("button", name="Keep", exact=True).click()
    page.get_by_text("Type what was done").wait_for()
    expect(page.locator("#serial-part-0")).to_have_value("TI-2611-0077")
    page.get_by_label("Done").fill("Pack changed")
    page.get_by_role("button", name="Keep", exact=True).click()
    page.get_by_text("✓ Over").wait_for()
    page.goto("/jobs/1/after")
    page.get_by_text("TI-2611-0077 hangs there").wait_for()
    assert page.evaluate("document.documentElement.scrollWidth") <= 390
