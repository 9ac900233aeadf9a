"""One job in a real browser, as a crew works it: from sign-in to the signed PDF, and the text of
that PDF.
"""

import io
import re

import pytest
from pypdf import PdfReader

from tests.browser.conftest import printed
from tests.browser.test_typing import blank

JOB = {
    "site/name": "Dunlin Point",
    "site/address": "2 Strand",
    "site/t_min_c": "14 F",
    "site/t_roof_c": "97 F",
    "site/t_wall_c": "90 F",
    "supply/main_breaker_a": "150 A",
    "supply/bus_a": "200 A",
    "supply/fault_a": "8000 A",
    "kit/inverters": "1",
    "kit/packs": "2",
    "strings/0/letter": "A",
    "strings/0/inverter": "1",
    "strings/0/tracker": "1",
    "strings/0/modules": "13",
    "strings/0/run/length_m": "38 ft",
    "runs/pack/length_m": "5 ft",
    "runs/battery/length_m": "1.8 m",
    "runs/grid/length_m": "20 ft",
    "runs/backup/length_m": "22 ft",
}


def fill(page, values):
    for name, value in values.items():
        spot = page.locator(f'[name="{name}"]:visible')
        if spot.evaluate("e => e.tagName") == "SELECT":
            spot.select_option(value)
        else:
            spot.fill(value)


def open_job(page, name="Tern Hollow"):
    page.goto("/jobs")
    page.get_by_role("link", name=name).first.click()
    page.wait_for_selector(".treads")


