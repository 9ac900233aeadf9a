"""A year of living with it: bills, outages, how many packs, and the best that was possible. Part of
the Brief station.
"""

from __future__ import annotations

import csv
import io
from collections import OrderedDict
from typing import Any

import numpy as np
from fastapi import APIRouter, Request
from fastapi.responses import RedirectResponse, Response

from gumboot.background.tasks import year_key
from gumboot.core.basis.finding import Change
from gumboot.core.energy.account import figures, neutral, reach
from gumboot.core.energy.calendar import calendar
from gumboot.core.energy.year import lacks
from gumboot.core.plan import Plan, Work
from gumboot.core.set.settings import show_slot, work_keyed
from gumboot.drawings.raster import FIRST
from gumboot.drawings.year import (
    CARPETS,
    day_picture,
    months_picture,
    outage_calendar,
    spoken_day,
    sweep_picture,
    year_carpet,
)
from gumboot.store import files, records, results
from gumboot.store.models import Result
from gumboot.web.background import asked, send_file, series_of
from gumboot.web.job import saving
from gumboot.web.job.opening import Opened, OpenJob
from gumboot.web.pages.frame import drawn, render, twin
from gumboot.web.people.visit import uploaded
from gumboot.web.stations.brief.year_form import (
    MODES,
    MOST_RATES,
    SLOTS,
    SPARE,
    checked,
    fields,
    rate_fields,
    show,
)

router = APIRouter()
_series: OrderedDict[tuple[int, str], dict[str, Any]] = OrderedDict()


@twin(router, "/jobs/{job_id}/year", "year.html")
def year(request: Request, job: Opened) -> dict[str, Any] | Response:
    """The page; while the year is being computed it says how far it is. ?again=year, or best, tries
    once more what had stopped.
    """
    if (kind := request.query_params.get("again", "")) in ("year", "best") and not lacks(
        job.plan, job.design
    ):
        asked(job, kind, again=True)
        return RedirectResponse(f"/jobs/{job.record.id}/year", 303)
    rows = min(MOST_RATES, len(job.plan.energy.tariff.rates) + SPARE)
    return page(request, job, None, {}, rows, job.record.version)


def page(
    request: Request,
    job: OpenJob,
    typed: dict[str, str] | None,
    faults: dict[str, str],
    rows: int,
    version: int,
    **more: Any,
) -> dict[str, Any]:
    """The page with a form as it was typed; the plan's own when nothing was."""
    kept = files.of_job(job.visit.db, job.record, "readings", "weather")
    form = fields(job.plan.supply.kind == "off-grid", kept)
    sent = request.query_params.get("file", "")
    return {
        **job.head("brief"),
        "tab": "year",
        "version": version,
        "faults": faults,
        "rows": rows,
        "_form": form,
        "_typed": typed or show(job.plan, rows, form),
        "_rates": [rate_fields(i) for i in range(rows)],
        "slots": [
            (k, f"{'Charge' if k[0] == 'c' else 'Discharge'} window {int(k[-1]) + 1}")
            for k in SLOTS
        ],
        "kept": [
            {"digest": f.digest, "kind": f.kind, "name": f.name, "by": f.kept_by, "about": f.about}
            for f in kept
        ],
        "lacks": lacks(job.plan, job.design),
        "lived": _lived(request, job, "year"),
        "best": _best(request, job),
        "file": _file(job, sent),
        "theirs": [],
        "file_fault": "",
        "modes": dict(MODES),
        "currency": job.plan.energy.tariff.currency,
        "keyed": _keyed(job),
        **more,
    }


def _lived(request: Request, job: OpenJob, kind: str) -> dict[str, Any] | None:
    """A result as it stands; None where there can be none."""
    if lacks(job.plan, job.design):
        return None
    row = asked(job, kind)
    if row is None or row.body is None:
        return {
            "done": False,
            "share": row.share if row else 0.0,
            "says": row.says if row else "",
            "fault": row.fault if row else None,
        }
    pictures = _pictures(request, job, row) if kind == "year" else {}
    if request.url.path.endswith(".json"):
        pictures = {k: v for k, v in pictures.items() if not k.startswith("_")}
    return {"done": True, "fault": None, "key": row.key, "body": row.body, **pictures}


def _best(request: Request, job: OpenJob) -> dict[str, Any] | None:
    plan = job.plan
    if plan.supply.kind == "off-grid" or not plan.energy.tariff.rates or job.design.bank is None:
        return None
    found = _lived(request, job, "best")
    lived = results.found(job.visit.db, job.record.id, "year", year_key(plan, job.shelf.document))
    if found is None or not found["done"]:
        return found
    body, work = found["body"], Work.model_validate(found["body"]["work"])
    own = lived.body["bills"]["all"] if lived and lived.body else None
    same = work == work_keyed(job.design.settings, plan.energy.work)
    return {
        **found,
        "mode": work.mode,
        "slots": words_of(work),
        "same": same,
        "reach": reach(own, body) if own is not None else None,
        "reach_proposed": reach(body["bill_proposed"], body),
        "reach_self_use": reach(body["bill_self_use"], body),
        "reach_reserve": reach(body["bill_reserve"], body),
    }


