"""A walk on a page: one step at a time, with a signal or without; the same for Link and Wake.

What is entered goes by the field's own queue to `field`; a plain form does the same without a
script.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any
from urllib.parse import quote
from uuid import uuid4

from fastapi import Request
from fastapi.responses import RedirectResponse, Response

from gumboot.core.journal.entry import Entry
from gumboot.core.walk.entering import Entry as Entered
from gumboot.core.walk.reading import KINDS
from gumboot.core.walk.step import Step
from gumboot.web.field.entry import Sent
from gumboot.web.field.receive import keep
from gumboot.web.field.terminations import script, terminations_of
from gumboot.web.job.opening import OpenJob
from gumboot.web.pages.frame import drawn, render

DONE = ("done", "declined")
LEAD = "lead"  # the key of the entry that says which device leads
EXAMPLES = {"ohm": "60, or open", "megohm": "12, or > 200", "dbm": "-67", "volt": "11.8"}


def last(job: OpenJob, step: Step) -> Entry | None:
    """The last entry on a step, if it still counts."""
    e = job.state.steps.get(step.key)
    return e if e is not None and e.body["verdict"] != "taken back" else None


def leader(job: OpenJob) -> Entry | None:
    """The entry of who leads, and on which device; None while nobody does."""
    e = job.state.steps.get(LEAD)
    return e if e is not None and e.body["verdict"] == "done" else None


def other_leader(job: OpenJob) -> str:
    """Who leads, for a page without a script: empty where that is this very person on such a
    page.
    """
    e = leader(job)
    return e.who if e is not None and (e.body["device"], e.who) != ("", job.visit.who) else ""


def complete(job: OpenJob, step: Step) -> bool:
    """Whether a step is done, or left out with a reason."""
    e = last(job, step)
    return e is not None and e.body["verdict"] in DONE


def row(job: OpenJob, n: int, s: Step, done: bool = False) -> dict[str, Any]:
    """One step as the page has it. done: by what is known elsewhere."""
    e = last(job, s)
    near = [x for x in (s.least, s.most) if x is not None]
    middle = sum(near) / len(near) if near and s.does == "volt" else None
    return {
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
        "lever": s.lever,
        "wait_s": s.wait_s,
        "asks": s.reads,
        "example": f"{middle:.4g}" if middle else EXAMPLES.get(s.does, ""),
        **reading_of(s),
        "known": done,
        "state": "done" if done else e.body["verdict"] if e else "",
        "typed": e.body["typed"] if e else "",
        "tool": e.body["tool"] if e else "",
    }


def reading_of(s: Step) -> dict[str, Any]:
    """How the page reads a plain number: its unit, what else may be typed behind it, its limits."""
    own = KINDS.get(s.does)
    if own is None:
        return {}
    return {
        **{"unit": own.unit, "scales": own.scales, "wants": own.says},
        **{"can_least": own.least, "can_most": own.most},
    }


def walk(
    job: OpenJob,
    kind: str,
    rows: list[dict[str, Any]],
    more: dict[str, Any] | None = None,
    path: str = "",
) -> dict[str, Any]:
    """What the page of a walk shows. kind: of its log entries; more: what its script needs; path:
    of the page, where it is not the kind's name.
    """
    said = terminations_of(job, {LEAD, *(s["key"] for s in rows)})
    return {
        "kind": kind,
        "walk_path": path or kind,
        "steps": rows,
        "done": sum(s["state"] in DONE for s in rows),
        "leader": other_leader(job),
        "_stops": [
            f.says
            for f in job.findings
            if f.level.value == "stop" and job.design.stations.get(f.key) == kind
        ],
        "_data": drawn(script({"steps": rows, "said": said, **(more or {})})),
    }


def plainly(
    steps: Sequence[Step],
    key: str,
    done: Callable[[Step], bool],
    typed: dict[str, str] | None = None,
    fault: tuple[str, str] | None = None,
) -> dict[str, Any]:
    """One step as a plain form, for a browser without scripts."""
    step = next((s for s in steps if s.key == key), None)
    step = step or next((s for s in steps if not done(s)), None) or next(iter(steps), None)
    return {
        "_plain": step,
        "_typed": typed or {},
        "_fault": fault,
        "_uuid": (typed or {}).get("uuid") or str(uuid4()),
    }


def entered(s: Sent) -> Entered:
    """What a device sent about a step."""
    return Entered(s.key, s.label, s.act, s.typed, s.note, s.digest, s.tool, s.seen, s.device)


def plain_entry(
    request: Request,
    job: OpenJob,
    kind: str,
    again: Callable[[str, dict[str, str], tuple[str, str]], dict[str, Any]],
    path: str = "",
    template: str = "",
) -> Response:
    """One entry from the plain form. again: the page with what was typed and what is wrong with it;
    path and template: of that page, where they are not the kind's name. A resend of the same UUID
    does nothing.
    """
    visit = job.visit
    visit.needs("installer", "supervisor")
    typed = {k: visit.text(k) for k in ("key", "act", "typed", "note", "tool", "uuid")}
    typed["uuid"] = typed["uuid"] or str(uuid4())
    row = {**typed, "kind": kind, "seen": visit.whole("seen", job.state.seq)}
    [(answer, key)] = keep(job, [row])
    if answer["state"] == "refused":
        fault = (answer["field"], answer["why"])
        return render(request, template or f"{kind}.html", again(key, typed, fault), 422)
    visit.db.commit()
    return RedirectResponse(f"/jobs/{job.record.id}/{path or kind}?at={quote(key, safe='')}", 303)