@pytest.mark.xdist_group("browser")
def test_from_sign_in_to_the_signed_pdf(visit):
    page = visit("supervisor")
    page.get_by_role("link", name="New job").click()
    blank(page)
    fill(page, JOB)
    page.locator('[name="runs/grid/length_m"]').press("Tab")
    page.locator('#runs-grid-length_m + .echo:has-text("= 6.1 m")').wait_for()
    for run in ("pack", "battery"):
        page.locator(f'[name="runs/{run}/method"]').select_option("free-air")
    page.get_by_role("button", name="Save the brief").click()

    # Size: the string is too long for a cold morning; the cure stands beside the drawing and is one
    # click.
    page.wait_for_url(re.compile(r"/jobs/\d+/size"))
    job = re.search(r"/jobs/\d+", page.url)[0]
    assert "S8 hybrid takes 500 V" in page.locator("#findings").inner_text()
    page.get_by_role("button", name="Put 11 modules in string A").click()
    page.get_by_role("button", name=re.compile("Plan it at each module")).click()
    page.wait_for_selector("dd.count-none:has-text('none')")
    page.locator("a.wire[data-at=grid-1] text").first.click()
    page.wait_for_selector("#working h2:has-text('Main panel to inverter')")
    assert page.locator("tr.picked").first.get_attribute("data-at") == "grid-1"
    page.locator("tr[data-at=battery-1] td").first.click()
    page.wait_for_selector("a.wire.picked[data-at=battery-1]")
    page.locator("#working h2:has-text('Battery bus to inverter')").wait_for()
    assert "1.25 · 190 = 237.5 A" in page.locator("#working").inner_text()

    # Every check is judged by a person.
    while page.locator("#findings .finding.check:not(.accepted) details summary").count():
        first = page.locator("#findings .finding.check:not(.accepted)").first
        first.locator("summary").click()
        first.locator("input[name=reason]").fill("Seen on site")
        first.get_by_role("button", name="Accept as Ilse Quayle").click()
        page.wait_for_load_state()
    # Land: every termination, at the torque the page asks for, Enter for the next.
    page.goto(f"{job}/land")
    page.wait_for_selector("#walk[data-ready]")
    rows = page.request.get(f"{job}/land.json").json()["terminations"]
    first = next(r for r in rows if r["kind"] == "factory")
    for n, row in enumerate(rows, 1):
        page.wait_for_selector(f"#step[aria-label='Termination {row['number']}']")
        if row["key"] == first["key"]:
            page.locator("#torque").fill("30 in-lb")
            page.locator("#torque").press("Enter")
            page.wait_for_selector(".notice:has-text('Under.')")
        while page.locator(f"#step[aria-label='Termination {row['number']}'] .do .go").count():
            if page.locator("#torque").count():
                page.locator("#torque").fill(
                    page.locator("#step .big").inner_text().replace("·", "-")
                )
                page.locator("#torque").press("Enter")
            else:
                page.locator("#step .do .go").first.click()
            page.wait_for_selector("#walk:not([data-acting])")
            if page.locator("[data-made]").inner_text().startswith(f"{n} of"):
                break
        page.get_by_text(f"{n} of {len(rows)} made off").wait_for()
    page.wait_for_selector("#signal:has-text('all sent')")

    # Set: the lithium sheet.
    page.goto(f"{job}/set")
    assert (
        page.locator("#absorb_v").input_value() == "56"
        and page.locator("#battery_type").input_value() == "lithium with BMS"
    )

    # Hand over: what is seen or measured on every job; then sign, read the PDF back.
    page.goto(f"{job}/hand-over")
    while page.locator(".duty:not(.done) button.go").count():
        duty = page.locator(".duty:not(.done)").first
        if duty.locator("input[name=reading]").count():
            amps = "kA" in duty.inner_text()
            duty.locator("input[name=reading]").fill("22 kA" if amps else "0.3 V")
        duty.locator("button.go").click()
        page.wait_for_load_state()

    # Prove: readings typed into the table, the others declined with one reason.
    page.goto(f"{job}/prove")
    for name, typed in (("earth.pv-A", "0.14"), ("sky.light", "812"), ("sky.cell", "47")):
        page.locator(f'[name="{name}"]').fill(typed)
    page.get_by_role("button", name="Keep what is typed").click()
    page.locator("[id='earth.pv-A'] .verdict-good").wait_for()
    page.get_by_text("Decline tests, with a reason").click()
    for box in page.locator("#decline [name=key]").all():
        box.check()
    page.locator("#decline-note").fill("The crew's instruments come next week")
    page.get_by_role("button", name="Decline those chosen").click()
    page.get_by_text("Every test this job needs").wait_for()
    assert not page.locator("#decline").count()

    page.goto(f"{job}/hand-over")
    page.get_by_role("button", name="Sign as Ilse Quayle").click()
    page.wait_for_selector("text=Signed by Ilse Quayle")
    text = "\n".join(
        p.extract_text()
        for p in PdfReader(io.BytesIO(printed(page, f"{job}/books/inspector.pdf"))).pages
    )
    for wanted in (
        "Dunlin Point",
        "Signed by Ilse Quayle",
        "One-line drawing",
        "C5 · 6 AWG",
        "2 × 250 kcmil + 4 AWG earth",
        "0.3 V",
        "declined",
        "emergency shutdown",
        "30 in·lb under",
        "Absorption voltage",
        "safety net should the BMS link fail",
        "Hold its button until the display is dark",
        "PV is live whenever there is light",
        "1.25 · 190 = 237.5 A",
        "chain whole",
    ):
        assert wanted in " ".join(text.split()), wanted
    page.goto(f"{job}/brief")
    assert page.get_by_text("The job is signed: reopen it").is_visible()


@pytest.mark.xdist_group("browser")
def test_the_brief_asks_what_the_kit_needs_and_keeps_what_was_typed(visit):
    page = visit("planner")
    blank(page)
    fill(page, {"site/name": "Sanderling Spit", "supply/main_breaker_a": "80 A"})
    assert (
        page.locator('[name="supply/loop_ohm"]:visible').count() == 0
        and page.locator('[name="strings/0/letter"]:visible').count() == 1
    )
    for name, value, appears in (
        ("code", "iec-60364", "supply/loop_ohm"),
        ("supply/kind", "single-phase 230 V", "supply/earthing"),
        ("kit/inverter", "fenwright-a5", "runs/battery/method"),
        ("kit/gateway", "fenwright-g1", "runs/changeover/length_m"),
    ):
        with page.expect_response("**/brief?"):
            page.locator(f'[name="{name}"]').select_option(value)
        page.locator(f'[name="{appears}"]').first.wait_for()
    assert (
        page.locator('[name="strings/0/letter"]:visible').count() == 0
    )  # a battery inverter takes no strings
    assert (
        page.locator('[name="site/name"]').input_value() == "Sanderling Spit"
        and page.locator('[name="supply/main_breaker_a"]').input_value() == "80 A"
    )
    with page.expect_response("**/brief?"):
        fill(page, {"kit/existing_pv/power_w": "3.6"})
        page.locator('[name="kit/existing_pv/power_w"]').press("Tab")
    page.locator('[name="kit/existing_pv/side"]').wait_for()
    # Typing goes on while the form is being asked anew: nothing of it is lost.
    page.locator('[name="code"]').select_option("nec-2023")
    page.locator('[name="site/address"]').fill("9 Shingle Way, typed meanwhile")
    page.locator('[name="supply/backfeed"]').wait_for()
    assert page.locator('[name="site/address"]').input_value() == "9 Shingle Way, typed meanwhile"


