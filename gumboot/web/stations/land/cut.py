"""Cut list, labels and placards: what is made ready at the bench. Part of the Land station."""

from __future__ import annotations

import uuid
from datetime import UTC, datetime
from typing import Any

from fastapi import APIRouter, Request
from fastapi.responses import RedirectResponse, Response

from gumboot.catalogue import catalogue
from gumboot.core.basis.figure import Figure
from gumboot.core.basis.finding import Change
from gumboot.core.basis.sizes import spoken
from gumboot.core.basis.units import FT_M, NotAQuantity, parse
from gumboot.core.kit import LabelStock
from gumboot.core.land import illegal
from gumboot.core.land.cutting import Lot, cut_list, list_pieces
from gumboot.core.land.entering import Entered, entry_body
from gumboot.core.land.labels import Label, list_labels
from gumboot.core.land.placards import list_placards
from gumboot.core.plan import Reel
from gumboot.drawings.reels import draw_reels
from gumboot.exports.labels import PAPER, labels_csv, sheets
from gumboot.exports.materials import as_csv
from gumboot.store import records
from gumboot.web.background import printed
from gumboot.web.job.opening import Opened, OpenJob, today
from gumboot.web.job.saving import change
from gumboot.web.pages.frame import drawn, render, twin
from gumboot.web.people.defaults import of_crew, paper_of
from gumboot.web.stations.hand_over.links import code_of, shared_link
from gumboot.web.stations.land.store_reels import MOST, in_store, put, take

router = APIRouter()
POLES = {"+": "DC+", "−": "DC−"}  # a cell that starts with a sign is a formula to some


def lots_of(job: OpenJob) -> list[Lot]:
    """The cut list of a job."""
    d = job.design
    routed = {
        r.want.id
        for w in d.walls
        for r in w.routes
        if any(
            c.id == r.want.id and abs(c.conditions.run.length_m - round(r.length.n, 3)) < 1e-9
            for c in d.circuits
        )
    }
    reels = (*job.plan.reels, *in_store(job))
    return cut_list(list_pieces(d.circuits, d.terminations, routed, job.plan, d.catalogue), reels)


def lot_json(job: OpenJob, lot: Lot) -> dict[str, Any]:
    """One lot: its reels in cutting order, each piece with its ends."""
    p = lot.packed

    def piece(i: int) -> dict[str, Any]:
        x = lot.pieces[i]
        return {
            "id": x.id,
            "circuit": x.circuit,
            "number": x.number,
            "name": x.name,
            "conductors": x.conductors,
            "length_m": x.length.n,
            "how": how(x.length),
            "ends": [
                {
                    "key": t.key,
                    "label": t.label,
                    "method": t.method,
                    "strip_mm": t.strip_mm,
                    "tool": t.tool,
                    "die": t.die,
                    "stud": t.stud,
                    "sleeve_mm": t.sleeve_mm,
                    "place": t.place,
                }
                for t in x.ends
            ],
            "prepared": all(job.state_of(t).at > 0 for t in x.ends),
        }

    return {
        "cable": lot.cable.label,
        "cable_id": lot.cable.id,
        "size": lot.size,
        "spoken": spoken(lot.size) if "×" not in lot.size else lot.size,
        "colour": lot.colour,
        "proven": p.proven,
        "bought_m": p.bought / 100,
        "bound_m": p.bound / 100,
        "waste_m": sum(c.rest for c in p.cuts) / 100,
        "too_long": [piece(i) for i in p.too_long],
        "reels": [
            {
                "length_m": c.length / 100,
                "bought": c.bought,
                "rest_m": c.rest / 100,
                "pieces": [piece(i) for i in c.pieces],
            }
            for c in p.cuts
        ],
    }


def how(f: Figure) -> str:
    """A figure's working in one line: the numbers put in, and the source."""
    return (
        f"{f.put_in.replace(' * ', ' · ')} {f.unit}; {f.source}"
        if f.formula
        else f"{f.name}; {f.source}"
    )


def page(
    job: OpenJob, typed: dict[str, str] | None = None, faults: dict[str, str] | None = None
) -> dict[str, Any]:
    """What the cut list shows."""
    rows = [lot_json(job, lot) for lot in lots_of(job)]
    links = [
        {
            "name": x.name,
            "conductors": x.made_of,
            "from": x.here.label,
            "to": x.there.label,
            "length_m": x.length.n if x.length else None,
        }
        for x in (job.design.harness.leads if job.design.harness else ())
    ]
    return {
        **job.head("land"),
        "tab": "land/cut",
        "lots": rows,
        "links": links,
        "remnants": [r.model_dump() for r in job.plan.reels],
        "store": [r.model_dump() for r in in_store(job)],
        "typed": typed or {},
        "faults": faults or {},
        "kinds": sorted(
            {
                (
                    r["cable_id"],
                    r["size"],
                    r["colour"],
                    f"{r['spoken']} {r['colour']}, {r['cable']}",
                )
                for r in rows
            }
        ),
        "_reels": [drawn(draw_reels(lot, job.plan.units)) for lot in lots_of(job)],
    }


