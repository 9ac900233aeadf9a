"""Set, read back: what the unit holds over its own wire, against what was planned and keyed, line
by line; lines written where that is allowed, each read back.
"""

from __future__ import annotations

from typing import Any

from fastapi import APIRouter, Request
from fastapi.responses import JSONResponse, RedirectResponse, Response
from sqlalchemy import text

from gumboot.core.journal.entry import Entry
from gumboot.core.kit import MenuItem
from gumboot.core.kit.dbc import BadDbc
from gumboot.core.plan.kit import CONTROLLERS
from gumboot.core.set.allowed import NAMES, beside
from gumboot.core.set.difference import Line, differences
from gumboot.devices import menu_client
from gumboot.devices.networks import DeviceFault
from gumboot.store import records
from gumboot.web.job import walking
from gumboot.web.job.opening import Opened, OpenJob
from gumboot.web.pages.frame import render, twin
from gumboot.web.stations.link.bms import bank_of, hear_bank
from gumboot.web.stations.set.keying import setting_of, steps_of
from gumboot.web.stations.set.profile import strays
from gumboot.web.stations.set.settings import shown, unit_of, units_of

router = APIRouter()
AFTER = {
    "keying": "after keying",
    "power-cycle": "after a power-cycle",
    "visit": "at a later visit",
}
OURS = 0x5E7  # the lock of reading and writing, one at a time a job


def readings(job: OpenJob, unit_no: int) -> list[Entry]:
    """What was read of a unit, oldest first."""
    rows = (e for e in job.state.readbacks if e.body["after"] != "limits")
    return [e for e in rows if e.body["unit"] == unit_no]


def limits_of(job: OpenJob, unit_no: int) -> dict[str, Any] | None:
    """What the BMS allowed when it was last heard, beside what is set; None before that, and for a
    unit whose bank is not the one that is heard.
    """
    e = next((e for e in reversed(job.state.readbacks) if e.body["after"] == "limits"), None)
    if e is None or unit_no not in on_bank(job):
        return None
    menus = [job.design.menu(n) for n in on_bank(job)]
    rows = beside(job.design.menu(unit_no), e.body["values"], menus)
    return {"who": e.who, "at": e.at_server, "rows": rows, "names": NAMES}


def on_bank(job: OpenJob) -> list[int]:
    """The units, from 1, on the bank that is heard: the first one's."""
    one = job.plan.kit.banks == "one for all"
    return list(range(1, job.plan.kit.inverters + 1)) if one else [1]


def inverter_of(job: OpenJob, text: str) -> int:
    """The inverter that is read, from 1: charge controllers are keyed by hand."""
    n = unit_of(job, text)
    return n if n < CONTROLLERS else 1


def lines_of(job: OpenJob, unit_no: int) -> list[Line]:
    """The difference by the last reading; nothing before the first."""
    rows, unit = readings(job, unit_no), job.design.inverter
    if not rows or unit is None:
        return []
    before: dict[str, float | str] = {}
    for e in rows[:-1]:
        before |= e.body["values"]
    last = rows[-1].body
    return differences(unit.menu, job.design.menu(unit_no), last["values"], last["lacking"], before)


def explained(job: OpenJob, unit_no: int, line: Line) -> Entry | None:
    """The entry that explains what a line holds, if it still holds that."""
    e = job.state.steps.get(key_of(unit_no, line))
    return e if e is not None and e.body["verdict"] == "declined" else None


def key_of(unit_no: int, line: Line) -> str:
    """The key under which what a line holds is explained."""
    return f"read.{unit_no}.{line.setting.id}={holds(line)}, planned {line.setting.display}"


def holds(line: Line) -> str:
    """What a line holds, as text."""
    return "" if line.read is None else shown(line.read)


def unsettled(job: OpenJob) -> int:
    """How many lines hold another value than planned, and nobody has explained it."""
    units = range(1, job.plan.kit.inverters + 1)
    lines = sum(
        x.verdict == "other" and explained(job, n, x) is None
        for n in units
        for x in lines_of(job, n)
    )
    return lines + sum(strays(job, n) for n in units)


