"""Every test that this job needs, in the order of work; none that it does not."""

from __future__ import annotations

from dataclasses import replace

from gumboot.core.basis.figure import COMMON_PRACTICE, MEMORY, Figure, given
from gumboot.core.basis.finding import Asked, Finding
from gumboot.core.basis.formula import Formula
from gumboot.core.design import Design
from gumboot.core.prove.controllers import controller_dues
from gumboot.core.prove.dead import earth_dues, electrode_due, insulation_dues
from gumboot.core.prove.due import STAGES, Due
from gumboot.core.prove.hour import hour_dues
from gumboot.core.prove.island import back_dues, island_dues
from gumboot.core.prove.live import (
    agreeing,
    array_down,
    bond_dues,
    grid_dues,
    last_of,
    serving,
    window_dues,
)
from gumboot.core.prove.strings import Sky, string_dues
from gumboot.core.wake.steps import COLD, steps_of
from gumboot.core.walk.entering import UNITS
from gumboot.core.walk.step import Step

BARE = Sky()
READ = ("ohm", "megohm", "volt")
CLAUSES = {
    "cold.insulation": "IEC 62446-1 6.7",
    "cold.service": "IEC 60364-6 6.4.3.9",
}


def dues_of(d: Design, sky: Sky = BARE) -> tuple[Due, ...]:
    """Every test, dead ones first. What Wake's walk reads stands here as read there. sky: light and
    warmth as last read.
    """
    if d.inverter is None or d.network is None:
        return ()
    duties = {f.key: f for f in d.duties if f.asked and gathers(f.asked)}
    rows = [
        *earth_dues(d),
        *electrode_due(d),
        *insulation_dues(d),
        *string_dues(d.plan, d.strings, sky),
        *(_of_wake(s, d) for s in steps_of(d) if s.stage == COLD and s.does in READ and _there(s)),
        *grid_dues(d, duties),
        *array_down(d, duties),
        *bond_dues(d, duties),
        *agreeing(d),
        *controller_dues(d),
        *island_dues(d, duties),
        *back_dues(d),
        *hour_dues(d),
        *window_dues(d),
        *last_of(d),
    ]
    rows += [_of_duty(d, f) for k, f in duties.items() if k not in {x.duty for x in rows}]
    once = (_with_limit(x) for x in _each_once(rows))
    return tuple(sorted(once, key=lambda x: STAGES.index(x.stage)))


def _with_limit(due: Due) -> Due:
    """A test whose limit has no working of its own: the limit as its clause gives it."""
    value = due.most if due.most is not None else due.least
    if value is None or due.band is not None or due.limit is not None:
        return due
    which = "Most" if due.most is not None else "Least"
    limit = given("x", value, UNITS.get(due.does, ""), f"{which} that is good", due.clause)
    return replace(due, limit=limit)


OURS = ("cold.string.", "cold.earth")  # read here: Wake takes them from here


def _there(s: Step) -> bool:
    """Whether Wake's walk is where it is read."""
    return not s.key.startswith(OURS)


def gathers(asked: Asked) -> bool:
    """Whether a duty stands here: those of Prove, and whatever else is closed by a reading."""
    return asked.station == "Prove" or asked.kind not in ("", "form")


def limits_in_words(asked: Asked, unit: str) -> str:
    """The limits of a reading: "6001 A at least"."""
    if asked.least is not None and asked.most is not None:
        return f"{asked.least:g} to {asked.most:g} {unit}"
    if asked.least is not None:
        return f"{asked.least:g} {unit} at least"
    return f"{asked.most:g} {unit} at most" if asked.most is not None else ""


def _each_once(rows: list[Due]) -> list[Due]:
    return list({x.key: x for x in reversed(rows)}.values())[::-1]


PER_AREA = given("R_m", 40.0, "MΩ·m²", "A sound module", "IEC 61215 MQT 03", MEMORY)
PER_M2 = given("p", 210.0, "W/m²", "Power of a square metre of module", COMMON_PRACTICE)
SOUND = Formula("R_iso", "R_m * p / (n * P)", "MΩ", "A sound, dry string to earth", "IEC 61215")


def sound(d: Design, key: str) -> Figure | None:
    """What a sound string shows to earth, by its area; None for what is none."""
    letter = key.rpartition(".")[2]
    own = next((s for s in d.strings if s.letter == letter), None)
    if own is None or not key.startswith("cold.insulation"):
        return None
    n = given("n", own.rows * own.modules, "", "Modules", "plan")
    watts = given("P", own.module.p_max_w, "W", "Power of a module", "module sheet")
    return SOUND.figure(PER_AREA, PER_M2, n, watts)


def _of_wake(s: Step, d: Design) -> Due:
    """A cold reading of Wake: due here, read there."""
    whole = sound(d, s.key)
    more = f" Sound and dry it shows {whole.text} or more, by its area." if whole else ""
    rule = next((c for k, c in CLAUSES.items() if s.key.startswith(k)), "maker's manual")
    return Due(
        f"wake.{s.key}",
        STAGES[0],
        s.title,
        s.does,
        {"ohm": "continuity tester", "megohm": "insulation tester"}.get(s.does, "multimeter"),
        (f"{s.says}{more}",),
        "Everything open, as the walk of Wake begins.",
        rule,
        place=s.box,
        expects=s.expects,
        least=s.least,
        most=s.most,
        limit=whole,
        known=s.key,
        problem={"cold.insulation": "low_insulation"}.get(".".join(s.key.split(".")[:2]), ""),
    )


QUANTITY = {"voltage": "volt", "time": "ms", "current": "amp", "": "tick"}


def _of_duty(d: Design, f: Finding) -> Due:
    """A duty of Prove that no test of its own closes."""
    asked = f.asked
    assert asked is not None  # noqa: S101 - chosen so
    does = QUANTITY.get(asked.kind, "tick")
    return Due(
        f"gathered.{f.key}",
        "Dead, before Wake" if asked.station in ("Land", "Wall", "Link") else serving(d)[0],
        f.says if len(f.says) <= 90 else f"{f.says[:88].rsplit(' ', 1)[0]} …",
        does,  # type: ignore[arg-type]
        "as the duty says",
        (f.says,),
        f"Seen or read as {asked.station} has it.",
        f.rule,
        place=f.place,
        least=asked.least,
        most=asked.most,
        expects=f.says if does == "tick" else limits_in_words(asked, UNITS.get(does, "")),
        duty=f.key,
    )