@twin(router, "/jobs/{job_id}/land/cut", "land_cut.html")
def cut(request: Request, job: Opened) -> dict[str, Any]:
    """The cut list, reel by reel."""
    return page(job)


@router.get("/jobs/{job_id}/land/cut.csv")
def cut_csv(job: Opened) -> Response:
    """The cut list as CSV, in the order of cutting."""
    rows: list[tuple[str, ...]] = []
    for lot in lots_of(job):
        for n, c in enumerate(lot.packed.cuts, 1):
            for i in c.pieces:
                p = lot.pieces[i]
                ends = [
                    f"{t.label}: {t.method}"
                    + (f", strip {t.strip_mm:g} mm" if t.strip_mm else "")
                    + (f", {t.die}" if t.die else "")
                    for t in p.ends
                ]
                rows.append(
                    (
                        str(len(rows) + 1),
                        lot.cable.label,
                        lot.size,
                        lot.colour,
                        f"{n}",
                        f"{c.length / 100:g}",
                        p.name,
                        POLES.get(p.conductors, p.conductors),
                        f"{p.length.n:.2f}",
                        f"{p.length.n / FT_M:.1f}",
                        " | ".join(ends),
                    )
                )
    head = (
        "order",
        "cable",
        "size",
        "colour",
        "reel",
        "reel_m",
        "circuit",
        "conductor",
        "cut_m",
        "cut_ft",
        "ends",
    )
    return Response(
        as_csv(head, rows),
        media_type="text/csv",
        headers={"Content-Disposition": f'attachment; filename="cut-list-{job.record.id}.csv"'},
    )


@router.post("/jobs/{job_id}/land/cut/remnant")
def remnant(request: Request, job: Opened) -> Response:
    """Add a reel or remnant, for this job or to the crew's store, or take one off again."""
    visit = job.visit
    visit.needs("planner", "supervisor")
    back = f"/jobs/{job.record.id}/land/cut"
    kept = [r.model_dump() for r in job.plan.reels]
    if (off := visit.text("off")).isdecimal():
        return change(
            request,
            job,
            (Change("/reels", [r for i, r in enumerate(kept) if i != int(off)]),),
            back,
        )
    store = in_store(job)
    if (off := visit.text("off-store")).isdecimal() and len(off) < 6:
        if int(off) < len(store):
            take(job, store[int(off)])
        return RedirectResponse(back, 303)
    typed = {k: visit.text(k) for k in ("kind", "length", "whose")}
    known = {f"{a}|{b}|{c}": (a, b, c) for a, b, c, _ in page(job)["kinds"]}
    faults = {} if typed["kind"] in known else {"kind": "choose the cable it is of"}
    length = 0.0
    try:
        length = parse(typed["length"], "length", job.plan.units)
        if not 0 < length <= 500:
            faults["length"] = "type a length of more than 0 and at most 500 m"
    except NotAQuantity as exc:
        faults["length"] = str(exc)
    if len(kept) >= 60:
        faults["kind"] = "at most sixty remnants can be kept: remove one first"
    if faults:
        return render(request, "land_cut.html", page(job, typed, faults), 422)
    cable, size, tint = known[typed["kind"]]
    if typed["whose"] == "crew":
        reel = Reel(cable=cable, size=size, colour=tint, length_m=round(length, 2))
        if put(job, reel):
            return RedirectResponse(back, 303)
        full = {"kind": f"the store holds {MOST} of this cable: take one off first"}
        return render(request, "land_cut.html", page(job, typed, full), 422)
    return change(
        request,
        job,
        (
            Change(
                "/reels",
                [
                    *kept,
                    {"cable": cable, "size": size, "colour": tint, "length_m": round(length, 2)},
                ],
            ),
        ),
        back,
    )


