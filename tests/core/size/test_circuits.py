"""Conductors, protection, earth and drop: worked examples of the code from memory, and a load flow
by pandapower.
"""

import pandapower as pp
import pytest

from gumboot.catalogue import catalogue
from gumboot.core.basis.figure import given
from gumboot.core.basis.patch import apply
from gumboot.core.basis.sizes import area_mm2
from gumboot.core.codes import iec, nec
from gumboot.core.design import design
from gumboot.core.kit import Catalogue
from gumboot.core.plan import Plan
from tests.conftest import altered, off_wall


def circuits(plan):
    return {s.id: s for s in design(plan, catalogue()).circuits}


def found(plan):
    return {f.key: f for f in design(plan, catalogue()).findings}


def load_flow_drop(amps: float, r_ohm: float, x_ohm: float, volts: float, pf: float) -> float:
    """Drop in V over a loop of r + jx by pandapower: one phase of a balanced net of the same volts
    to neutral.
    """
    net = pp.create_empty_network(f_hz=60)
    kv = volts * 3**0.5 / 1000
    a, b = pp.create_bus(net, kv), pp.create_bus(net, kv)
    pp.create_ext_grid(net, a)
    pp.create_line_from_parameters(
        net, a, b, 1, r_ohm_per_km=r_ohm, x_ohm_per_km=x_ohm, c_nf_per_km=0, max_i_ka=1
    )
    s_mva = 3 * volts * amps / 1e6
    pp.create_load(
        net,
        b,
        p_mw=s_mva * pf,
        q_mvar=s_mva * (1 - pf**2) ** 0.5,
        const_i_p_percent=100,
        const_i_q_percent=100,
    )
    pp.runpp(net, tolerance_mva=1e-12)
    return float((1 - net.res_bus.vm_pu.loc[b]) * volts)


@pytest.mark.parametrize("size", ["8", "4", "1/0", "4/0", "500"])
@pytest.mark.parametrize("pf", [1.0, 0.95, 0.85])
@pytest.mark.long
def test_ac_drop_equals_a_load_flow(size, pf):
    r, x = nec.ac_impedance(size)
    feet, amps = 120.0, 60.0
    ours = nec.voltage_drop_ac(
        given("I", amps, "A", "", ""),
        given("L", feet, "ft", "", ""),
        size,
        given("pf", pf, "", "", ""),
    ).n
    flow = load_flow_drop(amps, 2 * r.n * feet / 1000, 2 * x.n * feet / 1000, 240, pf)
    assert ours == pytest.approx(flow, rel=0.01)


def test_dc_drop_is_ohms_law():
    """2/0 at 0.0967 Ω/kft, 7 ft out and back, 190 A: 0.2572 V."""
    drop = nec.voltage_drop_dc(given("I", 190, "A", "", ""), given("L", 7, "ft", "", ""), "2/0")
    assert drop.n == pytest.approx(2 * 190 * 0.0967 * 7 / 1000)


def test_battery_current_is_the_larger_of_arithmetic_and_plate(heron):
    """8 kW / (0.94 · 48 V) = 177.3 A; the plate says 190 A; × 1.25 = 237.5, so 250 A and 2/0 in
    free air (265 A at 75 °C).
    """
    s = circuits(heron)["battery-1"]
    assert s.circuit.current.n == 190 and s.i_req.n == 237.5
    assert s.protection.value == 250 and s.size == "2/0" and s.protective.value == "4"


def test_the_three_cable_schools_differ(heron):
    """In a raceway the same current wants 250 kcmil (255 A at 75 °C); the maker names 2/0: both are
    shown.
    """
    plan = altered(heron, "/runs/battery/method", "raceway")
    assert circuits(plan)["battery-1"].size == "250"
    note = found(plan)["battery-1.school"]
    assert "175 A in a raceway" in note.says and "265 A in free air" in note.says


def test_grid_circuit_by_hand(heron):
    """50 A pass-through × 1.25 = 62.5: 70 A breaker, 6 AWG (65 A at 75 °C), protected by the next
    size up, earth 8 AWG.
    """
    s = circuits(heron)["grid-1"]
    assert (s.i_req.n, s.protection.value, s.size, s.protective.value) == (62.5, 70, "6", "8")
    assert s.permitted.n == pytest.approx(52)  # 65 / 1.25 before 70 / 1.25


def test_four_awg_where_a_hundred_amps_may_pass(heron):
    """85 A is the limit of 4 AWG at 75 °C in a raceway (310.16, from memory); the permitted load is
    stated, and bigger is the cure.
    """
    plan = altered(altered(heron, "/runs/battery/method", "raceway"), "/fitted/battery-1/size", "4")
    s = circuits(plan)["battery-1"]
    assert s.trial.at_terminal.n == 85 and s.permitted.n == pytest.approx(68)
    stop = found(plan)["battery-1.conductor"]
    assert stop.level == "stop" and stop.cures[0].changes[0].value == "250"


def test_fifty_amps_through_a_sixty_amp_breaker_runs_warm(heron):
    """80 % of 60 A is 48 A: warm breakers are seen in practice (common practice; 705.30)."""
    warm = found(altered(heron, "/fitted/grid-1/protection_a", 60))["grid-1.warm"]
    assert warm.level == "stop" and "80 %" in warm.says and warm.cures[0].changes[0].value == 70


def test_protection_above_the_makers_maximum(heron):
    plan = altered(heron, "/fitted/grid-1/protection_a", 100)
    assert found(plan)["grid-1.maker"].level == "stop"


def test_a_rating_nobody_sells(heron):
    assert (
        found(altered(heron, "/fitted/grid-1/protection_a", 65))["grid-1.standard"].level == "check"
    )


