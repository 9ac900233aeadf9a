"""The measuring behind script/bench. Medians of several rounds, the two sides in turn, so that a
drifting machine cancels out.
"""

import asyncio
import json
import os
import socket
import statistics
import subprocess
import sys
import time
import uuid

import httpx
import numpy as np
from pymodbus.client import ModbusTcpClient
from sqlalchemy import select, text

from gumboot.catalogue import catalogue
from gumboot.core.basis.finding import Change
from gumboot.core.basis.patch import apply
from gumboot.core.brief.loads.assign import assign
from gumboot.core.brief.loads.board import Sheet, design_leg, ratings, starting_power
from gumboot.core.brief.loads.ordinary import ORDINARY
from gumboot.core.design import design
from gumboot.core.energy.account import neutral
from gumboot.core.energy.battery import Bank, Rules, many
from gumboot.core.energy.best import best_possible
from gumboot.core.energy.year import gather
from gumboot.core.journal import log
from gumboot.core.link import ct
from gumboot.core.link.wiring import Setup, right
from gumboot.core.network.ask import isolate
from gumboot.core.plan import Plan
from gumboot.core.plan.linking import Linking
from gumboot.core.set.ladder import ladders
from gumboot.core.set.settings import Job, fill_menu, menu_findings
from gumboot.core.size.conductors import RULES, size_circuit
from gumboot.core.size.finder import Face, find
from gumboot.core.size.strings import Taker
from gumboot.core.wake import proof
from gumboot.demo import scenario
from gumboot.demo.plans import HERON_SLIP, JUNIPER_CUT, TERN_HOLLOW
from gumboot.devices.menu_client import read_menu
from gumboot.devices.unit import Menu, Running
from gumboot.drawings.ladder import draw_ladder
from gumboot.store import database, records
from gumboot.store.models import Crew
from gumboot.web.app import settle_memory

CLIENTS, SECONDS, ROUNDS = 16, 3.0, 3


def per_call(work, n):
    start = time.perf_counter()
    for _ in range(n):
        work()
    return (time.perf_counter() - start) / n


def bench_design():
    plan = Plan.model_validate(TERN_HOLLOW)
    text, book = plan.model_dump_json(), catalogue()
    pairs = [
        (
            per_call(lambda: design(plan, book), 40),
            per_call(lambda: Plan.model_validate_json(text), 400),
        )
        for _ in range(7)
    ]
    ours, reference = statistics.median(a for a, _ in pairs), statistics.median(b for _, b in pairs)
    print(
        f"(a) design() {ours * 1e3:.2f} ms, Pydantic on the same plan {reference * 1e3:.3f} ms:"
        f" ratio {statistics.median(a / b for a, b in pairs):.0f}"
    )


CHANGES = {
    "a box moved": Change("/walls/0/placed/inverter-2/x_mm", 3020),
    "a setting": Change("/settings/export_w", 5000),
    "a length": Change("/runs/loads/length_m", 7.5),
    "a load": Change("/loads/0/running_w", 190),
    "a pack more": Change("/kit/packs", 4),
}


def bench_change():
    """A design made from the one before it after one change; and what to open for every body."""
    plan, book = Plan.model_validate(TERN_HOLLOW), catalogue()
    document, text = plan.model_dump(mode="json"), plan.model_dump_json()
    before = design(plan, book)
    for name, change in CHANGES.items():
        after = Plan.model_validate(apply(document, [change]))
        pairs = [
            (
                per_call(lambda q=after: design(q, book, before), 5),
                per_call(lambda: Plan.model_validate_json(text), 200),
            )
            for _ in range(7)
        ]
        ours = statistics.median(a for a, _ in pairs)
        print(
            f"(a) design() after {name} {ours * 1e3:.2f} ms: ratio"
            f" {statistics.median(a / b for a, b in pairs):.1f}"
        )
    network = before.network
    pairs = [
        (
            per_call(lambda: [isolate(network, b.id) for b in network.bodies], 20),
            per_call(lambda: Plan.model_validate_json(text), 200),
        )
        for _ in range(7)
    ]
    print(
        f"(a) what to open for all {len(network.bodies)} bodies"
        f" {statistics.median(a for a, _ in pairs) * 1e3:.2f} ms: ratio"
        f" {statistics.median(a / b for a, b in pairs):.1f}"
    )


