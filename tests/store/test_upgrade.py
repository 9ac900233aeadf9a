"""A database of every release before comes to the newest shape with all that was in it, chains
whole, pages as before.
"""

import gzip
import subprocess
from pathlib import Path

import pytest
from fastapi.testclient import TestClient

from gumboot.store import database, verify
from gumboot.web.app import create_app
from gumboot.web.config import Config
from tests.conftest import Person

DUMPS = sorted((Path(__file__).parent / "before").glob("*.sql.gz"))


@pytest.mark.long
@pytest.mark.parametrize("dump", DUMPS, ids=lambda p: p.name.removesuffix(".sql.gz"))
def test_a_released_database_comes_along(dump, fresh_database, monkeypatch, capsys):
    url = fresh_database("before")
    sql = gzip.decompress(dump.read_bytes())
    put = subprocess.run(
        ["psql", "-q", "-v", "ON_ERROR_STOP=1", url], input=sql, capture_output=True
    )
    assert put.returncode == 0, put.stderr[-500:]
    app = create_app(Config(database_url=url))
    with TestClient(app):
        person = Person(app, "supervisor@demo.example")
        jobs = {j["name"]: j for j in person.get("/jobs.json").json()["jobs"]}
        assert len(jobs) == 5 and jobs["Heron Slip"]["signed"]
        for job in jobs.values():
            for page in ("brief", "size", "wall", "land", "set", "hand-over", "editions"):
                assert person.get(f"/jobs/{job['id']}/{page}").status_code == 200, (job, page)
        page = person.get(f"/jobs/{jobs['Heron Slip']['id']}/hand-over").text
        assert "does not hold" not in page and "Signed by" in page
    monkeypatch.setenv("GUMBOOT_DATABASE_URL", url)
    assert verify.main([]) == 0 and "broken" not in capsys.readouterr().out
    engine = database.connect(url)
    with database.sessions(engine)() as db:
        database.ready_to_serve(db)
    engine.dispose()
