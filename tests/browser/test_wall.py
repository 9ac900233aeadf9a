"""The wall in a real browser: boxes moved by mouse, by finger and by keys, taken back, saved; holes
ticked on a phone.
"""

import json
import random
import re

import pytest

from tests.browser.conftest import printed

WALL = "/jobs/2/wall"


def place(page, id):
    return tuple(float(page.locator(f'input[name="{axis}mm.{id}"]').input_value()) for axis in "xy")


def stops(page):
    return page.locator("#says .said.stop").all_inner_texts()


def middle(page, id):
    b = page.locator(f'.thing[data-box="{id}"]').bounding_box()
    return b["x"] + b["width"] / 2, b["y"] + b["height"] * 0.8


def drag(page, id, dx, dy):
    x, y = middle(page, id)
    page.mouse.move(x, y)
    page.mouse.down()
    for k in range(1, 9):
        page.mouse.move(x + dx * k / 8, y + dy * k / 8)
    with page.expect_response("**/wall/try"):
        page.mouse.up()


def test_a_drag_by_mouse_says_what_breaks_and_is_taken_back(visit):
    page = visit("planner")
    page.goto(WALL)
    before = place(page, "inverter-2")
    assert any("Pack 2 is" in s for s in stops(page))
    page.get_by_label("Snap to edges").uncheck()
    drag(page, "inverter-2", -60, 0)
    page.locator("#says", has_text=re.compile("lie over each other|from Inverter 1")).wait_for()
    moved = place(page, "inverter-2")
    assert moved[0] < before[0] - 200 and abs(moved[1] - before[1]) < 8
    assert page.locator("#layer-zones .zone-broken").count() >= 2
    page.get_by_role("button", name="Undo").click()
    page.locator("#says", has_not_text="from Inverter 1").wait_for(state="attached")
    assert place(page, "inverter-2") == before
    page.get_by_role("button", name="Redo").click()
    assert place(page, "inverter-2") == moved
    page.keyboard.press("Control+z")
    assert place(page, "inverter-2") == before


def test_snapping_finds_a_stud_and_draws_its_guide(visit):
    page = visit("planner")
    page.goto(WALL)
    x, y = middle(page, "inverter-2")
    page.mouse.move(x, y)
    page.mouse.down()
    page.mouse.move(x + 44, y + 2)
    page.mouse.move(x + 48, y + 1)
    assert page.locator("#layer-guides .guide").count() >= 1
    page.mouse.up()
    left = place(page, "inverter-2")[0]
    boxes = json.loads(page.locator("#places").get_attribute("data-wall"))["boxes"]
    wide = boxes["inverter-2"]["w"]
    to_studs = [203 + 406.4 * k - hole for k in range(16) for hole in (40, 240, 440)]
    to_edges = [
        x
        for id, b in boxes.items()
        if id != "inverter-2"
        for x in (b["x"], b["x"] + b["w"] - wide, b["x"] + b["w"] / 2 - wide / 2)
    ]
    assert min(abs(left - x) for x in to_studs + to_edges) < 0.2


def test_keys_move_by_one_by_ten_and_to_the_next_stud(visit):
    page = visit("planner")
    page.goto(WALL)
    box = page.locator('.thing[data-box="transfer-switch"]')
    box.focus()
    x, y = place(page, "transfer-switch")
    page.keyboard.press("ArrowRight")
    assert place(page, "transfer-switch") == (x + 1, y)
    page.keyboard.press("Shift+ArrowUp")
    assert place(page, "transfer-switch") == (x + 1, y + 10)
    page.keyboard.press("Alt+ArrowLeft")
    back = place(page, "transfer-switch")[0]
    assert back < x + 1
    page.locator('input[name="x.transfer-switch"]').fill("171 in")
    page.locator('input[name="x.transfer-switch"]').press("Tab")
    assert place(page, "transfer-switch")[0] == pytest.approx(4343.4, abs=0.1)


def test_moved_saved_and_still_there(visit):
    page = visit("planner")
    page.goto(WALL)
    before = place(page, "grid-combiner")
    page.locator('.thing[data-box="grid-combiner"]').focus()
    for _ in range(3):
        page.keyboard.press("Shift+ArrowUp")
    page.get_by_role("button", name="Save the places").click()
    page.wait_for_url(re.compile("since="))
    assert place(page, "grid-combiner") == (before[0], before[1] + 30)
    assert page.get_by_text("What the move changed").count() == 1
    page.locator('.thing[data-box="grid-combiner"]').focus()
    for _ in range(3):
        page.keyboard.press("Shift+ArrowDown")
    page.get_by_role("button", name="Save the places").click()
    page.locator(".busy").first.wait_for(state="detached")