def bench_finder():
    """60 modules on three faces, one inverter of four trackers with two pairs each; the reference
    sorts a million numbers.
    """
    heron, book = Plan.model_validate(HERON_SLIP), catalogue()
    unit = book.inverters["marram-s8"]
    four = tuple(unit.trackers[2].model_copy(update={"id": str(i)}) for i in range(1, 5))
    wide = unit.model_copy(update={"trackers": four, "pv_power_max_w": 40_000})
    faces, module = (
        [Face(24, 30, 180), Face(20, 30, 90), Face(16, 30, 270)],
        book.modules["reedbed-430"],
    )
    numbers = np.random.default_rng(1).random(1_000_000)
    count = find(heron, [Taker(1, wide, wide.trackers)], module, faces).count
    pairs = [
        (
            per_call(lambda: find(heron, [Taker(1, wide, wide.trackers)], module, faces), 3),
            per_call(lambda: np.sort(numbers), 3),
        )
        for _ in range(7)
    ]
    ours, reference = statistics.median(a for a, _ in pairs), statistics.median(b for _, b in pairs)
    print(
        f"(c) string finder, {count} arrangements, {ours * 1e3:.0f} ms; numpy sorting a million"
        f" {reference * 1e3:.0f} ms: ratio {statistics.median(a / b for a, b in pairs):.2f}"
    )


def bench_auto_size():
    """Every circuit of the largest demo job sized anew: all cables, sizes and sets tried."""
    plan, book = Plan.model_validate(TERN_HOLLOW), catalogue()
    d, text = design(plan, book), plan.model_dump_json()
    work = [(s.circuit, s.conditions) for s in d.circuits]
    rules = RULES[plan.code]
    pairs = [
        (
            per_call(lambda: [size_circuit(c, p, book, plan, rules) for c, p in work], 20),
            per_call(lambda: Plan.model_validate_json(text), 400),
        )
        for _ in range(7)
    ]
    ours = statistics.median(a for a, _ in pairs)
    print(
        f"(d) auto-size of {len(work)} circuits {ours * 1e3:.2f} ms:"
        f" {statistics.median(a / b for a, b in pairs):.0f} × Pydantic on the same plan"
    )


def plain_loop():
    """The reference: self-use and nothing else, as plainly as it can be written, compiled."""
    import numba

    @numba.njit(nogil=True)
    def loop(sun, load, buy, sell, caps, powers, eta, scales, bills):
        for c in range(len(caps)):
            cap, power, e, bill = caps[c], powers[c], 0.5 * caps[c], 0.0
            for t in range(len(sun)):
                pv, want = sun[t] * scales[c], load[t]
                direct = min(pv, want)
                charge = min(pv - direct, power, (cap - e) * 4 / eta)
                give = min(want - direct, power, e * 4 * eta)
                e += (charge * eta - give / eta) / 4
                bill += (want - direct - give) * buy[t] - (pv - direct - charge) * sell[t]
            bills[c] = bill / 4000

    return loop


def bench_transformers():
    """What the readings of six channels say, and which step to make next; the reference sorts a
    million numbers.
    """
    three = tuple(tuple(float(i == j) for j in range(3)) for i in range(3))
    channels = tuple((place, i) for place in ("service", "PV inverter") for i in range(3))
    drives = (*(("house", row) for row in three), ("inverter", (1 / 3,) * 3))
    places = ("service", "inverter", "house without inverter", "PV inverter")
    setup = Setup("three-phase 400/230 V", channels, drives, places)
    steps = [ct.Step(str(k), k, 1500.0) for k in range(len(drives))]
    shown = [ct.Shown(steps[0], ct.shows(setup, right(setup), steps[0]), 60.0)]
    numbers = np.random.default_rng(1).random(1_000_000)

    def answer():
        ct.next_step(ct.believe(setup, shown), steps, 60.0)

    pairs = [(per_call(answer, 5), per_call(lambda: np.sort(numbers), 3)) for _ in range(7)]
    print(
        f"(c) the CT test of six channels {statistics.median(a for a, _ in pairs) * 1e3:.1f} ms:"
        f" {statistics.median(a / b for a, b in pairs):.2f} of sorting a million numbers"
    )


