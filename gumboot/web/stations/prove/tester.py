"""Readings of a multifunction tester from its file: columns chosen once and remembered, rows taken
for tests by what they are called, shown before they are kept. Part of Prove.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from typing import Any

from fastapi import APIRouter, Request
from fastapi.responses import RedirectResponse, Response

from gumboot.core.land.entering import Refused
from gumboot.core.prove.due import Due
from gumboot.imports.columns import Table, guessed, table_of
from gumboot.imports.interval import Unreadable
from gumboot.store.models import Crew
from gumboot.web.job.opening import Opened, OpenJob
from gumboot.web.pages.frame import render, twin
from gumboot.web.people.visit import uploaded
from gumboot.web.stations.prove.standing import dues_now
from gumboot.web.stations.prove.table import keep
from gumboot.web.stations.prove.walk import instruments_of

router = APIRouter()
MOST_TEXT, MOST_FOUND = 400_000, 200
HOLDS = {
    "": "nothing that is wanted",
    "place": "the circuit, place or label",
    "what": "which test it is",
    "value": "the reading",
    "unit": "its unit",
    "earth": "continuity of earth, Ω",
    "insulation": "insulation, MΩ",
    "loop": "loop impedance, Ω",
    "time": "trip time, ms",
    "ramp": "trip current, mA",
    "volts": "volts",
    "fault": "prospective current, A",
}
PATTERNS = {
    "place": r"circuit|location|place|label|point|object|comment|name|descr",
    "earth": r"r ?pe|r1 ?\+ ?r2|continu|r ?low|earth",
    "insulation": r"insul|r ?iso|m ?(ohm|Ω)|\bir\b",
    "loop": r"\bz|loop",
    "time": r"trip ?time|t ?rcd|\bms\b|rcd t",
    "ramp": r"trip ?curr|i ?rcd|ramp|\bma\b",
    "fault": r"psc|pfc|ipf|prosp|ipsc",
    "what": r"^test|function|measurement|type",
    "unit": r"^units?$",
    "value": r"value|result|reading|measured",
    "volts": r"^u|volt",
}
PREFIX = {
    "earth": ("earth.",),
    "insulation": ("insulation.", "wake.cold.insulation"),
    "loop": ("loop.",),
    "time": ("rcd.",),
    "ramp": ("rcd.",),
    "volts": ("volts.", "string."),
    "fault": ("fault.",),
}
ENDS = {"time": ".time", "ramp": ".ramp", "volts": "", "fault": ""}


def words(text: str) -> set[str]:
    """What a label is recognised by."""
    return {w for w in re.findall(r"[a-zà-ÿ0-9]+", text.lower()) if w not in ("of", "to", "the")}


def tests_of(dues: Sequence[Due], kind: str) -> list[Due]:
    """The tests that a kind of reading can be of."""
    ends = ENDS.get(kind, "")
    return [
        x
        for x in dues
        if not x.known and x.key.startswith(PREFIX.get(kind, ("?",))) and x.key.endswith(ends)
    ]


def likest(label: str, dues: Sequence[Due]) -> Due | None:
    """The test whose title a label is likest to: by its circuit's number, else by shared words; of
    equals none.
    """
    own = words(label)
    if not own:
        return dues[0] if len(dues) == 1 else None
    rows = []
    for x in dues:
        theirs = words(f"{x.title} {x.circuit}")
        numbers = {w for w in own if re.fullmatch(r"c?\d+", w)}
        circuits = {w for w in theirs if re.fullmatch(r"c\d+", w)}
        hit = any(w in circuits or f"c{w}" in circuits for w in numbers)
        rows.append((10 * hit + len(own & theirs) / len(own | theirs), x))
    rows.sort(key=lambda r: -r[0])
    if not rows or rows[0][0] < 0.15 or (len(rows) > 1 and rows[0][0] - rows[1][0] < 0.02):
        return None
    return rows[0][1]


def columns_of(job: OpenJob, table: Table) -> dict[int, str]:
    """What each column holds: as the form says, as remembered, else by its head."""
    crew = job.visit.db.get(Crew, job.visit.crew_id)
    kept = (crew.defaults.get("columns") or {}).get(f"tester {table.signature}") if crew else None
    if kept is not None:
        out = {int(k): v for k, v in kept.items()}
    else:
        out = {n: role for role, n in guessed(table, PATTERNS).items()}
    for n in range(len(table.heads)):
        text = job.visit.text(f"column-{n}")
        if f"column-{n}" in job.visit.form and text in HOLDS:
            out[n] = text
    return {n: v for n, v in out.items() if v}


def found_in(job: OpenJob, table: Table, columns: dict[int, str]) -> list[dict[str, Any]]:
    """Every reading of the table with the test it is taken for. Raises Unreadable where the columns
    leave nothing to read.
    """
    dues = dues_now(job)
    place = next((n for n, v in columns.items() if v == "place"), None)
    what = next((n for n, v in columns.items() if v == "what"), None)
    value = next((n for n, v in columns.items() if v == "value"), None)
    unit = next((n for n, v in columns.items() if v == "unit"), None)
    wide = {n: v for n, v in columns.items() if v in PREFIX}
    if not wide and (value is None or what is None):
        raise Unreadable(
            "Choose what the columns hold: the place, and a column for each kind of reading, or one"
            " for the test and one for its value."
        )
    out: list[dict[str, Any]] = []
    for n, r in enumerate(table.rows, table.skipped + 2):
        label = r[place] if place is not None and place < len(r) else ""
        cells = [(v, r[c]) for c, v in wide.items() if c < len(r) and r[c].strip()]
        if value is not None and what is not None and value < len(r) and r[value].strip():
            kind = next(
                (k for k in PREFIX if re.search(PATTERNS[k], r[what], re.IGNORECASE)), "earth"
            )
            own = r[unit] if unit is not None and unit < len(r) else ""
            cells.append((kind, f"{r[value]} {own}".strip()))
        for kind, text in cells:
            due = likest(label, tests_of(dues, kind))
            out.append(
                {
                    "line": n,
                    "label": label,
                    "kind": kind,
                    "typed": text,
                    "key": due.key if due else "",
                }
            )
    if not out:
        raise Unreadable("No line of the file holds a reading under these columns.")
    if len(out) > MOST_FOUND:
        raise Unreadable(f"The file has {len(out)} readings; at most {MOST_FOUND} at once.")
    return out


def page(job: OpenJob, **more: Any) -> dict[str, Any]:
    """What the page shows."""
    dues = [x for x in dues_now(job) if not x.known]
    return {
        **job.head("prove"),
        "tab": "prove/tester",
        "holds": HOLDS,
        "heads": [],
        "columns": {},
        "rows": [],
        "faults": {},
        "fault": "",
        "text": "",
        "tool": "",
        "tests": [{"key": x.key, "title": x.title} for x in dues],
        "tools": [f"{x.name} {x.serial}" for x in instruments_of(job)],
        "_may": job.visit.role != "planner" and job.state.signed is None,
        **more,
    }


@twin(router, "/jobs/{job_id}/prove/tester", "prove_tester.html")
def tester(request: Request, job: Opened) -> dict[str, Any]:
    """The page."""
    return page(job)


@router.post("/jobs/{job_id}/prove/tester")
def take(request: Request, job: Opened) -> Response:
    """Read a file and show what it is taken for; or keep what was shown."""
    visit = job.visit
    visit.needs("installer", "supervisor")
    file, text, tool = uploaded(visit, "file"), visit.text("text"), visit.text("tool")[:80]
    try:
        if file is None and not text:
            raise Unreadable("Choose the tester's file, as CSV.")
        data = file.file.read() if file is not None else text.encode()
        table = table_of(data)
        columns = columns_of(job, table)
        shown: dict[str, Any] = {
            "heads": list(table.heads),
            "columns": {str(k): v for k, v in columns.items()},
            "text": data.decode("utf-8", "replace") if len(data) <= MOST_TEXT else "",
            "tool": tool,
        }
    except Unreadable as exc:
        return render(request, "prove_tester.html", page(job, fault=str(exc), tool=tool), 422)
    try:
        rows = found_in(job, table, columns)
    except Unreadable as exc:
        return render(request, "prove_tester.html", page(job, **shown, fault=str(exc)), 422)
    for n, r in enumerate(rows):
        r["key"] = visit.text(f"row-{n}") if f"row-{n}" in visit.form else r["key"]
    if visit.text("act") != "keep" or job.state.signed:
        return render(request, "prove_tester.html", page(job, **shown, rows=rows))
    at = visit.text("at_device")[:40]
    faults: dict[str, str] = {}
    for n, r in enumerate(rows):
        if r["key"] in ("", "none"):
            continue
        try:
            note = f"tester's file, line {r['line']}: {r['label']}"
            keep(job, r["key"], _plain(r["typed"]), tool, at, "file", note)
        except Refused as exc:
            faults[str(n)] = str(exc)
    crew = visit.db.get(Crew, visit.crew_id)
    if crew is not None:
        kept = {**(crew.defaults.get("columns") or {})}
        kept[f"tester {table.signature}"] = {str(k): v for k, v in columns.items()}
        crew.defaults = {**crew.defaults, "columns": kept}
    visit.db.commit()
    if faults:
        context = page(job.anew(), **shown, rows=rows, faults=faults)
        return render(request, "prove_tester.html", context, 422)
    return RedirectResponse(f"/jobs/{job.record.id}/prove", 303)


KEEPS = ("ms", "s", "ma", "a", "v", "ka", "kω", "kΩ", "%")


def _plain(text: str) -> str:
    """A tester's cell as a hand would type it: "> 999 MOhm" as "> 999", "0.31 Ohm" as "0.31"."""
    found = re.match(r"\s*([<>]?\s*[-+]?\d+(?:[.,]\d+)?)\s*(.*)$", text)
    if not found:
        return text
    unit = found[2].strip().lower().replace("ohm", "ω")
    scale = unit[:1] if unit in ("gω", "g") else ""
    return f"{found[1].strip()} {unit if unit in KEEPS else scale}".strip()
