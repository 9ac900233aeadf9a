"""Prove: the walk, test after test. What is read there is sent to `field`, now or when the network
is back.
"""

from __future__ import annotations

from collections.abc import Sequence
from functools import lru_cache
from typing import Any

import numpy as np
from fastapi import APIRouter, Request
from fastapi.responses import JSONResponse, Response

from gumboot.core.design import Design
from gumboot.core.kit.dbc import BadDbc
from gumboot.core.land.entering import Refused
from gumboot.core.prove.due import DEAD, Due
from gumboot.core.prove.instrument import Instrument, named
from gumboot.core.prove.island import grid_lever
from gumboot.core.prove.judging import verdict_of
from gumboot.core.prove.live import APART, SUM
from gumboot.core.prove.strings import Sky, skies
from gumboot.core.wake.settle import settle
from gumboot.core.walk.entering import UNITS, body_of, entry_body, read_value
from gumboot.devices.networks import DeviceFault
from gumboot.drawings.probes import draw_probes
from gumboot.store import records
from gumboot.web.field.entry import Sent, makes
from gumboot.web.job import walking
from gumboot.web.job.opening import Opened, OpenJob, today
from gumboot.web.pages.frame import drawn, twin
from gumboot.web.stations.link.bms import bank_of, hear_bank
from gumboot.web.stations.prove.standing import (
    complete,
    dues_now,
    duty_of,
    in_light,
    lapsed,
    last_of,
    sky_at,
)
from gumboot.web.stations.wake.row import row_of, shown
from gumboot.web.stations.wake.walk import complete as waked
from gumboot.web.stations.wake.walk import meter_of, shown_by
from gumboot.web.stations.wake.walk import steps_of as wake_steps

router = APIRouter()
PATH = "prove/walk"
LEAST_LOAD_W = 200.0  # below it a share says little: common practice
PAGES = {"heat.spots": "prove/curves#heat"}


@lru_cache(maxsize=64)
def skies_of(design: Design) -> dict[str, object] | None:
    """The bands of each module of the job over every sky, by its id; None where it has no
    strings.
    """
    modules = {s.module.id: s.module for s in design.strings if not s.module.optimizer}
    return {id: skies(module) for id, module in modules.items()} or None


def by_sky(design: Design, due: Due) -> dict[str, Any]:
    """What a string's test is judged by in a light read meanwhile: which band, times how many."""
    head, letter, what = (*due.key.split("."), "", "")[:3]
    own = next((s for s in design.strings if head == "string" and s.letter == letter), None)
    if own is None or own.module.optimizer:
        return {}
    times = own.modules if what == "open" else own.rows
    return {"sky": what, "module": own.module.id, "times": times}


@lru_cache(maxsize=64)
def stands_of(design: Design) -> dict[str, dict[str, Any]]:
    """The switch row as a test wants it: before Wake begins, once it serves, and in the island."""
    wake = design.wake
    acts = wake.way.up.acts if wake else ()
    if wake is None or not acts:
        return {}
    plant, serving = wake.way.plant, acts[-1].after
    main = grid_lever(design)
    off = 1 << plant.levers.index(main) if main is not None else 0
    states = {"dead": acts[0].state, "serving": serving, "island": serving & ~off}
    rows = settle(plant, np.array(list(states.values()), dtype=np.int64))
    return {k: shown(design, rows, n) for n, k in enumerate(states)}


STANDS = {DEAD: "dead", "In the island": "island", "Grid lost and back": "island"}


def picture_of(due: Due) -> str:
    """The key of the picture of its probes."""
    return f"probes-{due.probes[0]}-{due.probes[1]}" if any(due.probes) else ""


def example_of(due: Due) -> str:
    """What a reading might look like: what is expected, else its limit."""
    if due.band is not None:
        return f"{due.band.expected.n:.3g}"
    value = due.most if due.most is not None else due.least
    return f"{value:.4g}" if value and due.does not in ("light", "celsius") else ""


