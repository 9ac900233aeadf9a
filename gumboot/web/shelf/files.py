"""What goes into the shelf from files, and out of it: entries as JSON under the published schema,
long lists of modules as CSV, SunSpec models as menu lines, data sheets and photographs.

A file is taken whole or not at all.
"""

from __future__ import annotations

import hashlib
import json
from typing import Any

from fastapi import APIRouter, Request
from fastapi.responses import JSONResponse, RedirectResponse, Response
from pydantic import ValidationError
from sqlalchemy import func, select
from sqlalchemy.dialects.postgresql import insert

from gumboot.core.kit import entry as entry_type
from gumboot.core.kit import schema_text
from gumboot.core.kit.dbc import MOST_DBC, BadDbc, read_dbc
from gumboot.imports.interval import Unreadable
from gumboot.imports.modules import read_modules
from gumboot.imports.sunspec import menu_of_model
from gumboot.store import shelf
from gumboot.store.models import KitEdition, KitLibrary, KitSheet
from gumboot.web.job.saving import plain_faults
from gumboot.web.pages.frame import render, twin
from gumboot.web.people.visit import Visit, Visiting, uploaded
from gumboot.web.shelf.page import listed, newest_of, no_such
from gumboot.web.shelf.sheets import NAMES

router = APIRouter()
MOST_ENTRIES = 500
MOST_SHEET = 7_500_000
KINDS_OF_SHEET = {
    b"%PDF": "application/pdf",
    b"\xff\xd8\xff": "image/jpeg",
    b"\x89PNG": "image/png",
}
Faults = list[tuple[str, str]]


@router.get("/shelf.schema.json")
def schema() -> Response:
    """The published schema of a file of entries."""
    return Response(schema_text(), media_type="application/schema+json")


@router.get("/shelf/export.json")
def export(visit: Visiting) -> Response:
    """The crew's own shelf, every entry at its newest edition."""
    rows = [r for r in newest_of(visit) if r.crew_id is not None]
    visit.tells("exported", what=f"the shelf, {len(rows)} entries")
    visit.db.commit()
    return JSONResponse(
        [r.body for r in rows],
        headers={"Content-Disposition": 'attachment; filename="shelf.gumboot.json"'},
    )


@router.get("/shelf/{entry}/file.json", response_model=None)
def as_file(request: Request, visit: Visiting, entry: str) -> Response:
    """One entry as a file."""
    row = shelf.newest(visit.db, visit.crew_id, entry)
    if row is None:
        return no_such(request)
    return JSONResponse(
        [row.body],
        headers={"Content-Disposition": f'attachment; filename="{row.entry}.gumboot.json"'},
    )


def read_entries(data: bytes) -> tuple[list[dict[str, Any]], Faults]:
    """(the entries, (path, what is wrong) of each fault) of a file of one entry or many."""
    try:
        found = json.loads(data.decode("utf-8-sig"))
    except UnicodeDecodeError as exc:
        return [], [("file", f"not UTF-8 text (byte {exc.start})")]
    except json.JSONDecodeError as exc:
        return [], [(f"line {exc.lineno}, column {exc.colno}", f"not JSON: {exc.msg}")]
    except (RecursionError, ValueError):
        return [], [("file", "not JSON that can be read: nested too deep, or a number too long")]
    rows = found if isinstance(found, list) else [found]
    if not rows or len(rows) > MOST_ENTRIES:
        return [], [("file", f"holds {len(rows)} entries: give 1 to {MOST_ENTRIES} at once")]
    faults: Faults = []
    for i, row in enumerate(rows):
        faults += [(f"{i}/{path}".rstrip("/"), says) for path, says in faults_of(row)]
        if len(faults) >= 50:
            break
    ids = [r.get("id") for r in rows if isinstance(r, dict)]
    twice = {x for x in ids if isinstance(x, str) and ids.count(x) > 1}
    faults += [("file", f"two entries are called “{x}”") for x in sorted(twice)]
    return rows, faults[:50]


def faults_of(row: Any) -> Faults:
    """(path, what is wrong) of one entry as a file has it."""
    if not isinstance(row, dict):
        return [("", "not an entry: write an object with kind, id and what its sheet says")]
    try:
        made = entry_type.validate_python(row)
        json.dumps(row, allow_nan=False)
    except ValidationError as exc:
        return [(path.partition("/")[2] or "kind", says) for path, says in plain_faults(exc)]
    except ValueError:
        return [("", "holds a number that is none")]
    id = made.id
    if (
        not id.isascii()
        or not 0 < len(id) <= 40
        or not id.replace("-", "").replace("_", "").isalnum()
    ):
        return [("id", "type letters, figures and hyphens, 40 at most, such as own-h5")]
    text = json.dumps(row, ensure_ascii=False)
    if "\\u0000" in text or any("\ud800" <= c <= "\udfff" for c in text):
        return [("", "holds a character that no record may (a null, or half a surrogate pair)")]
    return []


