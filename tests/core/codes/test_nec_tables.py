"""The tables, recalled a second time column by column and from other ends, and held against
physics.

Source of every expected value: NEC 2023, second recall from memory, unless another is named.
"""

import pytest

from gumboot.core.codes import OutsideTable, nec, table

SIZES = [
    "14",
    "12",
    "10",
    "8",
    "6",
    "4",
    "3",
    "2",
    "1",
    "1/0",
    "2/0",
    "3/0",
    "4/0",
    "250",
    "300",
    "350",
    "400",
    "500",
    "600",
    "750",
]


def column(name: str, key: str) -> list[float]:
    return [float(row[key]) if row[key] else 0 for row in table(name)]


def numbers(text: str) -> list[float]:
    return [float(x) for x in text.split()]


def test_sizes_run_from_14_awg_to_750_kcmil():
    for name in ("nec_310_16_cu", "nec_310_17_cu", "nec_ch9_8", "nec_ch9_9", "nec_annex_i"):
        assert [row["size"] for row in table(name)] == SIZES


@pytest.mark.parametrize(
    ("name", "key", "want"),
    [
        (
            "nec_310_16_cu",
            "60",
            "15 20 30 40 55 70 85 95 110 125 145 165 195 215 240 260 280 320 350 400",
        ),
        (
            "nec_310_16_cu",
            "75",
            "20 25 35 50 65 85 100 115 130 150 175 200 230 255 285 310 335 380 420 475",
        ),
        (
            "nec_310_16_cu",
            "90",
            "25 30 40 55 75 95 115 130 145 170 195 225 260 290 320 350 380 430 475 535",
        ),
        (
            "nec_310_17_cu",
            "60",
            "25 30 40 60 80 105 120 140 165 195 225 260 300 340 375 420 455 515 575 655",
        ),
        (
            "nec_310_17_cu",
            "75",
            "30 35 50 70 95 125 145 170 195 230 265 310 360 405 445 505 545 620 690 785",
        ),
        (
            "nec_310_17_cu",
            "90",
            "35 40 55 80 105 140 165 190 220 260 300 350 405 455 500 570 615 700 780 885",
        ),
        ("nec_310_15_b1", "75", "1.20 1.15 1.11 1.05 1 .94 .88 .82 .75 .67 .58 .47 .33 0 0 0"),
        (
            "nec_310_15_b1",
            "90",
            "1.15 1.12 1.08 1.04 1 .96 .91 .87 .82 .76 .71 .65 .58 .50 .41 .29",
        ),
        ("nec_310_15_b1", "60", "1.29 1.22 1.15 1.08 1 .91 .82 .71 .58 .41 0 0 0 0 0 0"),
        ("nec_310_15_c1", "factor", "1 .8 .7 .5 .45 .4 .35"),
        (
            "nec_240_6",
            "rating_a",
            (
                "10 15 20 25 30 35 40 45 50 60 70 80 90 100 110 125 150 175 200 225 250 300 350 400"
                " 450 500 600 700 800 1000 1200 1600 2000 2500 3000 4000"
            ),
        ),
        ("nec_690_7", "factor", "1.02 1.04 1.06 1.08 1.10 1.12 1.14 1.16 1.18 1.20 1.21 1.23 1.25"),
        ("nec_annex_i", "slot", "20 20 20 25 35 35 35 40 0 0 0 0 0 0 0 0 0 0 0 0"),
        ("nec_annex_i", "wide_slot", "35 35 35 40 45 45 50 50 50 50 50 50 50 50 50 50 50 50 50 50"),
        (
            "nec_annex_i",
            "hex",
            "75 75 75 75 110 110 150 150 150 180 180 250 250 325 325 325 325 375 375 375",
        ),
        ("nec_annex_i_3", "torque_inlb", "45 100 120 150 200 275 375 500 600"),
        (
            "nec_ch9_8",
            "r_ohm_kft",
            (
                "3.14 1.98 1.24 .778 .491 .308 .245 .194 .154 .122 .0967 .0766 .0608 .0515 .0429"
                " .0367 .0321 .0258 .0214 .0171"
            ),
        ),
        (
            "nec_ch9_9",
            "r_ohm_kft",
            (
                "3.1 2 1.2 .78 .49 .31 .25 .19 .15 .12 .10 .077 .062 .052 .044 .038 .033 .027 .023"
                " .019"
            ),
        ),
        (
            "nec_ch9_9",
            "x_ohm_kft",
            (
                ".058 .054 .050 .052 .051 .048 .047 .045 .046 .044 .043 .042 .041 .041 .041 .040"
                " .040 .039 .039 .038"
            ),
        ),
    ],
)
def test_second_recall(name, key, want):
    assert column(name, key) == pytest.approx(numbers(want))


