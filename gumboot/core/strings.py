"""PV strings: cold and hot voltage and currents against the tracker they land on.

                 ┌── tracker window ──┐
0 ── v_min ── V_mp,hot ……… V_mp ── v_max ……… V_oc,cold ── V_max of the inverter
"""

from __future__ import annotations

from dataclasses import dataclass

from gumboot.core.codes import OutsideTable, nec
from gumboot.core.findings import Change, Cure, Finding, check, note, stop
from gumboot.core.kit import Inverter, Module, Tracker
from gumboot.core.plan import Plan, PvString
from gumboot.core.working import COMMON_PRACTICE, MEMORY, Figure, given, solve

T_STC = given("T_STC", 25, "°C", "Cell temperature of the data sheet", "IEC 61215 standard test conditions")
RISE_C = {"roof": 35.0, "rack": 25.0}  # cell above ambient in full sun, common practice
DWELLING_V = 600.0  # NEC 690.7: one- and two-family dwellings


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


def cold_voltage(n: Figure, module: Module, t_min: Figure) -> Figure:
    """Open-circuit voltage in V at the lowest expected cell temperature. NEC 690.7(A)(1), or 690.7(A) Table without a coefficient.

    Raises OutsideTable when there is no coefficient and the site is colder than the table.
    """
    v_oc = given("V_oc", module.v_oc_v, "V", "Open-circuit voltage", "module sheet")
    if module.beta_voc_per_c is None:
        factor = nec.cold_factor(t_min.n)
        return solve(
            "V_oc_max",
            "V",
            "Coldest open-circuit voltage",
            "n * V_oc * F_cold",
            n,
            v_oc,
            factor,
            source=f"{nec.BOOK} 690.7(A)",
            doubt=MEMORY,
        )
    beta = given("beta", module.beta_voc_per_c, "1/°C", "Temperature coefficient of V_oc", "module sheet")
    return solve(
        "V_oc_max", "V", "Coldest open-circuit voltage", "n * V_oc * (1 + beta * (T_min - T_STC))", n, v_oc, beta, t_min, T_STC,
        source=f"{nec.BOOK} 690.7(A)(1)", assumption="cells as cold as the air at dawn", doubt=MEMORY,
    )  # fmt: skip


def hot_voltages(n: Figure, module: Module, t_cell: Figure) -> tuple[Figure, Figure]:
    """(V_mp, V_oc) in V of the string at the hottest cell temperature."""
    v_mp = given("V_mp", module.v_mp_v, "V", "Voltage at maximum power", "module sheet")
    v_oc = given("V_oc", module.v_oc_v, "V", "Open-circuit voltage", "module sheet")
    gamma = given("gamma", module.gamma_vmp_per_c, "1/°C", "Temperature coefficient of V_mp", "module sheet")
    beta = given(
        "beta",
        module.gamma_vmp_per_c if module.beta_voc_per_c is None else module.beta_voc_per_c,
        "1/°C",
        "Temperature coefficient of V_oc",
        "module sheet",
    )
    hot_mp = solve(
        "V_mp_min",
        "V",
        "Hottest working voltage",
        "n * V_mp * (1 + gamma * (T_cell - T_STC))",
        n,
        v_mp,
        gamma,
        t_cell,
        T_STC,
        source=COMMON_PRACTICE,
    )
    hot_oc = solve(
        "V_oc_hot",
        "V",
        "Hottest open-circuit voltage",
        "n * V_oc * (1 + beta * (T_cell - T_STC))",
        n,
        v_oc,
        beta,
        t_cell,
        T_STC,
        source=COMMON_PRACTICE,
    )
    return hot_mp, hot_oc


def maximum_current(module: Module) -> Figure:
    """Maximum PV circuit current in A. NEC 690.8(A)(1)."""
    i_sc = given("I_sc", module.i_sc_a, "A", "Short-circuit current", "module sheet")
    return solve("I_max", "A", "Maximum circuit current", "1.25 * I_sc", i_sc, source=f"{nec.BOOK} 690.8(A)(1)", doubt=MEMORY)