def on_display(item: MenuItem, value: float | str) -> str:
    """A value as the display shows it, with its unit; a figure between two steps whole."""
    if isinstance(value, str):
        return item.display(value)
    text = item.display(value)
    return f"{text if float(text) == value else shown(value)} {item.unit}".strip()


def line_data(
    job: OpenJob, unit_no: int, item: MenuItem, x: Line, keyed: dict[str, str]
) -> dict[str, Any]:
    """One line for the page."""
    s, e = x.setting, explained(job, unit_no, x)
    return {
        "id": s.id,
        "number": s.number,
        "label": s.label,
        "planned": on_display(item, s.value),
        "planned_is": s.value if isinstance(s.value, str) and s.display != s.value else "",
        "keyed": keyed.get(s.id, ""),
        "read": on_display(item, x.read) if x.read is not None else "",
        "read_is": x.read if isinstance(x.read, str) and item.display(x.read) != x.read else "",
        "verdict": x.verdict,
        "lacking": x.lacking,
        "before": on_display(item, x.before) if x.before is not None else "",
        "profile": s.profile,
        "why": e.body["note"] if e else "",
        "who": e.who if e else "",
    }


def keyed_by_hand(job: OpenJob, unit_no: int) -> dict[str, str]:
    """What the log says was keyed of each line."""
    out = {}
    for step in steps_of(job.design):
        own = setting_of(job.design, step)
        e = walking.last(job, step) if own and step.key.startswith(f"key.{unit_no}.") else None
        if own and e and e.body["verdict"] in ("done", "outside"):
            out[own.id] = e.body["typed"]
    return out


def writable(job: OpenJob, lines: list[Line]) -> list[tuple[MenuItem, float | str]]:
    """Lines that differ and may be written, with what is planned: never the grid profile."""
    items = {m.id: m for m in job.design.inverter.menu} if job.design.inverter else {}
    return [
        (items[x.setting.id], x.setting.value)
        for x in lines
        if x.verdict == "other" and items[x.setting.id].writes and not x.setting.profile
    ]


def page(job: OpenJob, unit_no: int, fault: str = "", writes: bool = False) -> dict[str, Any]:
    """What the page shows."""
    rows, lines = readings(job, unit_no), lines_of(job, unit_no)
    unit = job.design.inverter
    keyed = keyed_by_hand(job, unit_no)
    items = {m.id: m for m in unit.menu} if unit else {}
    data = [line_data(job, unit_no, items[x.setting.id], x, keyed) for x in lines]
    order = {"other": 0, "not read": 1, "rounded": 2, "same": 3}
    last = rows[-1] if rows else None
    return {
        **job.head("set"),
        "tab": "set/read",
        "unit_no": unit_no,
        "units": [u for u in units_of(job) if u["n"] < CONTROLLERS],
        "at": job.plan.linking.unit_at,
        "asks": bool(unit and any(m.readable for m in unit.menu)),
        "lines": sorted(data, key=lambda x: order[x["verdict"]]),
        "counts": {k: sum(x["verdict"] == k for x in data) for k in order},
        "changed": sum(bool(x["before"]) for x in data),
        "last": {
            "who": last.who,
            "at": last.at_server,
            "after": AFTER.get(last.body["after"], ""),
            "note": last.body["note"],
        }
        if last
        else None,
        "past": len(rows),
        "limits": limits_of(job, unit_no),
        "hears": bool(job.plan.linking.bms_at and bank_of(job) and unit_no in on_bank(job)),
        "afters": AFTER,
        "fault": fault,
        "writes": [
            {"id": m.id, "number": m.number, "label": m.label, "value": m.display(v)}
            for m, v in (writable(job, lines) if writes else ())
        ],
    }


