"""Prove in a browser: tests read by touch, without a signal too; the page judges as the server; the
pictures of probes; a search walked by clicks.
"""

import random

import pytest

from gumboot.catalogue import catalogue
from gumboot.core.land.entering import Refused
from gumboot.core.plan import Plan
from gumboot.core.prove.listing import dues_of
from gumboot.core.prove.strings import Sky
from gumboot.core.walk.entering import read_value
from gumboot.core.walk.reading import KINDS
from gumboot.core.walk.step import Step
from gumboot.demo.plans import TERN_HOLLOW
from tests.browser.conftest import kept_here
from tests.designs import design


@pytest.mark.xdist_group("browser")
def test_tests_are_read_by_touch_without_a_signal_and_sent_after(visit):
    page = visit("installer", 390, 844, no_signal=True)
    page.goto("/jobs/2/prove/walk?at=earth.pack-1")
    page.wait_for_selector("#walk[data-ready]")
    page.evaluate("navigator.serviceWorker.ready")
    kept_here(page, "/jobs/2/prove/walk")
    assert page.locator("[data-picture]:not([hidden]) svg").count() == 1
    assert page.evaluate("document.documentElement.scrollWidth") <= 390
    page.locator("#walk-form .go").click()
    page.get_by_text("type what the meter shows").wait_for()
    page.context.set_offline(True)
    page.locator("#read").fill("0,05")
    page.locator("#tool").fill("tester 3 IT-3071")
    page.locator("#walk-form .go").click()
    page.get_by_role("heading", name="Earth of C7").wait_for()
    page.locator("#read").fill("0.9")
    page.locator("#walk-form .go").click()
    page.get_by_text("✗ not as expected").wait_for()
    page.locator("#step").get_by_role("link", name="Find out why").wait_for()
    page.goto("/jobs/2/prove/walk?at=sky.light")
    page.get_by_role("heading", name="Light in the array's plane").wait_for()
    page.locator("#read").fill("9000")
    page.locator("#walk-form .go").click()
    page.get_by_text("type the reading: W/m²").wait_for()
    page.locator("#read").fill("812 W/m²")
    page.locator("#walk-form .go").click()
    page.get_by_role("heading", name="Warmth of a cell").wait_for()
    page.locator("#read").fill("47")
    page.locator("#walk-form .go").click()
    page.get_by_role("heading", name="String A: open volts").wait_for()
    low, _, high, _ = page.locator("#step .big").inner_text().split()
    d = design(Plan.model_validate(TERN_HOLLOW), catalogue())
    own = {x.key: x for x in dues_of(d, Sky(812, 47))}["string.A.open"]
    assert float(low) == pytest.approx(own.least, abs=1.5)
    assert float(high) == pytest.approx(own.most, abs=1.5)
    page.locator("#read").fill("325")  # a module short, within any day's band and not in this light
    page.locator("#walk-form .go").click()
    page.get_by_text("✗ not as expected").wait_for()
    page.context.set_offline(False)
    page.evaluate("Field.send()")
    page.wait_for_selector("#signal:has-text('all sent')")
    page.reload()
    page.wait_for_selector("#walk[data-ready]")
    assert page.locator("[data-done]").inner_text().startswith("3 of ")


@pytest.mark.xdist_group("browser")
def test_the_page_reads_what_is_typed_as_the_server_does(visit):
    """Every kind of plain reading, over what hands type."""
    page = visit("installer")
    page.goto("/jobs/2/prove/walk")
    page.wait_for_selector("#walk[data-ready]")
    rng = random.Random(11)
    texts = ["", "x", "-", "1e3", "1.2.3", "5 furlongs", "> 4", "NaN", "٣"]
    for kind, own in KINDS.items():
        units = [*own.scales, own.unit, "", "V", "q"]
        for _ in range(60):
            size = rng.choice([rng.uniform(-3, 3), rng.uniform(-500, 500), rng.uniform(0, 2e6)])
            figure = rng.choice([f"{size:.3f}", f"{size:.1f}".replace(".", ","), f"{size:.0f}"])
            gap = rng.choice(["", " "])
            texts.append(f"{figure}{gap}{rng.choice(units)}")
        step = Step("k", "s", "t", "", kind)
        want = []
        for text in texts:
            try:
                want.append(read_value(step, text))
            except Refused:
                want.append(None)
        row = {
            **{"does": kind, "scales": own.scales, "unit": own.unit},
            **{"can_least": own.least, "can_most": own.most},
        }
        found = page.evaluate(
            "([row, texts]) => texts.map((t) => { const v = Walk.number(row, t);"
            " return Number.isNaN(v) ? null : v; })",
            [row, texts],
        )
        for text, a, b in zip(texts, want, found, strict=True):
            assert (a is None) == (b is None), (kind, text, a, b)
            assert a is None or a == pytest.approx(b), (kind, text)


