"""Hand over: what stands behind the job, on a page and as a PDF; signing and re-opening."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from fastapi import APIRouter, Request
from fastapi.responses import RedirectResponse, Response

from gumboot.core.basis.finding import Level
from gumboot.core.basis.units import NotAQuantity, parse
from gumboot.core.basis.words import inside
from gumboot.core.design import Design
from gumboot.core.journal import log
from gumboot.core.journal.entry import Entry
from gumboot.core.network import Body, Network
from gumboot.core.wake.chapters import stands
from gumboot.core.wake.way import Way
from gumboot.core.wake.work import work_at
from gumboot.core.walk.step import Step
from gumboot.core.wall import drill_sheet
from gumboot.drawings.one_line import one_line
from gumboot.drawings.wall import draw_wall
from gumboot.exports import pack
from gumboot.store import office, records
from gumboot.store.database import see_crew
from gumboot.web.background import asked, printed, waiting
from gumboot.web.job.listing import elsewhere
from gumboot.web.job.opening import Opened, OpenJob
from gumboot.web.job.walking import last
from gumboot.web.pages.frame import drawn, render, twin
from gumboot.web.stations.brief.editions import entries_of, used
from gumboot.web.stations.link.harness import lead_data
from gumboot.web.stations.prove.given import curve_pages
from gumboot.web.stations.prove.standing import complete as tried
from gumboot.web.stations.prove.standing import dues_now
from gumboot.web.stations.prove.table import beside_of, row_of
from gumboot.web.stations.set import keying, read_back
from gumboot.web.stations.wake.walk import steps_of

router = APIRouter()


def missing(job: OpenJob) -> list[str]:
    """What still stands between the job and a signature, in words."""
    d = job.design
    out = (
        [f"{job.open_stops} open stop{'s' if job.open_stops > 1 else ''}: cure every one."]
        if job.open_stops
        else []
    )
    checks = len(job.open_checks())
    if checks:
        out.append(
            f"{checks} check{'s' if checks > 1 else ''} not accepted: judge each, and accept it"
            " with a reason."
        )
    duties = sum(not job.state.closes(f) for f in job.design.duties)
    if duties:
        out.append(
            f"{duties} dut{'ies' if duties > 1 else 'y'} open: see or measure each, and write it"
            " down."
        )
    todo = sum(not job.state_of(t).complete for t in d.terminations)
    if todo:
        out.append(f"{todo} of {len(d.terminations)} terminations not made off.")
    lines, dues = {s.key for s in keying.steps_of(d)}, dues_now(job)
    due = {x.key for x in dues}
    undone = [x for x in dues if not x.known and not tried(job, x)]
    if undone:
        many = "s" if len(undone) > 1 else ""
        out.append(f"{len(undone)} test{many} of Prove open: do each, or decline it with a reason.")
    wrong = [
        e
        for key, e in job.state.steps.items()
        if e.body["verdict"] in ("outside", "withheld")
        and (key in lines or not key.startswith("key."))
        and not (e.kind == "test" and key not in due)
    ]
    if wrong:
        many = "s" if len(wrong) > 1 else ""
        out.append(
            f"{len(wrong)} reading{many} of Link, Wake, Set or Prove not as expected:"
            " put it right and read again, or leave it out with a reason."
        )
    if others := read_back.unsettled(job):
        out.append(
            f"{others} line{'s' if others > 1 else ''} of a menu hold{'' if others > 1 else 's'}"
            " another value than planned: key again, or explain it under Set, Read back."
        )
    if not d.terminations:
        out.append("No terminations: the kit is not planned.")
    return out


def walked(job: OpenJob, steps: Sequence[Step]) -> list[dict[str, Any]]:
    """Every step of a walk with its last entry, if it has one."""
    return [
        {
            "stage": s.stage,
            "title": s.says if s.does == "duty" else s.title,
            "expects": s.expects,
            "entry": {k: e.body[k] for k in ("typed", "unit", "verdict", "why", "tool", "note")}
            if (e := last(job, s))
            else None,
            "who": e.who if e else "",
            "at": e.at_server if e else "",
        }
        for s in steps
    ]


def walls_of(job: OpenJob, standalone: bool) -> list[dict[str, Any]]:
    """Every wall with its drawing, and its holes with the entry of each that was drilled. On a page
    the drawing has no style of its own.
    """
    d = job.design
    return [
        {
            "w": w,
            "drawing": drawn(
                draw_wall(w, raceways=d.raceways, standalone=standalone).replace(
                    'id="layer-', 'data-layer="'
                )
            ),
            "holes": [(x, job.state.drilled.get(x.hole.id)) for x in drill_sheet(w)],
        }
        for w in d.walls
    ]


def kit_of(job: OpenJob) -> dict[str, str]:
    """The editions that the job was made with, by their digests: what a signature names."""
    made_with = used(job)
    return {i: made_with[i].digest for i, _ in entries_of(job.design) if i in made_with}


def holds(job: OpenJob) -> str:
    """What is wrong with a signature: empty when it belongs to the plan and kit that stand here."""
    signed = job.state.signed
    if signed is None:
        return ""
    body = signed.body
    stored = records.plan_at(job.visit.db, job.record, job.record.version) or {}
    digests = (records.plan_digest(job.plan), records.document_digest(stored))
    if body["plan_version"] != job.record.version or body["plan_digest"] not in digests:
        return "The plan that stands here is not the one that was signed."
    if "kit" in body and not job.record.imported_by and body["kit"] != kit_of(job):
        return "The kit that stands here is not the one that was signed."
    return ""


def anchors(job: OpenJob, entries: Sequence[Entry]) -> list[dict[str, Any]]:
    """The heads of this log that the office log has kept, and whether the log still holds them: a
    tail cut off, or a log written anew, shows here.
    """
    by_seq = {e.seq: e.hash for e in entries}
    kept = office.heads(job.visit.db, job.visit.crew_id, job.record.uid)
    return [
        {
            "at": e.at,
            "kind": e.kind,
            "seq": e.body["seq"],
            "head": e.body["head"],
            "holds": e.body["seq"] == 0 or by_seq.get(e.body["seq"]) == e.body["head"],
        }
        for e in kept
    ]


def anchored(job: OpenJob, kind: str) -> None:
    """Put the head of the job's log into the office log."""
    job.visit.tells(
        kind,
        job=job.record.name,
        uid=job.record.uid,
        seq=job.record.log_seq,
        head=job.record.log_head,
    )


