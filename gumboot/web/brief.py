"""Brief: what is there, what is fitted, how far things run. Every field takes the crew's own units."""

from __future__ import annotations

import copy
from dataclasses import dataclass
from typing import Any

from fastapi import APIRouter, Request
from fastapi.responses import PlainTextResponse, RedirectResponse, Response
from pydantic import ValidationError

from gumboot.catalogue import catalogue
from gumboot.core import units
from gumboot.core.findings import Change as Patch
from gumboot.core.findings import apply, lookup
from gumboot.core.plan import FAMILIES, Plan
from gumboot.store import records
from gumboot.web.frame import render, twin
from gumboot.web.sign_in import Visiting
from gumboot.web.ticket import Opened, plain_faults

router = APIRouter()
SPARE_ROWS = 1

STRING_TYPED = ("letter", "inverter", "tracker", "modules", "tilt_deg", "azimuth_deg", "run/length_m")  # what a person types in a row

RUN_NAMES = {
    "pack": "Each pack to the battery bus",
    "battery": "Battery bus to each inverter",
    "grid": "Each inverter to grid combiner or main panel",
    "grid-feeder": "Grid combiner to main panel",
    "backup": "Each inverter to backup combiner or switch",
    "backup-feeder": "Backup combiner to transfer switch",
}


@dataclass(frozen=True)
class Field:
    """One field: its path in the plan, label, kind of quantity ("text", "count", "choice" or a unit kind), why it is asked."""

    path: str
    label: str
    kind: str
    why: str = ""
    choices: tuple[tuple[str, str], ...] = ()
    optional: bool = False


def fields(rows: int) -> list[tuple[str, list[Field]]]:
    """All fields by section; `rows` strings."""
    book = catalogue()
    kit = lambda shelf: tuple((k, f"{e.maker} {e.model}") for k, e in sorted(shelf.items()))  # noqa: E731
    methods = (("raceway", "in raceway"), ("free-air", "in free air"))
    sections = [
        ("Site", [
            Field("site/name", "Job name", "text"),
            Field("site/address", "Address", "text", optional=True),
            Field("units", "Units", "choice", choices=(("us", "ft, °F, in·lb"), ("si", "m, °C, N·m"))),
            Field("site/t_min_c", "Lowest temperature", "temperature", "strings rise to their highest voltage on the coldest morning"),
            Field("site/t_roof_c", "Hottest air at the array", "temperature", "strings fall to their lowest voltage, conductors carry less"),
            Field("site/t_wall_c", "Hottest air at the wall", "temperature", "conductors carry less in a hot place"),
        ]),
        ("Supply", [
            Field("supply/main_breaker_a", "Main breaker", "current", "it and the inverters feed one busbar"),
            Field("supply/bus_a", "Busbar rating", "current", "read it from the panel's label"),
            Field("supply/backfeed", "Back-fed breaker sits", "choice", "the 120 % rule wants it opposite the main", (("opposite end", "opposite the main"), ("elsewhere", "elsewhere"))),
            Field("supply/load_breakers_a", "All load breakers together", "current", "for the sum rule; leave empty if not counted", optional=True),
        ]),
        ("Kit", [
            Field("kit/inverter", "Inverter", "choice", choices=kit(book.inverters)),
            Field("kit/inverters", "Inverters", "count", "how many in parallel"),
            Field("kit/pack", "Pack", "choice", choices=kit(book.packs)),
            Field("kit/packs", "Packs", "count", "how many in parallel"),
            Field("kit/module", "Module", "choice", choices=kit(book.modules)),
        ]),
    ]  # fmt: skip
    strings = []
    for i in range(rows):
        at = f"strings/{i}"
        strings += [
            Field(f"{at}/letter", "Letter", "text", optional=True),
            Field(f"{at}/inverter", "Inverter", "count", optional=True),
            Field(f"{at}/tracker", "Tracker", "text", optional=True),
            Field(f"{at}/modules", "Modules", "count", optional=True),
            Field(f"{at}/mounting", "Mounted", "choice", choices=(("roof", "on the roof"), ("rack", "on a rack"))),
            Field(f"{at}/tilt_deg", "Tilt", "angle", optional=True),
            Field(f"{at}/azimuth_deg", "Azimuth", "angle", optional=True),
            Field(f"{at}/run/length_m", "Run", "length", optional=True),
            Field(f"{at}/run/method", "Run", "choice", choices=methods),
        ]
    runs = []
    for family in FAMILIES:
        runs += [
            Field(f"runs/{family}/length_m", RUN_NAMES[family], "length", optional=True),
            Field(f"runs/{family}/method", "How", "choice", choices=methods),
            Field(f"runs/{family}/in_raceway", "Live in raceway", "count", optional=True),
            Field(f"runs/{family}/ambient_c", "Hotter than the wall", "temperature", optional=True),
        ]
    return [*sections, ("Strings", strings), ("Runs", runs)]


