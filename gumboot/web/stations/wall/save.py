"""Places saved with the plan; a wall arranged, and a layout taken."""

from __future__ import annotations

import json

from fastapi import APIRouter, Request
from fastapi.responses import RedirectResponse, Response

from gumboot.core.basis.finding import Change
from gumboot.core.basis.units import show_place
from gumboot.core.plan import Plan, Spot
from gumboot.core.wall.arrange import Arranged, arrange
from gumboot.core.wall.rules import first_free
from gumboot.drawings.wall import draw_wall
from gumboot.store import records
from gumboot.web.job import saving
from gumboot.web.job.opening import Opened, OpenJob
from gumboot.web.pages.frame import drawn, render
from gumboot.web.stations.wall.page import changes, page, wall_of
from gumboot.web.stations.wall.places import places_in, with_places

router = APIRouter()


@router.post("/jobs/{job_id}/wall")
def save(request: Request, job: Opened) -> Response:
    """Save the places; or try them, or have the wall arranged, without saving."""
    visit = job.visit
    visit.needs("planner", "supervisor")
    index = wall_of(job, visit.text("wall"))
    if index is None:
        return RedirectResponse(f"/jobs/{job.record.id}/wall/describe", 303)
    version, more = visit.whole("version", 0), visit.text("more")
    placed, faults, typed = places_in(job, index)
    if faults:
        return render(
            request, "wall.html", page(job, index, job.plan, faults, version, typed=typed), 422
        )
    plan = with_places(job.plan, index, placed)
    if more == "arrange" or more.startswith("take:"):
        return arranged(request, job, plan, index, version, more)
    if more.startswith("put:"):
        box = next((b for b in job.design.boxes if b.id == more[4:]), None)
        here = job.tried(plan).walls
        if box and index < len(here):
            x, y = first_free(here[index].scene, box)
            plan = with_places(job.plan, index, placed | {box.id: Spot(x_mm=x, y_mm=y)})
    if more:
        after = job.tried(plan)
        return render(
            request,
            "wall.html",
            page(job, index, plan, {}, version, changed=changes(job.design, after)),
        )
    back = f"/jobs/{job.record.id}/wall?wall={plan.walls[index].id}&since={version}"
    return saving.save(
        request, job, plan, back, lambda race: _lost(request, job, plan, index, placed, race)
    )


def _lost(
    request: Request,
    job: OpenJob,
    plan: Plan,
    index: int,
    placed: dict[str, Spot],
    race: records.LostRace,
) -> Response:
    """Somebody saved meanwhile: both sides are shown, nothing is overwritten; what the other side
    alone moved is taken over.
    """
    theirs = Plan.model_validate(race.theirs.plan)
    letter = plan.walls[index].id
    there = next((i for i, w in enumerate(theirs.walls) if w.id == letter), None)
    read = records.plan_at(job.visit.db, job.record, job.visit.whole("version", 0))
    base = (
        next((w.placed for w in Plan.model_validate(read).walls if w.id == letter), {})
        if read
        else {}
    )
    other = theirs.walls[there].placed if there is not None else {}

    def say(spot: Spot | None) -> str:
        if spot is None:
            return "not on this wall"
        return f"{show_place(spot.x_mm, plan.units)}, {show_place(spot.y_mm, plan.units)} up"

    boxes = sorted({**placed, **other})
    names = {b.id: b.label for b in job.design.boxes}
    both = saving.differing(
        {k: say(placed.get(k)) for k in boxes},
        {k: say(other.get(k)) for k in boxes},
        {k: names.get(k, k) for k in boxes},
        race,
    )
    merged = {
        k: v
        for k in {**other, **placed}
        if (v := placed.get(k) if placed.get(k) != base.get(k) else other.get(k))
    }
    if there is None:
        changes = (Change(f"/walls/{index}", letter),)
        return saving.save(request, job, plan, f"/jobs/{job.record.id}/wall", changes=changes)
    fresh, shown = job.anew(), with_places(theirs, there, merged)
    context = page(fresh, there, shown, {}, race.theirs.version, theirs=both)
    return render(request, "wall.html", context, 409)


def arranged(
    request: Request, job: OpenJob, plan: Plan, index: int, version: int, more: str
) -> Response:
    """Layouts proposed; `take:{json}` puts one into the form, unsaved."""
    if more.startswith("take:"):
        try:
            chosen = json.loads(job.visit.text("layout" + more.removeprefix("take:")))
            placed = plan.walls[index].placed | {
                str(k): Spot(x_mm=v[0], y_mm=v[1]) for k, v in chosen["placed"].items()
            }
            plan = with_places(plan, index, placed, chosen["backing"])
        except (ValueError, KeyError, TypeError, AttributeError, IndexError):
            return render(request, "wall.html", page(job, index, plan, {}, version), 422)
        return saving.save(
            request,
            job,
            plan,
            f"/jobs/{job.record.id}/wall?wall={plan.walls[index].id}&since={version}",
            changes=(Change(f"/walls/{index}/placed", "the layout that was arranged"),),
        )
    design = job.tried(plan)
    found: Arranged = arrange(
        plan, index, design.boxes, [s.circuit for s in design.circuits], design.catalogue
    )
    layouts = []
    for a in found.best:
        there = with_places(
            plan,
            index,
            plan.walls[index].placed | a.placed,
            [b.model_dump(mode="json") for b in a.backing],
        )
        judged = job.tried(there)
        stops = sum(
            f.place == f"wall-{plan.walls[index].id}" and f.level.value == "stop"
            for f in judged.findings
        )
        kept = json.dumps(
            {
                "placed": {k: [v.x_mm, v.y_mm] for k, v in a.placed.items()},
                "backing": [b.model_dump(mode="json") for b in a.backing],
            }
        )
        layouts.append(
            {
                "battery_m": a.battery_m,
                "cables_m": a.cables_m,
                "holes": a.holes,
                "on_studs": a.on_studs,
                "margin_mm": a.margin_mm,
                "eye_off_mm": a.eye_off_mm,
                "grows": a.grows,
                "stops": stops,
                "boards": sum(b.material != "rail" for b in a.backing),
                "rails": sum(b.material == "rail" for b in a.backing),
                "kept": kept,
                "_drawing": drawn(
                    draw_wall(
                        judged.walls[index], judged.findings, raceways=judged.raceways
                    ).replace('id="layer-', 'data-layer="')
                ),
            }
        )
    return render(
        request,
        "wall.html",
        page(
            job,
            index,
            plan,
            {},
            version,
            layouts=layouts,
            blocked=list(found.blocked_by),
            why=found.why,
        ),
    )