def series(job: OpenJob, row: Result) -> dict[str, Any]:
    """A result's series, remembered."""
    key = (job.record.id, row.key)
    if key not in _series:
        _series[key] = series_of(row.data or b"")
        while len(_series) > 12:
            _series.popitem(last=False)
    return _series[key]


def _pictures(request: Request, job: OpenJob, row: Result) -> dict[str, Any]:
    body: dict[str, Any] = row.body or {}
    steps = series(job, row)
    worst = (
        body["outages"]["worst_at"] // 24
        if body["outages"]
        else int(steps["stored"].reshape(365, 96).mean(axis=1).argmin())
    )
    days = {"worst night": worst, "21 March": 79, "21 June": 171, "21 December": 354}
    day = day_typed(request.query_params.get("day", ""), worst)
    which = request.query_params.get("carpet", "")
    carpets = {
        k: v for k, v in CARPETS.items() if k != ("grid" if body["off_grid"] else "generator")
    }
    which = which if which in carpets else "stored" if body["off_grid"] else "grid"
    best = None
    if body["priced"] and not body["off_grid"] and body["capacity_kwh"]:
        found = asked(job, "best")
        best = series(job, found) if found is not None and found.body is not None else None
    capacity = body["capacity_kwh"]
    return {
        "day": spoken_day(day, body["year"]),
        "day_number": day,
        "days": [{"name": k, "number": n} for k, n in days.items()],
        "carpet": which,
        "carpets": list(carpets.items()),
        "_day": drawn(
            day_picture(
                day,
                steps,
                capacity,
                best,
                body["currency"] if body["priced"] and not body["off_grid"] else "",
                body["off_grid"],
            )
        ),
        "_carpet": drawn(year_carpet(which, steps, capacity)),
        "_months": drawn(months_picture(body["months"])),
        "_outages": (
            drawn(
                outage_calendar(
                    steps["outage_h"],
                    body["outages"]["worst_at"],
                    body["outages"]["worst_h"],
                    body["year"],
                )
            )
            if body["outages"]
            else ""
        ),
        "_sweep": (
            drawn(sweep_picture(body["sweep"], body["off_grid"], body["priced"], body["currency"]))
            if body["sweep"]
            else ""
        ),
        "_figures": list(figures(body).values()),
        "worst_day": spoken_day(worst, body["year"]),
    }


def day_typed(text: str, otherwise: int) -> int:
    """A day of the year from its number, or as 24.12 or 12-24 might be meant: month first. The
    other when it is none.
    """
    if text.isdecimal() and len(text) < 4 and int(text) < 365:
        return int(text)
    month, _, day = text.partition("-")
    if (
        month.isdecimal()
        and day.isdecimal()
        and len(text) < 6
        and 1 <= int(month) <= 12
        and 1 <= int(day) <= int(FIRST[int(month)] - FIRST[int(month) - 1])
    ):
        return int(FIRST[int(month) - 1]) + int(day) - 1
    return otherwise


def _keyed(job: OpenJob) -> str:
    """The way of working that Set keys, where it is not the plan's."""
    work = work_keyed(job.design.settings, job.plan.energy.work)
    plain = (
        job.plan.energy.work
        if job.plan.energy.work.mode == "windows"
        else Work(mode=job.plan.energy.work.mode)
    )
    return (
        ""
        if work == plain or job.plan.supply.kind == "off-grid"
        else ", ".join([dict(MODES)[work.mode], *words_of(work)])
    )


def words_of(work: Work) -> list[str]:
    """Windows and spare sun in words."""
    spare = ["spare sun goes to the grid first"] if work.spare_sun == "grid" else []
    return spare + [
        f"{word} {show_slot(s)}"
        for word, some in (("charge", work.charge), ("discharge", work.discharge))
        for s in some
    ]


def _file(job: OpenJob, key: str) -> dict[str, Any] | None:
    """What came of reading a file that was sent."""
    row = results.found(job.visit.db, job.record.id, "file", key) if key else None
    return (
        {"key": key, "share": row.share, "says": row.says, "fault": row.fault, "body": row.body}
        if row
        else None
    )


@router.post("/jobs/{job_id}/year")
def save(request: Request, job: Opened) -> Response:
    """Keep the tariff, the way of working, and where load and weather come from."""
    visit = job.visit
    visit.needs("planner", "supervisor")
    rows = min(MOST_RATES, max(visit.whole("rows", 0), SPARE))
    version = visit.whole("version", 0)
    form = fields(
        job.plan.supply.kind == "off-grid",
        files.of_job(visit.db, job.record, "readings", "weather"),
    )
    paths = (
        [f.path for section in form.values() for f in section]
        + [f.path for i in range(rows) for f in rate_fields(i)]
        + list(SLOTS)
    )
    typed = {p: visit.text(p) for p in paths}
    if visit.text("more"):
        rows = min(MOST_RATES, rows + 1)
        typed |= {f.path: f.choices[0][0] if f.choices else "" for f in rate_fields(rows - 1)}
        return render(request, "year.html", page(request, job, typed, {}, rows, version))
    plan, faults = checked(typed, job.plan, rows, form)
    if plan is None:
        return render(request, "year.html", page(request, job, typed, faults, rows, version), 422)

    def lost(race: records.LostRace) -> Response:
        theirs = show(Plan.model_validate(race.theirs.plan), rows, form)
        labels = {p: p.removeprefix("energy/").replace("/", " ") for p in paths}
        both = saving.differing(typed, theirs, labels, race)
        context = page(request, job, typed, {}, rows, race.theirs.version, theirs=both)
        return render(request, "year.html", context, 409)

    return saving.save(request, job, plan, f"/jobs/{job.record.id}/year", lost)


