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
from gumboot.core.set.settings import Setting
from gumboot.core.walk.entering import body_of, entry_body
from gumboot.core.walk.step import Step
from gumboot.exports.materials import as_csv
from gumboot.web.field.entry import Sent, makes
from gumboot.web.job import walking
from gumboot.web.job.opening import Opened, OpenJob
from gumboot.web.pages.frame import twin

router = APIRouter()
PATH = "set/key"


@lru_cache(maxsize=64)
def menus_of(design: Design) -> tuple[tuple[Setting, ...], ...]:
    """The menus of all units."""
    units = range(1, design.plan.kit.inverters + 1)
    return tuple(design.menu(n) for n in units) if design.settings else ()


@lru_cache(maxsize=64)
def steps_of(design: Design) -> tuple[Step, ...]:
    """The steps of a job, remembered for its design."""
    menus = menus_of(design)
    if design.inverter is None or not menus:
        return ()
    return keying.steps_of(design.inverter, menus)


def setting_of(design: Design, step: Step) -> Setting | None:
    """The line that a step keys."""
    head, _, _ = step.key.partition("=")
    what, unit, line = (*head.split(".", 2), "", "")[:3]
    if what != "key":
        return None
    return next((s for s in menus_of(design)[int(unit) - 1] if s.id == line), None)


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
        words = [str(own.value), own.display] if own else []
        rows.append({**walking.row(job, n, s), "words": words})
    return {
        **job.head("set"),
        "tab": PATH,
        **walking.walk(job, "set", rows, path=PATH),
        **walking.plainly(steps, key, lambda s: walking.complete(job, s), typed, fault),
    }


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


@router.get("/jobs/{job_id}/set.csv")
def sheet_csv(request: Request, job: Opened) -> Response:
    """The sheet of every unit as CSV (RFC 4180), in the order of keying."""
    rows = []
    for s in steps_of(job.design):
        own = setting_of(job.design, s)
        if own is None:
            continue
        e = walking.last(job, s)
        keyed = e.body["typed"] if e and e.body["verdict"] in ("done", "outside") else ""
        unit = s.stage.removeprefix("Inverter ") if s.stage.startswith("Inverter") else "1"
        row = (unit, own.number, own.label, own.works, own.display, str(own.value), own.unit)
        rows.append((*row, own.reason, keyed))
    head = ("unit", "number", "line", "works", "display", "value", "in", "reason", "keyed")
    name = {"Content-Disposition": f'attachment; filename="settings-{job.record.id}.csv"'}
    return Response(as_csv(head, rows), media_type="text/csv; charset=utf-8", headers=name)
