"""IEC 60364 and its companions: 60364-4-41, -4-43, -5-52, -5-54, -7-712, IEC 60228, IEC 60898. All
tables from memory: check your edition.

Each function is one table or one clause. Looking outside a table raises OutsideTable.
Sizes are mm² as the book prints them, with their unit: "2.5 mm²" … "300 mm²".
"""

from __future__ import annotations

from bisect import bisect_left
from functools import lru_cache

from gumboot.core.basis.figure import MEMORY, Figure, given, looked_up, picked, solve
from gumboot.core.basis.sizes import area_mm2
from gumboot.core.codes import OutsideTable, table

BOOK = "IEC 60364"
SIZES: tuple[str, ...] = tuple(f"{row['size']} mm²" for row in table("iec_60228"))
STANDARD_A: tuple[float, ...] = tuple(float(row["rating_a"]) for row in table("iec_60898"))
METHODS: tuple[str, ...] = ("A1", "A2", "B1", "B2", "C", "D1", "D2", "E", "F")
METHOD_NAMES = {
    "A1": "single-core in conduit in an insulated wall",
    "A2": "multi-core in conduit in an insulated wall",
    "B1": "single-core in conduit or trunking on a wall",
    "B2": "multi-core in conduit or trunking on a wall",
    "C": "clipped direct to a wall",
    "D1": "in ducts in the ground",
    "D2": "direct in the ground",
    "E": "multi-core in free air",
    "F": "single-core touching in free air",
}
AS_MULTI = {"A1": "A2", "B1": "B2", "F": "E"}  # Table A.52.3: the same place, by a cable of cores
COPPER_ONLY = ("E", "F")  # no aluminium in free air here
TERMINAL_C = 70  # Table 52.1, note: what equipment is made for where its maker is silent
INSULATION = {70: "PVC", 90: "XLPE or EPR"}
RHO = given(
    "rho", 0.0225, "Ω·mm²/m", "Resistivity of copper in normal service", "IEC 60364-5-52 Annex G"
)
LAMBDA = given("lam", 0.00008, "Ω/m", "Reactance per metre", "IEC 60364-5-52 Annex G")
CURVE = {"B": 5, "C": 10, "D": 20}  # upper limit of instantaneous tripping, times I_n: IEC 60898-1
K_PE = {70: 115, 90: 143}  # k in A·√s/mm², copper in a cable: IEC 60364-5-54 Table A.54.4
_RANK = {size: i for i, size in enumerate(SIZES)}
_ENCLOSED = {
    (70, 2): (2, "iec_b_52_2"),
    (90, 2): (3, "iec_b_52_3"),
    (70, 3): (4, "iec_b_52_4"),
    (90, 3): (5, "iec_b_52_5"),
}
_ALUMINIUM = {
    2: (2, "iec_b_52_2_al"),
    3: (4, "iec_b_52_4_al"),
}  # PVC, enclosed or clipped: what is here of aluminium
RHO_AL = given(
    "rho", 0.036, "Ω·mm²/m", "Resistivity of aluminium in normal service", "IEC 60364-5-52 Annex G"
)
K_AL = 76  # k in A·√s/mm², aluminium with PVC: IEC 60364-5-54 Table A.54.4
METAL = {"Cu": "copper", "Al": "aluminium"}
_FREE = {70: (10, "iec_b_52_10"), 90: (12, "iec_b_52_12")}


def rank(size: str) -> int:
    """Place in the order of sizes, smallest first. Raises OutsideTable for a size the book does not
    have.
    """
    try:
        return _RANK[size]
    except KeyError:
        raise OutsideTable(
            f"{size} is not a conductor size of {BOOK}: sizes run from {SIZES[0]} to {SIZES[-1]}"
        ) from None


