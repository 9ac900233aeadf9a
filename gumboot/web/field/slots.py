"""Photographs that a job wants: which are taken, and which are lacking."""

from __future__ import annotations

from gumboot.core.hand_over.pictures import Wanted, wanted
from gumboot.core.journal.entry import Entry
from gumboot.web.job.opening import OpenJob


def taken(job: OpenJob) -> dict[str, Entry]:
    """The newest photograph in each place, that nobody took off."""
    out: dict[str, Entry] = {}
    for e in job.state.photos.values():
        if slot := e.body.get("slot", ""):
            if slot not in out or out[slot].seq < e.seq:
                out[slot] = e
    return out


def lacking(job: OpenJob, *at: str) -> list[Wanted]:
    """The photographs wanted that nobody took; at: of those stations."""
    there = taken(job)
    return [x for x in wanted(job.design) if x.key not in there and (not at or x.at in at)]
