"""Files are kept for ever and once; of results the newest few."""

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


def test_only_the_newest_few_are_kept(mine, job):  # noqa: F811
    for n in range(results.KEEP_OTHERS + 3):
        with mine() as db:
            results.begin(db, job.id, "year", f"k{n}", b"load")
            results.finish(db, job.id, "year", f"k{n}", {"n": n})
    with mine() as db:
        kept = sorted(
            r.body["n"] for r in db.scalars(select(Result).where(Result.job_id == job.id))
        )
    assert kept == list(range(3, results.KEEP_OTHERS + 3))
