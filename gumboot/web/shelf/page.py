"""The shelf: its list, and each entry as a form in the order of its sheet."""

from __future__ import annotations

from typing import Any

from fastapi import APIRouter, Request
from fastapi.responses import RedirectResponse, Response
from sqlalchemy import select
from sqlalchemy.orm import load_only

from gumboot.core.basis import units
from gumboot.core.kit import MAINS
from gumboot.core.kit.dbc import BadDbc, read_dbc
from gumboot.core.kit.missing import Unit, missing
from gumboot.drawings.label_sheet import draw_labels
from gumboot.drawings.unit import counts_of, draw_block, draw_case
from gumboot.store import shelf
from gumboot.store.models import Crew, KitEdition, KitReading, KitSheet, KitState
from gumboot.web.pages.frame import drawn, render, twin
from gumboot.web.people.visit import Visit, Visiting
from gumboot.web.shelf.reading import Form, fields_of, form_of, in_row, read, rows_of, sent
from gumboot.web.shelf.sheets import NAMES, SHEETS, Sheet
from gumboot.web.shelf.sheets.inverter import MEANS
from gumboot.web.shelf.sheets.parts import slug

router = APIRouter()


def system_of(
    visit: Visit, body: dict[str, Any] | None = None, sources: dict[str, Any] | None = None
) -> units.System:
    """The units that bare numbers of a sheet are in: as chosen on its page, as it was entered, as
    its supply has it, or the crew's own.
    """
    crew = visit.db.get(Crew, visit.crew_id)
    said = visit.text("units") or (sources or {}).get("units")
    if not said and body and body.get("supply"):
        mains = MAINS.get(str(body["supply"]))
        said = "us" if mains and mains.american else "si"
    said = said or (crew.defaults.get("units") if crew else "")
    return "us" if said == "us" else "si"


def newest_of(visit: Visit) -> list[KitEdition]:
    """The newest edition of everything a crew sees, its own first."""
    return [*shelf.own(visit.db, visit.crew_id), *shelf.shipped(visit.db)]


def readings(visit: Visit) -> dict[str, list[str]]:
    """Who has read which edition a second time, by its digest."""
    out: dict[str, list[str]] = {}
    asked = select(KitReading).where(KitReading.crew_id == visit.crew_id).order_by(KitReading.id)
    for r in visit.db.scalars(asked):
        if r.body.get("settled"):
            out.setdefault(r.digest, []).append(r.who)
    return out


def read_words(row: KitEdition, second: dict[str, list[str]]) -> str:
    """How often an edition was read: what ships is an example, and nobody's reading."""
    if row.crew_id is None:
        return "ships with Gumboot"
    who = second.get(row.digest)
    return (
        f"read twice, by {row.saved_by} and {who[-1]}" if who else f"read once, by {row.saved_by}"
    )


def lacks(row: KitEdition) -> list[Any]:
    """What the sheet of an edition still lacks."""
    entry = shelf.parsed(row.digest, row.body)
    return list(missing(entry)) if isinstance(entry, Unit) else []


@twin(router, "/shelf", "shelf.html")
def on_the_shelf(request: Request, visit: Visiting) -> dict[str, Any]:
    """Everything on the shelf, by kind."""
    return listed(request, visit)


def listed(request: Request, visit: Visit) -> dict[str, Any]:
    """What the page of the shelf shows."""
    kind = request.query_params.get("kind", "")
    kind = kind if kind in SHEETS else "inverter"
    rows, second = newest_of(visit), readings(visit)
    away = shelf.hidden(visit.db, visit.crew_id)
    return {
        "kind": kind,
        "counts": {k: sum(r.kind == k for r in rows) for k in SHEETS},
        "entries": [
            {
                "id": r.entry,
                "name": r.name,
                "edition": r.edition,
                "own": r.crew_id is not None,
                "read": read_words(r, second),
                "missing": len(lacks(r)),
                "hidden": r.entry in away,
                "saved": r.saved_at,
            }
            for r in rows
            if r.kind == kind
        ],
        "hide_examples": shelf.hides_examples(visit.db, visit.crew_id),
        "faults": [],
        "_names": NAMES,
        "_visit": visit,
    }


