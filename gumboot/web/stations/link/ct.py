"""Link: the test of the current transformers. What each channel shows before and after a known
step, typed or read from the meter; which wiring explains it; which step to make next.
"""

from __future__ import annotations

import re
from collections.abc import Callable
from typing import Any
from uuid import uuid4

from fastapi import APIRouter, Request
from fastapi.responses import RedirectResponse, Response

from gumboot.core.basis.units import NotAQuantity, parse
from gumboot.core.land.entering import Refused
from gumboot.core.link import ct
from gumboot.core.link.measuring import LAG_S, Measuring, faults, in_words, measuring
from gumboot.core.link.testing import (
    LOOKS,
    MISFIT,
    NOISE_W,
    Typed,
    begun_anew,
    by_heart,
    fields_of,
    judged,
    shown_by,
    side,
    step_body,
)
from gumboot.core.link.wiring import right
from gumboot.devices import meter_client
from gumboot.devices.networks import DeviceFault
from gumboot.drawings.clips import draw_clips
from gumboot.store import records
from gumboot.web.field.entry import Sent, makes
from gumboot.web.job.opening import Opened, OpenJob
from gumboot.web.pages.frame import drawn, render, twin

router = APIRouter()
UUID = re.compile(r"[0-9a-f]{8}(-[0-9a-f]{4}){3}-[0-9a-f]{12}")


def of_job(job: OpenJob) -> Measuring | None:
    """The transformers of the job; None where it has none to test."""
    d = job.design
    if d.inverter is None or d.harness is None or (d.gateway and d.gateway.meter_inside):
        return None
    meter = d.metering.meter if d.metering else None
    arrow = d.metering.ct.arrow if d.metering and d.metering.ct else ""
    return measuring(job.plan, d.inverter, meter, d.harness.leads, arrow)


def page(job: OpenJob, typed: Typed, wrong: dict[str, str]) -> dict[str, Any]:
    """What the page shows."""
    m = of_job(job)
    out: dict[str, Any] = {**job.head("link"), "tab": "link/ct", "channels": [], "steps": []}
    if m is None:
        return out | {"_m": None, "typed": {}, "wrong": {}}
    shown = shown_by(m, job.state.ct)
    noise = max((x.noise_w for x in shown), default=NOISE_W)
    belief = ct.believe(m.setup, shown)
    found = ct.explanations(belief)
    best = found[0]
    fits = ct.fits(belief, shown)
    sure = bool(shown) and belief.sure and fits
    onward = None if sure else ct.next_step(belief, m.steps(noise), noise)
    drive = m.drives[onward[0].drive] if onward else None
    sound = sure and not faults(m, best.wiring)
    return out | {
        "_m": m,
        "meter": m.meter,
        "channels": list(m.channels),
        "drives": [{"key": d.key, "says": d.says} for d in m.drives],
        "steps": [
            {
                "drive": e.body["drive"],
                "says": next((d.says for d in m.drives if d.key == e.body["drive"]), ""),
                "watts": e.body["watts"],
                "before": e.body["before"],
                "after": e.body["after"],
                "source": e.body["source"],
                "who": e.who,
                "at": e.at_server,
            }
            for e in job.state.ct
            if e.body["act"] == "step"
        ],
        "sure": sure,
        "fits": fits,
        "sound": sound,
        "best": {
            "likely": round(best.likely, 4),
            "says": in_words(m, best.wiring),
            "faults": [
                {"says": f.says, "hand": f.hand, "menu": f.menu}
                for f in faults(m, best.wiring)
                if f.hand or f.menu
            ],
            "alike": [in_words(m, w) for w in best.alike[:3]],
        }
        if shown
        else None,
        "others": [
            {"likely": round(x.likely, 4), "says": in_words(m, x.wiring)} for x in found[1:4]
        ]
        if shown and not sure
        else [],
        "next": {
            "drive": drive.key,
            "says": drive.says,
            "watts": abs(onward[0].watts),
            "wait_s": LAG_S,
        }
        if onward and drive
        else None,
        "by_heart": [
            {"drive": m.drives[x.drive].key, "says": m.drives[x.drive].says, "watts": abs(x.watts)}
            for x in (by_heart(m, noise) if not shown else ())
        ],
        "seq": job.state.seq,
        "noise_w": noise,
        "wanted_w": ct.wanted_w(noise),
        "live": bool(job.plan.linking.meter_at),
        "house": job.plan.linking.meter_at
        if job.plan.linking.meter_at.startswith(("127.", "localhost:"))
        else "",
        "cured": job.state.ct[0].body["note"]
        if job.state.ct and job.state.ct[0].body["act"] == "cured"
        else "",
        "typed": typed,
        "wrong": wrong,
        "_uuid": typed.get("uuid") or str(uuid4()),
        "_misfit": MISFIT,
        "_drawing": drawn(draw_clips(m, best.wiring if shown else right(m.setup))),
    }


@twin(router, "/jobs/{job_id}/link/ct", "link_ct.html")
def test(request: Request, job: Opened) -> dict[str, Any]:
    """The page."""
    return page(job, {}, {})


