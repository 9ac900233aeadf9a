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
from gumboot.core.prove.strings import Sky, missing_modules
from gumboot.core.walk.entering import UNITS
from gumboot.store import records
from gumboot.web.field.entry import Sent
from gumboot.web.job.opening import Opened, OpenJob
from gumboot.web.pages.frame import render, templates, twin
from gumboot.web.stations.prove.walk import (
    complete,
    dues_by,
    dues_now,
    instruments_of,
    last_of,
    sky_of,
    test_body,
)

router = APIRouter()


def row_of(job: OpenJob, due: Due) -> dict[str, Any]:
    """One test for the page: what is expected, what was read, what was read before."""
    e = last_of(job, due)
    past = [x for x in job.state.tests.get(due.key, ()) if x.body["verdict"] != "taken back"]
    return {
        "key": due.key,
        "stage": due.stage,
        "title": due.title,
        "does": due.does,
        "unit": UNITS.get(due.does, ""),
        "expects": due.expects,
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
        "complete": complete(job, due),
        "read": (e.body["typed"] or e.body.get("says", "") or e.body["verdict"]) if e else "",
        "verdict": e.body["verdict"] if e else "",
        "why": e.body.get("why", "") if e else "",
        "note": e.body["note"] if e else "",
        "tool": e.body.get("tool", "") if e else "",
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
    """What the strings say of each other: modules missing that no band shows."""
    rows = [x for x in dues if x.key.endswith(".open") and x.key.startswith("string.")]
    volts, expected, modules = {}, {}, {}
    of = {s.letter: s for s in job.design.strings}
    for x in rows:
        e, letter = last_of(job, x), x.key.split(".")[1]
        if e is None or e.body["value"] is None or x.band is None:
            continue
        volts[letter], expected[letter] = e.body["value"], x.band
        modules[letter] = of[letter].modules
    out = []
    for letter, off in missing_modules(volts, expected, modules).items():
        n, how = abs(off), "fewer" if off < 0 else "more"
        many = "s" if n > 1 else ""
        out.append(f"String {letter} reads like {n} module{many} {how}, beside the others.")
    return out


def page(
    job: OpenJob,
    typed: dict[str, str] | None = None,
    faults: dict[str, str] | None = None,
    tool: str = "",
) -> dict[str, Any]:
    """What the page shows."""
    dues = dues_now(job)
    rows = [row_of(job, x) for x in dues]
    sky = sky_of(job)
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
    left: dict[str, str] = {}
    faults: dict[str, str] = {}
    if job.state.signed:
        faults = dict.fromkeys(typed, "the job is signed: a supervisor can reopen it at Hand over")
        return render(request, "prove.html", page(job, typed, faults, tool), 409)
    order = sorted(typed, key=lambda k: not k.startswith("sky."))  # the light before the strings
    for key in order:
        try:
            keep(job, key, typed[key], tool, at)
        except Refused as exc:
            left[key], faults[key] = typed[key], str(exc)
        job = job.anew() if key.startswith("sky.") else job
    visit.db.commit()
    if faults:
        return render(request, "prove.html", page(job.anew(), left, faults, tool), 422)
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