def blank(kind: str) -> dict[str, Any]:
    """What a new entry of a kind begins with."""
    return {"kind": kind}


def drawings(document: dict[str, Any]) -> dict[str, Any]:
    """What can be drawn of an entry as it stands."""
    enclosure = document.get("enclosure")
    case = draw_case(enclosure) if isinstance(enclosure, dict) else ""
    sheet = SHEETS.get(str(document.get("kind")), ())
    return {
        "case": drawn(case),
        "block": drawn(draw_block(document, counts_of(document))),
        "labels": drawn(draw_labels(document) if document.get("kind") == "labels" else ""),
        "some": any(s.id in ("case", "block", "terminals") for s in sheet),
    }


def open_sections(sheet: Sheet, form: Form, wanted: str) -> set[str]:
    """The sections that stand open: those with something in them, a fault, or asked for."""
    out = {s.id for s in sheet if not s.folds or s.id == wanted}
    typing = bool(wanted or form.faults)
    for s in sheet:
        names = [f.path for f in s.fields]
        names += [f.path for r in s.rows for n in range(form.counts[r.path]) for f in in_row(r, n)]
        filled = typing and any(form.typed.get(n) for n in names)
        if filled or any(n in form.faults for n in names) or wanted in {r.path for r in s.rows}:
            out.add(s.id)
    return out


def shown(
    visit: Visit,
    kind: str,
    form: Form,
    document: dict[str, Any],
    row: KitEdition | None,
    wanted: str = "",
    **more: Any,
) -> dict[str, Any]:
    """What the page of an entry shows."""
    sheet = SHEETS[kind]
    known = {f.path for f in fields_of(sheet, form.counts)}
    labels = {f.path: f"{s.title}: {f.label}" for s in sheet for f in s.fields} | {
        f.path: f"{r.name.capitalize()} {n + 1}: {f.label.lower()}"
        for r in rows_of(sheet)
        for n in range(form.counts[r.path])
        for f in in_row(r, n)
    }
    own = row is not None and row.crew_id is not None
    second = readings(visit)
    return {
        "kind": kind,
        "entry": None
        if row is None
        else {
            "id": row.entry,
            "name": row.name,
            "edition": row.edition,
            "digest": row.digest,
            "own": own,
            "read": read_words(row, second),
            "saved_by": row.saved_by,
            "saved": row.saved_at,
            "body": row.said,
            "sources": row.sources,
            "missing": [vars(m) for m in lacks(row)],
        },
        "editions": [
            {
                "edition": e.edition,
                "by": e.saved_by,
                "saved": e.saved_at,
                "read": read_words(e, second),
            }
            for e in (shelf.editions(visit.db, visit.crew_id, row.entry) if row else [])
        ],
        "sheets": sheets_of(visit, row.entry) if row else [],
        "dbc": messages_of(row.said) if row else [],
        "faults": form.faults,
        "saved": "",
        "theirs": None,
        "_form": form,
        "_sheet": sheet,
        "_row_fields": {
            r.path: [in_row(r, n) for n in range(form.counts[r.path])] for r in rows_of(sheet)
        },
        "_odd": {k: v for k, v in form.faults.items() if k not in known},
        "_labels": labels,
        "_open": open_sections(sheet, form, wanted),
        "_wanted": wanted,
        "_drawn": drawings(document),
        "_name": NAMES[kind][0],
        "_meanings": list(MEANS.items()),
        "_may": visit.role != "installer" and (row is None or own),
        "_visit": visit,
        **more,
    }


def messages_of(document: dict[str, Any]) -> list[str]:
    """The names of a pack's messages on CAN."""
    try:
        return [m.name for m in read_dbc(str(document.get("dbc") or "")).messages]
    except BadDbc:
        return []


def sheets_of(visit: Visit, id: str) -> list[dict[str, Any]]:
    """The sheets and photographs kept with an entry."""
    asked = (
        select(KitSheet)
        .where(KitSheet.crew_id == visit.crew_id, KitSheet.entry == id)
        .options(load_only(KitSheet.id, KitSheet.name, KitSheet.media, KitSheet.kept_by))
        .order_by(KitSheet.id)
    )
    return [
        {"id": s.id, "name": s.name, "media": s.media, "by": s.kept_by}
        for s in visit.db.scalars(asked)
    ]


