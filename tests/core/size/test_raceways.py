"""Conduit and trough: worked examples of Chapter 9, and its annex of ready answers."""

import pytest

from gumboot.core.codes import OutsideTable, nec, table
from gumboot.core.codes.ways import outer_area


@pytest.mark.parametrize(
    ("count", "size", "trade"),
    [
        (9, "12", "1/2"),
        (5, "10", "1/2"),
        (3, "8", "1/2"),
        (3, "6", "3/4"),
        (2, "6", "3/4"),
        (3, "4", "1"),
        (4, "4", "1"),
        (3, "2", "1-1/4"),
        (3, "1/0", "1-1/4"),
        (3, "2/0", "1-1/2"),
        (3, "4/0", "2"),
        (3, "250", "2"),
        (3, "500", "2-1/2"),
        (4, "500", "3"),
    ],
)
def test_emt_takes_what_informative_annex_c_says(count, size, trade):
    """NEC Informative Annex C Table C.1, THWN-2 in EMT, from memory: 9 of 12 AWG in 1/2, 3 of 4/0
    in 2, 4 of 500 kcmil in 3.
    """
    assert nec.conduit((nec.wire_area(size).n,) * count)[0] == trade


def test_three_hundred_fifty_and_an_earth():
    """Three 3/0 and a 6 AWG: 3·0.2679 + 0.0507 = 0.8544 in²; 40 % of 1-1/2 EMT is 0.8144, so 2."""
    trade, pct = nec.conduit((0.2679, 0.2679, 0.2679, 0.0507))
    assert trade == "2" and pct == pytest.approx(100 * 0.8544 / 3.356, abs=0.1)


def test_too_much_for_any_conduit_is_said():
    with pytest.raises(OutsideTable, match="share them out"):
        nec.conduit((1.0,) * 8)


def test_areas_recalled_a_second_time():
    """Chapter 9 Table 5 THWN-2 and Table 4, second recall from memory by column."""
    want = (
        ".0097 .0133 .0211 .0366 .0507 .0824 .0973 .1158 .1562 .1855 .2223 .2679 .3237 .3970 .4608"
        " .5242 .5863 .7073 .8676 1.0496"
    )
    assert [float(r["area_in2"]) for r in table("nec_ch9_5")] == [float(x) for x in want.split()]
    assert [float(r["emt"]) for r in table("nec_ch9_4")] == [
        0.304,
        0.533,
        0.864,
        1.496,
        2.036,
        3.356,
        5.858,
        8.846,
        11.545,
        14.753,
    ]
    assert [float(r["pvc40"]) for r in table("nec_ch9_4")] == [
        0.285,
        0.508,
        0.832,
        1.453,
        1.986,
        3.291,
        4.695,
        7.268,
        9.737,
        12.554,
    ]


