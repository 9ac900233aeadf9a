"""The torque log as CSV (RFC 4180): one line for each entry about a termination."""

from __future__ import annotations

from collections.abc import Iterable

from gumboot.core.journal.log import Entry
from gumboot.core.land import Event
from gumboot.exports.materials import as_csv

HEAD = (
    "number",
    "termination",
    "label",
    "act",
    "torque_nm",
    "typed",
    "rated_nm",
    "verdict",
    "second",
    "tool",
    "who",
    "role",
    "at_device",
    "at_server",
    "note",
    "corrects",
    "uuid",
    "hash",
)


def log_csv(rows: Iterable[tuple[Entry, Event]]) -> str:
    """Entries with what they say, oldest first."""

    def line(e: Entry, m: Event) -> tuple[str, ...]:
        b = e.body
        nm = "" if m.torque_nm is None else f"{m.torque_nm:g}"
        rated = "" if m.rated_nm is None else f"{m.rated_nm:.4g}"
        return (
            str(e.seq),
            b["termination"],
            b["label"],
            m.act,
            nm,
            m.typed,
            rated,
            m.verdict or "",
            "yes" if m.again else "",
            m.tool,
            e.who,
            e.role,
            e.at_device,
            e.at_server,
            m.note,
            m.corrects or "",
            e.uuid,
            e.hash,
        )

    return as_csv(HEAD, (line(e, m) for e, m in rows))
