"""The transformers' test as it is entered: a step typed or read, what it says together with those
before it, and the steps to make where nobody can be asked which is best.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from typing import Any

from gumboot.core.basis.units import NotAQuantity, parse
from gumboot.core.journal.entry import Entry
from gumboot.core.link import ct
from gumboot.core.link.measuring import Measuring, faults, in_words
from gumboot.core.link.wiring import right

NOISE_W = 60.0  # where nothing was read twice: a quiet house
LEAST_W = 30.0  # a few readings that agree by chance do not make a house quieter than this
MOST_W = 200_000.0
MISFIT = "No wiring shows these readings."
LOOKS = {"before": ("before", "again"), "after": ("after", "anew")}
Typed = dict[str, str]
Body = dict[str, Any]


def fields_of(m: Measuring) -> tuple[str, ...]:
    """Names of the fields of a step: what is switched, and two readings a side of each channel."""
    looks = [f"{w}{k}" for k in range(len(m.channels)) for two in LOOKS.values() for w in two]
    return ("drive", "watts", "sign", *looks)


def reading(text: str) -> float | None:
    """What a channel shows in W: "350", "0,35 kW", "-1.2 kW"; None where it shows nothing. Raises
    NotAQuantity.
    """
    plain = text.strip().replace("−", "-")
    if plain.lower() in ("-", "--", "---", "nothing", "none"):
        return None
    value = parse(plain.lstrip("+"), "power", bare="W")
    if not math.isfinite(value) or abs(value) > MOST_W:
        raise NotAQuantity("type what the channel shows in W or kW, such as 350 or -1.2 kW")
    return value


def side(typed: Mapping[str, str], when: str, channels: int) -> str:
    """One side of a step as it stands in the form: what the meter gave is known by it."""
    return "|".join(typed.get(f"{n}{k}", "") for n in LOOKS[when] for k in range(channels))


def _as_read(typed: Mapping[str, str], channels: int) -> bool:
    """Whether both sides stand as they were read from the meter, and no hand changed them."""
    return all(typed.get(f"read_{w}") == side(typed, w, channels) for w in LOOKS)


def step_body(m: Measuring, typed: Mapping[str, str], made: int) -> tuple[Body, dict[str, str]]:
    """(body, what is wrong with what was typed, by field) of a step; made: entries before it."""
    wrong: dict[str, str] = {}
    values: dict[str, float | None] = {}
    for n in fields_of(m)[3:]:
        text = typed.get(n, "")
        if n.startswith(("again", "anew")) and not text.strip():
            continue
        try:
            values[n] = reading(text)
        except NotAQuantity:
            wrong[n] = "type what it shows, such as 350, 0,35 kW or −1.2 kW; “-” for nothing"
    drive = m.drive(typed.get("drive", ""))
    if drive is None:
        wrong["drive"] = "choose what is switched"
    watts = 0.0
    try:
        watts = parse(typed.get("watts", ""), "power", bare="W")
        if not 1 <= watts <= MOST_W:
            raise NotAQuantity("")
    except NotAQuantity:
        wrong["watts"] = "type how much is switched, such as 1800 or 1.8 kW"
    sign = -1 if typed.get("sign") == "minus" else 1
    sides: dict[str, list[float | None]] = {w: [] for w in LOOKS}
    apart: list[float] = []
    for k in range(len(m.channels)):
        for when, (name, more) in LOOKS.items():
            one, two = values.get(f"{name}{k}"), values.get(f"{more}{k}")
            if one is not None and two is not None:
                apart.append(abs(two - one) / math.sqrt(2))
                one = (one + two) / 2
            sides[when].append(None if one is None else sign * one)
    # two readings a side: their scatter is the house's own noise, and not under what it may be
    noise = max(max(apart, default=0.0), LEAST_W if apart else NOISE_W)
    body = {
        "label": f"CT step {made + 1}",
        "act": "step",
        "drive": typed.get("drive", ""),
        "watts": watts * (m.drives[drive].sign if drive is not None else 1),
        "before": sides["before"],
        "after": sides["after"],
        "noise_w": round(noise, 1),
        "source": "meter" if _as_read(typed, len(m.channels)) else "typed",
        "says": "",
        "note": "",
    }
    return body, wrong


def begun_anew(cured: bool, note: str) -> Body:
    """Something was moved or keyed: the test begins anew."""
    return {
        "label": "CT test",
        "act": "cured" if cured else "taken back",
        "drive": "",
        "watts": 0,
        "before": [],
        "after": [],
        "noise_w": 0,
        "source": "typed",
        "says": "",
        "note": note,
    }


def as_shown(m: Measuring, body: Mapping[str, Any]) -> list[ct.Shown]:
    """A step as the engine reads it: none where it is no step of this job."""
    drive = m.drive(body["drive"])
    if body["act"] != "step" or drive is None or len(body["after"]) != len(m.channels):
        return []
    more = tuple(
        math.nan if x is None or y is None else y - x
        for x, y in zip(body["before"], body["after"], strict=True)
    )
    return [ct.Shown(ct.Step(body["drive"], drive, body["watts"]), more, max(body["noise_w"], 5.0))]


def shown_by(m: Measuring, entries: Sequence[Entry]) -> list[ct.Shown]:
    """The steps made since the test began."""
    return [x for e in entries for x in as_shown(m, e.body)]


def judged(m: Measuring, entries: Sequence[Entry], body: Body) -> Body:
    """A step with what it says, together with those before it."""
    if not (own := as_shown(m, body)):
        return body
    shown = [*shown_by(m, entries), *own]
    belief = ct.believe(m.setup, shown)
    found = ct.explanations(belief, 1)[0]
    fits = ct.fits(belief, shown)
    says = f"{100 * found.likely:.0f} %: {in_words(m, found.wiring)}" if fits else MISFIT
    sound = fits and belief.sure and not faults(m, found.wiring)
    return {**body, "says": says, "sound": sound}


def by_heart(m: Measuring, noise_w: float, most: int = 6) -> tuple[ct.Step, ...]:
    """The steps to make where nobody can be asked: those that would follow each other if all stood
    as it should.
    """
    whole, steps = right(m.setup), m.steps(noise_w)
    shown: list[ct.Shown] = []
    for _ in range(most):
        belief = ct.believe(m.setup, shown)
        found = None if belief.sure else ct.next_step(belief, steps, noise_w)
        if found is None:
            break
        shown.append(ct.Shown(found[0], ct.shows(m.setup, whole, found[0]), noise_w))
    return tuple(x.step for x in shown)
