"""Shared by all tests: a private PostgreSQL, a database for each worker, the application on it, and
plans to try.
"""

from __future__ import annotations

import hashlib
import os
import shutil
import subprocess
import tempfile
import time
import uuid
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from datetime import date
from pathlib import Path
from typing import Any

import hypothesis
import pytest
from fastapi.testclient import TestClient
from sqlalchemy import Connection, Engine, text
from sqlalchemy.exc import ProgrammingError
from sqlalchemy.orm import Session, sessionmaker

from gumboot.background.keeper import beside
from gumboot.core.plan import Plan
from gumboot.demo import plans, scenario
from gumboot.store import database
from gumboot.web.app import create_app
from gumboot.web.config import Config

READING = {
    "termination": "a",
    "label": "A",
    "torque_nm": 1.0,
    "typed": "1 Nm",
    "rated_nm": 2.0,
    "rated_source": "plate",
    "verdict": "good",
    "why": "",
    "wrench": None,
    "replaced": False,
    "corrects": None,
    "note": "",
}
ROOT = Path(__file__).parent.parent
# The same cases each time, so that a run says something of the commit; GUMBOOT_HUNT=1 looks for new
# ones, GUMBOOT_PLANS says how many. Speed is script/bench's business, not a deadline's.
HUNTING = bool(os.environ.get("GUMBOOT_HUNT"))
hypothesis.settings.register_profile("steady", deadline=None, derandomize=not HUNTING)
hypothesis.settings.load_profile("steady")


@pytest.fixture(scope="session")
def cluster_url() -> Iterator[str]:
    """The URL of a PostgreSQL that tests may make databases in; script/test starts one, else it is
    started here.
    """
    if url := os.environ.get("GUMBOOT_TEST_URL"):
        yield url
        return
    folder = tempfile.mkdtemp(prefix="gumboot-test-")
    made = subprocess.run(
        [ROOT / "script/cluster", "start", folder], capture_output=True, text=True, check=True
    )
    yield made.stdout.strip()
    subprocess.run([ROOT / "script/cluster", "stop", folder, "immediate"], check=True)
    shutil.rmtree(folder)


@pytest.fixture(scope="session")
def fresh_database(cluster_url: str, worker_id: str) -> Callable[..., str]:
    """Makes an empty database of a name, or a copy of another, and gives its URL."""

    def make(name: str, of: str = "template1") -> str:
        name = f"{name}_{worker_id}"
        with keeping(cluster_url) as connection:
            for again in range(40):  # while the server itself is tidying it up
                try:
                    connection.execute(text(f"drop database if exists {name} with (force)"))
                    break
                except ProgrammingError:
                    if again == 39:
                        raise
                    time.sleep(0.25)
            connection.execute(text(f"create database {name} template {of}"))
        return beside_it(cluster_url, name)

    return make


@contextmanager
def keeping(url: str) -> Iterator[Connection]:
    """A connection that makes and drops databases."""
    keeper = database.connect(url).execution_options(isolation_level="AUTOCOMMIT")
    with keeper.connect() as connection:
        yield connection
    keeper.dispose()


def beside_it(url: str, name: str) -> str:
    """The URL of another database of the same server."""
    return url.rsplit("/", 1)[0] + f"/{name}"


@pytest.fixture(scope="session")
def demo_database(cluster_url: str, fresh_database: Callable[..., str]) -> Callable[[str], str]:
    """Makes a database of a name with the demo in it, and gives its URL. The demo is loaded once a
    run, by whoever comes first, and copied; again where what it is made from changed.
    """
    files = (*ROOT.glob("gumboot/**/*.py"), *ROOT.glob("gumboot/**/*.json"))
    made_from = hashlib.sha256(date.today().isoformat().encode())
    for path in sorted(files):
        made_from.update(path.read_bytes())
    whole = f"demo_{made_from.hexdigest()[:16]}"

    def make(name: str) -> str:
        with keeping(cluster_url) as connection:
            connection.execute(text("select pg_advisory_lock(7364)"))
            there = "select datname from pg_database where datname like 'demo\\_%'"
            known = set(connection.execute(text(there)).scalars())
            if whole not in known:
                for old in known:
                    connection.execute(text(f"drop database {old} with (force)"))
                connection.execute(text("create database demo_making"))
                engine = database.connect(beside_it(cluster_url, "demo_making"))
                database.migrate(engine)
                scenario.load(database.sessions(engine))
                engine.dispose()
                connection.execute(text(f"alter database demo_making rename to {whole}"))
        return fresh_database(name, whole)

    return make


@pytest.fixture(scope="session")
def worker_id(request: pytest.FixtureRequest) -> str:
    """The xdist worker, or "one"."""
    return os.environ.get("PYTEST_XDIST_WORKER", "one")


@pytest.fixture(scope="session")
def url(demo_database: Callable[[str], str]) -> str:
    """A database with the demo in it."""
    return demo_database("web")


@pytest.fixture(scope="session")
def engine(url: str) -> Iterator[Engine]:
    """An engine on it."""
    made = database.connect(url)
    yield made
    made.dispose()


