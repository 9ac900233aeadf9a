"""axe-core finds nothing serious on any page, in day and in cellar light, wide and narrow."""

import pytest
from axe_playwright_python.sync_playwright import Axe

PAGES = (
    "/jobs",
    "/jobs/new",
    "/wrenches",
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
    "/nothing",
    "/jobs/2/land?at=pv-A.%2B%40inverter-1",
)


def serious(page, contrast=True):
    found = Axe().run(page, options={} if contrast else {"rules": {"color-contrast": {"enabled": False}}}).response["violations"]
    return [(v["id"], v["impact"], [n["target"] for n in v["nodes"]][:3]) for v in found if v["impact"] in ("serious", "critical")]


@pytest.mark.xdist_group("axe")
@pytest.mark.parametrize(("theme", "width"), [("", 1280), ("cellar", 1280), ("", 390)])
def test_nothing_serious(visit, theme, width):
    """Contrast, which takes most of the time, is measured wide: a narrow page has the same colours."""
    page = visit("supervisor", width, 844, bypass_csp=True)
    page.evaluate(f"localStorage.setItem('theme', '{theme}')")
    bad = {}
    for path in PAGES:
        page.goto(path)
        if path.partition("?")[0].endswith(("/land", "/drill")):
            page.wait_for_selector("[data-ready]")
        page.locator("#lived [role=status], #best [role=status]").first.wait_for(state="detached", timeout=150_000)
        if found := serious(page, width > 1000):
            bad[path] = found
        if (wide := page.evaluate("document.documentElement.scrollWidth")) > width:
            bad[f"{path} is wider than the screen"] = wide
    page.context.clear_cookies()
    page.goto("/sign-in")
    if found := serious(page, width > 1000):
        bad["/sign-in"] = found
    assert bad == {}
