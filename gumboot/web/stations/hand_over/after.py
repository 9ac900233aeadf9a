"""Hand over, after it: faults with what was read, done and put in, and devices replaced."""

from __future__ import annotations

import uuid
from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any

from fastapi import APIRouter, Request
from fastapi.responses import RedirectResponse, Response

from gumboot.core.diagnose.engine import believe
from gumboot.core.diagnose.problems import PROBLEMS
from gumboot.core.hand_over.devices import Device, devices
from gumboot.core.hand_over.faults import OTHER, NoPiece, Piece, piece_of, waiting
from gumboot.core.hand_over.replacing import reopened
from gumboot.core.journal.entry import Entry
from gumboot.core.walk.entering import Entry as Entered
from gumboot.core.walk.entering import body_of
from gumboot.store import records
from gumboot.web.job import walking
from gumboot.web.job.opening import Opened, OpenJob
from gumboot.web.pages.frame import render, twin
from gumboot.web.stations.hand_over.delivery import noted
from gumboot.web.stations.hand_over.visits import set_due, visits_page
from gumboot.web.stations.prove.causes import mended, weights_of
from gumboot.web.stations.prove.standing import dues_now
from gumboot.web.stations.prove.walk import closing
from gumboot.web.stations.size.bill import lines

router = APIRouter()
NEW, ROWS, MOST_ROWS, MOST_READINGS = "new", 2, 20, 60
FIELDS = ("device", "part", "was", "now")


def faults_of(job: OpenJob) -> list[Entry]:
    """The newest word on each fault, the newest first."""
    rows = job.state.last.get("fault", {}).values()
    return sorted(rows, key=lambda e: e.seq, reverse=True)


def serials_of(job: OpenJob) -> dict[str, str]:
    """The serial of each device that the record has."""
    return {x.key: noted(job, x)["serial"] for x in devices(job.design)}


def shown(job: OpenJob, e: Entry) -> dict[str, Any]:
    """A fault as its pages show it."""
    at = {k: (s.seq, s.body["serial"]) for k, s in job.state.last.get("serial", {}).items()}
    pieces = e.body.get("pieces", [])
    return {
        "readings": [],
        "likely": "",
        "since": 0,
        **e.body,
        "who": e.who,
        "at": e.at_server,
        "put_in": [Piece(**p).says for p in pieces] or [x for x in (e.body["parts"],) if x],
        "pieces": pieces,
        "waiting": [p.body() for p in waiting(pieces, e.seq, at)],
    }


def replaced(job: OpenJob) -> list[dict[str, Any]]:
    """The devices that were replaced, each for the last time."""
    rows = job.state.last.get("replaced", {}).values()
    return [{"who": e.who, "at": e.at_server, **e.body} for e in rows]


def page(
    job: OpenJob, typed: dict[str, str] | None = None, fault: tuple[str, str] = ("", "")
) -> dict[str, Any]:
    """What the page shows."""
    serials = serials_of(job)
    return {
        **job.head("hand-over"),
        "tab": "after",
        **visits_page(job),
        "faults": [shown(job, e) for e in faults_of(job)],
        "replaced": replaced(job),
        "problems": [(p.key, p.title) for p in PROBLEMS.values()],
        "alarms": [f"{a.code}: {a.means}" for a in job.design.alarms],
        "devices": [(x.key, x.label, serials[x.key]) for x in devices(job.design)],
        "typed": typed or {},
        "fault": {"field": fault[0], "says": fault[1]},
        "_may": job.visit.role != "planner",
    }


@twin(router, "/jobs/{job_id}/after", "after.html")
def after(request: Request, job: Opened) -> dict[str, Any]:
    """The page."""
    found = page(job)
    set_due(job)
    job.visit.db.commit()
    return found


def looked(job: OpenJob, problem: str, since: int) -> tuple[list[dict[str, str]], str]:
    """What the search for a cause showed since an entry of the log, and what is likeliest by it."""
    own = PROBLEMS.get(problem)
    seen: list[tuple[str, int]] = []
    for e in records.of_kind(job.visit.db, job.record, "search", since) if own else ():
        if e.body["problem"] == problem and e.body["act"] != "mended":
            again = e.body["act"] == "begun anew"
            seen = [] if again else [*seen, (e.body["look"], e.body["answer"])]
    if own is None or not seen:
        return [], ""
    looks = [(look, answer) for k, answer in seen if (look := own.look(k)) is not None]
    read = [{"what": x.says, "read": x.answers[answer]} for x, answer in looks]
    first, likely = believe(own, seen, weights_of(job.visit, own)).ranked[0]
    return read, f"{first.says}, {100 * likely:.0f} %"


