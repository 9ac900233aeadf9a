"""Curves taken in from files: I-V, a transfer, a load step, a discharge; and spots of heat. Part of
Prove.
"""

from __future__ import annotations

import uuid
from typing import Any

from fastapi import APIRouter, Request
from fastapi.responses import RedirectResponse, Response

from gumboot.core.journal.entry import Entry
from gumboot.core.land.entering import Refused
from gumboot.core.prove.hour import Spot, judged, spots_of
from gumboot.core.walk.entering import body_of
from gumboot.drawings.curves import Line, plot
from gumboot.imports.columns import Table, guessed, table_of
from gumboot.imports.interval import Unreadable
from gumboot.store import records
from gumboot.store.models import Crew
from gumboot.web.field.entry import Sent
from gumboot.web.job import walking
from gumboot.web.job.opening import Opened, OpenJob
from gumboot.web.pages.frame import drawn, render, twin
from gumboot.web.people.visit import uploaded
from gumboot.web.stations.prove.reading import KINDS, ROLES, Taken, taken
from gumboot.web.stations.prove.standing import dues_now, sky_at
from gumboot.web.stations.prove.table import keep
from gumboot.web.stations.prove.walk import closing, instruments_of

router = APIRouter()
MOST_TEXT = 900_000  # of a file that is carried on while its columns are chosen
MOST_SPOTS, MOST_SHOWN = 24, 30


def picture(e: Entry) -> str:
    """A kept curve as drawn."""
    v = e.body["values"]
    lines = [Line(x["name"], x["look"], x["x"], x["y"], x.get("edge")) for x in v.get("lines", ())]
    if not lines:
        return ""
    marks = [(m[0], m[1]) for m in v.get("marks", ())]
    return drawn(plot(lines, v["x_name"], v["y_name"], marks, e.body["label"]))


def page(job: OpenJob, **more: Any) -> dict[str, Any]:
    """What the page shows."""
    sky, newest = sky_at(job, ""), job.state.curves[: -MOST_SHOWN - 1 : -1]
    return {
        **job.head("prove"),
        "tab": "prove/curves",
        "kinds": KINDS,
        "what": "",
        "strings": [s.letter for s in job.design.strings],
        "string": "",
        "light": f"{sky.light:g}" if sky.light is not None else "",
        "cell": f"{sky.cell_c:g}" if sky.cell_c is not None else "",
        "fault": "",
        "heads": [],
        "roles": {},
        "chosen": {},
        "text": "",
        "curves": [
            {
                "label": e.body["label"],
                "what": e.body["what"],
                "says": e.body["says"],
                "verdict": e.body["verdict"],
                "who": e.who,
                "at": e.at_server,
                "values": {k: v for k, v in e.body["values"].items() if not isinstance(v, list)},
            }
            for e in newest
        ],
        "_pictures": [picture(e) for e in newest],
        "spots": [
            {"name": n, "rated": round(a, 1), "limit": c, "like": k}
            for n, a, c, k in spots_of(job.design)
        ],
        "heat": {},
        "heat_faults": {},
        "tools": [f"{x.name} {x.serial}" for x in instruments_of(job)],
        "_may": job.visit.role != "planner" and job.state.signed is None,
        **more,
    }


@twin(router, "/jobs/{job_id}/prove/curves", "prove_curves.html")
def curves(request: Request, job: Opened) -> dict[str, Any]:
    """The page."""
    return page(job)


def columns_of(job: OpenJob, table: Table, what: str) -> dict[str, int]:
    """Columns by role: as the form says, as remembered for these heads, or by their names."""
    roles = ROLES[what]
    crew = job.visit.db.get(Crew, job.visit.crew_id)
    kept = (crew.defaults.get("columns") or {}).get(f"{what} {table.signature}", {}) if crew else {}
    out = guessed(table, {k: r.pattern for k, r in roles.items()})
    out |= {k: int(n) for k, n in kept.items() if k in roles and int(n) < len(table.heads)}
    for k in roles:
        text = job.visit.text(f"column-{k}")
        if text.isdecimal() and int(text) < len(table.heads):
            out[k] = int(text)
        elif text == "none":
            out.pop(k, None)
    return out