def design_string(s: PvString, index: int, plan: Plan, inverter: Inverter, module: Module) -> tuple[StringDesign | None, list[Finding]]:
    """One string and what is wrong with it."""
    key = f"pv-{s.letter}"
    n = given("n", s.modules, "", "Modules in series", "plan")
    t_min = given("T_min", plan.site.t_min_c, "°C", "Lowest expected temperature", "brief")
    t_amb = given("T_amb", plan.site.t_roof_c, "°C", "Design ambient at the array", "brief")
    rise = given("dT", RISE_C[s.mounting], "°C", f"Cell above ambient, {s.mounting}", COMMON_PRACTICE)
    t_cell = solve("T_cell", "°C", "Hottest cell temperature", "T_amb + dT", t_amb, rise, source=COMMON_PRACTICE)
    try:
        cold = cold_voltage(n, module, t_min)
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
    hot_mp, hot_oc = hot_voltages(n, module, t_cell)
    p_max = given("P_max", module.p_max_w, "W", "Module power", "module sheet")
    power = solve("P", "W", "String power", "n * P_max", n, p_max, source="module sheet")
    found = StringDesign(key, s.letter, s.inverter, s.tracker, s.modules, cold, hot_mp, hot_oc, maximum_current(module), power)
    tracker = next((t for t in inverter.trackers if t.id == s.tracker), None)
    if tracker is None:
        names = ", ".join(t.id for t in inverter.trackers)
        return found, [
            stop(
                f"{key}.tracker",
                key,
                f"String {s.letter} is on tracker {s.tracker}, which {inverter.model} does not have.",
                "plan",
                Cure(f"Choose a tracker out of {names}"),
            )
        ]
    if s.inverter > plan.kit.inverters:
        return found, [
            stop(
                f"{key}.inverter",
                key,
                f"String {s.letter} is on inverter {s.inverter}, but {plan.kit.inverters} are planned.",
                "plan",
                Cure("Put the string on an inverter that is planned"),
            )
        ]
    return found, voltage_findings(found, index, inverter, tracker, module) + current_findings(found, inverter, tracker, module)


def voltage_findings(s: StringDesign, index: int, inverter: Inverter, tracker: Tracker, module: Module) -> list[Finding]:
    """Cold against the ceilings, hot against the tracker window, with the module count that cures it."""
    found: list[Finding] = []
    ceiling, whose = min(
        (inverter.pv_v_max, f"{inverter.model} takes"),
        (DWELLING_V, f"{nec.BOOK} 690.7 allows in a dwelling"),
        (module.system_v_max, "the module is built for"),
    )
    per_module = s.v_oc_cold.n / s.modules
    most = int(ceiling / per_module)
    least = next(
        (
            n
            for n in range(1, most + 1)
            if n * s.v_mp_hot.n / s.modules >= tracker.v_min and n * s.v_oc_hot.n / s.modules >= tracker.v_start
        ),
        None,
    )
    if s.v_oc_cold.n > ceiling:
        cures = (
            (Cure(f"Put {most} modules in string {s.letter}", (Change(f"/strings/{index}/modules", most),)),)
            if most >= 1
            else (Cure("Choose another module"),)
        )
        found.append(
            stop(
                f"{s.key}.cold",
                s.key,
                f"String {s.letter} reaches {s.v_oc_cold.text} on the coldest morning; {whose} {ceiling:g} V.",
                f"{nec.BOOK} 690.7(A)",
                *cures,
                figures=(s.v_oc_cold,),
            )
        )
    elif s.v_oc_cold.n > tracker.v_max:
        found.append(
            note(
                f"{s.key}.window",
                s.key,
                f"String {s.letter} reaches {s.v_oc_cold.text} when cold; tracker {tracker.id} follows up to {tracker.v_max:g} V and waits above.",
                "inverter sheet",
                Cure("Accept a late start on cold mornings, or shorten the string"),
                figures=(s.v_oc_cold,),
            )
        )
    grow = (
        (Cure(f"Put {least} modules in string {s.letter}", (Change(f"/strings/{index}/modules", least),)),)
        if least and least > s.modules
        else (Cure("Choose an inverter whose tracker starts lower"),)
    )
    if s.v_mp_hot.n < tracker.v_min:
        found.append(
            stop(
                f"{s.key}.hot",
                s.key,
                f"String {s.letter} falls to {s.v_mp_hot.text} when hot; tracker {tracker.id} works from {tracker.v_min:g} V.",
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
                f"String {s.letter} gives {s.v_oc_hot.text} open when hot; tracker {tracker.id} starts at {tracker.v_start:g} V.",
                COMMON_PRACTICE,
                *grow,
                figures=(s.v_oc_hot,),
            )
        )
    return found


