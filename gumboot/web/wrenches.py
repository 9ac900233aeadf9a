"""The crew's torque tools, with range, serial and calibration."""

from __future__ import annotations

from datetime import UTC, date, datetime
from typing import Any

from fastapi import APIRouter, Request
from fastapi.responses import RedirectResponse, Response

from gumboot.core.units import NotAQuantity, parse
from gumboot.store import records
from gumboot.store.models import WrenchRow
from gumboot.web.frame import render, twin
from gumboot.web.sign_in import Visit, Visiting

router = APIRouter()


def page(visit: Visit, typed: dict[str, str], faults: dict[str, str]) -> dict[str, Any]:
    """The list and the form under it."""
    return {"wrenches": records.wrenches(visit.db), "typed": typed, "faults": faults, "_visit": visit, "_today": datetime.now(UTC).date()}


@twin(router, "/wrenches", "wrenches.html")
def wrenches(request: Request, visit: Visiting) -> dict[str, Any]:
    """The crew's wrenches."""
    return page(visit, {}, {})


@router.post("/wrenches")
def add(request: Request, visit: Visiting) -> Response:
    """Add a wrench, or put a new calibration date on one of the same serial."""
    typed = {k: visit.text(k) for k in ("name", "serial", "least", "most", "calibrated_until")}
    faults = {
        k: "type its name as the crew says it" if k == "name" else "type the serial on its handle"
        for k in ("name", "serial")
        if not 0 < len(typed[k]) <= 60
    }
    values: dict[str, float] = {}
    for k in ("least", "most"):
        try:
            values[k] = parse(typed[k], "torque", "si")
            if not 0 < values[k] <= 1000:
                faults[k] = "type a torque of more than 0 and at most 1000 N·m"
        except NotAQuantity as exc:
            faults[k] = str(exc)
    if not faults and values["least"] >= values["most"]:
        faults["least"] = "must be below the top of the scale"
    try:
        until = date.fromisoformat(typed["calibrated_until"])
    except ValueError:
        faults["calibrated_until"], until = "type a date such as 2027-03-31", date.min
    if faults:
        return render(request, "wrenches.html", page(visit, typed, faults), 422)
    row = visit.db.query(WrenchRow).filter_by(serial=typed["serial"]).first() or WrenchRow(crew_id=visit.crew_id, serial=typed["serial"])
    row.name, row.least_nm, row.most_nm, row.calibrated_until = typed["name"], round(values["least"], 3), round(values["most"], 3), until
    visit.db.add(row)
    visit.db.commit()
    return RedirectResponse("/wrenches", 303)