def show(value: object, field: Field, system: units.System) -> str:
    """A stored value as the crew types it."""
    if value is None:
        return ""
    number = float(value) if isinstance(value, int | float) else 0.0
    match field.kind:
        case "length":
            return units.show_length(number, system)
        case "temperature":
            return units.show_temperature(number, system)
        case "current":
            return f"{number:g} A"
        case "angle":
            return f"{number:g}°"
    return str(value)


def typed_of(plan: dict[str, Any], rows: int, system: units.System) -> dict[str, str]:
    """What the form shows for a plan."""
    out = {}
    for _, section in fields(rows):
        for field in section:
            try:
                out[field.path] = show(lookup(plan, field.path), field, system)
            except KeyError:
                out[field.path] = field.choices[0][0] if field.choices else ""
    return out


def used_rows(typed: dict[str, str], rows: int) -> list[int]:
    """The string rows in which anything was typed; the others are left out of the plan."""
    return [i for i in range(rows) if any(typed.get(f"strings/{i}/{k}") for k in STRING_TYPED)]


def read_form(typed: dict[str, str], before: dict[str, Any], rows: int) -> tuple[dict[str, Any], dict[str, str]]:
    """(the plan document, message by field path). What the form does not show is kept from `before`."""
    plan = copy.deepcopy(before)
    faults: dict[str, str] = {}
    system: units.System = "si" if typed.get("units") == "si" else "us"
    was = typed_of(before, rows, before.get("units", system)) if before.get("site") else {}
    plan["strings"], plan["runs"] = [], {}
    used = used_rows(typed, rows)
    place = {i: n for n, i in enumerate(used)}
    for title, section in fields(rows):
        for field in section:
            path, text = field.path, typed.get(field.path, "")
            if title == "Strings":
                row = int(path.split("/")[1])
                if row not in place:
                    continue
                needed = not path.endswith(("_deg",))
                path = path.replace(f"strings/{row}/", f"strings/{place[row]}/", 1)
            elif title == "Runs":
                family = field.path.split("/")[1]
                if not any(typed.get(f"runs/{family}/{k}") for k in ("length_m", "in_raceway", "ambient_c")):
                    continue
                needed = path.endswith(("length_m", "method"))
            else:
                needed = not field.optional
            if not text:
                if needed:
                    faults[field.path] = (
                        f"type {'a length, such as ' + units.KINDS['length'].example if field.kind == 'length' else _want(field)}"
                    )
                elif not path.startswith(("strings", "runs")):
                    plan = apply(plan, [Patch(path, None if field.kind != "text" else "")])
                continue
            try:
                same = was.get(field.path) == text and title not in ("Strings",) and system == before.get("units")
                value = lookup(before, field.path) if same else convert(text, field, system)
                _put(plan, path, value)
            except units.NotAQuantity as exc:
                faults[field.path] = str(exc)
    return plan, faults


