"""Wake given away: the order as a card to print and hang up, the states as tables, the proof."""

from __future__ import annotations

from typing import Any

from fastapi import APIRouter, Request
from fastapi.responses import JSONResponse, Response

from gumboot.core.wake.chapters import Wake
from gumboot.core.wake.proof import table
from gumboot.exports.materials import as_csv
from gumboot.web.background import asked, printed
from gumboot.web.job.opening import Opened, OpenJob
from gumboot.web.pages.frame import render
from gumboot.web.people.defaults import PAPERS, paper_of
from gumboot.web.stations.hand_over.links import code_of, shared_link
from gumboot.web.stations.wake.order import act_data, initiators, order_data
from gumboot.web.stations.wake.row import unit_says

router = APIRouter()


def states_of(wake: Wake) -> list[dict[str, Any]]:
    """Every state of the way up: levers, units, loads, faults."""
    plant, out = wake.way.plant, []
    for n, (state, rows, row) in enumerate(table(wake.way)):
        units = [unit_says(plant, rows, row, i) for i in range(len(plant.units))]
        live = int(rows.loads[row])
        out.append(
            {
                "step": n,
                "moved": wake.way.says(wake.way.up.acts[n - 1]) if n else "",
                "closed": [x.says for k, x in enumerate(plant.levers) if state >> k & 1],
                "units": [f"{u['name']}: {u['says']}" for u in units],
                "live": [x for i, x in enumerate(plant.load_names) if live >> i & 1],
                "faults": int(rows.faults[row]),
            }
        )
    return out


@router.get("/jobs/{job_id}/wake/states.json")
def states_json(request: Request, job: Opened) -> Response:
    """The states of the way up, as JSON."""
    wake = job.design.wake
    return JSONResponse({"states": states_of(wake) if wake else []})


@router.get("/jobs/{job_id}/wake/states.csv")
def states_csv(request: Request, job: Opened) -> Response:
    """The same as CSV (RFC 4180)."""
    wake = job.design.wake
    rows = states_of(wake) if wake else []
    text = as_csv(
        ("step", "moved", "closed", "units", "live"),
        (
            (
                str(r["step"]),
                r["moved"],
                *("; ".join(r[k]) for k in ("closed", "units", "live")),
            )
            for r in rows
        ),
    )
    name = {"Content-Disposition": f'attachment; filename="states-{job.record.id}.csv"'}
    return Response(text, media_type="text/csv; charset=utf-8", headers=name)


@router.get("/jobs/{job_id}/wake/proof.json")
def proof(request: Request, job: Opened) -> Response:
    """The proof, made by a worker: there, or on its way (202)."""
    if job.design.wake is None:
        return JSONResponse({"says": "No order yet."}, 404)
    row = asked(job, "proof")
    if row is None or row.body is None:
        said = {"says": row.says if row else "", "fault": row.fault if row else None}
        here = f"/jobs/{job.record.id}/wake/proof.json"
        return JSONResponse(said, 202, {"Retry-After": "1", "Location": here})
    return JSONResponse(row.body)


@router.get("/jobs/{job_id}/wake/proof")
def proof_part(request: Request, job: Opened) -> Response:
    """The proof as a part of the page, which asks again until it is there."""
    row = asked(job, "proof") if job.design.wake else None
    return render(request, "wake_proof.html", {"job_id": job.record.id, "row": row})


@router.get("/jobs/{job_id}/wake/card.pdf")
def card(request: Request, job: Opened) -> Response:
    """The order on and off as a card for the wall: ?paper=a4 or letter."""
    paper = request.query_params.get("paper", "")
    paper = paper if paper in PAPERS else paper_of(job.visit, job.plan.units)
    context = {**_card(request, job), "paper": PAPERS[paper]}
    return printed(request, job, "wake_card.html", "switching", context)


def _card(request: Request, job: OpenJob) -> dict[str, Any]:
    wake, network = job.design.wake, job.design.network
    own = shared_link(request, job)
    at = own or str(request.url_for("order", job_id=job.record.id))
    return {
        "job": {"name": job.record.name, "version": job.record.version},
        "address": job.plan.site.address,
        "up": order_data(wake, wake.way.up) if wake else None,
        "down": order_data(wake, wake.way.down) if wake else None,
        "emergency": [act_data(wake, n, a) for n, a in enumerate(wake.way.emergency, 1)]
        if wake
        else [],
        "initiators": initiators(job),
        "wait_min": network.wait_min if network else 0,
        "qr": code_of(at),
        "at": at,
        "owned": bool(own),
    }
