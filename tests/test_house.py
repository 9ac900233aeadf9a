"""The house itself: rooms, widths, and that adding a kind of entry or a station is one line."""

import json
import re

import pytest
from fastapi import APIRouter

from gumboot.core.codes.books import IEC, NEC
from gumboot.core.journal import entry as journal
from gumboot.core.journal import log
from gumboot.core.land.placards import KINDS
from gumboot.core.size.disconnects import ORDER
from gumboot.exports import job_file
from gumboot.web import station
from gumboot.web.stations import STATIONS
from tests.conftest import ROOT

PACKAGE, TESTS = ROOT / "gumboot", ROOT / "tests"


def test_tests_stand_in_the_same_tree_as_what_they_test():
    """Every folder of tests is a folder of the package, but those that drive it from outside."""
    outside = {"browser"}
    for folder in (p for p in TESTS.rglob("*") if p.is_dir() and any(p.glob("test_*.py"))):
        place = folder.relative_to(TESTS)
        if place.parts[0] not in outside:
            assert (PACKAGE / place).is_dir(), place


def test_no_line_is_wide_and_nothing_switches_the_formatter_off():
    for path in (*PACKAGE.rglob("*.py"), *TESTS.rglob("*.py"), *(ROOT / "script").glob("*.py")):
        text = path.read_text(encoding="utf-8")
        assert not re.search(r"#\s*fmt:\s*(skip|off)", text), path
        assert all(len(line) <= 100 for line in text.splitlines()), path


def test_no_test_judges_how_long_something_took():
    """A busy machine fails it; speed is measured by script/bench."""
    timed = re.compile(r"(monotonic|perf_counter|process_time|time)\(\) - \w+ <")
    tests = TESTS.rglob("test_*.py")
    assert not [str(p) for p in tests if timed.search(p.read_text())]


def test_every_table_is_named_among_the_sources():
    said = (ROOT / "docs/trade-sources.md").read_text(encoding="utf-8")
    for path in (PACKAGE / "core/codes/tables").glob("*.csv"):
        ranges = re.findall(r"`(\w+)_(\d+)\.csv` to `\1_(\d+)\.csv`", said)
        within = any(
            (m := re.fullmatch(rf"{stem}_(\d+)", path.stem)) and int(a) <= int(m[1]) <= int(b)
            for stem, a, b in ranges
        )
        assert f"{path.name}" in said or within, path.name


def test_every_file_that_the_papers_name_is_there():
    for paper in ("README.md", "docs/architecture.md", "docs/contributing.md"):
        text = (ROOT / paper).read_text(encoding="utf-8")
        for name in re.findall(r"`((?:core|web|tests|docs|script|drawings)/[\w./-]+\.\w+)`", text):
            stem = name.split(".py")[0] + ".py" if ".py" in name else name
            found = (ROOT / stem).exists() or (PACKAGE / stem).exists()
            assert found or (PACKAGE / name.rsplit(".", 1)[0]).with_suffix(".py").exists(), name


def test_nobody_outside_the_code_books_asks_which_book_it_is():
    """A code is named where books are kept, where a plan begins with one, and in made-up jobs."""
    named = re.compile(
        r"nec-2023|iec-60364|\.code\s*[!=]=|rules\.name|book\.(name|short|code)\s*[!=]="
    )
    allowed = {"core/plan/plan.py": 1, "web/stations/brief/kit_form/shape.py": 1}
    for path in (*PACKAGE.rglob("*.py"), *PACKAGE.rglob("*.html")):
        name = path.relative_to(PACKAGE).as_posix()
        if not name.startswith(("core/codes/", "demo/")):
            found = named.findall(path.read_text(encoding="utf-8"))
            assert len(found) == allowed.get(name, 0), name


def test_both_books_answer_everything():
    """Clauses that one book has and the other has not are about what only it asks."""
    alone = {"emergency shutdown", "rapid shutdown", "service", "schools", "single supply"}
    assert set(NEC.clauses) - set(IEC.clauses) == alone and set(IEC.clauses) <= set(NEC.clauses)
    asked = {
        x
        for path in (PACKAGE / "core").rglob("*.py")
        for x in re.findall(r"clauses\[[\"']([a-z ]+)[\"']\]", path.read_text(encoding="utf-8"))
    }
    assert asked <= set(NEC.clauses)
    assert {x for x in NEC.clauses if not x.startswith("opens ")} <= asked
    for book in (NEC, IEC):
        assert set(book.placards) <= set(KINDS)
        assert book.method_first in book.methods and book.method_first_pv in book.methods
        assert {f"opens {kind}" for kind in ORDER} <= set(book.clauses)