@pytest.mark.xdist_group("browser")
def test_drawing_row_and_working_follow_each_other_on_every_kind(visit):
    page = visit("planner")
    for name, circuit in (
        ("Saltings Barn", "backup-1"),
        ("Mossbank Terrace", "existing-pv"),
        ("Juniper Cut", "generator-bypass"),
    ):
        open_job(page, name)
        page.goto(re.search(r"/jobs/\d+", page.url)[0] + "/size")
        page.locator(f"a.wire[data-at='{circuit}'] text").first.click()
        page.wait_for_selector(f"tr.picked[data-at='{circuit}']")
        page.locator("#working:has-text('What binds')").wait_for()
        page.locator("a.stands:has-text('Inverter')").first.click()
        page.locator(
            "#working:has-text('Continuous current'), #working:has-text('battery current')"
        ).first.wait_for()
        other = page.locator(
            "tr[data-row][data-at='grid-1'], tr[data-row][data-at='backup-1']"
        ).first
        other.locator("td").first.click()
        page.wait_for_selector(f"a.wire.picked[data-at='{other.get_attribute('data-at')}']")


@pytest.mark.xdist_group("browser")
def test_the_keys(visit):
    page = visit("planner")
    open_job(page)
    page.keyboard.press("j")
    page.keyboard.press("j")
    assert page.locator("tr.picked").first.get_attribute("data-at") == "pv-B"
    page.keyboard.press("k")
    assert page.locator("tr.picked").first.get_attribute("data-at") == "pv-A"
    page.keyboard.press("w")
    page.wait_for_selector("#working h2:has-text('String A')")
    page.keyboard.press("f")
    assert page.evaluate("document.activeElement.id") == "findings"
    page.keyboard.press("/")
    page.keyboard.type("feeder")
    page.keyboard.press("Escape")
    page.keyboard.press("?")
    assert page.locator("#keys").is_visible()
    page.get_by_role("button", name="Close").click()
    page.locator("#find").fill("backup comb")
    assert page.locator("tr[data-row]:visible").count() == 3
    page.locator("#find").press("Escape")
    page.keyboard.press("]")
    page.wait_for_url("**/wall")
    page.keyboard.press("]")
    page.wait_for_url("**/land")
    page.keyboard.press("[")
    page.wait_for_url("**/wall")
    page.keyboard.press("[")
    page.wait_for_url("**/size")


@pytest.mark.xdist_group("browser")
def test_typing_survives_an_expired_session(visit, server):
    """The session ends while the brief is being typed; after signing in again all of it is there
    and can be sent.
    """
    page = visit("planner")
    open_job(page)
    page.goto(page.url.split("/size")[0] + "/brief")
    page.locator('[name="site/address"]').fill("typed before it ran out")
    page.context.clear_cookies()
    page.get_by_role("button", name="Save the brief").click()
    page.get_by_label("Password").wait_for()
    assert "what you typed is kept" in page.content()
    page.get_by_label("E-mail").fill("planner@demo.example")
    page.get_by_label("Password").fill("boots-by-the-door")
    page.get_by_role("button", name="Sign in").click()
    assert page.get_by_text("typed before it ran out").is_visible()
    page.get_by_role("button", name="Send what I typed").click()
    page.wait_for_url("**/size*")
    page.goto(page.url.split("/size")[0] + "/brief")
    assert page.locator('[name="site/address"]').input_value() == "typed before it ran out"


