"""Size: the one-line drawing, every circuit on it, findings beside it, and the working of each
figure.
"""

from __future__ import annotations

from typing import Any

from fastapi import APIRouter, Request
from fastapi.responses import RedirectResponse, Response

from gumboot.core.basis.finding import Change, Level
from gumboot.core.basis.patch import apply
from gumboot.core.basis.units import NotAQuantity, parse
from gumboot.core.size.conductors import permitted_by_size
from gumboot.drawings.one_line import one_line
from gumboot.exports.dxf import to_dxf
from gumboot.exports.job_file import design_json
from gumboot.exports.materials import schedule_csv
from gumboot.store import records
from gumboot.web.background import printed
from gumboot.web.job.opening import Opened, OpenJob
from gumboot.web.job.saving import change, checked
from gumboot.web.pages.frame import drawn, part, render, twin
from gumboot.web.people.defaults import paper_of
from gumboot.web.people.visit import local
from gumboot.web.stations.size import devices, still_open
from gumboot.web.stations.size.bill import bill_csv
from gumboot.web.stations.size.calculations import calculations

router = APIRouter()


def working_of(job: OpenJob, place: str) -> list[tuple[str, Any]]:
    """The figures of a place, or the one figure of a key. A circuit's torques stay with its
    terminations.
    """
    figures = job.design.figures
    if place in figures:
        return [(place, figures[place])]
    return [
        (k, f)
        for k, f in figures.items()
        if k.startswith(f"{place}.") and ("@" in place or "@" not in k)
    ]


@twin(router, "/jobs/{job_id}/size", "size.html")
def size(request: Request, job: Opened) -> dict[str, Any]:
    """The page."""
    place = request.query_params.get("at", "")
    return {
        **job.head("size"),
        "at": place,
        "design": design_json(job.design) if request.url.path.endswith(".json") else None,
        **_panel(job, place),
        "_d": job.design,
        "_drawing": drawn(one_line(job.design)),
        "_tables": part("size_tables.html", job.design),
        "_materials": part("materials.html", job.design),
        **devices.parts(job),
        **still_open.parts(job),
    }


def _panel(
    job: OpenJob,
    place: str,
    fault: str = "",
    typed: str = "",
    chosen: str = "",
    earth: str = "",
) -> dict[str, Any]:
    circuit = next(
        (s for s in job.design.circuits if s.id == place or place.startswith(f"{s.id}.")), None
    )
    fitted = job.plan.fitted.get(circuit.id) if circuit else None
    figures = working_of(job, place) if place else []
    return {
        "_working": figures,
        "_circuit": circuit,
        "_fitted": fitted,
        "_permits": permitted_by_size(circuit) if circuit and place == circuit.id else {},
        "_fault": fault,
        "_typed": typed,
        "_earth": earth or (fitted.earth if fitted else "") or "",
        "_chosen": chosen or (fitted.size if fitted else "") or "",
        "place": place,
    }


@router.get("/jobs/{job_id}/size/working")
def working(request: Request, job: Opened) -> Response:
    """The working panel alone, for a circuit, a string, or one figure."""
    place = request.query_params.get("at", "")
    return render(request, "working.html", {**job.head("size"), **_panel(job, place)})


@router.get("/jobs/{job_id}/one-line.svg")
def drawing(job: Opened) -> Response:
    """The drawing as a file of its own."""
    return Response(one_line(job.design, standalone=True), media_type="image/svg+xml")


PAPERS = {
    "a4": ("297mm 210mm", 279.0, 190.0),
    "letter": ("11in 8.5in", 261.0, 196.0),
    "tabloid": ("17in 11in", 413.0, 260.0),
}  # page; room in mm
SUFFIX = {"application/pdf": ".pdf", "text/csv": ".csv", "image/vnd.dxf": ".dxf"}


def _file(job: OpenJob, name: str, data: str | bytes, media: str) -> Response:
    return Response(
        data,
        media_type=media,
        headers={
            "Content-Disposition": f'attachment; filename="{name}-{job.record.id}{SUFFIX[media]}"'
        },
    )


@router.get("/jobs/{job_id}/one-line.pdf")
def drawing_pdf(request: Request, job: Opened) -> Response:
    """The drawing on one page: ?paper=a4, letter or tabloid; the crew's own when it is not said."""
    asked = request.query_params.get("paper", "")
    page, room_w, room_h = PAPERS[asked if asked in PAPERS else paper_of(job.visit, job.plan.units)]
    svg = one_line(job.design, standalone=True)
    w, h = (float(x) for x in svg.split('viewBox="0 0 ', 1)[1].split('"', 1)[0].split())
    scale = min(room_w / w, room_h / h)
    context = {
        "name": job.record.name,
        "paper": page,
        "wide": f"{w * scale:.1f}mm",
        "high": f"{h * scale:.1f}mm",
        "_drawing": drawn(svg),
    }
    return printed(request, job, "drawing.html", "one-line", context)


