"""Prove: every test that is due, what is expected and what was read; a series of readings typed
into the table at once.
"""

from __future__ import annotations

import uuid
from collections.abc import Iterable
from functools import lru_cache
from typing import Any

from fastapi import APIRouter, Request
from fastapi.responses import RedirectResponse, Response
from markupsafe import Markup

from gumboot.core.design import Design
from gumboot.core.land.entering import Refused
from gumboot.core.prove.due import STAGES, Due
from gumboot.core.prove.strings import Sky, card_of
from gumboot.core.size.meter_card import LIGHT_LEAST, judge
from gumboot.core.walk.entering import UNITS
from gumboot.store import records
from gumboot.web.field.entry import Sent
from gumboot.web.job.opening import Opened, OpenJob
from gumboot.web.pages.frame import render, templates, twin
from gumboot.web.stations.prove.standing import (
    CLOSED,
    as_read,
    dues_by,
    dues_now,
    lapsed,
    last_of,
    sky_at,
)
from gumboot.web.stations.prove.walk import instruments_of, test_body

router = APIRouter()


def row_of(job: OpenJob, due: Due) -> dict[str, Any]:
    """One test for the page: what is expected, what was read, what was read before."""
    e = last_of(job, due)
    past = [x for x in job.state.tests.get(due.key, ()) if x.body["verdict"] != "taken back"]
    body = e.body if e is not None else {}
    read = body.get("typed") or body.get("says", "") or body.get("verdict", "")
    gone = lapsed(job, due, e) if e is not None else ""
    if e is not None and not gone:
        due = as_read(job, due, e)
    return {
        "key": due.key,
        "stage": due.stage,
        "title": due.title,
        "does": due.does,
        "unit": UNITS.get(due.does, ""),
        "expects": body.get("expected") or due.expects if not gone else due.expects,
        "least": due.least,
        "most": due.most,
        "instrument": due.instrument,
        "clause": due.clause,
        "who_may": due.who,
        "hands": due.hands,
        "stands": due.stands,
        "method": list(due.method),
        "hazard": due.hazard,
        "place": due.place,
        "known": due.known,
        "problem": due.problem,
        "complete": body.get("verdict") in CLOSED and not gone,
        "lapsed": gone,
        "read": read,
        "shown": f"{read} {body.get('unit', '')}".strip() if read[-1:].isdigit() else read,
        "verdict": body.get("verdict", ""),
        "why": gone or body.get("why", ""),
        "note": body.get("note", ""),
        "tool": body.get("tool", ""),
        "who": e.who if e else "",
        "at": e.at_server if e else "",
        "before": [
            {"typed": x.body["typed"], "verdict": x.body["verdict"], "at": x.at_server}
            for x in past[:-1]
        ],
        "band": {
            "expected": due.band.expected.n,
            "off": due.band.off.n,
            "unit": due.band.expected.unit,
        }
        if due.band
        else None,
    }


@lru_cache(maxsize=64)
def hows(design: Design, sky: Sky) -> dict[str, Markup]:
    """How each test is made and what its figures come from, as a part of the page; remembered."""
    how = templates.get_template("prove_how.html")
    return {
        x.key: Markup(how.render(r=x))  # noqa: S704 - the template escaped it
        for x in dues_by(design, sky)
    }


def beside_of(job: OpenJob, dues: Iterable[Due]) -> list[str]:
    """What the strings say, looked at together, each in the light it was read in: modules missing
    that no band shows, two crossed, plus and minus exchanged.
    """
    rows = [x for x in dues if x.key.endswith(".open") and x.key.startswith("string.")]
    modules = {s.letter: s.modules for s in job.design.strings}
    card, volts = {}, {}
    for x in rows:
        e, letter = last_of(job, x), x.key.split(".")[1]
        band = as_read(job, x, e).band if e is not None else None
        if e is None or e.body.get("value") is None or band is None:
            continue
        card[letter], volts[letter] = card_of(letter, modules[letter], band), e.body["value"]
    said = judge(card, volts, LIGHT_LEAST)
    return [f"String {v.letter}: {v.why}." for v in said if v.said != "good"]


