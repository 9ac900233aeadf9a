"""Hand over: what stands behind the job, gathered from all stations."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from typing import Any

from gumboot.core.basis.finding import Level
from gumboot.core.basis.words import inside
from gumboot.core.design import Design
from gumboot.core.hand_over.devices import devices
from gumboot.core.hand_over.growing import compared
from gumboot.core.hand_over.signing import STATEMENTS, path_of
from gumboot.core.journal import log
from gumboot.core.journal.entry import Entry
from gumboot.core.network import Body, Network
from gumboot.core.wake.chapters import stands
from gumboot.core.wake.way import Way
from gumboot.core.wake.work import work_at
from gumboot.core.walk.step import Step
from gumboot.core.wall import drill_sheet
from gumboot.core.wall.as_built import SLOT_MM, drilled_off
from gumboot.drawings.one_line import one_line
from gumboot.drawings.wall import draw_wall
from gumboot.exports import pack
from gumboot.store import handing, office, records
from gumboot.web.background import asked
from gumboot.web.field.slots import lacking
from gumboot.web.job.listing import elsewhere
from gumboot.web.job.opening import OpenJob
from gumboot.web.job.walking import last
from gumboot.web.pages.frame import drawn
from gumboot.web.stations.brief.editions import entries_of, used
from gumboot.web.stations.hand_over.delivery import noted
from gumboot.web.stations.hand_over.links import code_of, link_of
from gumboot.web.stations.link.harness import lead_data
from gumboot.web.stations.prove.given import curve_pages
from gumboot.web.stations.prove.standing import complete as tried
from gumboot.web.stations.prove.standing import dues_now
from gumboot.web.stations.prove.table import beside_of, row_of
from gumboot.web.stations.set import keying, read_back
from gumboot.web.stations.wake.walk import steps_of

REMADE = {
    "reading": "readings of torque",
    "step": "steps at terminations",
    "test": "tests",
    "set": "lines keyed",
    "link": "steps of Link",
    "wake": "steps of Wake",
    "replaced": "parts replaced",
    "built": "things built otherwise",
}


def missing(job: OpenJob) -> list[str]:
    """What still stands between the job and a signature, in words."""
    d = job.design
    out = (
        [f"{job.open_stops} open stop{'s' if job.open_stops > 1 else ''}: cure every one."]
        if job.open_stops
        else []
    )
    checks = len(job.open_checks())
    if checks:
        out.append(
            f"{checks} check{'s' if checks > 1 else ''} not accepted: judge each, and accept it"
            " with a reason."
        )
    duties = sum(not job.state.closes(f) for f in job.design.duties)
    if duties:
        out.append(
            f"{duties} dut{'ies' if duties > 1 else 'y'} open: see or measure each, and write it"
            " down."
        )
    todo = sum(not job.state_of(t).complete for t in d.terminations)
    if todo:
        out.append(f"{todo} of {len(d.terminations)} terminations not made off.")
    lines, dues = {s.key for s in keying.steps_of(d)}, dues_now(job)
    due = {x.key for x in dues}
    undone = [x for x in dues if not x.known and not tried(job, x)]
    if undone:
        many = "s" if len(undone) > 1 else ""
        out.append(f"{len(undone)} test{many} of Prove open: do each, or decline it with a reason.")
    wrong = [
        e
        for key, e in job.state.steps.items()
        if e.body["verdict"] in ("outside", "withheld")
        and (key in lines or not key.startswith("key."))
        and not (e.kind == "test" and key not in due)
        and e.kind != "visit"
    ]
    if wrong:
        many = "s" if len(wrong) > 1 else ""
        out.append(
            f"{len(wrong)} reading{many} of Link, Wake, Set or Prove not as expected:"
            " put it right and read again, or leave it out with a reason."
        )
    if others := read_back.unsettled(job):
        out.append(
            f"{others} line{'s' if others > 1 else ''} of a menu hold{'' if others > 1 else 's'}"
            " another value than planned: key again, or explain it under Set, Read back."
        )
    if not d.terminations:
        out.append("No terminations: the kit is not planned.")
    return out


def walked(job: OpenJob, steps: Sequence[Step]) -> list[dict[str, Any]]:
    """Every step of a walk with its last entry, if it has one."""
    return [
        {
            "stage": s.stage,
            "title": s.says if s.does == "duty" else s.title,
            "expects": s.expects,
            "entry": {k: e.body[k] for k in ("typed", "unit", "verdict", "why", "tool", "note")}
            if (e := last(job, s))
            else None,
            "who": e.who if e else "",
            "at": e.at_server if e else "",
        }
        for s in steps
    ]


def walls_of(job: OpenJob, standalone: bool, plain: bool = False) -> list[dict[str, Any]]:
    """Every wall with its drawing, and its holes with the entry of each that was drilled; those
    that came elsewhere are marked. On a page the drawing has no style of its own.
    """
    d, out = job.design, []
    for w in d.walls:
        holes = [(x, job.state.drilled.get(x.hole.id)) for x in drill_sheet(w)]
        offs = [(x, *drilled_off(x, e)) for x, e in holes if e is not None]
        moved = [(x.x + a, x.y + b) for x, a, b in offs if max(abs(a), abs(b)) > SLOT_MM]
        drawing = draw_wall(
            w, (), "", standalone, d.raceways, plain=plain, drilled=() if plain else moved
        )
        shown = drawn(drawing.replace('id="layer-', 'data-layer="'))
        out.append({"w": w, "drawing": shown, "holes": holes})
    return out


def kit_of(job: OpenJob) -> dict[str, str]:
    """The editions that the job was made with, by their digests: what a signature names."""
    made_with = used(job)
    return {i: made_with[i].digest for i, _ in entries_of(job.design) if i in made_with}


def holds(job: OpenJob) -> str:
    """What is wrong with a signature: empty when it belongs to the plan and kit that stand here."""
    signed = job.state.signed
    if signed is None:
        return ""
    body = signed.body
    stored = records.plan_at(job.visit.db, job.record, job.record.version) or {}
    digests = (records.plan_digest(job.plan), records.document_digest(stored))
    if body["plan_version"] != job.record.version or body["plan_digest"] not in digests:
        return "The plan that stands here is not the one that was signed."
    if "kit" in body and not job.record.imported_by and body["kit"] != kit_of(job):
        return "The kit that stands here is not the one that was signed."
    return ""


def anchors(job: OpenJob, entries: Sequence[Entry]) -> list[dict[str, Any]]:
    """The heads of this log that the office log has kept, and whether the log still holds them: a
    tail cut off, or a log written anew, shows here.
    """
    by_seq = {e.seq: e.hash for e in entries}
    kept = office.heads(job.visit.db, job.visit.crew_id, job.record.uid)
    return [
        {
            "at": e.at,
            "kind": e.kind,
            "seq": e.body["seq"],
            "head": e.body["head"],
            "holds": e.body["seq"] == 0 or by_seq.get(e.body["seq"]) == e.body["head"],
        }
        for e in kept
    ]


def signatures(job: OpenJob) -> list[dict[str, Any]]:
    """What was signed beside the supervisor, since the job was signed last."""
    since = job.state.signed.seq if job.state.signed else 0
    rows = job.state.last.get("signature", {}).values()
    return [
        {
            "at": e.at_server,
            "device_at": e.at_device,
            "who": e.who,
            **e.body,
            "path": path_of(e.body["drawn"]),
        }
        for e in rows
        if since and e.seq > since
    ]


def since_signed(job: OpenJob, entries: Sequence[Entry]) -> dict[str, Any] | None:
    """What differs between the newest signature and the one before it; of an open job, between the
    last signature and now. None where there is nothing to compare.
    """
    signs = [e for e in entries if e.kind == "sign"]
    open_now = job.state.signed is None
    if not signs or (len(signs) < 2 and not open_now):
        return None
    first, last = (signs[-1], None) if open_now else (signs[-2], signs[-1])
    until = last.seq if last else job.record.log_seq + 1
    between = [e for e in entries if first.seq < e.seq < until and e.kind in REMADE]
    counts = Counter(REMADE[e.kind] for e in between)
    before = records.plan_at(job.visit.db, job.record, first.body["plan_version"])
    same = before is None or first.body["plan_version"] == job.record.version
    found = None if same or before is None else compared(job.tried(before), job.design)
    return {
        "from": first.at_server,
        "until": last.at_server if last else "",
        "versions": [first.body["plan_version"], job.record.version],
        "made": [f"{n} {what}" for what, n in counts.items()],
        "changes": found.changes if found else (),
    }


def anchored(job: OpenJob, kind: str) -> None:
    """Put the head of the job's log into the office log."""
    job.visit.tells(
        kind,
        job=job.record.name,
        uid=job.record.uid,
        seq=job.record.log_seq,
        head=job.record.log_head,
    )


