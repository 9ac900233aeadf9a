"""A plan is checked, saved at the version it was read, and nothing that was typed is lost: faults
are said by field, and who saved meanwhile is shown beside what was sent.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from typing import Any

from fastapi import Request, Response
from fastapi.responses import RedirectResponse
from pydantic import ValidationError

from gumboot.core.basis.finding import Change
from gumboot.core.basis.patch import apply
from gumboot.core.plan import Plan
from gumboot.store import records
from gumboot.store import shelf as shelves
from gumboot.web.job.opening import OpenJob
from gumboot.web.pages.frame import render

Row = dict[str, str]


NEEDED = "this is needed"


def checked(
    document: dict[str, Any], field: Callable[[str], str] = str
) -> tuple[Plan | None, dict[str, str]]:
    """(the plan, message by field) of a document as typed. `field` turns a plan's path into the
    field it was typed in.
    """
    try:
        return Plan.model_validate(document), {}
    except ValidationError as exc:
        return None, {field(path): message for path, message in plain_faults(exc)}


def save(
    request: Request,
    job: OpenJob,
    plan: Plan,
    back: str,
    lost: Callable[[records.LostRace], Response] | None = None,
    changes: Iterable[Change] = (),
) -> Response:
    """Save a plan made from the one that was read, and go back. Somebody who saved meanwhile is
    answered by `lost`; without it a page shows the changes that would have been made.
    """
    visit = job.visit
    visit.needs("planner", "supervisor")
    read = visit.whole("version", job.record.version)
    shelf = shelves.taken_for(visit.db, visit.crew_id, job.shelf, job.design.catalogue, plan.chosen)
    try:
        records.save_plan(visit.db, job.record, plan, read, visit.who, shelf.document)
    except records.LostRace as race:
        return lost(race) if lost else lost_race(request, job, race, tuple(changes), back)
    visit.db.commit()
    return RedirectResponse(back, 303)


def change(request: Request, job: OpenJob, changes: tuple[Change, ...], back: str) -> Response:
    """Apply changes to the plan as it was read, save, and go back."""
    plan = Plan.model_validate(apply(job.plan.model_dump(mode="json"), changes))
    return save(request, job, plan, back, changes=changes)


def lost_race(
    request: Request, job: OpenJob, race: records.LostRace, changes: tuple[Change, ...], back: str
) -> Response:
    """What a lost race shows: who saved meanwhile, and the changes that would have been made."""
    context = {
        **job.head("size"),
        "who": race.theirs.saved_by,
        "changes": changes,
        "back": back,
        "theirs": race.theirs.version,
    }
    return render(request, "lost_race.html", context, 409)


def differing(
    mine: Mapping[str, str],
    theirs: Mapping[str, str],
    labels: Mapping[str, str],
    race: records.LostRace,
) -> list[Row]:
    """The labelled fields that two hands have differently, each with both; one row without a label
    where they are the same.
    """
    who = race.theirs.saved_by
    rows = [
        {"label": label, "mine": mine.get(k, ""), "theirs": theirs.get(k, ""), "who": who}
        for k, label in labels.items()
        if mine.get(k, "") != theirs.get(k, "")
    ]
    return rows or [{"label": "", "mine": "", "theirs": "", "who": who}]


def plain_faults(exc: ValidationError) -> list[tuple[str, str]]:
    """(path, message) of each fault of a plan, in the crew's words."""
    out = []
    for e in exc.errors():
        c = e.get("ctx", {})
        match e["type"]:
            case "greater_than" | "greater_than_equal" | "less_than" | "less_than_equal":
                words = {"gt": "more than", "ge": "at least", "lt": "less than", "le": "at most"}
                said = " and ".join(f"{words[k]} {v:g}" for k, v in c.items() if k in words)
                message = f"type a value of {said}"
            case "value_error":
                message = str(c["error"])
            case "missing":
                message = NEEDED
            case "string_too_short":
                message = NEEDED
            case "string_pattern_mismatch":
                message = (
                    "type a single capital letter"
                    if e["loc"][-1:] == ("letter",)
                    else (
                        "has characters that cannot stand here: type letters, figures and plain"
                        " signs"
                    )
                )
            case "string_too_long":
                message = f"at most {c['max_length']} characters"
            case "extra_forbidden":
                message = "not a field of a plan"
            case "literal_error":
                message = f"type {c['expected'].replace(chr(39), '')}"
            case _:
                message = e["msg"][0].lower() + e["msg"][1:]
        field = getattr(c.get("error"), "field", "")  # of several values that do not go together
        out.append(("/".join(str(p) for p in (*e["loc"], *((field,) if field else ()))), message))
    return out
