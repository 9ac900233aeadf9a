"""What a job wants over the years: by its devices' sheets, else by common practice."""

from __future__ import annotations

import re
from calendar import monthrange
from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace
from datetime import date

from gumboot.core.design import Design
from gumboot.core.hand_over.devices import devices
from gumboot.core.journal.log import LogState
from gumboot.core.kit.care import Care
from gumboot.core.land.termination import Termination
from gumboot.core.plan.kit import CONTROLLERS
from gumboot.core.prove.listing import dues_of
from gumboot.core.prove.strings import Sky
from gumboot.core.wake import steps as waking
from gumboot.core.walk.entering import UNITS
from gumboot.core.walk.step import Step

LOOK = Care(
    what="Look: no red lamp, nothing before the boxes, air slots free of dust",
    every_months=1,
    does="look",
    by="owner",
)
YEARLY: dict[str, str] = {  # common practice, where a sheet is silent
    "settings": "Settings and versions of the software read again",
    "torque": "Screwed ends looked at again, those of the batteries by tool",
    "insulation": "The panels' cables measured against earth",
    "charge drift": "What the battery shows against what it holds",
    "sharing": "Whether all batteries carry their share",
}
PLAINLY = {
    "firmware": "Software of the machines brought up to date",
    "clean": "Cleaned, and looked over",
    "look": "Looked over",
}
WATER = Care(what="Water in the cells, and their ends clean", every_months=3, does="clean")


def cares(d: Design) -> tuple[Care, ...]:
    """What is due, the most frequent first: once for each of what the sheets say, and by common
    practice for what they leave out.
    """
    said = [c for x in (d.inverter, d.controller, d.pack) if x is not None for c in x.care]
    kinds = {(c.does, c.by) for c in said}
    rows = [*said, *(c for c in _usual(d) if (c.does, c.by) not in kinds)]
    unique = {(c.what, c.every_months): c for c in rows}
    return tuple(sorted(unique.values(), key=lambda c: c.every_months))


def plainly(c: Care) -> str:
    """What is done, in an owner's words: the sheet's own where the owner does it."""
    if c.by == "owner":
        return c.what
    return WATER.what if c == WATER else {**PLAINLY, **YEARLY}[c.does]


def _usual(d: Design) -> Iterator[Care]:
    yield LOOK
    leaves_out = {
        "insulation": not d.strings,
        "charge drift": d.pack is None,
        "sharing": d.plan.kit.packs < 2,
    }
    for does, what in YEARLY.items():
        if not leaves_out.get(does):
            yield Care.model_validate({"what": what, "does": does})
    if d.pack is not None and d.pack.chemistry == "flooded":
        yield WATER


MOST_LUGS = 6  # looked at again in one visit, those first that fell most: common practice
FALLS_TO = 0.1  # of what was handed over: an array that fell further has a fault, common practice
Make = Callable[[Design, LogState, str], Iterator[Step]]


@dataclass(frozen=True, slots=True)
class Visit:
    """A visit that is due so many months after the signature, and what it is for."""

    months: int
    cares: tuple[Care, ...]

    @property
    def says(self) -> str:
        """What it is for, in one line."""
        return "; ".join(dict.fromkeys(c.what for c in self.cares))


def schedule(d: Design) -> tuple[Visit, ...]:
    """Every visit of the crew over ten years, in order; what falls on one month is one visit. The
    first comes a month after the signature: settings read again (common practice).
    """
    own = [c for c in cares(d) if c.by == "crew"]
    first = Visit(1, tuple(c for c in own if c.does in ("settings", "firmware")))
    months = sorted({m for c in own for m in range(c.every_months, 121, c.every_months)})
    rows = [Visit(m, tuple(c for c in own if m % c.every_months == 0)) for m in months]
    return (first, *(v for v in rows if v.months != 1)) if first.cares else tuple(rows)


def on_day(signed: date, months: int) -> date:
    """The day so many months after another; the last of a shorter month.

    >>> on_day(date(2026, 8, 31), 6), on_day(date(2026, 11, 27), 12)
    (datetime.date(2027, 2, 28), datetime.date(2027, 11, 27))
    """
    at = signed.month - 1 + months
    year, month = signed.year + at // 12, at % 12 + 1
    return date(year, month, min(signed.day, monthrange(year, month)[1]))


def steps(d: Design, state: LogState, v: Visit) -> tuple[Step, ...]:
    """The walk of a visit: each thing it is for, judged against what was handed over."""
    kinds = {c.does for c in v.cares}
    rows: list[Step] = []
    for does, make in MAKERS.items():
        if does in kinds:
            rows += make(d, state, f"visit.{v.months}")
    usual = (*YEARLY.values(), WATER.what)
    rest = [c for c in v.cares if c.does not in ("settings", "firmware") and c.what not in usual]
    rest += [c for c in v.cares if c == WATER]
    rows += [
        Step(f"visit.{v.months}.care.{n}", "By the sheets", c.what, "As the sheet says.", "tick")
        for n, c in enumerate(rest, 1)
    ]
    return tuple(rows)


