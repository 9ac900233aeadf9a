"""The crew's torque tools, with range, serial and calibration."""

from __future__ import annotations

import re
from datetime import UTC, date, datetime
from typing import Any, get_args

from fastapi import APIRouter, Request
from fastapi.responses import RedirectResponse, Response

from gumboot.core.basis.units import NotAQuantity, parse
from gumboot.core.land import CLASSES, PER_NM, Scale
from gumboot.store import records
from gumboot.store.models import WrenchRow
from gumboot.web.pages.frame import render, twin
from gumboot.web.people.visit import Visit, Visiting

router = APIRouter()


def page(visit: Visit, typed: dict[str, str], faults: dict[str, str]) -> dict[str, Any]:
    """The list and the form under it."""
    return {
        "wrenches": records.wrenches(visit.db),
        "instruments": records.instruments(visit.db),
        "classes": {k: v[0] for k, v in CLASSES.items()},
        "scales": list(get_args(Scale)),
        "typed": typed,
        "faults": faults,
        "_visit": visit,
        "_today": datetime.now(UTC).date(),
    }


def bad_address(text: str) -> str:
    """What is wrong with the address of a recording tool; empty when nothing is, or none is
    given.
    """
    host, _, port = text.rpartition(":")
    if not text or (
        re.fullmatch(r"[A-Za-z0-9.-]{1,100}", host) and port.isdecimal() and 0 < int(port) < 65536
    ):
        return ""
    return (
        "type host and port, such as 192.168.4.1:7788; leave it empty for a tool that records"
        " nothing"
    )


@twin(router, "/wrenches", "wrenches.html")
def wrenches(request: Request, visit: Visiting) -> dict[str, Any]:
    """The crew's wrenches."""
    return page(visit, {}, {})


@router.post("/wrenches")
def add(request: Request, visit: Visiting) -> Response:
    """Add a wrench, or put a new calibration date on one of the same serial."""
    typed = {
        k: visit.text(k)
        for k in (
            "name",
            "serial",
            "least",
            "most",
            "calibrated_until",
            "class",
            "scale",
            "address",
        )
    }
    typed["class"], typed["scale"] = typed["class"] or "II-A", typed["scale"] or "N·m"
    faults = {
        k: "type its name as the crew says it" if k == "name" else "type the serial on its handle"
        for k in ("name", "serial")
        if not 0 < len(typed[k]) <= 60
    }
    values: dict[str, float] = {}
    for k in ("least", "most"):
        try:
            values[k] = parse(
                typed[k], "torque", bare=typed["scale"] if typed["scale"] in PER_NM else "N·m"
            )
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
    if typed["class"] not in CLASSES:
        faults["class"] = "choose what kind of tool it is"
    if typed["scale"] not in get_args(Scale):
        faults["scale"] = "choose the unit on its scale"
    if says := bad_address(typed["address"]):
        faults["address"] = says
    if faults:
        return render(request, "wrenches.html", page(visit, typed, faults), 422)
    there = visit.db.query(WrenchRow).filter_by(serial=typed["serial"]).first()
    if there is not None:
        visit.needs("planner", "supervisor")  # a calibration is no installer's word alone
    row = there or WrenchRow(crew_id=visit.crew_id, serial=typed["serial"])
    row.name, row.least_nm, row.most_nm, row.calibrated_until = (
        typed["name"],
        round(values["least"], 3),
        round(values["most"], 3),
        until,
    )
    row.iso_class, row.scale, row.address = typed["class"], typed["scale"], typed["address"]
    visit.db.add(row)
    visit.tells("wrench", name=row.name, serial=row.serial, until=str(until))
    visit.db.commit()
    return RedirectResponse("/wrenches", 303)
