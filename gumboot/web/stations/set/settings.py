"""Set: the unit's own menu as a sheet, each value with its reason; what the crew keys instead is
kept and judged.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import asdict
from functools import lru_cache
from typing import Any

from fastapi import APIRouter, Request
from fastapi.responses import RedirectResponse, Response
from markupsafe import Markup

from gumboot.core.basis.clock import NotATime, parse_time, show_minutes
from gumboot.core.basis.finding import Change
from gumboot.core.design import Design
from gumboot.core.kit.menu import TIME
from gumboot.core.plan import Survey
from gumboot.core.plan.kit import CONTROLLERS
from gumboot.core.set.chapters import MENU
from gumboot.core.set.settings import SLOT, Setting, parse_slot, show_slot
from gumboot.core.set.settings.agreement import LETTER, LICENSED
from gumboot.drawings.ladder import PLACES, draw_ladder
from gumboot.store import records
from gumboot.web.field.terminations import script
from gumboot.web.job import saving
from gumboot.web.job.opening import Opened, OpenJob
from gumboot.web.job.saving import change
from gumboot.web.pages.frame import drawn, render, templates, twin
from gumboot.web.stations.set import profile

router = APIRouter()


def shown(value: float | str) -> str:
    """A value as the menu shows it."""
    return value if isinstance(value, str) else f"{value:.6g}"


def unit_of(job: OpenJob, text: str) -> int:
    """The unit whose menu is shown: an inverter from 1, a charge controller from 11."""
    n = int(text[:3]) if text.isdecimal() else 1
    return n if n in job.plan.kit.units else 1


def units_of(job: OpenJob) -> list[dict[str, Any]]:
    """Every unit with a menu: its number and what it is called."""
    return [{"n": n, "name": job.plan.kit.unit_name(n)} for n in job.plan.kit.units]


def page(
    job: OpenJob, typed: dict[str, str], faults: dict[str, str], unit_no: int = 1
) -> dict[str, Any]:
    """The sheet of one unit, with what was typed."""
    settings, unit = list(job.design.menu(unit_no)), job.design.unit(unit_no)
    first = CONTROLLERS + 1 if unit_no > CONTROLLERS else 1
    linked = [s for s in settings if s.rule == "link"]
    return {
        "_lines": None if typed or faults else lines_part(job.design, unit_no, job.record.id),
        **job.head("set"),
        "tab": "set",
        "settings": settings,
        "unit_no": unit_no,
        "units": units_of(job) if job.design.of(MENU) is not None else [],
        "lacks_menu": f"{unit.maker} {unit.model}" if unit and not unit.menu else "",
        "sheet": unit.id if unit else "",
        "as_first": job.plan.kit.unit_name(first) if unit_no != first else "",
        "typed": keyed(job.design, settings) | typed,
        "faults": faults,
        "closed": any(s.means_now != "none" for s in linked)
        or (not linked and unit_no < CONTROLLERS),
        "profile": profile.profile_of(job, unit_no) if unit_no < CONTROLLERS else None,
        "under": unders(job.design, unit_no),
        "groups": groups_of(settings),
        "on_grid": job.plan.supply.kind != "off-grid" and unit_no < CONTROLLERS,
        "sunspec": bool(unit and any(m.sunspec for m in unit.menu)),
        "sheet_fault": "",
        "profile_typed": {},
        "profile_faults": {},
        "profile_fault": "",
        "ladders": ladder_parts(job.design, unit_no),
    }


@lru_cache(maxsize=64)
def ladder_parts(design: Design, unit_no: int) -> tuple[dict[str, Any], ...]:
    """The ladders of one unit as drawn, with what their script needs; remembered for the design."""
    return tuple(
        {
            "drawing": drawn(draw_ladder(x)),
            "_data": drawn(script({**asdict(x), "places": PLACES})),
            "title": x.title,
            "wrong": [f"{r.name}: {', '.join(r.broken)}" for r in x.rungs if r.broken],
        }
        for x in design.ladders(unit_no)
    )


def keyed(design: Design, settings: Iterable[Setting]) -> dict[str, str]:
    """What stands in each line's field while nobody has typed there."""
    own = design.plan.settings
    return {s.id: shown(own.get(s.key, s.value)) for s in settings}


def groups_of(settings: Iterable[Setting]) -> list[str]:
    """The groups of a menu in its order."""
    return list(dict.fromkeys(s.group for s in settings))


@lru_cache(maxsize=64)
def lines_part(design: Design, unit_no: int, job_id: int) -> Markup:
    """The lines of one unit's menu while nobody has typed, remembered for the design."""
    settings = design.menu(unit_no)
    context = {
        "settings": settings,
        "groups": groups_of(settings),
        "typed": keyed(design, settings),
        "faults": {},
        "under": unders(design, unit_no),
        "job_id": job_id,
    }
    return drawn(templates.get_template("set_lines.html").render(**context))


