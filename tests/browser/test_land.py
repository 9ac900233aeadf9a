"""The torque book in a real browser: by touch and by key, with and without a signal, on one device
and on two.
"""

import random
import re

import pytest

from gumboot.core.basis.figure import given
from gumboot.core.basis.units import NotAQuantity, parse
from gumboot.core.land import Event, Wrench, judge, state_of
from gumboot.core.land.events import ACTS
from gumboot.core.land.termination import chain_of
from gumboot.demo import scenario
from tests.conftest import altered

pytestmark = pytest.mark.xdist_group("land")
FACTORY = "factory.dc-link-1@inverter-1"


def new_job(page, name):
    """A job of its own, like Heron Slip before anything was done, brought in as a job file."""
    import json
    import uuid

    from gumboot.core.plan import Plan

    plan = altered(Plan.model_validate(scenario.HERON_SLIP), "/site/name", name).model_dump(
        mode="json"
    )
    file = json.dumps(
        {"format": "gumboot-job/1", "uid": str(uuid.uuid4()), "version": 1, "plan": plan, "log": []}
    )
    page.goto("/jobs")
    csrf = page.locator('input[name="csrf"]').first.get_attribute("value")
    answer = page.request.post(
        "/jobs/import",
        multipart={
            "csrf": csrf,
            "file": {"name": "job.json", "mimeType": "application/json", "buffer": file.encode()},
        },
    )
    return re.search(r"/jobs/\d+", answer.url)[0]


def stand_at(page, job, key=""):
    page.goto(f"{job}/land" + (f"?at={key}" if key else ""))
    page.wait_for_selector("#walk[data-ready]")


def kept(page, job):
    """Wait until the worker has the walk of a job, so that the signal may go."""
    there = (
        "async (p) => { const c = await caches.open('gumboot-pages'); return (await"
        " c.keys()).some((k) => k.url.endsWith(p)); }"
    )
    for _ in range(300):
        if page.evaluate(there, f"{job}/land"):
            return
        page.wait_for_timeout(100)
    state = page.evaluate(
        "(async () => { const r = await navigator.serviceWorker.getRegistration(); const c = await"
        " caches.open('gumboot-pages'); return [r?.installing?.state, r?.waiting?.state,"
        " r?.active?.state, !!navigator.serviceWorker.controller, await caches.keys(), (await"
        " c.keys()).map((k) => k.url), { ...localStorage }]; })()"
    )
    raise AssertionError(f"the worker kept no page within 30 s: {state}")


def log_of(page, job):
    return page.request.get(f"{job}/export.json").json()["log"]


def sign_in(page, role):
    page.get_by_label("E-mail").fill(f"{role}@demo.example")
    page.get_by_label("Password").fill(scenario.PASSWORD)
    page.get_by_role("button", name="Sign in").click()


def lose_the_session_without_a_signal(page, job):
    """One entry made without a signal; then the signal is there again, the session is not."""
    stand_at(page, job)
    page.context.set_offline(True)
    page.locator("#step").get_by_role("button", name="Proven dead").click()
    page.locator("#signal:has-text('1 waiting')").wait_for()
    page.context.clear_cookies()
    page.context.set_offline(False)


def enter(page, text):
    page.locator("#torque").fill(text)
    page.locator("#torque").press("Enter")


