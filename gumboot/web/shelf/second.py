"""A second person reads from the sheet what can hurt (torques, currents, voltages, what breaks,
polarity, order) without seeing what the first one typed; what differs is settled and recorded.
"""

from __future__ import annotations

from typing import Any

from fastapi import APIRouter, Request
from fastapi.responses import RedirectResponse, Response

from gumboot.core.basis import units
from gumboot.core.basis.patch import lookup
from gumboot.store import shelf
from gumboot.store.models import KitEdition, KitReading
from gumboot.web.pages.form import Field, convert
from gumboot.web.pages.frame import render
from gumboot.web.people.visit import Visit, Visiting
from gumboot.web.shelf.page import no_such, system_of
from gumboot.web.shelf.reading import Form, form_of, in_row, many, read, shown
from gumboot.web.shelf.sheets import SHEETS, Sheet

router = APIRouter()
HURTS = ("torque", "current", "voltage")
NAMED = ("conductors", "shutdown", "capacitor_wait_min", "poles", "curve", "trip_ma", "residual")
SAME = 0.006  # of a value: what the crew's units round away


def hurting(
    document: dict[str, Any], sheet: Sheet, system: units.System
) -> list[tuple[Field, str, str]]:
    """(field, what it is of, what stands there) of every value of an entry that can hurt."""
    out = []
    for section in sheet:
        for f in section.fields:
            if _hurts(f) and (there := _at(document, f, system)):
                out.append((f, section.title, there))
        for rows in section.rows:
            found = many(document, rows)
            for n, row in enumerate(found):
                what = str(row.get("label") or row.get("id") or row.get("name") or n + 1)
                for f, plain in zip(in_row(rows, n), rows.fields, strict=True):
                    if _hurts(plain) and (there := _at(row, plain, system)):
                        out.append((f, f"{rows.name.capitalize()} {n + 1}, {what}", there))
    return out


def _hurts(f: Field) -> bool:
    return f.kind in HURTS or f.path.rpartition("/")[2] in NAMED


def _at(document: dict[str, Any], f: Field, system: units.System) -> str:
    try:
        return shown(lookup(document, f.path), f, system)
    except KeyError:
        return ""


def agree(mine: str, theirs: str, f: Field, system: units.System) -> bool:
    """Whether two typed texts mean the same. Raises NotAQuantity for mine."""
    a, b = convert(mine, f, system), convert(theirs, f, system)
    if isinstance(a, float) and isinstance(b, int | float):
        return abs(a - b) <= SAME * max(abs(a), abs(b), 1e-9)
    if isinstance(a, list) and isinstance(b, list):
        return [str(x).strip().lower() for x in a] == [str(x).strip().lower() for x in b]
    return a == b


def stands_in(row: KitEdition, sheet: Sheet, path: str) -> str:
    """Where a value stands, as the first person said: the value itself, its row, its section."""
    section = next(
        (
            s.id
            for s in sheet
            if path in {f.path for f in s.fields} or any(path.startswith(r.path) for r in s.rows)
        ),
        "",
    )
    steps = path.split("/")
    keys = ["/".join(steps[:n]) for n in range(len(steps), 0, -1)]
    return next((str(row.sources[k]) for k in (*keys, section) if k in row.sources), "")


def page(
    request: Request,
    visit: Visit,
    row: KitEdition,
    typed: dict[str, str],
    faults: dict[str, str],
    differ: list[dict[str, str]],
    status: int = 200,
    says: str = "",
) -> Response:
    """The blind form; what differs beside what the first person typed."""
    system = system_of(visit, row.said, row.sources)
    asked = hurting(row.said, SHEETS[row.kind], system)
    context = {
        "row": row,
        "asked": [(f, of) for f, of, _ in asked],
        "typed": typed,
        "faults": faults,
        "differ": differ,
        "stands": {f.path: stands_in(row, SHEETS[row.kind], f.path) for f, _, _ in asked},
        "says": says,
        "units": system,
        "_visit": visit,
    }
    return render(request, "second_reading.html", context, status)


def mine(visit: Visit, entry: str) -> KitEdition | None:
    """The newest edition of an entry of the crew's own."""
    row = shelf.newest(visit.db, visit.crew_id, entry)
    return row if row is not None and row.crew_id is not None else None


OWN = (
    "You typed this edition yourself. A second reading is by another person, who has not seen what"
    " you typed."
)


@router.get("/shelf/{entry}/second", response_model=None)
def blind(request: Request, visit: Visiting, entry: str) -> Response:
    """What is to be read from the sheet, empty."""
    visit.needs("planner", "supervisor")
    row = mine(visit, entry)
    if row is None:
        return no_such(request)
    return page(request, visit, row, {}, {}, [], says=OWN if row.saved_by == visit.who else "")


@router.post("/shelf/{entry}/second", response_model=None)
def compare(request: Request, visit: Visiting, entry: str) -> Response:
    """Compare, have what differs settled, and record who read."""
    visit.needs("planner", "supervisor")
    row = mine(visit, entry)
    if row is None:
        return no_such(request)
    if row.saved_by == visit.who:
        return page(request, visit, row, {}, {}, [], 409, OWN)
    if visit.text("digest") != row.digest:
        late = "Somebody saved a newer edition meanwhile. Read that one."
        return page(request, visit, row, {}, {}, [], 409, late)
    system, sheet = system_of(visit, row.said, row.sources), SHEETS[row.kind]
    asked = hurting(row.said, sheet, system)
    typed = {f.path: visit.text(f.path)[:200] for f, _, _ in asked}
    faults, differ = {}, []
    for f, of, there in asked:
        if not typed[f.path]:
            faults[f.path] = "read it from the sheet and type it; “—” where the sheet is silent"
            continue
        plain = "—" if typed[f.path] in ("-", "–", "—") else typed[f.path]
        try:
            same = plain != "—" and agree(plain, there, f, system)
        except units.NotAQuantity as exc:
            faults[f.path] = str(exc)
            continue
        if not same:
            differ.append(
                {"path": f.path, "of": of, "label": f.label, "mine": plain, "theirs": there}
            )
    if faults:
        return page(request, visit, row, typed, faults, [], 422)
    settled = {d["path"]: visit.text(f"settle.{d['path']}") for d in differ}
    if any(v not in ("mine", "theirs") for v in settled.values()):
        return page(request, visit, row, typed, {}, differ)
    form = form_of(row.said, sheet, system, spare=False)
    for d in differ:
        if settled[d["path"]] == "mine":
            form.typed[d["path"]] = "" if d["mine"] == "—" else d["mine"]
    document = read(Form(form.typed, form.counts), row.said, sheet, system)
    kept = row
    if any(v == "mine" for v in settled.values()):
        checked = Form(form.typed, form.counts)
        document = read(checked, row.said, sheet, system)
        if checked.faults:
            return page(request, visit, row, typed, checked.faults, differ, 422)
        kept = shelf.save(visit.db, visit.crew_id, document, row.saved_by, row.edition, row.sources)
    body = {
        "values": len(asked),
        "differing": [{**d, "settled": settled[d["path"]]} for d in differ],
        "settled": True,
    }
    visit.db.add(
        KitReading(crew_id=visit.crew_id, entry=entry, digest=kept.digest, who=visit.who, body=body)
    )
    said = f"; {len(differ)} values differed" if differ else ""
    visit.tells("kit read", entry=kept.name, edition=kept.edition, differing=said)
    visit.db.commit()
    return RedirectResponse(f"/shelf/{entry}", 303)
