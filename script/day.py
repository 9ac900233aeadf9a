"""The simulation behind script/day. What a crew asks in a day is assumed, and stands in DAY."""

import argparse
import asyncio
import copy
import os
import random
import signal
import statistics
import subprocess
import sys
import time
import uuid
from collections import Counter, defaultdict

import httpx

from gumboot.core.plan import Plan
from gumboot.demo import plans, scenario
from gumboot.store import database, records
from gumboot.store.models import Crew, Person
from gumboot.web.people.passwords import hashed

PORT, JOBS, PEAK, HOURS, CLIENTS = 8877, 5, 5, 8, 16
DAY = {  # how often a crew of three does what in a day
    "sign in": 3,
    "list": 20,
    "week": 2,
    "size": 30,
    "change": 15,
    "load board": 10,
    "brief": 8,
    "wall": 6,
    "drag": 60,
    "land": 8,
    "log entry": 60,
    "set": 4,
    "hand over": 4,
    "year": 8,
    "shelf": 8,
    "pdf": 2,
    "export": 1,
}
PLANS = (plans.TERN_HOLLOW, plans.SALTINGS_BARN, plans.MOSSBANK_TERRACE, plans.JUNIPER_CUT)


def furnish(make, crews):
    """Crews of one who plans and one who installs, each with jobs no other has; (mails, jobs)."""
    secret, out = hashed(scenario.PASSWORD), []
    for n in range(crews):
        with make.begin() as db:
            crew = Crew(name=f"Crew {n}", second_asked="nobody")
            db.add(crew)
            db.flush()
            database.see_crew(db, crew.id)
            mail = f"somebody@{n}.example"
            person = {"crew_id": crew.id, "name": "Somebody", "role": "supervisor"}
            db.add(Person(**person, email=mail, password_hash=secret))
            jobs = []
            for k in range(JOBS):
                plan = copy.deepcopy(PLANS[(n + k) % len(PLANS)])
                plan["site"]["name"] = f"House {n}-{k}"
                plan["walls"] = plan.get("walls", []) if k == 0 else []
                for run in plan["runs"].values():
                    run["length_m"] = round(random.uniform(1, 15), 2)
                made = records.create_job(db, crew.id, Plan.model_validate(plan), "x")
                jobs.append((made.id, bool(plan["walls"])))
            out.append((mail, jobs))
    return out


class Office:
    """One crew at work: a signed-in client and its jobs."""

    def __init__(self, address, mail, jobs):
        self.http = httpx.AsyncClient(base_url=address, timeout=120)
        self.mail, self.jobs, self.csrf = mail, jobs, ""

    async def sign_in(self):
        typed = {"email": self.mail, "password": scenario.PASSWORD}
        answer = await self.http.post("/sign-in", data=typed)
        page = (await self.http.get("/account")).text
        self.csrf = page.split('name="csrf" value="')[1].split('"')[0]
        return answer

    async def do(self, act):
        """One act; its answer."""
        get, post = self.http.get, self.http.post
        job, _ = random.choice(self.jobs)
        at = f"/jobs/{job}"
        pages = {
            "list": "/jobs",
            "week": "/days",
            "size": f"{at}/size",
            "load board": f"{at}/loads",
            "brief": f"{at}/brief",
            "wall": f"{at}/wall",
            "land": f"{at}/land",
            "set": f"{at}/set",
            "hand over": f"{at}/hand-over",
            "year": f"{at}/year",
            "shelf": "/shelf/marram-s8",
            "pdf": f"{at}/one-line.pdf",
            "export": f"{at}/export.json",
        }
        if act in pages:
            return await get(pages[act])
        if act == "sign in":
            return await self.sign_in()
        if act == "change":
            data = (await get(f"{at}/export.json")).json()
            circuit = random.choice([c["id"] for c in data["design"]["circuits"]] or ["x"])
            sent = {"circuit": circuit, "size": "", "protection": "", "csrf": self.csrf}
            own = {"earth": random.choice(["", "6"]), "version": data["version"]}
            return await post(f"{at}/fit", data={**sent, **own})
        if act == "drag":
            where = next((j for j, has in self.jobs if has), job)
            sent = {"wall": "A", "placed": "{}", "csrf": self.csrf}
            return await post(f"/jobs/{where}/wall/try", data=sent)
        entry = {"kind": "termination", "uuid": str(uuid.uuid4()), "at_device": ""}
        entry |= {"key": "dead@inverter-1", "act": "proven", "note": "0 V"}
        headers = {"x-csrf-token": self.csrf}
        return await post(f"{at}/log", json={"entries": [entry]}, headers=headers)