def alone(job: OpenJob) -> bool:
    """Whether nobody else reads or writes the units of this job now; held until the answer."""
    found = job.visit.db.execute(
        text("select pg_try_advisory_xact_lock(:ours, :job)"), {"ours": OURS, "job": job.record.id}
    )
    return bool(found.scalar())


ISLAND = (
    "Read while it made its own voltage: lines of the grid may show another value than with the"
    " grid on."
)
BUSY = "Somebody else reads or writes this unit now: one at a time. Ask again in a moment."


def may_write(request: Request, job: OpenJob) -> bool:
    """Whether lines may be written here, by this person."""
    allowed = bool(request.app.state.config.device_writes)
    mine = job.visit.role in ("planner", "supervisor")
    return allowed and mine and job.state.signed is None


@twin(router, "/jobs/{job_id}/set/read", "set_read.html")
def read(request: Request, job: Opened) -> dict[str, Any]:
    """The page."""
    unit_no = inverter_of(job, request.query_params.get("unit", ""))
    return page(job, unit_no, writes=may_write(request, job))


@router.post("/jobs/{job_id}/set/read")
def ask(request: Request, job: Opened) -> Response:
    """Read the unit's menu over its wire, and keep what it holds."""
    visit = job.visit
    unit_no, after = inverter_of(job, visit.text("unit")), visit.text("after")
    unit = job.design.inverter
    fault, status = "", 422
    if unit is None or not job.plan.linking.unit_at:
        fault = "No unit is asked here: its host and port stand under Link, Network."
    elif after not in AFTER:
        fault = "Choose when this reading is made."
    elif job.state.signed:
        fault = "The job is signed: a supervisor can reopen it at Hand over."
    elif not alone(job):
        fault = BUSY
    else:
        networks = request.app.state.config.device_networks
        try:
            found = menu_client.read_menu(job.plan.linking, unit, unit_no, networks)
        except DeviceFault as exc:
            fault, status = f"{str(exc)[:1].upper()}{str(exc)[1:]}.", 502
        else:
            note = ISLAND if found.island else ""
            keep(job, unit_no, after, found.values, found.lacking, note)
            visit.db.commit()
            return RedirectResponse(f"/jobs/{job.record.id}/set/read?unit={unit_no}", 303)
    shows = page(job, unit_no, fault, may_write(request, job))
    if request.headers.get("accept", "").startswith("application/json"):
        return JSONResponse({"error": "not read", "message": fault}, status)
    return render(request, "set_read.html", shows, status)


def keep(
    job: OpenJob,
    unit_no: int,
    after: str,
    values: dict[str, float | str],
    lacking: dict[str, str],
    note: str = "",
) -> None:
    """Keep a reading in the log."""
    label = f"Inverter {unit_no}" if job.plan.kit.inverters > 1 else "Inverter"
    body = {
        **{"label": label, "unit": unit_no, "after": after},
        **{"values": values, "lacking": lacking, "note": note},
    }
    visit = job.visit
    records.append(
        visit.db, job.record, "readback", body, visit.who, visit.role, visit.text("at_device")[:40]
    )


@router.post("/jobs/{job_id}/set/limits")
def limits(request: Request, job: Opened) -> Response:
    """Hear what the battery's own BMS allows now, and keep it."""
    visit = job.visit
    unit_no, bank, pack = inverter_of(job, visit.text("unit")), bank_of(job), job.design.pack
    networks = request.app.state.config.device_networks
    fault = ""
    if bank is None or pack is None or not job.plan.linking.bms_at:
        fault = "The packs are not heard here: the adapter's host and port stand under Link."
    elif job.state.signed:
        fault = "The job is signed: a supervisor can reopen it at Hand over."
    else:
        try:
            found, _ = hear_bank(job, bank, pack, networks)
            said = {k: float(v) for k, (v, _) in found.bank.items() if not isinstance(v, str)}
            fault = "" if said else "Nothing of the bank's limits was heard on the bus."
        except (DeviceFault, BadDbc) as exc:
            fault = f"{str(exc)[:1].upper()}{str(exc)[1:]}."
    if fault:
        return render(request, "set_read.html", page(job, unit_no, fault), 422)
    keep(job, unit_no, "limits", dict(said), {})
    visit.db.commit()
    return RedirectResponse(f"/jobs/{job.record.id}/set/read?unit={unit_no}#limits", 303)