def orders_of(d: Design) -> list[dict[str, Any]]:
    """The ways off and on, in words, with what comes after or stands against them."""
    if d.wake is None or d.network is None:
        return []
    way, wait = d.wake.way, d.network.wait_min
    then = (
        f"Then wait {wait:g} min for the capacitors, and prove dead at every port with a proved"
        " tester. Arrays stay live in light, cells at their posts always."
    )
    rows = (
        ("In an emergency", way.emergency, None, ""),
        ("Off", way.down.acts, way.down.against, then),
        ("On", way.up.acts, way.up.against, ""),
    )
    ways = [
        {
            "name": name,
            "acts": [way.says(a) for a in acts],
            "against": stands(against) if against else "",
            "then": after,
        }
        for name, acts, against, after in rows
    ]
    units = (b for b in d.network.bodies if b.role in ("inverter", "controller"))
    return ways + [work_order(way, d.network, b) for b in units]


def work_order(way: Way, network: Network, body: Body) -> dict[str, Any]:
    """How one box is made dead to work at it, as a part of the pack."""
    found = work_at(way, network, body.id)
    locks = "; ".join(inside(way.plant.levers[k].says) for k in found.locks)
    live = "; ".join(f"{', '.join(x.name for x in s.sources)} at {s.at}" for s in found.stays)
    then = f"Locks and tags on: {locks}. " if locks else ""
    then += f"Wait {found.wait_min:g} min, then prove dead at every port with a proved tester."
    return {
        "name": f"To work at {inside(body.label)}",
        "acts": [way.says(a) for a in found.acts],
        "against": found.why,
        "then": f"{then} Stays live: {live}." if live else then,
    }


