"""Whether what is keyed agrees with the plan and its battery. Everything hangs on what a line means
(its rule), whatever its menu calls it.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from gumboot.core.basis.figure import COMMON_PRACTICE
from gumboot.core.basis.finding import Cure, Finding, check, stop
from gumboot.core.basis.words import inside
from gumboot.core.plan import Survey
from gumboot.core.set.settings import windows
from gumboot.core.set.settings.choosing import alike
from gumboot.core.set.settings.lattice import CURRENTS, PAIRS
from gumboot.core.set.settings.setting import Job, Setting
from gumboot.core.set.settings.slot import parse_slot

# What the plan says for certain, and what it only makes likely.
AGREES, LIKELY = ("line",), ("phase_mode", "output_v", "output_hz", "protocol", "export_per_phase")


LICENSED, LETTER = "grid-profile", "operator-letter"  # who chose it, and on which word


OTHER = Cure(
    "Read the line on the unit and enter it on the shelf, or choose a unit or a pack that suits"
)


def of_rule(settings: Sequence[Setting], rule: str) -> list[Setting]:
    """The lines that mean one thing."""
    return [s for s in settings if s.rule == rule and s.shown]


def differs(s: Setting) -> bool:
    """Whether what is keyed means another thing than what is proposed, whatever it is called."""
    if isinstance(s.value, str) and isinstance(s.proposed, str):
        if s.means_now != s.value:
            return s.means_now != str(s.meant)
        return not alike(s.value, s.proposed, str(s.meant))
    return s.own


def back(s: Setting) -> Cure:
    """The cure that takes Gumboot's own value again."""
    shown = s.proposed if isinstance(s.proposed, str) else f"{s.proposed:g} {s.unit}".strip()
    return Cure(f"Back to {shown}", (s.keyed_as(None),))


def mended(s: Setting) -> Cure:
    """Gumboot's own value again; where that stands already, other equipment."""
    return back(s) if s.own else OTHER


def order_findings(settings: Sequence[Setting]) -> Iterator[Finding]:
    """Every pair of lines that an order relates, near or far. A broken one is a stop; of currents
    a check, since the smaller limit holds whatever the others say.
    """
    for a, b, even in related(settings):
        if out_of_order(a, b, even, settings):
            at = a if a.own else b
            says = (
                f"{a.label} {a.value:g} {a.unit} must be below"
                f" {'or equal to ' if even else ''}{b.label.lower()} {b.value:g} {b.unit}."
            )
            said = check if a.rule in CURRENTS else stop
            yield said(f"set.{a.id}.{b.id}", f"set.{at.id}", says, COMMON_PRACTICE, mended(at))


def related(settings: Sequence[Setting]) -> Iterator[tuple[Setting, Setting, bool]]:
    """(lower, upper, whether they may be equal) of every pair of a menu's own lines that the
    lattice relates.
    """
    for a, b, even in PAIRS:
        for lower in of_rule(settings, a):
            for upper in of_rule(settings, b):
                yield lower, upper, even


def out_of_order(a: Setting, b: Setting, even: bool, settings: Sequence[Setting]) -> bool:
    """Whether a lower line is not below an upper one."""
    if isinstance(a.value, str) or isinstance(b.value, str):
        return False
    if b.rule == "equalise_v" and not equalises(settings):
        return False  # the line is there, and nothing uses it
    return a.value > b.value or (a.value == b.value and not even)


def equalises(settings: Sequence[Setting]) -> bool:
    """Whether the menu equalises at all: else its voltage does nothing."""
    rows = of_rule(settings, "equalise_off")
    return any(differs(s) or s.meant != "off" for s in rows) if rows else True


def battery_findings(settings: Sequence[Setting], job: Job) -> Iterator[Finding]:
    """Battery type, link, equalising and voltages against the cells and their BMS."""
    for s in of_rule(settings, "lithium"):
        if differs(s):
            says = f"{s.label} is keyed “{s.value}”; the pack is {job.chemistry}: {s.why}."
            yield stop(f"set.{s.id}.cells", f"set.{s.id}", says, "pack sheet", mended(s))
    for s in of_rule(settings, "link"):
        if differs(s) and s.meant != "none":
            says = (
                f"{s.label} is keyed “{s.value}”; the pack's BMS speaks over {s.proposed}: without"
                " it nothing stops a cell that is full or empty."
            )
            yield stop(f"set.{s.id}.bms", f"set.{s.id}", says, "pack sheet", mended(s))
    for s in of_rule(settings, "equalise_off"):
        if differs(s) and s.meant == "off":
            says = f"{s.label} is keyed “{s.value}”: it overcharges {job.chemistry} cells."
            yield stop(f"set.{s.id}.cells", f"set.{s.id}", says, COMMON_PRACTICE, mended(s))
    if job.bank is None:
        return
    top, bottom = job.bank.v_max.n, job.bank.v_min.n
    for rule in ("float", "absorb", "equalise_v"):
        for s in of_rule(settings, rule):
            if not isinstance(s.value, str) and s.value > top + 1e-9:
                if rule == "equalise_v" and not equalises(settings):
                    continue
                says = f"{s.label} {s.value:g} V is above the pack's limit of {top:g} V."
                yield stop(f"set.{s.id}.bms", f"set.{s.id}", says, "pack sheet", mended(s))
    for s in of_rule(settings, "cut"):
        if not isinstance(s.value, str) and s.value < bottom - 1e-9:
            says = (
                f"{s.label} {s.value:g} V is below the {bottom:g} V at which the pack's own"
                " protection opens: the bank would drop out, and may not wake by itself."
            )
            yield stop(f"set.{s.id}.bms", f"set.{s.id}", says, "pack sheet", mended(s))