@router.get("/jobs/{job_id}/one-line.dxf")
def drawing_dxf(job: Opened) -> Response:
    """The drawing as DXF, layers by system."""
    return _file(job, "one-line", to_dxf(job.design), "image/vnd.dxf")


@router.get("/jobs/{job_id}/schedule.csv")
def schedule(job: Opened) -> Response:
    """The circuit schedule."""
    return _file(job, "schedule", schedule_csv(job.design), "text/csv")


@router.get("/jobs/{job_id}/materials.csv")
def bill(job: Opened) -> Response:
    """The bill of materials."""
    return _file(job, "materials", bill_csv(job), "text/csv")


@router.get("/jobs/{job_id}/calculations.pdf")
def calculation_sheet(request: Request, job: Opened) -> Response:
    """The calculation sheet an inspector can follow."""
    context = {
        "name": job.record.name,
        "code": job.plan.book.name,
        "version": job.record.version,
        "_d": job.design,
        "calculations": calculations(job.design),
    }
    return printed(request, job, "calculations.html", "calculations", context)


@router.post("/jobs/{job_id}/cure")
def cure(request: Request, job: Opened) -> Response:
    """Apply the cure of a finding at a click."""
    key, number = job.visit.text("finding"), job.visit.whole("cure", -1)
    found = next((f for f in job.design.findings if f.key == key), None)
    back = local(job.visit.text("back") or f"/jobs/{job.record.id}/size")
    if found is None or not 0 <= number < len(found.cures) or not found.cures[number].changes:
        return RedirectResponse(back, 303)  # cured already, perhaps on another device
    return change(request, job, found.cures[number].changes, back)


@router.post("/jobs/{job_id}/fit")
def fit(request: Request, job: Opened) -> Response:
    """The crew's own conductor and protection for one circuit; empty goes back to what Gumboot
    proposes.
    """
    visit = job.visit
    circuit = next((s for s in job.design.circuits if s.id == visit.text("circuit")), None)
    if circuit is None:
        return RedirectResponse(f"/jobs/{job.record.id}/size", 303)
    back = f"/jobs/{job.record.id}/size?at={circuit.id}#working"
    conductor, amps, earth = visit.text("size"), visit.text("protection"), visit.text("earth")
    try:
        if (
            conductor
            and conductor not in circuit.cable.sizes
            and conductor not in circuit.rules.sizes
        ):
            raise NotAQuantity(f"“{conductor}” is not a conductor size: choose one of the list")
        if earth and earth not in circuit.rules.sizes:
            raise NotAQuantity(f"“{earth}” is not a conductor size: choose one of the list")
        protection = parse(amps, "current") if amps else None
        changes = (
            Change(f"/fitted/{circuit.id}/size", conductor or None),
            Change(f"/fitted/{circuit.id}/earth", earth or None),
            Change(f"/fitted/{circuit.id}/protection_a", protection),
        )
    except NotAQuantity as exc:
        return _unfit(request, job, circuit.id, str(exc), amps, conductor, earth)
    _plan, faults = checked(apply(job.plan.model_dump(mode="json"), changes))
    for fault in faults.values():
        return _unfit(request, job, circuit.id, fault, amps, conductor, earth)
    return change(request, job, changes, back)


def _unfit(
    request: Request, job: OpenJob, place: str, fault: str, typed: str, chosen: str, earth: str
) -> Response:
    context = {
        **job.head("size"),
        "at": place,
        **_panel(job, place, fault, typed, chosen, earth),
        "_drawing": drawn(one_line(job.design)),
        "_tables": part("size_tables.html", job.design),
        "_materials": part("materials.html", job.design),
        **devices.parts(job),
        **still_open.parts(job),
    }
    return render(request, "size.html", context, 422)


@router.post("/jobs/{job_id}/accept")
def accept(request: Request, job: Opened) -> Response:
    """A supervisor accepts a check by name and with a reason. A stop cannot be accepted."""
    visit = job.visit
    visit.needs("supervisor")
    found = next((f for f in job.findings if f.key == visit.text("finding")), None)
    back = local(visit.text("back") or f"/jobs/{job.record.id}/size")
    reason = visit.text("reason")[:500]
    if found is None or found.fingerprint != visit.text("fingerprint"):
        return RedirectResponse(back, 303)  # it reads differently now: look again
    if found.level is not Level.CHECK or not reason:
        context = {
            "title": "Nothing was accepted",
            "message": (
                "A stop may not be accepted: it has to be cured."
                if found.level is Level.STOP
                else "Type the reason why this check is accepted."
            ),
            "back": back,
            "_visit": visit,
        }
        return render(request, "message.html", context, 422)
    records.append(
        visit.db,
        job.record,
        "accept",
        {
            "finding": found.key,
            "fingerprint": found.fingerprint,
            "says": found.says,
            "reason": reason,
        },
        visit.who,
        visit.role,
        visit.text("at_device")[:40],
    )
    visit.db.commit()
    return RedirectResponse(back, 303)
