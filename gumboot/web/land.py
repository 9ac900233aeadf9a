"""Land: the terminations in landing order, one big step at a time; each reading judged and kept for ever."""

from __future__ import annotations

import re
import uuid
from datetime import UTC, datetime
from typing import Any
from urllib.parse import quote

from fastapi import APIRouter, Request
from fastapi.responses import RedirectResponse, Response

from gumboot.core.findings import Level
from gumboot.core.terminations import Termination, Verdict, Wrench, best_wrench, judge, tolerance
from gumboot.core.units import NotAQuantity, parse, torque_unit
from gumboot.drawings.terminal_block import terminal_block
from gumboot.store import records
from gumboot.web.frame import drawn, render, twin
from gumboot.web.ticket import Opened, Ticket

router = APIRouter()
DONE: tuple[Verdict, ...] = ("good", "done")


def next_open(at: Ticket, after: int = 0) -> Termination | None:
    """The next termination not yet good, from a number on, then from the start."""
    todo = [t for t in at.design.terminations if at.standing.verdicts.get(t.key) not in DONE]
    return next((t for t in todo if t.number > after), todo[0] if todo else None)


def page(at: Ticket, key: str, typed: dict[str, str] | None = None, faults: dict[str, str] | None = None) -> dict[str, Any]:
    """What the page shows, standing at one termination."""
    d = at.design
    here = next((t for t in d.terminations if t.key == key), None) or next_open(at) or (d.terminations[-1] if d.terminations else None)
    wrenches = records.wrenches(at.visit.db)
    today = datetime.now(UTC).date()
    tools = {t.key: best_wrench(t.torque.n, wrenches, today) for t in d.terminations if t.torque}
    rows = [
        {
            "key": t.key, "number": t.number, "stage": t.stage, "place": t.place, "terminal": t.terminal, "conductor": t.conductor, "size": t.size, "cable": t.cable, "end": t.end, "die": t.die,
            "strip_mm": t.strip_mm, "bit": t.bit, "torque_nm": t.torque.n if t.torque else None, "torque_source": t.torque.source if t.torque else "", "label": t.label, "ferrite": t.ferrite, "circuit": t.circuit,
            "tool": tools[t.key].name if tools.get(t.key) else None, "verdict": at.standing.verdicts.get(t.key),
            "readings": [{"who": e.who, "at": e.at_server, "uuid": e.uuid, **e.body} for e in at.standing.readings.get(t.key, [])],
        }
        for t in d.terminations
    ]  # fmt: skip
    index = d.terminations.index(here) if here else 0
    return {
        **at.head("land"),
        "terminations": rows,
        "at": rows[index] if rows else None,
        "stops_here": [f.says for f in d.findings if f.level is Level.STOP and here and f.place in (here.circuit, here.body)],
        "before": d.terminations[index - 1].key if index > 0 else None,
        "after": d.terminations[index + 1].key if here and index + 1 < len(rows) else None,
        "done": sum(r["verdict"] in DONE for r in rows),
        "wrenches": wrenches,
        "best": tools.get(here.key) if here else None,
        "shopping": sorted({(round(t.torque.n, 2), t.bit) for t in d.terminations if t.torque and not tools[t.key]}),
        "tolerance_pct": round(100 * tolerance(here.torque.n)) if here and here.torque else None,
        "unit": torque_unit(here.torque.n, at.plan.units) if here and here.torque else "",
        "typed": typed or {},
        "faults": faults or {},
        "uuid": (typed or {}).get("uuid") or str(uuid.uuid4()),
        "_drawing": drawn(terminal_block(d, here, at.standing.verdicts)) if here else "",
        "_today": today,
    }


@twin(router, "/jobs/{job_id}/land", "land.html")
def land(request: Request, at: Opened) -> dict[str, Any]:
    """The page, at `?at=` or at the next termination to do."""
    return page(at, request.query_params.get("at", ""))


@router.post("/jobs/{job_id}/land")
def reading(request: Request, at: Opened) -> Response:
    """Judge and keep one reading. It is answered only once the database has it; a resend of the same UUID does nothing."""
    visit = at.visit
    visit.needs("installer", "supervisor")
    t = next((t for t in at.design.terminations if t.key == visit.text("termination")), None)
    if t is None:
        return render(
            request,
            "message.html",
            {
                "title": "The plan has changed",
                "message": f"This termination is no longer in the plan; nothing was logged. You had typed “{visit.text('torque')[:40]}”: find the joint in the list, and enter it there.",
                "back": f"/jobs/{at.job.id}/land",
                "_visit": visit,
            },
            409,
        )
    typed = {k: visit.text(k) for k in ("torque", "wrench", "note", "uuid", "corrects", "replaced")}
    wrench, torque_nm, faults = read_tool(at, t, typed)
    if faults:
        return render(request, "land.html", page(at, t.key, typed, faults), 422)
    verdict, why = judge(t.torque, torque_nm, wrench, datetime.now(UTC).date())
    kept = at.standing.readings.get(t.key, [])
    corrects = typed["corrects"] if any(e.uuid == typed["corrects"] for e in kept) else None
    body = {
        "termination": t.key, "label": t.label, "torque_nm": torque_nm, "typed": typed["torque"], "rated_nm": t.torque.n if t.torque else None, "rated_source": t.torque.source if t.torque else t.source, "verdict": verdict, "why": why,
        "wrench": {"name": wrench.name, "serial": wrench.serial, "calibrated_until": wrench.calibrated_until.isoformat()} if wrench else None,
        "replaced": bool(typed["replaced"]), "corrects": corrects, "note": typed["note"][:500],
    }  # fmt: skip
    own = typed["uuid"] if re.fullmatch(r"[0-9a-f-]{36}", typed["uuid"]) else str(uuid.uuid4())
    try:
        records.append(visit.db, at.job, "reading", body, visit.who, visit.role, visit.text("at_device")[:40], own)
    except records.BadEntry:
        return render(
            request,
            "land.html",
            page(
                at,
                t.key,
                {**typed, "uuid": str(uuid.uuid4())},
                {"torque": "this was sent before with another reading: look at the log below, then enter it again as a new one"},
            ),
            409,
        )
    visit.db.commit()
    at_next = t.key
    if verdict in DONE:
        following = next(
            (x for x in at.design.terminations if x.number > t.number and at.standing.verdicts.get(x.key) not in DONE), None
        ) or next_open(at, t.number)
        at_next = following.key if following else t.key
    return RedirectResponse(f"/jobs/{at.job.id}/land?at={quote(at_next, safe='')}&was={quote(t.key, safe='')}#step", 303)


def read_tool(at: Ticket, t: Termination, typed: dict[str, str]) -> tuple[Wrench | None, float | None, dict[str, str]]:
    """(wrench, torque in N·m, fault by field) as typed for one termination."""
    if t.torque is None:
        return None, None, {}
    faults: dict[str, str] = {}
    wrench = next((w for w in records.wrenches(at.visit.db) if w.id == typed["wrench"]), None)
    if wrench is None:
        faults["wrench"] = "choose the wrench you used; add yours under Wrenches"
    torque_nm = None
    try:
        torque_nm = round(parse(typed["torque"], "torque", bare=torque_unit(t.torque.n, at.plan.units)), 4)
        if not 0 < torque_nm <= 1000:
            faults["torque"] = f"{typed['torque']} cannot be: type what the wrench showed, more than 0 and at most 1000 N·m"
    except NotAQuantity as exc:
        faults["torque"] = str(exc)
    return wrench, torque_nm, faults