def page(
    job: OpenJob,
    fault: str = "",
    typed: str = "",
    faults: dict[str, tuple[str, str]] | None = None,
) -> dict[str, Any]:
    """What the page and the PDF both show."""
    d, state = job.design, job.state
    entries = records.entries(job.visit.db, job.record)
    rows = [
        {"t": t, "state": job.state_of(t), "events": state.events.get(t.key, ())}
        for t in d.terminations
    ]
    accepted = [
        {"finding": f, "entry": state.accepts(f)}
        for f in job.findings
        if f.level is Level.CHECK and state.accepts(f)
    ]
    signed = state.signed
    return {
        "holds": holds(job),
        "anchors": anchors(job, entries),
        "elsewhere": elsewhere(job.record, signed),
        **job.head("hand-over"),
        "tab": "hand-over",
        "lacking": [x.says for x in lacking(job)],
        "unnoted": [x.label for x in devices(d) if not noted(job, x)["serial"]],
        "missing": missing(job),
        "signed": {
            "who": signed.who,
            "at": signed.at_server,
            **signed.body,
            "path": path_of(signed.body.get("drawn", "")),
            "pack": signed.body.get("pack", ""),
        }
        if signed
        else None,
        "signatures": signatures(job),
        "since": since_signed(job, entries),
        "signing": {"part": "", "name": "", "licence": "", "drawn": "", "field": "", "fault": ""},
        "statements": STATEMENTS,
        "_link_of": link_of,
        "_code_of": code_of,
        "_share": handing.share_of(job.visit.db, job.record.id),
        "history": [
            {
                "kind": e.kind,
                "who": e.who,
                "role": e.role,
                "at": e.at_server,
                **({"reason": e.body["reason"]} if "reason" in e.body else {}),
            }
            for e in entries
            if e.kind in ("sign", "reopen")
        ],
        "log_entries": len(entries),
        "log_head": job.record.log_head,
        "log_broken_at": log.first_broken(job.record.uid, entries),
        "digest": records.plan_digest(job.plan),
        "_fault": fault,
        "_typed": typed,
        "_d": d,
        "_rows": rows,
        "_accepted": accepted,
        "duties": [
            {
                "duty": f,
                "closed": state.closes(f),
                "entry": entry.body if (entry := state.attends(f)) else None,
                "who": entry.who if entry else "",
                "at": entry.at_server if entry else "",
            }
            for f in d.duties
        ],
        "_faults": faults or {},
        "leads": [lead_data(x) for x in d.harness.leads] if d.harness else [],
        "links": walked(job, d.harness.steps if d.harness else ()),
        "wakes": walked(job, steps_of(d)),
        "keyed": walked(job, keying.steps_of(d)),
        "tests": [row_of(job, x) for x in dues_now(job)],
        "beside": beside_of(job, dues_now(job)),
        "_curves": curve_pages(job, standalone=False),
        "rehearsals": [
            {
                "who": e.who,
                "at": e.at_server,
                **{k: e.body[k] for k in ("scenario", "acts", "slips")},
            }
            for e in state.rehearsals
        ],
        "orders": orders_of(d),
        "proof": asked(job, "proof") if d.wake else None,
        "ct": [
            {"who": e.who, "at": e.at_server, **{k: e.body[k] for k in ("act", "says", "note")}}
            for e in entries
            if e.kind == "ct"
        ],
        "_cautions": pack.CAUTIONS,
        "_drawing": drawn(one_line(d)),
        "_walls": walls_of(job, standalone=False),
    }