def test_two_hundred_entries_without_a_signal_a_reload_and_a_killed_tab(visit, server):
    page = visit("installer", 390, 844, no_signal=True)
    boss = visit("supervisor", no_signal=True)
    job = new_job(boss, "Knot Bank")
    stand_at(page, job)
    page.reload()
    kept(page, job)
    server.kill()  # no signal at all: nothing answers any more
    try:
        made = 0
        while page.evaluate("Field.state.waiting") < 200:
            if page.locator("#torque").count():
                enter(page, page.locator("#step .big").inner_text().replace("·", "-"))
            else:
                page.locator("#step .do .go").first.click()
            made += 1
            page.wait_for_selector("#walk:not([data-acting])")
            if made == 40:
                page.reload()
                page.wait_for_selector("#walk[data-ready]")
                page.locator("#signal:has-text('no signal')").wait_for()
            if made == 80:
                context = page.context
                page.close()
                page = context.new_page()
                page.goto(f"{job}/land")
                page.wait_for_selector("#walk[data-ready]")
        waiting = page.evaluate("Field.queued().then((rows) => rows.map((r) => r.entry.uuid))")
        assert (
            len(waiting) >= 200
            and f"no signal · {len(waiting)} waiting" in page.locator("#signal").inner_text()
        )
        done = page.locator("[data-made]").inner_text()
        assert not done.startswith("0 of")
    finally:
        server.start()
    page.evaluate("Field.send()")
    page.wait_for_selector("#signal:has-text('all sent')")
    assert [
        e["uuid"] for e in log_of(boss, job)
    ] == waiting  # all there, once, in the order they were made
    assert page.locator("[data-made]").inner_text() == done
    page.evaluate(
        "(u) => Field.add({ kind: 'termination', key: 'x', act: 'proven', uuid: u })", waiting[0]
    )
    page.wait_for_selector("#signal:has-text('1 refused')")  # the same number for something else
    assert len(log_of(boss, job)) == len(waiting)


def test_two_devices_at_odds(visit):
    first, second = visit("installer", no_signal=True), visit("supervisor", no_signal=True)
    job = new_job(second, "Godwit Reach")
    for page in (first, second):
        stand_at(page, job, FACTORY)
        page.context.set_offline(True)
    enter(first, "44.3 in-lb")
    first.get_by_text("good").first.wait_for()
    enter(second, "60 in-lb")
    second.get_by_text("Over.").wait_for()
    for page in (first, second):
        page.context.set_offline(False)
        page.evaluate("Field.send()")
        page.wait_for_selector("#signal:has-text('all sent')")
    assert [e["body"]["verdict"] for e in log_of(second, job)] == [
        "good",
        "over",
    ]  # both histories are kept
    stand_at(first, job, FACTORY)
    first.get_by_text("Two people logged this termination").wait_for()
    first.get_by_role("link", name="Look at both").click()
    assert first.get_by_text("Two people logged this termination").is_visible()
    first.get_by_label(re.compile("Osk Fellgate")).check()
    first.get_by_role("button", name="This one is right").click()
    assert first.get_by_text("Type what you found at the termination").is_visible()
    first.get_by_label(re.compile("What you found")).fill("60 was read off the wrong scale")
    first.get_by_label(re.compile("Osk Fellgate")).check()
    first.get_by_role("button", name="This one is right").click()
    first.wait_for_load_state()
    stand_at(first, job, FACTORY)
    assert first.locator("#step .state-torqued").count() == 1


def test_a_session_that_ends_without_a_signal_asks_before_sending_and_loses_nothing(visit):
    page = visit("installer", no_signal=True)
    job = new_job(visit("supervisor"), "Turnstone")
    lose_the_session_without_a_signal(page, job)
    page.evaluate("Field.send()")
    page.locator("#signal:has-text('sign in to send 1')").wait_for()
    page.locator("#signal").click()
    page.get_by_role("link", name="Sign in").click()
    sign_in(page, "installer")
    page.wait_for_selector("#walk[data-ready]")
    page.wait_for_selector("#signal:has-text('all sent')")
    assert [e["body"]["act"] for e in log_of(page, job)] == ["proven"]


def test_entries_wait_for_who_made_them(visit):
    page = visit("installer", no_signal=True)
    job = new_job(visit("supervisor"), "Whimbrel")
    lose_the_session_without_a_signal(page, job)
    page.goto("/sign-in")
    sign_in(page, "supervisor")
    page.wait_for_url("**/jobs")
    stand_at(page, job)
    page.get_by_text("Entries of Osk Fellgate wait on this device").wait_for()
    assert log_of(page, job) == []