@router.post("/jobs/{job_id}/set/explain")
def explain(request: Request, job: Opened) -> Response:
    """Explain what a line holds, with a reason."""
    visit = job.visit
    unit_no, id, why = inverter_of(job, visit.text("unit")), visit.text("line"), visit.text("note")
    line = next((x for x in lines_of(job, unit_no) if x.setting.id == id), None)
    if line is None or job.state.signed:
        return RedirectResponse(f"/jobs/{job.record.id}/set/read?unit={unit_no}", 303)
    if not why:
        fault = f"{line.setting.label}: type why it holds {holds(line)}."
        return render(request, "set_read.html", page(job, unit_no, fault), 422)
    s = line.setting
    body = {
        **{"step": key_of(unit_no, line), "label": f"{s.number} {s.label}".strip(), "typed": ""},
        **{"value": None, "unit": s.unit, "expected": s.display, "verdict": "declined"},
        **{"why": "", "tool": "", "note": why[:500]},
    }
    records.append(
        visit.db, job.record, "set", body, visit.who, visit.role, visit.text("at_device")[:40]
    )
    visit.db.commit()
    return RedirectResponse(f"/jobs/{job.record.id}/set/read?unit={unit_no}", 303)


@router.post("/jobs/{job_id}/set/write")
def write(request: Request, job: Opened) -> Response:
    """Write the lines that differ, as they were shown; stop at the first that does not take."""
    visit = job.visit
    visit.needs("planner", "supervisor")
    unit_no, unit = inverter_of(job, visit.text("unit")), job.design.inverter
    if not may_write(request, job) or unit is None:
        fault = "Writing is off here (GUMBOOT_DEVICE_WRITES), or the job is signed."
        return render(request, "set_read.html", page(job, unit_no, fault), 403)
    wanted = writable(job, lines_of(job, unit_no))
    seen = visit.text("lines").split()
    if [f"{m.id}={m.display(v)}".replace(" ", "_") for m, v in wanted] != seen:
        fault = "What differs is another by now: look again, then write."
        return render(request, "set_read.html", page(job, unit_no, fault, True), 409)
    if not alone(job):
        return render(request, "set_read.html", page(job, unit_no, BUSY, True), 409)
    networks = request.app.state.config.device_networks
    try:
        took, stopped = menu_client.write_lines(job.plan.linking, unit, unit_no, wanted, networks)
    except DeviceFault as exc:
        fault = f"{str(exc)[:1].upper()}{str(exc)[1:]}. Nothing was written."
        return render(request, "set_read.html", page(job, unit_no, fault, True), 502)
    try:
        found = menu_client.read_menu(job.plan.linking, unit, unit_no, networks)
    except DeviceFault as exc:  # what took is kept all the same
        silent = [m.id for m in unit.menu if m.readable and m.id not in dict(took)]
        found = menu_client.Read(dict(took), dict.fromkeys(silent, str(exc)))
    label = {m.id: m.label for m in unit.menu}
    note = f"written: {', '.join(label[id] for id, _ in took) or 'nothing'}"
    if stopped:
        note += f"; stopped at {label[stopped[0]]}: {stopped[1]}"
    keep(job, unit_no, "writing", found.values, found.lacking, note)
    visit.db.commit()
    if stopped:
        rest = len(wanted) - len(took) - 1
        fault = (
            f"{len(took)} of {len(wanted)} lines took. It stopped at {label[stopped[0]]}:"
            f" {stopped[1]}. {rest} after it were not written."
        )
        return render(request, "set_read.html", page(job.anew(), unit_no, fault, True), 502)
    return RedirectResponse(f"/jobs/{job.record.id}/set/read?unit={unit_no}", 303)
