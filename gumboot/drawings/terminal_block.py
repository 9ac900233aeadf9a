"""The body one is standing at: its terminals by port, what is done filled in, the next one ringed."""

from __future__ import annotations

from collections.abc import Mapping
from itertools import groupby
from urllib.parse import quote
from xml.sax.saxutils import escape

from gumboot.core.design import Design
from gumboot.core.terminations import Termination, Verdict
from gumboot.drawings.svg import box, picture, tag, text

PIN, ROWS_AT = 52, 46
LOOSE = {"Factory joints": "made at the works", "Bars and links": "bars that the crew makes"}
MARK: dict[str, str] = {"good": "✓", "done": "✓", "under": "low", "over": "over", "withheld": "?"}


def terminal_block(design: Design, at: Termination, verdicts: Mapping[str, Verdict], width: float = 620) -> str:
    """Every termination of the body that `at` is on, one square each, grouped by what they belong to."""
    numbers = {s.id: s.circuit.number for s in design.circuits}
    own = sorted((t for t in design.terminations if t.body == at.body), key=lambda t: (numbers.get(t.circuit, 0), t.number))
    parts: list[str] = []
    x, y = 12.0, float(ROWS_AT)
    for circuit, group in groupby(own, key=lambda t: t.circuit or t.stage):
        pins = list(group)
        span = len(pins) * (PIN + 6)
        if x > 12 and x + span > width - 12:
            x, y = 12.0, y + PIN + 44
        parts.append(text(x, y - 6, f"C{numbers[circuit]} {circuit}" if circuit in numbers else LOOSE.get(circuit, circuit), "small soft"))
        for t in pins:
            if x + PIN > width - 8:
                x, y = 12.0, y + PIN + 44
            parts.append(_pin(t, x, y, verdicts.get(t.key), t.key == at.key))
            x += PIN + 6
        x += 16
    height = y + PIN + 30
    title = f"Terminals of {at.place}"
    words = ". ".join(f"{t.terminal} {verdicts.get(t.key, 'to do')}" for t in own)
    return picture(width, height, title, words, box(3, 3, width - 6, height - 6, "body"), text(12, 22, at.place, "strong"), *parts)


def _pin(t: Termination, x: float, y: float, verdict: Verdict | None, here: bool) -> str:
    good = verdict in ("good", "done")
    class_ = "pin-good" if good else f"pin-{verdict}" if verdict in ("under", "over") else "pin"
    ring = box(x - 4, y - 4, PIN + 8, PIN + 8, "ring") if here else ""
    name = ("bar" if t.end == "bar" else "screw") if t.conductor == "factory" else t.conductor
    inner = box(x, y, PIN, PIN, class_) + text(x + PIN / 2, y + 24, name, "strong on-good" if good else "strong", "middle")
    inner += text(
        x + PIN / 2, y + 42, MARK.get(verdict or "", "next" if here else str(t.number)), "small on-good" if good else "small", "middle"
    )
    words = f"{t.place} {t.terminal}: {verdict or 'to do'}"
    return ring + tag("a", tag("title", escape(words)), inner, href=f"?at={quote(t.key, safe='')}", class_="pin-link", aria_label=words)
