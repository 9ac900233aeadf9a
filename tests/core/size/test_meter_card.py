"""The meter card: expected voltage against pvlib's single-diode model, and what every kind of
reading says.
"""

import numpy as np
import pvlib
import pytest

from gumboot.catalogue import catalogue
from gumboot.core.size.meter_card import NOW, Weather, expected, judge
from tests.core.size.test_strings import MODEL, module

SHEET = catalogue().modules["reedbed-430"]


def card(strings, weather=None, measured=True):
    weather = weather or Weather(800, 20, 45 if measured else None)
    return {k: expected(k, n, "roof", SHEET, weather) for k, n in strings.items()}


def said(strings, readings, light=800.0):
    return {v.letter: (v.said, v.why) for v in judge(card(strings), readings, light)}


def test_the_law_agrees_with_the_single_diode_model_over_light_and_heat():
    """pvlib's open crystalline set, 250 to 1000 W/m², 10 to 65 °C, with each model's own slope: 99
    % within 2 %, all within the 5 % band.
    """
    rows = pvlib.pvsystem.retrieve_sam("CECMod").T
    rows = rows[rows["Technology"].isin(["Mono-c-Si", "Multi-c-Si"])]
    p = {k: rows[k].to_numpy(float)[::5] for k in (*MODEL, "Adjust")}

    def v_oc(light, cell):
        return np.asarray(
            pvlib.pvsystem.singlediode(
                *pvlib.pvsystem.calcparams_cec(light, cell, *(p[k] for k in (*MODEL, "Adjust")))
            )["v_oc"]
        )

    at_25 = v_oc(1000, 25.0)
    slope = (v_oc(1000, 45.0) - v_oc(1000, 5.0)) / 40 / at_25
    errors = []
    for light in (250, 500, 800, 1000):
        for cell in (10, 40, 65):
            ours = NOW.value(n=1, V_oc=at_25, beta=slope, T_cell=cell, G=light)
            one = module(v_oc_v=at_25[7], beta_voc_per_c=slope[7])
            by_card = expected("A", 1, "roof", one, Weather(light, 0, cell)).v_now.n
            assert by_card == pytest.approx(ours[7])
            errors.append(np.abs(ours / v_oc(light, cell) - 1))
    error = np.concatenate(errors)
    assert len(error) > 40_000 and (error < 0.02).mean() > 0.99 and error.max() < 0.05


def test_by_hand():
    """10 · 38.8 · (1 − 0.0026·20 + 0.05·ln 0.8): 388 · (0.948 − 0.01116) = 363.5 V."""
    e = card({"A": 10})["A"]
    assert (
        e.v_now.n == pytest.approx(388 * (1 - 0.0026 * 20 + 0.05 * np.log(0.8)))
        and round(e.v_now.n, 1) == 363.5
    )
    assert e.band == 0.05 and card({"A": 10}, measured=False)["A"].band == 0.07


def test_cells_are_warmer_than_the_air_by_the_light():
    """Roof-parallel +35 °C in full sun (common practice): 20 °C and 800 W/m² are 48 °C."""
    e = card({"A": 10}, measured=False)["A"]
    assert next(f for f in e.v_now.walk() if f.symbol == "T_cell").n == pytest.approx(48)


@pytest.mark.parametrize(
    ("readings", "letter", "word", "says"),
    [
        ({"A": 362}, "A", "good", "is expected"),
        ({"A": -362}, "A", "reversed", "swap"),
        ({"A": 326}, "A", "short", "1 module short: it reads like 9"),
        ({"A": 399}, "A", "over", "1 module over"),
        ({"A": 290}, "A", "short", "2 modules short"),
        ({"A": 435}, "A", "over", "or it is string B under a wrong label"),
        ({"A": 435, "B": 362}, "A", "crossed", "with string B"),
        ({"A": 435, "B": 362}, "B", "crossed", "with string A"),
        ({"A": -435, "B": 362}, "A", "crossed", "reversed too"),
        ({"A": 12}, "A", "off", "not what any count"),
        ({"A": -326}, "A", "short", "reversed too"),
    ],
)
def test_what_a_reading_says(readings, letter, word, says):
    verdict = said({"A": 10, "B": 12}, readings)[letter]
    assert verdict[0] == word and says in verdict[1]


def test_strings_of_one_length_cannot_be_told_crossed():
    assert said({"A": 10, "B": 10}, {"A": 362, "B": 363})["A"][0] == "good"


def test_too_dark_to_tell():
    assert said({"A": 10}, {"A": 330}, light=60)["A"][0] == "dark"


def test_one_module_short_shows_beside_its_like():
    """Fifteen modules by the air's temperature: one missing is 6.7 %, within the 7 % band. Read in
    the same light beside others of fifteen it shows.
    """
    cards = card({"A": 15, "B": 15, "C": 15}, measured=False)
    v = cards["A"].v_now.n * 1.005

    def told(**readings):
        return {x.letter: (x.said, x.why) for x in judge(cards, readings, 800.0)}

    assert {x[0] for x in told(A=v, B=v * 1.002, C=v * 0.998).values()} == {"good"}
    short = told(A=v, B=v * 14 / 15, C=v)
    assert short["B"][0] == "short" and "reads like 14" in short["B"][1]
    assert short["A"][0] == short["C"][0] == "good"
    (alone,) = told(A=v * 14 / 15).values()
    assert alone[0] == "good" and "does not show one of 15 missing" in alone[1]
