"""National Electrical Code, NFPA 70, 2023 edition. All tables from memory: check your edition.

Each function is one table or one clause. Looking outside a table raises OutsideTable.
Sizes are AWG or kcmil as the book prints them: "14" … "1/0" … "4/0", "250" … "750".
"""

from __future__ import annotations

from bisect import bisect_left
from functools import lru_cache

from gumboot.core.basis.figure import MEMORY, Figure, given, looked_up, picked, solve
from gumboot.core.basis.sizes import area_mm2, spoken
from gumboot.core.codes import OutsideTable, table

BOOK = "NEC 2023"
SIZES: tuple[str, ...] = tuple(row["size"] for row in table("nec_310_16_cu"))
STANDARD_A: tuple[float, ...] = tuple(float(row["rating_a"]) for row in table("nec_240_6"))
_RANK = {size: i for i, size in enumerate(SIZES)}
SMALL: dict[str, dict[str, float]] = {
    "Cu": {"14": 15, "12": 20, "10": 30},
    "Al": {"12": 15, "10": 25},
}  # 240.4(D)
METAL = {"Cu": "copper", "Al": "aluminium"}
ROOF = given(
    "dT_roof",
    33.0,
    "°C",
    "Raceway less than 7/8 in (23 mm) off a roof in the sun",
    f"{BOOK} 310.15(B)(2)",
    "from memory: check your edition",
)

_AMPACITY = {
    ("raceway", "Cu"): ("nec_310_16_cu", "Table 310.16"),
    ("raceway", "Al"): ("nec_310_16_al", "Table 310.16"),
    ("free-air", "Cu"): ("nec_310_17_cu", "Table 310.17"),
    ("free-air", "Al"): ("nec_310_17_al", "Table 310.17"),
}
METHODS: tuple[str, ...] = ("raceway", "raceway-on-roof", "free-air")


def rank(size: str) -> int:
    """Place in the order of sizes, smallest first. Raises OutsideTable for a size the book does not
    have.
    """
    try:
        return _RANK[size]
    except KeyError:
        raise OutsideTable(
            f"{size} is not a conductor size of {BOOK}: sizes run from 14 AWG to 750 kcmil"
        ) from None


def _row(name: str, size: str, what: str) -> dict[str, str]:
    rank(size)
    for row in table(name):
        if row["size"] == size:
            return row
    raise OutsideTable(f"{BOOK} {what} has no {spoken(size)}")


@lru_cache(maxsize=1024)
def ampacity(size: str, temp_c: int, method: str, material: str = "Cu") -> Figure:
    """Table ampacity in A of one conductor at 30 °C, copper or aluminium. NEC 310.16 (raceway),
    310.17 (free air).

    >>> ampacity("2/0", 75, "raceway").text, ampacity("4/0", 75, "raceway", "Al").text
    ('175 A', '180 A')
    """
    method = method.removesuffix("-on-roof")
    if (method, material) not in _AMPACITY:
        raise OutsideTable(
            f"{BOOK} has no ampacity of {METAL[material]} for method “{method}”: choose one of"
            f" {', '.join(METHODS)}"
        )
    name, title = _AMPACITY[method, material]
    row = _row(name, size, f"{title}, {METAL[material]},")
    return looked_up(
        "I_table" if temp_c == 90 else f"I_{temp_c}",
        float(row[str(temp_c)]),
        "A",
        f"Ampacity of {spoken(size)} {METAL[material]} at {temp_c} °C",
        f"{BOOK} {title}",
        f"row {spoken(size)}, column {temp_c} °C {METAL[material]}",
    )


@lru_cache(maxsize=1024)
def ambient_factor(ambient_c: float, temp_c: int) -> Figure:
    """Correction for ambient temperature, 30 °C basis. NEC Table 310.15(B)(1)(1).

    >>> ambient_factor(43, 90).n, ambient_factor(43, 75).n
    (0.87, 0.82)
    """
    for row in table("nec_310_15_b1"):
        if ambient_c <= float(row["up_to_c"]) and row[str(temp_c)]:
            return looked_up(
                "F_temp",
                float(row[str(temp_c)]),
                "",
                f"Correction at {ambient_c:g} °C",
                f"{BOOK} Table 310.15(B)(1)(1)",
                f"row up to {row['up_to_c']} °C, column {temp_c} °C",
            )
    raise OutsideTable(
        f"{ambient_c:g} °C is hotter than {temp_c} °C insulation may be run in ({BOOK} Table"
        " 310.15(B)(1)(1))"
    )