def test_aluminium_recalled_a_second_time():
    """310.16 aluminium at 75 and 90 °C, Table 8 aluminium, from memory from the large end."""
    al = {r["size"]: r for r in table("nec_310_16_al")}
    assert [
        al[s]["75"]
        for s in [
            "750",
            "600",
            "500",
            "400",
            "350",
            "300",
            "250",
            "4/0",
            "3/0",
            "2/0",
            "1/0",
            "1",
            "2",
            "3",
            "4",
            "6",
            "8",
            "10",
            "12",
        ]
    ] == [
        "385",
        "340",
        "310",
        "270",
        "250",
        "230",
        "205",
        "180",
        "155",
        "135",
        "120",
        "100",
        "90",
        "75",
        "65",
        "50",
        "40",
        "30",
        "20",
    ]
    assert [
        al[s]["90"]
        for s in [
            "750",
            "600",
            "500",
            "400",
            "350",
            "300",
            "250",
            "4/0",
            "3/0",
            "2/0",
            "1/0",
            "1",
            "2",
            "3",
            "4",
            "6",
            "8",
            "10",
            "12",
        ]
    ] == [
        "435",
        "385",
        "350",
        "305",
        "280",
        "260",
        "230",
        "205",
        "175",
        "150",
        "135",
        "115",
        "100",
        "85",
        "75",
        "55",
        "45",
        "35",
        "25",
    ]
    assert [
        al[s]["60"]
        for s in [
            "750",
            "600",
            "500",
            "400",
            "350",
            "300",
            "250",
            "4/0",
            "3/0",
            "2/0",
            "1/0",
            "1",
            "2",
            "3",
            "4",
            "6",
            "8",
            "10",
            "12",
        ]
    ] == [
        "320",
        "285",
        "260",
        "225",
        "210",
        "195",
        "170",
        "150",
        "130",
        "115",
        "100",
        "85",
        "75",
        "65",
        "55",
        "40",
        "35",
        "25",
        "15",
    ]
    air = {r["size"]: r for r in table("nec_310_17_al")}
    assert [
        air[s]["75"]
        for s in [
            "750",
            "500",
            "350",
            "250",
            "4/0",
            "3/0",
            "2/0",
            "1/0",
            "1",
            "2",
            "4",
            "6",
            "8",
            "10",
            "12",
        ]
    ] == [
        "620",
        "485",
        "395",
        "315",
        "280",
        "240",
        "210",
        "180",
        "155",
        "135",
        "100",
        "75",
        "55",
        "40",
        "30",
    ]
    assert [
        air[s]["90"]
        for s in ["750", "600", "500", "400", "350", "300", "250", "4/0", "2/0", "1/0", "2", "4"]
    ] == [
        "700",
        "615",
        "545",
        "480",
        "445",
        "395",
        "355",
        "315",
        "235",
        "205",
        "150",
        "115",
    ]
    copper = {r["size"]: r for r in table("nec_310_17_cu")}
    ratio = {k: float(r["75"]) / float(copper[k]["75"]) for k, r in air.items()}
    assert all(
        0.77 < x < (0.86 if k in ("12", "10", "8") else 0.805) for k, x in ratio.items()
    )  # √(R_Cu/R_Al) = 0.78; small sizes are rounded to 5 A
    nine = [float(x["r_ohm_kft"]) for x in table("nec_ch9_9_al")]
    assert nine == [
        3.2,
        2.0,
        1.3,
        0.81,
        0.51,
        0.40,
        0.32,
        0.25,
        0.20,
        0.16,
        0.13,
        0.10,
        0.085,
        0.071,
        0.061,
        0.054,
        0.043,
        0.036,
        0.029,
    ]
    r = {x["size"]: float(x["r_ohm_kft"]) for x in table("nec_ch9_8_al")}
    assert (r["4/0"], r["2"], r["500"], r["1/0"]) == (0.100, 0.319, 0.0424, 0.201)


@pytest.mark.parametrize(
    ("size", "want"),
    [("12", 3.25), ("4", 0.508), ("1/0", 0.201), ("4/0", 0.100), ("250", 0.0847), ("500", 0.0424)],
)
def test_aluminium_resistance_is_physics(size, want):
    """61 % IACS at 75 °C over the ASTM B258 area, within the 5 % that stranding adds: ρ_20 =
    0.028264 Ω·mm²/m, α = 0.00403 (ASTM B230, from memory).
    """
    from gumboot.core.basis.sizes import area_mm2

    rho_75 = 0.028264 * (1 + 0.00403 * 55)
    assert want == nec.dc_resistance(size, "Al").n
    assert rho_75 / area_mm2(size) * 304.8 == pytest.approx(want, rel=0.05)


@pytest.mark.parametrize(
    ("service", "metal", "gec"),
    [
        ("2", "Cu", "8"),
        ("1/0", "Al", "8"),
        ("1", "Cu", "6"),
        ("1/0", "Cu", "6"),
        ("2/0", "Cu", "4"),
        ("4/0", "Al", "4"),
        ("4/0", "Cu", "2"),
        ("350", "Cu", "2"),
        ("400", "Cu", "1/0"),
        ("600", "Cu", "1/0"),
        ("750", "Cu", "2/0"),
    ],
)
def test_electrode_conductor(service, metal, gec):
    """NEC Table 250.66, from memory: a 200 A service of 2/0 copper or 4/0 aluminium takes 4 AWG
    copper.
    """
    assert nec.gec(service, metal).value == gec


def test_iec_diameters_grow():
    areas = [outer_area(f"{r['size']} mm²").n for r in table("iec_60227_diameter")]
    assert areas == sorted(areas) and outer_area("16 mm²").n == pytest.approx(50.3, abs=0.1)
    with pytest.raises(OutsideTable):
        outer_area("17 mm²")
