"""The wall itself: what it is made of, what it has already, boards and rails, and what else the
crew hangs. Part of the Wall station.
"""

from __future__ import annotations

import copy
from string import ascii_uppercase
from typing import Any, get_args

from fastapi import APIRouter, Request
from fastapi.responses import Response

from gumboot.core.basis.units import NotAQuantity
from gumboot.core.kit import Catalogue
from gumboot.core.plan import NeighbourKind, Plan, Wall
from gumboot.drawings.wall import draw_wall
from gumboot.store import records
from gumboot.web.job import saving
from gumboot.web.job.opening import Opened, OpenJob
from gumboot.web.pages.form import Field, convert, read, show, typed_of, words
from gumboot.web.pages.frame import drawn, render, twin
from gumboot.web.stations.wall.page import own_first, wall_of

router = APIRouter()
SPARE, MOST = 2, {"neighbours": 40, "backing": 20, "extras": 20}
REACHED = words("unknown", "no", "yes", "left half", "right half")
EXTRA_KINDS = words("trough", "disconnect", "meter", "network box", "other")


def wall_fields(plan: Plan, i: int, shelf: Catalogue) -> list[tuple[str, list[Field]]]:
    """All that is asked of one wall."""
    at = f"walls/{i}"
    anchors = tuple((a.id, f"{a.label}, in {', '.join(a.grounds)}") for a in shelf.anchors)
    return [
        (
            "Size",
            [
                Field(f"{at}/name", "Name", "text"),
                Field(f"{at}/width_mm", "Width", "place"),
                Field(f"{at}/height_mm", "Height, floor to ceiling", "place"),
                Field(f"{at}/corner_left", "Corner at the left", "yesno"),
                Field(f"{at}/corner_right", "Corner at the right", "yesno"),
                Field(
                    f"{at}/front_mm",
                    "Free floor before it",
                    "place",
                    "a person must stand there to work on it live",
                    optional=True,
                ),
                Field(
                    f"{at}/opposite",
                    "What is opposite, there",
                    "choice",
                    "above 150 V to earth it decides how much floor is left free",
                    choices=(
                        ("unknown", "not known"),
                        ("insulating", "nothing live, nothing earthed"),
                        ("grounded", "concrete, brick, tile, metal"),
                        ("live", "live parts that are worked on"),
                    ),
                ),
            ],
        ),
        (
            "Make-up",
            [
                Field(
                    f"{at}/made",
                    "Made of",
                    "choice",
                    choices=words(
                        "concrete", "solid brick", "hollow block", "timber studs", "steel studs"
                    ),
                ),
                Field(
                    f"{at}/lining",
                    "Lined with",
                    "choice",
                    choices=words("none", "gypsum board", "wood"),
                ),
                Field(f"{at}/lining_mm", "Lining thick", "place"),
                Field(
                    f"{at}/stud_first_mm",
                    "Middle of the first stud",
                    "place",
                    "from the left edge; counts for stud walls",
                ),
                Field(f"{at}/stud_pitch_mm", "Stud to stud", "place"),
                Field(f"{at}/stud_width_mm", "Stud wide", "place"),
                Field(
                    f"{at}/anchor",
                    "Anchor",
                    "choice",
                    "empty: what suits the wall",
                    choices=(("", "what suits the wall"), *anchors),
                    optional=True,
                ),
                Field(f"{at}/swept", "Swept for pipes and cables", "yesno"),
            ],
        ),
        (
            "Surroundings",
            [
                Field(
                    f"{at}/place", "It is", "choice", choices=words("indoors", "garage", "outdoors")
                ),
                Field(f"{at}/sun", "Sun reaches it", "choice", choices=REACHED),
                Field(f"{at}/rain", "Rain reaches it", "choice", choices=REACHED),
                Field(
                    f"{at}/behind",
                    "Behind it",
                    "choice",
                    choices=words("unknown", "outdoors", "bedroom", "living room", "other"),
                ),
                Field(f"{at}/eye_mm", "Eye of who reads the displays", "place", "above the floor"),
                Field(
                    f"{at}/reach_mm",
                    "Hands before the ankles, lifting",
                    "place",
                    "empty: from the depth of each box",
                    optional=True,
                ),
            ],
        ),
        (
            "What the authority said of storage",
            [
                Field(
                    "spacing/opening_mm",
                    "From doors and windows",
                    "place",
                    "empty: 3 ft (0.9 m), common practice",
                    optional=True,
                ),
                Field(
                    "spacing/storage_mm",
                    "From other storage",
                    "place",
                    "empty: as the sheets say",
                    optional=True,
                ),
            ],
        ),
    ]