@lru_cache(maxsize=128)
def count_factor(count: int) -> Figure:
    """Adjustment for current-carrying conductors bundled or in one raceway. NEC Table 310.15(C)(1).

    >>> count_factor(3).n, count_factor(8).n
    (1.0, 0.7)
    """
    for row in table("nec_310_15_c1"):
        if count <= int(row["up_to_count"]):
            return looked_up(
                "F_count",
                float(row["factor"]),
                "",
                f"Adjustment for {count} current-carrying conductors",
                f"{BOOK} Table 310.15(C)(1)",
                f"row up to {row['up_to_count']}",
            )
    raise OutsideTable(
        f"{count} conductors in one raceway is more than {BOOK} Table 310.15(C)(1) has"
    )


def next_standard(amps: float) -> float:
    """The standard rating at or above `amps`, from 15 A (10 A has stood there since 2023, but is
    hardly made: common practice). NEC 240.6(A).
    """
    i = bisect_left(STANDARD_A, max(amps, 15.0) - 1e-9)
    if i == len(STANDARD_A):
        raise OutsideTable(
            f"{amps:.0f} A is above the {STANDARD_A[-1]:.0f} A that this project's copy of {BOOK}"
            " 240.6(A) goes to"
        )
    return STANDARD_A[i]


def protection(i_req: Figure) -> Figure:
    """Overcurrent device: the standard rating at or above the required current. NEC 240.6(A)."""
    return picked(
        "I_n",
        next_standard(i_req.n),
        "A",
        "Protection",
        f"least standard rating of 240.6(A) at or above {i_req.text}",
        i_req,
        source=f"{BOOK} 240.6(A)",
        doubt=MEMORY,
    )


def protectable(size: str, corrected_a: float, material: str = "Cu") -> float:
    """The largest protection in A a conductor may have. NEC 240.4(B) next size up to 800 A,
    240.4(C)
    no more than it carries above that, 240.4(D) small conductors.

    >>> protectable("4/0", 230), protectable("10", 35), protectable("12", 20, "Al")
    (250.0, 30, 15)
    >>> protectable("4/0", 690), protectable("250", 765), protectable("500", 1140)
    (700.0, 800.0, 1000.0)
    """
    if corrected_a > 800:
        return max(a for a in STANDARD_A if a <= corrected_a)
    if size in SMALL[material]:
        return min(SMALL[material][size], next_standard(corrected_a))
    return next_standard(corrected_a)


@lru_cache(maxsize=64)
def egc(protection_a: float) -> Figure:
    """Equipment grounding conductor, copper, by the overcurrent device ahead of it. NEC Table
    250.122.

    >>> egc(60).value, egc(100).value, egc(200).value
    ('10', '8', '6')
    """
    for row in table("nec_250_122"):
        if protection_a <= float(row["ocpd_a"]):
            return looked_up(
                "S_EGC",
                row["size"],
                "AWG",
                "Equipment grounding conductor",
                f"{BOOK} Table 250.122",
                f"row not exceeding {row['ocpd_a']} A, copper",
            )
    raise OutsideTable(
        f"{protection_a:g} A is above the 4000 A that this project's copy of {BOOK} Table 250.122"
        " goes to"
    )


def area_cmil(size: str) -> float:
    """Area in circular mils. NEC Chapter 9 Table 8."""
    return float(table("nec_ch9_8")[rank(size)]["area_cmil"])


CLOSE_ENOUGH = 0.999  # sizes follow a geometric series, rounded: a thousandth is no size


def egc_upsized(base: Figure, least: str, fitted: str) -> Figure:
    """The grounding conductor grown in the proportion the line conductor was grown, and never
    larger than it. NEC 250.122(A), (B). Beside aluminium too: the ratio is of areas.

    least: the size that carries the current under its protection; fitted: the size run, for
    instance for voltage drop.
    """
    if rank(str(base.value)) > rank(fitted):
        return picked(
            "S_EGC",
            fitted,
            "AWG",
            "Equipment grounding conductor",
            "need not be larger than the circuit conductors",
            base,
            source=f"{BOOK} 250.122(A)",
            doubt=MEMORY,
        )
    if rank(fitted) <= rank(least):
        return base
    want = area_cmil(str(base.value)) * area_cmil(fitted) / area_cmil(least)
    size = next((s for s in SIZES if area_cmil(s) >= CLOSE_ENOUGH * want), SIZES[-1])
    size = min(size, fitted, key=rank)
    if rank(size) <= rank(str(base.value)):
        return base
    return picked(
        "S_EGC",
        size,
        "AWG" if not size.isdigit() or int(size) < 250 else "kcmil",
        "Equipment grounding conductor",
        f"{spoken(str(base.value))} grown as the line conductor grew from {spoken(least)} to"
        f" {spoken(fitted)}: {want:.0f} cmil",
        base,
        source=f"{BOOK} 250.122(B)",
        doubt=MEMORY,
    )