@pytest.mark.xdist_group("browser")
def test_the_page_judges_strings_by_the_light_as_the_server_does(visit):
    """Bands read between those of a grid, against the server's own, over random skies."""
    page = visit("installer")
    page.goto("/jobs/2/prove/walk")
    page.wait_for_selector("#walk[data-ready]")
    rng, d = random.Random(3), design(Plan.model_validate(TERN_HOLLOW), catalogue())
    skies = [(rng.uniform(100, 1300), rng.uniform(-15, 75)) for _ in range(60)]
    found = page.evaluate(
        """(skies) => {
          const all = JSON.parse(document.getElementById("walk-steps").textContent).steps;
          const own = all.filter((x) => x.sky);
          return skies.map(([g, c]) => own.map((x) => [x.key, ...Walk.band(x, g, c)]));
        }""",
        skies,
    )
    for (light, cell), rows in zip(skies, found, strict=True):
        own = {x.key: x for x in dues_of(d, Sky(light, cell))}
        assert len(rows) == 10
        for key, low, high in rows:
            wide = own[key].most - own[key].least
            assert abs(low - own[key].least) < 0.15 * wide, (key, light, cell)
            assert abs(high - own[key].most) < 0.15 * wide, (key, light, cell)


@pytest.mark.xdist_group("browser")
def test_the_switches_stand_as_the_test_wants_them(visit):
    page = visit("installer", 390, 844)
    for key, main, pack in (
        ("earth.pack-1", "open", "open"),
        ("volts.grid.L1-to-N", "closed", "closed"),
        ("volts.island.L1-to-N", "open", "closed"),
    ):
        page.goto(f"/jobs/1/prove/walk?at={key}")
        page.wait_for_selector("#walk[data-ready]")
        levers = page.evaluate(
            "Object.fromEntries([...document.querySelectorAll('#switch-row [data-lever]')].map("
            "(e) => [e.dataset.whole, e.querySelector('[data-now]').textContent]))"
        )
        assert levers["Main breaker, Main panel"] == main, key
        packs = [v for k, v in levers.items() if "Pack 1" in k and "reaker" in k]
        assert packs and set(packs) == {pack}, (key, levers)
    assert page.evaluate("document.documentElement.scrollWidth") <= 390


@pytest.mark.xdist_group("browser")
def test_a_search_is_walked_by_clicks(visit):
    page = visit("installer", 390, 844)
    page.goto("/jobs/4/prove/why?of=heat")
    for _ in range(4):
        if page.locator(".good-news").count():
            break
        page.locator("section.step form button").first.click()
        page.wait_for_load_state()
    assert page.evaluate("document.documentElement.scrollWidth") <= 390
    assert page.locator("h3", has_text="Seen").count() == 1


@pytest.mark.xdist_group("browser")
def test_a_table_typed_into_keeps_what_cannot_be_read(visit):
    page = visit("installer")
    page.goto("/jobs/4/prove")
    boxes = page.locator("table.tests input")
    boxes.nth(0).fill("0.03")
    boxes.nth(1).fill("much")
    page.get_by_role("button", name="Keep what is typed").click()
    page.get_by_text("Kept, but for 1").wait_for()
    assert page.locator("input[aria-invalid]").input_value() == "much"
