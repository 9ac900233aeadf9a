"""The measuring behind script/bench. Medians of several rounds, the two sides in turn, so that a drifting machine cancels out."""

import asyncio
import os
import statistics
import subprocess
import sys
import time

import httpx
import numpy as np

from gumboot.catalogue import catalogue
from gumboot.core.conductors import RULES, size_circuit
from gumboot.core.design import design
from gumboot.core.finder import Face, find
from gumboot.core.plan import Plan
from gumboot.demo import scenario
from gumboot.demo.plans import HERON_SLIP, TERN_HOLLOW

CLIENTS, SECONDS, ROUNDS = 16, 3.0, 3


def per_call(work, n):
    start = time.perf_counter()
    for _ in range(n):
        work()
    return (time.perf_counter() - start) / n


def bench_design():
    plan = Plan.model_validate(TERN_HOLLOW)
    text, book = plan.model_dump_json(), catalogue()
    pairs = [(per_call(lambda: design(plan, book), 40), per_call(lambda: Plan.model_validate_json(text), 400)) for _ in range(7)]
    ours, reference = statistics.median(a for a, _ in pairs), statistics.median(b for _, b in pairs)
    print(
        f"(a) design() {ours * 1e3:.2f} ms, Pydantic on the same plan {reference * 1e3:.3f} ms: ratio {statistics.median(a / b for a, b in pairs):.0f}"
    )


def bench_finder():
    """60 modules on three faces, one inverter of four trackers with two pairs each; the reference sorts a million numbers."""
    heron, book = Plan.model_validate(HERON_SLIP), catalogue()
    unit = book.inverters["marram-s8"]
    four = tuple(unit.trackers[2].model_copy(update={"id": str(i)}) for i in range(1, 5))
    wide = unit.model_copy(update={"trackers": four, "pv_power_max_w": 40_000})
    faces, module = [Face(24, 30, 180), Face(20, 30, 90), Face(16, 30, 270)], book.modules["reedbed-430"]
    numbers = np.random.default_rng(1).random(1_000_000)
    count = find(heron, wide, module, faces).count
    pairs = [(per_call(lambda: find(heron, wide, module, faces), 3), per_call(lambda: np.sort(numbers), 3)) for _ in range(7)]
    ours, reference = statistics.median(a for a, _ in pairs), statistics.median(b for _, b in pairs)
    print(
        f"(c) string finder, {count} arrangements, {ours * 1e3:.0f} ms; numpy sorting a million {reference * 1e3:.0f} ms: ratio {statistics.median(a / b for a, b in pairs):.2f}"
    )


def bench_auto_size():
    """Every circuit of the largest demo job sized anew: all cables, sizes and sets tried."""
    plan, book = Plan.model_validate(TERN_HOLLOW), catalogue()
    d, text = design(plan, book), plan.model_dump_json()
    work = [(s.circuit, s.place) for s in d.circuits]
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
        f"(d) auto-size of {len(work)} circuits {ours * 1e3:.2f} ms: {statistics.median(a / b for a, b in pairs):.0f} × Pydantic on the same plan"
    )


def bare(size):
    """The reference: one SELECT, one template, as many bytes."""
    from fastapi import FastAPI
    from fastapi.responses import HTMLResponse
    from jinja2 import Template
    from sqlalchemy import text

    from gumboot.store import database

    app, make = FastAPI(), database.sessions(database.connect(os.environ["GUMBOOT_DATABASE_URL"]))
    template = Template("<!doctype html><title>{{ one }}</title>{% for row in rows %}<p>{{ row }}</p>{% endfor %}", autoescape=True)
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


def wait(port):
    for _ in range(100):
        try:
            return httpx.get(f"http://127.0.0.1:{port}/sign-in")
        except httpx.TransportError:
            time.sleep(0.1)
    raise SystemExit("a server did not start")


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
                (asyncio.run(load(8801, f"/jobs/{job}/size", f"gumboot={http.cookies['gumboot']}")), asyncio.run(load(8802, "/", "")))
            )
    finally:
        ours.terminate()
        reference.terminate()
    rate, p95 = (statistics.median(r[0][k] for r in rounds) for k in (0, 1))
    bare_rate, bare_p95 = (statistics.median(r[1][k] for r in rounds) for k in (0, 1))
    print(
        f"(b) Size page, {size / 1000:.0f} kB, {CLIENTS} clients: {rate:.0f}/s, p95 {p95 * 1e3:.0f} ms; bare page {bare_rate:.0f}/s, p95 {bare_p95 * 1e3:.0f} ms: {statistics.median(r[0][0] / r[1][0] for r in rounds):.2f} of its rate (aim 0.33)"
    )


if __name__ == "__main__":
    if sys.argv[1:2] == ["bare"]:
        import uvicorn

        uvicorn.run(bare(int(sys.argv[2])), port=8802, log_level="warning")
    else:
        bench_design()
        bench_finder()
        bench_auto_size()
        bench_page()
