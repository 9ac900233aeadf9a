"""Readings that a tool recorded, from its file or over the network, matched to terminations and
kept.
Part of the Land station.
"""

from __future__ import annotations

import json
import uuid
from datetime import UTC, datetime
from typing import Any

from fastapi import APIRouter, Request
from fastapi.responses import RedirectResponse, Response
from pydantic import Field, TypeAdapter, ValidationError

from gumboot.core.land import Termination, illegal
from gumboot.core.land.entering import Entered, Refused, day_of, entry_body
from gumboot.core.land.matching import Match, Recorded, match
from gumboot.devices.wrench_client import WrenchFault, recorded, set_target
from gumboot.imports.interval import Unreadable
from gumboot.imports.torque_csv import read_torque_csv
from gumboot.store import records
from gumboot.store.records import now
from gumboot.web.field.entry import Texts
from gumboot.web.job.opening import Opened, OpenJob, today
from gumboot.web.pages.frame import render, twin
from gumboot.web.people.visit import uploaded

router = APIRouter()


class Row(Texts):
    """One recorded reading as the form carries it."""

    n: int = Field(ge=0, le=2**31)
    torque_nm: float = Field(gt=0, le=1000)
    typed: str = Field(max_length=60)
    at: str = Field("", max_length=40)
    serial: str = Field("", max_length=60)
    label: str = Field("", max_length=300)


ROWS = TypeAdapter(list[Row])


def own_uuid(job: OpenJob, r: Recorded) -> str:
    """One UUID for one recorded reading, so that taking it in twice keeps it once."""
    return str(
        uuid.uuid5(
            uuid.NAMESPACE_OID, f"{job.record.uid} {r.serial} {r.n} {r.at} {r.label} {r.torque_nm}"
        )
    )


def open_terminations(job: OpenJob) -> list[Termination]:
    """Terminations with a torque that have no good reading yet, in landing order."""
    return [t for t in job.design.terminations if t.torque and job.state_of(t).verdict != "good"]


def fresh(job: OpenJob, readings: list[Recorded]) -> list[Recorded]:
    """Those not kept before."""
    return [
        r for r in readings if records.entry_of(job.visit.db, job.record, own_uuid(job, r)) is None
    ]


def asked(m: Match, t: Termination | None, termination: str, fault: str) -> dict[str, Any]:
    """One reading as a row: the termination it is taken for, or the guess that a person is asked
    about.
    """
    r = m.reading
    return {
        "n": r.n,
        "torque_nm": r.torque_nm,
        "typed": r.typed,
        "at": r.at,
        "serial": r.serial,
        "label": r.label,
        "termination": termination,
        "guess": m.key,
        "guess_label": (t.label or t.terminal) if t else "",
        "sure": m.sure,
        "why": m.why,
        "fault": fault,
    }


def page(
    job: OpenJob,
    rows: list[Match] | None = None,
    source: str = "",
    fault: str = "",
    chosen: dict[int, str] | None = None,
    faults: dict[int, str] | None = None,
    bad: tuple[tuple[int, str], ...] = (),
    note: str = "",
) -> dict[str, Any]:
    """What the page shows: where readings come from, and, once some came, each with the termination
    it is
    taken for.
    """
    rows, chosen, faults = rows or [], chosen or {}, faults or {}
    serials = {w.serial: w.id for w in job.wrenches}
    return {
        **job.head("land"),
        "tab": "land/log",
        "source": source,
        "fault": fault,
        "bad": [list(b) for b in bad],
        "note": note,
        "rows": [
            asked(
                m,
                job.termination(m.key or ""),
                chosen.get(i, (m.key or "") if m.sure else ""),
                faults.get(i, ""),
            )
            for i, m in enumerate(rows)
        ],
        "doubts": sum(not m.sure for m in rows),
        "wrench": next(
            (serials[m.reading.serial] for m in rows if m.reading.serial in serials), ""
        ),
        "terminations": [
            {"key": t.key, "number": t.number, "label": t.label or f"{t.place}, {t.terminal}"}
            for t in job.design.terminations
            if t.torque
        ],
        "tools": [
            {"id": w.id, "name": w.name, "serial": w.serial, "address": w.address}
            for w in job.wrenches
        ],
        "_rows": json.dumps([{k: getattr(m.reading, k) for k in Row.model_fields} for m in rows]),
    }


@twin(router, "/jobs/{job_id}/land/readings", "land_readings.html")
def readings(request: Request, job: Opened) -> dict[str, Any]:
    """Where readings come from."""
    return page(job)


