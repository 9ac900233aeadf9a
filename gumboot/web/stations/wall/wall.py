"""Wall: where everything stands. Moved by hand, by keys, by typing, or arranged; judged at the
server while it moves.
"""

from __future__ import annotations

import importlib
import json
import threading
from functools import lru_cache
from typing import Any

from fastapi import APIRouter, Request
from fastapi.responses import JSONResponse, RedirectResponse, Response

from gumboot.catalogue import catalogue
from gumboot.core.basis.finding import Change, Finding
from gumboot.core.basis.patch import apply
from gumboot.core.basis.sizes import spoken as awg
from gumboot.core.basis.units import NotAQuantity, parse_place, show_length, show_place
from gumboot.core.design import Design
from gumboot.core.plan import Plan, Spot
from gumboot.core.wall import WallDesign, hang, wall_findings
from gumboot.core.wall.arrange import Arranged, arrange
from gumboot.core.wall.fixing import studs
from gumboot.core.wall.rules import first_free
from gumboot.drawings.wall import draw_wall, holes, scale_of, ways, zones
from gumboot.store import records
from gumboot.web.job import saving
from gumboot.web.job.opening import Opened, OpenJob, designed
from gumboot.web.pages.frame import drawn, render, twin
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
    changed = changes(designed(before), job.design) if before else []
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
    design = job.design if plan is job.plan else designed(plan.model_dump(mode="json"))
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


def places_in(job: OpenJob, index: int) -> tuple[dict[str, Spot], dict[str, str], dict[str, str]]:
    """(places as typed, message by field, the typed texts). A box whose fields are empty has no
    place.
    """
    visit, units = job.visit, job.plan.units
    placed: dict[str, Spot] = {}
    faults: dict[str, str] = {}
    typed: dict[str, str] = {}
    known = {b.id for b in job.design.boxes}
    for id in sorted(known):
        if f"x.{id}" not in visit.form:
            if id in job.plan.walls[index].placed:
                placed[id] = job.plan.walls[index].placed[id]
            continue
        at_mm: list[float] = []
        texts = [visit.text(f"{axis}.{id}") for axis in "xy"]
        for axis, text in zip("xy", texts, strict=True):
            typed[f"{axis}.{id}"] = text
            if not text:
                if any(texts):
                    faults[f"{axis}.{id}"] = (
                        "type both places, or empty both to take it off the wall"
                    )
                continue
            try:
                at_mm.append(exact(text, visit.text(f"{axis}mm.{id}"), units))
            except NotAQuantity as exc:
                faults[f"{axis}.{id}"] = str(exc)
        if len(at_mm) == 2:
            if max(abs(v) for v in at_mm) > 20_000:
                faults[f"x.{id}"] = "that is beyond any wall: type a place within 20 m"
            else:
                placed[id] = Spot(x_mm=at_mm[0], y_mm=at_mm[1])
    return placed, faults, typed


def exact(text: str, kept: str, units: Any) -> float:
    """A typed place in mm; where the text still says what was kept, the kept number without its
    rounding.
    """
    try:
        number = float(kept)
    except ValueError:
        return parse_place(text, units)
    return (
        round(number, 2)
        if abs(number) < 20_000 and show_place(number, units) == text
        else parse_place(text, units)
    )


def with_places(
    plan: Plan, index: int, placed: dict[str, Spot], backing: list[dict[str, Any]] | None = None
) -> Plan:
    """The plan with a wall's boxes at other places."""
    changes = [Change(f"/walls/{index}/placed", {k: v.model_dump() for k, v in placed.items()})]
    if backing is not None:
        changes.append(Change(f"/walls/{index}/backing", backing))
    return Plan.model_validate(apply(plan.model_dump(mode="json"), changes))


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
        return _arranged(request, job, plan, index, version, more)
    if more.startswith("put:"):
        box = next((b for b in job.design.boxes if b.id == more[4:]), None)
        here = designed(plan.model_dump(mode="json")).walls
        if box and index < len(here):
            x, y = first_free(here[index].scene, box)
            plan = with_places(job.plan, index, placed | {box.id: Spot(x_mm=x, y_mm=y)})
    if more:
        after = designed(plan.model_dump(mode="json"))
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


def _arranged(
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
    design = designed(plan.model_dump(mode="json"))
    found: Arranged = arrange(
        plan, index, design.boxes, [s.circuit for s in design.circuits], catalogue()
    )
    layouts = []
    for a in found.best:
        there = with_places(
            plan,
            index,
            plan.walls[index].placed | a.placed,
            [b.model_dump(mode="json") for b in a.backing],
        )
        judged = designed(there.model_dump(mode="json"))
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


@router.post("/jobs/{job_id}/wall/try")
def attempt(request: Request, job: Opened) -> Response:
    """Places as they are while something moves: what breaks, as layers and sentences. Nothing is
    kept. settled=1 also says what it changes.
    """
    visit = job.visit
    index = wall_of(job, visit.text("wall"))
    try:
        sent = json.loads(visit.text("placed"))
        placed = {
            str(k): Spot(x_mm=round(float(v[0]), 2), y_mm=round(float(v[1]), 2))
            for k, v in sent.items()
        }
    except (ValueError, TypeError, AttributeError, IndexError, KeyError):
        return JSONResponse({"error": "not places"}, 422)
    if index is None or not job.design.walls:
        return JSONResponse({"error": "no such wall"}, 404)
    on = job.plan.walls[index].model_copy(update={"placed": placed})
    plan = job.plan.model_copy(
        update={"walls": (*job.plan.walls[:index], on, *job.plan.walls[index + 1 :])}
    )
    circuits = [s.circuit for s in job.design.circuits]
    settled = visit.text("settled") == "1"
    links = job.design.links if settled else ()  # signals are led when the box is let go
    w = hang(plan, job.design.boxes, circuits, links, catalogue(), only=index)[0]
    findings = [
        f
        for f in wall_findings((w,), job.design.boxes, job.design.raceways, catalogue())
        if f.place == w.scene.place
    ]
    s = scale_of(w)
    changed = changes(job.design, designed(plan.model_dump(mode="json"))) if settled else []
    return JSONResponse(
        {
            "zones": zones(w, s, findings, job.design.raceways),
            "ways": ways(w, s),
            "holes": holes(w, s),
            "says": spoken(findings),
            "changed": [_said(c, job) for c in changed],
        }
    )


def _said(c: dict[str, Any], job: OpenJob) -> str:
    a, b = c["length_m"]
    out = (
        f"{c['name']}: {show_length(a, job.plan.units)} becomes {show_length(b, job.plan.units)},"
        f" drop {c['drop_pct'][0]:.2g} to {c['drop_pct'][1]:.2g} %"
    )
    return (
        out
        if c["size"][0] == c["size"][1]
        else f"{out}, {awg(c['size'][0])} becomes {awg(c['size'][1])}"
    )


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
