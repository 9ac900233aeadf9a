"""Link: the walk from step to step. What is done there is sent to `field`, now or when the network
is back.
"""

from __future__ import annotations

from typing import Any

from fastapi import APIRouter, Request
from fastapi.responses import Response

from gumboot.core.land.entering import Refused
from gumboot.core.link.entering import entry_body
from gumboot.core.link.harness import Harness
from gumboot.core.link.steps import CT_TEST
from gumboot.core.link.terminators import Place, reads_like
from gumboot.core.walk.step import Step
from gumboot.store import files
from gumboot.web.field.entry import Sent, makes
from gumboot.web.job import walking
from gumboot.web.job.opening import Opened, OpenJob
from gumboot.web.pages.frame import drawn, twin
from gumboot.web.stations.link.drawing import pictures

router = APIRouter()


def tested(job: OpenJob) -> bool:
    """Whether the last step of the transformers' test found every one as it should be."""
    return bool(job.state.ct) and bool(job.state.ct[-1].body.get("sound"))


def complete(job: OpenJob, step: Step) -> bool:
    """Whether a step is done, or left out with a reason."""
    return (step.key == CT_TEST and tested(job)) or walking.complete(job, step)


def row(job: OpenJob, h: Harness, n: int, s: Step) -> dict[str, Any]:
    """One step as the page has it."""
    out = walking.row(job, n, s, s.key == CT_TEST and tested(job))
    if s.does == "pins" and (lead := h.lead(s.shows)):
        out["pins"] = [
            {"pin": c.pin, "far": c.far_pin, "does": c.does}
            for c in lead.cable.cores
            if c.does != "shield"
        ]
    if s.key.startswith("ohm."):
        key, _, at = s.key.removeprefix("ohm.").rpartition(".")
        bus = next((b for b in h.buses if b.key == key), None)
        if bus:
            place = Place(int(at))
            out["reads"] = [[says, round(v, 1)] for says, v in reads_like(bus.ladder, place)]
    return out


def page(
    job: OpenJob,
    key: str,
    typed: dict[str, str] | None = None,
    fault: tuple[str, str] | None = None,
) -> dict[str, Any]:
    """What the page shows."""
    h = job.design.harness
    rows = [row(job, h, n, s) for n, s in enumerate(h.steps, 1)] if h else []
    return {
        **job.head("link"),
        "tab": "link",
        **walking.walk(job, "link", rows),
        **walking.plainly(h.steps if h else (), key, lambda s: complete(job, s), typed, fault),
        "_pictures": [(k, drawn(svg)) for k, svg in pictures(h, job.plan.units)] if h else [],
    }


@twin(router, "/jobs/{job_id}/link", "link.html")
def link(request: Request, job: Opened) -> dict[str, Any]:
    """The walk, at `?at=` or at the next step to do."""
    return page(job, request.query_params.get("at", ""))


@makes("link")
def entry(job: OpenJob, s: Sent) -> tuple[str, dict[str, Any]]:
    """(kind, body) of an entry about a step. Raises Refused."""
    h = job.design.harness
    if h is None:
        raise Refused("key", "this step is not in the plan any more: reload the page")
    if s.digest and files.one(job.visit.db, job.record.id, s.digest) is None:
        raise Refused("photo", "its photograph has not come in: send it again")
    return "link", entry_body(h, walking.entered(s))


@router.post("/jobs/{job_id}/link")
def plain_entry(request: Request, job: Opened) -> Response:
    """One entry from the plain form."""
    return walking.plain_entry(request, job, "link", lambda *more: page(job, *more))
