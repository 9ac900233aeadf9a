"""Brief: what is there, what is fitted, how far things run. Every field takes the crew's
own units.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from fastapi import APIRouter, Request
from fastapi.responses import PlainTextResponse, Response

from gumboot.core.basis import units
from gumboot.core.kit import Catalogue
from gumboot.store import records
from gumboot.web.job import saving
from gumboot.web.job.opening import Opened
from gumboot.web.pages.frame import render, twin
from gumboot.web.people.visit import Visit, Visiting
from gumboot.web.stations.brief.kit_form import (
    checked,
    follows,
    labels,
    of_the_book,
    sections,
    typed_in,
    typed_of,
)
from gumboot.web.stations.brief.kit_form.shape import book_of

router = APIRouter()
SPARE_ROWS = 1
SHOWN: dict[str, Callable[[float, units.System], str]] = {
    "length": units.show_length,
    "place": units.show_place,
    "temperature": units.show_temperature,
    "torque": units.show_torque,
}


def form_data(
    typed: dict[str, str],
    faults: dict[str, str],
    rows: int,
    version: int,
    shelf: Catalogue,
    theirs: list[dict[str, str]] | None = None,
) -> dict[str, Any]:
    """What the form template needs. held: what was typed into fields that this kit does not ask
    for, so that they are still there when it does.
    """
    shown = sections(typed, rows, shelf)
    typed = typed | {  # a string on a unit that takes none is offered the first that does
        f.path: f.choices[0][0]
        for title, fields in shown
        for f in fields
        if title == "Strings" and f.label == "On" and typed[f.path] not in dict(f.choices)
    }
    asked = {f.path for _, fields in shown for f in fields}
    first = typed_of({}, rows, "us", shelf)
    return {
        "sections": shown,
        "held": {k: v for k, v in typed.items() if v != first[k] and k not in asked},
        "run_columns": 9 if book_of(typed).working_space else 8,
        "labels": labels(shown),
        "typed": typed,
        "faults": faults,
        "rows": rows,
        "version": version,
        "theirs": theirs or [],
    }


def rows_of(visit: Visit, least: int) -> int:
    """How many string rows the browser sent."""
    return min(26, max(least, visit.whole("rows", least)))


@router.get("/units")
def read_units(request: Request, visit: Visiting) -> Response:
    """What a typed quantity is understood as, in the other system's unit: shown beside the field
    while typing.
    """
    asked = request.query_params
    kind, system = asked.get("kind", "length"), asked.get("units", "us")
    text = next((v for k, v in asked.multi_items() if k not in ("kind", "units", "field")), "")
    if not text or kind not in SHOWN:
        return PlainTextResponse("")
    read: units.System = "si" if system == "si" else "us"
    other: units.System = "us" if read == "si" else "si"
    try:
        value = units.parse_place(text, read) if kind == "place" else units.parse(text, kind, read)
    except units.NotAQuantity as exc:
        return PlainTextResponse(str(exc))
    return PlainTextResponse(f"= {SHOWN[kind](value, other)}")


def _grown(request: Request, typed: dict[str, str], rows: int, shelf: Catalogue) -> dict[str, str]:
    """The form after a change: every field there is, and what follows from the one changed."""
    typed = follows(typed, request.headers.get("HX-Trigger-Name", ""), shelf)
    empty = typed_of({}, rows, "us", shelf)
    return of_the_book({k: typed.get(k) or v for k, v in empty.items()})


@twin(router, "/jobs/{job_id}/brief", "brief.html")
def brief(request: Request, job: Opened) -> dict[str, Any]:
    """The brief of a job."""
    document = job.plan.model_dump(mode="json")
    rows = min(26, max(1, len(job.plan.strings)) + SPARE_ROWS)
    return {
        **job.head("brief"),
        **form_data(
            typed_of(document, rows, job.plan.units, job.choices),
            {},
            rows,
            job.record.version,
            job.choices,
        ),
        "plan": document,
    }


@router.post("/jobs/{job_id}/brief")
def save(request: Request, job: Opened) -> Response:
    """Save the brief at the version it was read; a lost race shows both sides and overwrites
    nothing.
    """
    visit = job.visit
    visit.needs("planner", "supervisor")
    document = job.plan.model_dump(mode="json")
    rows = rows_of(visit, len(job.plan.strings))
    shelf = job.choices
    typed = typed_in(visit.text, rows, shelf)
    version = visit.whole("version", 0)
    if visit.text("more"):
        rows += visit.text("more") == "row"
        return render(
            request,
            "brief.html",
            {
                **job.head("brief"),
                **form_data(_grown(request, typed, rows, shelf), {}, rows, version, shelf),
            },
        )
    plan, faults = checked(typed, document, rows, shelf)
    if plan is None:
        return render(
            request,
            "brief.html",
            {**job.head("brief"), **form_data(typed, faults, rows, version, shelf)},
            422,
        )

    def lost(race: records.LostRace) -> Response:
        base = records.plan_at(visit.db, job.record, version) or race.theirs.plan
        merged, rows_differ = merge(typed, base, race, rows, job.plan.units, shelf)
        return render(
            request,
            "brief.html",
            {
                **job.head("brief"),
                **form_data(merged, {}, rows, race.theirs.version, shelf, rows_differ),
            },
            409,
        )

    return saving.save(request, job, plan, f"/jobs/{job.record.id}/size", lost)


def merge(
    typed: dict[str, str],
    base: dict[str, Any],
    race: records.LostRace,
    rows: int,
    system: units.System,
    shelf: Catalogue,
) -> tuple[dict[str, str], list[dict[str, str]]]:
    """(what the form shows now, the fields that either side changed since both read `base`).

    A field only they changed takes theirs; one that was typed here stays as typed, and saving again
    is then a choice made knowingly.
    """
    was, theirs = (typed_of(plan, rows, system, shelf) for plan in (base, race.theirs.plan))
    merged = {path: theirs[path] if text == was[path] else text for path, text in typed.items()}
    differ = [
        {
            "label": f"{title}: {f.label}",
            "mine": typed[f.path] or "—",
            "theirs": theirs[f.path] or "—",
            "now": merged[f.path] or "—",
            "who": race.theirs.saved_by,
        }
        for title, section in sections(merged, rows, shelf)
        for f in section
        if typed[f.path] != theirs[f.path]
    ]
    return merged, differ
