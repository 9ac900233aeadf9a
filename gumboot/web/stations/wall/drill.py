"""Drill and hang: every hole in its order, one at a time at the wall; sheet, template and DXF to
take along; what was drilled flows back. Part of the Wall station.
"""

from __future__ import annotations

from typing import Any

from fastapi import APIRouter, Request
from fastapi.responses import RedirectResponse, Response

from gumboot.core.basis.finding import Change
from gumboot.core.basis.units import NotAQuantity, System, parse_place, show_place
from gumboot.core.land.entering import Refused
from gumboot.core.wall import Drill, WallDesign, drill_sheet, steps
from gumboot.core.wall.as_built import SLOT_MM, as_it_hangs, drilled_off, hung
from gumboot.drawings.drill import draw_drill
from gumboot.drawings.svg import tag
from gumboot.drawings.template import PAPERS, template_sheets
from gumboot.drawings.wall import draw_wall, scale_of
from gumboot.exports.drill import drill_csv, wall_dxf
from gumboot.exports.pack import CAUTIONS
from gumboot.store import files
from gumboot.web.background import printed
from gumboot.web.field.entry import Sent, makes
from gumboot.web.field.slots import lacking
from gumboot.web.field.terminations import script, terminations_of
from gumboot.web.job.opening import Opened, OpenJob
from gumboot.web.job.saving import change
from gumboot.web.pages.frame import drawn, twin
from gumboot.web.people import defaults
from gumboot.web.stations.wall.page import own_first, wall_of

router = APIRouter()
FARTHEST_MM = 200.0  # an offset beyond this is another place, not an offset


def on_wall(job: OpenJob, letter: str) -> WallDesign | None:
    """A wall as designed; the first when it is not said."""
    index = wall_of(job, letter)
    return job.design.walls[index] if index is not None and index < len(job.design.walls) else None


def named_wall(job: OpenJob, letter: str) -> WallDesign | None:
    """The wall of a letter, and no other in its place."""
    return next((w for w in job.design.walls if w.scene.wall.id == letter), None)


@twin(router, "/jobs/{job_id}/wall/drill", "wall_drill.html")
def drill(request: Request, job: Opened) -> dict[str, Any] | Response:
    """The walk from hole to hole; what is ticked there is sent to `field`."""
    w = on_wall(job, request.query_params.get("wall", ""))
    if w is None:
        return (
            {**job.head("wall"), "holes": [], "slots_here": []}
            if request.url.path.endswith(".json")
            else RedirectResponse(f"/jobs/{job.record.id}/wall", 303)
        )
    return page(job, w)


def page(job: OpenJob, w: WallDesign) -> dict[str, Any]:
    """What the page shows."""
    rows, done, s = drill_sheet(w), job.state.drilled, scale_of(w)
    by = {p.box.id: p for p in w.scene.placed}
    back = [
        {
            "box": h.box,
            "label": by[h.box].box.label,
            "right_mm": h.right,
            "up_mm": h.up,
            "holes": h.holes,
            "crooked_mm": h.crooked,
            "to": as_it_hangs(by[h.box], h),
        }
        for h in hung(w, rows, done)
        if h.off
    ]
    holes = [
        {**_row(d, done, job.plan.units), "cx": round(s.x(d.x), 1), "cy": round(s.y(d.y), 1)}
        for d in rows
    ]
    return {
        **own_first(job.head("wall")),
        "tab": "wall/drill",
        "slots_here": [{"key": x.key, "says": x.says} for x in lacking(job, "wall")],
        "letter": w.scene.wall.id,
        "walls": [{"id": x.id, "name": x.name} for x in job.plan.walls],
        "wall": {"name": w.scene.wall.name},
        "holes": holes,
        "done": sum(d.hole.id in done for d in rows),
        "steps": list(steps(w)),
        "as_built": back,
        "slot_mm": SLOT_MM,
        "edges": {"x0": round(s.x(0), 1), "y0": round(s.y(0), 1)},
        "_drawing": drawn(draw_drill(w, rows)),
        "_near": drawn(draw_near(w)),
        "_cautions": CAUTIONS,
        "_holes": drawn(
            script(
                {
                    "holes": holes,
                    "said": terminations_of(job, {d.hole.id for d in rows}),
                    "x0": round(s.x(0), 1),
                    "y0": round(s.y(0), 1),
                    "farthest_mm": FARTHEST_MM,
                }
            )
        ),
    }


