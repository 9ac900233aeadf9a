"""script/verify-log: whole chains, the first broken entry, entries that are gone, and what cannot
be read.
"""

import json
import subprocess
import sys

import pytest
from sqlalchemy import create_engine, text

from gumboot.store import verify
from tests.conftest import ROOT

pytestmark = pytest.mark.long


@pytest.fixture(scope="module")
def shop(demo_database):
    """A database with the demo in it that may be spoilt."""
    return demo_database("verify")


def spoil(url, statement):
    owner = create_engine(url)
    with owner.begin() as raw:
        raw.execute(
            text("select set_config('gumboot.crew', (select min(id)::text from crew), true)")
        )
        raw.execute(text("alter table log_entry disable trigger kept"))
        raw.execute(text(statement))
        raw.execute(text("alter table log_entry enable trigger kept"))
    owner.dispose()


def test_it_tells_the_first_broken_entry_of_each_job(shop, monkeypatch, capsys):
    monkeypatch.setenv("GUMBOOT_DATABASE_URL", shop)
    assert verify.main([]) == 0
    whole = capsys.readouterr().out.splitlines()
    assert sum(x.startswith("job ") for x in whole) >= 5 and all("chain whole" in x for x in whole)
    spoil(shop, "update log_entry set at_device = 'yesterday' where job_id = 3 and seq = 17")
    spoil(
        shop,
        "delete from log_entry where job_id = 5 and seq = (select max(seq) from log_entry where"
        " job_id = 5)",
    )
    assert verify.main([]) == 1
    said = capsys.readouterr().out
    assert "job 3, Saltings Barn: chain broken at entry 17" in said
    assert said.count("chain whole") == len(whole) - 2
    gone = next(x for x in said.splitlines() if x.startswith("job 5"))
    assert "chain broken at entry" in gone  # the newest entry is missing: the job's head names it
    assert verify.main(["1", "4"]) == 0 and capsys.readouterr().out.count("\n") == 2


def test_a_job_file(tmp_path, planner, capsys):
    document = planner.get("/jobs/1/export.json").json()
    path = tmp_path / "job.json"
    path.write_text(json.dumps(document))
    assert verify.main([str(path)]) == 0 and "chain whole" in capsys.readouterr().out
    document["log"][9]["who"] = "Someone Else"
    path.write_text(json.dumps(document))
    assert verify.main([str(path)]) == 1 and "broken at entry 10 of" in capsys.readouterr().out


@pytest.mark.parametrize("argument", ["/nowhere.json", "README.md", "99999"])
def test_what_cannot_be_read_is_said_without_a_traceback(argument, shop, monkeypatch, capsys):
    monkeypatch.setenv("GUMBOOT_DATABASE_URL", shop)
    monkeypatch.chdir(ROOT)
    assert verify.main([argument]) == 2 and capsys.readouterr().err.strip()
    monkeypatch.delenv("GUMBOOT_DATABASE_URL")
    assert verify.main([]) == 2


def test_as_a_command(tmp_path, planner):
    path = tmp_path / "job.json"
    path.write_text(planner.get("/jobs/1/export.json").text)
    done = subprocess.run(
        [sys.executable, "-m", "gumboot.store.verify", str(path)],
        capture_output=True,
        text=True,
        cwd=ROOT,
    )
    assert done.returncode == 0 and done.stdout.endswith("chain whole\n")
