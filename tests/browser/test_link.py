"""Link in a browser: the walk without a signal, what the page judges, the transformers' test, and
nothing wider than a phone.
"""

import pytest


def at(page, key):
    page.goto(f"/jobs/2/link?at={key}")
    page.wait_for_selector("#walk[data-ready]")


def test_the_walk_without_a_signal_and_back(visit):
    page = visit("installer", 390, 844, no_signal=True)
    page.goto("/jobs/5/link")
    page.wait_for_selector("#walk[data-ready]")
    before = page.locator("[data-done]").inner_text()
    page.evaluate("navigator.serviceWorker.ready")
    page.context.set_offline(True)
    page.get_by_role("button", name="Done", exact=True).click()
    page.wait_for_selector(".told.well")
    page.locator("[data-go='-1']").click()
    assert "waiting to be sent" in page.locator("#step").inner_text()
    assert page.locator("[data-done]").inner_text() != before
    page.context.set_offline(False)
    page.evaluate("Field.send()")
    page.wait_for_selector("#signal:has-text('all sent')")
    page.reload()
    page.wait_for_selector("#walk[data-ready]")
    assert page.locator("[data-done]").inner_text() != before


def test_a_reading_is_judged_on_the_page_and_refused_at_its_field(visit):
    page = visit("installer")
    at(page, "ohm.pack-1-pack-2.3")
    page.locator("#read").fill("sixty")
    page.get_by_role("button", name="Keep").click()
    assert "60, or “open”" in page.locator(".fault").inner_text()
    assert page.locator("#read").input_value() == "sixty"
    page.locator("#read").fill("118")
    page.get_by_role("button", name="Keep").click()
    page.wait_for_selector(".told.bad")
    assert "open between" in page.locator(".told.bad").inner_text()  # its own 120 Ω is left
    assert page.locator("[data-picture='bus-pack-1-pack-2']").is_visible()
    page.get_by_role("button", name="Take the last entry back").click()
    page.wait_for_selector("#signal:has-text('all sent')")


def test_a_made_lead_read_through(visit):
    page = visit("installer")
    at(page, "lead.link-pack-1-pack-2.through")
    page.get_by_text("Something else was found").click()
    page.locator("[data-pin='7']").fill("8")
    page.get_by_role("button", name="Keep these").click()
    assert "type which pin" in page.locator(".fault").inner_text()
    page.locator("[data-pin='8']").fill("7")
    page.get_by_role("button", name="Keep these").click()
    page.wait_for_selector("#signal:has-text('all sent')")
    page.wait_for_selector(".told.bad:has-text('crossed')")
    page.get_by_role("button", name="Each to its own pin").click()
    page.wait_for_selector(".told.well")


@pytest.mark.parametrize(
    "path", ["link", "link/harness", "link/ohms", "link/ct", "link/bms", "link/network"]
)
def test_no_page_of_link_is_wider_than_a_phone(visit, path):
    page = visit("supervisor", 390, 844)
    for job in (2, 3, 4, 5):
        page.goto(f"/jobs/{job}/{path}")
        assert page.evaluate("document.documentElement.scrollWidth") <= 390


def test_the_transformers_test_without_a_signal_and_back(visit):
    """A step typed down in the cellar is kept on the phone; what it says comes with the signal."""
    page = visit("installer", 390, 844, no_signal=True)
    page.goto("/jobs/3/link/ct")
    page.wait_for_selector("#ct-form[data-ready]")
    page.evaluate("navigator.serviceWorker.ready")
    page.reload()
    page.wait_for_selector("#ct-form[data-ready]")
    page.context.set_offline(True)
    page.reload()  # kept by the worker
    page.wait_for_selector("#ct-form[data-ready]")
    page.locator("#watts").fill("1800")
    for k in range(3):
        page.locator(f"#before{k}").fill("200")
        page.locator(f"#after{k}").fill("2000" if k == 0 else "words")
    page.get_by_role("button", name="Keep this step").click()
    page.locator("#after1-fault").wait_for()
    for k in (1, 2):
        page.locator(f"#after{k}").fill("200")
    page.get_by_role("button", name="Keep this step").click()
    page.get_by_text("Kept on this device").wait_for()
    assert page.locator("#before0").input_value() == ""
    page.context.set_offline(False)
    page.evaluate("Field.send()")
    page.get_by_text("Steps made").wait_for()
    assert page.get_by_text("1,800").or_(page.get_by_text("1800")).count()


def test_readings_of_the_test_are_there_after_a_reload(visit):
    """Between before and after a hand walks to the load; the phone may have forgotten the page."""
    page = visit("installer", 390, 844)
    page.goto("/jobs/3/link/ct")
    page.locator("#before0").fill("410")
    page.locator("#before1").fill("0,3 kW")
    page.reload()
    page.get_by_text("What you had typed before is back").wait_for()
    assert page.locator("#before0").input_value() == "410"
    assert page.locator("#before1").input_value() == "0,3 kW"
    page.get_by_role("button", name="Keep this step").click()
    page.locator("#after0-fault").wait_for()
    assert page.locator("#before1").input_value() == "0,3 kW"
