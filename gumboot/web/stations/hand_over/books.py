"""Hand over: three books of one truth, made by workers and kept until what they are made from
changes. The owner's, the inspector's, the archive: one PDF/A-3 with its files inside, and a folder.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from fastapi import APIRouter, Request
from fastapi.responses import RedirectResponse, Response

from gumboot.background.tasks import seal_of
from gumboot.core.basis.units import show_torque
from gumboot.core.hand_over.built import differences, marks, setting_of
from gumboot.core.hand_over.devices import devices
from gumboot.core.hand_over.owner import Part, owners_book
from gumboot.core.land import Termination
from gumboot.core.land.placards import list_placards
from gumboot.drawings.one_line import one_line
from gumboot.exports.certificate import about
from gumboot.store import files, handing, records
from gumboot.store.database import see_crew
from gumboot.web.background import asked, made, waiting
from gumboot.web.job.jobs import document_of
from gumboot.web.job.opening import Opened, OpenJob, today
from gumboot.web.pages.frame import drawn, templates
from gumboot.web.people.defaults import PAPERS, contact_of, paper_of
from gumboot.web.stations.hand_over.after import faults_of, replaced, shown
from gumboot.web.stations.hand_over.links import code_of, shared_link
from gumboot.web.stations.hand_over.pack import anchored, orders_of, page, walls_of
from gumboot.web.stations.hand_over.visits import visits_page
from gumboot.web.stations.prove.given import curve_pages, of_circuits, of_strings
from gumboot.web.stations.size.calculations import calculations
from gumboot.web.stations.wake.order import initiators

router = APIRouter()
TAGGED, ARCHIVE = "pdf/ua-1", "pdf/a-3a"
BESIDE = ("plate.", "fixings.", "clear.", "block.")  # slots that stand beside their rows
CONTENTS = (
    ("drawing", "One-line drawing, as built"),
    ("built", "As built against as planned"),
    ("walls", "Walls and holes"),
    ("circuits", "Circuits"),
    ("devices", "Devices and serials"),
    ("terminations", "Terminations"),
    ("leads", "Signal leads"),
    ("calibrated", "Tools and instruments"),
    ("tests", "Tests and results"),
    ("walks", "Link, Wake and Set"),
    ("settings", "Settings"),
    ("placards", "Placards and legends"),
    ("order", "Switching off and on, with its proof"),
    ("duties", "Duties"),
    ("accepted", "Deviations accepted, and by whom"),
    ("after", "After the hand-over: visits, faults, parts"),
    ("photographs", "Photographs"),
    ("figures", "Calculation sheet: every figure with its formula"),
    ("record", "Record"),
    ("enclosed", "Enclosed files"),
)


def paper(request: Request, job: OpenJob) -> str:
    """The sheet asked for, or the crew's own."""
    asked_for = request.query_params.get("paper", "")
    return PAPERS.get(asked_for) or PAPERS[paper_of(job.visit, job.plan.units)]


def to_come(job: OpenJob, *kinds: str) -> Any:
    """The first long computation that a book waits for; None when all are there, or failed."""
    for kind in kinds:
        row = asked(job, kind)
        if row is None or (row.body is None and row.fault is None):
            return row or False
    return None


def owner_parts(job: OpenJob) -> tuple[Part, ...]:
    """The parts of the owner's book, with the year where it is there."""
    row = asked(job, "year")
    year = row.body if row is not None else None
    return owners_book(job.design, contact_of(job.visit), year, initiators(job))


def owner_context(request: Request, job: OpenJob) -> dict[str, Any]:
    """What the owner's book shows."""
    link = shared_link(request, job)
    signed = job.state.signed
    return {
        "job": {"name": job.record.name, "version": job.record.version},
        "address": job.plan.site.address,
        "crew": contact_of(job.visit).crew,
        "signed_at": signed.at_server if signed else "",
        "about": about(job.record.uid, job.record.version, job.record.log_head),
        "parts": owner_parts(job),
        "_walls": walls_of(job, standalone=True, plain=True),
        "paper": paper(request, job),
        "qr": code_of(link) if link else "",
    }