def row_fields(part: str, i: int, n: int) -> list[Field]:
    """One row of a list of the wall: places in mm from its left edge and the floor."""
    at = f"walls/{i}/{part}/{n}"
    place = [
        Field(f"{at}/{k}", label, "place")
        for k, label in (
            ("x_mm", "From the left"),
            ("y_mm", "From the floor"),
            ("width_mm", "Wide"),
            ("height_mm", "High"),
        )
    ]
    match part:
        case "neighbours":
            return [
                Field(f"{at}/kind", "What", "choice", choices=words(*get_args(NeighbourKind))),
                *place,
            ]
        case "backing":
            return [
                Field(
                    f"{at}/material",
                    "What",
                    "choice",
                    choices=words("cement board", "steel sheet", "rail"),
                ),
                *place,
            ]
    return [
        Field(f"{at}/label", "Name", "text"),
        Field(f"{at}/kind", "What", "choice", choices=EXTRA_KINDS),
        *place[2:],
        Field(f"{at}/depth_mm", "Deep", "place"),
        Field(f"{at}/mass_kg", "kg", "number"),
    ]


PARTS = (
    ("neighbours", "What it has already"),
    ("backing", "Boards and rails"),
    ("extras", "What else is hung"),
)


def fresh(plan: Plan) -> Wall:
    """A wall to begin with: as the survey has it, where the crew's units have their usual studs."""
    letter = next(x for x in ascii_uppercase if x not in {w.id for w in plan.walls})
    seen = plan.survey
    us = plan.units == "us"
    return Wall(
        id=letter,
        made=(
            seen.wall
            if seen and seen.wall != "unknown"
            else "timber studs"
            if us
            else "solid brick"
        ),
        sun=seen.sun if seen else "unknown",
        rain=seen.rain if seen else "unknown",
        width_mm=3657.6 if us else 3600,
        height_mm=2438.4 if us else 2400,
        stud_pitch_mm=406.4 if us else 600,
        stud_width_mm=38 if us else 45,
    )


@twin(router, "/jobs/{job_id}/wall/describe", "wall_describe.html")
def describe(request: Request, job: Opened) -> dict[str, Any]:
    """The page; ?wall=new for one more."""
    letter = request.query_params.get("wall", "")
    index = wall_of(job, letter)
    plan = job.plan
    if index is None or (letter == "new" and len(plan.walls) < 6):
        plan, index = plan.model_copy(update={"walls": (*plan.walls, fresh(plan))}), len(plan.walls)
    counts = {
        part: min(MOST[part], len(getattr(plan.walls[index], part)) + SPARE) for part, _ in PARTS
    }
    return page(
        job,
        plan,
        index,
        typed_for(plan, index, counts, job.choices),
        {},
        job.record.version,
        counts,
    )


def typed_for(plan: Plan, index: int, counts: dict[str, int], shelf: Catalogue) -> dict[str, str]:
    """What the form shows for a plan."""
    document = plan.model_dump(mode="json")
    asked = [f for _, fs in wall_fields(plan, index, shelf) for f in fs]
    typed = typed_of(document, asked, plan.units)
    for part, _ in PARTS:
        rows = document["walls"][index][part]
        for n in range(counts[part]):
            for f in row_fields(part, index, n):
                key = f.path.rsplit("/", 1)[1]
                typed[f.path] = (
                    show(rows[n][key], f, plan.units)
                    if n < len(rows)
                    else f.choices[0][0]
                    if f.choices
                    else ""
                )
    return typed


def page(
    job: OpenJob,
    plan: Plan,
    index: int,
    typed: dict[str, str],
    faults: dict[str, str],
    version: int,
    counts: dict[str, int],
    **more: Any,
) -> dict[str, Any]:
    """The page with what was typed."""
    on = plan.walls[index]
    kept = index < len(job.design.walls)
    return {
        **own_first(job.head("wall")),
        "version": version,
        "tab": "wall/describe",
        "letter": on.id,
        "walls": [{"id": x.id, "name": x.name} for x in plan.walls],
        "wall": on.model_dump(mode="json"),
        "faults": faults,
        "index": index,
        "counts": counts,
        "_sections": wall_fields(plan, index, job.choices),
        "_typed": typed,
        "theirs": [],
        "new": index >= len(job.plan.walls),
        "_parts": [
            (part, name, [row_fields(part, index, n) for n in range(counts[part])])
            for part, name in PARTS
        ],
        "_drawing": (drawn(draw_wall(job.tried(plan).walls[index])) if kept else ""),
        **more,
    }