@router.post("/jobs/{job_id}/land/cut/prepared")
def prepared(request: Request, job: Opened) -> Response:
    """Log both ends of a piece as prepared, in one go, at the bench."""
    visit = job.visit
    visit.needs("installer", "supervisor")
    piece = next(
        (p for lot in lots_of(job) for p in lot.pieces if p.id == visit.text("piece")), None
    )
    for t in piece.ends if piece else ():
        if not illegal(job.state_of(t), "prepared"):
            kind, body = entry_body(
                Entered(t.key, t.label, "prepared", note="at the bench", seen=job.state.seq),
                t,
                job.state_of(t),
                None,
                today(),
                others_since=False,
            )
            own = str(
                uuid.uuid5(uuid.NAMESPACE_OID, f"{job.record.uid} {t.key} prepared {job.state.seq}")
            )
            records.append(
                visit.db,
                job.record,
                kind,
                body,
                visit.who,
                visit.role,
                visit.text("at_device")[:40],
                own,
            )
    visit.db.commit()
    return RedirectResponse(f"/jobs/{job.record.id}/land/cut#{visit.text('piece')[:80]}", 303)


def stocks_of(job: OpenJob) -> list[LabelStock]:
    """The crew's own label stocks, then what ships; never none."""
    ships = catalogue()
    some = job.choices.label_stocks or ships.label_stocks
    return sorted(some, key=lambda s: s.id in ships.entries)


def labels_of(request: Request, job: OpenJob) -> list[Label]:
    """The labels in the order asked for."""
    return list_labels(
        job.design.terminations,
        lots_of(job),
        "land" if request.query_params.get("order") == "land" else "cut",
    )


@twin(router, "/jobs/{job_id}/land/labels", "land_labels.html")
def labels(request: Request, job: Opened) -> dict[str, Any]:
    """Labels and placards, and the sheets they go on."""
    rows = labels_of(request, job)
    placards = list_placards(job.design, today())
    return {
        **job.head("land"),
        "tab": "land/labels",
        "order": "land" if request.query_params.get("order") == "land" else "cut",
        "labels": [{"key": x.key, "lines": list(x.lines)} for x in rows],
        "stocks": [
            {"id": s.id, "name": s.label, "kind": s.form, "paper": s.paper} for s in stocks_of(job)
        ],
        "placards": [
            {
                "id": p.id,
                "at": p.at,
                "word": p.word,
                "lines": list(p.lines),
                "clause": p.clause,
                "figures": [{"name": f.name, "text": f.exact, "how": how(f)} for f in p.figures],
                "count": p.count,
                "letters_mm": p.letters_mm,
                "reflective": p.reflective,
            }
            for p in placards
        ],
    }


@router.get("/jobs/{job_id}/land/labels.csv")
def labels_as_csv(request: Request, job: Opened) -> Response:
    """Every label as a line, for a label printer."""
    return Response(
        labels_csv(labels_of(request, job), str(request.base_url), job.record.id),
        media_type="text/csv",
        headers={"Content-Disposition": f'attachment; filename="labels-{job.record.id}.csv"'},
    )


@router.get("/jobs/{job_id}/land/labels.pdf")
def labels_pdf(request: Request, job: Opened) -> Response:
    """Sheets of labels for ?stock=, the first ?skip= places left free."""
    usual = of_crew(job.visit).get("labels", "")
    stocks = stocks_of(job)
    paper = paper_of(job.visit, job.plan.units)
    stock = next(
        (s for s in stocks if s.id == (request.query_params.get("stock") or usual)),
        next((s for s in stocks if s.paper == paper), stocks[0]),
    )
    asked = request.query_params.get("skip", "")
    skip = int(asked) % (stock.across * stock.down) if asked.isdecimal() and len(asked) < 4 else 0
    pages = list(sheets(labels_of(request, job), stock, str(request.base_url), job.record.id, skip))
    high, wide = stock.face or stock.height, stock.width / (2 if stock.form == "flag" else 1)
    qr = (
        0.0 if high < 15 else round(min(high - 2, 0.3 * wide, 18), 1)
    )  # a code smaller than this is not read
    points = round(
        min(9, (wide - qr - 2) / 12 * 72 / 25.4, (high - 2) / 4.6 * 72 / 25.4), 1
    )  # twenty figures to a line, four lines
    context = {
        "stock": stock,
        "pages": [
            [{"x": p.x, "y": p.y, "lines": p.label.lines, "qr": drawn(p.qr)} for p in places]
            for places in pages
        ],
        "paper": PAPER[stock.paper],
        "qr_mm": qr,
        "points": points,
        "high": high,
        "name": job.record.name,
    }
    return printed(request, job, "label_sheet.html", "labels", context)


@router.get("/jobs/{job_id}/land/placards.pdf")
def placards_pdf(request: Request, job: Opened) -> Response:
    """Placards and legends to print, engrave or order by; and the owner's code, where it is."""
    link = shared_link(request, job)
    context = {
        "placards": list_placards(job.design, today()),
        "name": job.record.name,
        "made": datetime.now(UTC).date().isoformat(),
        "paper": paper_of(job.visit, job.plan.units),
        "qr": code_of(link) if link else "",
    }
    return printed(request, job, "placard_sheet.html", "placards", context)
