"""Kinds of entry of Hand over, and of what comes after: the newest about each thing counts."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any, get_args

from gumboot.core.hand_over.words import BuiltOf, Came, SignedBy
from gumboot.core.journal.entry import MAYBE_DIGEST, TEXT, Entry, kind

if TYPE_CHECKING:
    from gumboot.core.journal.log import Growing

KEYS: dict[str, Any] = {"type": "array", "items": TEXT, "maxItems": 400}
FLAG: dict[str, Any] = {"type": "boolean"}
SINCE: dict[str, Any] = {"type": "integer", "minimum": 0}


def _rows(most: int, *fields: str) -> dict[str, Any]:
    row = {
        "type": "object",
        "required": list(fields),
        "properties": dict.fromkeys(fields, TEXT),
        "additionalProperties": False,
    }
    return {"type": "array", "maxItems": most, "items": row}


READINGS, PIECES = _rows(60, "what", "read"), _rows(20, "device", "part", "was", "now")


@kind(
    "built",
    {
        "about": TEXT,
        "label": TEXT,
        "what": {"enum": list(get_args(BuiltOf))},
        "planned": TEXT,
        "built": TEXT,
        "note": TEXT,
    },
    lambda b: f"{b['what']}: {b['built'] or 'as planned'}, planned {b['planned']}",
    about="about",
)
@kind(
    "serial",
    {
        "device": TEXT,
        "label": TEXT,
        "kit": TEXT,
        "serial": TEXT,
        "firmware_found": TEXT,
        "firmware_left": TEXT,
        "source": {"enum": ["typed", "camera"]},
        "note": TEXT,
    },
    lambda b: b["serial"] or "taken back",
    about="device",
)
@kind(
    "delivery",
    {
        "item": TEXT,
        "label": TEXT,
        "wanted": TEXT,
        "came": {"enum": list(get_args(Came))},
        "count": TEXT,
        "digest": MAYBE_DIGEST,
        "note": TEXT,
    },
    lambda b: f"{b['came']}{': ' + b['note'] if b['note'] else ''}",
    about="item",
)
@kind(
    "signature",
    {
        "part": {"enum": list(get_args(SignedBy))},
        "name": TEXT,
        "licence": TEXT,
        "statement": TEXT,
        "drawn": TEXT,
        "plan_version": {"type": "integer"},
        "plan_digest": TEXT,
        "log_head": TEXT,
        "pack": TEXT,
    },
    lambda b: f"{b['name']}, {b['part']}",
    about="part",
    after=True,
)
@kind(
    "replaced",
    {
        "device": TEXT,
        "label": TEXT,
        "was": TEXT,
        "now": TEXT,
        "firmware": TEXT,
        "reason": TEXT,
        "reopens": KEYS,
        "tests": KEYS,
    },
    lambda b: f"{b['was'] or 'the part'} replaced by {b['now']}: {b['reason']}",
    about="device",
    more={"lines": KEYS},
    after=True,
)
@kind(
    "fault",
    {
        "label": TEXT,
        "problem": TEXT,
        "symptom": TEXT,
        "cause": TEXT,
        "done": TEXT,
        "parts": TEXT,
        "over": FLAG,
    },
    lambda b: f"{b['symptom']}: {b['done'] or 'open'}",
    more={"readings": READINGS, "likely": TEXT, "pieces": PIECES, "since": SINCE},
    after=True,
)
def kept(g: Growing, e: Entry) -> None:
    """The newest about a thing stands; those before stay in the log."""
    g.keep_last(e)