@lru_cache(maxsize=64)
def dc_resistance(size: str, material: str = "Cu") -> Figure:
    """DC resistance at 75 °C in Ω/kft, stranded uncoated copper, or aluminium. NEC Chapter 9 Table
    8.
    """
    row = _row("nec_ch9_8" if material == "Cu" else "nec_ch9_8_al", size, "Chapter 9 Table 8")
    kind = "stranded uncoated copper" if material == "Cu" else "aluminium"
    return looked_up(
        "R",
        float(row["r_ohm_kft"]),
        "Ω/kft",
        f"Resistance of {spoken(size)}",
        f"{BOOK} Chapter 9 Table 8",
        f"row {spoken(size)}, {kind}",
    )


@lru_cache(maxsize=64)
def ac_impedance(size: str, material: str = "Cu") -> tuple[Figure, Figure]:
    """(R, X) at 75 °C in Ω/kft to neutral, three single conductors in PVC conduit. NEC Chapter 9
    Table 9.
    """
    row = _row("nec_ch9_9" if material == "Cu" else "nec_ch9_9_al", size, "Chapter 9 Table 9")
    where = f"row {spoken(size)}, {METAL[material]} in PVC conduit"
    r = looked_up(
        "R",
        float(row["r_ohm_kft"]),
        "Ω/kft",
        f"Resistance of {spoken(size)}",
        f"{BOOK} Chapter 9 Table 9",
        where,
    )
    x = looked_up(
        "X",
        float(row["x_ohm_kft"]),
        "Ω/kft",
        f"Reactance of {spoken(size)}",
        f"{BOOK} Chapter 9 Table 9",
        where,
    )
    return r, x


def voltage_drop_dc(
    i: Figure, length_ft: Figure, size: str, material: str = "Cu", sets: int = 1
) -> Figure:
    """Drop in V over a two-wire DC run, out and back; `sets` of conductors share the current."""
    each, n = _shared(sets)
    return solve(
        "dV",
        "V",
        "Voltage drop",
        f"2 * I * R * L / 1000{each}",
        i,
        dc_resistance(size, material),
        length_ft,
        *n,
        source=f"Ohm's law, {BOOK} Chapter 9 Table 8",
        assumption="conductor at 75 °C",
    )


def _shared(sets: int) -> tuple[str, tuple[Figure, ...]]:
    return (
        (" / n_set", (given("n_set", sets, "", "Sets in parallel", "plan"),))
        if sets > 1
        else ("", ())
    )


def voltage_drop_ac(
    i: Figure,
    length_ft: Figure,
    size: str,
    power_factor: Figure,
    phases: int = 1,
    material: str = "Cu",
    sets: int = 1,
) -> Figure:
    """Drop in V: line to neutral on three phases, else over the run out and back; the usual
    approximation, good while the drop is small.
    """
    three = phases == 3
    b = given("b", 1 if three else 2, "", "Three phases 1, otherwise 2", "geometry")
    r, x = ac_impedance(size, material)
    each, n = _shared(sets)
    return solve(
        "dV",
        "V",
        "Voltage drop",
        f"b * I * L / 1000 * (R * pf + X * sqrt(1 - pf * pf)){each}",
        b,
        i,
        length_ft,
        r,
        x,
        power_factor,
        *n,
        source=f"{BOOK} Chapter 9 Table 9, note 2",
        assumption=f"{'phases' if three else 'legs'} balanced, conductor at 75 °C, PVC conduit",
        doubt=MEMORY,
    )


@lru_cache(maxsize=64)
def gec(service: str, material: str = "Cu") -> Figure:
    """Grounding electrode conductor, copper, by the largest ungrounded service conductor. NEC Table
    250.66.

    >>> gec("2/0").value, gec("4/0", "Al").value
    ('4', '4')
    """
    for row in table("nec_250_66"):
        limit = row[f"{material.lower()}_up_to"]
        if not limit or area_mm2(service) <= area_mm2(limit) * 1.001:
            return looked_up(
                "S_GEC",
                row["cu"],
                "AWG",
                "Grounding electrode conductor",
                f"{BOOK} Table 250.66",
                f"row {f'up to {spoken(limit)}' if limit else 'the largest'} {METAL[material]}",
            )
    raise OutsideTable(f"{BOOK} Table 250.66 does not reach {spoken(service)}")


