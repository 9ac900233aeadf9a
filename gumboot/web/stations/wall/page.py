"""The page of one wall, and its data."""

from __future__ import annotations

import importlib
import json
import threading
from functools import lru_cache
from typing import Any

from fastapi import APIRouter, Request
from fastapi.responses import RedirectResponse, Response

from gumboot.core.basis.finding import Finding
from gumboot.core.basis.units import show_place
from gumboot.core.design import Design
from gumboot.core.plan import Plan
from gumboot.core.wall import WallDesign
from gumboot.core.wall.fixing import studs
from gumboot.drawings.wall import draw_wall, scale_of
from gumboot.store import records
from gumboot.web.job.opening import Opened, OpenJob
from gumboot.web.pages.frame import drawn, twin
from gumboot.web.stations.size.size import working_of

router = APIRouter()


def wall_of(job: OpenJob, letter: str) -> int | None:
    """The index of a wall by its letter; the first when it is not said; None where there is
    none.
    """
    letters = [w.id for w in job.plan.walls]
    return letters.index(letter) if letter in letters else 0 if letters else None


@lru_cache(maxsize=1)
def warm() -> None:
    """Have the solver loaded while the page is looked at: it takes a second or two, once."""
    threading.Thread(
        target=importlib.import_module, args=("ortools.sat.python.cp_model",), daemon=True
    ).start()


@twin(router, "/jobs/{job_id}/wall", "wall.html")
def wall(request: Request, job: Opened) -> dict[str, Any] | Response:
    """The page. ?since= a version: what the places changed since then."""
    warm()
    index = wall_of(job, request.query_params.get("wall", ""))
    if index is None:
        return (
            RedirectResponse(f"/jobs/{job.record.id}/wall/describe", 303)
            if not request.url.path.endswith(".json")
            else {**job.head("wall"), "walls": []}
        )
    since = request.query_params.get("since", "")
    before = records.plan_at(job.visit.db, job.record, int(since)) if since.isdecimal() else None
    changed = changes(job.tried(before), job.design) if before else []
    place = request.query_params.get("at", "")
    return page(
        job,
        index,
        job.plan,
        {},
        job.record.version,
        place,
        changed=changed,
        _working=working_of(job, place) if place else [],
    )


def page(
    job: OpenJob,
    index: int,
    plan: Plan,
    faults: dict[str, str],
    version: int,
    here: str = "",
    typed: dict[str, str] | None = None,
    **more: Any,
) -> dict[str, Any]:
    """The page for a plan as it is being moved about."""
    design = job.design if plan is job.plan else job.tried(plan)
    w = design.walls[index] if index < len(design.walls) else None
    on = plan.walls[index]
    rows = [
        _row(plan, index, b, typed or {})
        for b in design.boxes
        if b.id in on.placed or not any(b.id in o.placed for o in plan.walls)
    ]
    letter = on.id
    mine = [f for f in design.findings if f.place == f"wall-{letter}"]
    return {
        **own_first(job.head("wall")),
        "version": version,
        "faults": faults,
        "wall": on.model_dump(mode="json"),
        "letter": letter,
        "walls": [{"id": x.id, "name": x.name} for x in plan.walls],
        "boxes": rows,
        "says": spoken(mine),
        "routes": (
            [
                {
                    "id": r.want.id,
                    "name": r.want.name,
                    "length_m": r.length.n,
                    "bends": r.bends,
                    "clear": r.clear,
                    "system": r.want.system,
                }
                for r in w.routes
            ]
            if w
            else []
        ),
        "lifts": (
            [
                {
                    "box": x.box,
                    "what": x.what,
                    "mass_kg": x.mass_kg,
                    "to_mm": x.to_mm,
                    "limit_kg": x.limit.n,
                    "index": x.index.n,
                    "people": x.people,
                    "why": x.why,
                }
                for x in w.lifts
            ]
            if w
            else []
        ),
        "held": (
            [
                {
                    "box": h.box,
                    "factor": h.factor.n if h.factor else None,
                    "pull_n": h.pull.n if h.pull else None,
                    "shear_n": h.shear.n if h.shear else None,
                    "holes": len(h.holes),
                    "holding": sum(x.holds for x in h.holes),
                }
                for h in w.fixings
            ]
            if w
            else []
        ),
        "changed": [],
        "theirs": [],
        "layouts": [],
        "blocked": [],
        "why": "",
        "draft": plan is not job.plan,
        "lacks": w is None,
        "tab": "wall",
        "_drawing": (
            drawn(
                draw_wall(
                    w,
                    mine,
                    here,
                    raceways=design.raceways,
                    movable=job.visit.role != "installer" and not job.state.signed,
                )
            )
            if w
            else ""
        ),
        "_data": json.dumps(data(w)) if w else "{}",
        "_names": {b.id: b.label for b in design.boxes},
        "_working": [],
        **more,
    }