@lru_cache(maxsize=1024)
def ampacity(size: str, temp_c: int, method: str, loaded: int, material: str = "Cu") -> Figure:
    """Current-carrying capacity in A, two or three loaded conductors. IEC 60364-5-52 Tables B.52.2
    to B.52.5, B.52.10, B.52.12.

    >>> ampacity("6 mm²", 70, "C", 2).text, ampacity("25 mm²", 90, "E", 3).text
    ('46 A', '127 A')
    """
    if temp_c not in INSULATION:
        raise OutsideTable(
            f"{BOOK} tables are for 70 °C PVC and 90 °C XLPE or EPR insulation, not for {temp_c} °C"
        )
    if method not in METHODS:
        raise OutsideTable(
            f"“{method}” is not a method of {BOOK} Table A.52.3: choose one of {', '.join(METHODS)}"
        )
    if material == "Al":
        return _aluminium(size, temp_c, method, loaded)
    number, name = _FREE[temp_c] if method in "EF" else _ENCLOSED[temp_c, loaded]
    column = f"{method}{loaded}" if method in "EF" else method
    cell = table(name)[rank(size)][column]
    if not cell:
        raise OutsideTable(
            f"{BOOK} Table B.52.{number} has no {size} for method {method}: single cores there"
            " start at 25 mm²"
        )
    return looked_up(
        "I_t",
        float(cell),
        "A",
        f"Capacity of {size} copper, {INSULATION[temp_c]}, method {method}",
        f"IEC 60364-5-52 Table B.52.{number}",
        f"row {size}, method {method}, {loaded} loaded",
    )


def _aluminium(size: str, temp_c: int, method: str, loaded: int) -> Figure:
    rank(size)
    if temp_c != 70 or method in COPPER_ONLY:
        raise OutsideTable("aluminium is here with PVC insulation, methods A1 to D2, only")
    number, name = _ALUMINIUM[loaded]
    row = next((r for r in table(name) if f"{r['size']} mm²" == size), None)
    if row is None:
        raise OutsideTable(
            f"aluminium starts at 16 mm² (IEC 60364-5-52 Table 52.2); {size} is copper's"
        )
    return looked_up(
        "I_t",
        float(row[method]),
        "A",
        f"Capacity of {size} aluminium, PVC, method {method}",
        f"IEC 60364-5-52 Table B.52.{number}",
        f"row {size} aluminium, method {method}, {loaded} loaded",
    )


@lru_cache(maxsize=256)
def ambient_factor(ambient_c: float, temp_c: int, method: str) -> Figure:
    """Correction for the temperature around. IEC 60364-5-52 Table B.52.14 (air, 30 °C basis),
    B.52.15 (ground, 20 °C basis).

    >>> ambient_factor(40, 70, "C").n, ambient_factor(25, 90, "D1").n
    (0.87, 0.96)
    """
    ground = method in ("D1", "D2")
    number = "B.52.15" if ground else "B.52.14"
    for row in table("iec_b_52_15" if ground else "iec_b_52_14"):
        if ambient_c <= float(row["up_to_c"]) and row[str(temp_c)]:
            return looked_up(
                "k_t",
                float(row[str(temp_c)]),
                "",
                f"Correction at {ambient_c:g} °C",
                f"IEC 60364-5-52 Table {number}",
                f"row {row['up_to_c']} °C, {INSULATION[temp_c]}",
            )
    raise OutsideTable(
        f"{ambient_c:g} °C is hotter than {INSULATION[temp_c]} may be run in (IEC 60364-5-52 Table"
        f" {number})"
    )


@lru_cache(maxsize=128)
def group_factor(circuits: int, method: str) -> Figure:
    """Reduction for loaded circuits together. IEC 60364-5-52 Table B.52.17 item 1 (enclosed), 2 (on
    a wall), 4 (tray, free air); Table B.52.18 for cables that touch in the ground.

    >>> group_factor(2, "C").n, group_factor(3, "D2").n
    (0.85, 0.65)
    """
    column = {"C": "wall", "E": "tray", "F": "tray", "D2": "buried"}.get(method, "bunched")
    number, name = ("18", "iec_b_52_18") if column == "buried" else ("17", "iec_b_52_17")
    for row in table(name):
        if circuits <= int(row["up_to_circuits"]):
            return looked_up(
                "k_g",
                float(row[column]),
                "",
                f"Reduction for {circuits} loaded circuit{'s' if circuits > 1 else ''}",
                f"IEC 60364-5-52 Table B.52.{number}",
                f"row {row['up_to_circuits']}, {column}",
            )
    raise OutsideTable(
        f"{circuits} circuits together is more than IEC 60364-5-52 Table B.52.{number} has"
    )