def marked(names: set[str], first: str) -> dict[str, str]:
    """A letter for each name, so that a row needs no more."""
    return {x: chr(ord(first) + n % 26) * (n // 26 + 1) for n, x in enumerate(sorted(names)) if x}


def hands_of(job: OpenJob) -> dict[str, str]:
    """Who and which tool made the terminations off: a letter each."""
    events = [e for rows in job.state.events.values() for e in rows]
    return {**marked({e.who for e in events}, "A"), **marked({e.tool for e in events}, "a")}


def termination_rows(job: OpenJob, hands: dict[str, str]) -> list[dict[str, Any]]:
    """The terminations, a line each."""
    return [termination_row(job, t, hands) for t in job.design.terminations]


def termination_row(job: OpenJob, t: Termination, hands: dict[str, str]) -> dict[str, Any]:
    """One termination as one line."""
    events, units = job.state.events.get(t.key, ()), job.plan.units
    turns = [e for e in events if e.act == "torqued"]
    last = events[-1] if events else None
    kinds = {"dead": "proven dead", "cover": "closed"}

    def read(again: bool) -> str:
        said = (
            (show_torque(e.torque_nm, units) if e.torque_nm else "tick")
            + ("" if e.verdict in ("good", "done") else f" {e.verdict}")
            for e in turns
            if e.again is again
        )
        return ", ".join(said)

    rated = show_torque(t.torque.n, units) if t.torque else kinds.get(t.kind, "click, tug")
    tool = hands.get(turns[-1].tool, "") if turns else ""
    by = (hands.get(last.who, ""), tool, last.at_server[5:10]) if last else ()
    first, again = read(False), read(True)
    state = job.state_of(t).state if events else "to do"
    return {
        "number": t.number,
        "place": t.place,
        "terminal": "" if t.kind == "dead" else t.terminal,
        "label": t.label,
        "rated": rated,
        "read": f"{first}; again {again}" if again else first,
        "state": " ".join(x for x in (f"{state}," if by else state, *by) if x),
    }


def serial_rows(job: OpenJob) -> list[dict[str, str]]:
    """Every device with what was noted of it."""
    out = []
    for x in devices(job.design):
        e = job.state.last.get("serial", {}).get(x.key)
        b = e.body if e else {}
        other = b.get("kit", "")
        out.append(
            {
                "key": x.key,
                "body": x.body,
                "label": x.label,
                "maker": x.maker,
                "model": x.model,
                "other": other if other != x.model else "",
                "serial": b.get("serial", ""),
                "found": b.get("firmware_found", ""),
                "left": b.get("firmware_left", ""),
            }
        )
    return out


def photographs(job: OpenJob) -> list[dict[str, str]]:
    """The job's photographs that stand on its pages."""
    kept = files.of_job(job.visit.db, job.record, "photo")
    return [
        {"digest": f.digest, "name": f.name, "who": e.who, "at": e.at_server, **e.body}
        for f in kept
        if (e := job.state.photos.get(f.digest))
    ]


def after_it(job: OpenJob) -> dict[str, list[dict[str, Any]]]:
    """What the record has of the time after the hand-over."""
    return {
        "visits": [v for v in visits_page(job)["visits"] if v["found"]],
        "faults": [shown(job, e) for e in faults_of(job)],
        "replaced": replaced(job),
    }


def inspector_context(
    request: Request, job: OpenJob, enclosed: Sequence[dict[str, Any]] = ()
) -> dict[str, Any]:
    """What the inspector's book shows, and the archive."""
    shared, d = page(job), job.design
    rows = {r["key"]: r for r in shared["tests"]}
    found, pictures = differences(d, job.state), photographs(job)
    other = marks(found, d)
    shots = {p["slot"]: p for p in pictures if p.get("slot")}
    beside = {k: p for k, p in shots.items() if k.startswith(BESIDE)}
    loose = [p for p in pictures if p["digest"] not in {x["digest"] for x in beside.values()}]
    since = after_it(job)
    has = {
        "after": any(since.values()),
        "leads": bool(shared["leads"]),
        "photographs": bool(loose),
        "enclosed": bool(enclosed),
    }
    hands = hands_of(job)
    keyed = {setting_of(x.about)[1]: x.built for x in found if x.what == "setting"}
    moved = {x.about: x.built for x in found if x.what == "place"}
    licensed = job.plan.survey.licensed if job.plan.survey else {}
    return {
        **shared,
        "archive": bool(enclosed),
        "about": about(job.record.uid, job.record.version, job.record.log_head),
        "paper": paper(request, job),
        "crew": contact_of(job.visit).crew,
        "contents": [(k, name) for k, name in CONTENTS if has.get(k, True)],
        "licences": [(k, v) for k, v in licensed.items() if v],
        "differences": found,
        "other": dict(other),
        "keyed_other": keyed,
        "moved": moved,
        "serials": serial_rows(job),
        "calibrated": [
            *((w.name, w.serial, w.calibrated_until.isoformat()) for w in job.wrenches),
            *(
                (x.name, x.serial, x.calibrated_until.isoformat())
                for x in records.instruments(job.visit.db)
            ),
        ],
        "hands": [{"mark": v, "name": k} for k, v in hands.items()],
        "terminations": termination_rows(job, hands),
        "strings": of_strings(job, rows),
        "circuits": of_circuits(job, rows),
        "placards": list_placards(d, today()),
        "photos": loose,
        "shots": beside,
        "since": since,
        "calculations": calculations(d),
        "enclosed": enclosed,
        "orders": orders_of(d),
        "_drawing": drawn(one_line(d, True, (), other)),
        "_walls": walls_of(job, standalone=True),
        "_curves": curve_pages(job),
        "parts": owner_parts(job) if enclosed else (),
    }


def sealed(job: OpenJob) -> dict[str, str]:
    """That a page carries the crew's seal, and why; by which seal, so that a new one makes it
    anew.
    """
    db, crew_id = job.visit.db, job.visit.crew_id
    row = handing.seal_row(db, crew_id)
    if row is None:  # the crew's first book
        seal_of(db, crew_id)
        row = handing.seal_row(db, crew_id)
    reason = f"{job.record.name}, plan version {job.record.version}, log entry {job.record.log_seq}"
    return {"seals": reason, "seal": str(row.id if row else "")}


def owner_page(request: Request, job: OpenJob) -> dict[str, Any]:
    """The owner's book as a worker is asked for it."""
    html = templates.get_template("owner_book.html").render(**owner_context(request, job))
    return {**sealed(job), "html": html, "name": f"owner-{job.record.id}", "variant": TAGGED}


def inspector_page(
    request: Request, job: OpenJob, enclosed: Sequence[dict[str, Any]] = ()
) -> dict[str, Any]:
    """The inspector's book, or the archive with what it encloses."""
    context = inspector_context(request, job, enclosed)
    html = templates.get_template("inspector.html").render(**context)
    if not enclosed:
        name = f"inspector-{job.record.id}"
        return {**sealed(job), "html": html, "name": name, "variant": TAGGED}
    return {
        **sealed(job),
        "html": html,
        "name": f"archive-{job.record.id}",
        "variant": ARCHIVE,
        "enclosed": list(enclosed),
        "encloses": True,
    }


def enclosed_of(job: OpenJob) -> list[dict[str, Any]]:
    """What goes into the archive: the job as a file, and every photograph."""
    rows: list[dict[str, Any]] = [
        {
            "name": "job.gumboot.json",
            "media": "application/json",
            "says": "The whole job: plan, kit, log, files",
            "text": document_of(job),
        }
    ]
    for n, p in enumerate(photographs(job), 1):
        says = f"{p['what']}{': ' + p['note'] if p['note'] else ''}"
        name = f"photographs/{n:03d}-{p['digest'][:8]}.jpg"
        rows.append({"name": name, "media": "image/jpeg", "says": says, "digest": p["digest"]})
    return rows


@router.get("/jobs/{job_id}/books/{book}.pdf")
def book(request: Request, job: Opened, book: str) -> Response:
    """A book as PDF: owner, inspector or archive. It waits for what stands in it."""
    here = f"/jobs/{job.record.id}/books/{book}.pdf"
    wants = {"owner": ("year",), "inspector": ("proof",), "archive": ("year", "proof")}
    if book not in wants:
        return RedirectResponse(f"/jobs/{job.record.id}/hand-over", 303)
    kinds = wants[book] if job.design.wake else tuple(k for k in wants[book] if k != "proof")
    row = to_come(job, *kinds)
    if row is not None:
        return waiting(request, job, here, row or None)
    if book == "owner":
        return made(request, job, owner_page(request, job))
    anchored(job, "pack")
    job.visit.db.commit()
    see_crew(job.visit.db, job.visit.crew_id)
    enclosed = enclosed_of(job) if book == "archive" else ()
    return made(request, job, inspector_page(request, job, enclosed))


@router.get("/jobs/{job_id}/books/archive.zip")
def folder(request: Request, job: Opened) -> Response:
    """The archive as a folder: both books, the job file, the photographs."""
    row = to_come(job, "year", *(("proof",) if job.design.wake else ()))
    if row is not None:
        return waiting(request, job, f"/jobs/{job.record.id}/books/archive.zip", row or None)
    load = {
        "name": f"archive-{job.record.id}",
        "pages": [owner_page(request, job), inspector_page(request, job)],
        "enclosed": enclosed_of(job),
    }
    return made(request, job, load)