@makes("ct")
def entry(job: OpenJob, s: Sent) -> tuple[str, dict[str, Any]]:
    """(kind, body) of a step that a device kept until now. Raises Refused."""
    m = of_job(job)
    if m is None:
        raise Refused("drive", "this job has no transformers to test any more: reload the page")
    body, wrong = step_body(m, s.fields, len(job.state.ct))
    if wrong:
        raise Refused(*next(iter(wrong.items())))
    return "ct", judged(m, job.state.ct, body)


@router.post("/jobs/{job_id}/link/ct")
def step(request: Request, job: Opened) -> Response:
    """Keep a step as typed."""
    job.visit.needs("installer", "supervisor")
    m = of_job(job)
    if m is None:
        return RedirectResponse(f"/jobs/{job.record.id}/link/ct", 303)
    typed = _typed(job, m)
    body, wrong = step_body(m, typed, len(job.state.ct))
    if wrong:
        return render(request, "link_ct.html", page(job, typed, wrong), 422)
    return _keep(request, job, m, judged(m, job.state.ct, body), typed)


def _keep(
    request: Request, job: OpenJob, m: Measuring, body: dict[str, Any], typed: Typed
) -> Response:
    """Keep a step with what it was understood to mean."""
    visit = job.visit
    try:
        at, own = visit.text("at_device")[:40], visit.text("uuid")
        uuid = own if UUID.fullmatch(own) else None
        if uuid is None or records.entry_of(visit.db, job.record, uuid) is None:
            records.append(visit.db, job.record, "ct", body, visit.who, visit.role, at, uuid)
    except records.Frozen:
        wrong = {"drive": "the job is signed: a supervisor can reopen it at Hand over"}
        return render(request, "link_ct.html", page(job, typed, wrong), 409)
    visit.db.commit()
    return RedirectResponse(f"/jobs/{job.record.id}/link/ct#found", 303)


@router.post("/jobs/{job_id}/link/ct/anew")
def anew(request: Request, job: Opened) -> Response:
    """Something was moved or keyed: the test begins anew; what was found stays in the log."""
    visit = job.visit
    visit.needs("installer", "supervisor")
    m = of_job(job)
    if m is not None:
        body = begun_anew(visit.text("act") == "cured", visit.text("note")[:300])
        return _keep(request, job, m, body, {})
    return RedirectResponse(f"/jobs/{job.record.id}/link/ct", 303)


def _typed(job: OpenJob, m: Measuring) -> Typed:
    """The form as it stands."""
    kept = {f"read_{when}": job.visit.text(f"read_{when}")[:300] for when in LOOKS}
    more = ("house_drive", "uuid")
    return {n: job.visit.text(n)[:60] for n in (*fields_of(m), *more)} | kept


def _asked(request: Request, job: OpenJob, act: Callable[[Measuring, Typed], None]) -> Response:
    """The page after a device was asked for something, with what it said or why it did not."""
    job.visit.needs("installer", "supervisor")
    m = of_job(job)
    if m is None:
        return RedirectResponse(f"/jobs/{job.record.id}/link/ct", 303)
    typed, wrong = _typed(job, m), {}
    try:
        act(m, typed)
    except NotAQuantity as exc:
        wrong["watts"] = str(exc)
    except DeviceFault as exc:
        wrong["live"] = str(exc)
    return render(request, "link_ct.html", page(job, typed, wrong), 422 if wrong else 200)


@router.post("/jobs/{job_id}/link/ct/live")
def live(request: Request, job: Opened) -> Response:
    """Two looks at the meter, put into the form as before or after, so that the crew sees them."""
    when = "after" if job.visit.text("when") == "after" else "before"
    networks = request.app.state.config.device_networks

    def look(m: Measuring, typed: Typed) -> None:
        meter = job.design.metering.meter if job.design.metering else None
        both = meter_client.looks(job.plan.linking, meter, len(m.channels), networks)
        for name, seen in zip(LOOKS[when], both, strict=True):
            for k, watts in enumerate(seen):
                typed[f"{name}{k}"] = "-" if watts is None else f"{watts:.0f}"
        typed[f"read_{when}"] = side(typed, when, len(m.channels))

    return _asked(request, job, look)


@router.post("/jobs/{job_id}/link/ct/house")
def house(request: Request, job: Opened) -> Response:
    """Switch something in the simulated house."""
    on = job.visit.text("house") == "on"
    networks = request.app.state.config.device_networks

    def switch(m: Measuring, typed: Typed) -> None:
        k = m.drive(typed["house_drive"])
        drive = m.drives[k] if k is not None else m.drives[0]
        watts = parse(typed["watts"], "power", bare="W") if on else 0.0
        meter_client.switch_house(
            job.plan.linking, networks, drive.at, drive.row, drive.sign * watts
        )
        typed["house_says"] = f"{drive.says}: {watts:g} W" if on else "all off"

    return _asked(request, job, switch)