def bench_states():
    """Every state of 14 and of 18 levers, and every act from each; the reference sorts a million
    numbers.
    """
    numbers = np.random.default_rng(1).random(1_000_000)
    for name, document in (("Heron Slip", HERON_SLIP), ("Tern Hollow", TERN_HOLLOW)):
        way = design(Plan.model_validate(document), catalogue()).wake.way
        count = min(len(way.plant.levers), 18)
        states = np.arange(1 << count, dtype=np.int64)
        states = states[proof.allowed(way.plant, states)]

        def judge(way=way, states=states, count=count):
            for _ in proof.judged(way.plant, way.rules, states, count):
                pass

        judge()
        pairs = [(per_call(judge, 1), per_call(lambda: np.sort(numbers), 3)) for _ in range(3)]
        print(
            f"(w) {len(states):,} states of {name} ({count} levers) with every act"
            f" {statistics.median(a for a, _ in pairs) * 1e3:.0f} ms:"
            f" {statistics.median(a / b for a, b in pairs):.1f} of sorting a million numbers"
        )


def bench_menu():
    """A menu of 100 lines filled, judged and drawn, against Pydantic's validation of the plan; read
    from the simulated unit over loopback, against one bare question of 100 registers.
    """
    shelf, plan = catalogue(), Plan.model_validate(JUNIPER_CUT)
    unit = shelf.inverters[plan.kit.inverter]
    more = [m for m in unit.menu if m.read_at and not m.when and not m.rewrites][:34]
    moved = [
        m.model_copy(
            update={"id": f"x-{m.id}", "read_at": m.read_at.model_copy(update={"number": 2000 + n})}
        )
        for n, m in enumerate(more)
    ]
    unit = unit.model_copy(update={"menu": (*unit.menu, *moved)})
    job = Job(plan, unit, shelf.packs[plan.kit.pack], None, ())

    def whole():
        settings = fill_menu(job)
        menu_findings(settings, job)
        return [draw_ladder(x) for x in ladders(settings, job)]

    document = plan.model_dump_json()
    whole()
    pairs = [
        (per_call(whole, 3), per_call(lambda: Plan.model_validate_json(document), 20))
        for _ in range(7)
    ]
    print(
        f"(m) a menu of {len(unit.menu)} lines filled, judged, drawn"
        f" {statistics.median(a for a, _ in pairs) * 1e3:.1f} ms:"
        f" {statistics.median(a / b for a, b in pairs):.1f} of Pydantic's validation of the plan"
    )
    with socket.socket() as s:
        s.bind(("127.0.0.1", 0))
        port = s.getsockname()[1]
    linking = Linking(unit_at=f"127.0.0.1:{port}")
    with Running([Menu(unit, 0)], port):
        bare = ModbusTcpClient("127.0.0.1", port=port)
        bare.connect()
        asked = lambda: bare.read_holding_registers(1000, count=66, device_id=1)  # noqa: E731
        read = lambda: read_menu(linking, unit, 1, ["127.0.0.0/8"])  # noqa: E731
        read(), asked()
        pairs = [(per_call(read, 1), per_call(asked, 5)) for _ in range(7)]
        bare.close()
    print(
        f"(m) {len(unit.menu)} lines read from the simulated unit"
        f" {statistics.median(a for a, _ in pairs) * 1e3:.0f} ms (aim 1000):"
        f" {statistics.median(a / b for a, b in pairs):.1f} of one bare question"
    )


