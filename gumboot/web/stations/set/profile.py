"""The grid profile: what the country line stands for, beside what the unit shows; and by whose word
another one stands there.
"""

from __future__ import annotations

import re
from dataclasses import dataclass
from typing import Any

from gumboot.core.codes.grid_profiles import PROFILES, Limit, Profile
from gumboot.core.journal.entry import Entry
from gumboot.core.kit import MAINS
from gumboot.core.plan import Survey
from gumboot.core.set.settings.agreement import LETTER, LICENSED
from gumboot.web.job.opening import OpenJob

NEAR = 0.005  # of a value: what a display rounds away


@dataclass(frozen=True, slots=True)
class Line:
    """One value of a profile as this supply has it. key: of its entry in the log."""

    key: str
    name: str
    value: float
    unit: str
    share: str
    lasts: str


def found(job: OpenJob, unit_no: int) -> Profile | None:
    """The profile that the country line stands for; None where it is not known."""
    if job.design.inverter is None:
        return None
    settings = job.design.menu(unit_no)
    return next((PROFILES[s.means_now] for s in settings if s.means_now in PROFILES), None)


def lines_of(job: OpenJob, unit_no: int) -> list[Line]:
    """Its values, volts in those of this supply."""
    profile, unit = found(job, unit_no), job.design.inverter
    if profile is None or unit is None:
        return []
    volts = MAINS[unit.supply].to_neutral if len(unit.lines) == 3 else unit.voltage_v
    return [_line(x, volts, unit_no) for x in profile.limits]


def _line(x: Limit, volts: float, unit_no: int) -> Line:
    value, unit = (x.value * volts, "V") if x.of == "V" else (x.value, str(x.of))
    share = f"{100 * x.value:.4g} % of {volts:g} V" if x.of == "V" else ""
    lasts = f"{x.seconds:g} s" if x.seconds is not None else ""
    slug = re.sub(r"[^a-z0-9]+", "-", x.name.lower()).strip("-")
    return Line(f"profile.{unit_no}.{slug}={value:.4g}", x.name, value, unit, share, lasts)


def entry_of(job: OpenJob, line: Line) -> Entry | None:
    """What the unit was seen to show."""
    return job.state.steps.get(line.key)


def by_word(job: OpenJob) -> tuple[str, str]:
    """(the licensed person, the operator's letter) that another profile rests on."""
    seen = job.plan.survey or Survey()
    return seen.licensed.get(LICENSED, ""), seen.confirmed.get(LETTER, "")


def strays(job: OpenJob, unit_no: int) -> int:
    """How many values a unit shows otherwise, on nobody's word."""
    rows = (entry_of(job, x) for x in lines_of(job, unit_no))
    others = sum(e is not None and e.body["verdict"] == "outside" for e in rows)
    return 0 if all(by_word(job)) else others


def profile_of(job: OpenJob, unit_no: int) -> dict[str, Any] | None:
    """What the page shows of it."""
    profile = found(job, unit_no)
    if profile is None:
        return None
    who, letter = by_word(job)
    rows = []
    for x in lines_of(job, unit_no):
        e = entry_of(job, x)
        rows.append(
            {
                **{"key": x.key, "name": x.name, "share": x.share, "lasts": x.lasts},
                **{"value": f"{x.value:.4g} {x.unit}", "unit": x.unit},
                "shown": e.body["typed"] if e else "",
                "verdict": e.body["verdict"] if e else "",
                "by": e.who if e else "",
            }
        )
    return {
        "name": profile.name,
        "source": profile.source,
        "rows": rows,
        "who": who,
        "letter": letter,
        "strays": strays(job, unit_no),
    }


def number_of(text: str) -> float | None:
    """What a display shows as a number, with its unit or without; None where it is none."""
    bare = re.sub(r"\s*(V|Hz|s|%|%/min)$", "", text.strip())
    found = re.fullmatch(r"[+-]?\d{1,6}(?:[.,]\d{1,4})?", bare)
    return float(bare.replace(",", ".")) if found else None


def judged(line: Line, text: str, value: float) -> dict[str, Any]:
    """The body of a log entry of what a unit shows."""
    near = abs(value - line.value) <= NEAR * abs(line.value)
    return {
        **{"step": line.key, "label": line.name, "typed": text, "value": value, "unit": line.unit},
        "expected": f"{line.value:.4g} {line.unit}",
        "verdict": "done" if near else "outside",
        "why": "" if near else "not what the country line stands for",
        **{"tool": "", "note": ""},
    }
