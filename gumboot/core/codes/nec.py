"""National Electrical Code, NFPA 70, 2023 edition. All tables from memory: check your edition.

Each function is one table or one clause. Looking outside a table raises OutsideTable.
Sizes are AWG or kcmil as the book prints them: "14" … "1/0" … "4/0", "250" … "750".
"""

from __future__ import annotations

from bisect import bisect_left
from functools import lru_cache
from typing import Literal

from gumboot.core.codes import OutsideTable, table
from gumboot.core.working import MEMORY, Figure, looked_up, picked, solve

BOOK = "NEC 2023"
SIZES: tuple[str, ...] = tuple(row["size"] for row in table("nec_310_16_cu"))
STANDARD_A: tuple[float, ...] = tuple(float(row["rating_a"]) for row in table("nec_240_6"))
_RANK = {size: i for i, size in enumerate(SIZES)}
SMALL: dict[str, float] = {"14": 15, "12": 20, "10": 30}  # 240.4(D), copper
CONTINUOUS = 1.25

Method = Literal["raceway", "free-air"]
_AMPACITY = {"raceway": ("nec_310_16_cu", "Table 310.16"), "free-air": ("nec_310_17_cu", "Table 310.17")}


def spoken(size: str) -> str:
    """A size as it is said: "4 AWG", "2/0 AWG", "250 kcmil"."""
    return f"{size} kcmil" if size.isdigit() and int(size) >= 250 else f"{size} AWG"


def rank(size: str) -> int:
    """Place in the order of sizes, smallest first. Raises OutsideTable for a size the book does not have."""
    try:
        return _RANK[size]
    except KeyError:
        raise OutsideTable(f"{size} is not a conductor size of {BOOK}: sizes run from 14 AWG to 750 kcmil") from None


@lru_cache(maxsize=1024)
def ampacity(size: str, temp_c: int, method: Method) -> Figure:
    """Table ampacity in A of one copper conductor at 30 °C. NEC 310.16 (raceway), 310.17 (free air)."""
    name, title = _AMPACITY[method]
    row = table(name)[rank(size)]
    return looked_up(
        "I_table" if temp_c == 90 else f"I_{temp_c}", float(row[str(temp_c)]), "A", f"Ampacity of {spoken(size)} copper at {temp_c} °C",
        f"{BOOK} {title}", f"row {spoken(size)}, column {temp_c} °C copper",
    )  # fmt: skip


@lru_cache(maxsize=1024)
def ambient_factor(ambient_c: float, temp_c: int) -> Figure:
    """Correction for ambient temperature, 30 °C basis. NEC Table 310.15(B)(1)(1)."""
    for row in table("nec_310_15_b1"):
        if ambient_c <= float(row["up_to_c"]) and row[str(temp_c)]:
            return looked_up(
                "F_temp", float(row[str(temp_c)]), "", f"Correction at {ambient_c:g} °C",
                f"{BOOK} Table 310.15(B)(1)(1)", f"row up to {row['up_to_c']} °C, column {temp_c} °C",
            )  # fmt: skip
    raise OutsideTable(f"{ambient_c:g} °C is hotter than {temp_c} °C insulation may be run in ({BOOK} Table 310.15(B)(1)(1))")


@lru_cache(maxsize=128)
def count_factor(count: int) -> Figure:
    """Adjustment for current-carrying conductors bundled or in one raceway. NEC Table 310.15(C)(1)."""
    for row in table("nec_310_15_c1"):
        if count <= int(row["up_to_count"]):
            return looked_up(
                "F_count", float(row["factor"]), "", f"Adjustment for {count} current-carrying conductors",
                f"{BOOK} Table 310.15(C)(1)", f"row up to {row['up_to_count']}",
            )  # fmt: skip
    raise OutsideTable(f"{count} conductors in one raceway is more than {BOOK} Table 310.15(C)(1) has")


def next_standard(amps: float) -> float:
    """The standard rating at or above `amps`. NEC 240.6(A)."""
    i = bisect_left(STANDARD_A, amps - 1e-9)
    if i == len(STANDARD_A):
        raise OutsideTable(f"{amps:.0f} A is above the {STANDARD_A[-1]:.0f} A that this project's copy of {BOOK} 240.6(A) goes to")
    return STANDARD_A[i]


def protection(i_req: Figure) -> Figure:
    """Overcurrent device: the standard rating at or above the required current. NEC 240.6(A)."""
    return picked(
        "I_n", next_standard(i_req.n), "A", "Protection", f"least standard rating of 240.6(A) at or above {i_req.text}", i_req,
        source=f"{BOOK} 240.6(A)", doubt=MEMORY,
    )  # fmt: skip


def protectable(size: str, corrected_a: float) -> float:
    """The largest protection in A a conductor may have. NEC 240.4(B) next size up under 800 A, 240.4(D) small conductors."""
    if size in SMALL:
        return min(SMALL[size], next_standard(corrected_a))
    return next_standard(corrected_a)


