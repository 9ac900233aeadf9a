"""What a reading comes to: within its band, outside, or withheld."""

from __future__ import annotations

from datetime import date

from gumboot.core.land.entering import Refused
from gumboot.core.prove.due import Due
from gumboot.core.prove.instrument import Instrument
from gumboot.core.prove.strings import Sky

DARK = 50.0  # W/m²: below it no string gives its volts for long
STRAY = 1.5  # times what may be: no reading of this string


def impossible(due: Due, value: float, sky: Sky) -> str:
    """Why a reading cannot be; empty where it can."""
    if not due.key.startswith("string.") or due.most is None:
        return ""
    unit = "V" if due.does == "volt" else "A"
    if sky.light is not None and sky.light < DARK and abs(value) > 0.5 * due.most:
        return f"the light reads {sky.light:g} W/m²: no string gives {value:g} {unit} in it"
    if abs(value) > STRAY * due.most:
        return f"{value:g} {unit} is more than this string can give: another one, or the range?"
    return ""


def verdict_of(
    due: Due,
    value: float,
    by: Instrument | None,
    day: date,
    notes: list[str],
    sky: Sky,
    slack: float = 0.0,
) -> tuple[str, str]:
    """(verdict, why) of a reading in the test's unit. notes: what else is to be said; slack: what
    a file's own method may be off, in doubt for the job. Raises Refused for one that cannot be.
    """
    if why := impossible(due, value, sky):
        raise Refused("typed", why)
    said = list(notes)
    if by is not None and (why := by.refuses(day)):
        return "withheld", "; ".join([why, *said])
    low, high = due.least, due.most
    fits = due.step().within(value, slack)
    off = by.off(value) if by is not None else 0.0
    near = [x for x in (low, high) if x is not None and abs(value - x) < off]
    if near and off:
        how = "still good" if fits else "just beyond"
        said.append(f"{how}, and within what the instrument may be off ({off:.3g})")
    if due.does == "volt" and not fits and low is not None and low > 0 and value < 0:
        said.append("plus and minus are exchanged")
    return ("done" if fits else "outside"), "; ".join(said)