@pytest.fixture
def whistle():
    """A toy kind of entry: somebody whistled."""

    @journal.kind("whistle", {"tune": journal.TEXT}, lambda b: f"whistled {b['tune']}", "tune")
    def whistled(growing, entry):
        growing.keep_last(entry)

    job_file.schema.cache_clear()
    yield "whistle"
    del journal.KINDS["whistle"]
    job_file.schema.cache_clear()


def test_a_kind_of_entry_is_one_registration(whistle, supervisor, new_job, heron):
    """Schema, page of the log, export, import and standing follow."""
    from gumboot.store import records
    from gumboot.web.stations.land.log import row

    rules = job_file.schema()["properties"]["log"]["items"]["allOf"]
    assert "whistle" in {r["if"]["properties"]["kind"]["const"] for r in rules}
    e = log.Entry(1, "u" * 36, "whistle", "Osk", "installer", "", "", {"tune": "reel"}, "", "")
    assert row(e)["says"] == "whistled reel" and row(e)["about"] == "reel"
    assert log.read([e]).last["whistle"]["reel"] is e
    job = new_job(heron)
    with supervisor.http.app.state.sessions() as db:
        from sqlalchemy import text

        from gumboot.store.models import Job

        crew = db.execute(
            text("select crew_id from person where email = 'supervisor@demo.example'")
        )
        db.execute(text("select set_config('gumboot.crew', :c, true)"), {"c": str(crew.scalar())})
        records.append(db, db.get(Job, job), "whistle", {"tune": "jig"}, "Osk", "installer", "")
        db.commit()
    assert "whistled jig" in supervisor.get(f"/jobs/{job}/land/log").text
    told = json.loads(supervisor.get(f"/jobs/{job}/export.json").text)
    assert told["log"][-1]["body"] == {"tune": "jig"}
    assert job_file.read(json.dumps(told).encode()).entries[-1].kind == "whistle"


def test_two_kinds_or_stations_of_one_name_are_refused(whistle):
    with pytest.raises(ValueError, match="already"):
        journal.kind("whistle", {}, lambda b: "")(lambda g, e: None)
    with pytest.raises(ValueError, match="already"):
        station.register(STATIONS[0])


def test_a_station_is_one_line(supervisor, new_job, heron):
    """Its tread stands on every page of a job, with its progress."""
    toy = station.Station("tea", "Tea", lambda at: "two cups", (APIRouter(),), ("tea",))
    station.register(toy)
    try:
        page = supervisor.get(f"/jobs/{new_job(heron)}/size").text
        assert ">Tea<" in page and "two cups" in page
    finally:
        station._stations.remove(toy)


def test_the_pages_of_every_station_open(supervisor, new_job, heron):
    job = new_job(heron)
    for s in STATIONS:
        for path in s.pages:
            assert supervisor.get(f"/jobs/{job}/{path}").status_code == 200, path


def test_static_files_are_asked_for_by_version():
    """Else a browser keeps the script of yesterday for the page of today."""
    pages = "".join(p.read_text() for p in (PACKAGE / "web").rglob("*.html"))
    asked = re.findall(r'(?:src|href)="(/static/[^"]+\.(?:js|css)[^"]*)"', pages)
    assert len(asked) > 8
    assert [x for x in asked if "?v={{ version }}" not in x] == []


def test_pages_use_the_words_of_the_glossary():
    """What docs/words.md puts aside does not stand on any page."""
    rows = (ROOT / "docs/words.md").read_text(encoding="utf-8").splitlines()
    aside = [r.split("|")[3].split("(")[0].strip() for r in rows if r.count("|") == 4][2:]
    words = {w.strip() for cell in aside for w in cell.split(",") if w.strip()}
    assert {"joint", "joint of the works", "thin line"} <= words
    words -= {
        "move",
        "case",
        "error",
        "warning",
        "tab",
        "module",
        "status",
        "database",
        "layout",
        "issue",
        "fix",
    }
    said = re.compile(rf"\b({'|'.join(map(re.escape, sorted(words)))})s?\b", re.IGNORECASE)
    for path in (PACKAGE / "web").rglob("*.html"):
        text = re.sub(r"\{[%{#].*?[%}#]\}|<[^>]+>", " ", path.read_text(encoding="utf-8"))
        assert not said.search(text), (path, said.search(text))