def _row(d: Drill, done: dict[str, Any], units: System) -> dict[str, Any]:
    a, e = d.hole.anchor, done.get(d.hole.id)
    told = {
        "x": show_place(d.x, units),
        "y": show_place(d.y, units),
        "up": f"{show_place(abs(d.up), units)} {'above' if d.up >= 0 else 'below'} the level line",
        "deep": show_place(a.depth_mm, units) if a else "",
    }
    off = drilled_off(d, e) if e else (0.0, 0.0)
    return {
        "told": told,
        "id": d.hole.id,
        "number": d.number,
        "label": d.label,
        "x_mm": d.x,
        "y_mm": d.y,
        "up_mm": d.up,
        "meets": d.hole.meets,
        "anchor": a.label if a else "",
        "bit": a.bit if a else "",
        "depth_mm": a.depth_mm if a else None,
        "hole_mm": a.hole_mm if a else None,
        "drilled": (
            {
                "who": e.who,
                "at": e.at_server,
                "right_mm": off[0],
                "up_mm": off[1],
                "photo": e.body["digest"],
                "note": e.body["note"],
            }
            if e
            else None
        ),
    }


def draw_near(w: WallDesign) -> str:
    """The wall, with a ring and two measures that the page puts round the hole in hand."""
    ring = tag(
        "g",
        tag("circle", cx=-50, cy=-50, r=13, class_="ring"),
        tag("path", d="M0 0", class_="dim"),
        id="near",
    )
    return draw_wall(w).replace("</svg>", f"{ring}</svg>").replace('id="layer-', 'data-layer="')


def offset(text: str, job: OpenJob, field: str) -> float:
    """A typed offset in mm; nothing is 0. Raises Refused."""
    try:
        value = parse_place(text, job.plan.units) if text.strip() else 0.0
    except NotAQuantity as exc:
        raise Refused(field, str(exc)) from exc
    if abs(value) > FARTHEST_MM:
        raise Refused(
            field,
            f"{show_place(abs(value), job.plan.units)} off is another place: move the box under"
            " Place, then drill it",
        )
    return value


def drill_body(
    job: OpenJob, wall: str, hole: str, right: str, up: str, note: str, digest: str
) -> dict[str, Any]:
    """The log entry of a hole that was drilled, where it came to be. Raises Refused."""
    w = on_wall(job, wall)
    d = next((d for d in drill_sheet(w) if d.hole.id == hole), None) if w else None
    if d is None:
        raise Refused(
            "hole", "this hole is no longer in the plan: look at the drill sheet as it is now"
        )
    if digest and files.one(job.visit.db, job.record.id, digest) is None:
        raise Refused("photo", "its photograph has not come in: send it again")
    x, y = round(d.x + offset(right, job, "right"), 1), round(d.y + offset(up, job, "up"), 1)
    return {
        "hole": d.hole.id,
        "label": d.label,
        "x_mm": x,
        "y_mm": y,
        "planned_mm": [d.x, d.y],
        "anchor": d.hole.anchor.label if d.hole.anchor else "",
        "digest": digest,
        "note": note[:500],
    }


@makes("hole")
def hole(job: OpenJob, s: Sent) -> tuple[str, dict[str, Any]]:
    """(kind, body) of a hole that was drilled. Raises Refused."""
    return "drill", drill_body(job, s.wall, s.key, s.right, s.up, s.note, s.digest)