def unders(design: Design, unit_no: int) -> dict[str, str]:
    """Under what a line of a unit's menu shows, in words, by its key."""
    unit = design.unit(unit_no)
    menu = unit.menu if unit else ()
    of = {m.id: m for m in menu}
    return {m.id: f"{of[m.when].label} is {' or '.join(m.when_is)}" for m in menu if m.when in of}


@twin(router, "/jobs/{job_id}/set", "set.html")
def set_(request: Request, job: Opened) -> dict[str, Any]:
    """The page."""
    return page(job, {}, {}, unit_of(job, request.query_params.get("unit", "")))


def read(s: Setting, text: str) -> tuple[float | str | None, str]:
    """(the keyed value or None for Gumboot's own, fault)."""
    if not text or text == shown(s.proposed):
        return None, ""
    if s.unit == SLOT:
        try:
            slot = parse_slot(text)
        except NotATime as exc:
            return None, str(exc)
        keyed = show_slot(slot) if slot else "off"
        return (None if keyed == s.proposed else keyed), ""
    if s.unit == TIME:
        try:
            keyed = show_minutes(parse_time(text))
        except NotATime as exc:
            return None, str(exc)
        return (None if keyed == s.proposed else keyed), ""
    if s.options:
        return (text, "") if text in s.options else (None, f"choose one of: {', '.join(s.options)}")
    cleaned = text.removesuffix(s.unit).strip().replace(",", ".")
    try:
        value = float(cleaned)
    except ValueError:
        return None, f"“{text}” is not a number: type one in {s.unit}, such as {shown(s.proposed)}"
    if s.least is not None and s.most is not None and not s.least <= value <= s.most:
        return None, f"the menu takes {s.least:g} to {s.most:g} {s.unit}"
    return (None if value == s.proposed else value), ""


@router.post("/jobs/{job_id}/set")
def save(request: Request, job: Opened) -> Response:
    """Keep what the crew keys; a value the menu cannot take is refused at its field."""
    unit_no = unit_of(job, job.visit.text("unit"))
    settings = job.design.menu(unit_no)
    typed = {s.id: job.visit.text(s.id) for s in settings}
    changes: list[Change] = []
    faults: dict[str, str] = {}
    for s in settings:
        value, fault = read(s, typed[s.id])
        want = s.given if not typed[s.id] else s.proposed if value is None else value
        now = job.plan.settings.get(s.key)
        if fault:
            faults[s.id] = fault
        elif typed[s.id] and want == now:
            continue  # keyed already, be it what is proposed by now
        elif (keyed := None if want == s.given else want) != now:
            changes.append(s.keyed_as(keyed))
    if faults:
        return render(request, "set.html", page(job, typed, faults, unit_no), 422)
    back = f"/jobs/{job.record.id}/set{f'?unit={unit_no}' if unit_no > 1 else ''}"
    return change(request, job, tuple(changes), back)


@router.post("/jobs/{job_id}/set/profile")
def compare(request: Request, job: Opened) -> Response:
    """Keep what the unit shows of its grid profile; a row left empty is not asked."""
    visit = job.visit
    visit.needs("installer", "supervisor")
    unit_no = unit_of(job, visit.text("unit"))
    lines = profile.lines_of(job, unit_no)
    typed = {x.key: visit.text(x.key) for x in lines}
    read = {k: profile.number_of(v) for k, v in typed.items() if v}
    faults = {k: "type the number that the unit shows" for k, v in read.items() if v is None}
    if faults or job.state.signed:
        said = "The job is signed: a supervisor can reopen it at Hand over."
        more = {
            "profile_typed": typed,
            "profile_faults": faults,
            "profile_fault": said if job.state.signed else "",
        }
        return render(request, "set.html", {**page(job, {}, {}, unit_no), **more}, 422)
    for x in lines:
        e, value = profile.entry_of(job, x), read.get(x.key)
        if value is not None and (e is None or e.body["typed"] != typed[x.key]):
            body = profile.judged(x, typed[x.key], value)
            at = visit.text("at_device")[:40]
            records.append(visit.db, job.record, "set", body, visit.who, visit.role, at)
    visit.db.commit()
    return RedirectResponse(f"/jobs/{job.record.id}/set?unit={unit_no}#profile", 303)


@router.post("/jobs/{job_id}/set/profile/word")
def word(request: Request, job: Opened) -> Response:
    """Name who chose another profile, and the operator's letter it rests on."""
    visit, survey = job.visit, job.plan.survey or Survey()
    visit.needs("planner", "supervisor")
    said = {LICENSED: visit.text("who")[:200]}, {LETTER: visit.text("letter")[:200]}
    kept = [
        {k: v for k, v in {**was, **new}.items() if v}
        for was, new in zip((survey.licensed, survey.confirmed), said, strict=True)
    ]
    told = survey.model_copy(update={"licensed": kept[0], "confirmed": kept[1]})
    plan = job.plan.model_copy(update={"survey": told})
    return saving.save(request, job, plan, f"/jobs/{job.record.id}/set#profile")
