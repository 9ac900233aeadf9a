"""What a hand enters at a step of Link, made into a log entry or refused with what to type."""

from __future__ import annotations

import re
from typing import Any

from gumboot.core.land.entering import Refused
from gumboot.core.link.continuity import expected, parse, told
from gumboot.core.link.harness import Harness
from gumboot.core.link.terminators import (
    NO_SENSE,
    Place,
    explained,
    meanings,
)
from gumboot.core.network.circuit import Core
from gumboot.core.walk.entering import SAYS, Entry, body_of
from gumboot.core.walk.entering import entry_body as walked
from gumboot.core.walk.step import Step


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
    if step is None or e.act in ("back", "declined") or step.does not in ("ct", "pins"):
        return walked(step, e, lambda s, value: means(h, s, value))
    if step.does == "ct":
        raise Refused("key", "this is done under CT test, or left out with a reason")
    lead = h.lead(step.shows)
    cores = lead.cable.cores if lead else ()
    wrong = told(cores, read_pins(cores, e.typed))
    return body_of(step, e, "outside" if wrong else "done", None, " ".join(wrong))


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
