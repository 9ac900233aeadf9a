"""Link: the walk from step to step. What is done there is sent to `field`, now or when the network
is back.
"""

from __future__ import annotations

from typing import Any
from urllib.parse import quote
from uuid import uuid4

from fastapi import APIRouter, Request
from fastapi.responses import RedirectResponse, Response

from gumboot.core.journal.entry import Entry
from gumboot.core.land.entering import Refused
from gumboot.core.link.entering import entry_body
from gumboot.core.link.harness import Harness
from gumboot.core.link.steps import CT_TEST
from gumboot.core.link.terminators import Place, reads_like
from gumboot.core.walk.entering import Entry as Entered
from gumboot.core.walk.step import Step
from gumboot.store import files
from gumboot.web.field.entry import Sent, makes
from gumboot.web.field.receive import keep
from gumboot.web.field.terminations import script, terminations_of
from gumboot.web.job.opening import Opened, OpenJob
from gumboot.web.pages.frame import drawn, render, twin
from gumboot.web.stations.link.drawing import pictures

router = APIRouter()
DONE = ("done", "declined")


def last(job: OpenJob, step: Step) -> Entry | None:
    """The last entry on a step, if it still counts."""
    e = job.state.steps.get(step.key)
    return e if e is not None and e.body["verdict"] != "taken back" else None


def tested(job: OpenJob) -> bool:
    """Whether the last step of the transformers' test found every one as it should be."""
    return bool(job.state.ct) and bool(job.state.ct[-1].body.get("sound"))


def complete(job: OpenJob, step: Step) -> bool:
    """Whether a step is done, or left out with a reason."""
    if step.key == CT_TEST and tested(job):
        return True
    e = last(job, step)
    return e is not None and e.body["verdict"] in DONE


def row(job: OpenJob, h: Harness, n: int, s: Step) -> dict[str, Any]:
    """One step as the page has it."""
    e = last(job, s)
    out: dict[str, Any] = {
        "n": n,
        "key": s.key,
        "stage": s.stage,
        "title": s.title,
        "says": s.says,
        "does": s.does,
        "expects": s.expects,
        "least": s.least,
        "most": s.most,
        "shows": s.shows,
        "state": "done" if s.key == CT_TEST and tested(job) else e.body["verdict"] if e else "",
        "typed": e.body["typed"] if e else "",
        "tool": e.body["tool"] if e else "",
    }
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


def page(job: OpenJob) -> dict[str, Any]:
    """What the page shows."""
    h = job.design.harness
    steps = [row(job, h, n, s) for n, s in enumerate(h.steps, 1)] if h else []
    said = terminations_of(job, {s["key"] for s in steps})
    return {
        **job.head("link"),
        "tab": "link",
        "steps": steps,
        "done": sum(s["state"] in DONE for s in steps),
        "stages": list(dict.fromkeys(s["stage"] for s in steps)),
        "_stops": [
            f.says
            for f in job.findings
            if f.level.value == "stop" and job.design.stations.get(f.key) == "link"
        ],
        "_pictures": [(k, drawn(svg)) for k, svg in pictures(h, job.plan.units)] if h else [],
        "_data": drawn(script({"steps": steps, "said": said})),
    }


@twin(router, "/jobs/{job_id}/link", "link.html")
def link(request: Request, job: Opened) -> dict[str, Any]:
    """The walk, at `?at=` or at the next step to do."""
    return page(job) | plainly(job, request.query_params.get("at", ""))


def plainly(
    job: OpenJob,
    key: str,
    typed: dict[str, str] | None = None,
    fault: tuple[str, str] | None = None,
) -> dict[str, Any]:
    """One step as a plain form, for a browser without scripts."""
    h = job.design.harness
    steps = h.steps if h else ()
    step = next((s for s in steps if s.key == key), None)
    step = step or next((s for s in steps if not complete(job, s)), None) or next(iter(steps), None)
    return {
        "_plain": step,
        "_typed": typed or {},
        "_fault": fault,
        "_uuid": (typed or {}).get("uuid") or str(uuid4()),
    }


@makes("link")
def entry(job: OpenJob, s: Sent) -> tuple[str, dict[str, Any]]:
    """(kind, body) of an entry about a step. Raises Refused."""
    h = job.design.harness
    if h is None:
        raise Refused("key", "this step is not in the plan any more: reload the page")
    if s.digest and files.one(job.visit.db, job.record.id, s.digest) is None:
        raise Refused("photo", "its photograph has not come in: send it again")
    entered = Entered(s.key, s.label, s.act, s.typed, s.note, s.digest, s.tool, s.seen, s.device)
    return "link", entry_body(h, entered)


@router.post("/jobs/{job_id}/link")
def plain_entry(request: Request, job: Opened) -> Response:
    """One entry from the plain form. A resend of the same UUID does nothing."""
    visit = job.visit
    visit.needs("installer", "supervisor")
    typed = {k: visit.text(k) for k in ("key", "act", "typed", "note", "tool", "uuid")}
    sent = {**typed, "kind": "link", "seen": visit.whole("seen", job.state.seq)}
    answer, key = keep(job, sent)
    if answer["state"] == "refused":
        fault = (answer["field"], answer["why"])
        return render(request, "link.html", page(job) | plainly(job, key, typed, fault), 422)
    visit.db.commit()
    return RedirectResponse(f"/jobs/{job.record.id}/link?at={quote(key, safe='')}", 303)