def refused(request: Request, visit: Visit, faults: Faults) -> Response:
    """The shelf with what is wrong with a file."""
    context = {**listed(request=request, visit=visit), "faults": faults}
    return render(request, "shelf.html", context, 422)


@router.post("/shelf/import", response_model=None)
def take_in(request: Request, visit: Visiting) -> Response:
    """Take entries in: each a new one, or the next edition of the crew's own of that name."""
    visit.needs("planner", "supervisor")
    file = uploaded(visit, "file")
    if file is None:
        return refused(
            request, visit, [("file", "choose a file of entries (.json) or of modules (.csv)")]
        )
    data = file.file.read()
    if (file.filename or "").lower().endswith(".csv"):
        return take_modules(request, visit, data)
    rows, faults = read_entries(data)
    shipped = {r.entry for r in newest_of(visit) if r.crew_id is None}
    faults += [
        (f"{i}/id", f"“{r['id']}” is an example that ships with Gumboot: choose another id")
        for i, r in enumerate(rows)
        if isinstance(r, dict) and r.get("id") in shipped
    ]
    if faults:
        return refused(request, visit, faults)
    kinds = {}
    for row in rows:
        before = shelf.newest(visit.db, visit.crew_id, row["id"])
        if before is not None and before.kind != row["kind"]:
            visit.db.rollback()
            says = f"“{row['id']}” is {NAMES[before.kind][0]} on your shelf: choose another id"
            return refused(request, visit, [("file", says)])
        kept = shelf.save(visit.db, visit.crew_id, row, visit.who, before.edition if before else 0)
        visit.tells("kit", entry=kept.name, edition=kept.edition)
        kinds[kept.kind] = kept.entry
    visit.tells("imported", what=f"{len(rows)} entries of the shelf")
    visit.db.commit()
    kind = next(iter(kinds))
    to = f"/shelf/{kinds[kind]}?saved=1" if len(rows) == 1 else f"/shelf?kind={kind}"
    return RedirectResponse(to, 303)


def take_modules(request: Request, visit: Visit, data: bytes) -> Response:
    """Take a long list of modules in: they are found by their words, and put on the shelf one by
    one as they are wanted.
    """
    try:
        bodies = read_modules(data)
    except Unreadable as exc:
        return refused(request, visit, [("file", str(exc))])
    rows = [
        {
            "crew_id": visit.crew_id,
            "entry": b["id"],
            "name": f"{b['maker']} {b['model']}",
            "words": f"{b['maker']} {b['model']} {b['p_max_w']:g} W".lower(),
            "kept_by": visit.who,
            "body": b,
        }
        for b in bodies
    ]
    for start in range(0, len(rows), 1000):
        add = insert(KitLibrary).values(rows[start : start + 1000])
        new = {k: add.excluded[k] for k in ("name", "words", "kept_by", "body")}
        visit.db.execute(add.on_conflict_do_update(index_elements=["crew_id", "entry"], set_=new))
    visit.tells("imported", what=f"{len(rows)} modules")
    visit.db.commit()
    return RedirectResponse("/shelf/modules", 303)


@twin(router, "/shelf/modules", "modules.html")
def modules(request: Request, visit: Visiting) -> dict[str, Any]:
    """The crew's list of modules, found by words."""
    asked = request.query_params.get("q", "").replace("\x00", "")[:80]
    found = select(KitLibrary).where(KitLibrary.crew_id == visit.crew_id)
    for word in asked.lower().split()[:6]:
        found = found.where(KitLibrary.words.contains(word, autoescape=True))
    total = visit.db.scalar(
        select(func.count()).select_from(KitLibrary).where(KitLibrary.crew_id == visit.crew_id)
    )
    rows = visit.db.scalars(found.order_by(KitLibrary.name).limit(40)).all() if total else []
    return {"q": asked, "total": total or 0, "modules": [r.body for r in rows], "_visit": visit}


