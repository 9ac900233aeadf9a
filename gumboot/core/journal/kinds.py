"""The kinds of entry there are. Each registers itself; this file is where a new one gets
its line.
"""

from __future__ import annotations

from typing import TYPE_CHECKING

from gumboot.core.journal.entry import (
    DIGEST,
    MAYBE_DIGEST,
    MAYBE_TEXT,
    TEXT,
    Entry,
    Fields,
    kind,
)
from gumboot.core.land.events import ACTS
from gumboot.core.land.judging import VERDICTS

if TYPE_CHECKING:
    from gumboot.core.journal.log import Growing

TORQUE = {"type": ["number", "null"], "minimum": 0, "maximum": 1000}
WRENCH = {
    "type": ["object", "null"],
    "required": ["name", "serial", "calibrated_until"],
    "additionalProperties": TEXT,
}
DEVICE: Fields = {
    "seen": {"type": ["integer", "null"], "minimum": 0},
    "device": TEXT,
    "digest": MAYBE_DIGEST,
}
NUMBER = {"type": "number"}


@kind(
    "reading",
    {
        "termination": TEXT,
        "label": TEXT,
        "torque_nm": TORQUE,
        "typed": TEXT,
        "rated_nm": TORQUE,
        "rated_source": TEXT,
        "verdict": {"enum": list(VERDICTS)},
        "why": TEXT,
        "wrench": WRENCH,
        "replaced": {"type": "boolean"},
        "corrects": MAYBE_TEXT,
        "note": TEXT,
    },
    lambda b: f"{b['typed'] or 'tick'} · {b['verdict']}",
    more={
        "turn": {"enum": ["first", "again"]},
        "source": {"enum": ["typed", "file", "wrench"]},
        **DEVICE,
    },
    after=lambda b: b.get("turn") == "again",
)
@kind(
    "step",
    {
        "termination": TEXT,
        "label": TEXT,
        "act": {"enum": list(ACTS)},
        "corrects": MAYBE_TEXT,
        "note": TEXT,
    },
    lambda b: str(b["act"]),
    more=DEVICE,
    after=lambda b: b["act"] in ("re-checked", "moved"),
)
@kind(
    "settle",
    {
        "termination": TEXT,
        "label": TEXT,
        "stands": TEXT,
        "drops": {"type": "array", "items": TEXT},
        "reason": TEXT,
    },
    lambda b: f"settled: {b['reason']}",
    more=DEVICE,
)
def moved(g: Growing, e: Entry) -> None:
    """A termination got further, or back."""
    g.move(e)


@kind(
    "accept",
    {"finding": TEXT, "fingerprint": TEXT, "says": TEXT, "reason": TEXT},
    lambda b: f"accepted: {b['reason']}",
    about="finding",
)
def accepted(g: Growing, e: Entry) -> None:
    """A check was accepted, by name and with a reason."""
    g.accepted[e.body["finding"]] = e


@kind(
    "duty",
    {
        "duty": TEXT,
        "fingerprint": TEXT,
        "says": TEXT,
        "typed": TEXT,
        "value": {"type": ["number", "null"]},
        "verdict": {"enum": ["done", "outside", "declined", "taken back"]},
        "note": TEXT,
    },
    lambda b: f"{b['typed'] or 'tick'} · {b['verdict']}",
    about="duty",
)
def attended(g: Growing, e: Entry) -> None:
    """A duty was done, read outside its limits, declined with a reason, or taken back."""
    g.duties[e.body["duty"]] = e


@kind(
    "sign",
    {
        "plan_version": {"type": "integer"},
        "plan_digest": TEXT,
        "log_head": TEXT,
        "statement": TEXT,
    },
    lambda b: "signed",
    about="",
    more={
        "kit": {"type": "object", "additionalProperties": DIGEST},
        "drawn": TEXT,
        "pack": MAYBE_DIGEST,
    },
)
def signed(g: Growing, e: Entry) -> None:
    """A supervisor stands behind the job."""
    g.signed = e


@kind("reopen", {"reason": TEXT}, lambda b: f"opened again: {b['reason']}", about="", after=True)
def reopened(g: Growing, e: Entry) -> None:
    """A signed job is changed again."""
    g.signed = None


@kind(
    "photo",
    {"digest": DIGEST, "what": TEXT, "note": TEXT},
    lambda b: "photograph",
    about="note",
    more={"slot": TEXT},
)
def photographed(g: Growing, e: Entry) -> None:
    """A photograph is kept."""
    g.photos[e.body["digest"]] = e


@kind(
    "withdraw",
    {"digest": DIGEST, "reason": TEXT},
    lambda b: f"photograph taken off: {b['reason']}",
    about="",
)
def withdrawn(g: Growing, e: Entry) -> None:
    """A photograph is taken off the pages; it stays in the log."""
    g.photos.pop(e.body["digest"], None)


@kind(
    "drill",
    {
        "hole": TEXT,
        "label": TEXT,
        "x_mm": NUMBER,
        "y_mm": NUMBER,
        "planned_mm": {"type": "array", "items": NUMBER, "minItems": 2, "maxItems": 2},
        "anchor": TEXT,
        "digest": MAYBE_DIGEST,
        "note": TEXT,
    },
    lambda b: "drilled",
)
def drilled(g: Growing, e: Entry) -> None:
    """A hole was drilled, where it came to be."""
    g.drilled[e.body["hole"]] = e