@lru_cache(maxsize=64)
def egc(protection_a: float) -> Figure:
    """Equipment grounding conductor, copper, by the overcurrent device ahead of it. NEC Table 250.122."""
    for row in table("nec_250_122"):
        if protection_a <= float(row["ocpd_a"]):
            return looked_up(
                "S_EGC", row["size"], "AWG", "Equipment grounding conductor",
                f"{BOOK} Table 250.122", f"row not exceeding {row['ocpd_a']} A, copper",
            )  # fmt: skip
    raise OutsideTable(f"{protection_a:g} A is above the 800 A that this project's copy of {BOOK} Table 250.122 goes to")


def area_cmil(size: str) -> float:
    """Area in circular mils. NEC Chapter 9 Table 8."""
    return float(table("nec_ch9_8")[rank(size)]["area_cmil"])


def egc_upsized(base: Figure, least: str, fitted: str) -> Figure:
    """The grounding conductor grown in the proportion the line conductor was grown, and never larger than it. NEC 250.122(A), (B).

    least: the size ampacity asks for; fitted: the size run, for instance for voltage drop.
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
    size = next((s for s in SIZES if area_cmil(s) >= want - 1), SIZES[-1])
    size = min(size, fitted, key=rank)
    if rank(size) <= rank(str(base.value)):
        return base
    return picked(
        "S_EGC", size, "AWG" if not size.isdigit() or int(size) < 250 else "kcmil", "Equipment grounding conductor",
        f"{spoken(str(base.value))} grown as the line conductor grew from {spoken(least)} to {spoken(fitted)}: {want:.0f} cmil",
        base, source=f"{BOOK} 250.122(B)", doubt=MEMORY,
    )  # fmt: skip


@lru_cache(maxsize=64)
def dc_resistance(size: str) -> Figure:
    """DC resistance at 75 °C in Ω/kft, stranded uncoated copper. NEC Chapter 9 Table 8."""
    r = float(table("nec_ch9_8")[rank(size)]["r_ohm_kft"])
    return looked_up(
        "R", r, "Ω/kft", f"Resistance of {spoken(size)}", f"{BOOK} Chapter 9 Table 8", f"row {spoken(size)}, stranded uncoated copper"
    )


@lru_cache(maxsize=64)
def ac_impedance(size: str) -> tuple[Figure, Figure]:
    """(R, X) at 75 °C in Ω/kft to neutral, three single conductors in PVC conduit. NEC Chapter 9 Table 9."""
    row = table("nec_ch9_9")[rank(size)]
    where = f"row {spoken(size)}, copper in PVC conduit"
    r = looked_up("R", float(row["r_ohm_kft"]), "Ω/kft", f"Resistance of {spoken(size)}", f"{BOOK} Chapter 9 Table 9", where)
    x = looked_up("X", float(row["x_ohm_kft"]), "Ω/kft", f"Reactance of {spoken(size)}", f"{BOOK} Chapter 9 Table 9", where)
    return r, x


def voltage_drop_dc(i: Figure, length_ft: Figure, size: str) -> Figure:
    """Drop in V over a two-wire DC run, out and back."""
    return solve(
        "dV",
        "V",
        "Voltage drop",
        "2 * I * R * L / 1000",
        i,
        dc_resistance(size),
        length_ft,
        source=f"Ohm's law, {BOOK} Chapter 9 Table 8",
        assumption="conductor at 75 °C",
    )


def voltage_drop_ac(i: Figure, length_ft: Figure, size: str, power_factor: Figure) -> Figure:
    """Drop in V over a two-wire 240 V run, out and back; the usual approximation, good while the drop is small."""
    r, x = ac_impedance(size)
    return solve(
        "dV", "V", "Voltage drop", "2 * I * L / 1000 * (R * pf + X * sqrt(1 - pf * pf))", i, length_ft, r, x, power_factor,
        source=f"{BOOK} Chapter 9 Table 9, note 2", assumption="legs balanced, conductor at 75 °C, PVC conduit", doubt=MEMORY,
    )  # fmt: skip


def cold_factor(t_min_c: float) -> Figure:
    """Voltage correction for crystalline silicon without a coefficient. NEC Table 690.7(A)."""
    if t_min_c > 24:
        return looked_up("F_cold", 1.0, "", "Cold correction", f"{BOOK} Table 690.7(A)", "warmer than the table: no rise")
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
    raise OutsideTable(f"{t_min_c:g} °C is colder than the -40 °C that {BOOK} Table 690.7(A) goes to")


def screw_torque_inlb(size: str) -> Figure:
    """Torque in in·lb for a screw whose maker is silent. NEC Informative Annex I, Table I.1."""
    row = table("nec_annex_i")[rank(size)]
    return looked_up(
        "M",
        float(row["torque_inlb"]),
        "in·lb",
        f"Screw torque on {spoken(size)}",
        f"{BOOK} Annex I Table I.1",
        f"row {spoken(size)}, slot wider than 1.2 mm",
    )