def orders_of(d: Design) -> list[dict[str, Any]]:
    """The ways off and on, in words, with what comes after or stands against them."""
    if d.wake is None or d.network is None:
        return []
    way, wait = d.wake.way, d.network.wait_min
    then = (
        f"Then wait {wait:g} min for the capacitors, and prove dead at every port with a proved"
        " tester. Arrays stay live in light, cells at their posts always."
    )
    rows = (
        ("In an emergency", way.emergency, None, ""),
        ("Off", way.down.acts, way.down.against, then),
        ("On", way.up.acts, way.up.against, ""),
    )
    ways = [
        {
            "name": name,
            "acts": [way.says(a) for a in acts],
            "against": stands(against) if against else "",
            "then": after,
        }
        for name, acts, against, after in rows
    ]
    units = (b for b in d.network.bodies if b.role == "inverter")
    return ways + [work_order(way, d.network, b) for b in units]


def work_order(way: Way, network: Network, body: Body) -> dict[str, Any]:
    """How one box is made dead to work at it, as a part of the pack."""
    found = work_at(way, network, body.id)
    locks = "; ".join(inside(way.plant.levers[k].says) for k in found.locks)
    live = "; ".join(f"{', '.join(x.name for x in s.sources)} at {s.at}" for s in found.stays)
    then = f"Locks and tags on: {locks}. " if locks else ""
    then += f"Wait {found.wait_min:g} min, then prove dead at every port with a proved tester."
    return {
        "name": f"To work at {inside(body.label)}",
        "acts": [way.says(a) for a in found.acts],
        "against": found.why,
        "then": f"{then} Stays live: {live}." if live else then,
    }