def page(
    job: OpenJob,
    typed: dict[str, str] | None = None,
    faults: dict[str, str] | None = None,
    tool: str = "",
    strays: dict[str, str] | None = None,
) -> dict[str, Any]:
    """What the page shows."""
    dues = dues_now(job)
    rows = [row_of(job, x) for x in dues]
    sky = sky_at(job, "")
    return {
        **job.head("prove"),
        "tab": "prove",
        "stages": [
            {"name": s, "rows": [r for r in rows if r["stage"] == s]}
            for s in STAGES
            if any(r["stage"] == s for r in rows)
        ],
        "done": sum(r["complete"] for r in rows),
        "count": len(rows),
        "undone": sum(not r["complete"] and not r["known"] for r in rows),
        "outside": [r["title"] for r in rows if r["verdict"] in ("outside", "withheld")],
        "beside": beside_of(job, dues),
        "sky": {"light": sky.light, "cell_c": sky.cell_c, "known": sky.known},
        "tools": [f"{x.name} {x.serial}" for x in instruments_of(job)],
        "typed": typed or {},
        "faults": faults or {},
        "strays": strays or {},
        "tool": tool,
        "_how": hows(job.design, sky),
        "declining": "",
        "note": "",
        "chosen": [],
        "_may": job.visit.role != "planner" and job.state.signed is None,
    }


@twin(router, "/jobs/{job_id}/prove", "prove.html")
def prove(request: Request, job: Opened) -> dict[str, Any]:
    """The page."""
    return page(job)


@router.post("/jobs/{job_id}/prove")
def series(request: Request, job: Opened) -> Response:
    """Keep every reading that was typed into the table; those that cannot be read stay typed, with
    what to type beside them, and the others are kept all the same.
    """
    visit = job.visit
    visit.needs("installer", "supervisor")
    dues = {x.key: x for x in dues_now(job) if not x.known}
    tool, at = visit.text("tool")[:80], visit.text("at_device")[:40]
    typed = {k: visit.text(k) for k in dues if visit.text(k)}
    more = set(visit.form) - set(dues) - {"tool", "at_device", "csrf"}
    strays = {k: visit.text(k)[:200] for k in sorted(more)[:200] if visit.text(k)}
    left: dict[str, str] = {}
    faults: dict[str, str] = {}
    if job.state.signed:
        faults = dict.fromkeys(typed, "the job is signed: a supervisor can reopen it at Hand over")
        return render(request, "prove.html", page(job, typed, faults, tool, strays), 409)
    order = sorted(typed, key=lambda k: not k.startswith("sky."))  # the light before the strings
    for key in order:
        try:
            keep(job, key, typed[key], tool, at)
        except Refused as exc:
            left[key], faults[key] = typed[key], str(exc)
        job = job.anew() if key.startswith("sky.") else job
    visit.db.commit()
    if faults or strays:
        return render(request, "prove.html", page(job.anew(), left, faults, tool, strays), 422)
    return RedirectResponse(f"/jobs/{job.record.id}/prove", 303)


def keep(
    job: OpenJob,
    key: str,
    typed: str,
    tool: str,
    at: str,
    source: str = "typed",
    note: str = "",
    slack: float = 0.0,
) -> None:
    """Keep one reading. Raises Refused."""
    due = next((x for x in dues_now(job) if x.key == key), None)
    sent = Sent(
        uuid=str(uuid.uuid4()),
        kind="test",
        key=key,
        act="done",
        typed=typed[:200],
        tool=tool,
        note=note[:500],
        at_device=at,
    )
    body = test_body(job, due, sent, source, slack)
    visit = job.visit
    records.append(visit.db, job.record, "test", body, visit.who, visit.role, at)


@router.post("/jobs/{job_id}/prove/decline")
def decline(request: Request, job: Opened) -> Response:
    """Decline tests with one reason: those that are named."""
    visit = job.visit
    visit.needs("installer", "supervisor")
    note, keys = visit.text("note")[:500], visit.form.getlist("key")
    dues = {x.key: x for x in dues_now(job) if not x.known}
    wanted = [dues[k] for k in keys if isinstance(k, str) and k in dues]
    if not wanted or not note or job.state.signed:
        said = "choose the tests" if not wanted else "type why they are not done"
        said = (
            "the job is signed: a supervisor can reopen it at Hand over"
            if job.state.signed
            else said
        )
        context = {**page(job), "declining": said, "note": note, "chosen": keys}
        return render(request, "prove.html", context, 422)
    at = visit.text("at_device")[:40]
    for due in wanted:
        sent = Sent(uuid=str(uuid.uuid4()), kind="test", key=due.key, act="declined", note=note)
        body = test_body(job, due, sent)
        records.append(visit.db, job.record, "test", body, visit.who, visit.role, at)
    visit.db.commit()
    return RedirectResponse(f"/jobs/{job.record.id}/prove", 303)