def bench_sweep():
    """200 candidates (25 counts of packs, 8 arrays) through a year of quarter hours."""
    n = 35_040
    rng, t = np.random.default_rng(1), np.arange(n) % 96
    sun, load = (
        np.maximum(0, np.sin((t - 24) / 48 * np.pi)) * 6000 * rng.uniform(0.2, 1, n),
        900 * rng.uniform(0.2, 2, n),
    )
    buy, sell = np.where((t > 64) & (t < 80), 0.4, 0.2), np.full(n, 0.05)
    banks = [
        Bank(5000.0 * k, 2500.0 * k, 2500.0 * k, 0.95, 0.95, 8000.0, True)
        for k in range(25)
        for _ in range(8)
    ]
    scales = np.array([0.5 + 0.25 * a for _ in range(25) for a in range(8)])
    rules, loop, bills = Rules(np.full(n, 0.1), np.zeros(n)), plain_loop(), np.zeros(200)
    caps, powers = np.array([b.capacity_wh for b in banks]), np.array([b.charge_w for b in banks])
    ours, plainly = (
        lambda: many(sun, load, buy, sell, rules, banks, scales),
        lambda: loop(sun, load, buy, sell, caps, powers, 0.95, scales, bills),
    )
    ours(), plainly()
    pairs = [(per_call(ours, 3), per_call(plainly, 3)) for _ in range(7)]
    print(
        f"(e) sweep of 200 × {n} steps {statistics.median(a for a, _ in pairs) * 1e3:.0f} ms (aim"
        f" 1500); plain loop, compiled, {statistics.median(b for _, b in pairs) * 1e3:.0f} ms:"
        f" ratio {statistics.median(a / b for a, b in pairs):.2f} (aim 1.5)"
    )


def bench_programs():
    """The best possible year of the largest demo job, and the legs of 42 circuits; the reference
    sorts a million numbers.
    """
    book = catalogue()
    whole = Plan.model_validate(TERN_HOLLOW)
    plan = neutral(whole, catalogue().inverters[whole.kit.inverter])
    inputs = gather(plan, design(plan, book), book)
    numbers = np.random.default_rng(1).random(1_000_000)
    best = per_call(lambda: best_possible(inputs, inputs.bank, 0.5), 1)
    sort = statistics.median(per_call(lambda: np.sort(numbers), 3) for _ in range(5))
    unit, lines = book.inverters["marram-s8"], ["L1", "L2"]
    rng = np.random.default_rng(4)
    picked = enumerate(rng.integers(0, len(ORDINARY), 42))
    some = [ORDINARY[k].load(f"l{n}", unit.supply) for n, k in picked]
    some = [
        x.model_copy(
            update={
                "legs": x.legs if "+" in x.legs else lines[n % 2],
                "running_w": min(x.running_w, 1500.0),
            }
        )
        for n, x in enumerate(some)
    ]
    starting = {x.id: starting_power(x, 120.0, False) for x in some}
    whole, surge, leg_c, leg_s = ratings(unit, 4)
    sheet = Sheet(some, starting, False)
    sides = design_leg("all", sheet, whole, surge), design_leg("L1", sheet, leg_c, leg_s)
    found = assign(some, starting, lines, *sides, False, False)
    legs = statistics.median(
        per_call(lambda: assign(some, starting, lines, *sides, False, False), 1) for _ in range(5)
    )
    gap = f"gap {found.best.gap_w:.0f} W" if found.best else "none fits"
    print(
        f"(f) linear program of a year {best:.1f} s ({best / sort:.0f} × numpy sorting a million);"
        f" legs of 42 circuits {legs * 1e3:.0f} ms, {gap} (aim 1000, {legs / sort:.1f} ×)"
    )


