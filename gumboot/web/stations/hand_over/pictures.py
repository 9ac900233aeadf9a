"""Hand over: the photographs that a job wants, each in its place, with or without a signal."""

from __future__ import annotations

from typing import Any

from fastapi import APIRouter, Request

from gumboot.core.hand_over.pictures import wanted
from gumboot.core.land.entering import Refused
from gumboot.web.field.entry import Sent, makes
from gumboot.web.field.slots import taken
from gumboot.web.field.terminations import script
from gumboot.web.job.opening import Opened, OpenJob
from gumboot.web.pages.frame import drawn, twin

router = APIRouter()
STATIONS = {"delivery": "At the door", "wall": "Wall", "land": "Land", "wake": "Before Wake"}


def page(job: OpenJob) -> dict[str, Any]:
    """What the page shows."""
    there = taken(job)
    rows = [
        {
            "key": x.key,
            "says": x.says,
            "at": STATIONS[x.at],
            "digest": there[x.key].body["digest"] if x.key in there else "",
            "who": there[x.key].who if x.key in there else "",
            "when": there[x.key].at_server if x.key in there else "",
        }
        for x in wanted(job.design)
    ]
    return {
        **job.head("hand-over"),
        "tab": "photographs",
        "slots": rows,
        "done": sum(bool(r["digest"]) for r in rows),
        "_may": job.visit.role != "planner" and job.state.signed is None,
        "_data": drawn(script({"said": {"seq": job.state.seq, "pictures": sorted(there)}})),
    }


@twin(router, "/jobs/{job_id}/photographs", "photographs.html")
def photographs(request: Request, job: Opened) -> dict[str, Any]:
    """The page."""
    return page(job)


@makes("picture")
def entry(job: OpenJob, s: Sent) -> tuple[str, dict[str, Any]]:
    """(kind, body) of an entry about a photograph in its place. Raises Refused."""
    own = next((x for x in wanted(job.design) if x.key == s.key), None)
    if own is None:
        raise Refused("key", "this photograph is not wanted any more: reload the page")
    if not s.digest:
        raise Refused("photo", "no photograph came with it: take it again")
    body = {"digest": s.digest, "what": own.says, "note": s.note[:200], "slot": own.key}
    return "photo", body
