"""The sheet of settings on its way out (CSV, JSON, SunSpec, to print) and in again."""

from __future__ import annotations

import json
from collections.abc import Iterable
from typing import Any

from fastapi import APIRouter, Request
from fastapi.responses import JSONResponse, Response

from gumboot.core.basis.finding import Change
from gumboot.core.basis.words import inside
from gumboot.core.kit import MenuItem
from gumboot.core.set.settings import Setting
from gumboot.drawings.ladder import draw_ladder
from gumboot.exports.materials import as_csv
from gumboot.exports.settings_sheet import sheet_document, sunspec_document
from gumboot.imports.interval import Unreadable
from gumboot.imports.settings_sheet import Row, read_sheet
from gumboot.web.background import printed
from gumboot.web.job.opening import Opened, OpenJob
from gumboot.web.job.saving import change
from gumboot.web.pages.frame import drawn, render
from gumboot.web.people.defaults import PAPERS, paper_of
from gumboot.web.people.visit import uploaded
from gumboot.web.stations.set.keying import keyed_lines, menus_of
from gumboot.web.stations.set.settings import page, read, shown, unit_of

router = APIRouter()
HEAD = ("unit", "number", "line", "works", "display", "value", "in", "reason", "keyed", "key")


@router.get("/jobs/{job_id}/set.csv")
def sheet_csv(request: Request, job: Opened) -> Response:
    """The sheet of every unit as CSV (RFC 4180), in the order of keying."""
    rows = []
    for _, own, keyed in keyed_lines(job):
        row = (str(own.unit_no), own.number, own.label, own.works, own.display, shown(own.value))
        rows.append((*row, own.unit, own.reason, keyed, own.id))
    return Response(
        as_csv(HEAD, rows), media_type="text/csv; charset=utf-8", headers=named(job, "csv")
    )


def named(job: OpenJob, ending: str) -> dict[str, str]:
    """The head that names a file."""
    return {"Content-Disposition": f'attachment; filename="settings-{job.record.id}.{ending}"'}


@router.get("/jobs/{job_id}/set-sheet.json")
def sheet_json(request: Request, job: Opened) -> Response:
    """The sheet of every unit as JSON, as it is taken back."""
    unit = job.design.inverter
    name = f"{unit.maker} {unit.model}" if unit else ""
    return JSONResponse(sheet_document(name, menus_of(job.design)), headers=named(job, "json"))


@router.get("/jobs/{job_id}/set-sunspec.json")
def sheet_sunspec(request: Request, job: Opened) -> Response:
    """One unit's lines that stand in SunSpec models, as a device file: ?unit=2 for the second."""
    unit_no = unit_of(job, request.query_params.get("unit", ""))
    unit = job.design.unit(unit_no)
    items: tuple[MenuItem, ...] = unit.menu if unit else ()
    settings = job.design.menu(unit_no) if unit and job.design.settings else ()
    body = sunspec_document(
        f"{job.record.name}, {inside(job.plan.kit.unit_name(unit_no))}", items, settings
    )
    return Response(
        json.dumps(body, indent=1), media_type="application/json", headers=named(job, "json")
    )


@router.post("/jobs/{job_id}/set/sheet")
def take(request: Request, job: Opened) -> Response:
    """Take a sheet's values into the plan. Nothing is kept while one line of it is wrong: the page
    shows what the sheet says, each fault at its line.
    """
    visit = job.visit
    visit.needs("planner", "supervisor")
    unit_no, file = unit_of(job, visit.text("unit")), uploaded(visit, "file")
    settings, unit = job.design.menu(unit_no), job.design.unit(unit_no)
    try:
        if file is None:
            raise Unreadable("Choose a sheet: CSV or JSON as Set writes it, or a SunSpec file.")
        rows = read_sheet(file.file.read())
        typed, unknown = matched(rows, settings, unit.menu if unit else (), unit_no)
        if not typed:
            raise Unreadable("No line of the sheet is of this unit's menu.")
    except Unreadable as exc:
        return render(
            request, "set.html", {**page(job, {}, {}, unit_no), "sheet_fault": str(exc)}, 422
        )
    of = {s.id: s for s in settings}
    found = {id: read(of[id], text) for id, text in typed.items()}
    faults = {id: fault for id, (_, fault) in found.items() if fault}
    if faults or unknown:
        said = f"Not taken: no such line here: {', '.join(unknown[:8])}." if unknown else ""
        context = {**page(job, typed, faults, unit_no), "sheet_fault": said}
        return render(request, "set.html", context, 422)
    changes: list[Change] = []
    for id, (value, _) in found.items():
        s = of[id]
        want = s.proposed if value is None else value
        keyed = None if want == s.given else want
        if want != s.value and keyed != job.plan.settings.get(s.key):
            changes.append(s.keyed_as(keyed))
    back = f"/jobs/{job.record.id}/set{f'?unit={unit_no}' if unit_no > 1 else ''}"
    return change(request, job, tuple(changes), back)


def matched(
    rows: Iterable[Row], settings: Iterable[Setting], items: Iterable[MenuItem], unit_no: int
) -> tuple[dict[str, str], list[str]]:
    """(what the sheet says by the line's id, rows that name no line): by key, else by number, else
    by label, else by SunSpec point. Rows of another unit are left out, and a SunSpec file may hold
    points that are on no line.
    """
    shows = {s.id: s for s in settings}
    sunspec = {m.sunspec: m for m in items if m.sunspec}
    by = {
        "number": {s.number: s.id for s in shows.values() if s.number},
        "label": {s.label.lower(): s.id for s in shows.values()},
    }
    typed: dict[str, str] = {}
    unknown: list[str] = []
    for r in rows:
        if r.unit_no not in (0, unit_no):
            continue
        if r.sunspec:
            item = sunspec.get(r.sunspec)
            if item is not None and item.id in shows:
                typed[item.id] = chosen(item, r.value)
            continue
        id = r.key if r.key in shows else by["number"].get(r.number, "")
        id = id or by["label"].get(r.label.lower(), "")
        if id:
            typed[id] = r.value
        else:
            unknown.append(f"{r.at} ({r.key or r.number or r.label})")
    return typed, unknown


def chosen(item: MenuItem, value: str) -> str:
    """A point's value as the menu has it: the choice that a register's number stands for."""
    if not item.options or not value.lstrip("-").isdecimal():
        return value
    codes = item.values or tuple(range(len(item.options)))
    return dict(zip(codes, item.options, strict=True)).get(int(value), value)


@router.get("/jobs/{job_id}/set.pdf")
def sheet_pdf(request: Request, job: Opened) -> Response:
    """The same to print, with the ladders: ?paper=a4 or letter."""
    paper = request.query_params.get("paper", "")
    paper = paper if paper in PAPERS else paper_of(job.visit, job.plan.units)
    stages: dict[str, list[dict[str, Any]]] = {}
    for step, own, keyed in keyed_lines(job):
        names = ("number", "label", "works", "display", "value", "unit", "restart")
        line = {k: getattr(own, k) for k in names}
        stages.setdefault(step.stage, []).append({**line, "keyed": keyed})
    unit = job.design.inverter
    context = {
        "job": {"name": job.record.name, "version": job.record.version},
        "address": job.plan.site.address,
        "unit": f"{unit.maker} {unit.model}" if unit else "No unit",
        "stages": list(stages.items()),
        "paper": PAPERS[paper],
        "ladders": [
            {"title": x.title, "drawing": drawn(draw_ladder(x, standalone=True))}
            for x in job.design.ladders(1)
        ],
    }
    return printed(request, job, "set_sheet.html", "settings", context)
