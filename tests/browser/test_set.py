"""Set in a browser: a rung is dragged and its line follows; lines are keyed by touch, without a
signal too.
"""

from urllib.parse import quote

import pytest


def key_of(page, line):
    """The step that keys a line, as the page has it."""
    script = "JSON.parse(document.getElementById('walk-steps').textContent).steps.map(s => s.key)"
    return next(k for k in page.evaluate(script) if k.startswith(f"key.1.{line}="))


@pytest.mark.xdist_group("browser")
def test_a_rung_is_dragged_its_line_follows_and_what_is_out_of_order_is_red(visit):
    page = visit("planner")
    page.goto("/jobs/5/set")
    page.wait_for_selector("[data-ladder][data-ready]")
    rung = page.locator('[data-rung="cut_v"]')
    before = float(page.locator("#cut_v").input_value())
    spot = rung.locator("path.rung").bounding_box()
    page.mouse.move(spot["x"] + 20, spot["y"] + 1)
    page.mouse.down()
    page.mouse.move(spot["x"] + 20, spot["y"] - 90, steps=6)
    page.mouse.up()
    now = float(page.locator("#cut_v").input_value())
    assert now > before + 1 and abs(now * 10 - round(now * 10)) < 1e-6, "by the menu's step"
    assert "wrong" in rung.get_attribute("class")
    assert "must lie" in page.locator("[data-told]").first.inner_text()
    page.locator("#cut_v").fill(f"{before:g}")
    page.wait_for_selector('[data-rung="cut_v"]:not(.wrong)')
    page.locator("#cut_v").fill("47.5")
    page.wait_for_selector('[data-rung="cut_v"].wrong')


@pytest.mark.xdist_group("browser")
def test_lines_are_keyed_by_touch_without_a_signal_and_sent_after(visit):
    page = visit("installer", 390, 844, no_signal=True)
    page.goto("/jobs/5/set/key")
    page.wait_for_selector("#walk[data-ready]")
    page.evaluate("navigator.serviceWorker.ready")
    page.locator("#walk-form .go").click()
    page.get_by_text("type what stands there").wait_for()
    page.locator("#read").fill("V2.14")
    page.locator("#walk-form .go").click()
    page.get_by_role("heading", name="01 Time of day").wait_for()
    page.context.set_offline(True)
    page.locator("#walk-form .go").click()
    page.get_by_role("heading", name="02 Date").wait_for()
    page.get_by_text("Something else stands there").click()
    page.locator("#read").fill("1999-01-01")
    page.locator("[data-other]").click()
    page.get_by_text("was to be keyed").wait_for()
    page.goto("/jobs/5/set/key?at=" + quote(key_of(page, "absorb_v")))
    page.wait_for_selector("#walk[data-ready]")
    page.get_by_text("Something else stands there").click()
    page.locator("#read").fill("58,33 v")  # as near as the display shows it, by page and server
    page.locator("[data-other]").click()
    page.get_by_role("heading", name="27 Absorption time").wait_for()
    page.context.set_offline(False)
    page.evaluate("Field.send()")
    page.wait_for_selector("#signal:has-text('all sent')")
    page.reload()
    page.wait_for_selector("#walk[data-ready]")
    assert page.locator("[data-done]").inner_text().startswith("3 of 66")
    assert page.evaluate("document.documentElement.scrollWidth") <= 390
