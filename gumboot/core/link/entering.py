"""What a hand enters at a step of Link, made into a log entry or refused with what to type."""

from __future__ import annotations

import re
from dataclasses import dataclass
from typing import Any

from gumboot.core.land.entering import Refused
from gumboot.core.link.continuity import expected, parse, told
from gumboot.core.link.harness import Harness
from gumboot.core.link.steps import Step
from gumboot.core.link.terminators import (
    NO_SENSE,
    OPEN_READ,
    Place,
    explained,
    meanings,
)
from gumboot.core.network.circuit import Core

OPEN_WORDS = ("open", "ol", "o.l.", "o.l", "∞", "infinite", "inf")
NUMBER = re.compile(r"([+−-]?\d{1,7}(?:[.,]\d{1,6})?)\s*(k|M|m)?\s*(Ω|ohms?|dBm|V|volts?|w)?", re.I)
UNITS = {"ohm": "Ω", "dbm": "dBm", "volt": "V"}
SAYS = {
    "ohm": "type what the meter shows in Ω, such as 60, or “open”",
    "dbm": "type the level in dBm, such as -67",
    "volt": "type the volts, such as 11.8",
    "pins": "type which pin each one sounds to, such as 7=4 8=5, or “open”",
}


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
    """A reading as a number: Ω, V or dBm. Raises Refused."""
    text = typed.strip()
    if step.does == "ohm" and text.lower().removesuffix("ω").strip() in OPEN_WORDS:
        return OPEN_READ
    found = NUMBER.fullmatch(text)
    if not found:
        raise Refused("typed", SAYS[step.does])
    value = float(found[1].replace(",", ".").replace("−", "-"))
    scale = found[2]
    if scale and step.does == "ohm":
        value *= {"k": 1e3, "K": 1e3, "M": 1e6, "m": 1e-3}[scale]
    elif scale and step.does == "volt" and scale == "m":
        value *= 1e-3
    elif scale:
        raise Refused("typed", SAYS[step.does])
    if step.does == "dbm":
        value = -abs(value)
        if value < -130:
            raise Refused("typed", SAYS["dbm"])
    if step.does == "ohm" and value < 0:
        raise Refused("typed", SAYS["ohm"])
    return min(value, OPEN_READ) if step.does == "ohm" else value


def read_pins(cores: tuple[Core, ...], typed: str) -> dict[str, tuple[str, ...]]:
    """Pins as typed, "7=4 8=5" or "7=open": what each sounds to. Raises Refused."""
    want = expected(cores)
    out: dict[str, tuple[str, ...]] = {}
    for here, there in re.findall(
        r"([^\s=:;]+)\s*[=:]\s*([^=:;]*?)(?=\s*(?:;|$|[^\s=:;]+\s*[=:]))", typed
    ):
        if here not in want:
            raise Refused("typed", f"pin {here} carries nothing here: {', '.join(want)} do")
        try:
            out[here] = parse(there)
        except ValueError as exc:
            raise Refused("typed", str(exc)) from exc
    lacks = [p for p in want if p not in out]
    if lacks:
        raise Refused("typed", f"{SAYS['pins']}; pin {lacks[0]} is still to be read")
    return out


def entry_body(h: Harness, e: Entry) -> dict[str, Any]:
    """The body of a log entry. Raises Refused, with the field and what to type."""
    step = h.step(e.key)
    if step is None:
        raise Refused("key", "this step is not in the plan any more: reload the page")
    value, verdict, why, typed = None, "done", "", ""
    if e.act == "back":
        verdict = "taken back"
    elif e.act == "declined":
        if not e.note.strip():
            raise Refused("note", "type why it is left out")
        verdict = "declined"
    elif step.does == "ct":
        raise Refused("key", "this is done under CT test, or left out with a reason")
    elif step.does == "pins":
        lead = h.lead(step.shows)
        cores = lead.cable.cores if lead else ()
        wrong = told(cores, read_pins(cores, e.typed))
        typed, verdict, why = e.typed.strip(), "outside" if wrong else "done", " ".join(wrong)
    elif step.does != "tick":
        value = read_value(step, e.typed)
        typed = e.typed.strip()
        if not step.within(value):
            verdict, why = "outside", means(h, step, value)
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


def means(h: Harness, step: Step, value: float) -> str:
    """What a reading that is not as expected may mean."""
    if step.key.startswith("ohm."):
        key, _, at = step.key.removeprefix("ohm.").rpartition(".")
        bus = next((b for b in h.buses if b.key == key), None)
        if bus is not None:
            seen = {Place(int(at)): value}
            if not explained(bus.ladder, seen):
                return f"{NO_SENSE[0].upper()}{NO_SENSE[1:]}?"
            rows = meanings(bus.ladder, seen)
            words = [m.says for m in rows[:2]]
            return f"It reads as if {' or '.join(words)}."
    if step.key.startswith("shield."):
        return "The shield touches a wire of the pair: unplug lead after lead until it is clear."
    if step.key.endswith(".closed"):
        return "The loop is open, or a contact is poor: look at the button and at both clamps."
    if step.key.endswith(".open"):
        return "The button does not open it: a jumper is still in, or the two wires touch."
    if step.does == "dbm":
        return "Too weak: use a wire, another place, or a repeater of the owner's."
    if step.does == "volt":
        return "Too little at the end: look for a poor clamp, or use thicker wire."
    return ""
