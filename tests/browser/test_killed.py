"""The server killed while fifty writers log: nothing acknowledged is lost, nothing is there
twice.
"""

import contextlib
import json
import os
import shutil
import signal
import subprocess
import tempfile
import threading
import time
import uuid
from pathlib import Path

import httpx
import pytest
from sqlalchemy import text

from gumboot.core.journal import log
from gumboot.demo import scenario
from gumboot.exports import job_file
from gumboot.store import database
from tests.browser.conftest import Server
from tests.conftest import ROOT
from tests.web.shelf.test_shelf import H5


def signed_in(address):
    http = httpx.Client(base_url=address, timeout=60)
    assert (
        http.post(
            "/sign-in", data={"email": "supervisor@demo.example", "password": scenario.PASSWORD}
        ).status_code
        == 303
    )
    return http, http.get("/jobs").text.split('name="csrf" value="')[1].split('"')[0]


def small_driver(http):
    rows = http.get("/wrenches.json").json()["wrenches"]
    return next(w["id"] for w in rows if w["name"] == "small driver")


def send(address, cookies, csrf, wrench, ready, stop, sent, acknowledged):
    """Send readings one after another until the server is gone; note each that was acknowledged."""
    http = httpx.Client(base_url=address, timeout=60, cookies=cookies)
    ready.wait(timeout=180)  # all fifty write when the blow falls
    while not stop.is_set():
        own = str(uuid.uuid4())
        try:
            entry = {
                "kind": "termination",
                "uuid": own,
                "at_device": "",
                "key": "factory.dc-link-1@inverter-1",
                "act": "torqued",
                "typed": "5 Nm",
                "wrench": wrench,
            }
            answer = http.post(
                "/jobs/2/log", json={"entries": [entry]}, headers={"x-csrf-token": csrf}
            )
        except httpx.TransportError:
            return
        sent.append(own)
        if answer.status_code == 200 and answer.json()["entries"][0]["state"] == "kept":
            acknowledged.append(own)


@pytest.fixture(scope="module")
def own():
    """(server, its cluster's folder): both may be killed."""
    folder = tempfile.mkdtemp(prefix="gumboot-killed-")
    server = Server(started(folder))
    server.start()
    yield server, folder
    server.kill()
    subprocess.run([ROOT / "script/cluster", "stop", folder, "immediate"], check=False)
    shutil.rmtree(folder, ignore_errors=True)


def started(folder):
    """The URL of a cluster, started anew where it was killed."""
    command = [ROOT / "script/cluster", "start", folder]
    return subprocess.run(command, capture_output=True, text=True, check=True).stdout.strip()


@pytest.mark.xdist_group("killed")
@pytest.mark.parametrize("victim", ["web", "database"])
def test_an_acknowledged_reading_is_never_lost(own, victim):
    server, folder = own
    ready, stop, sent, acknowledged = threading.Barrier(50), threading.Event(), [], []
    http, csrf = signed_in(server.address)
    common = (server.address, http.cookies, csrf, small_driver(http))
    senders = [
        threading.Thread(target=send, args=(*common, ready, stop, sent, acknowledged))
        for _ in range(50)
    ]
    for s in senders:
        s.start()
    while len(acknowledged) < 200:
        time.sleep(0.01)
    if victim == "web":
        server.kill()
    else:  # immediate shutdown, no checkpoint, recovery at start
        postmaster = (Path(folder) / "data" / "postmaster.pid").read_text().splitlines()[0]
        os.kill(int(postmaster), signal.SIGQUIT)
    stop.set()
    for s in senders:
        s.join()
    if victim == "database":
        server.kill()
        time.sleep(0.5)
    server.url = started(folder)
    server.start()
    http, _ = signed_in(server.address)
    taken = job_file.read(http.get("/jobs/2/export.json").content)
    kept = [e.uuid for e in taken.entries]
    assert len(acknowledged) >= 200 and set(acknowledged) <= set(kept)
    assert len(kept) == len(set(kept))  # nothing twice
    assert log.first_broken(taken.uid, taken.entries) is None


SLEEPS = """
create function slowly() returns trigger language plpgsql as
$$ begin perform pg_sleep(600); return null; end $$;
create trigger slowly after insert on kit_edition for each statement execute function slowly();
"""


@pytest.mark.xdist_group("killed")
def test_a_shelf_import_cut_off_by_a_kill_leaves_nothing(demo_database):
    """SIGKILL of the server while the rows of a shelf file are written and not yet committed."""
    server = Server(demo_database("cut"))
    server.start()
    engine = database.connect(server.url)
    try:
        http, csrf = signed_in(server.address)
        rows = [{**H5, "id": f"own-{n}"} for n in range(40)]

        def send_it():
            with contextlib.suppress(httpx.TransportError):
                file = {"file": ("shelf.json", json.dumps(rows))}
                http.post("/shelf/import", data={"csrf": csrf}, files=file)

        with engine.begin() as db:
            db.execute(text(SLEEPS))
        sender = threading.Thread(target=send_it)
        sender.start()
        asleep = text("select count(*) from pg_stat_activity where wait_event = 'PgSleep'")
        for _ in range(2400):
            with engine.begin() as db:
                if db.scalar(asleep):
                    break
            time.sleep(0.05)
        else:
            raise AssertionError("the import did not come that far")
        server.kill()
        sender.join()
        with engine.begin() as db:  # a sleeping backend does not see that its client is gone
            db.execute(
                text(
                    "select pg_terminate_backend(pid) from pg_stat_activity"
                    " where wait_event = 'PgSleep'"
                )
            )
            db.execute(text("drop trigger slowly on kit_edition"))
        server.start()
        http, csrf = signed_in(server.address)
        assert "own-1" not in http.get("/shelf").text
        office = http.get("/office/export.json").json()
        assert office["first_broken"] is None
        file = {"file": ("shelf.json", json.dumps(rows))}
        again = http.post("/shelf/import", data={"csrf": csrf}, files=file)
        assert again.status_code == 303 and "/shelf/own-39" in http.get("/shelf").text
    finally:
        server.kill()
        engine.dispose()