def test_equipment_grounding_second_recall():
    rows = {row["ocpd_a"]: row["size"] for row in table("nec_250_122")}
    assert rows == {
        "15": "14",
        "20": "12",
        "60": "10",
        "100": "8",
        "200": "6",
        "300": "4",
        "400": "3",
        "500": "2",
        "600": "1",
        "800": "1/0",
        "1000": "2/0",
        "1200": "3/0",
        "1600": "4/0",
        "2000": "250",
        "2500": "350",
        "3000": "400",
        "4000": "500",
    }


def awg_number(size: str) -> int | None:
    return 1 - int(size[0]) if size.endswith("/0") else int(size) if int(size) < 250 else None


@pytest.mark.parametrize("size", SIZES)
def test_areas_follow_astm_b258(size):
    """AWG diameter 0.127·92^((36−n)/39) mm, ASTM B258; kcmil is its own area. 1/0 is n = 0."""
    n = awg_number(size)
    want = float(size) * 1000 if n is None else (0.127 * 92 ** ((36 - n) / 39) / 0.0254) ** 2
    assert nec.area_cmil(size) == pytest.approx(want, rel=2e-3)


@pytest.mark.parametrize("size", SIZES)
def test_resistances_follow_the_resistivity_of_copper(size):
    """Annealed copper, 10.371 Ω·cmil/ft at 20 °C (IACS), to 75 °C by (234.5 + 75)/(234.5 + 20), 2 %
    longer for the lay of the strands.
    """
    want = 10.371 * (234.5 + 75) / (234.5 + 20) * 1.02 / nec.area_cmil(size) * 1000
    assert nec.dc_resistance(size).n == pytest.approx(want, rel=0.012)
    assert nec.ac_impedance(size)[0].n == pytest.approx(
        want, rel=0.14
    )  # two figures only, and skin effect in the large sizes


@pytest.mark.parametrize("factor_c", [75, 90])
def test_ambient_factors_follow_the_heat_equation(factor_c):
    """310.15(B): sqrt((Tc − Ta)/(Tc − 30)), rounded; the tables use the top of each band."""
    for row in table("nec_310_15_b1"):
        if row[str(factor_c)] and float(row["up_to_c"]) < factor_c - 4:
            assert float(row[str(factor_c)]) == pytest.approx(
                ((factor_c - float(row["up_to_c"])) / (factor_c - 30)) ** 0.5, abs=0.012
            )


def test_named_check_values():
    """Values the trade names, NEC 2023 from memory: 8 AWG 55 A and 4/0 260 A at 90 °C; 0.87 at 45
    °C; 70 % for nine; 1.14 at −10 °C.
    """
    assert nec.ampacity("8", 90, "raceway").n == 55 and nec.ampacity("4/0", 90, "raceway").n == 260
    assert (
        nec.ampacity("1/0", 75, "free-air").n == 230 and nec.ampacity("1/0", 75, "raceway").n == 150
    )
    assert nec.ambient_factor(41, 90).n == nec.ambient_factor(45, 90).n == 0.87
    assert nec.count_factor(7).n == nec.count_factor(9).n == 0.7
    assert (
        nec.cold_factor(-10).n == 1.14
        and nec.cold_factor(-6).n == 1.14
        and nec.cold_factor(-5).n == 1.12
    )