async def drive(offices, seconds, rate, took, failed):
    """Acts of random crews by the day's shares: as fast as they are answered, or at a rate."""
    acts, shares = list(DAY), list(DAY.values())
    ends, gate, done = (
        time.monotonic() + seconds,
        asyncio.Semaphore(CLIENTS if not rate else 400),
        0,
    )

    async def one(office, act):
        nonlocal done
        async with gate:
            began = time.monotonic()
            try:
                answer = await office.do(act)
            except httpx.HTTPError as exc:
                failed[type(exc).__name__] += 1
                return
            took[act].append(time.monotonic() - began)
            done += 1
            if answer.status_code >= 400:
                failed[f"{act}: {answer.status_code}"] += 1

    under_way = set()
    while time.monotonic() < ends:
        task = asyncio.create_task(one(random.choice(offices), random.choices(acts, shares)[0]))
        under_way.add(task)
        task.add_done_callback(under_way.discard)
        if rate:
            await asyncio.sleep(random.expovariate(rate))
        elif len(under_way) >= CLIENTS:
            await asyncio.wait(under_way, return_when=asyncio.FIRST_COMPLETED)
    await asyncio.gather(*under_way)
    return done


def told(title, took, failed):
    """Percentiles of every act."""
    print(title)
    every = sorted(x for row in took.values() for x in row)
    for act, row in [*sorted(took.items(), key=lambda x: -sum(x[1])), ("all", every)]:
        q = statistics.quantiles(row, n=100) if len(row) > 1 else [row[0]] * 99
        print(f"  {act:11} {len(row):6}   p50 {1000 * q[49]:6.0f} ms   p95 {1000 * q[94]:6.0f} ms")
    print(f"  failed: {dict(failed) or 'none'}")


async def main(crews, seconds):
    address = f"http://127.0.0.1:{PORT}"
    url = os.environ["GUMBOOT_DATABASE_URL"]
    cores = os.cpu_count() or 2
    command = ["-m", "gumboot.web", "--port", str(PORT), "--processes", str(cores)]
    quiet = {"stdout": subprocess.DEVNULL, "stderr": subprocess.DEVNULL}
    server = subprocess.Popen([sys.executable, *command], start_new_session=True, **quiet)
    try:
        async with httpx.AsyncClient() as http:
            for _ in range(300):
                try:
                    await http.get(f"{address}/readyz")
                    break
                except httpx.TransportError:
                    await asyncio.sleep(0.2)
        engine = database.connect(url)
        people = furnish(database.sessions(engine), crews)
        offices = [Office(address, *p) for p in people]
        for n in range(0, crews, 8):
            await asyncio.gather(*(o.sign_in() for o in offices[n : n + 8]))
        each = sum(DAY.values())
        rate = PEAK * each * crews / (HOURS * 3600)
        took, failed = defaultdict(list), Counter()
        await drive(offices, seconds, rate, took, failed)
        told(f"{crews} crews at {PEAK} times the mean, {rate:.1f} acts a second:", took, failed)
        took, failed = defaultdict(list), Counter()
        began = time.monotonic()
        done = await drive(offices, seconds, 0.0, took, failed)
        flat = done / (time.monotonic() - began)
        told(f"as fast as {CLIENTS} are answered, {flat:.1f} acts a second:", took, failed)
        fit = flat * HOURS * 3600 / PEAK / each
        print(f"With {PEAK} times the mean at its busiest, this machine serves {fit:.0f} crews.")
    finally:
        os.killpg(server.pid, signal.SIGTERM)
        server.wait(20)


if __name__ == "__main__":
    asked = argparse.ArgumentParser()
    asked.add_argument("--crews", type=int, default=200)
    asked.add_argument("--seconds", type=float, default=60.0)
    given = asked.parse_args()
    random.seed(7)
    asyncio.run(main(given.crews, given.seconds))
