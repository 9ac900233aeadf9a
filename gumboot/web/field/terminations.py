"""Every termination as a page at the wall needs it: what follows from the design, remembered for
it, and
what the log says now.
"""

from __future__ import annotations

import json
from functools import lru_cache
from typing import Any

from gumboot.core.basis.sizes import spoken
from gumboot.core.basis.units import show_strip
from gumboot.core.design import Design
from gumboot.core.hand_over.pictures import wanted
from gumboot.core.journal.log import when
from gumboot.core.land import Termination, TerminationState, Wrench
from gumboot.core.land.events import Event
from gumboot.web.job.opening import OpenJob

LAST = 8  # events of a termination that go to the page; more are in the log


def fixed(t: Termination, design: Design) -> dict[str, Any]:
    """One termination, as it follows from the design."""
    return {
        "key": t.key,
        "number": t.number,
        "kind": t.kind,
        "stage": t.stage,
        "circuit": t.circuit,
        "body": t.body,
        "place": t.place,
        "port": t.port,
        "terminal": t.terminal,
        "conductor": t.conductor,
        "size": spoken(t.size) if t.size else "",
        "cable": t.cable,
        "strands": t.strands,
        "temp_c": t.temp_c,
        "far": t.far,
        "method": t.method.replace("-", " "),
        "stud": t.stud,
        "hardware": list(t.hardware),
        "tool": t.tool,
        "die": t.die,
        "sleeve_mm": t.sleeve_mm,
        "strip_mm": t.strip_mm,
        "strip": show_strip(t.strip_mm, design.plan.units) if t.strip_mm else "",
        "bit": t.bit,
        "torque_nm": t.torque.n if t.torque else None,
        "torque_source": t.torque.source if t.torque else "",
        "doubt": bool(t.torque and t.torque.doubt),
        "label": t.label,
        "ferrite": t.ferrite,
        "isolate": list(t.isolate),
        "live": list(t.live),
        "recheck": t.recheck,
        "chain": list(t.chain),
    }


@lru_cache(maxsize=64)
def all_fixed(design: Design) -> list[dict[str, Any]]:
    """Every termination of a design, remembered for it, with the photographs wanted before it."""
    before: dict[str, list[dict[str, str]]] = {}
    for x in wanted(design):
        before.setdefault(x.termination, []).append({"key": x.key, "says": x.says})
    return [fixed(t, design) | {"wants": before.get(t.key, [])} for t in design.terminations]


def script(data: Any) -> str:
    """Data as JSON that may stand inside a script element."""
    return json.dumps(data, ensure_ascii=False, separators=(",", ":")).replace("<", "\\u003c")


@lru_cache(maxsize=64)
def fixed_text(design: Design) -> str:
    """`all_fixed` as text for a page, remembered for the design."""
    return script(all_fixed(design))


def moved(m: Event) -> dict[str, Any]:
    """One entry about a termination, as a page shows it and goes on from it."""
    return {
        "uuid": m.uuid,
        "act": m.act,
        "seq": m.seq,
        "who": m.who,
        "at": m.at,
        "torque_nm": m.torque_nm,
        "typed": m.typed,
        "verdict": m.verdict,
        "why": m.why,
        "tool": m.tool,
        "note": m.note,
        "photo": m.photo,
        "again": m.again,
        "replaced": m.replaced,
        "corrects": m.corrects,
        "drops": list(m.drops),
    }


def state_data(s: TerminationState) -> dict[str, Any]:
    """Where a termination stands."""
    return {
        "at": s.at,
        "verdict": s.verdict,
        "spoiled": s.spoiled,
        "rechecked": s.rechecked,
        "first_nm": s.first_nm,
        "second_nm": s.second_nm,
        "made_at": s.made_at,
        "state": s.state,
        "complete": s.complete,
        "doubt": [list(p) for p in s.doubt],
    }


def terminations_of(job: OpenJob, keys: set[str] | None = None) -> dict[str, Any]:
    """What the log says of terminations (all when none are named), and how far it was read."""
    rows = [t for t in job.design.terminations if keys is None or t.key in keys]
    said = {}
    for t in rows:
        events = job.state.events.get(t.key, ())
        if events or keys is not None:
            said[t.key] = {
                "state": state_data(job.state_of(t)),
                "events": [moved(m) for m in events[-LAST:]],
                "whole": len(events) <= LAST,
            }
    return {
        "seq": job.state.seq,
        "pictures": sorted({s for e in job.state.photos.values() if (s := e.body.get("slot"))}),
        "states": said,
        "holes": {
            k: {
                "who": e.who,
                "at": e.at_device,
                "x_mm": e.body["x_mm"],
                "y_mm": e.body["y_mm"],
                "note": e.body["note"],
                "photo": e.body["digest"],
            }
            for k, e in job.state.drilled.items()
            if keys is None or k in keys
        },
        "steps": {
            k: {
                "who": e.who,
                "at": when(e),
                "seq": e.seq,
                "device": e.body.get("device", ""),
                "expected": e.body.get("expected", ""),
                **{f: e.body[f] for f in ("typed", "verdict", "why", "note", "tool")},
            }
            for k, e in job.state.steps.items()
            if keys is None or k in keys
        },
    }


def changed(job: OpenJob, after: int) -> dict[str, Any]:
    """`terminations_of` for those with an entry after number `after`."""
    keys = {k for k, events in job.state.events.items() if events and events[-1].seq > after}
    keys |= {k for k, e in job.state.drilled.items() if e.seq > after}
    keys |= {k for k, e in job.state.steps.items() if e.seq > after}
    return terminations_of(job, keys)


def tool(w: Wrench) -> dict[str, Any]:
    """A torque tool as the page judges with it."""
    return {
        "id": w.id,
        "name": w.name,
        "serial": w.serial,
        "scale": w.scale,
        "from_nm": w.serves_from,
        "most_nm": w.most_nm,
        "until": w.calibrated_until.isoformat(),
        "share": w.tolerance,
    }
