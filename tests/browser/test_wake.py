"""Wake in a browser: the walk without a signal, a held act, a wait that survives, rehearsing by
touch, and nothing wider than a phone.
"""

import pytest


def at(page, key, job=4):
    page.goto(f"/jobs/{job}/wake?at={key}")
    page.wait_for_selector("#walk[data-ready]")


def test_an_act_is_held_and_says_by_what(visit):
    page = visit("installer", 390, 844)
    page.goto("/jobs/5/wake")
    page.wait_for_selector("#walk[data-ready]")
    page.locator("[data-list-open]").click()
    page.get_by_role("button", name="Close: main, Loads panel").click()
    held = page.locator("#step .notice")
    assert "Held." in held.inner_text() and "steps before it are open" in held.inner_text()
    held.get_by_role("button").click()
    assert page.locator("#step h2").inner_text() != "Close: main, Loads panel"


def test_the_walk_without_a_signal_and_back(visit):
    page = visit("installer", 390, 844, no_signal=True)
    page.goto("/jobs/4/wake")
    page.wait_for_selector("#walk[data-ready]")
    page.evaluate("navigator.serviceWorker.ready")
    before = page.locator("[data-done]").inner_text()
    page.context.set_offline(True)
    title = page.locator("#step h2").inner_text()
    page.locator("#walk-form .go").click()
    page.wait_for_function("t => document.querySelector('#step h2').innerText !== t", arg=title)
    assert page.locator("[data-done]").inner_text() != before
    page.context.set_offline(False)
    page.evaluate("Field.send()")
    page.wait_for_selector("#signal:has-text('all sent')")
    page.reload()
    page.wait_for_selector("#walk[data-ready]")
    assert page.locator("[data-done]").inner_text() != before


def test_two_devices_one_leads_and_the_other_follows(visit):
    """What comes cold is left out; then two phones at one switch row."""
    one, two = visit("installer", 390, 844), visit("supervisor", 390, 844)
    one.goto("/jobs/2/wake")
    one.wait_for_selector("#walk[data-ready]")
    rows = one.request.get("/jobs/2/wake.json").json()["steps"]
    acts = [s for s in rows if s["does"] == "act"]
    cold = [s["key"] for s in rows[: rows.index(acts[0])] if s["state"] == ""]
    more = "{kind: 'wake', act: 'declined', note: 'tried elsewhere', typed: '', tool: ''}"
    one.evaluate(
        f"async keys => {{ for (const key of keys) await Field.add({{key, ...{more}}}); }}", cold
    )
    one.evaluate("Field.send()")
    one.wait_for_selector("#signal:has-text('all sent')")
    at(one, acts[0]["key"], 2)
    one.locator("#walk-form .go").click()  # whoever moves the first switch leads
    one.get_by_text("You lead on this device").wait_for()
    one.wait_for_selector("#signal:has-text('all sent')")
    at(two, acts[1]["key"], 2)
    two.get_by_text("Osk Fellgate moves this one").wait_for()
    assert two.locator("#walk-form .go").count() == 0
    two.get_by_role("button", name="Take the lead").click()
    two.get_by_text("Has Osk Fellgate been told").wait_for()
    two.get_by_role("button", name="Yes: I lead now").click()
    two.get_by_text("You lead on this device").wait_for()
    two.wait_for_selector("#signal:has-text('all sent')")
    one.get_by_text("Ilse Quayle leads on another device").wait_for()  # it learns by itself


def test_the_row_shows_what_is_closed_and_live(visit):
    page = visit("installer")
    at(page, "act.loads-panel.main")
    own = page.locator("[data-lever='pack-1.own']")
    assert "closed" in own.get_attribute("class") and "hot-a" in own.get_attribute("class")
    assert own.locator("[data-now]").inner_text() == "closed"
    assert "next" in page.locator("[data-lever='loads-panel.main']").get_attribute("class")
    assert "awake" in page.locator("#switch-units").inner_text()


def test_an_output_that_is_not_as_expected_says_what_it_means(visit):
    """A reading that a unit could show itself stopped the page when it was outside its band."""
    page = visit("installer", 390, 844)
    rows = page.request.get("/jobs/2/wake.json").json()["steps"]
    key = next(s["key"] for s in rows if s["asks"] == "1:output L1 V")
    at(page, key, 2)
    page.locator("#read").fill("98")
    page.locator("#walk-form .go").click()
    page.get_by_text("not as expected").wait_for()
    page.get_by_role("link", name="The safe way back").wait_for()


def test_a_wait_goes_on_while_the_page_is_away(visit):
    """Its beginning is kept; a clock set wrong does not run backwards."""
    page = visit("installer", 390, 844)
    page.goto("/jobs/4/wake")
    page.wait_for_selector("#walk[data-ready]")
    for _ in range(6):  # Mossbank stands half way up: on to its next wait
        if page.locator("[data-clock]").count():
            break
        title = page.locator("#step h2").inner_text()
        page.locator("#walk-form .go").click()
        page.wait_for_function("t => document.querySelector('#step h2').innerText !== t", arg=title)
    page.locator("[data-clock]").wait_for()
    key = page.evaluate("new URLSearchParams(location.search).get('at')")
    for ago, shows in ((42_000, "0:4"), (-90_000, "0:0")):
        page.evaluate("([k, t]) => localStorage.setItem(k, Date.now() - t)", [f"wait:4:{key}", ago])
        at(page, key)
        page.wait_for_function("document.querySelector('[data-clock]').innerText.includes(' of ')")
        assert page.locator("[data-clock]").inner_text().startswith(shows)
    page.evaluate("k => localStorage.setItem(k, Date.now() - 400000)", f"wait:4:{key}")
    at(page, key)
    page.get_by_text("longer than it should take").wait_for()
    page.get_by_role("link", name="The safe way back").wait_for()


def test_rehearsing_by_touch(visit):
    """A wrong act is explained and taken back; a right one moves; the end can be kept."""
    page = visit("installer", 390, 844)
    page.goto("/jobs/4/wake/rehearse")
    page.wait_for_selector("#rehearse[data-ready]")
    order = page.request.get("/jobs/4/wake/order.json").json()["up"]["acts"]
    page.locator(f"[data-lever='{order[0]['lever']}']").click()
    page.wait_for_selector(".told.well")
    page.wait_for_selector(f"[data-lever='{order[0]['lever']}'].closed")
    page.reload()  # left half way: it goes on
    page.wait_for_selector("#rehearse[data-ready]")
    page.wait_for_selector(f"[data-lever='{order[0]['lever']}'].closed")
    for n, a in enumerate(order[1:], 2):
        page.locator(f"[data-lever='{a['lever']}']").click()
        read = page.locator("[data-read]")
        page.wait_for_selector(f"[data-lever='{a['lever']}'].closed, [data-read]")
        if read.count():
            read.click()
            page.wait_for_selector(f"[data-lever='{a['lever']}'].closed")
        assert f"{n} acts, no slips" in page.locator("[data-count]").inner_text()
    page.get_by_role("button", name="Keep this run").click()
    page.get_by_role("heading", name="Runs kept").wait_for()
    page.locator("tbody tr").first.get_by_text("Osk Fellgate").wait_for()


@pytest.mark.parametrize("path", ["wake", "wake/order", "wake/rehearse", "wake/work", "wake/back"])
def test_no_page_of_wake_is_wider_than_a_phone(visit, path):
    page = visit("supervisor", 390, 844)
    for job in (2, 3, 4, 5):
        page.goto(f"/jobs/{job}/{path}")
        assert page.evaluate("document.documentElement.scrollWidth") <= 390