@router.post("/jobs/{job_id}/wall/describe")
def save(request: Request, job: Opened) -> Response:
    """Keep the wall as it is described."""
    visit = job.visit
    visit.needs("planner", "supervisor")
    index = min(visit.whole("index", 0), len(job.plan.walls), 5)
    version = visit.whole("version", 0)
    plan = (
        job.plan
        if index < len(job.plan.walls)
        else job.plan.model_copy(update={"walls": (*job.plan.walls, fresh(job.plan))})
    )
    counts = {
        part: min(MOST[part], max(0, visit.whole(f"count.{part}", SPARE))) for part, _ in PARTS
    }
    sections = [f for _, fs in wall_fields(plan, index, job.choices) for f in fs]
    rows = {part: [row_fields(part, index, n) for n in range(counts[part])] for part, _ in PARTS}
    typed = {
        f.path: visit.text(f.path)
        for f in [*sections, *(f for some in rows.values() for fs in some for f in fs)]
    }
    more = visit.text("more")
    if more.startswith("row:") and more[4:] in counts:
        counts[more[4:]] = min(MOST[more[4:]], counts[more[4:]] + 1)
        blank = row_fields(more[4:], index, counts[more[4:]] - 1)
        typed |= {f.path: f.choices[0][0] if f.choices else "" for f in blank}
        return render(
            request, "wall_describe.html", page(job, plan, index, typed, {}, version, counts)
        )
    if more == "take-away" and index < len(job.plan.walls):
        return _save(
            request,
            job,
            job.plan.model_copy(
                update={"walls": tuple(w for i, w in enumerate(job.plan.walls) if i != index)}
            ),
            index,
            typed,
            counts,
            "/wall",
        )
    document, faults = read(
        typed, sections, copy.deepcopy(plan.model_dump(mode="json")), plan.units
    )
    for part, some in rows.items():
        document["walls"][index][part] = _rows(
            part, some, typed, plan, faults, document["walls"][index][part]
        )
    made = None
    if not faults:
        made, faults = saving.checked(document, lambda path: placed(path, rows, typed))
    if made is None:
        return render(
            request,
            "wall_describe.html",
            page(job, plan, index, typed, faults, version, counts),
            422,
        )
    return _save(
        request,
        job,
        made,
        index,
        typed,
        counts,
        f"/wall?wall={made.walls[index].id}&since={version}",
    )


def _save(
    request: Request,
    job: OpenJob,
    plan: Plan,
    index: int,
    typed: dict[str, str],
    counts: dict[str, int],
    to: str,
) -> Response:
    def lost(race: records.LostRace) -> Response:
        theirs = Plan.model_validate(race.theirs.plan)
        gone = index >= len(theirs.walls)
        if gone:
            theirs = theirs.model_copy(update={"walls": (*theirs.walls, fresh(theirs))})
        here = min(index, len(theirs.walls) - 1)
        names = {f.path: f.label for _, fs in wall_fields(theirs, here, job.choices) for f in fs}
        plain = {p: p.removeprefix(f"walls/{index}/").replace("/", " ") for p in typed}
        labels = {} if gone else {p: names.get(p, said) for p, said in plain.items()}
        both = saving.differing(typed, typed_for(theirs, here, counts, job.choices), labels, race)
        context = page(job, theirs, here, typed, {}, race.theirs.version, counts, theirs=both)
        return render(request, "wall_describe.html", context, 409)

    return saving.save(request, job, plan, f"/jobs/{job.record.id}{to}", lost)


def _rows(
    part: str,
    rows: list[list[Field]],
    typed: dict[str, str],
    plan: Plan,
    faults: dict[str, str],
    before: list[Any],
) -> list[dict[str, Any]]:
    """The rows that hold something. A row is empty when nothing is typed in it; one that is begun
    wants all.
    """
    out: list[dict[str, Any]] = []
    for n, fields in enumerate(rows):
        asked = [f for f in fields if f.kind != "choice"]
        if not any(typed.get(f.path) for f in asked):
            continue
        row: dict[str, Any] = {}
        for f in fields:
            text = typed.get(f.path, "")
            if not text:
                faults[f.path] = "type it, or empty the row"
                continue
            try:
                row[f.path.rsplit("/", 1)[1]] = convert(text, f, plan.units)
            except NotAQuantity as exc:
                faults[f.path] = str(exc)
        if part == "extras":
            known = next((x["id"] for x in before if x.get("label") == row.get("label")), None)
            taken = {x["id"] for x in (*before, *out) if "id" in x} | {
                x.id for w in plan.walls for x in w.extras
            }
            row["id"] = known or next(k for n in range(1, 99) if (k := f"extra-{n}") not in taken)
        out.append(row)
    return out


def placed(path: str, rows: dict[str, list[list[Field]]], typed: dict[str, str]) -> str:
    """A fault's path as the form has it: rows that are empty count there."""
    step = path.split("/")
    if len(step) > 3 and step[2] in rows and step[3].isdecimal():
        used = [
            n
            for n, fields in enumerate(rows[step[2]])
            if any(typed.get(f.path) for f in fields if f.kind != "choice")
        ]
        n = used[int(step[3])] if int(step[3]) < len(used) else 0
        return "/".join(
            [
                *step[:3],
                str(n),
                step[4] if len(step) > 4 else rows[step[2]][n][0].path.rsplit("/", 1)[1],
            ]
        )
    return path if len(step) > 2 else f"{path}/name"
