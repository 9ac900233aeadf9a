"""Hand over: what came against what should have come, serial numbers and firmware, and the lists
that makers register by.
"""

from __future__ import annotations

import re
import uuid
from dataclasses import dataclass
from typing import Any, get_args

from fastapi import APIRouter, Request
from fastapi.responses import JSONResponse, RedirectResponse, Response

from gumboot.core.hand_over.devices import Device, devices, doubles
from gumboot.core.hand_over.serials import NoSerial, serial_of
from gumboot.core.hand_over.words import Came
from gumboot.exports.materials import as_csv
from gumboot.imports.interval import Unreadable
from gumboot.imports.photo import MEDIA, read_photo
from gumboot.store import files, records
from gumboot.web.job.opening import Opened, OpenJob
from gumboot.web.pages.frame import render, twin
from gumboot.web.people.defaults import contact_of
from gumboot.web.people.visit import uploaded
from gumboot.web.stations.size.bill import lines

router = APIRouter()
CAME: tuple[str, ...] = get_args(Came)
NUMBERS = ("serial", "firmware_found", "firmware_left", "kit", "note")
HEAD = ("maker", "model", "serial", "firmware", "place", "installed", "site", "address", "crew")


@dataclass(frozen=True, slots=True)
class Item:
    """One line of the bill that had to be got: key in the log and on the page; how much is wanted,
    in its unit.
    """

    key: str
    group: str
    label: str
    wanted: str


def items(job: OpenJob) -> list[Item]:
    """What should have come: the bill, less what the crew had in stock."""
    return [
        Item(
            re.sub(r"[^a-z0-9]+", "_", f"{r['group']} {r['what']}".lower())[:80],
            r["group"],
            r["what"],
            f"{r['to_get']:g} {r['unit']}".strip(),
        )
        for r in lines(job)
        if r["to_get"] > 0
    ]


def noted(job: OpenJob, x: Device) -> dict[str, str]:
    """What stands in the record of a device."""
    e = job.state.last.get("serial", {}).get(x.key)
    return {k: e.body[k] if e else "" for k in NUMBERS}


def arrived(job: OpenJob, key: str) -> dict[str, str]:
    """What stands in the record of a line of the delivery."""
    e = job.state.last.get("delivery", {}).get(key)
    fields = ("came", "count", "note", "digest")
    return {k: e.body[k] if e else "" for k in fields} | {"who": e.who if e else ""}


def page(
    job: OpenJob, typed: dict[str, str] | None = None, faults: dict[str, str] | None = None
) -> dict[str, Any]:
    """What the page shows; what was typed stands before what is kept."""
    said = typed or {}

    def field(name: str, kept: str) -> str:
        return said.get(name, kept)

    return {
        **job.head("hand-over"),
        "tab": "delivery",
        "items": [
            {
                "key": x.key,
                "group": x.group,
                "label": x.label,
                "wanted": x.wanted,
                **(row := arrived(job, x.key)),
                **{k: field(f"{k}-{x.key}", row[k]) for k in ("came", "count", "note")},
            }
            for x in items(job)
        ],
        "devices": [
            {
                "key": x.key,
                "label": x.label,
                "maker": x.maker,
                "model": x.model,
                "firm": x.firmware,
                **{k: field(f"{k}-{x.key}", v) for k, v in noted(job, x).items()},
            }
            for x in devices(job.design)
        ],
        "makers": sorted({x.maker for x in devices(job.design)}),
        "came": CAME,
        "rest_wrong": any(k.startswith("came-") and "kit_" not in k for k in faults or {}),
        "faults": faults or {},
        "_may": job.visit.role != "planner" and job.state.signed is None,
    }


@twin(router, "/jobs/{job_id}/delivery", "delivery.html")
def show(request: Request, job: Opened) -> dict[str, Any]:
    """The page."""
    return page(job)


