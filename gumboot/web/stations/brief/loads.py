"""The load board: what the house's circuits draw, on which leg, and what lives in an outage. Part
of the Brief station.
"""

from __future__ import annotations

from typing import Any

from fastapi import APIRouter, Request
from fastapi.responses import Response

from gumboot.core.brief.loads.assign import Assigned, Assignment, assign
from gumboot.core.brief.loads.board import (
    STARTING,
    Sheet,
    design_leg,
    leg_ratings,
    ratings,
    starting_power,
)
from gumboot.core.brief.loads.ordinary import ORDINARY
from gumboot.core.design import Design
from gumboot.core.kit import MAINS
from gumboot.core.network.house import house_supply, units_on
from gumboot.core.plan import Load, Plan
from gumboot.drawings.load_board import load_board
from gumboot.store import records
from gumboot.web.job import saving
from gumboot.web.job.opening import Opened, OpenJob
from gumboot.web.pages.frame import drawn, render, twin
from gumboot.web.people.visit import uploaded
from gumboot.web.stations.brief.loads_form import (
    EMPTY,
    MOST,
    NotATable,
    Rows,
    documents,
    fields,
    row_of,
    rows_in,
    rows_of_csv,
    to_csv,
    used,
)
from gumboot.web.stations.size.size import working_of

router = APIRouter()


@twin(router, "/jobs/{job_id}/loads", "loads.html")
def loads(request: Request, job: Opened) -> dict[str, Any]:
    """The page."""
    place = request.query_params.get("at", "")
    return page(
        job,
        [row_of(x) for x in job.plan.loads],
        {},
        job.record.version,
        _working=working_of(job, place) if place else [],
    )


@router.get("/jobs/{job_id}/loads.csv")
def loads_csv(job: Opened) -> Response:
    """The circuits as a table."""
    head = {"Content-Disposition": f'attachment; filename="loads-{job.record.id}.csv"'}
    return Response(
        to_csv([row_of(x) for x in job.plan.loads]), media_type="text/csv", headers=head
    )


def page(
    job: OpenJob, rows: Rows, faults: dict[str, str], version: int, **more: Any
) -> dict[str, Any]:
    """The page for rows as they are typed: its picture shows the rows that can be read."""
    made, found = documents(rows)
    design = (
        job.design
        if not found and [x for x in made if x] == _stored(job.plan)
        else _design(job, made)
    )
    inverter = design.inverter
    lines = MAINS[house_supply(job.plan, inverter)].lines
    table = [{"fields": fields(i, lines), "row": r} for i, r in enumerate(rows)]
    typed = {f"load-{i}-{k}": v for i, r in enumerate(rows) for k, v in r.items()}
    return {
        **job.head("brief"),
        "rows": rows,
        "_table": table,
        "_typed": typed,
        "faults": faults,
        "version": version,
        "tab": "loads",
        "ordinary": [
            {
                "key": i,
                "name": o.name,
                "kind": o.kind,
                "watts": o.watts_on(house_supply(job.plan, inverter)),
            }
            for i, o in enumerate(ORDINARY)
        ],
        "starting": STARTING,
        "most": MOST,
        "board_findings": [
            f for f in design.findings if f.key.startswith(("board.", "load.", "generator."))
        ],
        "totals": totals(design),
        "_d": design,
        "_drawing": drawn(load_board(design)),
        "csv_fault": "",
        "csv_text": "",
        "assigned": None,
        "theirs": [],
        "_working": [],
        **more,
    }


def _stored(plan: Plan) -> list[dict[str, Any]]:
    return [x.model_dump(mode="json") for x in plan.loads]


def _design(job: OpenJob, made: list[dict[str, Any] | None]) -> Design:
    """The design with the rows that can be read."""
    loads = [x for x in made if x]
    plan, _faults = saving.checked({**job.plan.model_dump(mode="json"), "loads": loads})
    return job.tried(plan) if plan else job.design


def totals(design: Design) -> dict[str, Any]:
    """The board's figures as plain numbers."""
    board = design.board
    if board is None:
        return {}
    legs = [
        {
            "leg": x.name,
            "running_w": x.running.n,
            "at_once_w": x.at_once.n,
            "start_w": x.start.n,
            "starter": x.starter,
            "continuous_w": x.continuous.n,
            "surge_w": x.surge.n if x.surge else None,
        }
        for x in (*board.legs, board.total)
    ]
    pass_a = board.pass_through.n if board.pass_through else None
    return {
        "legs": legs,
        "day_kwh": board.e_day.n,
        "night_kwh": board.e_night.n,
        "nights": board.nights.n if board.nights else None,
        "pass_through_a": pass_a,
        "together": [list(p) for p in board.together],
    }


@router.post("/jobs/{job_id}/loads")
def save(request: Request, job: Opened) -> Response:
    """Add rows, take in a table, find the best legs: all on the form as it is typed. Or save it."""
    visit = job.visit
    visit.needs("planner", "supervisor")
    rows = rows_in(visit.text, min(MOST, visit.whole("rows", 0)))
    version = visit.whole("version", 0)
    if more := visit.text("more"):
        return _more(request, job, rows, version, more)
    made, faults = documents(rows)
    plan = None
    if not faults:
        kept = [i for i, x in enumerate(made) if x]

        def field(path: str) -> str:
            step = path.split("/")
            row = kept[int(step[1])] if len(step) > 1 and step[1].isdecimal() else 0
            return f"load-{row}-{'runs' if step[-1] != 'name' else 'name'}"

        loads = [x for x in made if x]
        plan, faults = saving.checked({**job.plan.model_dump(mode="json"), "loads": loads}, field)
    if plan is None:
        return render(request, "loads.html", page(job, rows, faults, version), 422)

    def lost(race: records.LostRace) -> Response:
        theirs = [row_of(x) for x in Plan.model_validate(race.theirs.plan).loads]
        both = differ(rows, theirs, race)
        context = page(job, rows, {}, race.theirs.version, theirs=both)
        return render(request, "loads.html", context, 409)

    return saving.save(request, job, plan, f"/jobs/{job.record.id}/loads", lost)


