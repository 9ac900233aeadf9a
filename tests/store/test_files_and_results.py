"""Files are kept for ever and once; a result is computed by one, and by another when that one falls
silent.
"""

import threading

import pytest
from sqlalchemy import select, text
from sqlalchemy.exc import DBAPIError

from gumboot.store import files, results
from gumboot.store.database import as_crew
from gumboot.store.models import KeptFile, Result
from tests.store.test_records import crews, job  # noqa: F401 - fixtures


@pytest.fixture
def mine(make, crews):  # noqa: F811
    """Opens a transaction of the demo's crew."""
    return lambda: as_crew(make, crews["Tidemark crew"])


def test_a_file_is_kept_once_under_the_digest_of_its_bytes(mine, make, crews, job):  # noqa: F811
    with mine() as db:
        one = files.keep(
            db, job.id, "readings", "a.csv", "text/csv", b"1,2", {"year": 2023}, "Merrin Tarn"
        )
        assert files.keep(db, job.id, "readings", "again.csv", "text/csv", b"1,2", {}, "Osk") == one
        assert (
            len(one) == 64
            and files.one(db, job.id, one).data == b"1,2"
            and files.one(db, job.id, None) is None
        )
        assert [f.name for f in files.of_job(db, job)] == ["a.csv"] and not files.of_job(
            db, job, "photo"
        )
    with as_crew(make, crews["Other crew"]) as db:
        assert not db.scalars(select(KeptFile)).all() and files.one(db, job.id, one) is None
    with pytest.raises(DBAPIError), as_crew(make, crews["Other crew"]) as db:
        files.keep(db, job.id, "photo", "x", "image/jpeg", b"3", {}, "Other")


@pytest.mark.parametrize(
    "change", ["update kept_file set name = 'x'", "delete from kept_file", "truncate kept_file"]
)
def test_files_are_kept_for_ever(mine, job, change):  # noqa: F811
    with mine() as db:
        files.keep(db, job.id, "photo", "a", "image/jpeg", b"9", {}, "Osk")
    with pytest.raises(DBAPIError, match="append-only"), mine() as db:
        db.execute(text(change))


def test_of_many_askers_one_takes_it_on(mine, job):  # noqa: F811
    taken = []

    def ask():
        with mine() as db:
            taken.append(results.claim(db, job.id, "year", "k"))

    threads = [threading.Thread(target=ask) for _ in range(12)]
    for t in threads:
        t.start()
    for t in threads:
        t.join()
    assert sorted(taken) == [False] * 11 + [True]


def test_a_claim_is_free_again_when_its_worker_falls_silent(mine, job):  # noqa: F811
    def claim():
        with mine() as db:
            return results.claim(db, job.id, "best", "k")

    assert claim() and not claim()
    with mine() as db:
        db.execute(text("update result set beat_at = now() - interval '61 seconds'"))
    assert claim() and not claim()
    with mine() as db:
        results.beat(db, job.id, "best", "k", 0.5, "half way")
        assert (
            results.found(db, job.id, "best", "k").share,
            results.found(db, job.id, "best", "k").says,
        ) == (0.5, "half way")
        results.fail(db, job.id, "best", "k", "it rained")
    assert claim()
    with mine() as db:
        results.finish(db, job.id, "best", "k", {"bill": 3}, b"data")
        db.execute(text("update result set beat_at = now() - interval '1 hour'"))
    assert not claim()
    with mine() as db:
        row = results.found(db, job.id, "best", "k")
        assert row.body == {"bill": 3} and row.data == b"data" and row.fault is None
        results.forget(db, job.id, "best", "k")
    assert claim()


def test_only_the_newest_few_are_kept(mine, job):  # noqa: F811
    for n in range(results.KEEP + 3):
        with mine() as db:
            results.claim(db, job.id, "year", f"k{n}")
            results.finish(db, job.id, "year", f"k{n}", {"n": n})
    with mine() as db:
        kept = sorted(
            r.body["n"] for r in db.scalars(select(Result).where(Result.job_id == job.id))
        )
    assert kept == list(range(3, results.KEEP + 3))
