"""Set: the unit's own menu as a sheet, each value with its reason; what the crew keys instead is
kept and judged.
"""

from __future__ import annotations

from dataclasses import asdict
from typing import Any

from fastapi import APIRouter, Request
from fastapi.responses import Response

from gumboot.core.basis.clock import NotATime, parse_time, show_minutes
from gumboot.core.basis.finding import Change
from gumboot.core.codes.grid_profiles import PROFILES, TO_NEUTRAL
from gumboot.core.kit.menu import TIME
from gumboot.core.set.settings import SLOT, Setting, parse_slot, show_slot
from gumboot.drawings.ladder import PLACES, draw_ladder
from gumboot.web.field.terminations import script
from gumboot.web.job.opening import Opened, OpenJob
from gumboot.web.job.saving import change
from gumboot.web.pages.frame import drawn, render, twin

router = APIRouter()


def shown(value: float | str) -> str:
    """A value as the menu shows it."""
    return value if isinstance(value, str) else f"{value:.6g}"


def unit_of(job: OpenJob, text: str) -> int:
    """The unit whose menu is shown, from 1."""
    return int(text) if text.isdecimal() and 1 <= int(text[:3]) <= job.plan.kit.inverters else 1


def page(
    job: OpenJob, typed: dict[str, str], faults: dict[str, str], unit_no: int = 1
) -> dict[str, Any]:
    """The sheet of one unit, with what was typed."""
    settings = list(job.design.menu(unit_no))
    return {
        **job.head("set"),
        "tab": "set",
        "settings": settings,
        "unit_no": unit_no,
        "units_there": job.plan.kit.inverters if settings else 1,
        "groups": list(dict.fromkeys(s.group for s in settings)),
        "typed": {
            s.id: typed.get(s.id, shown(job.plan.settings.get(s.key, s.value))) for s in settings
        },
        "faults": faults,
        "closed": any(s.rule == "link" and s.means_now != "none" for s in settings)
        or not any(s.rule == "link" for s in settings),
        "profile": profile_of(settings, job),
        "under": unders(job),
        "ladders": [
            {
                "drawing": drawn(draw_ladder(x)),
                "_data": drawn(script({**asdict(x), "places": PLACES})),
                "title": x.title,
                "wrong": [f"{r.name}: {', '.join(r.broken)}" for r in x.rungs if r.broken],
            }
            for x in job.design.ladders(unit_no)
        ],
    }


def profile_of(settings: list[Setting], job: OpenJob) -> dict[str, Any] | None:
    """What the country line stands for, in the volts of this supply; None where it is not known."""
    found = next((PROFILES[s.means_now] for s in settings if s.means_now in PROFILES), None)
    if found is None or job.design.inverter is None:
        return None
    unit = job.design.inverter
    volts = TO_NEUTRAL.get(unit.supply, unit.voltage_v)
    rows = [
        {
            "name": x.name,
            "value": f"{x.value * volts:.4g} V" if x.of == "V" else f"{x.value:g} {x.of}",
            "share": f"{100 * x.value:.4g} % of {volts:g} V" if x.of == "V" else "",
            "lasts": f"{x.seconds:g} s" if x.seconds is not None else "",
        }
        for x in found.limits
    ]
    return {"name": found.name, "source": found.source, "rows": rows}


def unders(job: OpenJob) -> dict[str, str]:
    """Under what a line shows, in words, by its key."""
    menu = job.design.inverter.menu if job.design.inverter else ()
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
