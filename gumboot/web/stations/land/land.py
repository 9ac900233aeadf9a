"""Land: the walk from termination to termination. What is done there is sent to `field`, now or
when the
network is back.
"""

from __future__ import annotations

from typing import Any
from urllib.parse import quote
from uuid import uuid4

from fastapi import APIRouter, Request
from fastapi.responses import RedirectResponse, Response

from gumboot.core.basis.finding import Change
from gumboot.core.land import CLASSES, SCHOOLS, best_wrench, illegal, lacking, school_of
from gumboot.core.land.events import ACTS
from gumboot.core.land.recheck import due
from gumboot.core.land.tools import not_kept
from gumboot.drawings.terminal_block import block_plates
from gumboot.web.field.receive import keep
from gumboot.web.field.terminations import all_fixed, fixed_text, script, terminations_of, tool
from gumboot.web.job.opening import Opened, OpenJob, today
from gumboot.web.job.saving import change
from gumboot.web.pages.frame import drawn, render, twin

router = APIRouter()
RECHECKS = {
    "by kind": (
        "as the sheet says; where it is silent, torque on bolted lugs, the witness mark on screws"
    ),
    "torque": (
        "the rated torque again wherever the sheet is silent: a lug that has settled is found"
    ),
    "look": (
        "the witness mark wherever the sheet is silent: soft copper under a screw takes harm from"
        " turning"
    ),
}


def page(job: OpenJob) -> dict[str, Any]:
    """What the page shows."""
    d = job.design
    said = terminations_of(job)
    numbers = {s.id: (s.circuit.number, s.circuit.name) for s in d.circuits}
    links = {x.id: x.name for x in d.links}
    circuits: dict[str, dict[str, Any]] = {}
    for t in d.terminations:
        number, name = numbers.get(t.circuit, (None, links.get(t.circuit) or t.stage))
        circuits.setdefault(
            t.circuit or t.stage,
            {"id": t.circuit or t.stage, "number": number, "name": name, "keys": []},
        )["keys"].append(t.key)
    school = school_of(job.plan.landing, d.inverter) if d.inverter else SCHOOLS[0]
    return {
        **job.head("land"),
        "again": bool(job.state.signed and due(job.design.terminations, job.state_of)),
        "tab": "land",
        "total": len(d.terminations),
        "made": sum(job.state_of(t).complete for t in d.terminations),
        "tools": [tool(w) for w in job.wrenches],
        "circuits": list(circuits.values()),
        "school": {
            "name": school.name,
            "stages": list(school.stages),
            "reason": school.reason,
            "chosen": job.plan.landing,
        },
        "schools": [{"name": s.name, "reason": s.reason} for s in SCHOOLS],
        "recheck": job.plan.recheck,
        **said,
        "_fixed": drawn(fixed_text(d)),
        "_said": drawn(
            script(
                {
                    **said,
                    "tools": [tool(w) for w in job.wrenches],
                    "circuits": list(circuits.values()),
                }
            )
        ),
        "_plates": drawn(block_plates(d)),
        "_rechecks": RECHECKS,
        "_maker": d.inverter.landing if d.inverter else (),
        "_stops": [f.says for f in job.findings if f.level.value == "stop"],
    }


@twin(router, "/jobs/{job_id}/land", "land.html")
def land(request: Request, job: Opened) -> dict[str, Any]:
    """The page, at `?at=` or at the next termination to make off; and every termination with its
    states as
    data.
    """
    data = page(job) | plainly(job, request.query_params.get("at", ""))
    if request.url.path.endswith(".json"):
        data["terminations"] = [
            {
                **t,
                **{
                    "state": job.state.termination(t["key"], tuple(t["chain"])).state,
                    "complete": job.state.termination(t["key"], tuple(t["chain"])).complete,
                },
            }
            for t in all_fixed(job.design)
        ]
    return data


