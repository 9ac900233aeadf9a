"""Wake: the walk for real, act after act. What is done there is sent to `field`, now or when the
network is back.
"""

from __future__ import annotations

from collections.abc import Sequence
from functools import lru_cache
from typing import Any

import numpy as np
from fastapi import APIRouter, Request
from fastapi.responses import JSONResponse, Response

from gumboot.core.design import Design
from gumboot.core.kit import Meter
from gumboot.core.kit.dbc import BadDbc
from gumboot.core.land.entering import Refused
from gumboot.core.wake import steps as walk_steps
from gumboot.core.wake.hazard import READIED, named
from gumboot.core.wake.order import Moves
from gumboot.core.wake.settle import settle
from gumboot.core.wake.way import Way
from gumboot.core.walk.entering import entry_body
from gumboot.core.walk.step import Step
from gumboot.devices import meter_client, plant_client
from gumboot.devices.networks import DeviceFault
from gumboot.drawings.one_line import one_line
from gumboot.web.field.entry import Sent, makes
from gumboot.web.field.slots import lacking
from gumboot.web.job import walking
from gumboot.web.job.opening import Opened, OpenJob
from gumboot.web.pages.frame import drawn, twin
from gumboot.web.stations.link.bms import bank_of, expected, hear_bank
from gumboot.web.stations.wake.row import row_of, shown

router = APIRouter()


@lru_cache(maxsize=64)
def steps_of(design: Design) -> tuple[Step, ...]:
    """The steps of a job, remembered for its design."""
    return walk_steps.steps_of(design)


def known(job: OpenJob, step: Step) -> bool:
    """Whether another station says that a step is done."""
    if step.key == "cold.land":
        every = job.design.terminations
        return bool(every) and all(job.state_of(t).complete for t in every)
    if step.key.startswith("cold.string."):
        e = job.state.steps.get(f"string.{step.key.rpartition('.')[2]}.open")
        return e is not None and e.body["verdict"] == "done"
    if step.key == "cold.earth":
        own = [f"earth.{s.id}" for s in job.design.circuits]
        read = [job.state.steps.get(k) for k in own]
        return bool(own) and all(e is not None and e.body["verdict"] == "done" for e in read)
    if step.key == "cold.rehearsed":
        clean = (e.body["slips"] == 0 for e in job.state.rehearsals if e.body["scenario"] == "up")
        return any(clean)
    if step.key.startswith("duty."):
        key = step.key.removeprefix("duty.")
        return any(f.key == key and job.state.closes(f) for f in job.design.duties)
    if step.key.startswith("gate.") and step.key.endswith(".ct"):
        return bool(job.state.ct) and bool(job.state.ct[-1].body.get("sound"))
    if step.key == "cold.link":
        h = job.design.harness
        rows = [s for s in h.steps if s.stage != "Network"] if h else []
        return h is not None and all(walking.complete(job, s) for s in rows if s.does != "ct")
    return False


def complete(job: OpenJob, step: Step) -> bool:
    """Whether a step is done, or left out with a reason."""
    return walking.complete(job, step) or known(job, step)


@lru_cache(maxsize=64)
def states(design: Design) -> dict[str, dict[str, Any]]:
    """The switch row at every step of the order, by the key that steps show it with."""
    wake = design.wake
    acts = wake.way.up.acts if wake else ()
    if wake is None or not acts:
        return {}
    numbers = [*(a.state for a in acts), acts[-1].after]
    rows = settle(wake.way.plant, np.array(numbers, dtype=np.int64))
    return {f"state-{n}": shown(design, rows, n) for n in range(len(numbers))}


def page(
    job: OpenJob,
    key: str,
    typed: dict[str, str] | None = None,
    fault: tuple[str, str] | None = None,
) -> dict[str, Any]:
    """What the page shows."""
    steps = steps_of(job.design)
    rows = [walking.row(job, n, s, known(job, s)) for n, s in enumerate(steps, 1)]
    linking = job.plan.linking
    live = {
        "unit": bool(linking.unit_at),
        "pack": bool(linking.bms_at and bank_of(job)),
        "meter": bool(linking.meter_at and meter_of(job)),
    }
    more = {"states": states(job.design), "live": live}
    return {
        **job.head("wake"),
        "tab": "wake",
        "slots_here": [{"key": x.key, "says": x.says} for x in lacking(job, "land", "wake")],
        "row": row_of(job.design),
        "_drawing": drawn(one_line(job.design)),
        **walking.walk(job, "wake", rows, more),
        **walking.plainly(steps, key, lambda s: complete(job, s), typed, fault),
    }


@twin(router, "/jobs/{job_id}/wake", "wake.html")
def wake(request: Request, job: Opened) -> dict[str, Any]:
    """The walk, at `?at=` or at the next step to do."""
    return page(job, request.query_params.get("at", ""))


@makes("wake")
def entry(job: OpenJob, s: Sent) -> tuple[str, dict[str, Any]]:
    """(kind, body) of an entry about a step, or of who leads. An act waits for every step before
    it, and is the leading device's. Raises Refused.
    """
    if s.key == walking.LEAD:
        return "wake", entry_body(LEADS, walking.entered(s))
    steps = steps_of(job.design)
    step = next((x for x in steps if x.key == s.key), None)
    if step is not None and step.does == "act" and s.act == "done":
        before = steps[: steps.index(step)]
        held = next((x for x in before if not complete(job, x)), None)
        if held is not None:
            raise Refused("key", f"held: “{held.title}” comes before it and is still open")
    if step is not None and step.does == "duty" and s.act == "done":
        raise Refused("key", "this is written down under Hand over, or left out with a reason")
    body = entry_body(step, walking.entered(s), means)
    if step is not None and step.does == "act" and s.act == "done":
        unaware = led(job, s)
        wrong = against(job, step)
        body |= {"verdict": "outside", "why": wrong} if wrong else {"why": unaware}
    return "wake", body