def instruments_of(job: OpenJob) -> list[Instrument]:
    """The crew's instruments."""
    return records.instruments(job.visit.db)


def page(
    job: OpenJob,
    key: str,
    typed: dict[str, str] | None = None,
    fault: tuple[str, str] | None = None,
) -> dict[str, Any]:
    """What the page shows."""
    dues = [x for x in dues_now(job) if not x.known]
    rows = []
    for n, x in enumerate(dues, 1):
        step = in_light(job, x, Sky()).step()  # the page narrows it by the light last read
        e = last_of(job, x)
        row = walking.row(job, n, step, complete(job, x) and step.key not in job.state.steps)
        row |= {
            "lapsed": lapsed(job, x, e) if e is not None else "",
            "entry": e.seq if e is not None else 0,
            "shows": picture_of(x),
            "search": x.problem,
            "more": [["With", x.instrument], ["By", x.clause]],
            "stands": STANDS.get(x.stage, "serving"),
            **by_sky(job.design, x),
            "example": example_of(x) or row["example"],
            "lever": PAGES.get(x.key, "prove/curves") if x.does == "page" else "",
        }
        rows.append(row)
    linking = job.plan.linking
    live = {
        "unit": bool(linking.unit_at),
        "pack": bool(linking.bms_at and bank_of(job)),
        "meter": bool(linking.meter_at and meter_of(job)),
    }
    more: dict[str, Any] = {"live": live, "live_at": "prove/live"}
    more["skies"] = skies_of(job.design)
    more["states"] = stands_of(job.design)
    steps = tuple(x.step() for x in dues)
    by_key = {x.key: x for x in dues}
    pictures = {picture_of(x): x for x in dues if any(x.probes)}
    return {
        **job.head("prove"),
        "tab": PATH,
        "row": row_of(job.design),
        "tools": [f"{x.name} {x.serial}" for x in instruments_of(job)],
        "_pictures": [
            (k, drawn(draw_probes(*x.probes, x.instrument))) for k, x in pictures.items()
        ],
        **walking.walk(job, "test", rows, more, PATH),
        **walking.plainly(steps, key, lambda s: complete(job, by_key[s.key]), typed, fault),
    }


@twin(router, "/jobs/{job_id}/prove/walk", "prove_walk.html")
def walk(request: Request, job: Opened) -> dict[str, Any]:
    """The walk, at `?at=` or at the next test."""
    return page(job, request.query_params.get("at", ""))


@makes("test")
def entry(job: OpenJob, s: Sent) -> tuple[str, dict[str, Any]]:
    """(kind, body) of an entry about a test. Raises Refused."""
    due = next((x for x in dues_now(job) if x.key == s.key), None)
    if due is None and s.key in job.state.tests:
        raise Refused("key", "this test is not due any more: reload the page")
    return "test", test_body(job, due, s)


def test_body(
    job: OpenJob,
    due: Due | None,
    s: Sent,
    source: str = "typed",
    slack: float = 0.0,
) -> dict[str, Any]:
    """The body of an entry about a test, with its verdict. Raises Refused."""
    sent = walking.entered(s)
    if due is None or s.act != "done" or due.does in ("tick", "page"):
        if due is not None and due.does == "page" and s.act == "done" and source != "page":
            raise Refused("key", "this is worked out on its own page")
        body = entry_body(due.step() if due else None, sent)
        return {**body, **closing(job, due), "source": source}
    value, sky = read_value(due.step(), s.typed), sky_at(job, s.at_device)
    now, by = in_light(job, due, sky), named(s.tool, instruments_of(job))
    verdict, why = verdict_of(now, value, by, today(), notes_on(job, due, sky), sky, slack)
    body = body_of(now.step(), sent, verdict, value, why) | ({"slack": slack} if slack else {})
    return {**body, "typed": s.typed.strip(), **closing(job, due), "source": source}