def test_an_entry_that_trips_the_server_holds_back_no_other(visit):
    page = visit(
        "installer", no_signal=True, service_workers="block"
    )  # the test answers in the server's place
    job = new_job(visit("supervisor"), "Garganey")
    trips = ["proven"]

    def answer(route):
        bodies = [e["act"] for e in route.request.post_data_json["entries"]]
        (
            route.fulfill(status=500, json={"error": "An error on our side"})
            if set(bodies) & set(trips)
            else route.continue_()
        )

    page.route(f"**{job}/log", answer)
    stand_at(page, job)
    page.context.set_offline(True)
    page.locator("#step").get_by_role("button", name="Proven dead").click()
    page.locator("#signal:has-text('1 waiting')").wait_for()
    termination = next(
        t["key"]
        for t in page.evaluate("JSON.parse(document.getElementById('terminations').textContent)")
        if t["kind"] == "bar" or t["chain"][0] == "landed"
    )
    page.evaluate(
        "(key) => Field.add({ kind: 'termination', key, label: key, act: 'landed', seen:"
        " Field.known.seq })",
        termination,
    )
    page.locator("#signal:has-text('2 waiting')").wait_for()
    page.context.set_offline(False)
    page.evaluate("Field.send()")
    page.locator("#signal:text-is('1 refused')").wait_for()
    assert [e["body"]["termination"] for e in log_of(page, job)] == [termination]
    page.locator("#signal").click()
    page.get_by_text("The fault is ours").wait_for()
    page.get_by_role("button", name="Send again", exact=True).click()
    page.locator("#signal:text-is('1 refused')").wait_for()  # tried again, and put aside again
    trips.clear()
    page.reload()
    page.locator("#signal:has-text('all sent')").wait_for()
    assert sorted(e["body"]["act"] for e in log_of(page, job)) == ["landed", "proven"]


@pytest.mark.parametrize(
    ("how", "says"),
    [
        (
            "indexedDB.open = () => { throw new DOMException('no', 'SecurityError'); }",
            "keeps nothing of its own",
        ),
        (
            (
                "IDBObjectStore.prototype.add = () => { throw new DOMException('full',"
                " 'QuotaExceededError'); }"
            ),
            "store is full",
        ),
    ],
)
def test_a_full_or_refused_store_is_said_at_once_and_the_entry_still_goes(visit, how, says):
    page = visit("installer")
    job = new_job(visit("supervisor"), "Redshank")
    page.add_init_script(how)
    stand_at(page, job)
    page.locator("#step").get_by_role("button", name="Proven dead").click()
    page.locator(f"#store-refused:has-text('{says}')").wait_for()
    page.wait_for_selector("#signal:has-text('all sent')")
    assert len(log_of(page, job)) == 1


def test_holes_are_ticked_without_a_signal(visit):
    page = visit("installer", 390, 844, no_signal=True)
    job = new_job(visit("supervisor"), "Dunlin Flat")
    page.goto(f"{job}/wall/drill?wall=A")
    page.wait_for_selector("#drill-walk[data-ready]")
    page.context.set_offline(True)
    page.locator("summary", has_text="It came out elsewhere").click()
    page.get_by_label("Off to the right").fill("1/8")
    page.locator("#photo").set_input_files(
        {"name": "hole.png", "mimeType": "image/png", "buffer": PNG}
    )
    page.get_by_role("button", name="Drilled").click()
    page.get_by_text("Hole 1: drilled").wait_for()
    page.get_by_role("button", name="Drilled").click()
    page.get_by_text("Hole 2: drilled").wait_for()
    page.context.set_offline(False)
    page.evaluate("Field.send()")
    page.wait_for_selector("#signal:has-text('all sent')")
    log = log_of(page, job)
    drilled = [e["body"] for e in log if e["kind"] == "drill"]
    assert (
        len(drilled) == 2
        and drilled[0]["x_mm"] - drilled[0]["planned_mm"][0] == pytest.approx(3.2, abs=0.1)
        and len(drilled[0]["digest"]) == 64
    )
    assert [e["kind"] for e in log] == ["photo", "drill", "drill"]


def png():
    import io

    from PIL import Image

    out = io.BytesIO()
    Image.new("RGB", (40, 30), "grey").save(out, "PNG")
    return out.getvalue()


PNG = png()


