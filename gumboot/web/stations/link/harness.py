"""Link: every lead, bus and switch of the job in one place; a sheet for each lead."""

from __future__ import annotations

from typing import Any

from fastapi import APIRouter, Request
from fastapi.responses import Response

from gumboot.core.link.harness import Harness
from gumboot.core.link.leads import Lead
from gumboot.drawings.lead import draw_lead, in_words
from gumboot.web.background import printed
from gumboot.web.job.opening import NoSuchJob, Opened, OpenJob
from gumboot.web.pages.frame import drawn, twin
from gumboot.web.stations.link.drawing import pictures

router = APIRouter()


def lead_data(x: Lead) -> dict[str, Any]:
    """One lead as data."""
    return {
        "number": x.number,
        "id": x.id,
        "name": x.cable.name,
        "from": x.here.label,
        "to": x.there.label,
        "at": x.here.plug.label if x.here.plug else "",
        "far": x.there.plug.label if x.there.plug else "",
        "bus": x.cable.bus,
        "protocol": x.cable.protocol,
        "bit_rate": x.cable.bit_rate,
        "made_of": x.made_of,
        "length_m": x.length.n if x.length else None,
        "shield_at": x.here.label if x.here.shield else x.there.label if x.there.shield else "",
        "cores": [
            {
                "does": c.does,
                "meets": c.meets,
                "pin": c.pin,
                "far_pin": c.far_pin,
                "colour": c.colour,
                "pair": c.pair,
            }
            for c in x.cable.cores
        ],
        "in_words": in_words(x),
        "labels": labels_of(x),
    }


def labels_of(x: Lead) -> list[str]:
    """What stands on the labels at both ends."""
    a, b = x.here, x.there
    ends = ((a, b), (b, a))
    return [
        f"S{x.number} {x.cable.name.upper()}: {s.label.upper()}"
        f"{' ' + s.plug.label if s.plug else ''}, from {o.label}"
        for s, o in ends
    ]


def page(job: OpenJob, h: Harness | None) -> dict[str, Any]:
    """What the page shows."""
    shown = dict(pictures(h, job.plan.units)) if h else {}
    return {
        **job.head("link"),
        "tab": "link/harness",
        "leads": [lead_data(x) for x in h.leads] if h else [],
        "buses": [
            {
                "key": b.key,
                "name": b.name,
                "kind": b.kind,
                "stations": [s.label for s in b.stations],
                "ended": [b.stations[i].label for i in b.ended] if b.line else [],
                "bit_rate": b.bit_rate,
                "length_m": b.length_m,
                "most_m": b.most_m,
            }
            for b in h.buses
        ]
        if h
        else [],
        "switches": [
            {
                "box": s.label,
                "row": s.row,
                "means": s.means,
                "pattern": s.pattern,
                "says": s.spoken,
            }
            for s in h.settings
        ]
        if h
        else [],
        "_crossed": {x.id for x in h.leads if x.crossed} if h else set(),
        "_pictures": {k: drawn(v) for k, v in shown.items()},
    }


@twin(router, "/jobs/{job_id}/link/harness", "link_harness.html")
def harness(request: Request, job: Opened) -> dict[str, Any]:
    """The page."""
    return page(job, job.design.harness)


def numbered(job: OpenJob, number: int) -> Lead:
    """A lead by its number. Raises NoSuchJob where there is none."""
    h = job.design.harness
    found = next((x for x in h.leads if x.number == number), None) if h else None
    if found is None:
        raise NoSuchJob
    return found


@router.get("/jobs/{job_id}/link/lead-{number}.svg")
def lead_svg(job: Opened, number: int) -> Response:
    """One lead as a drawing of its own."""
    svg = draw_lead(numbered(job, number), standalone=True)
    return Response(svg, media_type="image/svg+xml")


@router.get("/jobs/{job_id}/link/leads.pdf")
def leads_pdf(request: Request, job: Opened) -> Response:
    """A sheet for every lead, to make them by at the bench."""
    h = job.design.harness
    rows = [{**lead_data(x), "drawing": drawn(draw_lead(x))} for x in h.leads] if h else []
    context = {"name": job.record.name, "leads": rows, "units": job.plan.units}
    return printed(request, job, "lead_sheets.html", "leads", context)
