"""Wake: the safe way back from where the job stands, also after a reading nobody expected."""

from __future__ import annotations

from typing import Any

import numpy as np
from fastapi import APIRouter, Request

from gumboot.core.wake.settle import settle
from gumboot.web.job.opening import Opened
from gumboot.web.pages.frame import twin
from gumboot.web.stations.wake.order import order_data
from gumboot.web.stations.wake.row import row_of, shown
from gumboot.web.stations.wake.walk import state_now

router = APIRouter()


@twin(router, "/jobs/{job_id}/wake/back", "wake_back.html")
def back(request: Request, job: Opened) -> dict[str, Any]:
    """The page: the way back from what the log says is closed."""
    wake = job.design.wake
    out: dict[str, Any] = {**job.head("wake"), "tab": "wake/back"}
    if wake is None:
        return out | {"down": None}
    state = state_now(job)
    network = job.design.network
    rows = settle(wake.way.plant, np.array([state], dtype=np.int64))
    return out | {
        "row": row_of(job.design),
        "now": shown(job.design, rows, 0),
        "down": order_data(wake, wake.way.back_out(state)),
        "wait_min": network.wait_min if network else 0,
    }
