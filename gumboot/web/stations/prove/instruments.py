"""The crew's instruments: kind, class, serial, calibration. Beside its torque tools."""

from __future__ import annotations

from datetime import UTC, date, datetime
from typing import Any

from fastapi import APIRouter, Request
from fastapi.responses import RedirectResponse, Response

from gumboot.core.prove.instrument import KINDS
from gumboot.store import records
from gumboot.store.models import InstrumentRow
from gumboot.web.pages.frame import render, twin
from gumboot.web.people.visit import Visit, Visiting

router = APIRouter()
FIELDS = ("kind", "name", "serial", "share", "plain", "calibrated_until")


def page(visit: Visit, typed: dict[str, str], faults: dict[str, str]) -> dict[str, Any]:
    """The list and the form under it."""
    return {
        "instruments": records.instruments(visit.db),
        "wrenches": records.wrenches(visit.db),
        "kinds": list(KINDS),
        "typed": typed,
        "faults": faults,
        "_visit": visit,
        "_today": datetime.now(UTC).date(),
    }


@twin(router, "/instruments", "instruments.html")
def instruments(request: Request, visit: Visiting) -> dict[str, Any]:
    """The crew's instruments."""
    return page(visit, {}, {})


@router.post("/instruments")
def add(request: Request, visit: Visiting) -> Response:
    """Add one, or put a new calibration date on one of the same serial."""
    typed = {k: visit.text(k) for k in FIELDS}
    faults = {
        k: "type its name as the crew says it" if k == "name" else "type its serial"
        for k in ("name", "serial")
        if not 0 < len(typed[k]) <= 60
    }
    if typed["kind"] not in KINDS:
        faults["kind"] = "choose what it is"
    numbers = {}
    for k, says in (("share", "per cent, such as 2"), ("plain", "a number, such as 0.03, or 0")):
        try:
            numbers[k] = float((typed[k] or "0").removesuffix("%").strip().replace(",", "."))
            if not 0 <= numbers[k] <= 50:
                faults[k] = f"type {says}"
        except ValueError:
            faults[k] = f"type {says}"
    try:
        until = date.fromisoformat(typed["calibrated_until"])
    except ValueError:
        faults["calibrated_until"], until = "type a date such as 2027-03-31", date.min
    if faults:
        return render(request, "instruments.html", page(visit, typed, faults), 422)
    there = visit.db.query(InstrumentRow).filter_by(serial=typed["serial"]).first()
    if there is not None:
        visit.needs("planner", "supervisor")  # a calibration is no installer's word alone
    row = there or InstrumentRow(crew_id=visit.crew_id, serial=typed["serial"])
    row.kind, row.name, row.calibrated_until = typed["kind"], typed["name"], until
    row.share, row.plain = numbers["share"] / 100, numbers["plain"]
    visit.db.add(row)
    visit.tells("instrument", name=row.name, serial=row.serial, until=str(until))
    visit.db.commit()
    return RedirectResponse("/instruments", 303)
