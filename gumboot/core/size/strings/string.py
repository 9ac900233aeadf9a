"""One string on the tracker it lands on.

                 ┌── tracker window ──┐
0 ── v_min ── V_mp,hot ……… V_mp ── v_max ……… V_oc,cold ── V_max of the inverter
"""

from __future__ import annotations

from dataclasses import dataclass

from gumboot.core.basis.figure import COMMON_PRACTICE, Figure, given, solve
from gumboot.core.basis.finding import Asked, Change, Cure, Finding, duty, note, stop
from gumboot.core.codes import OutsideTable, nec
from gumboot.core.codes.book import Book
from gumboot.core.kit import Inverter, Module, Tracker
from gumboot.core.plan import Plan, PvString
from gumboot.core.size.strings.voltage import (
    SILENT_V,
    cold_voltage,
    coldest,
    hot_voltages,
    hottest,
    maximum_current,
    string_fuse,
    wants_fuses,
)


@dataclass(frozen=True, slots=True)
class StringDesign:
    """One string's figures. Voltages V, currents A, power W."""

    key: str
    letter: str
    inverter: int
    tracker: str
    modules: int
    v_oc_cold: Figure
    v_mp_hot: Figure
    v_oc_hot: Figure
    i_max: Figure
    power: Figure
    fuse: Figure | None = None
    # two pairs of connectors bridged with the maker's jumper, since one pair carries too little
    jumper: bool = False


def tracker_of(inverter: Inverter, id: str) -> Tracker | None:
    """A tracker by its id; "1+2" is trackers 1 and 2 bridged, where the maker allows one string set
    split over both.
    """
    parts = [next((t for t in inverter.trackers if t.id == x), None) for x in id.split("+")]
    found = [t for t in parts if t is not None]
    if (
        len(found) != len(parts)
        or len(set(id.split("+"))) != len(parts)
        or (len(parts) > 1 and not inverter.trackers_bridge)
    ):
        return None
    if len(found) == 1:
        return found[0]
    return Tracker(
        id=id,
        v_min=max(t.v_min for t in found),
        v_max=min(t.v_max for t in found),
        v_start=max(t.v_start for t in found),
        i_mp_max_a=sum(t.i_mp_max_a for t in found),
        i_sc_max_a=sum(t.i_sc_max_a for t in found),
        pairs=sum(t.pairs for t in found),
        pair_a=min(t.pair_a for t in found),
        terminals=tuple(x for t in found for x in t.terminals),
    )


def design_string(
    s: PvString, index: int, plan: Plan, inverter: Inverter, module: Module
) -> tuple[StringDesign | None, list[Finding]]:
    """One string and what is wrong with it."""
    key = f"pv-{s.letter}"
    n = given("n", s.modules, "", "Modules in series", "plan")
    try:
        cold = cold_voltage(module, coldest(plan), plan.book).figure(n)
    except OutsideTable as exc:
        return None, [
            stop(
                f"{key}.cold",
                key,
                f"String {s.letter}: {exc}.",
                f"{nec.BOOK} 690.7(A)",
                Cure("Choose a module whose sheet gives the coefficient of Voc, and use that"),
            )
        ]
    hot_mp, hot_oc = (f.figure(n) for f in hot_voltages(module, hottest(plan, s.mounting)))
    p_max = given("P_max", module.p_max_w, "W", "Module power", "module sheet")
    power = solve("P", "W", "String power", "n * P_max", n, p_max, source="module sheet")
    tracker = tracker_of(inverter, s.tracker)
    beside = sum(x.inverter == s.inverter and x.tracker == s.tracker for x in plan.strings)
    fuse = string_fuse(module, plan.book) if wants_fuses(beside, module, plan.book) else None
    jumper = tracker is not None and module.i_sc_a > tracker.pair_a and tracker.pairs >= 2 * beside
    found = StringDesign(
        key,
        s.letter,
        s.inverter,
        s.tracker,
        s.modules,
        cold,
        hot_mp,
        hot_oc,
        maximum_current(module, plan.book),
        power,
        fuse,
        jumper,
    )
    if tracker is None:
        names = ", ".join(t.id for t in inverter.trackers) or "none"
        return found, [
            stop(
                f"{key}.tracker",
                key,
                f"String {s.letter} is on tracker {s.tracker}, which {inverter.model} does not"
                " have.",
                "plan",
                Cure(f"Choose a tracker out of {names}"),
            )
        ]
    if s.inverter > plan.kit.inverters:
        return found, [
            stop(
                f"{key}.inverter",
                key,
                f"String {s.letter} is on inverter {s.inverter}, but {plan.kit.inverters} are"
                " planned.",
                "plan",
                Cure("Put the string on an inverter that is planned"),
            )
        ]
    return found, voltage_findings(
        found, index, plan.book, inverter, tracker, module, plan.site.building
    ) + current_findings(found, tracker, module)