def _want(field: Field) -> str:
    if field.kind in units.KINDS:
        return f"a value, such as {units.KINDS[field.kind].example}"
    return {"count": "a whole number", "choice": "one of the choices"}.get(field.kind, "a name")


def convert(text: str, field: Field, system: units.System) -> object:
    """A typed text as the plan's value. Raises NotAQuantity."""
    if field.kind == "text":
        return text
    if field.kind == "choice":
        if text not in dict(field.choices):
            raise units.NotAQuantity(f"choose one of: {', '.join(name for _, name in field.choices)}")
        return text
    if field.kind == "count":
        if not text.isascii() or not text.isdigit() or len(text) > 6:
            raise units.NotAQuantity(f"“{text}” is not a whole number: type one, such as 2")
        return int(text)
    return round(units.parse(text, field.kind, system), 6)


def _put(plan: dict[str, Any], path: str, value: object) -> None:
    *steps, last = path.split("/")
    at: Any = plan
    for i, step in enumerate(steps):
        if isinstance(at, list):
            while len(at) <= int(step):
                at.append({})
            at = at[int(step)]
        else:
            at = at.setdefault(step, [] if step == "strings" and i == 0 else {})
    at[last] = value


def checked(typed: dict[str, str], before: dict[str, Any], rows: int) -> tuple[Plan | None, dict[str, str]]:
    """(the plan, faults by field path) of a typed form."""
    document, faults = read_form(typed, before, rows)
    if faults:
        return None, faults
    try:
        return Plan.model_validate(document), {}
    except ValidationError as exc:
        used = used_rows(typed, rows)
        for path, message in plain_faults(exc):
            step = path.split("/")
            if len(step) > 2 and step[0] == "strings":
                path = "/".join(["strings", str(used[int(step[1])]), *step[2:]])
            at = {"site": "site/t_min_c", "": f"strings/{used[-1] if used else 0}/letter"}.get(path, path)
            faults[at] = message
        return None, faults


def form_data(
    typed: dict[str, str], faults: dict[str, str], rows: int, version: int, theirs: list[dict[str, str]] | None = None
) -> dict[str, Any]:
    """What the form template needs."""
    return {"sections": fields(rows), "typed": typed, "faults": faults, "rows": rows, "version": version, "theirs": theirs or []}


def rows_of(visit: Any, least: int) -> int:
    """How many string rows the browser sent."""
    sent = visit.text("rows")
    return min(26, max(least, int(sent) if sent.isdigit() else least))


@router.get("/units")
def read_units(request: Request, visit: Visiting) -> Response:
    """What a typed quantity is understood as, in the other system's unit: shown beside the field while typing."""
    asked = request.query_params
    kind, system = asked.get("kind", "length"), asked.get("units", "us")
    text = next((v for k, v in asked.multi_items() if k not in ("kind", "units", "field")), "")
    if not text or kind not in ("length", "temperature"):
        return PlainTextResponse("")
    read: units.System = "si" if system == "si" else "us"
    other: units.System = "us" if read == "si" else "si"
    try:
        value = units.parse(text, kind, read)
    except units.NotAQuantity as exc:
        return PlainTextResponse(str(exc))
    return PlainTextResponse("= " + (units.show_length(value, other) if kind == "length" else units.show_temperature(value, other)))


def fitting_pack(inverter: str) -> str:
    """The first pack of the catalogue in an inverter's voltage class."""
    book = catalogue()
    unit = book.inverters[inverter]
    return next(
        (k for k, p in sorted(book.packs.items()) if p.bms_v_max <= unit.battery_v_max and p.bms_v_min >= unit.battery_v_min),
        next(iter(book.packs)),
    )


@twin(router, "/jobs/new", "brief.html")
def new(request: Request, visit: Visiting) -> dict[str, Any]:
    """An empty brief."""
    visit.needs("planner", "supervisor")
    typed = typed_of({"units": "us"}, 2, "us")
    typed |= {"strings/0/letter": "A", "kit/inverters": "1", "kit/packs": "1", "kit/pack": fitting_pack(typed["kit/inverter"])}
    return {**form_data(typed, {}, 2, 0), "job": None, "_visit": visit}


