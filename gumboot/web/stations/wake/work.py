"""Wake: make it safe to work at one box, with a load kept alive."""

from __future__ import annotations

from typing import Any

from fastapi import APIRouter, Request

from gumboot.core.wake.work import work_at
from gumboot.web.job.opening import Opened
from gumboot.web.pages.frame import twin
from gumboot.web.stations.wake.order import act_data

router = APIRouter()


@twin(router, "/jobs/{job_id}/wake/work", "wake_work.html")
def work(request: Request, job: Opened) -> dict[str, Any]:
    """The page: ?at= the box, ?keep= the load."""
    wake, network = job.design.wake, job.design.network
    out: dict[str, Any] = {**job.head("wake"), "tab": "wake/work", "boxes": []}
    if wake is None or network is None:
        return out
    boxes = [(b.id, b.label) for b in network.bodies]
    asked = request.query_params
    at = asked.get("at", "")
    at = at if at in dict(boxes) else boxes[0][0]
    plant = wake.way.plant
    keep = asked.get("keep", "")
    found = work_at(wake.way, network, at, keep)
    return out | {
        "boxes": [{"key": k, "says": v} for k, v in boxes],
        "loads": list(plant.load_names),
        "at": at,
        "where": dict(boxes)[at],
        "keep": keep if keep in plant.load_names else "",
        "acts": [act_data(wake, n, a) for n, a in enumerate(found.acts, 1)],
        "locks": [
            {
                "says": plant.levers[k].says,
                "lock": all(s.lockable for s in plant.levers[k].switches),
            }
            for k in found.locks
        ],
        "stays": [
            {"at": s.at, "sources": [x.name for x in s.sources], "why": s.why} for s in found.stays
        ],
        "alive": list(found.alive),
        "wait_min": found.wait_min,
        "why": found.why,
    }