def plainly(
    job: OpenJob,
    key: str,
    typed: dict[str, str] | None = None,
    fault: tuple[str, str] | None = None,
) -> dict[str, Any]:
    """One termination as a plain form, for a browser without scripts."""
    t = (
        job.termination(key)
        or next((t for t in job.design.terminations if not job.state_of(t).complete), None)
        or next(iter(job.design.terminations), None)
    )
    s = job.state_of(t) if t else None
    return {
        "_plain": t,
        "_plain_state": s,
        "_may": [a for a in ACTS if a != "settled" and s and not illegal(s, a)],
        "_typed": typed or {},
        "_fault": fault,
        "_tools": job.wrenches,
        "_uuid": (typed or {}).get("uuid") or str(uuid4()),
    }


@router.post("/jobs/{job_id}/land")
def plain_entry(request: Request, job: Opened) -> Response:
    """One entry from the plain form. A resend of the same UUID does nothing."""
    visit = job.visit
    visit.needs("installer", "supervisor")
    typed = {k: visit.text(k) for k in ("key", "act", "typed", "wrench", "note", "uuid")}
    row = {
        **typed,
        "kind": "termination",
        "scale": "N·m" if job.plan.units == "si" else "in·lb",
        "seen": visit.whole("seen", job.state.seq),
    }
    [(answer, key)] = keep(job, [row])
    if answer["state"] == "refused":
        return render(
            request,
            "land.html",
            page(job) | plainly(job, key, typed, (answer["field"], answer["why"])),
            422,
        )
    visit.db.commit()
    return RedirectResponse(f"/jobs/{job.record.id}/land?at={quote(key, safe='')}", 303)


@router.post("/jobs/{job_id}/land/school")
def choose(request: Request, job: Opened) -> Response:
    """Choose the school of landing, and what is done a day later where the sheet is silent."""
    job.visit.needs("planner", "supervisor")
    landing, recheck = job.visit.text("landing"), job.visit.text("recheck")
    changes = []
    if landing in ("maker", *(s.name for s in SCHOOLS)):
        changes.append(Change("/landing", landing))
    if recheck in RECHECKS:
        changes.append(Change("/recheck", recheck))
    return change(request, job, tuple(changes), f"/jobs/{job.record.id}/land")


@twin(router, "/jobs/{job_id}/land/tools", "land_tools.html")
def tools(request: Request, job: Opened) -> dict[str, Any]:
    """Which tool serves which torque on this job, what to buy or borrow, and what else goes into
    the van.
    """
    d = job.design
    todo = [t for t in d.terminations if t.torque]
    short = lacking(todo, job.wrenches, today())
    return {
        **job.head("land"),
        "tab": "land/tools",
        "lacking": [
            {
                "torque_nm": x.torque_nm,
                "bit": x.bit,
                "terminations": x.terminations,
                "from_nm": x.from_nm,
                "to_nm": x.to_nm,
            }
            for x in short
        ],
        "torques": torques(job),
        "not_kept": not_kept(d.terminations, job.choices.tools),
        "bits": counted(t.bit for t in d.terminations if t.bit),
        "crimpers": counted(f"{t.tool}, {t.die}" for t in d.terminations if t.tool),
        "wrenches": [
            {
                "name": w.name,
                "serial": w.serial,
                "class": w.class_,
                "what": CLASSES[w.class_][0],
                "scale": w.scale,
                "from_nm": w.serves_from,
                "to_nm": w.most_nm,
                "until": w.calibrated_until.isoformat(),
                "over": w.calibrated_until < today(),
            }
            for w in job.wrenches
        ],
    }


def counted(words: Any) -> list[tuple[str, int]]:
    """Each word and how often it comes, in order of words."""
    seen: dict[str, int] = {}
    for w in words:
        seen[w] = seen.get(w, 0) + 1
    return sorted(seen.items())


def torques(job: OpenJob) -> list[dict[str, Any]]:
    """Every torque and bit of the job, how many terminations have it, and the tool that serves it
    best.
    """
    rows: dict[tuple[float, str], dict[str, Any]] = {}
    for t in job.design.terminations:
        if t.torque:
            best = best_wrench(t.torque.n, job.wrenches, today())
            row = rows.setdefault(
                (round(t.torque.n, 2), t.bit),
                {
                    "torque_nm": t.torque.n,
                    "bit": t.bit,
                    "terminations": 0,
                    "tool": best.name if best else "",
                    "tolerance_pct": round(100 * best.tolerance) if best else None,
                },
            )
            row["terminations"] += 1
    return [rows[k] for k in sorted(rows)]
