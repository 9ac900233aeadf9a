"""PV strings: cold and hot voltage and currents against the tracker they land on.

                 ┌── tracker window ──┐
0 ── v_min ── V_mp,hot ……… V_mp ── v_max ……… V_oc,cold ── V_max of the inverter
"""

from __future__ import annotations

from dataclasses import dataclass, replace

from gumboot.core.basis.figure import COMMON_PRACTICE, MEMORY, Figure, given, picked, solve
from gumboot.core.basis.finding import Change, Cure, Finding, check, note, stop
from gumboot.core.basis.formula import Formula
from gumboot.core.codes import OutsideTable, nec
from gumboot.core.codes.book import Book
from gumboot.core.kit import Inverter, Module, Tracker
from gumboot.core.plan import Plan, PvString

T_STC = given(
    "T_STC", 25, "°C", "Cell temperature of the data sheet", "IEC 61215 standard test conditions"
)
RISE_C = {"roof": 35.0, "rack": 25.0}  # cell above ambient in full sun, common practice
GAMMA_ASSUMED = (
    -0.005
)  # 1/°C, crystalline silicon whose sheet is silent: common practice, steeper than most
SILENT_V = 600.0  # the most V of a unit whose sheet is silent: common practice


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


COLD = Formula(
    "V_oc_max",
    "n * V_oc * (1 + beta * (T_min - T_STC))",
    "V",
    "Coldest open-circuit voltage",
    "",
    assumption="cells as cold as the air at dawn",
    doubt=MEMORY,
).knowing(T_STC)
COLD_BY_TABLE = Formula(
    "V_oc_max",
    "n * V_oc * F_cold",
    "V",
    "Coldest open-circuit voltage",
    f"{nec.BOOK} 690.7(A)",
    doubt=MEMORY,
)
HOT_MP = Formula(
    "V_mp_min",
    "n * V_mp * (1 + gamma * (T_cell - T_STC))",
    "V",
    "Hottest working voltage",
    COMMON_PRACTICE,
).knowing(T_STC)
HOT_OC = Formula(
    "V_oc_hot",
    "n * V_oc * (1 + beta * (T_cell - T_STC))",
    "V",
    "Hottest open-circuit voltage",
    COMMON_PRACTICE,
).knowing(T_STC)
HOT_CELL = Formula("T_cell", "T_amb + dT", "°C", "Hottest cell temperature", COMMON_PRACTICE)


def cold_voltage(module: Module, t_min: Figure, book: Book) -> Formula:
    """Open-circuit voltage in V of `n` modules at the lowest expected cell temperature. NEC
    690.7(A)(1), IEC 62548; without a coefficient Table 690.7(A) of the NEC serves both.

    Raises OutsideTable when there is no coefficient and the site is colder than the table.
    """
    v_oc = given("V_oc", module.v_oc_v, "V", "Open-circuit voltage", "module sheet")
    if module.beta_voc_per_c is None:
        return COLD_BY_TABLE.knowing(v_oc, nec.cold_factor(t_min.n))
    beta = given(
        "beta", module.beta_voc_per_c, "1/°C", "Temperature coefficient of V_oc", "module sheet"
    )
    law = replace(COLD, source=book.clauses["cold by coefficient"])
    return law.knowing(v_oc, beta, t_min)


def hot_voltages(module: Module, t_cell: Figure) -> tuple[Formula, Formula]:
    """(V_mp, V_oc) in V of `n` modules at the hottest cell temperature."""
    v_mp = given("V_mp", module.v_mp_v, "V", "Voltage at maximum power", "module sheet")
    v_oc = given("V_oc", module.v_oc_v, "V", "Open-circuit voltage", "module sheet")
    known = module.gamma_vmp_per_c is not None
    slope = module.gamma_vmp_per_c if module.gamma_vmp_per_c is not None else GAMMA_ASSUMED
    gamma = given(
        "gamma",
        slope,
        "1/°C",
        "Temperature coefficient of V_mp",
        "module sheet" if known else COMMON_PRACTICE,
        "" if known else "the sheet is silent",
    )
    own = module.beta_voc_per_c is not None
    beta = given(
        "beta",
        module.beta_voc_per_c if module.beta_voc_per_c is not None else slope,
        "1/°C",
        "Temperature coefficient of V_oc",
        "module sheet" if own else COMMON_PRACTICE,
        "" if own else "taken as steep as that of V_mp",
    )
    return HOT_MP.knowing(v_mp, gamma, t_cell), HOT_OC.knowing(v_oc, beta, t_cell)