def bench_wall():
    """Arranging the largest demo job's wall, eleven boxes; the reference sorts a million numbers.
    The solver stops by its own clock, and is loaded before.
    """
    from ortools.sat.python import cp_model

    from gumboot.core.wall.arrange import arrange

    plan, book = Plan.model_validate(TERN_HOLLOW), catalogue()
    d = design(plan, book)
    numbers = np.random.default_rng(1).random(1_000_000)
    work = [s.circuit for s in d.circuits]
    cp_model.CpModel()
    ours = statistics.median(
        per_call(lambda: arrange(plan, 0, d.boxes, work, book), 1) for _ in range(3)
    )
    sort = statistics.median(per_call(lambda: np.sort(numbers), 3) for _ in range(5))
    found = arrange(plan, 0, d.boxes, work, book)
    print(
        f"(g) three layouts of a wall of {len(d.boxes)} boxes {ours:.2f} s, {len(found.best)} found"
        f" (aim 3): {ours / sort:.0f} × numpy sorting a million"
    )


def drag(http, port_bare, job):
    """One question after another, as while dragging a box on a wall of twelve; the bare page in
    turn.
    """
    page = http.get(f"/jobs/{job}/wall.json").json()
    csrf = http.get(f"/jobs/{job}/wall").text.split('name="csrf" value="')[1].split('"')[0]
    placed = {b["id"]: [b["x_mm"], b["y_mm"]] for b in page["boxes"] if b["x_mm"] is not None}
    assert len(placed) == 12, len(placed)
    ours, plain, bare_http = [], [], httpx.Client()
    for k in range(-30, 200):  # the first ones warm up
        placed["inverter-2"][0] = 2800 + k
        start = time.perf_counter()
        answer = http.post(
            f"/jobs/{job}/wall/try", data={"csrf": csrf, "wall": "A", "placed": json.dumps(placed)}
        )
        ours.append(time.perf_counter() - start)
        assert answer.status_code == 200
        start = time.perf_counter()
        bare_http.get(f"http://127.0.0.1:{port_bare}/")
        plain.append(time.perf_counter() - start)
    ours, plain = ours[30:], plain[30:]
    p95 = statistics.quantiles(ours, n=20)[18]
    print(
        f"(h) what breaks while dragging, {len(placed)} boxes: median"
        f" {statistics.median(ours) * 1e3:.0f} ms, p95 {p95 * 1e3:.0f} ms (aim 40);"
        f" {statistics.median(a / b for a, b in zip(ours, plain, strict=True)):.1f} × the bare page"
    )


def twelve(http):
    """A copy of the largest demo job with a network box on its wall, as a new job."""
    source = next(
        j["id"] for j in http.get("/jobs.json").json()["jobs"] if j["name"] == "Tern Hollow"
    )
    document = http.get(f"/jobs/{source}/export.json").json()
    wall = document["plan"]["walls"][0]
    wall["extras"] = [
        {
            "id": "network",
            "kind": "network box",
            "label": "Network box",
            "width_mm": 200,
            "height_mm": 200,
            "depth_mm": 80,
            "mass_kg": 1,
        }
    ]
    wall["placed"]["network"] = {"x_mm": 2300, "y_mm": 500}
    csrf = http.get("/jobs").text.split('name="csrf" value="')[1].split('"')[0]
    answer = http.post(
        "/jobs/import",
        data={"csrf": csrf},
        files={"file": ("job.json", json.dumps(document))},
        follow_redirects=False,
    )
    return answer.headers["location"].split("/")[2]