@router.post("/jobs/{job_id}/year/work")
def carry(request: Request, job: Opened) -> Response:
    """Carry the proposed way of working to Set."""
    job.visit.needs("planner", "supervisor")
    back = f"/jobs/{job.record.id}/year"
    row = asked(job, "best")
    if row is None or row.body is None:
        return RedirectResponse(back, 303)
    work = Work.model_validate(row.body["work"])
    plain = neutral(job.plan, job.design.inverter)
    plan = plain.model_copy(update={"energy": plain.energy.model_copy(update={"work": work})})
    changes = (
        Change("/energy/work/mode", work.mode),
        *(
            Change(f"/energy/work/{kind}/{n}", show_slot(s))
            for kind, some in (("charge", work.charge), ("discharge", work.discharge))
            for n, s in enumerate(some)
        ),
    )
    return saving.save(request, job, plan, f"/jobs/{job.record.id}/set", changes=changes)


@router.post("/jobs/{job_id}/readings")
def send(request: Request, job: Opened) -> Response:
    """Take a meter's or a weather file; what was read and repaired is shown before it is used."""
    visit = job.visit
    visit.needs("planner", "supervisor")
    file = uploaded(visit, "file")
    if file is None:
        rows = min(MOST_RATES, len(job.plan.energy.tariff.rates) + SPARE)
        fault = "choose a file: readings as CSV or ESPI XML, or weather as EPW or TMY3"
        return render(
            request,
            "year.html",
            page(request, job, None, {}, rows, job.record.version, file_fault=fault),
            422,
        )
    kind: files.FileKind = "weather" if visit.text("kind") == "weather" else "readings"
    key = send_file(
        job,
        kind,
        file.file,
        (file.filename or "file")[:120],
        visit.text("dates") != "day",
    )
    return RedirectResponse(f"/jobs/{job.record.id}/year?file={key}#files", 303)


FIELD_OF = {"readings": "load_file", "weather": "weather_file"}


@router.post("/jobs/{job_id}/readings/use")
def use(request: Request, job: Opened) -> Response:
    """Make the year from a kept file, or no more from one."""
    visit = job.visit
    visit.needs("planner", "supervisor")
    back = f"/jobs/{job.record.id}/year"
    file = files.one(visit.db, job.record.id, visit.text("digest"))
    field = FIELD_OF.get(file.kind) if file else None
    if file is None or field is None:
        return RedirectResponse(back, 303)
    plan = job.plan.model_copy(
        update={"energy": job.plan.energy.model_copy(update={field: file.digest})}
    )
    changes = (Change(f"/energy/{field}", file.name),)
    return saving.save(request, job, plan, back, changes=changes)


@router.get("/jobs/{job_id}/files/{digest}.csv")
def kept_file(job: Opened, digest: str) -> Response:
    """A kept file of readings or weather."""
    file = files.one(job.visit.db, job.record.id, digest)
    if file is None or file.kind not in FIELD_OF:
        return Response("no such file", 404)
    return Response(
        file.data,
        media_type=file.media,
        headers={"Content-Disposition": f'attachment; filename="{file.kind}-{digest[:8]}.csv"'},
    )


@router.get("/jobs/{job_id}/year-steps.csv")
def steps_csv(request: Request, job: Opened) -> Response:
    """Every quarter hour of the year as computed."""
    row = results.found(job.visit.db, job.record.id, "year", year_key(job.plan, job.shelf.document))
    if row is None or row.body is None:
        return RedirectResponse(f"/jobs/{job.record.id}/year", 303)
    steps = series(job, row)
    names = [k for k in steps if k != "outage_h"]
    cal = calendar(row.body["year"], job.plan.site.zone, job.plan.site.longitude_deg)
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(
        [
            "start_utc",
            *(
                f"{k}_{'kwh_price' if k in ('buy', 'sell') else 'wh' if k == 'stored' else 'w'}"
                for k in names
            ),
        ]
    )
    starts = np.datetime_as_string(cal.start.astype("datetime64[s]"), unit="s")
    writer.writerows(
        [f"{t}Z", *(f"{v:.6g}" for v in values)]
        for t, *values in zip(starts, *(steps[k] for k in names), strict=True)
    )
    return Response(
        out.getvalue(),
        media_type="text/csv",
        headers={"Content-Disposition": f'attachment; filename="year-{job.record.id}.csv"'},
    )
