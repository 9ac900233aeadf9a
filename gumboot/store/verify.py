"""Tell whether the log of every job and of every office holds: python -m gumboot.store.verify [JOB
NUMBER | JOB FILE] …

Prints one line a job; the exit status is 1 when a chain is broken, 2 when something could not be
read.
"""

from __future__ import annotations

import json
import os
import sys
from pathlib import Path

from sqlalchemy import select
from sqlalchemy.orm import Session

from gumboot.core.journal import log
from gumboot.core.journal.log import Entry
from gumboot.core.journal.office import first_broken
from gumboot.store import database, office, records
from gumboot.store.models import Crew


def told(name: str, count: int, broken: int | None) -> str:
    """One line about one job."""
    return (
        f"{name}: {count} entries, chain whole"
        if broken is None
        else f"{name}: chain broken at entry {broken} of {count}"
    )


def of_file(path: Path) -> tuple[str, int, int | None]:
    """(name, entries, first broken) of a job file. Raises ValueError when it is none."""
    try:
        document = json.loads(path.read_text(encoding="utf-8"))
        rows = [Entry(**e) for e in document["log"]]
        return (
            f"{path.name}, {document['plan']['site']['name']}",
            len(rows),
            log.first_broken(document["uid"], rows),
        )
    except (OSError, KeyError, TypeError, ValueError) as exc:
        raise ValueError(f"{path}: not a job file ({exc})") from exc


def of_database(url: str, wanted: set[int]) -> list[tuple[str, int, int | None]]:
    """The same of every job of a database, or of those wanted by number. Raises LookupError when
    one of those is not there.
    """
    engine = database.connect(url)
    out, seen = [], set()
    with database.sessions(engine)() as db:
        for crew in db.scalars(select(Crew.id).order_by(Crew.id)).all():
            database.see_crew(db, crew)
            if not wanted:
                out.append(of_office(db, crew))
            for job in records.jobs(db):
                if not wanted or job.id in wanted:
                    seen.add(job.id)
                    rows = records.entries(db, job)
                    broken = log.first_broken(job.uid, rows)
                    if broken is None and job.log_head != (
                        rows[-1].hash if rows else log.genesis(job.uid)
                    ):
                        broken = len(rows) + 1  # the last entries are gone
                    out.append((f"job {job.id}, {job.name}", len(rows), broken))
            db.rollback()
    engine.dispose()
    if wanted - seen:
        raise LookupError(
            f"no job {', '.join(str(n) for n in sorted(wanted - seen))} in this database"
        )
    return sorted(out)


def of_office(db: Session, crew_id: int) -> tuple[str, int, int | None]:
    """(name, entries, first broken) of a crew's office log."""
    crew, rows = db.get(Crew, crew_id), office.entries(db, crew_id)
    assert crew is not None  # noqa: S101
    broken = first_broken(crew.uid, rows)
    if broken is None and (crew.office_seq, crew.office_head) != (
        len(rows),
        rows[-1].hash if rows else "",
    ):
        broken = len(rows) + 1
    return f"office of crew {crew_id}, {crew.name}", len(rows), broken


def main(arguments: list[str]) -> int:
    """Verify files and jobs named, or every job of GUMBOOT_DATABASE_URL."""
    numbers = {int(a) for a in arguments if a.isdecimal()}
    try:
        rows = [of_file(Path(a)) for a in arguments if not a.isdecimal()]
        if numbers or not arguments:
            url = os.environ.get("GUMBOOT_DATABASE_URL")
            if not url:
                raise LookupError(
                    "GUMBOOT_DATABASE_URL is not set: give the URL of a PostgreSQL database, or a"
                    " job file"
                )
            rows += of_database(url, numbers)
    except (LookupError, ValueError) as exc:
        print(exc, file=sys.stderr)
        return 2
    for r in rows:
        print(told(*r))
    return int(any(broken is not None for _, _, broken in rows))


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