def fault_page(
    job: OpenJob, e: Entry, typed: dict[str, str] | None = None, wrong: tuple[str, str] = ("", "")
) -> dict[str, Any]:
    """What the page of one fault shows."""
    own = shown(job, e)
    found, likely = looked(job, own["problem"], own["since"])
    kept = {f"{k}-{n}": p[k] for n, p in enumerate(own["pieces"]) for k in FIELDS}
    kept |= {f"device-{n}": OTHER for n, p in enumerate(own["pieces"]) if not p["device"]}
    kept["readings"] = "\n".join(
        f"{r['what']}: {r['read']}" for r in own["readings"] if r not in found
    )
    values = {**{k: own[k] for k in ("problem", "cause", "done")}, **kept, **(typed or {})}
    count = sum(bool(values.get(f"device-{n}")) for n in range(MOST_ROWS))
    return {
        **job.head("hand-over"),
        "tab": "after",
        "own": own,
        "found": found,
        "likely": likely or own["likely"],
        "problems": [(p.key, p.title) for p in PROBLEMS.values()],
        "devices": [(x.key, x.label, noted(job, x)["serial"]) for x in devices(job.design)],
        "names": sorted({r["what"] for r in lines(job) if r["group"] not in ("Kit", "Labels")}),
        "typed": values,
        "rows": list(range(min(max(ROWS, count + 1), MOST_ROWS))),
        "wrong": {"field": wrong[0], "says": wrong[1]},
        "_may": job.visit.role != "planner",
    }


def fault_of(job: OpenJob, label: str) -> Entry | None:
    """The newest word on a fault."""
    return job.state.last.get("fault", {}).get(label)


@twin(router, "/jobs/{job_id}/after/fault", "fault.html")
def one(request: Request, job: Opened) -> dict[str, Any] | Response:
    """A fault's own page, at ?of= its label."""
    e = fault_of(job, request.query_params.get("of", ""))
    if e is None:
        return RedirectResponse(f"/jobs/{job.record.id}/after#faults", 303)
    return fault_page(job, e)


@router.post("/jobs/{job_id}/after/fault")
def tell(request: Request, job: Opened) -> Response:
    """A fault is told of, or what was read, done and put in is kept."""
    visit = job.visit
    visit.needs("installer", "supervisor")
    typed = {k: str(v)[:2000] for k, v in visit.form.items() if isinstance(v, str)}
    label, before = visit.text("label"), fault_of(job, visit.text("label"))
    if before is None:
        return _first(request, job, typed)
    rows = {n: {k: visit.text(f"{k}-{n}")[:120] for k in FIELDS} for n in range(MOST_ROWS)}
    pieces: list[Piece] = []
    for n, row in rows.items():
        try:
            found = piece_of(row, devices(job.design), serials_of(job))
        except NoPiece as exc:
            wrong = (f"{exc.field}-{n}", str(exc))
            return render(request, "fault.html", fault_page(job, before, typed, wrong), 422)
        pieces += [found] if found else []
    over = visit.text("over") == "yes"
    if over and not visit.text("done"):
        wrong = ("done", "type what was done, so that the next one knows")
        return render(request, "fault.html", fault_page(job, before, typed, wrong), 422)
    problem, since = visit.text("problem"), before.body.get("since", 0)
    looks, likely = looked(job, problem, since)
    body = {
        "label": label,
        "problem": problem if problem in PROBLEMS else "",
        "symptom": before.body["symptom"],
        **{k: visit.text(k)[:500] for k in ("cause", "done")},
        "parts": "; ".join(p.says for p in pieces),
        "over": over,
        "readings": [*looks, *_readings(visit.text("readings"))][:MOST_READINGS],
        "likely": likely or before.body.get("likely", ""),
        "since": since,
        "pieces": [p.body() for p in pieces],
    }
    _keep(job, "fault", body)
    if over and looks and job.state.searches[problem][-1].body["act"] == "seen":
        _keep(job, "search", mended(PROBLEMS[problem], visit.text("done")[:500]))
    visit.db.commit()
    return RedirectResponse(f"/jobs/{job.record.id}/after/fault?of={label}", 303)


