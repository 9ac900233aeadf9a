"""All strings together: what meets on a tracker, and what an inverter may have."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping

from gumboot.core.basis.figure import COMMON_PRACTICE
from gumboot.core.basis.finding import Asked, Cure, Finding, check, duty, note, stop
from gumboot.core.basis.words import counted, listed
from gumboot.core.codes import nec
from gumboot.core.codes.book import Book
from gumboot.core.kit import Module, Tracker
from gumboot.core.plan import Plan, PvString
from gumboot.core.size.strings.rows import join, parted
from gumboot.core.size.strings.taker import Taker
from gumboot.core.size.strings.voltage import (
    GAMMA_ASSUMED,
    SILENT_V,
    pushed_back,
    string_fuse,
    wants_fuses,
)


def design_trackers(
    plan: Plan, units: tuple[Taker, ...], modules: Mapping[str, Module]
) -> list[Finding]:
    """What strings do to each other: on one tracker, and to one unit's power. modules: of each
    string, by its letter.
    """
    if not any(u.trackers for u in units):
        return []
    if not plan.strings:
        return [
            check(
                "strings.none",
                "array",
                "No string is planned; there will be no PV.",
                "plan",
                Cure("Add strings in Brief, or accept that PV comes later"),
            )
        ]
    found = [*_silent(modules.values())]
    for unit in units:
        own = [s for s in plan.strings if unit.has(s)]
        for id in dict.fromkeys(s.tracker for s in own):
            tracker = unit.tracker(id)
            if tracker:
                on = [s for s in own if s.tracker == id]
                found += tracker_findings(unit, tracker, on, plan, units, modules)
        found += _overlaps(unit, own)
        power = sum(s.count * modules[s.letter].p_max_w for s in own)
        most = unit.sheet.pv_power_max_w
        if most and power > most:
            says = (
                f"{unit.word[:1].upper()}{unit.word[1:]} has {power / 1000:g} kW of modules; its"
                f" maker allows {most / 1000:g} kW."
            )
            cure = Cure("Move a string to another unit, or shorten one")
            found.append(check(f"{unit.body}.pv-power", unit.body, says, unit.source, cure))
    return found


def _silent(modules: Iterable[Module]) -> Iterator[Finding]:
    """Modules whose sheets give no temperature coefficient."""
    for n, module in enumerate({m.id: m for m in modules}.values()):
        sides = (("Voc", module.beta_voc_per_c), ("Vmp", module.gamma_vmp_per_c))
        silent = " and ".join(name for name, v in sides if v is None)
        if not silent:
            continue
        says = (
            f"The sheet of {module.model} gives no temperature coefficient of {silent}: cold"
            f" voltage is by Table 690.7(A), hot by {GAMMA_ASSUMED:.1%} per °C."
        )
        rule = f"{nec.BOOK} Table 690.7(A); {COMMON_PRACTICE}"
        cure = Cure("Ask the maker for the coefficients and enter them on the shelf")
        mark = f".{module.id}" if n else ""
        yield check(f"strings.coefficients{mark}", "array", says, rule, cure)


def _overlaps(unit: Taker, own: list[PvString]) -> list[Finding]:
    """A bridged pair of trackers, and a string on one of them alone."""
    ids = dict.fromkeys(s.tracker for s in own)
    clash = [
        (a, b)
        for a in ids
        for b in ids
        if a != b and "+" in a and set(a.split("+")) & set(b.split("+"))
    ]
    return [
        stop(
            f"{unit.body}.tracker-{b}.bridged",
            f"pv-{next(s.letter for s in own if s.tracker == b)}",
            f"Trackers {a} of {unit.word} are bridged, and tracker {b} has a string of its own.",
            COMMON_PRACTICE,
            Cure("Bridge trackers only when every string on them is alike and lands on the bridge"),
        )
        for a, b in clash[:1]
    ]


def free_tracker(
    plan: Plan, units: tuple[Taker, ...], unit: Taker, serves: Tracker
) -> tuple[Taker, str] | None:
    """(unit, tracker) of the first tracker without a string that works and starts at no more volts
    than the one that serves now, on a unit that takes no fewer.
    """
    return next(
        (
            (u, t.id)
            for u in units
            for t in u.trackers
            if t.v_min <= serves.v_min
            and t.v_start <= serves.v_start
            and (u.sheet.pv_v_max or SILENT_V) >= (unit.sheet.pv_v_max or SILENT_V)
            and u.free(plan, t.id)
        ),
        None,
    )


def tracker_findings(
    unit: Taker,
    tracker: Tracker,
    strings: list[PvString],
    plan: Plan,
    units: tuple[Taker, ...],
    modules: Mapping[str, Module],
) -> list[Finding]:
    """Strings in parallel on one tracker: alike, few enough, fused when three or more, and within
    its currents.
    """
    place, names = f"pv-{strings[0].letter}", listed([s.letter for s in strings])
    where = unit.at(tracker.id)
    key = f"{unit.body}.tracker-{tracker.id}"
    last = plan.strings.index(strings[-1])
    free = free_tracker(plan, units, unit, tracker)
    move = Cure("Move a string to a free tracker")
    if free:
        move = Cure(
            f"Move string {strings[-1].letter} to {free[0].at(free[1])}",
            free[0].move(strings[-1], last, free[1]),
        )
    found: list[Finding] = []
    joined = join(strings, plan, tracker, modules)
    if len(strings) > tracker.pairs:
        found.append(
            stop(
                f"{key}.pairs",
                place,
                f"Strings {names} meet on {where}, which has"
                f" {counted(tracker.pairs, 'pair')} of connectors.",
                unit.source,
                move,
                *joined,
            )
        )
    own = [modules[s.letter] for s in strings]
    parallel = sum(s.rows for s in strings)
    who = f"Strings {names}" if len(strings) > 1 else f"String {names}"
    alike = {(s.modules, s.tilt_deg, s.azimuth_deg, s.mounting) for s in strings}
    apart = own[0].optimizer is not None  # each works by itself, whatever the others do
    if (len(alike) > 1 and not apart) or len({m.id for m in own}) > 1:
        says = (
            f"Strings {names} on {where} differ in modules, in their count or in how they face: the"
            " tracker can follow only one of them."
        )
        found.append(stop(f"{key}.unlike", place, says, COMMON_PRACTICE, move))
    if wants_fuses(parallel, own[0], plan.book) and parallel == len(strings):
        found.append(_fuse_finding(key, place, names, where, parallel, plan.book, own[0], unit))
    each = list(zip(strings, own, strict=True))
    i_sc = sum(s.rows * m.pushes_a for s, m in each)
    i_mp = sum(s.rows * m.works_a for s, m in each)
    if i_sc > tracker.i_sc_max_a:
        says = (
            f"{who} can push {i_sc:g} A into {where}; its maker allows"
            f" {tracker.i_sc_max_a:g} A short-circuit."
        )
        lower = Cure("Choose a module of lower current")
        cure = move if len(strings) > 1 else parted(strings[0], plan) if parallel > 1 else lower
        found.append(stop(f"{key}.isc", place, says, unit.source, cure))
    elif i_mp > tracker.i_mp_max_a and not apart:
        says = (
            f"{who} {'give' if len(strings) > 1 else 'gives'} {i_mp:g} A at best; {where} uses"
            f" {tracker.i_mp_max_a:g} A and clips the rest."
        )
        found.append(
            note(
                f"{key}.clip",
                place,
                says,
                COMMON_PRACTICE,
                Cure("Accept the loss, or spread the strings"),
            )
        )
    return found


def _fuse_finding(
    key: str,
    place: str,
    names: str,
    where: str,
    count: int,
    book: Book,
    module: Module,
    unit: Taker,
) -> Finding:
    """So many in parallel that the others can push more into one than its modules stand."""
    rule, back = book.clauses["string fuse"], pushed_back(count, module, book)
    fuse = string_fuse(module, book)
    if fuse is None:
        says = (
            f"Strings {names} are {count} in parallel on {where}; no standard fuse serves a module"
            f" of {module.i_sc_a:g} A that may have {module.fuse_max_a:g} A at most."
        )
        return stop(
            f"{key}.fuses",
            place,
            says,
            rule,
            Cure("Spread the strings over more trackers"),
            figures=(back,),
        )
    own = f"a {fuse.text} gPV fuse, in a holder that is never opened under load and can be reached"
    if unit.controls:
        own = f"its own two-pole breaker of {fuse.text} in the combiner, made for direct current"
    says = f"Strings {names} are {count} in parallel on {where}: each has {own}."
    return duty(f"{key}.fuses", place, says, rule, Asked("Land"), figures=(back, fuse))
