"""The crew's certificate that its papers are sealed with, and the check of a PDF given back."""

from __future__ import annotations

from datetime import UTC, datetime
from typing import Any

from fastapi import APIRouter, Request
from fastapi.responses import RedirectResponse, Response
from sqlalchemy import select

from gumboot.background.tasks import seal_of
from gumboot.exports.certificate import BadSeal, Checked, ends, fingerprint, subject
from gumboot.store import handing, records
from gumboot.store.models import Job
from gumboot.web.pages.frame import render, twin
from gumboot.web.people.visit import Visit, Visiting, uploaded

router = APIRouter()
MOST_PDF = 60_000_000


def page(visit: Visit, **more: Any) -> dict[str, Any]:
    """What the page shows."""
    seal_of(visit.db, visit.crew_id)
    rows = handing.certificates(visit.db, visit.crew_id)
    now = datetime.now(UTC)
    return {
        "_visit": visit,
        "certificates": [
            {
                "subject": subject(r.certificate),
                "fingerprint": fingerprint(r.certificate),
                "kind": r.kind,
                "by": r.made_by,
                "at": r.made_at.isoformat(),
                "ends": ends(r.certificate).date().isoformat(),
                "over": ends(r.certificate) < now,
            }
            for r in rows
        ],
        "fault": "",
        "checked": None,
        "name": "",
        "job": None,
        **more,
    }


@twin(router, "/seal", "seal.html")
def seal(request: Request, visit: Visiting) -> dict[str, Any]:
    """The certificate in use, and those of before."""
    found = page(visit)
    visit.db.commit()
    return found


@router.get("/seal.pem")
def certificate(visit: Visiting) -> Response:
    """The certificate in use, without its key: for whoever checks our papers."""
    text = seal_of(visit.db, visit.crew_id).certificate
    visit.db.commit()
    name = {"Content-Disposition": 'attachment; filename="crew.pem"'}
    return Response(text, media_type="application/x-pem-file", headers=name)


@router.post("/seal")
def keep(request: Request, visit: Visiting) -> Response:
    """Put a bought certificate in use."""
    from gumboot.exports.seal import read_seal

    visit.needs("supervisor")
    sent = uploaded(visit, "file")
    try:
        if sent is None:
            raise BadSeal("choose the .p12 or .pfx file of the certificate")
        data = sent.file.read(1_000_001)
        if len(data) > 1_000_000:
            raise BadSeal("this file is too large for a certificate: choose the .p12 or .pfx file")
        made = read_seal(data, visit.text("password"), datetime.now(UTC))
    except BadSeal as exc:
        return render(request, "seal.html", page(visit, fault=str(exc)), 422)
    handing.keep_seal(visit.db, visit.crew_id, made.pkcs12, made.certificate, "bought", visit.who)
    about = {"subject": subject(made.certificate), "fingerprint": fingerprint(made.certificate)}
    visit.tells("seal", **about)
    visit.db.commit()
    return RedirectResponse("/seal", 303)


@router.post("/seal/check")
def checked(request: Request, visit: Visiting) -> Response:
    """Check a PDF that was given back."""
    from gumboot.exports.seal import check

    sent = uploaded(visit, "pdf")
    if sent is None:
        again = page(visit, checked=Checked(why="choose the PDF to check"))
        return render(request, "seal.html", again, 422)
    data = sent.file.read(MOST_PDF)
    known = [r.certificate for r in handing.certificates(visit.db, visit.crew_id)]
    found = check(data, known)
    name = (sent.filename or "")[:120]
    context = page(visit, checked=found, name=name, job=job_of(visit, found))
    return render(request, "seal.html", context, 200 if found.whole and found.known else 422)


def job_of(visit: Visit, found: Checked) -> dict[str, Any] | None:
    """The crew's job that a sealed PDF names, and whether its log still holds the head named."""
    job = visit.db.scalar(select(Job).where(Job.uid == found.uid)) if found.uid else None
    if job is None:
        return None
    rows = records.entries(visit.db, job)
    at = next((e for e in rows if e.hash == found.head), None)
    began = found.head == "" or (not rows) or at is not None
    return {
        "id": job.id,
        "name": job.name,
        "version": found.version,
        "now": job.version,
        "entry": at.seq if at else None,
        "entries": len(rows),
        "holds": began,
    }
