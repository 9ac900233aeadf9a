"""What the crew chooses from the shelf for each place, and the safeguards it plans."""

from __future__ import annotations

from functools import lru_cache
from typing import Any

from fastapi import APIRouter, Request
from fastapi.responses import RedirectResponse, Response
from markupsafe import Markup
from pydantic import ValidationError

from gumboot.core.basis.finding import Change
from gumboot.core.design import Design
from gumboot.core.kit import Catalogue
from gumboot.core.network.guards import ROLES
from gumboot.core.plan import RESIDUAL_TYPES, SAFEGUARDS, TRIPS_MA, Safeguard
from gumboot.web.job.opening import Opened, OpenJob
from gumboot.web.job.saving import change
from gumboot.web.pages.frame import templates

router = APIRouter()
METHODS = ("at each module", "at each string", "listed array")
SURGE_TYPES = ("2", "1", "1+2")


def parts(job: OpenJob) -> dict[str, Any]:
    """What the section of devices and safeguards shows."""
    found = _parts(job.design, job.choices)
    if not found["_places"]:
        return found
    may = not job.state.signed and job.visit.role != "installer"
    return {**found, **_written(job.design, job.choices, may)}


@lru_cache(maxsize=64)
def _written(design: Design, shelf: Catalogue, may: bool) -> dict[str, Markup]:
    """The rows of devices and the fields of a new safeguard: long lists, written once a design."""
    found = _parts(design, shelf)

    def of(name: str) -> Markup:
        html = templates.get_template(name).render(**found, may=may)
        return Markup(html)  # noqa: S704 - the template escaped it

    return {"_device_rows": of("device_rows.html"), "_guard_fields": of("guard_fields.html")}


@lru_cache(maxsize=64)
def _parts(design: Design, shelf: Catalogue) -> dict[str, Any]:
    network = design.network
    if network is None:
        return {"_places": [], "_guards": [], "_guard_at": []}
    plan = design.plan
    places = [
        {
            "place": p,
            "choices": [
                d
                for d in shelf.devices
                if d.role == p.role and d.serves(p.supply) and d.book in (plan.code, "any")
            ],
        }
        for p in network.places
        if p.role not in ("array", "inlet")
    ]
    guards = [
        {"n": n, "s": s, "guard": g}
        for n, (s, g) in enumerate(zip(plan.safeguards, network.guards, strict=True))
    ]
    at = [
        ("main-panel", plan.book.main_board),
        ("outside", "outside, by the service"),
        ("array", "the array"),
        ("backed-up-circuits", "the backed-up circuits"),
        *((b.id, b.label) for b in network.bodies if b.id != "main-panel"),
        *((c.id, f"C{c.number} {c.name}") for c in network.circuits if c.power_factor),
    ]
    boxes = [
        (kind, [d for d in shelf.devices if d.role == role and d.book in (plan.code, "any")])
        for kind, role in ROLES.items()
    ]
    return {
        "_places": places,
        "_guards": guards,
        "_guard_at": at,
        "_guard_kinds": SAFEGUARDS,
        "_guard_types": RESIDUAL_TYPES,
        "_guard_trips": TRIPS_MA,
        "_guard_methods": METHODS,
        "_guard_type_nos": SURGE_TYPES,
        "_guard_devices": boxes,
    }


@router.post("/jobs/{job_id}/devices")
def choose(request: Request, job: Opened) -> Response:
    """The crew's own devices; an empty choice takes what is proposed. Places that the job no longer
    has are forgotten.
    """
    job.visit.needs("planner", "supervisor")
    network = job.design.network
    here = {p.key for p in network.places} if network else set()
    known = {d.id for d in job.choices.devices}
    kept = {k: v for k, v in job.plan.devices.items() if k in here}
    for key in here:
        if f"device/{key}" in job.visit.form:
            chosen = job.visit.text(f"device/{key}")
            kept.pop(key, None)
            if chosen in known:
                kept[key] = chosen
    return change(request, job, (Change("/devices", kept),), f"/jobs/{job.record.id}/size#devices")


@router.post("/jobs/{job_id}/safeguards")
def plan_safeguards(request: Request, job: Opened) -> Response:
    """One more safeguard, or one less."""
    visit, back = job.visit, f"/jobs/{job.record.id}/size#safeguards"
    visit.needs("planner", "supervisor")
    rows = [s.model_dump(mode="json") for s in job.plan.safeguards]
    out = visit.whole("remove", -1)
    if 0 <= out < len(rows):
        del rows[out]
    elif visit.text("kind") in SAFEGUARDS and len(rows) < 40:
        device = job.choices.named(visit.text("device"))  # what its plate says goes before the form
        try:
            new = Safeguard.model_validate(
                {
                    "kind": visit.text("kind"),
                    "at": visit.text("at") or "main-panel",
                    "device": visit.text("device") or None,
                    "type_no": visit.text("type_no") or "2",
                    "trip_ma": (device and device.trip_ma) or visit.whole("trip_ma", 300),
                    "type": (device and device.residual) or visit.text("type") or "A",
                    "delayed": visit.text("delayed") == "yes",
                    "method": visit.text("method") or METHODS[0],
                }
            )
        except ValidationError:
            return RedirectResponse(back, 303)  # every field is a choice: this was sent by hand
        rows.append(new.model_dump(mode="json"))
    return change(request, job, (Change("/safeguards", rows),), back)