def test_bus_rule_passes_opposite_the_main(heron):
    """1.25 · 33.3 A and a main of 150 A on a bus of 200 A: 191.7 A (705.12(B)(1)); with 175 A,
    216.7 A, 240 A is allowed from opposite ends. The sum rule counts the breakers as planned: one
    of 70 A here (705.12(B)(3)).
    """

    def bus(**changes):
        plan = heron
        for path, value in changes.items():
            plan = altered(plan, "/supply/" + path, value)
        d = design(plan, catalogue())
        return d.bus, {f.key: f for f in d.findings}

    assert "100 %" in bus()[0].passes
    assert "120 %" in bus(main_breaker_a=175)[0].passes
    loose, found = bus(main_breaker_a=175, backfeed="elsewhere")
    assert loose.passes == "" and loose.used_120.n == pytest.approx(175 + 1.25 * 8000 / 240)
    assert found["bus.overfed"].cures[0].changes[0].value == "opposite end"
    summed = bus(main_breaker_a=175, backfeed="elsewhere", load_breakers_a=130)[0]
    assert "705.12(B)(3)" in summed.passes and summed.used_sum.n == 200
    assert bus(main_breaker_a=175, backfeed="elsewhere", load_breakers_a=131)[0].passes == ""


def test_bank_must_give_what_inverters_draw(tern):
    stop = found(altered(tern, "/kit/packs", 2))["bank.current"]
    assert (
        stop.level == "stop"
        and "380 A" in stop.says
        and "360 A" in stop.says
        and stop.cures[0].changes[0].value == 3
    )


def test_a_pack_of_the_wrong_voltage_class(tern):
    d = design(altered(tern, "/kit/pack", "saltmarsh-h10"), catalogue())
    assert {f.key for f in d.findings} >= {"bank.class"} and d.circuits == ()


def test_fault_current_is_the_sum_of_the_packs(tern):
    """ΣV/(R_int + R_cable): three packs of 57.6 V, 10 mΩ, 6 ft of 2/0 out and back."""
    tern = off_wall(tern)
    d = design(tern, catalogue())
    assert d.fault.n == pytest.approx(3 * 57.6 / (0.010 + 2 * 0.0967 * 6 / 1000), rel=1e-6)
    weak = catalogue().packs["tidewell-14"].model_copy(update={"resistance_ohm": 0.0025})
    book = catalogue()
    other = Catalogue(
        [*book.inverters.values(), weak, *book.modules.values(), *book.devices, *book.conductors]
    )
    assert {f.key for f in design(tern, other).findings} >= {"bank.fault.bus", "bank.fault.pack"}


def test_every_applicable_cure_cures(tern):
    """A cure that Gumboot can apply removes its finding, and the plan stays a plan."""
    plans = [
        tern,
        altered(tern, "/kit/packs", 2),
        altered(tern, "/strings/0/modules", 3),
        altered(tern, "/fitted/grid-1/protection_a", 60),
        altered(tern, "/settings/absorb_v", 59.5),
        altered(tern, "/settings/cut_v", 51),
        altered(tern, "/kit/inverters", 6),
        altered(tern, "/fitted/nowhere/size", "4"),
        altered(tern, "/kit/inverter", "no-such"),
        altered(tern, "/settings/old", 3),
        altered(tern, "/runs/battery/length_m", 6),
    ]
    tried = 0
    for plan in plans:
        for f in design(plan, catalogue()).findings:
            for cure in f.cures:
                if cure.changes:
                    after = Plan.model_validate(apply(plan.model_dump(mode="json"), cure.changes))
                    assert f.key not in found(after), (f.key, cure.text)
                    tried += 1
    assert tried > 40


def test_a_missing_run_is_asked_for(heron):
    document = heron.model_dump(mode="json")
    del document["runs"]["grid"]
    assert (
        found(Plan.model_validate(document))["grid-1.run"].cures[0].text
        == "Type the run's length in Brief"
    )


def test_hotter_than_any_insulation(heron):
    assert found(altered(heron, "/runs/grid/ambient_c", 90))["grid-1.table"].level == "stop"


@pytest.mark.parametrize("size", ["4 mm²", "16 mm²", "50 mm²", "120 mm²"])
@pytest.mark.parametrize("phases", [1, 3])
@pytest.mark.parametrize("pf", [1.0, 0.9])
def test_iec_drop_equals_a_load_flow(size, phases, pf):
    """Annex G against pandapower, ρ = 0.0225 Ω·mm²/m and λ = 0.08 mΩ/m: 230 V to neutral, three
    phases or a loop out and back, within 1 %.
    """
    amps, metres = 20.0, 25.0
    r, x = 0.0225 * metres / area_mm2(size), 0.00008 * metres
    ours = iec.voltage_drop(
        given("I", amps, "A", "", ""),
        given("L", metres, "m", "", ""),
        size,
        given("pf", pf, "", "", ""),
        phases,
    ).n
    factor = 1 if phases == 3 else 2
    assert ours == pytest.approx(load_flow_drop(amps, factor * r, factor * x, 230, pf), rel=0.01)


def test_five_time_constants_charge_a_port():
    """5·R·C by scipy's integration of dV/dt = (V − v)/(R·C): 99.3 % of the bank's voltage."""
    from scipy.integrate import solve_ivp

    r, c, v = 22.0, 0.02, 57.6
    solved = solve_ivp(lambda t, y: (v - y) / (r * c), (0, 5 * r * c), [0.0], rtol=1e-8)
    assert solved.y[0, -1] / v == pytest.approx(0.9933, abs=1e-4)