def no_such(request: Request) -> Response:
    """What is not on the shelf."""
    context = {
        "title": "Not on the shelf",
        "message": "Your crew has no entry of this name.",
        "back": "/shelf",
        "_visit": None,
    }
    return render(request, "message.html", context, 404)


@router.post("/shelf/examples", response_model=None)
def examples(visit: Visiting) -> Response:
    """Hide the invented examples from the crew's lists, or show them."""
    visit.needs("planner", "supervisor")
    crew = visit.db.get(Crew, visit.crew_id)
    assert crew is not None  # noqa: S101
    hides = visit.text("act") == "hide"
    crew.defaults = {**crew.defaults, "hide_examples": hides}
    visit.tells("kit hidden", act="hid" if hides else "took back", entry="the invented examples")
    visit.db.commit()
    return RedirectResponse("/shelf", 303)


@router.get("/shelf/new/{kind}", response_model=None)
def new(request: Request, visit: Visiting, kind: str) -> Response:
    """A new entry; from another one where `from` names it."""
    visit.needs("planner", "supervisor")
    if kind not in SHEETS:
        return no_such(request)
    source = request.query_params.get("from", "")
    row = shelf.newest(visit.db, visit.crew_id, source) if source else None
    document = {k: v for k, v in row.said.items() if k != "id"} if row else blank(kind)
    system = system_of(visit, document, row.sources if row else None)
    form = form_of(document, SHEETS[kind], system)
    if row and "model" in form.typed:
        form.typed["model"] += " (copy)"
    return render(
        request,
        "entry.html",
        shown(visit, kind, form, document, None, copied=source, edition=0, units=system),
    )


@router.post("/shelf/new/{kind}", response_model=None)
def create(request: Request, visit: Visiting, kind: str) -> Response:
    """Keep a new entry."""
    visit.needs("planner", "supervisor")
    if kind not in SHEETS:
        return no_such(request)
    source = visit.text("copied")
    row = shelf.newest(visit.db, visit.crew_id, source) if source else None
    before = {**row.said, "kind": kind} if row and row.kind == kind else blank(kind)
    return _keep(request, visit, kind, before, None)


@twin(router, "/shelf/{entry}", "entry.html")
def one(request: Request, visit: Visiting, entry: str) -> dict[str, Any] | Response:
    """One entry, at its newest edition or at the one asked for."""
    row = shelf.newest(visit.db, visit.crew_id, entry)
    if row is None:
        return no_such(request)
    asked = request.query_params.get("edition", "")
    if asked.isdecimal() and len(asked) < 8:
        every = shelf.editions(visit.db, visit.crew_id, entry)
        row = next((e for e in every if e.edition == int(asked)), row)
    system = system_of(visit, row.said, row.sources)
    form = form_of(row.said, SHEETS[row.kind], system, spare=row.crew_id is not None)
    said = {"1": "Saved.", "same": "Nothing had changed: no new edition."}
    out = shown(visit, row.kind, form, row.said, row, request.query_params.get("at", ""))
    newest = shelf.newest(visit.db, visit.crew_id, entry)
    out["_may"] = out["_may"] and newest is not None and newest.edition == row.edition
    return {
        **out,
        "saved": said.get(request.query_params.get("saved", ""), ""),
        "edition": row.edition,
        "copied": "",
        "units": system,
    }


@router.post("/shelf/{entry}", response_model=None)
def save(request: Request, visit: Visiting, entry: str) -> Response:
    """Save an edition of an entry."""
    visit.needs("planner", "supervisor")
    row = shelf.newest(visit.db, visit.crew_id, entry)
    if row is None:
        return no_such(request)
    if row.crew_id is None:
        return RedirectResponse(f"/shelf/new/{row.kind}?from={entry}", 303)
    return _keep(request, visit, row.kind, row.said, row)