VERDICTS_OF_STEP = ["done", "outside", "declined", "taken back"]
STEP: Fields = {
    "step": TEXT,
    "label": TEXT,
    "typed": TEXT,
    "value": {"type": ["number", "null"]},
    "unit": TEXT,
    "expected": TEXT,
    "verdict": {"enum": VERDICTS_OF_STEP},
    "why": TEXT,
    "tool": TEXT,
    "note": TEXT,
}


@kind("link", STEP, lambda b: f"{b['typed'] or 'tick'} · {b['verdict']}", more=DEVICE)
@kind("wake", STEP, lambda b: f"{b['typed'] or 'done'} · {b['verdict']}", more=DEVICE)
@kind("set", STEP, lambda b: f"{b['typed'] or 'done'} · {b['verdict']}", more=DEVICE)
@kind("visit", STEP, lambda b: f"{b['typed'] or 'done'} · {b['verdict']}", more=DEVICE, after=True)
def linked(g: Growing, e: Entry) -> None:
    """A step of Link, Wake, Set or a visit was ticked, read, left out with a reason, or taken
    back.
    """
    g.steps[e.body["step"]] = e


@kind(
    "rehearsal",
    {
        "scenario": TEXT,
        "acts": {"type": "integer", "minimum": 0},
        "slips": {"type": "integer", "minimum": 0},
        "version": {"type": "integer", "minimum": 1},
    },
    lambda b: f"{b['scenario']} · {b['slips'] or 'no'} slip{'' if b['slips'] == 1 else 's'}",
)
def rehearsed(g: Growing, e: Entry) -> None:
    """Switching on or off was rehearsed, to its end."""
    g.rehearsals = (*g.rehearsals, e)


@kind(
    "readback",
    {
        "label": TEXT,
        "unit": {"type": "integer", "minimum": 1},
        "after": {"enum": ["keying", "power-cycle", "visit", "writing", "limits"]},
        "values": {"type": "object", "additionalProperties": {"type": ["number", "string"]}},
        "lacking": {"type": "object", "additionalProperties": TEXT},
        "note": TEXT,
    },
    lambda b: (
        "what the BMS allows now"
        if b["after"] == "limits"
        else f"{len(b['values'])} lines after {b['after']}"
        + (f", {len(b['lacking'])} not read" if b["lacking"] else "")
    ),
    about="label",
)
def read_back(g: Growing, e: Entry) -> None:
    """A unit's menu was read over its wire."""
    g.readbacks = (*g.readbacks, e)


@kind(
    "test",
    {**STEP, "verdict": {"enum": [*VERDICTS_OF_STEP, "withheld"]}},
    lambda b: f"{b['typed'] or 'done'} · {b['verdict']}",
    more={
        **DEVICE,
        "duty": TEXT,
        "fingerprint": TEXT,
        "slack": {"type": "number"},
        "source": {"enum": ["typed", "file", "device", "page"]},
    },
)
def tested(g: Growing, e: Entry) -> None:
    """A test of Prove was read, declined with a reason, or taken back; one that closes a duty
    closes it.
    """
    g.steps[e.body["step"]] = e
    g.tests[e.body["step"]] = (*g.tests.get(e.body["step"], ()), e)
    if e.body.get("duty"):
        g.duties[e.body["duty"]] = e


@kind(
    "search",
    {
        "label": TEXT,
        "problem": TEXT,
        "look": TEXT,
        "answer": {"type": "integer", "minimum": 0},
        "act": {"enum": ["seen", "begun anew", "mended"]},
        "says": TEXT,
        "note": TEXT,
    },
    lambda b: f"{b['act']} · {b['says'] or b['note']}",
    after=True,
)
def searched(g: Growing, e: Entry) -> None:
    """A look in the search for a cause; a search begun anew or mended starts from nothing."""
    own = e.body["problem"]
    kept = (*g.searches.get(own, ()), e) if e.body["act"] == "seen" else (e,)
    g.searches[own] = kept


@kind(
    "curve",
    {
        "label": TEXT,
        "what": {"enum": ["iv", "transfer", "step", "discharge", "heat"]},
        "says": TEXT,
        "verdict": {"enum": ["done", "outside", "withheld"]},
        "note": TEXT,
        "values": {"type": "object"},
    },
    lambda b: f"{b['what']} · {b['says']}",
)
def curved(g: Growing, e: Entry) -> None:
    """A curve was taken in from a file, or spots of heat were typed."""
    g.curves = (*g.curves, e)


READINGS: dict[str, object] = {
    "type": "array",
    "items": {"type": ["number", "null"]},
    "maxItems": 9,
}


@kind(
    "ct",
    {
        "label": TEXT,
        "act": {"enum": ["step", "cured", "taken back"]},
        "drive": TEXT,
        "watts": NUMBER,
        "before": READINGS,
        "after": READINGS,
        "noise_w": NUMBER,
        "source": {"enum": ["typed", "meter"]},
        "says": TEXT,
        "note": TEXT,
    },
    lambda b: f"{b['drive'] or b['act']} · {b['says'] or b['note']}",
    more={"sound": {"type": "boolean"}},
)
def measured(g: Growing, e: Entry) -> None:
    """A step of the transformers' test; after a cure, or one taken back, the test begins anew."""
    g.ct = (*g.ct, e) if e.body["act"] == "step" else (e,)
