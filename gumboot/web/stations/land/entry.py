"""What a hand enters at a termination, made into a log entry."""

from __future__ import annotations

from datetime import UTC, datetime
from typing import Any

from gumboot.core.land.entering import Entered, Refused, day_of, entry_body
from gumboot.store import files
from gumboot.web.field.entry import Sent, makes
from gumboot.web.job.opening import OpenJob


@makes("joint")  # what devices queued before terminations were called so
@makes("termination")
def termination(job: OpenJob, s: Sent) -> tuple[str, dict[str, Any]]:
    """(kind, body) of an entry about a termination. Raises Refused."""
    t = job.termination(s.key)
    wrench = next((w for w in job.wrenches if w.id == s.wrench), None)
    events = job.state.events.get(s.key, ())
    others = s.seen is not None and any(m.seq > s.seen and m.device != s.device for m in events)
    if s.corrects and not any(m.uuid == s.corrects for m in events):
        raise Refused(
            "corrects",
            "the entry to correct is not in this termination's log: look at the log, then enter it"
            " again",
        )
    if s.digest and files.one(job.visit.db, job.record.id, s.digest) is None:
        raise Refused("photo", "its photograph has not come in: send it again")
    entered = Entered(
        s.key,
        s.label,
        s.act,
        s.typed,
        s.scale,
        s.replaced,
        s.again,
        s.corrects,
        s.note,
        s.digest,
        s.seen,
        s.device,
    )
    return entry_body(
        entered,
        t,
        job.state_of(t) if t else None,
        wrench,
        day_of(s.at_device, datetime.now(UTC)),
        others,
    )