def _keep(
    request: Request, visit: Visit, kind: str, before: dict[str, Any], row: KitEdition | None
) -> Response:
    sheet = SHEETS[kind]
    system = system_of(visit, before, row.sources if row else None)
    form, more = sent(visit.text, sheet), visit.text("more")
    version = visit.whole("version", 0) if row else 0
    if row is None:
        before = {**before, "id": "new"}  # its own comes with its name, once all else is right
    document = read(form, before, sheet, system)
    keep: dict[str, Any] = {
        "copied": visit.text("copied"),
        "edition": version,
        "sources": sources_of(visit, sheet, form),
        "units": system,
    }
    if more:
        wanted = more.removeprefix("row:")
        if wanted in form.counts:
            most = next(r.most for r in rows_of(sheet) if r.path == wanted)
            form.counts[wanted] = min(most, form.counts[wanted] + 1)
            for f in fields_of(sheet, form.counts):
                form.typed.setdefault(f.path, "")
        form.faults = {}
        return render(
            request, "entry.html", shown(visit, kind, form, document, row, wanted, **keep)
        )
    if form.faults:
        return render(request, "entry.html", shown(visit, kind, form, document, row, **keep), 422)
    if row is None:
        document["id"] = _free(visit, document)
    try:
        kept = shelf.save(visit.db, visit.crew_id, document, visit.who, version, keep["sources"])
    except shelf.Changed as race:
        theirs = form_of(race.theirs.said, sheet, system)
        said = {
            "who": race.theirs.saved_by,
            "edition": race.theirs.edition,
            "rows": [
                (p, form.typed.get(p, ""), theirs.typed.get(p, ""))
                for p in form.typed
                if form.typed.get(p, "") != theirs.typed.get(p, "")
            ],
        }
        again = {**keep, "edition": race.theirs.edition, "theirs": said}
        return render(request, "entry.html", shown(visit, kind, form, document, row, **again), 409)
    same = row is not None and kept.edition == row.edition
    if not same:
        visit.tells("kit", entry=kept.name, edition=kept.edition)
    visit.db.commit()
    return RedirectResponse(f"/shelf/{kept.entry}?saved={'same' if same else 1}", 303)


def sources_of(visit: Visit, sheet: Sheet, form: Form) -> dict[str, str]:
    """Where the values of each section stand, as typed; and single values, rows of values, that
    stand elsewhere.
    """
    rows = [f"{r.path}/{n}" for r in rows_of(sheet) for n in range(form.counts[r.path])]
    single = [f.path for s in sheet for f in s.fields] + rows
    said = {k: visit.text(f"source.{k}")[:200] for k in (*(s.id for s in sheet), *single)}
    said["units"] = "us" if visit.text("units") == "us" else "si"
    return {k: v for k, v in said.items() if v}


def _free(visit: Visit, document: dict[str, Any]) -> str:
    """An id that nothing on the shelf has, by the name of the entry."""
    named = f"{document.get('maker', '')} {document.get('model', '')}".strip()
    id = slug(named or str(document.get("label") or document["kind"]), 32).replace("+", "-")
    n, out = 2, id.strip("-") or document["kind"]
    base = out
    while shelf.newest(visit.db, visit.crew_id, out) is not None:
        out, n = f"{base}-{n}", n + 1
    return out


@router.post("/shelf/draw/{kind}", response_model=None)
def draw(request: Request, visit: Visiting, kind: str) -> Response:
    """What has been typed by now, drawn."""
    if kind not in SHEETS:
        return no_such(request)
    sheet = SHEETS[kind]
    document = read(sent(visit.text, sheet), blank(kind), sheet, system_of(visit))
    return render(request, "entry_drawn.html", {"_drawn": drawings(document)})


@router.post("/shelf/{entry}/hide", response_model=None)
def hide(request: Request, visit: Visiting, entry: str) -> Response:
    """Keep an entry out of the crew's lists, or take it back in."""
    visit.needs("planner", "supervisor")
    row = shelf.newest(visit.db, visit.crew_id, entry)
    if row is None:
        return no_such(request)
    state = visit.db.get(KitState, (visit.crew_id, entry)) or KitState(
        crew_id=visit.crew_id, entry=entry, stock={}
    )
    state.hidden = visit.text("act") == "hide"
    visit.db.add(state)
    visit.tells("kit hidden", act="hid" if state.hidden else "took back", entry=row.name)
    visit.db.commit()
    return RedirectResponse(f"/shelf?kind={row.kind}", 303)