def voltage_findings(
    s: StringDesign,
    index: int,
    book: Book,
    inverter: Inverter,
    tracker: Tracker,
    module: Module,
    building: str,
) -> list[Finding]:
    """Cold against the ceilings, hot against the tracker window, with the module count that cures
    it.
    """
    found: list[Finding] = []
    ceilings = [
        (inverter.pv_v_max or SILENT_V, f"{inverter.model} takes"),
        (module.system_v_max, "the module is built for"),
    ]
    house = {"dwelling": "in a dwelling", "other": "on a building"}.get(building, "here")
    allowed = (book.building_v[building], f"{book.clauses['dwelling']} allows {house}")
    ceiling, whose = min([*ceilings, allowed])
    rule = book.clauses["cold voltage"]
    per_module = s.v_oc_cold.n / s.modules
    most = int(ceiling / per_module)
    least = next(
        (
            n
            for n in range(1, most + 1)
            if n * s.v_mp_hot.n / s.modules >= tracker.v_min
            and n * s.v_oc_hot.n / s.modules >= tracker.v_start
        ),
        None,
    )
    if s.v_oc_cold.n > ceiling:
        cures = (
            (
                Cure(
                    f"Put {most} modules in string {s.letter}",
                    (Change(f"/strings/{index}/modules", most),),
                ),
            )
            if most >= 1
            else (Cure("Choose another module"),)
        )
        found.append(
            stop(
                f"{s.key}.cold",
                s.key,
                f"String {s.letter} reaches {s.v_oc_cold.against(ceiling)} on the coldest"
                f" morning; {whose}"
                f" {ceiling:g} V.",
                rule,
                *cures,
                figures=(s.v_oc_cold,),
            )
        )
    elif s.v_oc_cold.n > tracker.v_max:
        found.append(
            note(
                f"{s.key}.window",
                s.key,
                f"String {s.letter} reaches {s.v_oc_cold.text} when cold; tracker {tracker.id}"
                f" follows up to {tracker.v_max:g} V and waits above.",
                "inverter sheet",
                Cure("Accept a late start on cold mornings, or shorten the string"),
                figures=(s.v_oc_cold,),
            )
        )
    grow = (
        (
            Cure(
                f"Put {least} modules in string {s.letter}",
                (Change(f"/strings/{index}/modules", least),),
            ),
        )
        if least and least > s.modules
        else (Cure("Choose an inverter whose tracker starts lower"),)
    )
    if s.v_mp_hot.n < tracker.v_min:
        found.append(
            stop(
                f"{s.key}.hot",
                s.key,
                f"String {s.letter} falls to {s.v_mp_hot.text} when hot; tracker {tracker.id} works"
                f" from {tracker.v_min:g} V.",
                COMMON_PRACTICE,
                *grow,
                figures=(s.v_mp_hot,),
            )
        )
    elif s.v_oc_hot.n < tracker.v_start:
        found.append(
            stop(
                f"{s.key}.start",
                s.key,
                f"String {s.letter} gives {s.v_oc_hot.text} open when hot; tracker {tracker.id}"
                f" starts at {tracker.v_start:g} V.",
                COMMON_PRACTICE,
                *grow,
                figures=(s.v_oc_hot,),
            )
        )
    return found


def current_findings(s: StringDesign, tracker: Tracker, module: Module) -> list[Finding]:
    """One string's current against its connectors: one pair, or two bridged with the maker's
    jumper.
    """
    if module.i_sc_a <= tracker.pair_a:
        return []
    says = (
        f"String {s.letter} can push {module.i_sc_a:g} A; one pair of connectors on tracker"
        f" {s.tracker} carries {tracker.pair_a:g} A"
    )
    if s.jumper and module.i_sc_a <= 2 * tracker.pair_a:
        return [
            duty(
                f"{s.key}.pair",
                s.key,
                f"{says}, two bridged {2 * tracker.pair_a:g} A: the maker's jumper is across both"
                " pairs before the string is plugged in.",
                COMMON_PRACTICE,
                Asked("Land"),
            )
        ]
    return [
        stop(
            f"{s.key}.pair",
            s.key,
            f"{says}.",
            COMMON_PRACTICE,
            Cure("Choose a module of lower current, or an inverter whose connectors carry it"),
        )
    ]
