"""Link: the test of the current transformers. What each channel shows before and after a known
step, typed or read from the meter; which wiring explains it; which step to make next.
"""

from __future__ import annotations

import math
import re
from collections.abc import Callable
from typing import Any
from uuid import uuid4

from fastapi import APIRouter, Request
from fastapi.responses import RedirectResponse, Response

from gumboot.core.basis.units import NotAQuantity, parse
from gumboot.core.link import ct
from gumboot.core.link.measuring import LAG_S, Measuring, faults, in_words, measuring
from gumboot.core.link.wiring import right
from gumboot.devices import meter_client
from gumboot.devices.networks import DeviceFault
from gumboot.drawings.clips import draw_clips
from gumboot.store import records
from gumboot.web.job.opening import Opened, OpenJob
from gumboot.web.pages.frame import drawn, render, twin

router = APIRouter()
NOISE_W = 60.0  # where nothing was read twice: a quiet house
LEAST_W = 30.0  # a few readings that agree by chance do not make a house quieter than this
MOST_W = 200_000.0
MISFIT = "No wiring shows these readings."
UUID = re.compile(r"[0-9a-f]{8}(-[0-9a-f]{4}){3}-[0-9a-f]{12}")
Typed = dict[str, str]


def of_job(job: OpenJob) -> Measuring | None:
    """The transformers of the job; None where it has none to test."""
    d = job.design
    if d.inverter is None or d.harness is None or (d.gateway and d.gateway.meter_inside):
        return None
    meter = d.metering.meter if d.metering else None
    arrow = d.metering.ct.arrow if d.metering and d.metering.ct else ""
    return measuring(job.plan, d.inverter, meter, d.harness.leads, arrow)


def shown_by(job: OpenJob, m: Measuring) -> list[ct.Shown]:
    """The steps made since the test began, as the engine reads them."""
    out = []
    for e in job.state.ct:
        b = e.body
        drive = m.drive(b["drive"])
        if b["act"] != "step" or drive is None:
            continue
        more = [
            math.nan if x is None or y is None else y - x
            for x, y in zip(b["before"], b["after"], strict=False)
        ]
        if len(more) == len(m.channels):
            step = ct.Step(b["drive"], drive, b["watts"])
            out.append(ct.Shown(step, tuple(more), max(b["noise_w"], 5.0)))
    return out


def page(job: OpenJob, typed: Typed, wrong: dict[str, str]) -> dict[str, Any]:
    """What the page shows."""
    m = of_job(job)
    out: dict[str, Any] = {**job.head("link"), "tab": "link/ct", "channels": [], "steps": []}
    if m is None:
        return out | {"_m": None, "typed": {}, "wrong": {}}
    shown = shown_by(job, m)
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


def reading(text: str) -> float | None:
    """What a channel shows in W: "350", "0,35 kW", "-1.2 kW"; None where it shows nothing. Raises
    NotAQuantity.
    """
    plain = text.strip().replace("−", "-")
    if plain.lower() in ("-", "--", "---", "nothing", "none"):
        return None
    value = parse(plain.lstrip("+"), "power", bare="W")
    if not math.isfinite(value) or abs(value) > MOST_W:
        raise NotAQuantity("type what the channel shows in W or kW, such as 350 or -1.2 kW")
    return value


def typed_step(job: OpenJob, m: Measuring) -> tuple[dict[str, Any], Typed, dict[str, str]]:
    """(body, what was typed, what is wrong with it) of a step as typed."""
    typed = _typed(job, m)
    names = [n for n in typed if n[-1:].isdecimal() and n != "uuid"]
    wrong: dict[str, str] = {}
    values: dict[str, float | None] = {}
    for n in names:
        second = n.startswith(("again", "anew"))
        if second and not typed[n].strip():
            continue
        try:
            values[n] = reading(typed[n])
        except NotAQuantity:
            wrong[n] = "type what it shows, such as 350, 0,35 kW or −1.2 kW; “-” for nothing"
    drive = m.drive(typed["drive"])
    if drive is None:
        wrong["drive"] = "choose what is switched"
    watts = 0.0
    try:
        watts = parse(typed["watts"], "power", bare="W")
        if not 1 <= watts <= MOST_W:
            raise NotAQuantity("")
    except NotAQuantity:
        wrong["watts"] = "type how much is switched, such as 1800 or 1.8 kW"
    sign = -1 if typed["sign"] == "minus" else 1
    before: list[float | None] = []
    after: list[float | None] = []
    noise: list[float] = []
    for k in range(len(m.channels)):
        for name, more, into in (("before", "again", before), ("after", "anew", after)):
            one, two = values.get(f"{name}{k}"), values.get(f"{more}{k}")
            if one is not None and two is not None:
                noise.append(abs(two - one) / math.sqrt(2))
                one = (one + two) / 2
            into.append(None if one is None else sign * one)
    # two readings a side: their scatter is the house's own noise, and not under what it may be
    seen = max(noise, default=0.0)
    body = {
        "label": f"CT step {len(job.state.ct) + 1}",
        "act": "step",
        "drive": typed["drive"],
        "watts": watts * (m.drives[drive].sign if drive is not None else 1),
        "before": before,
        "after": after,
        "noise_w": round(max(seen, NOISE_W if not noise else LEAST_W), 1),
        "source": "meter" if as_read(typed, len(m.channels)) else "typed",
        "says": "",
        "note": "",
    }
    return body, typed, wrong


