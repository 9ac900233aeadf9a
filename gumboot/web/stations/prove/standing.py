"""Prove: how each test of a job stands: which are due in the light there is, which entry each
stands by, and whether that still counts.
"""

from __future__ import annotations

from datetime import UTC, datetime, timedelta
from functools import lru_cache

from gumboot.core.basis.finding import Finding
from gumboot.core.design import Design
from gumboot.core.journal.entry import Entry
from gumboot.core.journal.log import when
from gumboot.core.prove.due import Due
from gumboot.core.prove.listing import dues_of
from gumboot.core.prove.strings import Sky
from gumboot.web.job.opening import OpenJob

FRESH = timedelta(minutes=30)  # how long a reading of light stands: common practice
CLOSED = ("done", "declined")
READ = ("done", "outside")


@lru_cache(maxsize=128)
def dues_by(design: Design, sky: Sky) -> tuple[Due, ...]:
    """The tests of a job in a light, remembered for its design."""
    return dues_of(design, sky)


def sky_at(job: OpenJob, moment: str, before: int | None = None) -> Sky:
    """Light and warmth as last read about a moment (ISO 8601; empty: now), no further from it than
    a light stands; before: of the entries before that number.
    """

    at = min(_moment(moment), datetime.now(UTC))

    def read(key: str) -> float | None:
        rows = (e for e in job.state.tests.get(key, ()) if before is None or e.seq < before)
        e = next(reversed(list(rows)), None)
        if e is None or e.body["verdict"] not in READ or abs(at - _moment(when(e))) > FRESH:
            return None
        value: float | None = e.body["value"]
        return value

    return Sky(read("sky.light"), read("sky.cell"))


def _moment(text: str) -> datetime:
    try:
        said = datetime.fromisoformat(text.replace("Z", "+00:00"))
    except ValueError:
        return datetime.now(UTC)
    return said if said.tzinfo else said.replace(tzinfo=UTC)


def dues_now(job: OpenJob) -> tuple[Due, ...]:
    """The tests of a job in the light there is now, as far as anybody read it."""
    return dues_by(job.design, sky_at(job, ""))


def in_light(job: OpenJob, due: Due, sky: Sky) -> Due:
    """The same test in another light."""
    if not due.key.startswith("string."):
        return due
    return next((x for x in dues_by(job.design, sky) if x.key == due.key), due)


def as_read(job: OpenJob, due: Due, e: Entry) -> Due:
    """A test as it was due when an entry about it was made: a string in its own light."""
    return in_light(job, due, sky_at(job, when(e), e.seq))


def duty_of(job: OpenJob, due: Due) -> Finding | None:
    """The duty that a test closes, as it reads now."""
    return next((f for f in job.design.duties if due.duty and f.key == due.duty), None)


def last_of(job: OpenJob, due: Due) -> Entry | None:
    """The entry that a test stands by: the newest of its own, of that of the walk where it is
    read, and of its duty's; one that was taken back hides none of the others.
    """
    f = duty_of(job, due)
    found = (
        job.state.steps.get(due.known or due.key),
        job.state.attends(f) if f is not None else None,
    )
    rows = [e for e in found if e is not None and e.body["verdict"] != "taken back"]
    return max(rows, key=lambda e: e.seq, default=None)


def lapsed(job: OpenJob, due: Due, e: Entry) -> str:
    """Why what was entered counts no longer, the plan having changed since; empty while it does."""
    f, body = duty_of(job, due), e.body
    if due.known or body["verdict"] not in CLOSED:
        return ""
    if f is not None and body.get("fingerprint", f.fingerprint) != f.fingerprint:
        return "the plan has changed since, and what this was to show with it: do it again"
    value, now = body.get("value"), as_read(job, due, e).step()
    if body["verdict"] != "done" or value is None or now.within(value, body.get("slack", 0.0)):
        return ""
    was = body.get("expected", "")
    return f"{was} was expected when it was read; the plan has changed since: read it again"


def complete(job: OpenJob, due: Due) -> bool:
    """Whether a test is done, or declined with a reason, and that still counts."""
    e = last_of(job, due)
    return e is not None and e.body["verdict"] in CLOSED and not lapsed(job, due, e)