@router.post("/jobs/{job_id}/delivery")
def keep(request: Request, job: Opened) -> Response:
    """Keep what came and what the plates say; what cannot be read stays typed, the rest is kept."""
    visit = job.visit
    visit.needs("installer", "supervisor")
    typed = {k: visit.text(k)[:200] for k in visit.form if "-" in k}
    if job.state.signed:
        again = {**page(job, typed), "_frozen": True}
        return render(request, "delivery.html", again, 409)
    faults: dict[str, str] = {}
    at = visit.text("at_device")[:40]
    for x in items(job):
        if fault := _came(job, x.key, x.label, x.wanted, typed, at):
            faults[f"came-{x.key}"] = fault
    serials: dict[str, str] = {}
    for d in devices(job.design):
        try:
            text = typed.get(f"serial-{d.key}", noted(job, d)["serial"])
            serials[d.key] = serial_of(text) if text else ""
        except NoSerial as exc:
            faults[f"serial-{d.key}"] = str(exc)
    labels = {d.key: d.label for d in devices(job.design)}
    for keys in doubles(list(serials.items())).values():
        for k in keys:
            other = next(labels[o] for o in keys if o != k)
            faults[f"serial-{k}"] = f"{other} has the same number: scan both plates again"
    for d in devices(job.design):
        if f"serial-{d.key}" not in faults and f"serial-{d.key}" in typed:
            _note(job, d, serials[d.key], typed, at)
    visit.db.commit()
    if faults:
        left = {k: v for k, v in typed.items() if k in faults or k.partition("-")[2] in _of(faults)}
        return render(request, "delivery.html", page(job.anew(), left, faults), 422)
    return RedirectResponse(f"/jobs/{job.record.id}/delivery", 303)


def _of(faults: dict[str, str]) -> set[str]:
    return {k.partition("-")[2] for k in faults}


def _came(job: OpenJob, key: str, label: str, wanted: str, typed: dict[str, str], at: str) -> str:
    """Keep one line of the delivery, if it changed; returns what is wrong with it."""
    before = arrived(job, key)
    now = {k: typed.get(f"{k}-{key}", before[k]) for k in ("came", "count", "note")}
    sent = uploaded(job.visit, f"photo-{key}")
    if sent is None and now == {k: before[k] for k in now}:
        return ""
    if now["came"] not in CAME:
        return "choose how it came" if any(now.values()) or sent else ""
    if now["count"] and not re.fullmatch(r"\d{1,5}([.,]\d)?( ?(m|ft))?", now["count"]):
        return f"type how much came, such as {wanted}"
    if now["came"] in ("missing", "damaged", "another") and not now["note"]:
        return "type what is missing, damaged or other"
    digest = before["digest"]
    if sent is not None:
        try:
            read = read_photo(sent.file.read())
        except Unreadable as exc:
            return str(exc)
        about = {"width": read.width, "height": read.height, "taken": read.taken}
        visit, number = job.visit, job.record.id
        name = (sent.filename or "delivery.jpg")[:120]
        digest = files.keep(
            visit.db, number, "photo", name, MEDIA, read.data, about, visit.who, read.small
        )
        photo = {"digest": digest, "what": "delivery", "note": f"{label}: {now['note']}"[:200]}
        own = str(uuid.uuid4())
        records.append(visit.db, job.record, "photo", photo, visit.who, visit.role, at, own)
    body = {"item": key, "label": label, "wanted": wanted, "digest": digest, **now}
    visit = job.visit
    records.append(visit.db, job.record, "delivery", body, visit.who, visit.role, at)
    return ""


def _note(job: OpenJob, d: Device, serial: str, typed: dict[str, str], at: str) -> None:
    """Keep what a plate and a display say, if it changed."""
    before, visit = noted(job, d), job.visit
    now = {k: typed.get(f"{k}-{d.key}", before[k]) for k in NUMBERS} | {"serial": serial}
    if now == before:
        return
    source = "camera" if typed.get(f"source-{d.key}") == "camera" else "typed"
    body = {"device": d.key, "label": d.label, "source": source, **now}
    records.append(visit.db, job.record, "serial", body, visit.who, visit.role, at)


@router.get("/jobs/{job_id}/serial.json")
def read_serial(request: Request, job: Opened) -> Response:
    """The serial number in what a camera read, or what is wrong with it."""
    try:
        return JSONResponse({"serial": serial_of(request.query_params.get("text", "")[:400])})
    except NoSerial as exc:
        return JSONResponse({"error": "no serial", "message": str(exc)}, 422)


@router.get("/jobs/{job_id}/serials.csv")
def registration(request: Request, job: Opened) -> Response:
    """The list that a maker registers by, as CSV (RFC 4180): ?maker=, or of all."""
    maker = request.query_params.get("maker", "")
    signed = job.state.signed
    day, site = (signed.at_server[:10] if signed else ""), job.plan.site
    rows = []
    for x in devices(job.design):
        if maker and x.maker != maker:
            continue
        n = noted(job, x)
        model = n["kit"] or x.model
        firmware = n["firmware_left"] or n["firmware_found"]
        about = (x.label, day, site.name, site.address, contact_of(job.visit).crew)
        rows.append((x.maker, model, n["serial"], firmware, *about))
    name = {"Content-Disposition": f'attachment; filename="serials-{job.record.id}.csv"'}
    return Response(as_csv(HEAD, rows), media_type="text/csv; charset=utf-8", headers=name)
