"""The single diode against pvlib over its open module set, no row named; curves and what is read of
them.
"""

from dataclasses import replace

import numpy as np
import pvlib
import pytest
from pvlib.pvsystem import calcparams_cec, retrieve_sam, singlediode

from gumboot.core.prove.curves.diode import Diode, fitted, moved, of_sheet
from gumboot.core.prove.curves.iv import read

SKIES = ((1000, 25), (600, 45), (300, 20), (900, 60))


@pytest.fixture(scope="module")
def rows():
    table = retrieve_sam("CECMod").T
    table = table[table.Technology.isin(["Mono-c-Si", "Multi-c-Si"])]
    return table.sample(250, random_state=3)


@pytest.mark.long
def test_from_a_sheet_to_another_sky_as_pvlib_has_it(rows):
    """Four corners of the sheet fitted, translated to four skies: shorted amperes, open volts and
    peak power against pvlib's CEC model of the same module, which knows more of it.
    """
    off = []
    for _, m in rows.iterrows():
        d = of_sheet(
            *(m.I_sc_ref, m.V_oc_ref, m.I_mp_ref, m.V_mp_ref),
            *(m.alpha_sc / m.I_sc_ref, m.beta_oc / m.V_oc_ref),
        )
        for light, cell in SKIES:
            p = calcparams_cec(
                *(light, cell, m.alpha_sc, m.a_ref, m.I_L_ref, m.I_o_ref, m.R_sh_ref),
                *(m.R_s, m.Adjust),
            )
            s = singlediode(*p)
            i, v, i_mp, v_mp = d.at(light, cell).corners
            off.append((i / s["i_sc"] - 1, v / s["v_oc"] - 1, i_mp * v_mp / s["p_mp"] - 1))
    worst = np.quantile(np.abs(off), 0.95, axis=0)
    assert (worst < (0.025, 0.025, 0.04)).all(), worst


def test_a_curve_of_one_model_is_pvlibs(rows):
    """The same five parameters give the same curve."""
    for _, m in rows.head(20).iterrows():
        d = Diode(m.I_L_ref, m.I_o_ref, m.R_s, m.R_sh_ref, m.a_ref)
        v, i = d.curve()
        inside = (v >= 0) & (i >= 0)
        want = pvlib.pvsystem.i_from_v(
            v[inside], m.I_L_ref, m.I_o_ref, m.R_s, m.R_sh_ref, m.a_ref, method="brentq"
        )
        assert i[inside] == pytest.approx(want, abs=1e-6 * m.I_L_ref)


def test_a_sheet_that_cannot_be_is_refused():
    with pytest.raises(ValueError, match="less than shorted"):
        of_sheet(10, 49, 11, 40)


def sheet():
    return of_sheet(13.9, 49.2, 13.1, 41.4)


def test_a_measured_curve_moved_by_iec_60891_is_the_models_own():
    """Procedure 1 over a small step of light and warmth, within 2 % in power."""
    d = sheet()
    a, b = d.at(900, 40), d.at(1000, 25)
    v, i = a.curve()
    alpha, beta = 0.0005 * 13.9, -0.0028 * 49.2
    moved_v, moved_i = moved(v, i, (900, 40), (1000, 25), alpha, beta, d.r_s)
    assert (moved_v * moved_i).max() == pytest.approx(b.corners[2] * b.corners[3], rel=0.02)


def test_a_fit_finds_what_a_curve_was_made_with():
    d, rng = sheet().at(850, 45).times(12), np.random.default_rng(2)
    v, i = d.curve(150)
    shown = i + rng.normal(0, 0.003 * i.max(), len(i))
    found = fitted(v, shown, sheet().at(800, 40).times(12))
    assert found.corners == pytest.approx(d.corners, rel=0.015)


def measured(d, noise=0.003, points=90, seed=1):
    v, i = d.curve(300)
    at = np.linspace(0, v.max(), points)
    rng = np.random.default_rng(seed)
    return at, np.maximum(np.interp(at, v, i), 0) + rng.normal(0, noise * i.max(), points)


def series(parts, points=500):
    """Parts in series, each with its bypass diode, as one curve."""
    amps = np.linspace(0, max(p.corners[0] for p in parts), points)
    volts = np.zeros(points)
    for p in parts:
        v, i = p.curve(600)
        volts += np.where(amps > i.max(), -0.5, np.maximum(np.interp(-amps, -i, v), -0.5))
    keep = volts[::-1] >= 0
    at = np.linspace(0, volts.max(), 100)
    return at, np.interp(at, volts[::-1][keep], amps[::-1][keep])


def third(light):
    d = sheet().at(light, 45)
    return replace(d, r_s=d.r_s / 3, r_sh=d.r_sh / 3, a=d.a / 3)


@pytest.mark.parametrize(
    ("curve", "says", "problem"),
    [
        (measured(sheet().at(800, 45).times(10)), "", ""),
        (measured(sheet().at(800, 45).times(9)), "1 module short", "low_voc"),
        (measured(sheet().at(680, 45).times(10)), "less current all along", "low_isc"),
        (series([third(800)] * 29), "a diode is shorted", "low_voc"),
        (series([third(800)] * 27 + [third(300)] * 3), "a step in it", "low_isc"),
        (
            measured(
                replace(sheet().at(800, 45).times(10), r_s=sheet().at(800, 45).times(10).r_s + 4)
            ),
            "more in series",
            "low_isc",
        ),
        (
            measured(
                replace(sheet().at(800, 45).times(10), r_sh=sheet().at(800, 45).times(10).r_sh / 20)
            ),
            "falls from the start",
            "low_isc",
        ),
    ],
    ids=["good", "short", "dirty", "diode", "shade", "contact", "shunt"],
)
def test_what_a_curve_says(curve, says, problem):
    found = read(*curve, sheet().at(800, 45).times(10), 10)
    if not says:
        assert found.says == ()
        assert 0.7 < found.fill < 0.85
        return
    assert any(says in words and p == problem for words, p in found.says), found.says


@pytest.mark.parametrize(
    ("volts", "amps", "says"),
    [
        (np.linspace(0, 10, 5), np.linspace(5, 0, 5), "too few"),
        (-np.linspace(0, 10, 40), np.linspace(5, 0, 40), "positive"),
        (np.linspace(5, 10, 40), np.linspace(5, 0, 40), "near 0 V"),
        (np.linspace(0, 10, 40), np.linspace(5, 4, 40), "open circuit"),
    ],
)
def test_what_is_no_curve_says_so(volts, amps, says):
    with pytest.raises(ValueError, match=says):
        read(volts, amps, sheet(), 1)