@router.post("/jobs/{job_id}/land/readings")
def from_file(request: Request, job: Opened) -> Response:
    """Read the CSV of a recording wrench and match it; nothing is kept yet."""
    job.visit.needs("installer", "supervisor")
    file = uploaded(job.visit, "file")
    if file is None:
        return render(request, "land_readings.html", page(job, fault="choose the file first"), 422)
    try:
        rows, report = read_torque_csv(file.file.read())
    except Unreadable as exc:
        return render(request, "land_readings.html", page(job, fault=str(exc)), 422)
    found, new = ", ".join(f"{k} in “{v}”" for k, v in report.columns.items()), fresh(job, rows)
    return render(
        request,
        "land_readings.html",
        page(
            job,
            match(new, open_terminations(job)),
            "file",
            bad=report.bad,
            note=f"{len(rows)} readings, {len(rows) - len(new)} of them kept before; {found}.",
        ),
    )


@router.post("/jobs/{job_id}/land/readings/ask")
def from_wrench(request: Request, job: Opened) -> Response:
    """Ask a recording wrench for its readings and match them; or set it for a termination. Nothing
    is
    kept yet.
    """
    visit = job.visit
    visit.needs("installer", "supervisor")
    networks = request.app.state.config.device_networks
    w = next((w for w in job.wrenches if w.id == visit.text("wrench") and w.address), None)
    if w is None:
        return render(
            request,
            "land_readings.html",
            page(job, fault="choose a wrench that records: its address is under Wrenches"),
            422,
        )
    try:
        if target := job.termination(visit.text("set_for")):
            if target.torque:
                set_target(
                    w.address, networks, round(target.torque.n, 3), target.label or target.key
                )
            return render(
                request,
                "land_readings.html",
                page(
                    job,
                    note=(
                        f"{w.name} is set to {target.torque.text if target.torque else ''} for"
                        f" {target.label or target.terminal}."
                    ),
                ),
            )
        rows = recorded(w.address, networks)
    except WrenchFault as exc:
        return render(request, "land_readings.html", page(job, fault=str(exc)), 502)
    new = fresh(job, rows)
    return render(
        request,
        "land_readings.html",
        page(
            job,
            match(new, open_terminations(job)),
            "wrench",
            note=f"{w.name} has {len(rows)} readings, {len(new)} of them new.",
        ),
    )


@router.post("/jobs/{job_id}/land/readings/keep")
def keep_all(request: Request, job: Opened) -> Response:
    """Keep every reading that has a termination; those left out stay with the tool. All or none: a
    fault
    keeps nothing.
    """
    visit, db = job.visit, job.visit.db
    visit.needs("installer", "supervisor")
    source = "wrench" if visit.text("source") == "wrench" else "file"
    try:
        rows = [Recorded(**r.model_dump()) for r in ROWS.validate_json(visit.text("rows") or "[]")]
    except ValidationError:
        return render(
            request,
            "land_readings.html",
            page(job, fault="the readings did not come whole: send the file again"),
            422,
        )
    chosen = {i: visit.text(f"termination.{i}") for i in range(len(rows))}
    wrench = next((w for w in job.wrenches if w.id == visit.text("wrench")), None)
    matches = match(rows, open_terminations(job))
    faults: dict[int, str] = {}
    kept = 0
    for i, r in enumerate(rows):
        t = job.termination(chosen[i]) if chosen[i] not in ("", "out") else None
        if chosen[i] == "out" or not fresh(job, [r]):
            continue
        if t is None:
            faults[i] = "choose the termination it is of, or leave it out"
            continue
        try:
            if visit.text("landed"):
                before_turn(job, t)
            entered = Entered(
                t.key, t.label, "torqued", typed=r.typed, seen=job.state.seq, source=source
            )
            kind, body = entry_body(
                entered,
                t,
                job.state_of(t),
                wrench,
                day_of(r.at, datetime.now(UTC)),
                others_since=False,
            )
            records.append(
                db, job.record, kind, body, visit.who, visit.role, r.at or now(), own_uuid(job, r)
            )
            job.state = records.state(db, job.record)
            kept += 1
        except Refused as exc:
            faults[i] = str(exc)
    if faults:
        db.rollback()
        return render(
            request,
            "land_readings.html",
            page(job.anew(), matches, source, "Nothing is kept yet.", chosen, faults),
            422,
        )
    db.commit()
    return RedirectResponse(f"/jobs/{job.record.id}/land/log", 303)


def before_turn(job: OpenJob, t: Termination) -> None:
    """Log the states before the torque that a termination still lacks: whoever keeps the readings
    has
    said that they were done.
    """
    for state in t.chain[job.state_of(t).at : t.chain.index("torqued")]:
        kind, body = entry_body(
            Entered(
                t.key, t.label, state, note="said with the recorded readings", seen=job.state.seq
            ),
            t,
            job.state_of(t),
            None,
            today(),
            others_since=False,
        )
        if not illegal(job.state_of(t), state):
            records.append(
                job.visit.db,
                job.record,
                kind,
                body,
                job.visit.who,
                job.visit.role,
                now(),
                str(uuid.uuid4()),
            )
            job.state = records.state(job.visit.db, job.record)
