"""Hand over: signed by a supervisor, by a licensed electrician and the owner, each for their part;
and opened again.
"""

from __future__ import annotations

from fastapi import APIRouter, Request
from fastapi.responses import RedirectResponse, Response

from gumboot.core.hand_over.signing import STATEMENTS, NotSigned, signed_by
from gumboot.store import files, handing, records
from gumboot.web.background import made
from gumboot.web.job.opening import Opened, OpenJob
from gumboot.web.pages.frame import render
from gumboot.web.stations.hand_over.books import inspector_page
from gumboot.web.stations.hand_over.pack import anchored, kit_of, missing, page
from gumboot.web.stations.hand_over.visits import set_due

router = APIRouter()
LATER = ("licensed electrician", "owner")


def keep_pack(request: Request, job: OpenJob) -> str:
    """Keep the inspector's book as it stands before who signs, and return its digest."""
    html: str = inspector_page(request, job)["html"]
    about = {"version": job.record.version, "head": job.record.log_head}
    return files.keep(
        job.visit.db,
        job.record.id,
        "pack",
        f"pack-{job.record.version}.html",
        "text/html",
        html.encode(),
        about,
        job.visit.who,
    )


@router.get("/jobs/{job_id}/books/signed/{digest}.pdf")
def as_signed(request: Request, job: Opened, digest: str) -> Response:
    """The pack that a signature names, as it stood then."""
    kept = files.one(job.visit.db, job.record.id, digest)
    if kept is None or kept.kind != "pack":
        context = {
            "title": "No such pack",
            "message": "This job has no pack of that number.",
            "back": f"/jobs/{job.record.id}/hand-over",
            "_visit": job.visit,
        }
        return render(request, "message.html", context, 404)
    load = {"html": kept.data.decode(), "name": f"signed-{job.record.id}", "variant": "pdf/ua-1"}
    if job.record.imported_by and kept.kept_at <= job.record.created_at:
        return made(request, job, load)  # another crew's: not ours to seal
    return made(request, job, {**load, "seals": f"{job.record.name}, as signed, {digest[:16]}"})


def sign_part(
    job: OpenJob, part: str, name: str, licence: str, drawn: str, at_device: str, who: str
) -> None:
    """Keep the signature of one part over what the supervisor signed. Raises NotSigned."""
    signed = job.state.signed
    if signed is None:
        raise NotSigned("name", "a supervisor signs first")
    if part not in LATER:
        raise NotSigned("part", f"choose who signs: {' or '.join(LATER)}")
    name, drawn, licence = signed_by(name, drawn, licence, part)
    body = {
        "part": part,
        "name": name,
        "licence": licence,
        "statement": STATEMENTS[part],
        "drawn": drawn,
        "plan_version": signed.body["plan_version"],
        "plan_digest": signed.body["plan_digest"],
        "log_head": job.record.log_head,
        "pack": signed.body.get("pack", ""),
    }
    role = "owner" if part == "owner" else job.visit.role
    records.append(job.visit.db, job.record, "signature", body, who, role, at_device)


@router.post("/jobs/{job_id}/signature")
def signature(request: Request, job: Opened) -> Response:
    """A licensed electrician or the owner signs on this device."""
    visit = job.visit
    visit.needs("installer", "supervisor")
    typed = {k: visit.text(k) for k in ("part", "name", "licence", "drawn")}
    try:
        sign_part(job, **typed, at_device=visit.text("at_device")[:40], who=visit.who)
    except NotSigned as exc:
        again = {**page(job), "signing": {**typed, "field": exc.field, "fault": str(exc)}}
        return render(request, "hand_over.html", again, 422)
    visit.db.commit()
    return RedirectResponse(f"/jobs/{job.record.id}/hand-over#signed", 303)


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
    try:
        _, drawn, _ = signed_by(visit.who, visit.text("drawn"), "", "supervisor")
    except NotSigned as exc:
        said = f"Not signed: {exc}."
        return render(request, "hand_over.html", page(job, said), 422)
    body = {
        "plan_version": seen[0],
        "plan_digest": records.plan_digest(job.plan),
        "log_head": seen[1],
        "statement": STATEMENTS["supervisor"],
        "kit": kit_of(job),
        "drawn": drawn,
        "pack": keep_pack(request, job),
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
    set_due(job.anew())
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
        handing.set_visit(visit.db, visit.crew_id, job.record.id, None)
        visit.db.commit()
    return RedirectResponse(f"/jobs/{job.record.id}/hand-over", 303)
