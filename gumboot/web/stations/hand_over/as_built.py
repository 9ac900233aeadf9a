"""Hand over: what was built otherwise than planned, where nothing else in the record says it."""

from __future__ import annotations

from typing import Any, get_args

from fastapi import APIRouter, Request
from fastapi.responses import RedirectResponse, Response

from gumboot.core.basis.units import NotAQuantity, parse, show_length
from gumboot.core.design import Design
from gumboot.core.hand_over.built import differences, marks
from gumboot.core.hand_over.words import BuiltOf
from gumboot.drawings.one_line import one_line
from gumboot.store import records
from gumboot.web.job.opening import Opened, OpenJob
from gumboot.web.pages.frame import drawn, render, twin

router = APIRouter()
WHAT: tuple[str, ...] = get_args(BuiltOf)
NOTHING = {"about": "", "what": "length", "built": "", "note": ""}


class NotSaid(ValueError):
    """Why it cannot be kept, at which field."""

    def __init__(self, field: str, says: str) -> None:
        super().__init__(says)
        self.field = field


def places(d: Design) -> dict[str, str]:
    """What can be built otherwise: circuits and boxes, by key."""
    circuits = {s.id: f"C{s.circuit.number} {s.circuit.name}" for s in d.circuits}
    return circuits | {b.id: b.label for b in d.bodies}


def planned(d: Design, about: str, what: str) -> str:
    """What the plan says of it."""
    own = next((s for s in d.circuits if s.id == about), None)
    if own is not None and what == "length":
        return show_length(own.conditions.run.length_m, d.plan.units)
    if own is not None and what == "conductor":
        return own.conductor_text
    body = next((b for b in d.bodies if b.id == about), None)
    return ", ".join(body.lines) if body is not None and what == "device" else "as drawn"


def page(
    job: OpenJob, typed: dict[str, str] | None = None, fault: tuple[str, str] = ("", "")
) -> dict[str, Any]:
    """What the page shows."""
    rows = differences(job.design, job.state)
    said = job.state.last.get("built", {})
    return {
        **job.head("hand-over"),
        "tab": "as-built",
        "rows": rows,
        "said": [
            {"about": k, "label": e.body["label"], "what": e.body["what"]}
            for k, e in said.items()
            if e.body["built"]
        ],
        "places": places(job.design),
        "what": WHAT,
        "typed": typed or NOTHING,
        "fault": {"field": fault[0], "says": fault[1]},
        "_drawing": drawn(one_line(job.design, False, (), marks(rows, job.design))),
        "_may": job.state.signed is None,
    }


@twin(router, "/jobs/{job_id}/as-built", "as_built.html")
def as_built(request: Request, job: Opened) -> dict[str, Any]:
    """The page."""
    return page(job)


def body_of(job: OpenJob, typed: dict[str, str]) -> dict[str, Any]:
    """The body of an entry. Raises NotSaid."""
    there = places(job.design)
    about, what, built = typed["about"], typed["what"], typed["built"]
    if about not in there:
        raise NotSaid("about", "choose the circuit or box")
    if what not in WHAT:
        raise NotSaid("what", "choose what is other")
    if not built:
        raise NotSaid("built", "type how it was built")
    if what == "length":
        try:
            built = show_length(parse(built, "length", job.plan.units), job.plan.units)
        except NotAQuantity as exc:
            raise NotSaid("built", str(exc)) from exc
    plan = planned(job.design, about, what)
    if built == plan:
        raise NotSaid("built", f"{plan} is what the plan says: nothing to keep")
    return {
        "about": f"{about} {what}",
        "label": there[about],
        "what": what,
        "planned": plan,
        "built": built[:120],
        "note": typed["note"],
    }


@router.post("/jobs/{job_id}/as-built")
def keep(request: Request, job: Opened) -> Response:
    """Keep a difference, or take one back."""
    visit = job.visit
    visit.needs("installer", "supervisor")
    typed = {k: visit.text(k)[:300] for k in NOTHING}
    before = job.state.last.get("built", {}).get(visit.text("back"))
    try:
        if before is not None:
            body = {**before.body, "built": "", "note": "taken back"}
        else:
            body = body_of(job, typed)
        at = visit.text("at_device")[:40]
        records.append(visit.db, job.record, "built", body, visit.who, visit.role, at)
    except NotSaid as exc:
        return render(request, "as_built.html", page(job, typed, (exc.field, str(exc))), 422)
    visit.db.commit()
    return RedirectResponse(f"/jobs/{job.record.id}/as-built", 303)