def closing(job: OpenJob, due: Due | None) -> dict[str, str]:
    """The duty that a test closes, as it reads now."""
    f = duty_of(job, due) if due is not None else None
    return {"duty": f.key, "fingerprint": f.fingerprint} if f is not None else {}


def notes_on(job: OpenJob, due: Due, sky: Sky) -> list[str]:
    """What is to be said of when a test is made: a live one before the walk of Wake is done, a
    string in a light that nobody read.
    """
    out = []
    if due.stage != DEAD and not all(waked(job, x) for x in wake_steps(job.design)):
        out.append("made before the walk of Wake was done")
    if due.key.startswith("string.") and not sky.known:
        out.append("light not read within half an hour: judged by the coldest and hottest day")
    return out


def apart(job: OpenJob, networks: Sequence[str]) -> float:
    """State of charge by the unit less that by its packs, %. Raises DeviceFault, BadDbc."""
    bank, pack = bank_of(job), job.design.pack
    if not job.plan.linking.bms_at or bank is None or pack is None:
        raise DeviceFault("no packs are heard here: their adapter stands under Link, Network")
    found, _ = hear_bank(job, bank, pack, networks)
    own = [float(x.values["soc"]) for x in found.packs if "soc" in x.values]
    if not own:
        raise DeviceFault("the packs say nothing of their state of charge: are they awake?")
    return shown_by(job, "1:state of charge", networks) - sum(own) / len(own)


def left_over(job: OpenJob, networks: Sequence[str]) -> float:
    """What comes in less what goes out, of all units, as a share of the loads, %. Raises
    DeviceFault.
    """
    units = range(1, job.plan.kit.inverters + 1)
    total = {
        what: sum(shown_by(job, f"{n}:{what}", networks) for n in units)
        for what in ("PV W", "battery W", "grid W", "load W")
    }
    loads = total.pop("load W")
    if loads < LEAST_LOAD_W:
        raise DeviceFault(f"the loads draw {loads:.0f} W: switch {LEAST_LOAD_W:g} W or more on")
    return 100 * (sum(total.values()) - loads) / loads


ISLAND_STAGE = {"On the grid": False, "In the island": True}


def in_its_state(job: OpenJob, due: Due, networks: Sequence[str]) -> None:
    """Nothing, where the unit stands on the grid or in an island as the test wants it, as far as
    its sheet lets that be read. Raises DeviceFault.
    """
    unit, wants = job.design.inverter, ISLAND_STAGE.get(due.stage)
    if unit is None or wants is None or all(r.shows != "island" for r in unit.registers):
        return
    alone = bool(shown_by(job, "1:island", networks))
    if alone and not wants:
        raise DeviceFault("the unit makes its own voltage now: bring the grid back, then read this")
    if wants and not alone:
        raise DeviceFault("the unit is on the grid now: take the grid away, then read this")


@router.get("/jobs/{job_id}/prove/live.json")
def live(request: Request, job: Opened) -> Response:
    """What a device shows itself of what ?key= asks for."""
    key = request.query_params.get("key", "")
    due = next((x for x in dues_now(job) if x.key == key and x.reads), None)
    if due is None:
        message = "no device is asked for this: read it with an instrument"
        return JSONResponse({"error": "not asked", "message": message}, 422)
    networks = request.app.state.config.device_networks
    try:
        in_its_state(job, due, networks)
        own = {APART: apart, SUM: left_over}.get(due.reads)
        value = own(job, networks) if own else shown_by(job, due.reads, networks)
    except (DeviceFault, BadDbc) as exc:
        return JSONResponse({"error": "no answer", "message": str(exc)}, 502)
    return JSONResponse({"value": f"{value:.4g}", "unit": UNITS.get(due.does, "")})


@router.post("/jobs/{job_id}/prove/walk")
def plain_entry(request: Request, job: Opened) -> Response:
    """One entry from the plain form."""
    return walking.plain_entry(
        request, job, "test", lambda *more: page(job, *more), PATH, "prove_walk.html"
    )
