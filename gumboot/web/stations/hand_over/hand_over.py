"""Hand over: what stands behind the job, on a page and as a PDF; signing and re-opening."""

from __future__ import annotations

from typing import Any

from fastapi import APIRouter, Request
from fastapi.responses import RedirectResponse, Response

from gumboot.core.basis.finding import Level
from gumboot.core.journal import log
from gumboot.core.wall import drill_sheet
from gumboot.drawings.one_line import one_line
from gumboot.drawings.wall import draw_wall
from gumboot.exports import pack
from gumboot.store import records
from gumboot.web.job.opening import Opened, OpenJob
from gumboot.web.pages.frame import drawn, render, templates, twin

router = APIRouter()


def missing(at: OpenJob) -> list[str]:
    """What still stands between the job and a signature, in words."""
    d = at.design
    out = (
        [f"{at.open_stops} open stop{'s' if at.open_stops > 1 else ''}: cure every one."]
        if at.open_stops
        else []
    )
    checks = len(at.open_checks())
    if checks:
        out.append(
            f"{checks} check{'s' if checks > 1 else ''} not accepted: judge each, and accept it"
            " with a reason."
        )
    todo = sum(not at.stand(t).made for t in d.terminations)
    if todo:
        out.append(f"{todo} of {len(d.terminations)} terminations not made off.")
    if not d.terminations:
        out.append("No terminations: the kit is not planned.")
    return out


def walls_of(at: OpenJob, standalone: bool) -> list[dict[str, Any]]:
    """Every wall with its drawing, and its holes with the entry of each that was drilled. On a page
    the drawing has no style of its own.
    """
    d = at.design
    return [
        {
            "w": w,
            "drawing": drawn(
                draw_wall(w, raceways=d.raceways, standalone=standalone).replace(
                    'id="layer-', 'data-layer="'
                )
            ),
            "holes": [(x, at.standing.drilled.get(x.hole.id)) for x in drill_sheet(w)],
        }
        for w in d.walls
    ]


def page(at: OpenJob, fault: str = "", typed: str = "") -> dict[str, Any]:
    """What the page and the PDF both show."""
    d, standing = at.design, at.standing
    entries = records.entries(at.visit.db, at.job)
    rows = [
        {"t": t, "stand": at.stand(t), "moves": standing.moves.get(t.key, ())}
        for t in d.terminations
    ]
    accepted = [
        {"finding": f, "entry": standing.accepts(f)}
        for f in at.findings
        if f.level is Level.CHECK and standing.accepts(f)
    ]
    signed = standing.signed
    return {
        **at.head("hand-over"),
        "missing": missing(at),
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
        "log_head": at.job.log_head,
        "log_broken_at": log.first_broken(at.job.uid, entries),
        "digest": records.plan_digest(at.plan),
        "_fault": fault,
        "_typed": typed,
        "_d": d,
        "_rows": rows,
        "_accepted": accepted,
        "_cautions": pack.CAUTIONS,
        "_drawing": drawn(one_line(d)),
        "_walls": walls_of(at, standalone=False),
    }


@twin(router, "/jobs/{job_id}/hand-over", "hand_over.html")
def hand_over(request: Request, at: Opened) -> dict[str, Any]:
    """The page."""
    return page(at)


@router.get("/jobs/{job_id}/hand-over.pdf")
def pdf(at: Opened) -> Response:
    """The same as a PDF to print, file and send."""
    context = {
        **page(at),
        "_drawing": drawn(one_line(at.design, standalone=True)),
        "_walls": walls_of(at, standalone=True),
        "figures": at.design.figures,
    }
    html = templates.get_template("pack.html").render(**context)
    return Response(
        pack.to_pdf(html),
        media_type="application/pdf",
        headers={"Content-Disposition": f'inline; filename="hand-over-{at.job.id}.pdf"'},
    )


@router.post("/jobs/{job_id}/sign")
def sign(request: Request, at: Opened) -> Response:
    """A supervisor signs: only when nothing is missing, and for the plan version that was on the
    page.
    """
    visit = at.visit
    visit.needs("supervisor")
    if at.standing.signed:
        return RedirectResponse(f"/jobs/{at.job.id}/hand-over", 303)
    gaps = missing(at)
    seen = (at.job.version, at.job.log_head)
    moved = ["The job changed since this page was read. Read it again, then sign."]
    if visit.text("digest") != records.plan_digest(at.plan):
        gaps = moved
    if gaps:
        return render(request, "hand_over.html", page(at, "Not signed. " + " ".join(gaps)), 409)
    body = {
        "plan_version": seen[0],
        "plan_digest": records.plan_digest(at.plan),
        "log_head": seen[1],
        "statement": pack.STATEMENT,
    }
    try:
        records.append(
            visit.db,
            at.job,
            "sign",
            body,
            visit.who,
            visit.role,
            visit.text("at_device")[:40],
            seen=seen,
        )
    except records.Moved:
        return render(request, "hand_over.html", page(at, "Not signed. " + moved[0]), 409)
    visit.db.commit()
    return RedirectResponse(f"/jobs/{at.job.id}/hand-over", 303)


@router.post("/jobs/{job_id}/reopen")
def reopen(request: Request, at: Opened) -> Response:
    """Thaw a signed job, with the reason kept in its log."""
    visit = at.visit
    visit.needs("supervisor")
    reason = visit.text("reason")[:500]
    if not reason:
        return render(
            request, "hand_over.html", page(at, "Type why the job is opened again.", ""), 422
        )
    if at.standing.signed:
        records.append(
            visit.db,
            at.job,
            "reopen",
            {"reason": reason},
            visit.who,
            visit.role,
            visit.text("at_device")[:40],
        )
        visit.db.commit()
    return RedirectResponse(f"/jobs/{at.job.id}/hand-over", 303)