def _first(request: Request, job: OpenJob, typed: dict[str, str]) -> Response:
    symptom, problem = job.visit.text("symptom")[:500], job.visit.text("problem")
    if not symptom:
        again = page(job, typed, ("symptom", "type what is seen, heard, or shown"))
        return render(request, "after.html", again, 422)
    label = f"fault-{uuid.uuid4().hex[:8]}"
    alarms = {f"{a.code}: {a.means}": a.problem for a in job.design.alarms}
    problem = problem or alarms.get(symptom, "")
    body = {"label": label, "problem": problem if problem in PROBLEMS else "", "symptom": symptom}
    first = {"cause": "", "done": "", "parts": "", "over": False, "since": job.record.log_seq}
    _keep(job, "fault", {**body, **first})
    job.visit.db.commit()
    return RedirectResponse(f"/jobs/{job.record.id}/after/fault?of={label}", 303)


def _readings(text: str) -> Iterator[dict[str, str]]:
    for line in text.splitlines():
        what, _, read = line.strip().rpartition(":")
        if what or read:
            yield {"what": what.strip()[:200], "read": read.strip()[:200]}


def _keep(job: OpenJob, kind: str, body: dict[str, Any]) -> None:
    visit = job.visit
    at = visit.text("at_device")[:40]
    records.append(visit.db, job.record, kind, body, visit.who, visit.role, at)


@dataclass(frozen=True, slots=True)
class New:
    """A device that takes the place of another: its serial and firmware, and why."""

    device: Device
    serial: str
    firmware: str
    reason: str


@router.post("/jobs/{job_id}/after/replace")
def replace(request: Request, job: Opened) -> Response:
    """A part is replaced: its new serial, and what that opens again."""
    visit = job.visit
    visit.needs("supervisor")
    typed = {k: visit.text(k)[:200] for k in ("device", "now", "firmware", "reason")}
    try:
        if not typed["device"]:
            raise NoPiece("device", "choose the device")
        found = piece_of({**typed, "part": ""}, devices(job.design), serials_of(job))
        if not typed["reason"]:
            raise NoPiece("reason", "type why it is replaced")
    except NoPiece as exc:
        return render(request, "after.html", page(job, typed, (exc.field, str(exc))), 422)
    own = next(x for x in devices(job.design) if found and x.key == found.device)
    put_in(job, New(own, found.now if found else "", typed["firmware"], typed["reason"]))
    visit.db.commit()
    return RedirectResponse(f"/jobs/{job.record.id}/after#replaced", 303)


def put_in(job: OpenJob, new: New) -> None:
    """Keep that a device was replaced, and open again what that opens; the job too, if signed."""
    visit, own = job.visit, new.device
    opened = reopened(job.design, own.key, dues_now(job))
    reason = f"{own.label} replaced: {new.reason}"
    if job.state.signed:
        _keep(job, "reopen", {"reason": reason})
        visit.tells("reopened", job=job.record.name, uid=job.record.uid, reason=reason)
    about = {"device": own.key, "label": own.label}
    made_off = [t for t in opened.terminations if job.state.events.get(t.key)]
    tried = [x for x in opened.tests if x.key in job.state.tests]
    keyed = [s for s in opened.lines if walking.last(job, s) is not None]
    kept = {
        **about,
        "was": noted(job, own)["serial"],
        "now": new.serial,
        "firmware": new.firmware,
        "reason": new.reason,
        "reopens": [t.key for t in made_off],
        "tests": [x.key for x in tried],
        "lines": [x.key for x in keyed],
    }
    _keep(job, "replaced", kept)
    firmware = {"firmware_found": new.firmware, "firmware_left": new.firmware}
    serial = {**about, "kit": "", "serial": new.serial, **firmware, "source": "typed"}
    _keep(job, "serial", {**serial, "note": reason[:200]})
    for t in made_off:
        undone = {"act": "undone", "corrects": None, "note": reason[:300]}
        _keep(job, "step", {"termination": t.key, "label": t.label, **undone})
    for x in tried:
        back = body_of(x.step(), Entered(x.key, x.title, "back", note=reason), "taken back")
        _keep(job, "test", {**back, **closing(job, x)})
    for line in keyed:
        back = body_of(line, Entered(line.key, line.title, "back", note=reason), "taken back")
        _keep(job, "set", back)
    set_due(job.anew())