LEADS = Step(walking.LEAD, walk_steps.ON, "Leads: who moves the switches", "")


def led(job: OpenJob, s: Sent) -> str:
    """What to say of an act from a device that does not lead and could not know it. Raises Refused
    where it could.
    """
    e = walking.leader(job)
    if e is None or (e.body["device"], e.who) == (s.device, job.visit.who):
        return ""
    if s.seen is None or s.seen >= e.seq:
        raise Refused("key", f"{e.who} leads on another device: take the lead first")
    return f"Entered on a device that did not know that {e.who} led."


def against(job: OpenJob, step: Step) -> str:
    """What an act means from where the switches stand by the log, where that is not what the order
    took it for: an act before it was left out. Empty where it does no harm.
    """
    wake = job.design.wake
    if wake is None:
        return ""
    k, state = wake.way.plant.keys.index(step.lever), state_now(job)
    closing = step.expects != "open"
    if bool(state >> k & 1) == closing:
        return ""
    bits = int(moves_now(job, wake.way).wrong(state, [k])[0]) & ~READIED
    if not bits:
        return ""
    names = " and ".join(h.name for h in named(bits))
    return f"From where the switches stand by the log this is {names}. Go the safe way back."


def moves_now(job: OpenJob, way: Way, grid: bool = True) -> Moves:
    """Acts as the log says the job is: what was read with a minus is reversed."""
    turned = []
    for step in steps_of(job.design):
        _, of, which = (*step.key.split(".", 2), "", "")[:3]
        e = walking.last(job, step) if of in ("string", "pack") else None
        again = job.state.steps.get(f"string.{which}.open") if of == "string" else None
        if any(x is not None and (x.body["value"] or 0) < 0 for x in (e, again)):
            turned.append(f"array-{which}" if of == "string" else which)
    return way.moves_where(grid, turned)


def state_now(job: OpenJob) -> int:
    """Which levers are closed by the log: acts done, in the order they were to be done."""
    wake = job.design.wake
    if wake is None:
        return 0
    state = 0
    acts = [s for s in steps_of(job.design) if s.does == "act"]
    for step, act in zip(acts, wake.way.up.acts, strict=False):
        e = walking.last(job, step)
        if e is not None and e.body["verdict"] in ("done", "outside"):
            state = state | 1 << act.k if act.closing else state & ~(1 << act.k)
    return state


def means(step: Step, value: float) -> str:
    """What a reading that is not as expected may mean, and what to do."""
    if step.does == "volt" and step.least is not None and step.most is not None:
        if step.least <= -value <= step.most:
            return "Plus and minus are exchanged. Close nothing: put them right first."
        if abs(value) < 0.1 * step.most and step.least > 0:
            return "Nothing is there: a switch before it is open, or a connection is not made."
    if ".equal" in step.key:
        return "They differ too much: charge the lower one alone first, then read again."
    if step.key.endswith("N-to-PE"):
        return "Neutral floats, or is bonded twice with current in it: open again and look for it."
    if step.does == "megohm":
        return "A wire touches earth or is wet: part the string and test its halves."
    return "Stop here. Go the safe way back, or find out why first."


def meter_of(job: OpenJob) -> Meter | None:
    """The meter at the house's board."""
    found = job.design.metering
    return found.meter if found else None


def shown_by(job: OpenJob, reads: str, networks: Sequence[str]) -> float:
    """What a device shows itself: "1:output L1 V" of a unit, "pack:2" its volts, "meter:1" those of
    a line. Raises DeviceFault, BadDbc.
    """
    what, _, which = reads.partition(":")
    linking, unit, pack, bank = job.plan.linking, job.design.inverter, job.design.pack, bank_of(job)
    if what == "meter":
        if not linking.meter_at:
            raise DeviceFault("no meter is asked here: its address stands under Link, Network")
        return meter_client.volts(linking, meter_of(job), int(which), networks)
    if what == "pack":
        if not linking.bms_at or bank is None or pack is None:
            raise DeviceFault("no packs are heard here: their adapter stands under Link, Network")
        found, _ = hear_bank(job, bank, pack, networks)
        want = dict(enumerate(expected(bank), 1)).get(int(which))
        own = next((p for p in found.packs if p.address == want), None)
        if own is None or "volts" not in own.values:
            raise DeviceFault(f"pack {which} says nothing of its volts on the bus: is it awake?")
        return float(own.values["volts"])
    if unit is None or not linking.unit_at:
        raise DeviceFault("no unit is asked here: its address stands under Link, Network")
    return plant_client.read(linking, unit, int(what), which, networks)


@router.get("/jobs/{job_id}/wake/live.json")
def live(request: Request, job: Opened) -> Response:
    """What a device shows itself of what ?key= asks for."""
    key = request.query_params.get("key", "")
    step = next((s for s in steps_of(job.design) if s.key == key and s.reads), None)
    if step is None:
        message = "no device is asked for this: read it with an instrument"
        return JSONResponse({"error": "not asked", "message": message}, 422)
    try:
        value = shown_by(job, step.reads, request.app.state.config.device_networks)
    except (DeviceFault, BadDbc) as exc:
        return JSONResponse({"error": "no answer", "message": str(exc)}, 502)
    return JSONResponse({"value": f"{value:.4g}"})


@router.post("/jobs/{job_id}/wake")
def plain_entry(request: Request, job: Opened) -> Response:
    """One entry from the plain form."""
    return walking.plain_entry(request, job, "wake", lambda *more: page(job, *more))