@router.post("/jobs/new")
def create(request: Request, visit: Visiting) -> Response:
    """A new job from a brief."""
    visit.needs("planner", "supervisor")
    rows = rows_of(visit, 2)
    typed = {f.path: visit.text(f.path) for _, s in fields(rows) for f in s}
    if visit.text("more"):
        return render(request, "brief.html", {**form_data(_grown(typed, rows), {}, rows + 1, 0), "job": None, "_visit": visit})
    plan, faults = checked(typed, {}, rows)
    if plan is None:
        return render(request, "brief.html", {**form_data(typed, faults, rows, 0), "job": None, "_visit": visit}, 422)
    job = records.create_job(visit.db, visit.crew_id, plan, visit.who)
    visit.db.commit()
    return RedirectResponse(f"/jobs/{job.id}/size", 303)


def _grown(typed: dict[str, str], rows: int) -> dict[str, str]:
    empty = typed_of({}, rows + 1, "us")
    return {**empty, **typed}


@twin(router, "/jobs/{job_id}/brief", "brief.html")
def brief(request: Request, at: Opened) -> dict[str, Any]:
    """The brief of a job."""
    document = at.plan.model_dump(mode="json")
    rows = min(26, max(1, len(at.plan.strings)) + SPARE_ROWS)
    return {**at.head("brief"), **form_data(typed_of(document, rows, at.plan.units), {}, rows, at.job.version), "plan": document}


@router.post("/jobs/{job_id}/brief")
def save(request: Request, at: Opened) -> Response:
    """Save the brief at the version it was read; a lost race shows both sides and overwrites nothing."""
    visit = at.visit
    visit.needs("planner", "supervisor")
    document = at.plan.model_dump(mode="json")
    rows = rows_of(visit, len(at.plan.strings))
    typed = {f.path: visit.text(f.path) for _, s in fields(rows) for f in s}
    version = int(visit.text("version")) if visit.text("version").isdigit() else 0
    if visit.text("more"):
        return render(request, "brief.html", {**at.head("brief"), **form_data(_grown(typed, rows), {}, rows + 1, version)})
    plan, faults = checked(typed, document, rows)
    if plan is None:
        return render(request, "brief.html", {**at.head("brief"), **form_data(typed, faults, rows, version)}, 422)
    try:
        records.save_plan(visit.db, at.job, plan, version, visit.who)
    except records.LostRace as race:
        base = records.plan_at(visit.db, at.job, version) or race.theirs.plan
        merged, rows_differ = merge(typed, base, race, rows, at.plan.units)
        return render(request, "brief.html", {**at.head("brief"), **form_data(merged, {}, rows, race.theirs.version, rows_differ)}, 409)
    visit.db.commit()
    return RedirectResponse(f"/jobs/{at.job.id}/size", 303)


def merge(
    typed: dict[str, str], base: dict[str, Any], race: records.LostRace, rows: int, system: units.System
) -> tuple[dict[str, str], list[dict[str, str]]]:
    """(what the form shows now, the fields that either side changed since both read `base`).

    A field only they changed takes theirs; one that was typed here stays as typed, and saving again is then a choice made knowingly.
    """
    was, theirs = typed_of(base, rows, system), typed_of(race.theirs.plan, rows, system)
    merged = {path: theirs[path] if text == was[path] else text for path, text in typed.items()}
    differ = [
        {"label": f"{title}: {f.label}", "mine": typed[f.path] or "—", "theirs": theirs[f.path] or "—", "now": merged[f.path] or "—", "who": race.theirs.saved_by}
        for title, section in fields(rows) for f in section if typed[f.path] != theirs[f.path]
    ]  # fmt: skip
    return merged, differ