def test_standard_ratings_round_up():
    """11.5 kW at 240 V: 47.9 A, × 1.25 = 59.9, so 60 A two-pole (common practice agrees)."""
    assert nec.next_standard(1.25 * 11500 / 240) == 60
    assert nec.next_standard(60) == 60 and nec.next_standard(60.1) == 70


def test_next_size_up_protection():
    """4/0 carries 230 A at 75 °C and may be protected at 250 A, 240.4(B); small conductors are held
    by 240.4(D).
    """
    assert nec.protectable("4/0", 230) == 250
    assert [nec.protectable(s, 40) for s in ("14", "12", "10")] == [15, 20, 30]


def test_above_eight_hundred_amps_no_next_size_up():
    """240.4(C): three sets of 250 kcmil (765 A) may have 800 A, 240.4(B); two of 500 (760 A) 800 A;
    three of 500 (1140 A) 1000 A and not 1200.
    """
    assert nec.protectable("250", 3 * 255) == 800 and nec.protectable("500", 2 * 380) == 800
    assert nec.protectable("500", 3 * 380) == 1000 and nec.protectable("500", 3 * 400) == 1200


def test_ten_amps_stands_in_the_table_but_is_not_proposed():
    assert 10 in nec.STANDARD_A and nec.next_standard(4) == 15


def test_a_hairs_breadth_costs_no_size():
    """70 A circuit, 8 AWG earth, 16,510 cmil; grown from 4 AWG (41,740) to 3 AWG (52,620): 20,815,
    so 6 AWG. A want a thousandth over a size is that size (the areas are rounded).
    """
    base = nec.egc(70)
    assert nec.egc_upsized(base, "4", "3").value == "6"
    assert nec.egc_upsized(base, "4", "4").value == "8"


def test_growth_beside_aluminium_is_by_ratio():
    """60 A, 10 AWG copper (10,380 cmil); the line grown from 4 to 2 AWG aluminium, 66,360/41,740:
    16,503, a thousandth of which is nothing, so 8 AWG (16,510).
    """
    assert nec.egc_upsized(nec.egc(60), "4", "2").value == "8"


@pytest.mark.parametrize(
    "call",
    [
        lambda: nec.rank("5"),
        lambda: nec.ambient_factor(86, 90),
        lambda: nec.ambient_factor(71, 75),
        lambda: nec.next_standard(4001),
        lambda: nec.egc(4001),
        lambda: nec.cold_factor(-41),
        lambda: nec.count_factor(1001),
    ],
)
def test_nothing_is_extrapolated(call):
    with pytest.raises(OutsideTable):
        call()


def test_every_table_names_its_standard_and_its_doubt():
    from importlib.resources import files

    for path in files("gumboot.core.codes").joinpath("tables").iterdir():
        head = path.read_text(encoding="utf-8").splitlines()[:2]
        assert (
            head[0].startswith(("# NEC 2023 (NFPA 70)", "# IEC 6")) and "from memory" in head[1]
        ), path.name


def test_egc_grows_with_the_line_conductor():
    """250.122(B): 60 A wants 10 AWG; line grown from 6 AWG (26240 cmil) to 3 AWG (52620):
    10380·2.005 = 20815 cmil, so 6 AWG.
    """
    assert nec.egc_upsized(nec.egc(60), "6", "3").value == "6"
    assert nec.egc_upsized(nec.egc(60), "6", "6").value == "10"
    assert (
        nec.egc_upsized(nec.egc(25), "12", "12").value == "12"
    )  # 250.122(A): never larger than the circuit conductors


@pytest.mark.parametrize(("size", "inches"), [("500", 6), ("600", 8), ("750", 8), ("4/0", 4)])
def test_bending_space_of_large_conductors(size, inches):
    """Table 312.6(A), one wire a terminal, from memory; room grows with the size."""
    assert nec.bending_space_in(size).n == inches
