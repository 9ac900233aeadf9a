"""Wake: the order up, down, and its slips; by which school; what keeps a hand off a switch."""

from __future__ import annotations

from typing import Any

from fastapi import APIRouter, Request
from fastapi.responses import Response

from gumboot.core.basis.finding import Change
from gumboot.core.basis.words import inside
from gumboot.core.wake.chapters import Wake, stands, steps_said
from gumboot.core.wake.facts import does, rule_of
from gumboot.core.wake.hazard import named
from gumboot.core.wake.order import Act, Order
from gumboot.core.wake.plant import in_words
from gumboot.core.wake.school import SAYS
from gumboot.core.wake.slip import Slip
from gumboot.web.job.opening import Opened, OpenJob
from gumboot.web.job.saving import change
from gumboot.web.pages.frame import render, twin

router = APIRouter()
GUARDS = (
    ("", "nothing"),
    ("padlock", "a padlock"),
    ("capped", "parked and capped"),
    ("person", "one person stands there"),
)


def initiators(job: OpenJob) -> list[str]:
    """The shutdown buttons of a job, with where they stand: not what each module does by itself."""
    kinds = ("rapid shutdown", "emergency shutdown")
    bodies = {b.id: b.label for b in job.design.bodies}
    some = [s for s in job.plan.safeguards if s.kind in kinds and not s.at.startswith("array")]
    return [f"{s.kind[:1].upper()}{s.kind[1:]}, {bodies.get(s.at, s.at)}" for s in some]


def act_data(wake: Wake, n: int, a: Act) -> dict[str, Any]:
    """One act of an order."""
    lever = wake.way.plant.levers[a.k]
    return {
        "n": n,
        "says": wake.way.says(a),
        "place": lever.place,
        "lever": lever.key,
        "closing": a.closing,
        "readied": [h.name for h in named(a.readied)],
    }


def why(wake: Wake, n: int) -> str:
    """Why an act of the way up stands where it stands, in words."""
    r = wake.way.reasons[n]
    if r.waits_for >= 0:
        before = inside(wake.way.says(wake.way.up.acts[r.waits_for]))
        what = f"else: {', '.join(h.name for h in r.hazards)}" if r.hazards else "by its interlock"
        return f"Not before step {r.waits_for + 1}, {before}; {what}."
    return "After the step before it by the school." if r.school else ""


def order_data(wake: Wake, o: Order) -> dict[str, Any]:
    """An order, or what stands against it."""
    return {
        "acts": [act_data(wake, n, a) for n, a in enumerate(o.acts, 1)],
        "against": stands(o.against) if o.against else "",
    }


def slip_data(wake: Wake, s: Slip) -> dict[str, Any]:
    """One slip, with what it does and what stands in its way."""
    lever = wake.way.plant.levers[s.k]
    return {
        "lever": lever.key,
        "says": in_words(wake.way.plant, s.k, s.closing),
        "steps": steps_said(s.steps),
        "hazards": [
            {
                "name": h.name,
                "does": does(h, wake.facts, lever)[0],
                "rule": rule_of(h, wake.facts.book, lever),
            }
            for h in s.hazards
        ],
        "guard": s.guard,
        "unguarded": s.unguarded,
    }


def page(job: OpenJob, faults: dict[str, str]) -> dict[str, Any]:
    """What the page shows."""
    wake, plan = job.design.wake, job.plan
    out: dict[str, Any] = {**job.head("wake"), "tab": "wake/order", "faults": faults}
    if wake is None:
        return out | {"up": None}
    network = job.design.network
    unguarded = [s for s in wake.way.slips if s.unguarded]
    return out | {
        "school": plan.waking.school,
        "schools": [{"key": k, "says": v} for k, v in SAYS.items()],
        "by": SAYS[wake.way.school],
        "alone": "" if plan.waking.alone is None else "yes" if plan.waking.alone else "no",
        "several": len(wake.way.plant.units) > 1,
        "up": order_data(wake, wake.way.up),
        "whys": [why(wake, n) for n in range(len(wake.way.up.acts))],
        "emergency": [act_data(wake, n, a) for n, a in enumerate(wake.way.emergency, 1)],
        "initiators": initiators(job),
        "rehearse": plan.waking.rehearse,
        "down": order_data(wake, wake.way.down),
        "wait_min": network.wait_min if network else 0,
        "slips": [slip_data(wake, s) for s in wake.way.slips],
        "unguarded": len(unguarded),
        "guards": dict(plan.waking.guards),
        "guard_choices": GUARDS,
        "looked_at": wake.way.up.looked_at,
        "levers": len(wake.way.plant.levers),
        "least": wake.way.up.least,
        "own": all(r.controls for r in wake.way.rules.in_turn),
    }


@twin(router, "/jobs/{job_id}/wake/order", "wake_order.html")
def order(request: Request, job: Opened) -> dict[str, Any]:
    """The page."""
    return page(job, {})


@router.post("/jobs/{job_id}/wake/order")
def keep(request: Request, job: Opened) -> Response:
    """Keep the school and the guards."""
    visit = job.visit
    visit.needs("planner", "supervisor")
    faults: dict[str, str] = {}
    school, alone = visit.text("school"), visit.text("alone")
    if school not in SAYS:
        faults["school"] = "choose one"
    wake = job.design.wake
    keys = {x.key for x in wake.way.plant.levers} if wake else set()
    guards = dict(job.plan.waking.guards)
    for k in keys:
        name = f"guard-{k}"
        if name in visit.form:
            how = visit.text(name)
            if how not in {g for g, _ in GUARDS}:
                faults[name] = "choose one"
            elif how:
                guards[k] = how  # type: ignore[assignment]
            else:
                guards.pop(k, None)
    if faults:
        return render(request, "wake_order.html", page(job, faults), 422)
    waking = {
        "school": school,
        "alone": {"yes": True, "no": False}.get(alone),
        "rehearse": visit.text("rehearse") == "yes",
        "guards": {k: v for k, v in guards.items() if k in keys},
    }
    changes = (Change("/waking", waking),)
    return change(request, job, changes, f"/jobs/{job.record.id}/wake/order")