def test_by_touch_on_a_phone(visit):
    page = visit("installer", 390, 844, has_touch=True, is_mobile=True)
    job = new_job(visit("supervisor"), "Sandling")
    stand_at(page, job)
    page.locator("[data-circuits]").tap()
    page.locator("#circuits .choice", has_text="Battery bus to inverter").or_(
        page.locator("#circuits .choice", has_text="Pack to inverter")
    ).first.tap()  # two touches
    page.locator("[data-circuit-name]:has-text('to inverter')").wait_for()
    assert page.locator("#step h2").inner_text() != "Main panel"
    page.get_by_role("button", name="Prepared, landed").tap()
    page.locator("#torque").wait_for()
    number = page.locator("#step .big").inner_text().split()[0]
    over = (
        "() => { const b = document.querySelector('#enter .go'), at = b.getBoundingClientRect();"
        " return document.elementFromPoint(at.x + at.width / 2, at.y + at.height / 2) === b; }"
    )
    assert page.evaluate(over)  # the whole pad is in reach, nothing over it
    page.evaluate("document.querySelector('#enter .go').dataset.same = 'yes'")
    for k in number:
        page.locator(f'[data-key="{k}"]').tap()
    page.locator("#signal:has-text('all sent')").wait_for()
    assert page.locator("#torque").input_value() == number
    assert page.locator("#enter .go").get_attribute(
        "data-same"
    )  # entries that come and go leave the pad under the finger alone
    page.get_by_role("button", name="Enter").tap()
    page.get_by_role("button", name="Tugged, marked").tap()
    page.locator(".told:has-text('marked')").wait_for()
    assert page.locator("#step .state-open").count() == 1  # it has gone on to the next
    for target in page.locator(
        "#step button:visible, #step input:visible, #step select:visible, .walk-head button:visible"
    ).all():
        assert target.bounding_box()["height"] >= 44
    assert page.evaluate("document.documentElement.scrollWidth") <= 390


def test_by_keys(visit):
    page = visit("installer")
    job = new_job(visit("supervisor"), "Plover Cut")
    stand_at(page, job)
    page.keyboard.press("/")
    page.keyboard.type("bat +")
    page.keyboard.press("Enter")
    page.locator("#step h2:has-text('BAT +')").wait_for()
    page.keyboard.press("/")
    page.keyboard.type(f"http://x/jobs/2/land?at={FACTORY}")
    page.keyboard.press("Enter")
    page.locator("#step h2:has-text('DC link bus, left')").wait_for()
    page.locator("#torque").fill("snug")
    page.locator("#torque").press("Enter")
    assert (
        "type a number and unit" in page.locator("#told").inner_text()
        and page.locator("#torque").input_value() == "snug"
    )
    enter(page, "30 in-lb")
    page.locator(".notice:has-text('Rated torque again')").wait_for()
    enter(page, "60")
    page.get_by_role("button", name="Hardware replaced").click()
    enter(page, "44")
    page.get_by_role("button", name="Marked").wait_for()
    page.get_by_role("button", name="Correct").first.click()
    enter(page, "43.5")
    page.locator("#termination-log tr.voided").first.wait_for()
    page.get_by_role("button", name="Marked").click()
    page.wait_for_selector("#signal:has-text('all sent')")
    page.keyboard.press("/")
    page.keyboard.type("DC link bus, left")
    page.keyboard.press("Enter")
    page.locator("[data-more] summary").click()
    page.get_by_role("button", name="Undo this termination").click()
    page.get_by_role("button", name="Keep", exact=True).click()
    assert page.get_by_text("Type the reason.").is_visible()
    page.get_by_label("Saved with your name").fill("wrong screw")
    page.get_by_role("button", name="Keep", exact=True).click()
    page.locator("#step .state-open").wait_for()
    page.wait_for_selector("#signal:has-text('all sent')")
    acts = [e["body"].get("act", e["body"].get("verdict")) for e in log_of(page, job)]
    assert acts == ["under", "over", "replaced", "good", "good", "marked", "undone"]