def next_standard(amps: float) -> float:
    """The preferred rating at or above `amps`. IEC 60898-1, 60947-2."""
    i = bisect_left(STANDARD_A, amps - 1e-9)
    if i == len(STANDARD_A):
        raise OutsideTable(
            f"{amps:.0f} A is above the {STANDARD_A[-1]:.0f} A that this project's series of IEC"
            " ratings goes to"
        )
    return STANDARD_A[i]


@lru_cache(maxsize=256)
def protective_conductor(size: str, material: str = "Cu") -> Figure:
    """Protective earth of copper by the line conductor. IEC 60364-5-54 Table 54.2: S to 16 mm², 16
    to 35 mm², then S/2; beside aluminium times k_1/k_2.

    >>> protective_conductor("25 mm²").value, protective_conductor("95 mm²").value
    ('16 mm²', '50 mm²')
    """
    s = area_mm2(size)
    want = s if s <= 16 else 16 if s <= 35 else s / 2
    row = "S up to 16: S" if s <= 16 else "16 to 35: 16 mm²" if s <= 35 else "above 35: S/2"
    if material == "Al":
        want, row = want * K_AL / K_PE[70], f"{row}; times k_1/k_2 = {K_AL}/{K_PE[70]}"
    found = next(x for x in SIZES if area_mm2(x) >= want - 1e-9)
    return looked_up(
        "S_PE",
        found,
        "",
        "Protective conductor",
        "IEC 60364-5-54 Table 54.2",
        f"line conductor {size}; {row}",
    )


def main_bonding(earth: str) -> Figure:
    """Main protective bonding conductor, copper: half the earthing conductor of the installation,
    6 mm² at least and 25 mm² at most. IEC 60364-5-54 544.1.1.

    >>> main_bonding("16 mm²").value, main_bonding("70 mm²").value, main_bonding("4 mm²").value
    ('10 mm²', '25 mm²', '6 mm²')
    """
    want = min(25.0, max(6.0, area_mm2(earth) / 2))
    found = next(x for x in SIZES if area_mm2(x) >= want - 1e-9)
    return looked_up(
        "S_b",
        found,
        "",
        "Main protective bonding",
        "IEC 60364-5-54 544.1.1",
        f"half of {earth}, from 6 to 25 mm²",
    )


def adiabatic(i: Figure, t: Figure, temp_c: int) -> Figure:
    """Least protective conductor in mm² for a fault current for a time up to 5 s. IEC 60364-5-54
    clause 543.1.2.
    """
    k = looked_up(
        "k",
        K_PE[temp_c],
        "A·√s/mm²",
        "Factor of conductor and insulation",
        "IEC 60364-5-54 Table A.54.4",
        f"copper, {INSULATION[temp_c]}",
    )
    return solve(
        "S_ad",
        "mm²",
        "Least section for the fault",
        "sqrt(I_f * I_f * t) / k",
        i,
        t,
        k,
        source="IEC 60364-5-54 543.1.2",
        doubt=MEMORY,
    )