def page(
    job: OpenJob,
    fault: str = "",
    typed: str = "",
    faults: dict[str, tuple[str, str]] | None = None,
) -> dict[str, Any]:
    """What the page and the PDF both show."""
    d, state = job.design, job.state
    entries = records.entries(job.visit.db, job.record)
    rows = [
        {"t": t, "state": job.state_of(t), "events": state.events.get(t.key, ())}
        for t in d.terminations
    ]
    accepted = [
        {"finding": f, "entry": state.accepts(f)}
        for f in job.findings
        if f.level is Level.CHECK and state.accepts(f)
    ]
    signed = state.signed
    return {
        "holds": holds(job),
        "anchors": anchors(job, entries),
        "elsewhere": elsewhere(job.record, signed),
        **job.head("hand-over"),
        "missing": missing(job),
        "signed": {"who": signed.who, "at": signed.at_server, **signed.body} if signed else None,
        "history": [
            {
                "kind": e.kind,
                "who": e.who,
                "role": e.role,
                "at": e.at_server,
                **({"reason": e.body["reason"]} if "reason" in e.body else {}),
            }
            for e in entries
            if e.kind in ("sign", "reopen")
        ],
        "log_entries": len(entries),
        "log_head": job.record.log_head,
        "log_broken_at": log.first_broken(job.record.uid, entries),
        "digest": records.plan_digest(job.plan),
        "_fault": fault,
        "_typed": typed,
        "_d": d,
        "_rows": rows,
        "_accepted": accepted,
        "duties": [
            {
                "duty": f,
                "closed": state.closes(f),
                "entry": entry.body if (entry := state.attends(f)) else None,
                "who": entry.who if entry else "",
                "at": entry.at_server if entry else "",
            }
            for f in d.duties
        ],
        "_faults": faults or {},
        "leads": [lead_data(x) for x in d.harness.leads] if d.harness else [],
        "links": walked(job, d.harness.steps if d.harness else ()),
        "wakes": walked(job, steps_of(d)),
        "keyed": walked(job, keying.steps_of(d)),
        "tests": [row_of(job, x) for x in dues_now(job)],
        "beside": beside_of(job, dues_now(job)),
        "_curves": curve_pages(job, standalone=False),
        "rehearsals": [
            {
                "who": e.who,
                "at": e.at_server,
                **{k: e.body[k] for k in ("scenario", "acts", "slips")},
            }
            for e in state.rehearsals
        ],
        "orders": orders_of(d),
        "proof": asked(job, "proof") if d.wake else None,
        "ct": [
            {"who": e.who, "at": e.at_server, **{k: e.body[k] for k in ("act", "says", "note")}}
            for e in entries
            if e.kind == "ct"
        ],
        "_cautions": pack.CAUTIONS,
        "_drawing": drawn(one_line(d)),
        "_walls": walls_of(job, standalone=False),
    }


@twin(router, "/jobs/{job_id}/hand-over", "hand_over.html")
def hand_over(request: Request, job: Opened) -> dict[str, Any]:
    """The page."""
    return page(job)


@router.get("/jobs/{job_id}/hand-over.pdf")
def pdf(request: Request, job: Opened) -> Response:
    """The same as a PDF to print, file and send; it waits for the proof that stands in it."""
    if job.design.wake:
        proof = asked(job, "proof")
        if proof is None or (proof.body is None and proof.fault is None):
            return waiting(request, job, f"/jobs/{job.record.id}/hand-over.pdf", proof)
    context = {
        **page(job),
        "_drawing": drawn(one_line(job.design, standalone=True)),
        "_walls": walls_of(job, standalone=True),
        "_curves": curve_pages(job),
        "figures": job.design.figures,
    }
    anchored(job, "pack")
    job.visit.db.commit()
    see_crew(job.visit.db, job.visit.crew_id)
    return printed(request, job, "pack.html", "hand-over", context)