@router.post("/jobs/{job_id}/wall/as-built")
def take_in(request: Request, job: Opened) -> Response:
    """Move a box in the plan to where it hangs."""
    visit = job.visit
    visit.needs("planner", "supervisor")
    w, box = on_wall(job, visit.text("wall")), visit.text("box")
    back = f"/jobs/{job.record.id}/wall/drill?wall={visit.text('wall')[:1]}"
    found = (
        next((h for h in hung(w, drill_sheet(w), job.state.drilled) if h.box == box), None)
        if w
        else None
    )
    p = next((p for p in w.scene.placed if p.box.id == box), None) if w else None
    if w is None or found is None or p is None:
        return RedirectResponse(back, 303)
    x, y = as_it_hangs(p, found)
    return change(
        request,
        job,
        (Change(f"{w.scene.path(box)}/x_mm", x), Change(f"{w.scene.path(box)}/y_mm", y)),
        back,
    )


def _file(job: OpenJob, name: str, data: str | bytes, media: str, suffix: str) -> Response:
    return Response(
        data,
        media_type=media,
        headers={"Content-Disposition": f'attachment; filename="{name}-{job.record.id}{suffix}"'},
    )


@router.get("/jobs/{job_id}/wall-{letter}/drill.csv")
def sheet_csv(job: Opened, letter: str) -> Response:
    """The drill sheet as CSV."""
    w = named_wall(job, letter)
    return (
        _file(job, f"drill-{letter}", drill_csv(w), "text/csv", ".csv")
        if w
        else Response("no such wall", 404)
    )


@router.get("/jobs/{job_id}/wall-{letter}/wall.dxf")
def dxf(job: Opened, letter: str) -> Response:
    """The wall at 1:1 as DXF."""
    w = named_wall(job, letter)
    return (
        _file(job, f"wall-{letter}", wall_dxf(w), "image/vnd.dxf", ".dxf")
        if w
        else Response("no such wall", 404)
    )


def paper_of(request: Request, job: OpenJob) -> str:
    """?paper=a4 or letter; the crew's own when it is not said."""
    asked = request.query_params.get("paper", "")
    return asked if asked in PAPERS else defaults.paper_of(job.visit, job.plan.units)


def fitted(svg: str, wide: float, high: float) -> tuple[float, float]:
    """Width and height in mm of a drawing that fits a room."""
    w, h = (float(x) for x in svg.split('viewBox="0 0 ', 1)[1].split('"', 1)[0].split())
    k = min(wide / w, high / h)
    return round(w * k, 1), round(h * k, 1)


@router.get("/jobs/{job_id}/wall-{letter}/drill.pdf")
def sheet_pdf(request: Request, job: Opened, letter: str) -> Response:
    """The drill sheet: drawing, table, order of work and lifts on paper."""
    w = named_wall(job, letter)
    if w is None:
        return Response("no such wall", 404)
    rows = drill_sheet(w)
    plates = [
        draw_wall(w, job.design.findings, standalone=True, raceways=job.design.raceways),
        draw_drill(w, rows, standalone=True),
    ]
    context = {
        "name": job.record.name,
        "version": job.record.version,
        "w": w,
        "rows": rows,
        "steps": steps(w),
        "units": job.plan.units,
        "cautions": CAUTIONS,
        "paper": paper_of(request, job),
        "sizes": [fitted(svg, 182, 120) for svg in plates],
        "_drawing": drawn(plates[0]),
        "_holes": drawn(plates[1]),
    }
    return printed(request, job, "drill_sheet.html", f"drill-{letter}", context)


@router.get("/jobs/{job_id}/wall-{letter}/template.pdf")
def template_pdf(request: Request, job: Opened, letter: str) -> Response:
    """The drilling template at 1:1 on A4 or letter."""
    w = named_wall(job, letter)
    if w is None:
        return Response("no such wall", 404)
    paper = paper_of(request, job)
    sheets = [{"drawing": drawn(s.svg), "across": s.across} for s in template_sheets(w, paper)]
    context = {
        "name": job.record.name,
        "sheets": sheets,
        "size": f"{PAPERS[paper][0]}mm {PAPERS[paper][1]}mm",
        "size_across": f"{PAPERS[paper][1]}mm {PAPERS[paper][0]}mm",
    }
    return printed(request, job, "template.html", f"template-{letter}", context)
