"""All strings together: what meets on a tracker, and what an inverter may have."""

from __future__ import annotations

from gumboot.core.basis.figure import COMMON_PRACTICE
from gumboot.core.basis.finding import Asked, Change, Cure, Finding, check, duty, note, stop
from gumboot.core.basis.words import listed
from gumboot.core.codes import nec
from gumboot.core.codes.book import Book
from gumboot.core.kit import Inverter, Module, Tracker
from gumboot.core.plan import Plan, PvString
from gumboot.core.size.strings.string import tracker_of
from gumboot.core.size.strings.voltage import GAMMA_ASSUMED, pushed_back, string_fuse, wants_fuses


def design_trackers(plan: Plan, inverter: Inverter, module: Module | None) -> list[Finding]:
    """What strings do to each other: on one tracker, and to one inverter's power."""
    if not inverter.trackers:
        return []
    if not plan.strings or module is None:
        return [
            check(
                "strings.none",
                "array",
                "No string is planned; the inverters will have no PV.",
                "plan",
                Cure("Add strings in Brief, or accept that PV comes later"),
            )
        ]
    found: list[Finding] = []
    if module.beta_voc_per_c is None or module.gamma_vmp_per_c is None:
        silent = " and ".join(
            n
            for n, v in (("Voc", module.beta_voc_per_c), ("Vmp", module.gamma_vmp_per_c))
            if v is None
        )
        says = (
            f"The sheet of {module.model} gives no temperature coefficient of {silent}: cold"
            f" voltage is by Table 690.7(A), hot by {GAMMA_ASSUMED:.1%} per °C."
        )
        found.append(
            check(
                "strings.coefficients",
                "array",
                says,
                f"{nec.BOOK} Table 690.7(A); {COMMON_PRACTICE}",
                Cure("Ask the maker for the coefficients and enter them on the shelf"),
            )
        )
    for unit in range(1, plan.kit.inverters + 1):
        own = [s for s in plan.strings if s.inverter == unit]
        for id in dict.fromkeys(s.tracker for s in own):
            tracker = tracker_of(inverter, id)
            if tracker:
                found += tracker_findings(
                    unit, tracker, [s for s in own if s.tracker == id], plan, inverter, module
                )
        found += _overlaps(unit, own)
        power = sum(s.modules for s in own) * module.p_max_w
        if inverter.pv_power_max_w and power > inverter.pv_power_max_w:
            found.append(
                check(
                    f"inverter-{unit}.pv-power",
                    f"inverter-{unit}",
                    f"Inverter {unit} has {power / 1000:g} kW of modules; its maker allows"
                    f" {inverter.pv_power_max_w / 1000:g} kW.",
                    "inverter sheet",
                    Cure("Move a string to another inverter, or shorten one"),
                )
            )
    return found


def _overlaps(unit: int, own: list[PvString]) -> list[Finding]:
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
            f"inverter-{unit}.tracker-{b}.bridged",
            f"pv-{next(s.letter for s in own if s.tracker == b)}",
            f"Trackers {a} of inverter {unit} are bridged, and tracker {b} has a string of its"
            " own.",
            COMMON_PRACTICE,
            Cure("Bridge trackers only when every string on them is alike and lands on the bridge"),
        )
        for a, b in clash[:1]
    ]


def free_tracker(plan: Plan, inverter: Inverter) -> tuple[int, str] | None:
    """(inverter, tracker) of the first tracker without a string."""
    taken = {(s.inverter, t) for s in plan.strings for t in s.tracker.split("+")}
    return next(
        (
            (u, t.id)
            for u in range(1, plan.kit.inverters + 1)
            for t in inverter.trackers
            if (u, t.id) not in taken
        ),
        None,
    )


def tracker_findings(
    unit: int,
    tracker: Tracker,
    strings: list[PvString],
    plan: Plan,
    inverter: Inverter,
    module: Module,
) -> list[Finding]:
    """Strings in parallel on one tracker: alike, few enough, fused when three or more, and within
    its currents.
    """
    place, names = f"pv-{strings[0].letter}", listed([s.letter for s in strings])
    where = f"tracker {tracker.id} of inverter {unit}"
    key = f"inverter-{unit}.tracker-{tracker.id}"
    last = plan.strings.index(strings[-1])
    free = free_tracker(plan, inverter)
    move = Cure("Move a string to a free tracker")
    if free:
        move = Cure(
            f"Move string {strings[-1].letter} to tracker {free[1]} of inverter {free[0]}",
            (
                Change(f"/strings/{last}/tracker", free[1]),
                Change(f"/strings/{last}/inverter", free[0]),
            ),
        )
    found: list[Finding] = []
    if len(strings) > tracker.pairs:
        found.append(
            stop(
                f"{key}.pairs",
                place,
                f"Strings {names} meet on {where}, which has {tracker.pairs} pairs of connectors.",
                "inverter sheet",
                move,
            )
        )
    if len({(s.modules, s.tilt_deg, s.azimuth_deg, s.mounting) for s in strings}) > 1:
        says = (
            f"Strings {names} on {where} differ in count or in how they face: the tracker can"
            " follow only one of them."
        )
        found.append(stop(f"{key}.unlike", place, says, COMMON_PRACTICE, move))
    if wants_fuses(len(strings), module, plan.book):
        found.append(_fuse_finding(key, place, names, where, len(strings), plan.book, module))
    i_sc, i_mp = len(strings) * module.i_sc_a, len(strings) * module.i_mp_a
    if i_sc > tracker.i_sc_max_a:
        says = (
            f"Strings {names} can push {i_sc:g} A into {where}; its maker allows"
            f" {tracker.i_sc_max_a:g} A short-circuit."
        )
        cure = move if len(strings) > 1 else Cure("Choose a module of lower current")
        found.append(stop(f"{key}.isc", place, says, "inverter sheet", cure))
    elif i_mp > tracker.i_mp_max_a:
        says = (
            f"Strings {names} give {i_mp:g} A at best; {where} uses {tracker.i_mp_max_a:g} A and"
            " clips the rest."
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
    key: str, place: str, names: str, where: str, count: int, book: Book, module: Module
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
    says = (
        f"Strings {names} are {count} in parallel on {where}: each has a {fuse.text} gPV fuse, in a"
        " holder that is never opened under load and can be reached."
    )
    return duty(f"{key}.fuses", place, says, rule, Asked("Land"), figures=(back, fuse))