@router.post("/jobs/{job_id}/duty")
def attend(request: Request, job: Opened) -> Response:
    """A duty is done, with its reading or a tick; declined with a reason; or taken back."""
    visit, key = job.visit, job.visit.text("duty")
    back = f"/jobs/{job.record.id}/hand-over#duties"
    found = next((f for f in job.design.duties if f.key == key), None)
    if found is None or found.asked is None or found.fingerprint != visit.text("fingerprint"):
        return RedirectResponse(back, 303)  # the plan changed since the page was read
    act, typed, why = visit.text("act"), visit.text("reading")[:40], visit.text("note")[:500]
    value: float | None = None
    verdict = {"decline": "declined", "back": "taken back"}.get(act, "done")
    if verdict == "done" and found.asked.kind == "form":
        return RedirectResponse(back, 303)  # done by what is typed there, not by a tick
    try:
        if verdict == "done" and found.asked.kind:
            value = parse(typed, found.asked.kind, job.plan.units)
            verdict = "done" if found.asked.within(value) else "outside"
        if verdict == "declined" and not why:
            raise NotAQuantity("type why it is not done: the reason is kept with your name")
        if verdict == "declined":
            visit.needs("supervisor")
    except NotAQuantity as exc:
        again = page(job, faults={key: (str(exc), typed)})
        return render(request, "hand_over.html", again, 422)
    if not job.state.signed:
        body = {
            "duty": key,
            "fingerprint": found.fingerprint,
            "says": found.says,
            "typed": typed if verdict in ("done", "outside") else "",
            "value": value,
            "verdict": verdict,
            "note": why,
        }
        at = visit.text("at_device")[:40]
        records.append(visit.db, job.record, "duty", body, visit.who, visit.role, at)
        visit.db.commit()
    return RedirectResponse(back, 303)


@router.post("/jobs/{job_id}/sign")
def sign(request: Request, job: Opened) -> Response:
    """A supervisor signs: only when nothing is missing, and for the plan version that was on the
    page.
    """
    visit = job.visit
    visit.needs("supervisor")
    if job.state.signed:
        return RedirectResponse(f"/jobs/{job.record.id}/hand-over", 303)
    gaps = missing(job)
    seen = (job.record.version, job.record.log_head)
    moved = ["The job changed since this page was read. Read it again, then sign."]
    if visit.text("digest") != records.plan_digest(job.plan):
        gaps = moved
    if gaps:
        return render(request, "hand_over.html", page(job, "Not signed. " + " ".join(gaps)), 409)
    body = {
        "plan_version": seen[0],
        "plan_digest": records.plan_digest(job.plan),
        "log_head": seen[1],
        "statement": pack.STATEMENT,
        "kit": kit_of(job),
    }
    try:
        records.append(
            visit.db,
            job.record,
            "sign",
            body,
            visit.who,
            visit.role,
            visit.text("at_device")[:40],
            seen=seen,
        )
    except records.Moved:
        return render(request, "hand_over.html", page(job, "Not signed. " + moved[0]), 409)
    visit.db.refresh(job.record)
    anchored(job, "signed")
    visit.db.commit()
    return RedirectResponse(f"/jobs/{job.record.id}/hand-over", 303)


@router.post("/jobs/{job_id}/reopen")
def reopen(request: Request, job: Opened) -> Response:
    """Thaw a signed job, with the reason kept in its log."""
    visit = job.visit
    visit.needs("supervisor")
    reason = visit.text("reason")[:500]
    if not reason:
        return render(
            request, "hand_over.html", page(job, "Type why the job is reopened.", ""), 422
        )
    if job.state.signed:
        records.append(
            visit.db,
            job.record,
            "reopen",
            {"reason": reason},
            visit.who,
            visit.role,
            visit.text("at_device")[:40],
        )
        visit.tells("reopened", job=job.record.name, uid=job.record.uid, reason=reason)
        visit.db.commit()
    return RedirectResponse(f"/jobs/{job.record.id}/hand-over", 303)
