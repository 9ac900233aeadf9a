"""Neutral and drop of unlike lines, against pandapower's asymmetric power flow."""

import numpy as np
import pandapower as pp
import pytest

from gumboot.catalogue import catalogue
from gumboot.core.basis.figure import given
from gumboot.core.basis.sizes import area_mm2
from gumboot.core.basis.units import FT_M
from gumboot.core.brief.loads.board.legs import Sheet
from gumboot.core.brief.loads.board.neutral import (
    Unlike,
    line_ohm,
    neutral_current,
    unlike_drop,
    worst_neutral,
)
from gumboot.core.brief.loads.board.starting import starting_power
from gumboot.core.codes import nec
from gumboot.core.kit import MAINS
from gumboot.core.plan import Load, Plan
from gumboot.demo.plans import HERON_SLIP, SALTINGS_BARN
from tests.designs import design

LINE_OHM = 0.04  # some 22 m of 10 mm²


def lines(*amps):
    return [given(f"I_{i}", a, "A", "", "") for i, a in enumerate(amps, 1)]


def lost_in(amps, wye, r, across=0.0):
    besides = given("X_1", across, "A", "", "")
    return unlike_drop(Unlike(neutral_current(lines(*amps), wye), besides), ohm(r)).n


def ohm(r):
    return given("R", r, "Ω", "", "")


def flow(amps):
    """(neutral in A, volts lost from line 1 to neutral) of a four-wire run: three phases of one
    size with a neutral of that size are Z_1 = R and Z_0 = R + 3 R_N = 4 R.
    """
    net = pp.create_empty_network(f_hz=50)
    a, b = (pp.create_bus(net, vn_kv=0.4) for _ in range(2))
    pp.create_ext_grid(net, a, s_sc_max_mva=1e6, rx_max=0.1, r0x0_max=0.1, x0x_max=1.0, vm_pu=1.0)
    pp.create_line_from_parameters(
        net,
        a,
        b,
        length_km=1.0,
        r_ohm_per_km=LINE_OHM,
        x_ohm_per_km=1e-6,
        c_nf_per_km=0.0,
        max_i_ka=1.0,
        r0_ohm_per_km=4 * LINE_OHM,
        x0_ohm_per_km=1e-6,
        c0_nf_per_km=0.0,
    )
    volts = 400 / 3**0.5
    p = [x * volts / 1e6 for x in amps]
    pp.create_asymmetric_load(net, b, p_a_mw=p[0], p_b_mw=p[1], p_c_mw=p[2], type="wye")
    pp.runpp_3ph(net)
    lost = (1 - net.res_bus_3ph.vm_a_pu[b]) * volts
    return 1000 * net.res_line_3ph.i_n_from_ka[0], lost


@pytest.mark.long
@pytest.mark.parametrize("amps", [(20, 0, 0), (20, 20, 20), (25, 10, 5), (30, 30, 0), (16, 12, 9)])
def test_neutral_and_drop_are_those_of_a_load_flow(amps):
    """Within 2 %: the load flow holds power, so that its currents rise as volts fall."""
    neutral, lost = flow(amps)
    assert neutral_current(lines(*amps), True).n == pytest.approx(neutral, rel=0.02, abs=0.05)
    assert lost_in(amps, True, LINE_OHM) == pytest.approx(lost, rel=0.02, abs=0.02)


def test_two_lines_of_split_phase():
    """By hand: 40 A and 25 A leave 15 A; 0.02 Ω loses 0.02 · (80 - 25) = 1.1 V."""
    assert neutral_current(lines(40, 25), False).n == pytest.approx(15)
    assert lost_in((40, 25), False, 0.02) == pytest.approx(1.1)
    assert lost_in((40, 40), False, 0.02) == pytest.approx(0.8)  # no neutral current


@pytest.mark.parametrize(("a", "b"), [(40, 40), (40, 25), (0, 30), (12, 31)])
def test_two_lines_of_three_are_three_of_which_one_is_empty(a, b):
    """Against the three-phase formulas, which a load flow holds: two equal ones put as much again
    in the neutral.
    """
    two, three = (neutral_current(lines(*x), True).n for x in ((a, b), (a, b, 0)))
    assert two == pytest.approx(three)
    assert lost_in((a, b), True, 0.02) == pytest.approx(lost_in((a, b, 0), True, 0.02))
    assert neutral_current(lines(40, 40), True).n == pytest.approx(40)


@pytest.mark.parametrize("wye", [False, True])
def test_what_lies_between_two_lines_puts_nothing_in_the_neutral(wye):
    """By phasors: 10 A to neutral on line 1, P / V_LL between 1 and 2. It was counted to neutral on
    each of three lines.
    """
    turn = np.exp(-1j * np.radians(120 if wye else 180))
    between = 2080 / abs(1 - turn) / 120 * (1 - turn) / abs(1 - turn)
    lost = 0.02 * (10 + between + 10)
    at_line = 2080 / 2 / 120
    assert lost_in((10, 0), wye, 0.02, at_line) == pytest.approx(lost.real)
    loads = [Load(id="a", name="a", running_w=1200, legs="L1")]
    loads += [Load(id="b", name="b", running_w=2080, legs="L1+L2")]
    kind = "three-phase 208Y/120 V" if wye else "split-phase 120/240 V"
    sheet = Sheet(loads, {x.id: starting_power(x, 120, wye) for x in loads}, wye)
    found = worst_neutral(sheet, MAINS[kind])
    assert (found.neutral.n, found.across.n) == pytest.approx((10, at_line))


@pytest.mark.parametrize("document", [HERON_SLIP, SALTINGS_BARN])
def test_the_board_shows_its_neutral(document):
    loads = [
        {"id": "a", "name": "Oven", "kind": "resistive", "running_w": 2300, "legs": "L1"},
        {"id": "b", "name": "Pump", "kind": "pump", "running_w": 690, "legs": "L2"},
    ]
    d = design(Plan.model_validate({**document, "loads": loads}), catalogue())
    volts = 120 if document is HERON_SLIP else 230
    one, two = 2300 / volts, 690 / volts
    want = one - two if volts == 120 else (one**2 + two**2 - one * two) ** 0.5
    assert d.figures["board.neutral"].n == pytest.approx(want)
    run = next(s for f in ("loads", "backup") for s in d.circuits if s.circuit.family == f)
    low = two if volts == 120 else two / 2
    assert d.figures["board.unlike"].n == pytest.approx(line_ohm(run).n * (2 * one - low))


def test_one_conductor_of_a_run_has_the_ohms_of_its_metal_and_sets():
    """By hand: 0.0225 Ω·mm²/m over the area (IEC 60364-5-52 Annex G, power factor 1); Table 9 of
    the NEC at 75 °C. Two sets halve it, aluminium has more.
    """
    plan = Plan.model_validate(SALTINGS_BARN)
    d = design(plan, catalogue())
    run = next(s for s in d.circuits if s.circuit.family == "grid")
    area, metres = area_mm2(run.size), run.conditions.run.length_m
    assert line_ohm(run).n == pytest.approx(0.0225 * metres / area, rel=0.02)
    heron = design(Plan.model_validate(HERON_SLIP), catalogue())
    run = next(s for s in heron.circuits if s.circuit.family == "grid")
    r = nec.ac_impedance(run.size)[0].n * run.conditions.run.length_m / FT_M / 1000
    assert line_ohm(run).n == pytest.approx(r, rel=0.05)
