"""Drill and hang: every hole in its order, one at a time at the wall; sheet, template and DXF to take along; what was drilled flows back. Part of the Wall station."""

from __future__ import annotations

import re
import uuid
from typing import Any
from urllib.parse import quote

from fastapi import APIRouter, Request
from fastapi.responses import RedirectResponse, Response

from gumboot.core.findings import Change
from gumboot.core.units import NotAQuantity, parse_place, show_place
from gumboot.core.wall import Drill, OnWall, drill_sheet, steps
from gumboot.core.wall.as_built import SLOT_MM, as_it_hangs, drilled_off, hung
from gumboot.drawings.drill import draw_drill
from gumboot.drawings.svg import tag
from gumboot.drawings.template import PAPERS, template_sheets
from gumboot.drawings.wall import draw_wall, scale_of
from gumboot.exports.drill import drill_csv, wall_dxf
from gumboot.exports.pack import CAUTIONS, to_pdf
from gumboot.imports.interval import Unreadable
from gumboot.imports.photo import MEDIA, read_photo
from gumboot.store import files, records
from gumboot.web.frame import drawn, render, templates, twin
from gumboot.web.sign_in import uploaded
from gumboot.web.size import change_plan
from gumboot.web.ticket import Opened, Ticket
from gumboot.web.wall import own_first, wall_of

router = APIRouter()
FARTHEST_MM = 200.0  # an offset beyond this is another place, not an offset


def on_wall(at: Ticket, letter: str) -> OnWall | None:
    """A wall as designed; the first when it is not said."""
    index = wall_of(at, letter)
    return at.design.walls[index] if index is not None and index < len(at.design.walls) else None


@twin(router, "/jobs/{job_id}/wall/drill", "wall_drill.html")
def drill(request: Request, at: Opened) -> dict[str, Any] | Response:
    """The page, at ?at= or at the next hole to drill."""
    w = on_wall(at, request.query_params.get("wall", ""))
    if w is None:
        return {**at.head("wall"), "holes": []} if request.url.path.endswith(".json") else RedirectResponse(f"/jobs/{at.job.id}/wall", 303)
    return page(at, w, request.query_params.get("at", ""))


def page(at: Ticket, w: OnWall, here: str, typed: dict[str, str] | None = None, faults: dict[str, str] | None = None) -> dict[str, Any]:
    """What the page shows, standing at one hole."""
    rows, done = drill_sheet(w), at.standing.drilled
    now = next((d for d in rows if d.hole.id == here), None) or next((d for d in rows if d.hole.id not in done), rows[-1] if rows else None)
    index = rows.index(now) if now else 0
    by = {p.box.id: p for p in w.scene.placed}
    back = [{"box": h.box, "label": by[h.box].box.label, "right_mm": h.right, "up_mm": h.up, "holes": h.holes, "crooked_mm": h.crooked, "to": as_it_hangs(by[h.box], h)} for h in hung(w, rows, done) if h.off]  # fmt: skip
    return {
        **own_first(at.head("wall")), "tab": "wall/drill", "letter": w.scene.wall.id, "walls": [{"id": x.id, "name": x.name} for x in at.plan.walls], "wall": {"name": w.scene.wall.name},
        "holes": [_row(d, done) for d in rows], "at": _row(now, done) if now else None, "before": rows[index - 1].hole.id if index else None, "after": rows[index + 1].hole.id if index + 1 < len(rows) else None,
        "done": sum(d.hole.id in done for d in rows), "steps": list(steps(w)), "as_built": back, "slot_mm": SLOT_MM, "typed": typed or {}, "faults": faults or {}, "uuid": str(uuid.uuid4()),
        "_drawing": drawn(draw_drill(w, rows)), "_near": drawn(draw_near(w, now)) if now else "", "_cautions": CAUTIONS,
    }  # fmt: skip


def _row(d: Drill, done: dict[str, Any]) -> dict[str, Any]:
    a, e = d.hole.anchor, done.get(d.hole.id)
    off = drilled_off(d, e) if e else (0.0, 0.0)
    return {
        "id": d.hole.id, "number": d.number, "label": d.label, "x_mm": d.x, "y_mm": d.y, "up_mm": d.up, "meets": d.hole.meets, "anchor": a.label if a else "", "bit": a.bit if a else "", "depth_mm": a.depth_mm if a else None, "hole_mm": a.hole_mm if a else None,
        "drilled": {"who": e.who, "at": e.at_server, "right_mm": off[0], "up_mm": off[1], "photo": e.body["digest"], "note": e.body["note"]} if e else None,
    }  # fmt: skip