def coldest(plan: Plan) -> Figure:
    """The lowest temperature of the cells, °C."""
    return given("T_min", plan.site.t_min_c, "°C", "Lowest expected temperature", "brief")


def hottest(plan: Plan, mounting: str) -> Figure:
    """The highest temperature of the cells of an array mounted so, °C."""
    air = given("T_amb", plan.site.t_roof_c, "°C", "Design ambient at the array", "brief")
    rise = given("dT", RISE_C[mounting], "°C", f"Cell above ambient, {mounting}", COMMON_PRACTICE)
    return HOT_CELL.figure(air, rise)


def maximum_current(module: Module, book: Book) -> Figure:
    """Maximum PV circuit current in A: 1.25 I_sc. NEC 690.8(A)(1), IEC 62548."""
    i_sc = given("I_sc", module.i_sc_a, "A", "Short-circuit current", "module sheet")
    source = book.clauses["string current"]
    return solve(
        "I_max", "A", "Maximum circuit current", "1.25 * I_sc", i_sc, source=source, doubt=MEMORY
    )


FUSES_A = (
    10.0,
    12.0,
    15.0,
    16.0,
    20.0,
    25.0,
    30.0,
    32.0,
    35.0,
    40.0,
)  # gPV fuse links, IEC 60269-6 and UL 248-19 series, from memory


def string_fuse(module: Module, book: Book) -> Figure | None:
    """The string fuse in A; None when no standard link lies between what the book asks and what the
    module stands.

    NEC 690.9(B): at least 1.25 · 1.25 I_sc, at most the module's maximum series fuse. IEC 62548:
    1.5 I_sc < I_n < 2.4 I_sc, and the same.
    """
    i_sc = given("I_sc", module.i_sc_a, "A", "Short-circuit current", "module sheet")
    most = given("I_mod", module.fuse_max_a, "A", "Maximum series fuse", "module sheet")
    bounds = book.fuse_bounds(i_sc)
    fits = [a for a in FUSES_A if book.fuse_fits(a, bounds) and a <= most.n]
    if not fits:
        return None
    return picked(
        "I_n",
        fits[0],
        "A",
        "String fuse",
        "least standard link in the range",
        *bounds,
        most,
        source=bounds[0].source,
        doubt=MEMORY,
    )


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
    fuse = string_fuse(module, plan.book) if beside >= 3 else None
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
        found, index, plan.book, inverter, tracker, module
    ) + current_findings(found, tracker, module)


def voltage_findings(
    s: StringDesign, index: int, book: Book, inverter: Inverter, tracker: Tracker, module: Module
) -> list[Finding]:
    """Cold against the ceilings, hot against the tracker window, with the module count that cures
    it.
    """
    found: list[Finding] = []
    ceilings = [
        (inverter.pv_v_max or SILENT_V, f"{inverter.model} takes"),
        (module.system_v_max, "the module is built for"),
    ]
    ceiling, whose = min(
        ceilings
        + (
            [(book.dwelling_v, f"{book.clauses['dwelling']} allows in a dwelling")]
            if book.dwelling_v
            else []
        )
    )
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
                f"String {s.letter} reaches {s.v_oc_cold.text} on the coldest morning; {whose}"
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
            check(
                f"{s.key}.pair",
                s.key,
                f"{says}, two bridged {2 * tracker.pair_a:g} A.",
                COMMON_PRACTICE,
                Cure("Fit the maker's jumper across both pairs before the string is plugged in"),
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
                Cure("Ask the maker for the coefficients and add them to the catalogue"),
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
    place, names = f"pv-{strings[0].letter}", " and ".join(s.letter for s in strings)
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
    if len(strings) >= 3:
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
    """Three or more in parallel: two can push their current back into the third."""
    rule = book.clauses["string fuse"]
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
            Cure("Spread the strings over trackers, at most two each"),
        )
    says = (
        f"Strings {names} are {count} in parallel on {where}: each has a {fuse.text} gPV fuse, in a"
        " holder that is never opened under load."
    )
    return check(
        f"{key}.fuses",
        place,
        says,
        rule,
        Cure("Fit the fuses beside the combiner, where they can be reached"),
        figures=(fuse,),
    )
