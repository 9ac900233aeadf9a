"""Places tried while a box moves: what breaks, before anything is saved."""

from __future__ import annotations

import json
from typing import Any

from fastapi import APIRouter, Request
from fastapi.responses import JSONResponse, Response

from gumboot.core.basis.sizes import spoken as awg
from gumboot.core.basis.units import show_length
from gumboot.core.plan import Spot
from gumboot.core.wall import hang, wall_findings
from gumboot.drawings.wall import holes, scale_of, ways, zones
from gumboot.web.job.opening import Opened, OpenJob
from gumboot.web.stations.wall.page import changes, spoken, wall_of

router = APIRouter()


@router.post("/jobs/{job_id}/wall/try")
def attempt(request: Request, job: Opened) -> Response:
    """Places as they are while something moves: what breaks, as layers and sentences. Nothing is
    kept. settled=1 also says what it changes.
    """
    visit = job.visit
    index = wall_of(job, visit.text("wall"))
    try:
        sent = json.loads(visit.text("placed"))
        placed = {
            str(k): Spot(x_mm=round(float(v[0]), 2), y_mm=round(float(v[1]), 2))
            for k, v in sent.items()
        }
    except (ValueError, TypeError, AttributeError, IndexError, KeyError):
        return JSONResponse({"error": "not places"}, 422)
    if index is None or not job.design.walls:
        return JSONResponse({"error": "no such wall"}, 404)
    on = job.plan.walls[index].model_copy(update={"placed": placed})
    plan = job.plan.model_copy(
        update={"walls": (*job.plan.walls[:index], on, *job.plan.walls[index + 1 :])}
    )
    circuits = [s.circuit for s in job.design.circuits]
    settled = visit.text("settled") == "1"
    links = job.design.links if settled else ()  # signals are led when the box is let go
    w = hang(plan, job.design.boxes, circuits, links, job.design.catalogue, only=index)[0]
    findings = [
        f
        for f in wall_findings((w,), job.design.boxes, job.design.raceways, job.design.catalogue)
        if f.place == w.scene.place
    ]
    s = scale_of(w)
    changed = changes(job.design, job.tried(plan)) if settled else []
    return JSONResponse(
        {
            "zones": zones(w, s, findings, job.design.raceways),
            "ways": ways(w, s),
            "holes": holes(w, s),
            "says": spoken(findings),
            "changed": [_said(c, job) for c in changed],
        }
    )


def _said(c: dict[str, Any], job: OpenJob) -> str:
    a, b = c["length_m"]
    out = (
        f"{c['name']}: {show_length(a, job.plan.units)} becomes {show_length(b, job.plan.units)},"
        f" drop {c['drop_pct'][0]:.2g} to {c['drop_pct'][1]:.2g} %"
    )
    return (
        out
        if c["size"][0] == c["size"][1]
        else f"{out}, {awg(c['size'][0])} becomes {awg(c['size'][1])}"
    )