def changed(s: Step, typed: str) -> str:
    """Why what was typed at a step is not what was handed over; empty where it is."""
    plain, was = " ".join(typed.split()).lower(), s.lever.lower()
    if s.does != "text" or not was:
        return ""
    if was == "0":
        found = re.match(r"0(?:[.,]0+)?(?![\d.,])", plain)
        return "" if found or plain in ("none", "nothing", "no") else "changed since hand-over"
    return "" if plain == was else f"{s.lever} was handed over: changed since"


def _settings(d: Design, state: LogState, at: str) -> Iterator[Step]:
    for n in d.plan.kit.units:
        name = d.plan.kit.unit_name(n) if n > CONTROLLERS else f"Inverter {n}"
        yield Step(
            f"{at}.settings.{n}",
            "Settings",
            f"{name}: how many lines differ from what was handed over",
            "By Set, Read back over its wire, or line by line against the sheet of Set.",
            "text",
            "0",
            box=f"controller-{n - CONTROLLERS}" if n > CONTROLLERS else f"inverter-{n}",
            lever="0",
        )
    if d.plan.energy.tariff.rates:
        yield Step(
            f"{at}.bill",
            "Settings",
            "What a year cost, from the owner's bills",
            "Twelve months, as paid. It stands beside what was promised.",
            "text",
        )


def _firmware(d: Design, state: LogState, at: str) -> Iterator[Step]:
    for x in devices(d):
        e = state.last.get("serial", {}).get(x.key)
        left = (e.body["firmware_left"] or e.body["firmware_found"]) if e else ""
        if x.firmware and left:
            yield Step(
                f"{at}.firmware.{x.key}",
                "Firmware",
                f"{x.label}: its firmware",
                "As the display shows it.",
                "text",
                left,
                box=x.body,
                lever=left,
            )


def _torque(d: Design, state: LogState, at: str) -> Iterator[Step]:
    wants = [t for t in d.terminations if t.recheck == "torque" and t.torque is not None]
    drift = {t.key: _drift(state, t) for t in wants}
    for t in sorted(wants, key=lambda t: drift[t.key])[:MOST_LUGS]:
        fell = drift[t.key]
        was = f" It had fallen by {-100 * fell:.0f} % a day after." if fell < 0 else ""
        yield Step(
            f"{at}.torque.{t.key}",
            "Terminations",
            f"{t.place}, {t.terminal}: {t.torque.text if t.torque else ''} again, moved by degrees",
            f"Isolated and proven dead. It does not move, and its mark stands.{was}",
            "text",
            "0",
            box=t.body,
            lever="0",
        )


def _drift(state: LogState, t: Termination) -> float:
    found = state.termination(t.key, t.chain).drift
    return found.share if found else 0.0


def handed_over(state: LogState, key: str) -> float | None:
    """What was read at a step or a test when the job was handed over; None where nothing was, or
    not as expected.
    """
    e = state.steps.get(key)
    value: float | None = e.body["value"] if e is not None and e.body["verdict"] == "done" else None
    return value


def _insulation(d: Design, state: LogState, at: str) -> Iterator[Step]:
    """As Wake reads it, and no less than a tenth of what was handed over."""
    for s in waking.steps_of(d):
        if not s.key.startswith("cold.insulation."):
            continue
        was = handed_over(state, s.key)
        least = max(s.least or 0.0, (was or 0.0) * FALLS_TO)
        then = f"; {was:g} MΩ was handed over" if was else ""
        yield Step(
            f"{at}.{s.key.removeprefix('cold.')}",
            "Array",
            f"{s.title} to earth",
            s.says,
            "megohm",
            f"{least:.3g} MΩ at least{then}",
            least,
            box=s.box,
        )


def _again(key: str) -> Make:
    """A test of Prove made again, by its own limits, beside what was handed over."""

    def make(d: Design, state: LogState, at: str) -> Iterator[Step]:
        for x in dues_of(d, Sky()):
            if x.key == key:
                was, own = handed_over(state, key), x.step()
                then = (
                    f"; {was:g} {UNITS.get(x.does, '')} was handed over" if was is not None else ""
                )
                yield replace(own, key=f"{at}.{key}", stage="Battery", expects=own.expects + then)

    return make


MAKERS: dict[str, Make] = {
    "settings": _settings,
    "firmware": _firmware,
    "torque": _torque,
    "insulation": _insulation,
    "charge drift": _again("soc.apart"),
    "sharing": _again("packs.share"),
}