def draw_near(w: OnWall, d: Drill) -> str:
    """The wall with the one hole ringed."""
    s = scale_of(w)
    ring = tag(
        "g",
        tag("circle", cx=s.x(d.x), cy=s.y(d.y), r=13, class_="ring"),
        tag("path", d=f"M{s.x(0)} {s.y(d.y)}H{s.x(d.x) - 13}M{s.x(d.x)} {s.y(0)}V{s.y(d.y) + 13}", class_="dim"),
    )
    return draw_wall(w).replace("</svg>", f"{ring}</svg>").replace('id="layer-', 'data-layer="')


def offset(text: str, at: Ticket) -> float:
    """A typed offset in mm; nothing is 0. Raises NotAQuantity."""
    value = parse_place(text, at.plan.units) if text else 0.0
    if abs(value) > FARTHEST_MM:
        raise NotAQuantity(f"{show_place(abs(value), at.plan.units)} off is another place: move the box under Place, then drill it")
    return value


@router.post("/jobs/{job_id}/wall/drill")
def tick(request: Request, at: Opened) -> Response:
    """Keep that a hole was drilled, where it came to be, and a photograph of it. A resend of the same UUID does nothing."""
    visit = at.visit
    visit.needs("installer", "supervisor")
    w = on_wall(at, visit.text("wall"))
    d = next((d for d in drill_sheet(w) if d.hole.id == visit.text("hole")), None) if w else None
    back = f"/jobs/{at.job.id}/wall/drill"
    if w is None or d is None:
        return RedirectResponse(back, 303)
    typed = {k: visit.text(k) for k in ("right", "up", "note")}
    faults: dict[str, str] = {}
    off = {"right": 0.0, "up": 0.0}
    for k in off:
        try:
            off[k] = offset(typed[k], at)
        except NotAQuantity as exc:
            faults[k] = str(exc)
    photo = None
    if (file := uploaded(visit, "photo")) is not None:
        try:
            photo = read_photo(file.file.read())
        except Unreadable as exc:
            faults["photo"] = str(exc)
    if faults:
        return render(request, "wall_drill.html", page(at, w, d.hole.id, typed, faults), 422)
    digest, device = "", visit.text("at_device")[:40]
    if photo:
        about = {"width": photo.width, "height": photo.height, "taken": photo.taken}
        digest = files.keep(visit.db, at.job.id, "photo", f"{d.hole.id}.jpg", MEDIA, photo.data, about, visit.who, photo.small)
        records.append(
            visit.db,
            at.job,
            "photo",
            {"digest": digest, "what": "wall for the kit", "note": f"hole {d.number}, {d.label}"},
            visit.who,
            visit.role,
            device,
        )
    own = visit.text("uuid")
    body = {"hole": d.hole.id, "label": d.label, "x_mm": round(d.x + off["right"], 1), "y_mm": round(d.y + off["up"], 1), "planned_mm": [d.x, d.y], "anchor": d.hole.anchor.label if d.hole.anchor else "", "digest": digest, "note": typed["note"][:500]}  # fmt: skip
    try:
        records.append(
            visit.db,
            at.job,
            "drill",
            body,
            visit.who,
            visit.role,
            device,
            own if re.fullmatch(r"[0-9a-f-]{36}", own) else str(uuid.uuid4()),
        )
    except records.BadEntry:
        return render(request, "wall_drill.html", page(at, w, d.hole.id, typed, {"right": "this was sent before with another place: look at the list below, then enter it again"}), 409)  # fmt: skip
    visit.db.commit()
    rows = drill_sheet(w)
    following = next((x for x in rows if x.number > d.number and x.hole.id not in at.standing.drilled), d)
    return RedirectResponse(f"{back}?wall={w.scene.wall.id}&at={quote(following.hole.id, safe='')}#step", 303)