def own_first(head: dict[str, Any]) -> dict[str, Any]:
    """The head of a page with what the walls are found to lack before the rest of its level."""
    rank = {"stop": 0, "check": 1, "note": 2}
    return head | {
        "findings": sorted(
            head["findings"],
            key=lambda r: (
                rank[r["finding"].level.value],
                not r["finding"].place.startswith("wall"),
            ),
        )
    }


def _row(plan: Plan, index: int, b: Any, typed: dict[str, str]) -> dict[str, Any]:
    spot = plan.walls[index].placed.get(b.id)
    x, y = (
        (show_place(spot.x_mm, plan.units), show_place(spot.y_mm, plan.units)) if spot else ("", "")
    )
    return {
        "id": b.id,
        "label": b.label,
        "there": b.there,
        "assumed": b.assumed,
        "x_mm": spot.x_mm if spot else None,
        "y_mm": spot.y_mm if spot else None,
        "x": typed.get(f"x.{b.id}", x),
        "y": typed.get(f"y.{b.id}", y),
        "width_mm": b.enclosure.width,
        "height_mm": b.enclosure.height,
        "depth_mm": b.enclosure.depth,
        "mass_kg": b.enclosure.mass_kg,
        "mount": b.enclosure.mount,
    }


def data(w: WallDesign) -> dict[str, Any]:
    """What the page's script needs to move things."""
    s, wall = scale_of(w), w.scene.wall
    return {
        "k": s.k,
        "left": s.x(0),
        "floor": s.floor,
        "width": wall.width_mm,
        "height": wall.height_mm,
        "units": w.scene.plan.units,
        "studs": studs(wall),
        "eye": wall.eye_mm,
        "boxes": {
            p.box.id: {
                "x": p.x,
                "y": p.y,
                "w": p.box.enclosure.width,
                "h": p.box.enclosure.height,
                "floor": p.box.enclosure.mount == "floor",
                "there": p.box.there,
                "holes": sorted({h.x for h in p.box.enclosure.holes}),
                "display": p.box.enclosure.display,
                "label": p.box.label,
            }
            for p in w.scene.placed
        },
    }


def spoken(findings: list[Finding]) -> list[dict[str, Any]]:
    """Findings as the page says them while things move."""
    return [
        {"level": f.level.value, "says": f.says, "key": f.key}
        for f in findings
        if f.level.value != "note"
    ]


def changes(before: Design, after: Design) -> list[dict[str, Any]]:
    """Circuits whose length, conductor or drop a move changed."""
    old = {s.id: s for s in before.circuits}
    out = []
    for s in after.circuits:
        o = old.get(s.id)
        if o is None or (
            abs(o.conditions.run.length_m - s.conditions.run.length_m) < 0.02 and o.size == s.size
        ):
            continue
        out.append(
            {
                "id": s.id,
                "name": s.circuit.name,
                "length_m": [o.conditions.run.length_m, s.conditions.run.length_m],
                "size": [o.size, s.size],
                "drop_pct": [o.trial.drop_pct.n, s.trial.drop_pct.n],
            }
        )
    return out


@router.get("/jobs/{job_id}/wall-{letter}.svg")
def wall_svg(job: Opened, letter: str) -> Response:
    """One wall as a file of its own."""
    w = next((w for w in job.design.walls if w.scene.wall.id == letter), None)
    if w is None:
        return Response("no such wall", 404)
    return Response(
        draw_wall(w, job.design.findings, standalone=True, raceways=job.design.raceways),
        media_type="image/svg+xml",
    )
