"""Cold and hot voltage of a string, its current, and the fuse it takes."""

from __future__ import annotations

from dataclasses import replace

from gumboot.core.basis.figure import COMMON_PRACTICE, MEMORY, Figure, given, picked, solve
from gumboot.core.basis.formula import Formula
from gumboot.core.codes import nec
from gumboot.core.codes.book import Book
from gumboot.core.kit import Module
from gumboot.core.plan import Plan

T_STC = given(
    "T_STC", 25, "°C", "Cell temperature of the data sheet", "IEC 61215 standard test conditions"
)
RISE_C = {"roof": 35.0, "rack": 25.0}  # cell above ambient in full sun, common practice
GAMMA_ASSUMED = (
    -0.005
)  # 1/°C, crystalline silicon whose sheet is silent: common practice, steeper than most
SILENT_V = 600.0  # the most V of a unit whose sheet is silent: common practice
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
    """Maximum PV circuit current in A: 1.25 I_sc, or what converters at its modules put out. NEC
    690.8(A)(1), IEC 62548.
    """
    if module.optimizer:
        name, rule = "Maximum circuit current", book.clauses["converters in series"]
        most = given("I_out", module.optimizer.out_a_max, "A", "Most of one", "optimizer's sheet")
        return solve("I_max", "A", name, "1 * I_out", most, source=rule, doubt=MEMORY)
    i_sc = given("I_sc", module.i_sc_a, "A", "Short-circuit current", "module sheet")
    source = book.clauses["string current"]
    return solve(
        "I_max", "A", "Maximum circuit current", "1.25 * I_sc", i_sc, source=source, doubt=MEMORY
    )


def pushed_back(strings: int, module: Module, book: Book) -> Figure:
    """What the other strings of a tracker can push into one of them in A: (N - 1) I_sc by IEC
    62548, 1.25 times that by NEC 690.9(A) with 690.8(A)(1).
    """
    n = given("N", strings, "", "Strings in parallel", "plan")
    i_sc = given("I_sc", module.i_sc_a, "A", "Short-circuit current", "module sheet")
    k = given(
        "k_b", book.back_factor, "", "Over short-circuit current", book.clauses["string fuse"]
    )
    return solve(
        "I_back",
        "A",
        "What the other strings can push into one",
        "(N - 1) * k_b * I_sc",
        n,
        k,
        i_sc,
        source=book.clauses["string fuse"],
        doubt=MEMORY,
    )


def wants_fuses(strings: int, module: Module, book: Book) -> bool:
    """Whether the others can push more into a string than its modules stand; converters at them
    take no current back (common practice).
    """
    if module.optimizer:
        return False
    back = (strings - 1) * book.back_factor * module.i_sc_a
    return back > module.fuse_max_a + 1e-9


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