def test_the_page_judges_as_the_core_does(visit):
    """States, verdicts and typed units of the page against the core, over random cases with a fixed
    seed.
    """
    page = visit("installer")
    stand_at(page, "/jobs/2")
    dice = random.Random(7)
    chains = [
        chain_of("conductor", "lug", True),
        chain_of("conductor", "spring", False),
        chain_of("factory", "as made", True),
        chain_of("bar", "bar", True),
        ("proven",),
    ]
    cases, want = [], []
    for _ in range(600):
        chain = dice.choice(chains)
        events: list[Event] = []
        for i in range(dice.randrange(12)):
            act = dice.choice([a for a in ACTS if a != "settled"])
            verdict = (
                dice.choice(["good", "under", "over", "withheld"]) if act == "torqued" else None
            )
            corrects = dice.choice(events).uuid if events and dice.random() < 0.15 else None
            events.append(
                Event(
                    f"m{i}",
                    act,
                    i,
                    torque_nm=round(dice.uniform(1, 9), 2) if verdict else None,
                    verdict=verdict,
                    replaced=dice.random() < 0.2,
                    again=dice.random() < 0.3,
                    corrects=corrects,
                )
            )
        s = state_of(events, chain)
        cases.append(
            [
                [
                    {
                        "uuid": m.uuid,
                        "act": m.act,
                        "torque_nm": m.torque_nm,
                        "verdict": m.verdict,
                        "replaced": m.replaced,
                        "again": m.again,
                        "corrects": m.corrects,
                    }
                    for m in events
                ],
                list(chain),
            ]
        )
        want.append([s.at, s.verdict, s.spoiled, s.rechecked, s.first_nm, s.second_nm])
    got = page.evaluate(
        "(cases) => cases.map(([events, chain]) => { const s = GumbootWalk.fold(events, chain);"
        " return [s.at, s.verdict, s.spoiled, s.rechecked, s.first_nm, s.second_nm]; })",
        cases,
    )
    assert got == want

    from datetime import UTC, date, datetime

    today = datetime.now(UTC).date()
    tools = [
        Wrench(str(i), "w", "s", a, b, d, c)
        for i, (a, b, c, d) in enumerate(
            [
                (1, 6, "II-D", date(2099, 1, 1)),
                (5, 25, "II-A", date(2099, 1, 1)),
                (20, 110, "I-A", date(2099, 1, 1)),
                (5, 25, "II-A", date(2020, 1, 1)),
            ]
        )
    ]
    trials = [
        (round(dice.uniform(0.5, 60), 2), round(f, 4), w)
        for w in tools
        for f in [dice.uniform(0.85, 1.15) for _ in range(60)]
    ]
    trials = [(nm, round(nm * f, 3), w) for nm, f, w in trials]
    want = [judge(given("M", nm, "N·m", "", ""), x, w, today)[0] for nm, x, w in trials]
    sent = [
        [
            nm,
            x,
            {
                "name": w.name,
                "until": w.calibrated_until.isoformat(),
                "from_nm": w.serves_from,
                "most_nm": w.most_nm,
                "share": w.tolerance,
                "scale": "N·m",
            },
        ]
        for nm, x, w in trials
    ]
    assert (
        page.evaluate("(rows) => rows.map(([nm, x, w]) => GumbootWalk.judge(nm, x, w)[0])", sent)
        == want
    )

    texts = [
        "12",
        "12 Nm",
        "12,5 N.m",
        "106.2 in-lb",
        "8.85 ft·lb",
        " 5.0nm ",
        "1.",
        ".5 Nm",
        "abc",
        "",
        "5 V",
        "-5 Nm",
        "0",
        "1e3",
        "2000 Nm",
        "1,000 in lb",
        "12 in-lbs",
        "+7 lbf·ft",
        "7 nm.",
        "7..5",
    ]
    want = []
    for t in texts:
        try:
            nm = parse(t, "torque", bare="in·lb")
            want.append(nm if 0 < nm <= 1000 else None)
        except NotAQuantity:
            want.append(None)
    got = page.evaluate("(rows) => rows.map((t) => GumbootWalk.parsed(t, 'in·lb')[0])", texts)
    assert got == [w if w is None else pytest.approx(w, rel=1e-6) for w in want]


def test_it_can_be_installed(visit):
    page = visit("installer")
    stand_at(page, "/jobs/2")
    manifest = page.request.get(page.locator('link[rel="manifest"]').get_attribute("href")).json()
    assert manifest["display"] == "standalone" and manifest["start_url"] == "/jobs"
    for icon in manifest["icons"]:
        assert page.request.get(icon["src"]).ok
    worker = page.request.get("/sw.js")
    assert worker.headers["content-type"].startswith("text/javascript")
    for path in re.findall(r'"(/static/[^"]+)"', worker.text()):
        assert page.request.get(path).ok, path