@router.post("/jobs/{job_id}/wall/as-built")
def take_in(request: Request, at: Opened) -> Response:
    """Move a box in the plan to where it hangs."""
    visit = at.visit
    visit.needs("planner", "supervisor")
    w, box = on_wall(at, visit.text("wall")), visit.text("box")
    back = f"/jobs/{at.job.id}/wall/drill?wall={visit.text('wall')[:1]}"
    found = next((h for h in hung(w, drill_sheet(w), at.standing.drilled) if h.box == box), None) if w else None
    p = next((p for p in w.scene.placed if p.box.id == box), None) if w else None
    if w is None or found is None or p is None:
        return RedirectResponse(back, 303)
    x, y = as_it_hangs(p, found)
    return change_plan(request, at, (Change(f"{w.scene.path(box)}/x_mm", x), Change(f"{w.scene.path(box)}/y_mm", y)), back)


def _file(at: Ticket, name: str, data: str | bytes, media: str, suffix: str) -> Response:
    return Response(data, media_type=media, headers={"Content-Disposition": f'attachment; filename="{name}-{at.job.id}{suffix}"'})


@router.get("/jobs/{job_id}/wall-{letter}/drill.csv")
def sheet_csv(at: Opened, letter: str) -> Response:
    """The drill sheet as CSV."""
    w = on_wall(at, letter)
    return _file(at, f"drill-{letter[:1]}", drill_csv(w), "text/csv", ".csv") if w else Response("no such wall", 404)


@router.get("/jobs/{job_id}/wall-{letter}/wall.dxf")
def dxf(at: Opened, letter: str) -> Response:
    """The wall at 1:1 as DXF."""
    w = on_wall(at, letter)
    return _file(at, f"wall-{letter[:1]}", wall_dxf(w), "image/vnd.dxf", ".dxf") if w else Response("no such wall", 404)


def paper_of(request: Request, at: Ticket) -> str:
    """?paper=a4 or letter; the crew's own when it is not said."""
    asked = request.query_params.get("paper", "")
    return asked if asked in PAPERS else "letter" if at.plan.units == "us" else "a4"


def fitted(svg: str, wide: float, high: float) -> tuple[float, float]:
    """Width and height in mm of a drawing that fits a room."""
    w, h = (float(x) for x in svg.split('viewBox="0 0 ', 1)[1].split('"', 1)[0].split())
    k = min(wide / w, high / h)
    return round(w * k, 1), round(h * k, 1)


@router.get("/jobs/{job_id}/wall-{letter}/drill.pdf")
def sheet_pdf(request: Request, at: Opened, letter: str) -> Response:
    """The drill sheet: drawing, table, order of work and lifts on paper."""
    w = on_wall(at, letter)
    if w is None:
        return Response("no such wall", 404)
    rows = drill_sheet(w)
    plates = [draw_wall(w, at.design.findings, standalone=True, raceways=at.design.raceways), draw_drill(w, rows, standalone=True)]
    context = {
        "name": at.job.name, "version": at.job.version, "w": w, "rows": rows, "steps": steps(w), "units": at.plan.units, "cautions": CAUTIONS, "paper": paper_of(request, at),
        "sizes": [fitted(svg, 182, 120) for svg in plates], "_drawing": drawn(plates[0]), "_holes": drawn(plates[1]),
    }  # fmt: skip
    return _file(at, f"drill-{letter[:1]}", to_pdf(templates.get_template("drill_sheet.html").render(**context)), "application/pdf", ".pdf")


@router.get("/jobs/{job_id}/wall-{letter}/template.pdf")
def template_pdf(request: Request, at: Opened, letter: str) -> Response:
    """The drilling template at 1:1 on A4 or letter."""
    w = on_wall(at, letter)
    if w is None:
        return Response("no such wall", 404)
    paper = paper_of(request, at)
    sheets = [{"drawing": drawn(s.svg), "across": s.across} for s in template_sheets(w, paper)]
    context = {
        "name": at.job.name,
        "sheets": sheets,
        "size": f"{PAPERS[paper][0]}mm {PAPERS[paper][1]}mm",
        "size_across": f"{PAPERS[paper][1]}mm {PAPERS[paper][0]}mm",
    }
    return _file(at, f"template-{letter[:1]}", to_pdf(templates.get_template("template.html").render(**context)), "application/pdf", ".pdf")