def plan_findings(settings: Sequence[Setting], job: Job) -> Iterator[Finding]:
    """The bond against the plan; windows that the mode leaves unused; lines nobody has a
    rule for.
    """
    for s in of_rule(settings, "bond_off"):
        if differs(s):
            says = (
                f"{s.label} is keyed “{s.value}”; by the plan {s.why}. Two bonds, or none, would"
                " be the outcome."
            )
            rule = job.plan.book.clauses["bond"]
            yield stop(f"set.{s.id}.bond", f"set.{s.id}", says, rule, back(s))
    for rule in (*AGREES, *LIKELY):
        for s in of_rule(settings, rule):
            if s.chosen and differs(s):
                says = f"{s.label} is keyed “{s.value}”; by the plan it is {s.proposed}: {s.why}."
                said = stop if rule in AGREES else check
                yield said(f"set.{s.id}.plan", f"set.{s.id}", says, "inverter menu", back(s))
    limit = job.plan.energy.tariff.export_limit_w
    each = any(s.means_now == "per phase" for s in of_rule(settings, "export_per_phase"))
    for s in of_rule(settings, "unbalanced"):
        if limit is not None and each and s.means_now == "off":
            says = (
                f"The export limit is kept per phase and {inside(s.label)} is off: one line gives"
                " what another takes, and the limit does not hold."
            )
            yield stop(f"set.{s.id}.phase", f"set.{s.id}", says, COMMON_PRACTICE, back(s))
    modes = of_rule(settings, "mode")
    slots = windows.keyed(settings, parse_slot)
    for s in settings:
        used = s.id in slots and s.own
        if used and modes and modes[0].value != modes[0].windows:
            says = (
                f"{s.label} is keyed, and the work mode is {modes[0].value}: the window does"
                " nothing."
            )
            yield check(f"set.{s.id}.unused", f"set.{s.id}", says, COMMON_PRACTICE, back(s))
    for s in settings:
        if s.rule == "first" and len(s.options) > 1 and not s.chosen:
            says = (
                f"{s.label} has {len(s.options)} choices, and the one for this supply is to be"
                " chosen by who knows the place."
            )
            cures = [Cure(f"It is {x}", (s.keyed_as(x),)) for x in s.options[:6]]
            yield check(f"set.{s.id}.choose", f"set.{s.id}", says, "the grid operator", *cures)
        elif s.profile and s.chosen and s.own:
            says = (
                f"{s.label} is keyed “{s.value}”, not {s.proposed}: the grid profile is chosen by a"
                " licensed person, as the grid operator's letter says."
            )
            at = (f"set.{s.id}.profile", f"set.{s.id}")
            seen = job.plan.survey or Survey()
            who, letter = seen.licensed.get(LICENSED, ""), seen.confirmed.get(LETTER, "")
            if who and letter:
                says += f" Chosen by {who}; letter: {letter}."
                yield check(*at, says, "the grid operator", back(s))
            else:
                named = Cure("Name the licensed person and the letter under Grid profile")
                yield stop(*at, says, "the grid operator", back(s), named)
        elif s.lacking:
            says = (
                f"{s.label}: the menu has nothing for “{s.lacking}”; it takes"
                f" {', '.join(s.options) or f'{s.least:g} to {s.most:g} {s.unit}'}."
            )
            near = [x for x in s.options if _near(x, s.lacking)]
            cures = [Cure(f"Key {x}", (s.keyed_as(x),)) for x in near[:6]]
            yield check(f"set.{s.id}.lacks", f"set.{s.id}", says, "inverter menu", *cures, OTHER)


NEAR = 0.1  # how far from what is meant a value may be and still be offered: common practice


def _near(option: str, meant: str) -> bool:
    """Whether a choice may be offered for what a menu lacks: any word for a word, no number far
    from a number.
    """
    try:
        a, b = float(option.split()[0]), float(meant.split()[0])
    except (ValueError, IndexError):
        return True
    return abs(a - b) <= NEAR * abs(b)
