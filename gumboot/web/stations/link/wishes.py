"""Link: what the house's other boxes want of the unit, how it reaches the network, and where its
devices answer.
"""

from __future__ import annotations

from typing import Any

from fastapi import APIRouter, Request
from fastapi.responses import Response

from gumboot.core.basis.finding import Change
from gumboot.core.plan.linking import an_address, an_endpoint
from gumboot.web.job.opening import Opened, OpenJob
from gumboot.web.job.saving import change
from gumboot.web.pages.frame import render, twin

router = APIRouter()
NETWORKS = (
    ("", "not decided"),
    ("wire", "by wire"),
    ("wireless", "wireless"),
    ("cellular", "cellular"),
)


def devices(job: OpenJob) -> list[tuple[str, str]]:
    """(key, name) of what may have a fixed address."""
    units = [(b.id, b.label) for b in job.design.bodies if b.role == "inverter"]
    gateway = [(b.id, b.label) for b in job.design.bodies if b.id == "gateway"]
    return [*units, *gateway, ("meter", "Meter")]


def shown(job: OpenJob) -> dict[str, str]:
    """What the plan says, by field."""
    w = job.plan.linking
    return {
        "grid_operator": "yes" if w.grid_operator else "no",
        "heat_pump": str(w.heat_pump),
        "sub_panel": w.sub_panel,
        "network": w.network,
        "router": w.router,
        "meter_at": w.meter_at,
        "meter_framing": w.meter_framing,
        "unit_framing": w.unit_framing,
        "bms_at": w.bms_at,
        "unit_at": w.unit_at,
        **{f"address-{k}": w.addresses.get(k, "") for k, _ in devices(job)},
    }


def page(job: OpenJob, typed: dict[str, str], faults: dict[str, str]) -> dict[str, Any]:
    """The form."""
    return {
        **job.head("link"),
        "tab": "link/network",
        "typed": typed,
        "faults": faults,
        "devices": devices(job),
        "networks": NETWORKS,
    }


@twin(router, "/jobs/{job_id}/link/network", "link_network.html")
def wishes(request: Request, job: Opened) -> dict[str, Any]:
    """The page."""
    return page(job, shown(job), {})


@router.post("/jobs/{job_id}/link/network")
def keep(request: Request, job: Opened) -> Response:
    """Keep it in the plan; what cannot be read is said at its field."""
    visit = job.visit
    visit.needs("planner", "supervisor")
    typed = {k: visit.text(k) for k in shown(job)}
    faults: dict[str, str] = {}
    fixed: dict[str, str] = {}
    for k, text in typed.items():
        if (k.startswith("address-") or k == "router") and text:
            try:
                fixed[k] = an_address(text)
            except ValueError as exc:
                faults[k] = str(exc)
    for k in ("meter_at", "bms_at", "unit_at"):
        if typed[k]:
            try:
                an_endpoint(typed[k])
            except ValueError as exc:
                faults[k] = str(exc)
    if typed["network"] not in {n for n, _ in NETWORKS}:
        faults["network"] = "choose one"
    if typed["heat_pump"] not in ("0", "1", "2"):
        faults["heat_pump"] = "choose 0, 1 or 2 relays"
    if len(typed["sub_panel"]) > 60:
        faults["sub_panel"] = "type a short name, such as barn panel"
    for k in ("meter_framing", "unit_framing"):
        if typed[k] not in ("tcp", "rtu"):
            faults[k] = "choose one"
    if faults:
        return render(request, "link_network.html", page(job, typed, faults), 422)
    linking = {
        "grid_operator": typed["grid_operator"] == "yes",
        "heat_pump": int(typed["heat_pump"]),
        "sub_panel": typed["sub_panel"],
        "network": typed["network"],
        "router": fixed.get("router", ""),
        "meter_at": typed["meter_at"],
        "meter_framing": typed["meter_framing"],
        "unit_framing": typed["unit_framing"],
        "bms_at": typed["bms_at"],
        "unit_at": typed["unit_at"],
        "addresses": {
            k.removeprefix("address-"): v for k, v in fixed.items() if k.startswith("address-")
        },
    }
    changes = (Change("/linking", linking),)
    return change(request, job, changes, f"/jobs/{job.record.id}/link/network")