def bare(size):
    """The reference: one SELECT, one template, as many bytes."""
    from fastapi import FastAPI
    from fastapi.responses import HTMLResponse
    from jinja2 import Template
    from sqlalchemy import text

    from gumboot.store import database

    app, make = FastAPI(), database.sessions(database.connect(os.environ["GUMBOOT_DATABASE_URL"]))
    template = Template(
        "<!doctype html><title>{{ one }}</title>{% for row in rows %}<p>{{ row }}</p>{% endfor %}",
        autoescape=True,
    )
    rows = ["x" * 93] * (size // 100)

    @app.get("/")
    def page() -> HTMLResponse:
        with make() as db:
            return HTMLResponse(template.render(one=db.scalar(text("select 1")), rows=rows))

    return app


async def client(port, head, until, times):
    reader, writer = await asyncio.open_connection("127.0.0.1", port)
    while time.perf_counter() < until:
        start = time.perf_counter()
        writer.write(head)
        answer = await reader.readuntil(b"\r\n\r\n")
        assert answer.startswith(b"HTTP/1.1 200"), answer[:200]
        length = int(answer.lower().split(b"content-length: ")[1].split(b"\r\n")[0])
        await reader.readexactly(length)
        times.append(time.perf_counter() - start)
    writer.close()


async def load(port, path, cookie):
    head = f"GET {path} HTTP/1.1\r\nHost: x\r\nCookie: {cookie}\r\n\r\n".encode()
    times, until = [], time.perf_counter() + SECONDS
    await asyncio.gather(*(client(port, head, until, times) for _ in range(CLIENTS)))
    return len(times) / SECONDS, statistics.quantiles(times, n=20)[18]


def long_log(count):
    """A job like Heron Slip whose log has `count` readings, spread over its terminations, put
    straight
    into the database: its number.
    """
    plan, uid = Plan.model_validate(HERON_SLIP), str(uuid.uuid4())
    terminations = [t for t in design(plan, catalogue()).terminations if t.torque]
    prev, entries, at = log.genesis(uid), [], "2026-11-25T08:00:00.000+00:00"
    for i in range(1, count + 1):
        t = terminations[i % len(terminations)]
        nm = round(t.torque.n * (0.95 + i % 11 / 100), 3)
        body = {
            "termination": t.key,
            "label": t.label,
            "torque_nm": nm,
            "typed": f"{nm} Nm",
            "rated_nm": t.torque.n,
            "rated_source": t.source,
            "verdict": "good",
            "why": "",
            "wrench": None,
            "replaced": False,
            "corrects": None,
            "note": "",
        }
        own = str(uuid.uuid5(uuid.NAMESPACE_OID, f"{uid} {i}"))
        hashed = log.digest(
            prev, i, own, "reading", "Osk", "installer", at, at, log.canonical(body)
        )
        entries.append(log.Entry(i, own, "reading", "Osk", "installer", at, at, body, prev, hashed))
        prev = hashed
    with database.sessions(database.connect(os.environ["GUMBOOT_DATABASE_URL"])).begin() as db:
        crew = db.scalar(select(Crew.id).where(Crew.name == "Tidemark crew"))
        database.see_crew(db, crew)
        job = records.create_job(db, crew, plan, "bench", uid)
        records.take_in(db, job, entries)
        return job.id


def bench_log(http, reference):
    """The log page and the walk with a hundred thousand entries against the same pages of the
    demo's signed job.
    """
    job = long_log(100_000)
    start = time.perf_counter()
    http.get(f"/jobs/{job}/land/log", timeout=120)
    cold = time.perf_counter() - start
    for name, path in (("log page", "land/log"), ("walk", "land")):
        pairs = [
            (
                per_call(lambda p=path: http.get(f"/jobs/{job}/{p}"), 5),
                per_call(lambda p=path: http.get(f"/jobs/{reference}/{p}"), 5),
            )
            for _ in range(7)
        ]
        ours, theirs = (
            statistics.median(a for a, _ in pairs),
            statistics.median(b for _, b in pairs),
        )
        print(
            f"(h) {name}, 100,000 entries {ours * 1e3:.0f} ms, the demo's {theirs * 1e3:.0f} ms:"
            f" {statistics.median(a / b for a, b in pairs):.2f} (aim 2); read for the first time"
            f" {cold:.1f} s"
        )


def bench_list(http):
    """The list of a crew with five thousand jobs against the demo's five, and a search in it."""
    few = [per_call(lambda: http.get("/jobs"), 10) for _ in range(7)]
    with database.sessions(database.connect(os.environ["GUMBOOT_DATABASE_URL"])).begin() as db:
        crew = db.scalar(select(Crew.id).where(Crew.name == "Tidemark crew"))
        database.see_crew(db, crew)
        copied = (
            "insert into job (crew_id, uid, name, version, log_seq, log_head, listed, listed_rev,"
            " words, stops) select crew_id, gen_random_uuid()::text, 'Row ' || n, 1, 0, log_head,"
            " listed, 1, 'row ' || n, 0 from job, generate_series(1, 5000) n"
            " where name = 'Tern Hollow'"
        )
        db.execute(text(copied))
    many = [per_call(lambda: http.get("/jobs"), 10) for _ in range(7)]
    found = [per_call(lambda: http.get("/jobs?q=row+4711"), 10) for _ in range(7)]
    a, b, c = (statistics.median(x) for x in (few, many, found))
    print(
        f"(j) the list of 5,005 jobs {b * 1e3:.0f} ms, of five {a * 1e3:.0f} ms: {b / a:.2f}"
        f" (aim 2); searched {c * 1e3:.0f} ms"
    )
    with database.sessions(database.connect(os.environ["GUMBOOT_DATABASE_URL"])).begin() as db:
        database.see_crew(db, crew)
        db.execute(text("delete from job where name like 'Row %'"))


def bench_visits(http):
    """A page of five thousand visits against one of fifty; each holds fifty of them."""
    fill = (
        "with made as (insert into job (crew_id, uid, name, version, log_seq, log_head) select"
        " :crew, gen_random_uuid()::text, 'Visit ' || n, 1, 0, '' from generate_series(1, {n}) n"
        " returning id) insert into visit_due (job_id, crew_id, day, months, says) select id,"
        " :crew, date '2027-01-01' + id % 900, 12, 'x' from made"
    )
    sessions = database.sessions(database.connect(os.environ["GUMBOOT_DATABASE_URL"]))
    took = []
    for count in (50, 5000):
        with sessions.begin() as db:
            crew = db.scalar(select(Crew.id).where(Crew.name == "Tidemark crew"))
            database.see_crew(db, crew)
            db.execute(text(fill.format(n=count)), {"crew": crew})
        took.append(statistics.median(per_call(lambda: http.get("/visits"), 10) for _ in range(7)))
    few, many = took
    print(
        f"(o) a page of 5,050 visits {many * 1e3:.0f} ms, of 50 {few * 1e3:.0f} ms:"
        f" {many / few:.2f} (aim 2)"
    )
    with sessions.begin() as db:
        database.see_crew(db, crew)
        db.execute(text("delete from visit_due where says = 'x'"))
        db.execute(text("delete from job where name like 'Visit %'"))


def bench_books(http, job, paper="a4"):
    """The books of the largest demo job, made by a worker, against one page of print made here."""
    from gumboot.exports.pack import to_pdf

    plain = "<html lang='en'><body>" + "<p>A line of text to set.</p>" * 2000 + "</body></html>"
    to_pdf(plain)
    reference = per_call(lambda: to_pdf(plain), 2)
    for book in ("owner.pdf", "inspector.pdf", "archive.pdf"):
        start = time.perf_counter()
        answer = http.get(f"/jobs/{job}/books/{book}?paper={paper}")
        while answer.status_code == 202:
            time.sleep(0.1)
            answer = http.get(answer.headers["location"])
        took = time.perf_counter() - start
        print(
            f"(p) {book} {took:.1f} s, two thousand lines {reference:.1f} s: {took / reference:.2f}"
        )


def bench_wire(http, job):
    """What goes over the wire for the pages of the largest demo job, compressed, in kB."""
    sizes = {}
    for name in ("size", "wall", "land", "set"):
        path = f"/jobs/{job}/{name}"
        with http.stream("GET", path, headers={"Accept-Encoding": "gzip"}) as answer:
            sizes[name] = sum(len(chunk) for chunk in answer.iter_raw()) / 1000
    print("(i) over the wire: " + ", ".join(f"{k} {v:.0f} kB" for k, v in sizes.items()))


def wait(port):
    for _ in range(1800):  # a demo loads itself first
        try:
            return httpx.get(f"http://127.0.0.1:{port}/sign-in")
        except httpx.TransportError:
            time.sleep(0.1)
    raise SystemExit("a server did not start")


def bench_stations(http):
    """Set with the longest menu and Prove with the longest list, against the Size page of the same
    job.
    """
    rows = {j["name"]: j["id"] for j in http.get("/jobs.json").json()["jobs"]}
    for station, name in (("set", "Juniper Cut"), ("prove", "Tern Hollow"), ("set", "Tern Hollow")):
        job = rows[name]
        for path in (station, "size"):
            http.get(f"/jobs/{job}/{path}")
        pairs = [
            (
                per_call(lambda j=job, s=station: http.get(f"/jobs/{j}/{s}"), 8),
                per_call(lambda j=job: http.get(f"/jobs/{j}/size"), 8),
            )
            for _ in range(7)
        ]
        ours, theirs = (statistics.median(p[k] for p in pairs) for k in (0, 1))
        print(
            f"(n) {station} of {name} {ours * 1e3:.0f} ms, its Size page {theirs * 1e3:.0f} ms:"
            f" {statistics.median(a / b for a, b in pairs):.2f} of it (aim 1)"
        )


def bench_page():
    ours = subprocess.Popen([sys.executable, "-m", "gumboot.web", "--demo", "--port", "8801"])
    wait(8801)
    http = httpx.Client(base_url="http://127.0.0.1:8801")
    http.post("/sign-in", data={"email": "planner@demo.example", "password": scenario.PASSWORD})
    job = next(j["id"] for j in http.get("/jobs.json").json()["jobs"] if j["name"] == "Tern Hollow")
    size = len(http.get(f"/jobs/{job}/size").content)
    reference = subprocess.Popen([sys.executable, __file__, "bare", str(size)])
    wait(8802)
    try:
        rounds = []
        for _ in range(ROUNDS):
            rounds.append(
                (
                    asyncio.run(
                        load(8801, f"/jobs/{job}/size", f"gumboot={http.cookies['gumboot']}")
                    ),
                    asyncio.run(load(8802, "/", "")),
                )
            )
        bench_wire(http, job)
        bench_stations(http)
        bench_books(http, job)
        bench_visits(http)
        bench_list(http)
        drag(http, 8802, twelve(http))
        bench_log(
            http,
            next(
                j["id"] for j in http.get("/jobs.json").json()["jobs"] if j["name"] == "Heron Slip"
            ),
        )
    finally:
        ours.terminate()
        reference.terminate()
    rate, p95 = (statistics.median(r[0][k] for r in rounds) for k in (0, 1))
    bare_rate, bare_p95 = (statistics.median(r[1][k] for r in rounds) for k in (0, 1))
    print(
        f"(b) Size page, {size / 1000:.0f} kB, {CLIENTS} clients: {rate:.0f}/s, p95 {p95 * 1e3:.0f}"
        f" ms; bare page {bare_rate:.0f}/s, p95 {bare_p95 * 1e3:.0f} ms:"
        f" {statistics.median(r[0][0] / r[1][0] for r in rounds):.2f} of its rate (aim 0.4)"
    )


if __name__ == "__main__":
    if sys.argv[1:2] == ["bare"]:
        import uvicorn

        uvicorn.run(bare(int(sys.argv[2])), port=8802, log_level="warning")
    elif sys.argv[1:2] == [
        "log"
    ]:  # that part alone, against a server that runs on GUMBOOT_DATABASE_URL
        http = httpx.Client(base_url=sys.argv[2])
        http.post("/sign-in", data={"email": "planner@demo.example", "password": scenario.PASSWORD})
        bench_log(http, 1)
    else:
        settle_memory()  # as the server that makes designs
        bench_design()
        bench_change()
        bench_finder()
        bench_auto_size()
        bench_transformers()
        bench_states()
        bench_menu()
        bench_sweep()
        bench_programs()
        bench_wall()
        bench_page()
