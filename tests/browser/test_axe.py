"""axe-core finds nothing serious on any page, in day and in cellar light, wide and narrow."""

import pytest
from axe_playwright_python.sync_playwright import Axe

from tests.browser.conftest import MADE

PAGES = (
    "/jobs",
    "/jobs/new",
    "/wrenches",
    "/instruments",
    "/jobs/2/brief",
    "/jobs/2/size?at=battery-2",
    "/jobs/3/size?at=grid-1",
    "/jobs/3/strings?light=700&air=20&read-A=440&read-B=-500",
    "/jobs/4/size",
    "/jobs/5/size?at=bank.share",
    "/jobs/5/brief",
    "/jobs/2/loads",
    "/jobs/3/loads",
    "/jobs/2/survey",
    "/jobs/1/survey",
    "/jobs/2/year?day=171",
    "/jobs/5/year",
    "/jobs/2/wall?at=pack-2",
    "/jobs/2/wall/describe",
    "/jobs/3/wall/drill",
    "/jobs/2/land",
    "/jobs/3/land/log",
    "/jobs/4/land/return",
    "/jobs/3/land/cut",
    "/jobs/2/land/labels",
    "/jobs/2/land/readings",
    "/jobs/2/land/tools",
    "/returns",
    "/jobs/2/set",
    "/jobs/1/hand-over",
    "/jobs/3/delivery",
    "/jobs/3/photographs",
    "/jobs/3/as-built",
    "/jobs/1/after",
    "/jobs/1/after/visit",
    "/jobs/4/more?of=charger",
    "/visits",
    "/seal",
    "/learning",
    "/people",
    "/people/1",
    "/account",
    "/account/second?asked=1",
    "/office",
    "/tokens",
    "/defaults",
    "/days",
    "/shelf",
    "/shelf/marram-s8",
    "/shelf/new/device",
    "/shelf/modules",
    "/jobs/2/sheet",
    "/jobs/2/editions",
    "/jobs/2/materials",
    "/nothing",
    "/jobs/2/land?at=pv-A.%2B%40inverter-1",
)


LIGHT = {"theme": "", "width": 1280, "options": {}}
CELLAR = {"theme": "cellar", "width": 1280, "options": {"runOnly": ["color-contrast"]}}
BY_WIDTH = (  # what another width can change: the same elements, in another room
    *("scrollable-region-focusable", "aria-hidden-focus", "button-name"),
    *("link-name", "label", "select-name", "nested-interactive", "bypass", "skip-link"),
)
NARROW = {"theme": "", "width": 390, "options": {"runOnly": list(BY_WIDTH)}}


def serious(page, options):
    asked = {**options, "resultTypes": ["violations"]}  # the rest is not described, which is faster
    found = page.evaluate("async (asked) => (await axe.run(asked)).violations", asked)
    return [
        (v["id"], v["impact"], [n["target"] for n in v["nodes"]][:3])
        for v in found
        if v["impact"] in ("serious", "critical")
    ]


def faults(page, path):
    """What is wrong with the page that is open, in each light and width."""
    bad = {}
    page.evaluate(Axe().axe_script)
    for look in (LIGHT, CELLAR, NARROW):
        page.evaluate(f"document.documentElement.dataset.theme = '{look['theme']}'")
        page.set_viewport_size({"width": look["width"], "height": 844})
        if found := serious(page, look["options"]):
            bad[path, look["theme"], look["width"]] = found
        if (wide := page.evaluate("document.documentElement.scrollWidth")) > look["width"]:
            bad[path, "is wider than the screen"] = wide
    page.set_viewport_size({"width": 1280, "height": 844})
    return bad


@pytest.mark.parametrize("part", range(4))
def test_nothing_serious(visit, part):
    page = visit("supervisor", 1280, 844, bypass_csp=True)
    bad = {}
    for path in PAGES[part::4]:
        page.goto(path)
        if path.partition("?")[0].endswith(("/land", "/drill")):
            page.wait_for_selector("[data-ready]")
        page.locator("#lived [role=status], #best [role=status]").first.wait_for(
            state="detached", timeout=MADE
        )
        bad |= faults(page, path)
    assert bad == {}


def test_nothing_serious_at_the_door(chromium, server):
    with chromium.new_context(base_url=server.address, bypass_csp=True) as context:
        page = context.new_page()
        page.goto("/sign-in")
        assert faults(page, "/sign-in") == {}