def current_findings(s: StringDesign, inverter: Inverter, tracker: Tracker, module: Module) -> list[Finding]:
    """One string's current against one pair of connectors: the connector's own rating."""
    if module.i_sc_a <= tracker.pair_a:
        return []
    rule = COMMON_PRACTICE
    if tracker.pairs >= 2 and module.i_sc_a <= 2 * tracker.pair_a:
        return [
            check(
                f"{s.key}.pair",
                s.key,
                f"String {s.letter} can push {module.i_sc_a:g} A; one pair of connectors on tracker {tracker.id} carries {tracker.pair_a:g} A.",
                rule,
                Cure("Bridge two pairs with the maker's jumper: together they carry twice"),
            )
        ]
    return [
        stop(
            f"{s.key}.pair",
            s.key,
            f"String {s.letter} can push {module.i_sc_a:g} A; the connectors of tracker {tracker.id} carry {tracker.pair_a:g} A a pair.",
            rule,
            Cure("Choose a module of lower current, or an inverter whose connectors carry it"),
        )
    ]


def design_trackers(plan: Plan, inverter: Inverter, module: Module) -> list[Finding]:
    """What strings do to each other: on one tracker, and to one inverter's power."""
    found: list[Finding] = []
    if not plan.strings:
        return [
            check(
                "strings.none",
                "array",
                "No string is planned; the inverters will have no PV.",
                "plan",
                Cure("Add strings in Brief, or accept that PV comes later"),
            )
        ]
    for unit in range(1, plan.kit.inverters + 1):
        own = [s for s in plan.strings if s.inverter == unit]
        for tracker in inverter.trackers:
            found += tracker_findings(unit, tracker, [s for s in own if s.tracker == tracker.id], module)
        power = sum(s.modules for s in own) * module.p_max_w
        if power > inverter.pv_power_max_w:
            found.append(
                check(
                    f"inverter-{unit}.pv-power",
                    f"inverter-{unit}",
                    f"Inverter {unit} has {power / 1000:g} kW of modules; its maker allows {inverter.pv_power_max_w / 1000:g} kW.",
                    "inverter sheet",
                    Cure("Move a string to another inverter, or shorten one"),
                )
            )
    return found


def tracker_findings(unit: int, tracker: Tracker, strings: list[PvString], module: Module) -> list[Finding]:
    """Strings in parallel on one tracker: alike, few enough, and within its currents."""
    if not strings:
        return []
    place, names = f"pv-{strings[0].letter}", " and ".join(s.letter for s in strings)
    where = f"tracker {tracker.id} of inverter {unit}"
    key = f"inverter-{unit}.tracker-{tracker.id}"
    found: list[Finding] = []
    if len(strings) > tracker.pairs:
        found.append(
            stop(
                f"{key}.pairs",
                place,
                f"Strings {names} meet on {where}, which has {tracker.pairs} pairs of connectors.",
                "inverter sheet",
                Cure("Move a string to a free tracker"),
            )
        )
    if len({(s.modules, s.tilt_deg, s.azimuth_deg) for s in strings}) > 1:
        found.append(
            stop(
                f"{key}.unlike",
                place,
                f"Strings {names} on {where} differ in count or in how they face: the tracker can follow only one of them.",
                COMMON_PRACTICE,
                Cure("Put unlike strings on trackers of their own"),
            )
        )
    if len(strings) >= 3:
        found.append(
            stop(
                f"{key}.fuses",
                place,
                f"Strings {names} are {len(strings)} in parallel on {where}: each needs a fuse in both poles' path, not above {module.fuse_max_a:g} A.",
                f"{nec.BOOK} 690.9(A)",
                Cure("Spread the strings over trackers, at most two each"),
            )
        )
    i_sc, i_mp = len(strings) * module.i_sc_a, len(strings) * module.i_mp_a
    if i_sc > tracker.i_sc_max_a:
        found.append(
            stop(
                f"{key}.isc",
                place,
                f"Strings {names} can push {i_sc:g} A into {where}; its maker allows {tracker.i_sc_max_a:g} A short-circuit.",
                "inverter sheet",
                Cure("Move a string to a free tracker, or choose a module of lower current"),
            )
        )
    elif i_mp > tracker.i_mp_max_a:
        found.append(
            note(
                f"{key}.clip",
                place,
                f"Strings {names} give {i_mp:g} A at best; {where} uses {tracker.i_mp_max_a:g} A and clips the rest.",
                COMMON_PRACTICE,
                Cure("Accept the loss, or spread the strings"),
            )
        )
    return found