def remember(job: OpenJob, table: Table, what: str, columns: dict[str, int]) -> None:
    """Keep which column is which, for the next file with these heads."""
    crew = job.visit.db.get(Crew, job.visit.crew_id)
    if crew is not None:
        kept = dict(crew.defaults.get("columns") or {})
        kept[f"{what} {table.signature}"] = columns
        while len(kept) > 60:
            kept.pop(next(iter(kept)))
        crew.defaults = {**crew.defaults, "columns": kept}


@router.post("/jobs/{job_id}/prove/curves")
def take(request: Request, job: Opened) -> Response:
    """Take a file in: what it says is kept with its curve, and stands as its test's reading."""
    visit = job.visit
    visit.needs("installer", "supervisor")
    names = ("what", "string", "light", "cell", "text", "tool")
    typed = {k: visit.text(k) for k in names}
    what, file = typed["what"], uploaded(visit, "file")
    back: dict[str, Any] = {**typed, "text": ""}
    if job.state.signed:
        back["fault"] = "The job is signed: a supervisor can reopen it at Hand over."
        return render(request, "prove_curves.html", page(job, **back), 409)
    try:
        if what not in ROLES:
            raise Unreadable("Choose what the file holds.")
        if file is None and not typed["text"]:
            raise Unreadable("Choose a file: CSV, a line of heads and a line for each sample.")
        data = file.file.read() if file is not None else typed["text"].encode()
        table = table_of(data)
        columns = columns_of(job, table, what)
        roles = ROLES[what]
        lacks = [r.says for k, r in roles.items() if r.needed and k not in columns]
        if lacks:
            carried = data.decode("utf-8", "replace") if len(data) <= MOST_TEXT else ""
            chosen = {k: columns.get(k, -1) for k in roles}
            back |= {"heads": list(table.heads), "chosen": chosen, "text": carried}
            back |= {"roles": {k: r.says for k, r in roles.items()}}
            raise Unreadable(f"Choose the column of: {', '.join(lacks)}.")
        found = taken(job, what, table, columns, typed)
    except (Unreadable, ValueError) as exc:
        back["fault"] = str(exc)[:1].upper() + str(exc)[1:]
        return render(request, "prove_curves.html", page(job, **back), 422)
    remember(job, table, what, columns)
    fault = keep_curve(job, found, typed["tool"], visit.text("at_device")[:40])
    visit.db.commit()
    if fault:
        return render(request, "prove_curves.html", page(job.anew(), **back, fault=fault), 422)
    return RedirectResponse(f"/jobs/{job.record.id}/prove/curves", 303)


def keep_curve(job: OpenJob, found: Taken, tool: str, at: str) -> str:
    """Keep a curve, and what it reads of a test that is due. What a test refuses is said."""
    visit = job.visit
    body = {
        "label": found.label,
        "what": found.what,
        "says": found.says,
        "verdict": found.verdict,
        "note": "",
        "values": found.values,
    }
    records.append(visit.db, job.record, "curve", body, visit.who, visit.role, at)
    if found.page:
        value = found.values.get("capacity_ah")
        read = (found.verdict, value, found.says)
        keep_page(job, found.page, f"{value:g} Ah", read, tool[:80], at)
    due = {x.key for x in dues_now(job)}
    for key, text, slack in found.readings:
        if key in due:
            try:
                keep(job, key, text, tool[:80], at, "file", found.says, slack)
            except Refused as exc:
                return f"The curve is kept; its reading is not: {exc}."
    return ""