def test_a_finger_moves_a_box_on_a_phone(visit):
    page = visit("planner", 390, 844, has_touch=True, is_mobile=True)
    page.goto(WALL)
    before = place(page, "pack-3")
    x, y = middle(page, "pack-3")
    client = page.context.new_cdp_session(page)
    client.send(
        "Input.dispatchTouchEvent", {"type": "touchStart", "touchPoints": [{"x": x, "y": y}]}
    )
    for k in range(1, 7):
        client.send(
            "Input.dispatchTouchEvent",
            {"type": "touchMove", "touchPoints": [{"x": x + 6 * k, "y": y}]},
        )
    client.send("Input.dispatchTouchEvent", {"type": "touchEnd", "touchPoints": []})
    page.wait_for_timeout(300)
    after = place(page, "pack-3")
    assert after[0] > before[0] + 200 and page.evaluate("scrollY") == 0


def test_holes_are_ticked_one_after_another_on_a_phone(visit):
    page = visit("installer", 390, 844)
    page.goto("/jobs/5/wall/drill")
    page.wait_for_selector("#drill-walk[data-ready]")
    first = page.locator("#step h2").inner_text(), page.locator("#step .big").first.inner_text()
    page.get_by_role("button", name="Drilled").click()
    page.get_by_text("Hole 1: drilled").wait_for()
    assert (
        page.locator("#step h2").inner_text(),
        page.locator("#step .big").first.inner_text(),
    ) != first
    assert "1 of" in page.locator("main").inner_text()
    page.get_by_text("It came out elsewhere").click()
    page.get_by_label("Off to the right").fill("nowhere")
    page.get_by_role("button", name="Drilled").click()
    assert (
        "type it as" in page.locator("#right-fault").inner_text()
        and page.get_by_label("Off to the right").input_value() == "nowhere"
    )
    # the step is drawn anew while somebody reads what is wrong: another hand ticks the same hole
    page.evaluate(
        """() => {
          const id = JSON.parse(document.getElementById("holes").textContent).holes[1].id;
          Field.known.holes[id] = { who: "Osk Fellgate", at: "2026-11-25T08:00:00Z", note: "" };
          document.dispatchEvent(new CustomEvent("known"));
        }"""
    )
    page.get_by_text("Osk Fellgate, ").wait_for()
    assert "type it as" in page.locator("#right-fault").inner_text()


def test_the_pack_shows_walls_and_holes_under_the_strict_policy(visit):
    page = visit("supervisor")
    page.goto("/jobs/1/hand-over")
    assert page.get_by_text("25 of 25 holes are in the record").count() == 1
    assert page.locator('[aria-label="Wall A"] svg .body').count() >= 5
    assert printed(page, "/jobs/1/books/inspector.pdf").startswith(b"%PDF")


def test_a_page_reads_and_shows_lengths_as_the_server_does(visit):
    """The same texts through the page's script and `core/basis/units`, random ones among them."""
    from gumboot.core.basis.units import NotAQuantity, parse_place, show_place

    page = visit("planner")
    page.goto("/jobs/1/wall")
    dice = random.Random(4)
    parts = ["46", "1/4", "3 ft", "'", '"', "in", "mm", "m", ".5", "1,5", "−", "-", " ", "0", "cm."]
    texts = [
        "1/0",
        "",
        "abc",
        "5 constructor",
        "2 meters",
        "12 1/2 inches",
        "1e3",
        "+7",
        "1 175",
        "1 175 mm",
        "9 1 175",
    ]
    texts += ["".join(dice.choices(parts, k=dice.randint(1, 4))) for _ in range(600)]
    rows = [[t, s] for t in texts for s in ("us", "si")]

    def reads(text, system):
        try:
            return parse_place(text, system), ""
        except NotAQuantity as exc:
            return None, str(exc)

    got = page.evaluate("(rows) => rows.map(([t, s]) => Units.place(t, s))", rows)
    for (text, system), (mm, fault) in zip(rows, got, strict=True):
        want, says = reads(text, system)
        assert fault == says, (text, system)
        assert mm == (want if want is None else pytest.approx(want, abs=0.0101)), (text, system)
    assert sum(mm is not None for mm, _ in got) > 200
    places = [[round(dice.uniform(-4000, 4000), 1), s] for _ in range(300) for s in ("us", "si")]
    shown = page.evaluate("(rows) => rows.map(([mm, s]) => Units.showPlace(mm, s))", places)
    assert shown == [show_place(mm, s) for mm, s in places]