@pytest.fixture
def make(engine: Engine) -> sessionmaker[Session]:
    """A factory of sessions."""
    return database.sessions(engine)


@pytest.fixture(scope="session")
def app(url: str) -> Iterator[Any]:
    """The application, started, with workers beside it."""
    made = create_app(Config(database_url=url))
    with beside(url, 2), TestClient(made):
        yield made


def turns(seconds: float) -> Iterator[None]:
    """The turns of a wait: close together at first, then a second apart, so that who waits leaves
    the machine to who works.
    """
    pause, ends = 0.05, time.monotonic() + seconds
    while time.monotonic() < ends:
        yield
        time.sleep(pause)
        pause = min(1.0, 1.5 * pause)


def ready(http: TestClient, answer: Any) -> Any:
    """An answer, waited for where a worker is still at it."""
    for _ in turns(400):
        if answer.status_code != 202:
            return answer
        answer = http.get(answer.headers["location"])
    raise AssertionError(f"no worker came to {answer.url}")


class Person:
    """Someone signed in, with the CSRF token their pages carry."""

    def __init__(self, app: Any, email: str) -> None:
        self.http = TestClient(app, follow_redirects=False, raise_server_exceptions=False)
        answer = self.http.post("/sign-in", data={"email": email, "password": scenario.PASSWORD})
        assert answer.status_code == 303
        page = self.http.get("/jobs").text
        self.csrf = page.split('name="csrf" value="')[1].split('"')[0]

    def get(self, path: str, **kwargs: Any) -> Any:
        return ready(self.http, self.http.get(path, **kwargs))

    def post(self, path: str, data: dict[str, Any] | None = None, **kwargs: Any) -> Any:
        return self.http.post(path, data={"csrf": self.csrf, **(data or {})}, **kwargs)

    def log(self, job_id: int, *entries: dict[str, Any]) -> Any:
        """Send entries as a field page does; each gets a UUID of its own unless it has one."""
        rows = [
            {"kind": "termination", "uuid": str(uuid.uuid4()), "at_device": "", **e}
            for e in entries
        ]
        return self.http.post(
            f"/jobs/{job_id}/log",
            json={"entries": rows},
            headers={"x-csrf-token": self.csrf, "accept": "application/json"},
        )

    def make_off(self, job_id: int, key: str, *acts: str, **more: Any) -> list[dict[str, Any]]:
        """Take a termination through acts, one request each; the answers."""
        tools = {w["name"]: w["id"] for w in self.get("/wrenches.json").json()["wrenches"]}
        wrench = tools.get(more.pop("wrench", "small driver"), "?")
        return [
            self.log(job_id, {"key": key, "act": a, "wrench": wrench, **more}).json()["entries"][0]
            for a in acts
        ]


@pytest.fixture(scope="session")
def planner(app: Any) -> Person:
    return Person(app, "planner@demo.example")


@pytest.fixture(scope="session")
def installer(app: Any) -> Person:
    return Person(app, "installer@demo.example")


@pytest.fixture(scope="session")
def supervisor(app: Any) -> Person:
    return Person(app, "supervisor@demo.example")


@pytest.fixture(scope="session")
def stranger(app: Any) -> Person:
    """A supervisor of another crew."""
    return Person(app, "supervisor@other.example")


@pytest.fixture
def tern() -> Plan:
    """The plan of Tern Hollow, faults and all."""
    return Plan.model_validate(scenario.TERN_HOLLOW)


@pytest.fixture
def saltings() -> Plan:
    return Plan.model_validate(plans.SALTINGS_BARN)


@pytest.fixture
def mossbank() -> Plan:
    return Plan.model_validate(plans.MOSSBANK_TERRACE)


@pytest.fixture
def juniper() -> Plan:
    return Plan.model_validate(plans.JUNIPER_CUT)


@pytest.fixture
def heron() -> Plan:
    """The plan of Heron Slip: nothing wrong with it."""
    return Plan.model_validate(scenario.HERON_SLIP)


def altered(plan: Plan, path: str, value: Any) -> Plan:
    """A plan with one value changed."""
    from gumboot.core.basis.finding import Change
    from gumboot.core.basis.patch import apply

    return Plan.model_validate(apply(plan.model_dump(mode="json"), [Change(path, value)]))


def off_wall(plan: Plan | dict[str, Any]) -> Plan:
    """A plan whose circuits are as long as its brief says, since nothing stands on a wall."""
    return altered(plan if isinstance(plan, Plan) else Plan.model_validate(plan), "/walls", [])


@pytest.fixture
def new_job(planner: Person) -> Callable[[Plan], int]:
    """Stores a plan as a new job of the demo crew, through the job file, and gives its number."""

    def make(plan: Plan) -> int:
        import json

        document = {
            "format": "gumboot-job/1",
            "uid": str(uuid.uuid4()),
            "version": 1,
            "plan": plan.model_dump(mode="json"),
            "log": [],
        }
        answer = planner.post("/jobs/import", files={"file": ("job.json", json.dumps(document))})
        assert answer.status_code == 303
        return int(answer.headers["location"].split("/")[2])

    return make
