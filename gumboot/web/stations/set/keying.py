"""Set, keyed: line after line as the unit takes them. What is done there is sent to `field`, now or
when the network is back.
"""

from __future__ import annotations

from functools import lru_cache
from typing import Any

from fastapi import APIRouter, Request
from fastapi.responses import Response

from gumboot.core.design import Design
from gumboot.core.land.entering import Refused
from gumboot.core.set import keying
from gumboot.core.set.keying import near
from gumboot.core.set.settings import Setting
from gumboot.core.walk.entering import body_of, entry_body
from gumboot.core.walk.step import Step
from gumboot.web.field.entry import Sent, makes
from gumboot.web.job import walking
from gumboot.web.job.opening import Opened, OpenJob
from gumboot.web.pages.frame import twin

router = APIRouter()
PATH = "set/key"


@lru_cache(maxsize=64)
def menus_of(design: Design) -> tuple[tuple[Setting, ...], ...]:
    """The menus of all units."""
    return tuple(design.menu(n) for n in design.plan.kit.units)


@lru_cache(maxsize=64)
def steps_of(design: Design) -> tuple[Step, ...]:
    """The steps of a job, remembered for its design."""
    return keying.steps_of(design)


def setting_of(design: Design, step: Step) -> Setting | None:
    """The line that a step keys."""
    head, _, _ = step.key.partition("=")
    what, unit, line = (*head.split(".", 2), "", "")[:3]
    if what != "key":
        return None
    return next((s for s in design.menu(int(unit)) if s.id == line), None)


def page(
    job: OpenJob,
    key: str,
    typed: dict[str, str] | None = None,
    fault: tuple[str, str] | None = None,
) -> dict[str, Any]:
    """What the page shows."""
    steps = steps_of(job.design)
    rows = []
    for n, s in enumerate(steps, 1):
        own = setting_of(job.design, s)
        row = walking.row(job, n, s)
        if own is not None:
            row |= {"words": [str(own.value), own.display], "in": own.unit, "near": near(own)}
            row["says"] += unproven(job, own)
        rows.append(row)
    return {
        **job.head("set"),
        "tab": PATH,
        **walking.walk(job, "set", rows, path=PATH),
        **walking.plainly(steps, key, lambda s: walking.complete(job, s), typed, fault),
    }


def unproven(job: OpenJob, s: Setting) -> str:
    """What an export limit hangs on and has not been shown yet."""
    if s.rule != "export" or job.plan.energy.tariff.export_limit_w is None:
        return ""
    if job.state.ct and job.state.ct[-1].body.get("sound"):
        return ""
    return " The test of the transformers under Link has not passed: no limit holds before it."


@twin(router, "/jobs/{job_id}/set/key", "set_key.html")
def key_in(request: Request, job: Opened) -> dict[str, Any]:
    """The walk, at `?at=` or at the next line to key."""
    return page(job, request.query_params.get("at", ""))


@makes("set")
def entry(job: OpenJob, s: Sent) -> tuple[str, dict[str, Any]]:
    """(kind, body) of an entry about a line. Another value than planned is judged on the spot.
    Raises Refused.
    """
    step = next((x for x in steps_of(job.design) if x.key == s.key), None)
    own = setting_of(job.design, step) if step else None
    if step is None or own is None or s.act != "done":
        if step is None and s.key.startswith("key."):
            raise Refused("key", "this line is to be keyed otherwise by now: reload the page")
        return "set", entry_body(step, walking.entered(s))
    typed = s.typed.strip() or step.lever
    verdict, why = keying.judged(own, typed)
    sent = walking.entered(s)
    body = body_of(step, sent, verdict, None, why)
    return "set", {**body, "typed": typed}


@router.post("/jobs/{job_id}/set/key")
def plain_entry(request: Request, job: Opened) -> Response:
    """One entry from the plain form."""
    return walking.plain_entry(
        request, job, "set", lambda *more: page(job, *more), PATH, "set_key.html"
    )


def keyed_lines(job: OpenJob) -> list[tuple[Step, Setting, str]]:
    """(step, line, what was keyed) of every line, in the order of keying."""
    out = []
    for step in steps_of(job.design):
        own = setting_of(job.design, step)
        if own is not None:
            e = walking.last(job, step)
            keyed = e.body["typed"] if e and e.body["verdict"] in ("done", "outside") else ""
            out.append((step, own, keyed))
    return out