def differ(mine: Rows, theirs: Rows, race: records.LostRace) -> list[saving.Row]:
    """Circuits that two boards have differently, each as one line."""

    def line(r: dict[str, str] | None) -> str:
        parts = ("runs", "starts", "legs", "outage", "hours", "share")
        return " · ".join(r[k] for k in parts if r[k]) if r else ""

    a = {r["name"]: line(r) for r in mine if used(r)}
    b = {r["name"]: line(r) for r in theirs}
    return saving.differing(a, b, {n: n for n in {**a, **b}}, race)


def _more(request: Request, job: OpenJob, rows: Rows, version: int, more: str) -> Response:
    extra: dict[str, Any] = {}
    status = 200
    what, _, which = more.partition(":")
    if what == "row" and len(rows) < MOST:
        rows.append(dict(EMPTY))
    elif what == "pick" and len(rows) < MOST:
        chosen = job.visit.whole("ordinary", -1)
        if 0 <= chosen < len(ORDINARY):
            supply = house_supply(job.plan, job.design.inverter)
            load = ORDINARY[chosen].load("x", supply)
            rows.append(
                {
                    **row_of(load),
                    "id": "",
                    "legs": load.legs if "+" in load.legs else _lightest(job, rows),
                }
            )
    elif what == "csv":
        file = uploaded(job.visit, "file")
        text = file.file.read().decode("utf-8-sig", "replace") if file else job.visit.text("csv")
        try:
            fresh = rows_of_csv(text)
            named = {r["name"].lower() for r in fresh}
            rows = [r for r in rows if used(r) and r["name"].lower() not in named] + fresh
            if len(rows) > MOST:
                raise NotATable(f"The board would have {len(rows)} circuits: at most {MOST}.")
        except NotATable as exc:
            extra, status = {"csv_fault": str(exc), "csv_text": text if not file else ""}, 422
    elif what in ("stay", "free"):
        extra = {"assigned": _assigned(job, rows, what == "free"), "how": what}
    elif what == "take":
        how, _, number = which.partition(":")
        found = _assigned(job, rows, how == "free")
        if found.best:
            picks = (found.best, *found.fewer)
            rows = _moved(
                rows,
                (
                    picks[int(number)]
                    if number.isdecimal() and int(number) < len(picks)
                    else found.best
                ),
            )
    _, faults = documents(rows) if what != "row" else ([], {})
    return render(
        request,
        "loads.html",
        page(job, rows, faults if what == "csv" else {}, version, **extra),
        status,
    )


def _lightest(job: OpenJob, rows: Rows) -> str:
    """The leg with the least on it, for a circuit that is added."""
    inverter = job.design.inverter
    fed = units_on(job.plan, inverter) if inverter else {"L1": 1, "L2": 1}
    legs = [line for line, count in fed.items() if count]
    made, _ = documents(rows)
    on = {
        leg: sum(
            x["running_w"] / len(x["legs"].split("+"))
            for x in made
            if x and x["backed"] and leg in x["legs"].split("+")
        )
        for leg in legs
    }
    return min(legs, key=lambda leg: on[leg])


def _assigned(job: OpenJob, rows: Rows, free: bool) -> Assigned:
    """The best legs for the rows as they are typed."""
    made, faults = documents(rows)
    inverter = job.design.inverter
    if inverter is None:
        return Assigned(None, (), "Choose an inverter first, under Kit and runs.")
    if faults:
        return Assigned(None, (), "Some rows cannot be read yet: correct them first.")
    every = [Load.model_validate(x) for x in made if x]
    on = units_on(job.plan, inverter)
    lines = [line for line, count in on.items() if count]
    circuits = [x for x in every if set(x.legs.split("+")) <= set(lines)]
    astray = next((x for x in every if x.backed and x not in circuits), None)
    if astray:
        return Assigned(
            None,
            (),
            f"{astray.name} is on {astray.legs}, which the inverters do not feed: put it right"
            " first.",
        )
    count, hot = job.plan.kit.inverters, job.design.hot
    whole, surge = ratings(inverter, count, hot)[:2]
    legs = leg_ratings(job.plan, inverter, hot)
    mains = MAINS[house_supply(job.plan, inverter)]
    starting = {x.id: starting_power(x, mains.to_neutral, mains.wye) for x in circuits}
    least = min((legs[line] for line in lines), key=lambda rated: rated[0].n)
    sheet = Sheet(circuits, starting, mains.wye)
    return assign(
        circuits,
        starting,
        lines,
        design_leg("all", sheet, whole, surge),
        design_leg(lines[0], sheet, *least),
        free,
        mains.wye,
    )


def _moved(rows: Rows, to: Assignment) -> Rows:
    """The rows with an assignment taken."""
    made, _ = documents(rows)
    out = []
    for row, x in zip(rows, made, strict=True):
        place = to.legs.get(x["id"], "") if x else ""
        if x is None:
            out.append(row)
        elif place:
            out.append({**row, "legs": place, "outage": "must" if x["must"] else "may"})
        else:
            out.append({**row, "outage": "off"})
    return out