DEPTH_IN = (
    (150.0, (36.0, 36.0, 36.0)),
    (600.0, (36.0, 42.0, 48.0)),
    (1000.0, (36.0, 48.0, 60.0)),
)  # up to so many V to ground; conditions 1, 2, 3: Table 110.26(A)(1), from memory
CONDITION = {"insulating": 0, "unknown": 1, "grounded": 1, "live": 2}


def working_depth(volts: float, opposite: str) -> float:
    """Depth of working space in mm by volts to ground and by what is opposite; where nobody looked,
    something grounded is. NEC Table 110.26(A)(1).

    >>> [working_depth(v, "grounded") for v in (120, 480)], working_depth(480, "live")
    ([914.4, 1066.8], 1219.2)
    """
    rows = (inches for most, inches in DEPTH_IN if volts <= most)
    return round(25.4 * next(rows, DEPTH_IN[-1][1])[CONDITION[opposite]], 1)


def supply_bonding(line: str, material: str = "Cu") -> Figure:
    """Supply-side bonding jumper, copper, by the line conductors it goes with. NEC Table
    250.102(C)(1), whose rows up to 1100 kcmil copper are those of Table 250.66.

    >>> supply_bonding("6").value, supply_bonding("1").value, supply_bonding("3/0").value
    ('8', '6', '4')
    """
    row = gec(line, material)
    source = f"{BOOK} Table 250.102(C)(1)"
    return looked_up("S_EGC", row.value, "AWG", "Supply-side bonding jumper", source, row.lookup)


@lru_cache(maxsize=64)
def wire_area(size: str) -> Figure:
    """Area in in² of one THHN or THWN-2 conductor with its insulation. NEC Chapter 9 Table 5."""
    row = _row("nec_ch9_5", size, "Chapter 9 Table 5")
    return looked_up(
        "A_wire",
        float(row["area_in2"]),
        "in²",
        f"Area of {spoken(size)}",
        f"{BOOK} Chapter 9 Table 5",
        f"row {spoken(size)}, THWN-2",
    )


def conduit(areas_in2: tuple[float, ...], kind: str = "emt") -> tuple[str, float]:
    """(trade size, fill in %) of the least raceway for conductors of these areas. NEC Chapter 9
    Tables 1 and 4: 53 % for one, 31 % for two, 40 % for more.

    >>> conduit((.1158, .1158, .1158, .0366))  # three 2 AWG and an 8 AWG
    ('1-1/4', 25.7)
    """
    most = {1: 0.53, 2: 0.31}.get(len(areas_in2), 0.40)
    total = sum(areas_in2)
    for row in table("nec_ch9_4"):
        if total <= most * float(row[kind]):
            return row["trade"], round(100 * total / float(row[kind]), 1)
    raise OutsideTable(
        f"{total:.2f} in² of conductors is more than a trade size 4 raceway takes ({BOOK} Chapter 9"
        " Table 4): share them out"
    )


def cold_factor(t_min_c: float) -> Figure:
    """Voltage correction for crystalline silicon without a coefficient. NEC Table 690.7(A)."""
    if t_min_c > 24:
        return looked_up(
            "F_cold",
            1.0,
            "",
            "Cold correction",
            f"{BOOK} Table 690.7(A)",
            "warmer than the table: no rise",
        )
    for row in table("nec_690_7"):
        if t_min_c >= float(row["down_to_c"]):
            return looked_up(
                "F_cold",
                float(row["factor"]),
                "",
                f"Cold correction at {t_min_c:g} °C",
                f"{BOOK} Table 690.7(A)",
                f"row down to {row['down_to_c']} °C",
            )
    raise OutsideTable(
        f"{t_min_c:g} °C is colder than the -40 °C that {BOOK} Table 690.7(A) goes to"
    )


def bending_space_in(size: str) -> Figure | None:
    """Room in in before a terminal for one wire to bend; None for sizes the table leaves open. NEC
    Table 312.6(A).

    Raises OutsideTable for larger sizes than it has here.
    """
    area = area_mm2(size)
    for row in table("nec_312_6_a"):
        if area <= area_mm2(row["size"]) * 1.001:
            if area < area_mm2("8") * 0.999:
                return None
            return looked_up(
                "b",
                float(row["space_in"]),
                "in",
                f"Bending space for {spoken(size)}",
                f"{BOOK} Table 312.6(A)",
                f"row {spoken(row['size'])}, one wire a terminal",
            )
    raise OutsideTable(f"{spoken(size)} is larger than {BOOK} Table 312.6(A) has here")