@router.post("/shelf/modules/take", response_model=None)
def take_module(request: Request, visit: Visiting) -> Response:
    """Put one module of the list on the shelf."""
    visit.needs("planner", "supervisor")
    row = visit.db.get(KitLibrary, (visit.crew_id, visit.text("entry")[:60]))
    if row is None:
        return no_such(request)
    before = shelf.newest(visit.db, visit.crew_id, row.entry)
    if before is None:
        kept = shelf.save(visit.db, visit.crew_id, row.body, visit.who, 0)
        visit.tells("kit", entry=kept.name, edition=kept.edition)
        visit.db.commit()
    return RedirectResponse(f"/shelf/{row.entry}", 303)


def own_entry(visit: Visit, entry: str, kind: str = "") -> KitEdition | None:
    """The newest edition of an entry of the crew's own, of a kind where one is asked."""
    visit.needs("planner", "supervisor")
    row = shelf.newest(visit.db, visit.crew_id, entry)
    return row if row and row.crew_id is not None and kind in ("", row.kind) else None


def changed(visit: Visit, row: KitEdition, body: dict[str, Any], back: str) -> Response:
    """Keep an entry as changed by a file, as its next edition."""
    kept = shelf.save(visit.db, visit.crew_id, body, visit.who, row.edition, row.sources)
    visit.tells("kit", entry=kept.name, edition=kept.edition)
    visit.db.commit()
    return RedirectResponse(f"/shelf/{row.entry}?{back}", 303)


@router.post("/shelf/{entry}/menu", response_model=None)
def add_menu(request: Request, visit: Visiting, entry: str) -> Response:
    """Add the points of a SunSpec model that can be written to the menu of an inverter."""
    row = own_entry(visit, entry, "inverter")
    if row is None:
        return no_such(request)
    file = uploaded(visit, "file")
    try:
        if file is None:
            raise Unreadable("Choose a model definition as JSON.")
        lines = menu_of_model(file.file.read())
    except Unreadable as exc:
        return refused(request, visit, [("file", str(exc))])
    there = row.said.get("menu", [])
    known = {m["id"] for m in there}
    body = {**row.said, "menu": [*there, *(m for m in lines if m["id"] not in known)]}
    return changed(visit, row, body, "at=menu#menu")


@router.post("/shelf/{entry}/dbc", response_model=None)
def take_dbc(request: Request, visit: Visiting, entry: str) -> Response:
    """Take in what a pack's messages on CAN mean, as a DBC file; an empty file takes it out."""
    row = own_entry(visit, entry, "pack")
    if row is None:
        return no_such(request)
    file = uploaded(visit, "file")
    data = file.file.read(MOST_DBC * 4 + 1) if file else b""
    text = data.decode("utf-8", "replace").replace("\x00", "").replace("\r\n", "\n")
    try:
        if file is None or not file.filename:
            raise BadDbc("choose a DBC file of the pack's messages")
        if text.strip():
            read_dbc(text)
    except BadDbc as exc:
        return refused(request, visit, [("file", str(exc))])
    body = {k: v for k, v in row.said.items() if k != "dbc"}
    if text.strip():
        body["dbc"] = text
    return changed(visit, row, body, "saved=1")


@router.post("/shelf/{entry}/sheets", response_model=None)
def keep_sheet(request: Request, visit: Visiting, entry: str) -> Response:
    """Keep a data sheet or a photograph of a plate with an entry."""
    if own_entry(visit, entry) is None:
        return no_such(request)
    file = uploaded(visit, "file")
    data = file.file.read(MOST_SHEET + 1) if file else b""
    media = next((m for head, m in KINDS_OF_SHEET.items() if data.startswith(head)), "")
    if not media or len(data) > MOST_SHEET:
        says = "choose a PDF, JPEG or PNG of at most 7.5 MB"
        return refused(request, visit, [("file", says)])
    name = "".join(c for c in (file.filename or "sheet") if c.isprintable())[:120] if file else ""
    visit.db.add(
        KitSheet(
            crew_id=visit.crew_id,
            entry=entry,
            name=name or "sheet",
            media=media,
            digest=hashlib.sha256(data).hexdigest(),
            kept_by=visit.who,
            data=data,
        )
    )
    visit.db.commit()
    return RedirectResponse(f"/shelf/{entry}", 303)


@router.get("/shelf/{entry}/sheets/{number}", response_model=None)
def sheet(request: Request, visit: Visiting, entry: str, number: int) -> Response:
    """A kept sheet, as it came."""
    row = visit.db.get(KitSheet, number) if 0 < number < 2**31 else None
    if row is None or row.crew_id != visit.crew_id or row.entry != entry:
        return no_such(request)
    return Response(row.data, media_type=row.media, headers={"Content-Disposition": "inline"})