@router.post("/jobs/{job_id}/prove/heat")
def heat(request: Request, job: Opened) -> Response:
    """Spots of heat, brought to rated current and the hottest day, and compared with their like."""
    visit = job.visit
    visit.needs("installer", "supervisor")
    known = spots_of(job.design)[:MOST_SPOTS]
    typed = {f"{k}{n}": visit.text(f"{k}{n}") for n in range(len(known)) for k in ("spot", "amps")}
    typed["air"] = visit.text("air")
    faults: dict[str, str] = {}

    def number(name: str, low: float, high: float, says: str) -> float:
        try:
            value = float(
                typed[name].replace(",", ".").removesuffix("°C").removesuffix("A").strip()
            )
        except ValueError:
            faults[name] = says
            return 0.0
        if not low <= value <= high:
            faults[name] = says
        return value

    air = number("air", -40, 60, "type the air's degrees, such as 24")
    spots = []
    for n, (name, rated, limit, like) in enumerate(known):
        if typed[f"spot{n}"] or typed[f"amps{n}"]:
            spot = number(f"spot{n}", -40, 300, "type degrees, such as 41")
            amps = number(f"amps{n}", 0.1, 5000, "type the amperes that flowed, such as 90")
            spots.append(Spot(name, spot, air, amps, rated, limit, like))
    if not spots and not faults:
        faults["air"] = "type at least one spot with its amperes"
    if faults or job.state.signed:
        context = page(job, heat=typed, heat_faults=faults)
        return render(request, "prove_curves.html", context, 422)
    ambient = job.plan.site.t_wall_c
    rows = [judged(s, ambient, spots) for s in spots]
    bad = [r for r in rows if r.verdict == "outside"]
    unsaid = [r for r in rows if r.verdict == "withheld"]
    verdict = "outside" if bad else "withheld" if len(unsaid) == len(rows) else "done"
    hottest = max((r.hottest.n for r in rows if r.hottest), default=None)
    says = "; ".join(f"{r.spot.name}: {r.why}" for r in (bad or unsaid))[:400]
    says = says or f"{len(rows)} spots, {hottest:.0f} °C at most at rated current"
    values = {
        "spots": [
            {
                "name": r.spot.name,
                "c": r.spot.spot_c,
                "amps": r.spot.amps,
                "rise_k": round(r.rise.expected.n, 1) if r.rise else None,
                "off_k": round(r.rise.off.n, 1) if r.rise else None,
                "hottest_c": round(r.hottest.n, 1) if r.hottest else None,
                "limit_c": r.spot.limit_c,
                "verdict": r.verdict,
                "why": r.why,
            }
            for r in rows
        ],
        "air_c": air,
    }
    at = visit.text("at_device")[:40]
    body = {
        **{"label": "Heat", "what": "heat", "says": says, "verdict": verdict, "note": ""},
        "values": values,
    }
    records.append(visit.db, job.record, "curve", body, visit.who, visit.role, at)
    tool = visit.text("tool")[:80]
    keep_page(job, "heat.spots", f"{len(rows)} spots", (verdict, hottest, says), tool, at)
    visit.db.commit()
    return RedirectResponse(f"/jobs/{job.record.id}/prove/curves#heat", 303)


def keep_page(
    job: OpenJob,
    key: str,
    typed: str,
    found: tuple[str, float | None, str],
    tool: str,
    at: str,
) -> None:
    """Keep what a page worked out as its test's reading, where that is due: (verdict, value,
    what it says).
    """
    due = next((x for x in dues_now(job) if x.key == key), None)
    if due is None:
        return
    verdict, value, says = found
    sent = Sent(
        uuid=str(uuid.uuid4()), kind="test", key=key, act="done", typed=typed[:200], tool=tool
    )
    body = body_of(due.step(), walking.entered(sent), verdict, value, says)
    body = {**body, "typed": sent.typed, **closing(job, due), "source": "page"}
    records.append(job.visit.db, job.record, "test", body, job.visit.who, job.visit.role, at)