@router.post("/jobs/{job_id}/link/ct")
def step(request: Request, job: Opened) -> Response:
    """Keep a step as typed."""
    job.visit.needs("installer", "supervisor")
    m = of_job(job)
    if m is None:
        return RedirectResponse(f"/jobs/{job.record.id}/link/ct", 303)
    body, typed, wrong = typed_step(job, m)
    if wrong:
        return render(request, "link_ct.html", page(job, typed, wrong), 422)
    return _keep(request, job, m, body, typed)


def _keep(
    request: Request, job: OpenJob, m: Measuring, body: dict[str, Any], typed: Typed
) -> Response:
    """Keep a step with what it was understood to mean."""
    visit = job.visit
    made = [*shown_by(job, m), *_as_shown(m, body)]
    if made and body["act"] == "step":
        belief = ct.believe(m.setup, made)
        found = ct.explanations(belief, 1)[0]
        fits = ct.fits(belief, made)
        body["says"] = (
            f"{100 * found.likely:.0f} %: {in_words(m, found.wiring)}" if fits else MISFIT
        )
        body["sound"] = fits and belief.sure and not faults(m, found.wiring)
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


def _as_shown(m: Measuring, body: dict[str, Any]) -> list[ct.Shown]:
    drive = m.drive(body["drive"])
    if drive is None or body["act"] != "step":
        return []
    more = tuple(
        math.nan if x is None or y is None else y - x
        for x, y in zip(body["before"], body["after"], strict=True)
    )
    return [ct.Shown(ct.Step(body["drive"], drive, body["watts"]), more, body["noise_w"])]


@router.post("/jobs/{job_id}/link/ct/anew")
def anew(request: Request, job: Opened) -> Response:
    """Something was moved or keyed: the test begins anew; what was found stays in the log."""
    visit = job.visit
    visit.needs("installer", "supervisor")
    m = of_job(job)
    if m is not None:
        cured = visit.text("act") == "cured"
        body: dict[str, Any] = {
            "label": "CT test",
            "act": "cured" if cured else "taken back",
            "drive": "",
            "watts": 0,
            "before": [],
            "after": [],
            "noise_w": 0,
            "source": "typed",
            "says": "",
            "note": visit.text("note")[:300],
        }
        return _keep(request, job, m, body, {})
    return RedirectResponse(f"/jobs/{job.record.id}/link/ct", 303)


LOOKS = {"before": ("before", "again"), "after": ("after", "anew")}


def _typed(job: OpenJob, m: Measuring) -> Typed:
    """The form as it stands."""
    names = [f"{w}{k}" for k in range(len(m.channels)) for two in LOOKS.values() for w in two]
    more = ("drive", "watts", "sign", "house_drive", "uuid")
    kept = {f"read_{when}": job.visit.text(f"read_{when}")[:300] for when in LOOKS}
    return {n: job.visit.text(n)[:60] for n in (*more, *names)} | kept


def as_read(typed: Typed, channels: int) -> bool:
    """Whether both sides stand as they were read from the meter, and no hand changed them."""
    return all(typed.get(f"read_{w}") == _side(typed, w, channels) for w in LOOKS)


def _side(typed: Typed, when: str, channels: int) -> str:
    return "|".join(typed.get(f"{n}{k}", "") for n in LOOKS[when] for k in range(channels))


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
        typed[f"read_{when}"] = _side(typed, when, len(m.channels))

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