@lru_cache(maxsize=64)
def resistance(size: str, strands: str = "stranded", material: str = "Cu") -> Figure:
    """Greatest resistance at 20 °C in Ω/km. IEC 60228 class 2 (stranded) or class 5 (fine)."""
    if material == "Al":
        row = next((r for r in table("iec_60228_al") if f"{r['size']} mm²" == size), None)
        if row is None:
            raise OutsideTable(f"IEC 60228 here has no aluminium of {size}")
        return looked_up(
            "R_20",
            float(row["class2"]),
            "Ω/km",
            f"Resistance of {size} aluminium at 20 °C",
            "IEC 60228",
            f"row {size}, class 2, aluminium",
        )
    column = "class5" if strands == "fine" else "class2"
    cell = table("iec_60228")[rank(size)][column]
    return looked_up(
        "R_20",
        float(cell),
        "Ω/km",
        f"Resistance of {size} at 20 °C",
        "IEC 60228",
        f"row {size}, class {column[-1]}, plain copper",
    )


def voltage_drop(
    i: Figure,
    length: Figure,
    size: str,
    power_factor: Figure | None,
    phases: int,
    sets: int = 1,
    material: str = "Cu",
) -> Figure:
    """Drop in V: line to neutral on three phases, else over the loop out and back. IEC 60364-5-52
    Annex G.
    """
    b = given(
        "b",
        1 if phases == 3 else 2,
        "",
        "Three phases 1, otherwise 2",
        "IEC 60364-5-52 Annex G",
        "phases balanced" if phases == 3 else "",
    )
    s = given(
        "S",
        area_mm2(size) * sets,
        "mm²",
        "Cross-section" if sets == 1 else f"Cross-section, {sets} in parallel",
        "plan",
    )
    rho = RHO_AL if material == "Al" else RHO
    if power_factor is None:
        return solve(
            "dV",
            "V",
            "Voltage drop",
            "b * rho * L / S * I",
            b,
            rho,
            length,
            s,
            i,
            source="IEC 60364-5-52 Annex G",
            doubt=MEMORY,
        )
    return solve(
        "dV",
        "V",
        "Voltage drop",
        "b * (rho * L / S * pf + lam * L * sqrt(1 - pf * pf)) * I",
        b,
        rho,
        length,
        s,
        power_factor,
        LAMBDA,
        i,
        source="IEC 60364-5-52 Annex G",
        doubt=MEMORY,
    )


def loop_limit(curve: str, i_n: Figure, u_0: Figure, c_min: float = 0.95) -> Figure:
    """Greatest loop impedance in Ω at which a breaker of a curve trips at once. IEC 60364-4-41
    411.4.4.

    >>> round(loop_limit("B", given("I_n", 32, "A", "", ""), given("U_0", 230, "V", "", "")).n, 3)
    1.366
    """
    m = looked_up(
        "m",
        CURVE[curve],
        "",
        f"Instantaneous trip, curve {curve}",
        "IEC 60898-1",
        f"curve {curve}, upper limit, times I_n",
    )
    c = given("C_min", c_min, "", "Least voltage factor", "IEC 60909-0")
    return solve(
        "Z_max",
        "Ω",
        "Greatest loop impedance",
        "C_min * U_0 / (m * I_n)",
        c,
        u_0,
        m,
        i_n,
        source="IEC 60364-4-41 411.4.4",
        doubt=MEMORY,
    )


def string_fuse(i_sc: Figure) -> tuple[Figure, Figure]:
    """(least, greatest) rated current in A of a string fuse. IEC 62548: 1.5 I_sc < I_n <
    2.4 I_sc.
    """
    low = solve(
        "I_low", "A", "String fuse above", "1.5 * I_sc", i_sc, source="IEC 62548", doubt=MEMORY
    )
    high = solve(
        "I_high", "A", "String fuse below", "2.4 * I_sc", i_sc, source="IEC 62548", doubt=MEMORY
    )
    return low, high


def protection(i_b: Figure) -> Figure:
    """Protective device: the preferred rating at or above the design current. IEC
    60364-4-43 433.1.
    """
    return picked(
        "I_n",
        next_standard(i_b.n),
        "A",
        "Protection",
        f"least preferred rating at or above {i_b.text}",
        i_b,
        source="IEC 60364-4-43 433.1, IEC 60898-1",
        doubt=MEMORY,
    )