@pytest.mark.xdist_group("browser")
def test_a_closed_page_keeps_what_was_typed(visit):
    page = visit("planner")
    open_job(page)
    brief = page.url.split("/size")[0] + "/brief"
    page.goto(brief)
    page.locator('[name="site/address"]').fill("not yet saved")
    page.goto("/jobs")
    page.goto(brief)
    page.get_by_text("What you had typed before is back").wait_for()
    assert page.locator('[name="site/address"]').input_value() == "not yet saved"
    page.get_by_role("button", name="Discard it").click()
    page.wait_for_load_state()
    assert page.locator('[name="site/address"]').input_value() != "not yet saved"


@pytest.mark.xdist_group("browser")
def test_a_phone_shows_one_step_at_a_time(visit):
    page = visit("installer", 390, 844)
    open_job(page)
    page.goto(page.url.split("/size")[0] + "/land?at=factory.dc-link-1@inverter-1")
    page.locator("#torque").wait_for()
    assert page.evaluate("document.documentElement.scrollWidth") <= 390
    for target in page.locator(
        "#step button:visible, #step input:visible, #step select:visible, .treads a, .pull"
    ).all():
        assert target.bounding_box()["height"] >= 44
    page.locator(".pull").click()
    page.wait_for_selector("#side.up")
    assert page.locator(".finding.stop").first.is_visible()


@pytest.mark.xdist_group("browser")
def test_without_scripts_the_job_can_still_be_worked(visit):
    page = visit("supervisor", java_script_enabled=False)
    open_job(page)
    page.locator("tr[data-at=grid-1] td a").first.click()
    page.wait_for_url("**at=grid-1*")
    assert "at=" in page.url and "1.25 · 50 = 62.5 A" in page.locator("#working").inner_text()
    page.goto(page.url.split("/size")[0] + "/land?at=pack-1.PE@dc-bus")
    page.locator("#plain-note").fill("by hand")
    page.get_by_role("button", name="Keep", exact=True).click()
    assert (
        "landed" in page.locator("#plain-act").inner_text()
        and "prepared" in page.locator("noscript .step, .step").first.inner_text()
    )
    page.locator("#plain-act").select_option("undone")
    page.get_by_role("button", name="Keep", exact=True).click()
    assert "type why it is undone" in page.locator(".step .fault").inner_text()


@pytest.mark.xdist_group("browser")
def test_a_draft_goes_once_it_is_saved(visit):
    page = visit("planner")
    open_job(page)
    brief = page.url.split("/size")[0] + "/brief"
    page.goto(brief)
    page.locator('[name="site/address"]').fill("first")
    page.locator('[name="kit/packs"]').fill("three")
    page.get_by_role("button", name="Save the brief").click()
    page.get_by_text("Not saved yet.").wait_for()
    assert page.locator('[name="site/address"]').input_value() == "first"
    page.locator('[name="kit/packs"]').fill("3")
    page.get_by_role("button", name="Save the brief").click()
    page.wait_for_url("**/size*")
    page.goto(brief)
    assert not page.get_by_text("What you had typed before is back").is_visible()
    assert page.evaluate("Object.keys(sessionStorage)") == []


@pytest.mark.xdist_group("browser")
def test_two_choices_in_a_row_both_bring_their_fields(visit):
    """The first answer replaces the form that the second is asked from: both stand."""
    page = visit("planner")
    blank(page)
    held = []
    page.route("**/brief?", lambda r: held.append(r) if len(held) < 2 else r.continue_())
    for name, value in (
        ("supply/connection", "supply-side tap"),
        ("kit/gateway", "fenwright-g200"),
    ):
        page.locator(f'[name="{name}"]').select_option(value)
    while len(held) < 2:
        page.wait_for_timeout(20)
    for route in held:
        with page.expect_response("**/brief?"):
            route.continue_()
    page.locator('[name="backup/changeover"]').wait_for(state="detached")  # the gateway does it
    assert page.locator('[name="kit/gateway"]').input_value() == "fenwright-g200"
    assert page.locator('[name="supply/connection"]').input_value() == "supply-side tap"
