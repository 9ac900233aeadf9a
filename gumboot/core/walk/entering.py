"""What a hand enters at a step, made into a log entry or refused with what to type."""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from gumboot.core.land.entering import Refused
from gumboot.core.walk.reading import KINDS, number
from gumboot.core.walk.step import Step

OPEN_READ = 3000.0  # from here on a reading of a bus is "open": what inputs show is on no sheet
OPEN_WORDS = ("open", "ol", "o.l.", "o.l", "∞", "infinite", "inf")
NUMBER = re.compile(
    r"([<>]?[+−-]?\d{1,7}(?:[.,]\d{1,6})?)\s*(k|M|m|G)?\s*(Ω|ohms?|dBm|V|volts?|w)?", re.I
)
UNITS = {"ohm": "Ω", "megohm": "MΩ", "dbm": "dBm", "volt": "V"} | {
    k: r.unit for k, r in KINDS.items()
}
SAYS = {
    "ohm": "type what the meter shows in Ω, such as 60, or “open”",
    "megohm": "type what the tester shows in MΩ, such as 12 or > 200",
    "dbm": "type the level in dBm, such as -67",
    "volt": "type the volts, such as 11.8",
    "pins": "type which pin each one sounds to, such as 7=4 8=5, or “open”",
}
MOST_V = 3000.0  # of what a crew measures on such a job


@dataclass(frozen=True, slots=True)
class Entry:
    """One entry as it is sent: a tick, a reading as typed, a reason, or taken back."""

    key: str
    label: str
    act: str
    typed: str = ""
    note: str = ""
    digest: str = ""
    tool: str = ""
    seen: int | None = None
    device: str = ""


def read_value(step: Step, typed: str) -> float:
    """A reading as a number, in its kind's unit. Raises Refused."""
    text = typed.strip()
    if own := KINDS.get(step.does):
        plain = number(step.does, text)
        if plain is None:
            raise Refused("typed", f"type the reading: {own.says}")
        return plain
    says = SAYS[step.does]
    if step.does == "ohm" and text.lower().removesuffix("ω").strip() in OPEN_WORDS:
        return OPEN_READ
    found = NUMBER.fullmatch(text.replace("> ", ">").replace("< ", "<"))
    if not found or (found[1][0] in "<>" and step.does != "megohm"):
        raise Refused("typed", says)
    value = float(found[1].lstrip("<>").replace(",", ".").replace("−", "-"))
    scale = found[2]
    if scale and step.does == "ohm":
        value *= {"k": 1e3, "K": 1e3, "M": 1e6, "m": 1e-3, "G": 1e9}.get(scale, 1.0)
    elif step.does == "megohm":
        value *= {"k": 1e-3, "K": 1e-3, "G": 1e3, "g": 1e3}.get(scale or "", 1.0)
    elif scale in ("m", "k", "K") and step.does == "volt":
        value *= 1e-3 if scale == "m" else 1e3
    elif scale:
        raise Refused("typed", says)
    if step.does == "dbm":
        value = -abs(value)
        if value < -130:
            raise Refused("typed", says)
    if step.does in ("ohm", "megohm") and value < 0:
        raise Refused("typed", says)
    if step.does == "volt" and abs(value) > MOST_V:
        raise Refused("typed", f"{says}; no more than {MOST_V:g} V")
    return min(value, OPEN_READ) if step.does == "ohm" else value


def no_meaning(step: Step, value: float) -> str:
    """Where nothing more can be said of a reading that is not as expected."""
    return ""


def entry_body(
    step: Step | None, e: Entry, means: Callable[[Step, float], str] = no_meaning
) -> dict[str, Any]:
    """The body of a log entry about a step that is ticked, done, waited or read. means: what a
    reading that is not as expected may mean. Raises Refused, with the field and what to type.
    """
    if step is None:
        raise Refused("key", "this step is not in the plan any more: reload the page")
    if e.act == "back":
        return body_of(step, e, "taken back")
    if e.act == "declined":
        if not e.note.strip():
            raise Refused("note", "type why it is left out")
        return body_of(step, e, "declined")
    if step.does == "text" and not e.typed.strip():
        raise Refused("typed", "type what stands there")
    if step.does not in UNITS:
        return body_of(step, e, "done")
    value = read_value(step, e.typed)
    if step.within(value):
        return body_of(step, e, "done", value)
    return body_of(step, e, "outside", value, means(step, value))


def body_of(
    step: Step, e: Entry, verdict: str, value: float | None = None, why: str = ""
) -> dict[str, Any]:
    """The body of a log entry with its verdict."""
    typed = e.typed.strip() if verdict in ("done", "outside") and step.does != "tick" else ""
    return {
        "step": step.key,
        "label": step.title,
        "typed": typed,
        "value": value,
        "unit": UNITS.get(step.does, ""),
        "expected": step.expects,
        "verdict": verdict,
        "why": why,
        "tool": e.tool.strip()[:80],
        "note": e.note.strip(),
        "seen": e.seen,
        "device": e.device,
        "digest": e.digest,
    }
