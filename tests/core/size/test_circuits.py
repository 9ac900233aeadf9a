"""Conductors, protection, earth and drop: worked examples of the code from memory, and a load flow
by pandapower.
"""

import copy
from datetime import date

import pandapower as pp
import pytest

from gumboot.catalogue import catalogue, documents
from gumboot.core.basis.figure import given
from gumboot.core.basis.patch import apply
from gumboot.core.basis.sizes import area_mm2
from gumboot.core.codes import iec, nec
from gumboot.core.kit import Catalogue, entry
from gumboot.core.land.placards import list_placards
from gumboot.core.network.ask import isolate
from gumboot.core.plan import Plan
from gumboot.demo.plans import JUNIPER_CUT
from tests.conftest import altered, off_wall
from tests.designs import design
from tests.shapes import SHAPES


def circuits(plan):
    return {s.id: s for s in design(plan, catalogue()).circuits}


def found(plan):
    d = design(plan, catalogue())
    return {f.key: f for f in (*d.findings, *d.duties)}


def shelf_with(id, change):
    """The shipped shelf with one entry changed."""
    own = copy.deepcopy(documents())
    change(next(d for d in own if d["id"] == id))
    return Catalogue(entry.validate_python(d) for d in own)


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
@pytest.mark.parametrize(("phases", "ways", "volts"), [(1, 2, 240), (1, 2, 120), (3, 1, 120)])
@pytest.mark.long
def test_ac_drop_equals_a_load_flow(size, pf, phases, ways, volts):
    """Of three balanced phases a line to neutral, whose return carries nothing."""
    r, x = nec.ac_impedance(size)
    feet, amps = volts / 2, 60.0
    ours = nec.voltage_drop_ac(
        given("I", amps, "A", "", ""),
        given("L", feet, "ft", "", ""),
        size,
        given("pf", pf, "", "", ""),
        phases,
    ).n
    flow = load_flow_drop(amps, ways * r.n * feet / 1000, ways * x.n * feet / 1000, volts, pf)
    assert ours == pytest.approx(flow, rel=0.01)


def test_dc_drop_is_ohms_law():
    """2/0 at 0.0967 Ω/kft, 7 ft out and back, 190 A: 0.2572 V."""
    drop = nec.voltage_drop_dc(given("I", 190, "A", "", ""), given("L", 7, "ft", "", ""), "2/0")
    assert drop.n == pytest.approx(2 * 190 * 0.0967 * 7 / 1000)


def with_inverter(plan, **changes):
    """The shelf with the plan's inverter changed."""
    book = catalogue()
    rows = [
        e.model_copy(update=changes) if e.id == plan.kit.inverter else e
        for e in book.inverters.values()
    ]
    shelf = [*rows, *book.packs.values(), *book.modules.values(), *book.devices, *book.conductors]
    return design(plan, Catalogue(shelf))


def test_battery_current_is_what_the_port_holds(heron):
    """8 kW / (0.94 · 48 V) = 177.3 A; the port's maximum is 190 A; × 1.25 = 237.5, so 250 A. A
    port of 150 A holds 150 A, and gives full power down to 56.7 V.
    """
    s = circuits(heron)["battery-1"]
    assert s.circuit.current.n == 190 and s.i_req.n == 237.5
    assert s.protection.value == 250 and s.protective.value == "4"
    port = catalogue().inverters[heron.kit.inverter].battery.model_copy(update={"i_max_a": 150})
    low = {x.id: x for x in with_inverter(heron, battery=port).circuits}["battery-1"]
    assert low.circuit.current.n == 150 and "below 56.74 V" in low.circuit.current.assumption


def test_terminals_are_judged_in_a_raceway_wherever_the_cable_runs(heron):
    """110.14(C)(1): by 310.16 at the 75 °C terminals, 250 kcmil (255 A) for 237.5 A; 2/0 in free
    air carries 265 A on the way (310.17) and 175 A there, so 140 A for long.
    """
    assert heron.runs["battery"].method == "free-air"
    assert circuits(heron)["battery-1"].size == "250"
    thin = circuits(altered(heron, "/fitted/battery-1/size", "2/0"))["battery-1"]
    assert thin.trial.at_terminal.n == 175 and thin.permitted.n == 140
    assert "75 °C terminals" in thin.limited_by and "LIMIT 140 A" in thin.label_text


def test_a_maker_may_mark_his_own_terminal_but_not_the_breaker_at_the_other_end(heron):
    """Both ends are judged apart: a unit marked for free air leaves the battery bus's breaker as it
    is; both marked, 310.17 decides and 2/0 serves (265 A).
    """
    unit = catalogue().inverters[heron.kit.inverter]
    marked = tuple(t.model_copy(update={"free_air": True}) for t in unit.battery.terminals)
    port = unit.battery.model_copy(update={"terminals": marked})
    one = {x.id: x for x in with_inverter(heron, battery=port).circuits}["battery-1"]
    assert one.size == "250" and "attery bus" in one.trial.terminals
    book = catalogue()
    devices = [
        d.model_copy(
            update={
                "terminals": tuple(t.model_copy(update={"free_air": True}) for t in d.terminals)
            }
        )
        for d in book.devices
    ]
    units = [unit.model_copy(update={"battery": port})]
    shelf = [*units, *book.packs.values(), *book.modules.values(), *devices, *book.conductors]
    both = {x.id: x for x in design(heron, Catalogue(shelf)).circuits}["battery-1"]
    assert both.size == "2/0" and both.trial.at_terminal.n == 265


def test_terminals_of_a_silent_maker(heron):
    """110.14(C)(1)(a) and (b): 60 °C up to 100 A, 75 °C above. 62.5 A at 60 °C wants 4 AWG (70 A)
    where 6 AWG (65 A at 75 °C) serves marked terminals.
    """
    unit = catalogue().inverters[heron.kit.inverter]

    def silent(port):
        rows = tuple(t.model_copy(update={"temp_c": None}) for t in port.terminals)
        return port.model_copy(update={"terminals": rows})

    d = with_inverter(heron, grid=silent(unit.grid), battery=silent(unit.battery))
    s = {x.id: x for x in d.circuits}
    assert (s["grid-1"].size, s["battery-1"].size) == ("4", "250")
    assert "60 °C terminals" in s["grid-1"].trial.terminals


def test_the_earth_grows_only_with_a_choice(heron):
    """A line of 4 AWG that its 70 A breaker asks for is no growth: 8 AWG (250.122). Fixed at 2 AWG
    by choice it is: 16,510 · 66,360/41,740 = 26,248 cmil, 6 AWG (26,240). Under 690.45 an array's
    earth never grows.
    """
    in_way = altered(heron, "/runs/grid/in_raceway", 6)  # 80 %: 6 AWG would carry 60 A
    s = circuits(in_way)["grid-1"]
    assert (s.size, s.protection.n, s.protective.value) == ("4", 70, "8")
    grown = circuits(altered(in_way, "/fitted/grid-1/size", "2"))["grid-1"]
    assert grown.protective.value == "6"
    far = circuits(altered(heron, "/strings/0/run/length_m", 90))
    pv = next(x for k, x in far.items() if k.startswith("pv-"))
    assert pv.protective.value == "10"  # to 60 A, whatever the drop made of the line


def test_an_earth_is_the_crews_to_fix_and_judged(heron):
    thin = altered(heron, "/fitted/grid-1/earth", "12")
    stop = found(thin)["grid-1.earth"]
    assert stop.level == "stop" and stop.cures[0].changes[0].value == "8"
    assert "12 AWG earth" in circuits(thin)["grid-1"].conductor_text
    large = altered(heron, "/fitted/grid-1/earth", "6")
    assert "grid-1.earth" not in found(large)
    assert circuits(large)["grid-1"].protective.value == "6"


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


def test_a_battery_breaker_near_its_current_is_a_check_under_the_iec():
    """IEC 60364-4-43 433.1 asks I_n no less than I_b; a quarter more on a battery is common
    practice. The maker's own word for the port goes before it.
    """
    terrace = Plan.model_validate(SHAPES["a single-phase hybrid"])
    assert circuits(terrace)["battery-1"].circuit.current.n == 150
    near = found(altered(terrace, "/fitted/battery-1", {"protection_a": 160}))["battery-1.warm"]
    assert (near.level, near.rule) == ("check", "common practice")
    small = found(altered(terrace, "/fitted/battery-1", {"protection_a": 125}))["battery-1.warm"]
    assert small.level == "stop" and "433.1" in small.rule
    shelf = shelf_with("marram-h6", lambda d: d["battery"].update(protection_named_a=160))
    named = design(terrace, shelf)
    assert {s.id: s for s in named.circuits}["battery-1"].protection.n == 160
    assert "battery-1.warm" not in {f.key for f in named.findings}


@pytest.mark.parametrize(
    ("shape", "pack", "amps"),
    [("a single-phase hybrid", "tidewell-9", 130), ("one bank for all", "tidewell-14", 200)],
)
def test_a_packs_own_breaker_is_good_for_its_rating_and_no_more(shape, pack, amps):
    """Its maker chose it with the pack, and it is listed so: no 80 % of it, in either book."""
    plan = Plan.model_validate(SHAPES[shape])
    plan = altered(plan, "/kit/packs", 4)
    least = {s.id: s for s in design(plan, catalogue()).circuits}["pack-1"].circuit.current.n
    assert least == amps
    exact = design(plan, shelf_with(pack, lambda d: d.update(breaker_a=amps)))
    one = {s.id: s for s in exact.circuits}["pack-1"]
    assert one.protection.n == one.permitted.n == amps
    assert "pack-1.warm" not in {f.key for f in exact.findings}
    weak = design(plan, shelf_with(pack, lambda d: d.update(breaker_a=amps - 10)))
    assert {f.key: f.level for f in weak.findings}["pack-1.warm"] == "stop"


def test_what_a_maker_names_is_no_way_round_the_eighty_percent(heron):
    """50 A behind 60 A that the sheet names, fitted by hand: 705.30 asks 62.5 A all the same."""
    shelf = shelf_with("marram-s8", lambda d: d["grid"].update(protection_named_a=60))
    named = {s.id: s for s in design(heron, shelf).circuits}["grid-1"]
    assert named.protection.n == 70
    by_hand = design(altered(heron, "/fitted/grid-1/protection_a", 60), shelf)
    assert {f.key: f.level for f in by_hand.findings}["grid-1.warm"] == "stop"


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
    of 70 A here (705.12(B)(3)), and alone where the whole house is backed up and nobody counted
    others.
    """

    def bus(**changes):
        plan = heron
        for path, value in changes.items():
            plan = altered(plan, "/supply/" + path, value)
        d = design(plan, catalogue())
        return d.bus, {f.key: f for f in d.findings}

    assert heron.backup.loads == "whole house"
    assert "100 %" in bus()[0].passes
    assert "120 %" in bus(main_breaker_a=175)[0].passes
    moved, found = bus(main_breaker_a=175, backfeed="elsewhere")
    assert moved.used_sum.n == 70 and "70 A against 200 A" in found["bus.passes"].says
    loose, found = bus(main_breaker_a=175, backfeed="elsewhere", load_breakers_a=131)
    assert loose.passes == "" and loose.used_120.n == pytest.approx(175 + 1.25 * 8000 / 240)
    assert found["bus.overfed"].cures[0].changes[0].value == "opposite end"
    summed = bus(main_breaker_a=175, backfeed="elsewhere", load_breakers_a=130)[0]
    assert "705.12(B)(3)" in summed.passes and summed.used_sum.n == 200


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
    """ΣV/(R_int + R_cable): three packs of 57.6 V, 10 mΩ, 6 ft of 250 kcmil out and back, cold:
    Table 8 is of 75 °C, R_20 = R_75 · (1 + 0.00323 (20 - 75)), its note 2.
    """
    tern = off_wall(tern)
    d = design(tern, catalogue())
    assert d.fault.n == pytest.approx(
        3 * 57.6 / (0.010 + 2 * 0.0515 * 0.82235 * 6 / 1000), rel=1e-6
    )
    weak = catalogue().packs["tidewell-14"].model_copy(update={"resistance_ohm": 0.0025})
    book = catalogue()
    other = Catalogue(
        [*book.inverters.values(), weak, *book.modules.values(), *book.devices, *book.conductors]
    )
    assert {f.key for f in design(tern, other).findings} >= {"bank.fault.bus", "bank.fault.pack"}


def test_a_fuse_at_the_bus_breaks_what_a_packs_own_breaker_cannot(tern):
    """Two packs of 57.6 V and 10 mΩ push some 10 kA back into the third's breaker of 8 kA; each
    alone pushes 5.8 kA. With a fuse of 20 kA ahead (IEC 60364-4-43 434.5.1, NEC 110.9) that is a
    pair whose makers have the word, no stop; and a pack is cut off by its own two.
    """
    book = catalogue()
    own = book.packs["tidewell-14"].model_copy(update={"breaker_interrupt_a": 8_000})
    book = Catalogue([own if e.id == own.id else e for e in book.entries.values()])
    before = design(off_wall(tern), book)
    stopped = next(f for f in before.findings if f.key == "bank.fault.pack")
    fuse = next(c for c in stopped.cures if c.changes)
    assert fuse.changes[0].path == "/kit/pack_fuses"
    after = design(Plan.model_validate(apply(off_wall(tern).model_dump(), fuse.changes)), book)
    keys = {f.key: f for f in after.findings}
    assert "bank.fault.pack" not in keys and "bank.fault.fuse" not in keys
    assert (
        keys["bank.fault.series"].level == "check" and "20000 A" in keys["bank.fault.series"].says
    )
    opened = [s.id for s in isolate(after.network, "pack-2").opened]
    assert opened == ["pack-2/own", "dc-bus/pack 2"]
    assert len(isolate(before.network, "pack-2").opened) > 2
    levers = {x.id: x for x in after.wake.way.plant.levers}
    assert len(levers["dc-bus/fuses"].switches) == tern.kit.packs
    assert set(levers["dc-bus/fuses"].after) == {f"pack-{n}/own" for n in (1, 2, 3)}


@pytest.mark.long
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


@pytest.mark.parametrize("line", ["L1", "L2", "L3"])
def test_one_line_alone_is_no_three_phases(line):
    """Out and back on whichever line it stands; two conductors loaded."""
    shape = SHAPES["one single-phase unit on L2"]
    one = {**shape, "kit": {**shape["kit"], "lines": line}}
    s = circuits(Plan.model_validate(one))["grid-1"]
    assert s.circuit.conductors[:2] == (line, "N") and not s.circuit.three_phase
    b = next(f for f in s.trial.drop.inputs if f.symbol == "b")
    assert b.n == 2


def test_three_phases_of_208_volts():
    """By hand: 15 kW at 208 V, 41.6 A a line (44 by its sheet, 50 passed through); a drop is a part
    of 120 V, along one line.
    """
    d = design(Plan.model_validate(SHAPES["three phases of 208 V"]), catalogue())
    s = next(x for x in d.circuits if x.id == "grid-1")
    assert s.circuit.lines == 3 and s.protection.n == nec.next_standard(1.25 * 50)
    assert s.circuit.voltage.n == pytest.approx(208 / 3**0.5)
    r, x = nec.ac_impedance(s.size)
    feet = s.conditions.run.length_m / 0.3048
    pf = s.circuit.power_factor.n
    volts = 50 * feet / 1000 * (r.n * pf + x.n * (1 - pf**2) ** 0.5)
    assert s.trial.drop.n == pytest.approx(volts, rel=1e-3)


def test_one_line_of_120_volts_off_grid():
    """NEC 710.15(C), from memory: no multiwire circuit on a panel that one line feeds."""
    d = design(Plan.model_validate(SHAPES["one line of 120 V"]), catalogue())
    s = next(x for x in d.circuits if x.id == "backup-1")
    assert s.circuit.conductors == ("L1", "N", "PE") and s.circuit.voltage.n == 120
    assert "supply.single" in {f.key for f in d.duties}
    hung = {p.id: p for p in list_placards(d, date(2026, 1, 1))}
    assert "MULTIWIRE" in hung["single-supply"].lines[1]
    two = design(Plan.model_validate(JUNIPER_CUT), catalogue())
    assert "supply.single" not in {f.key for f in two.duties}
    assert "single-supply" not in {p.id for p in list_placards(two, date(2026, 1, 1))}


def test_five_time_constants_charge_a_port():
    """5·R·C by scipy's integration of dV/dt = (V − v)/(R·C): 99.3 % of the bank's voltage."""
    from scipy.integrate import solve_ivp

    r, c, v = 22.0, 0.02, 57.6
    solved = solve_ivp(lambda t, y: (v - y) / (r * c), (0, 5 * r * c), [0.0], rtol=1e-8)
    assert solved.y[0, -1] / v == pytest.approx(0.9933, abs=1e-4)


def test_the_second_of_two_units_closes_onto_a_live_bus(tern):
    """A precharge in the pack fills the first port only; one in the unit fills its own."""
    shelf = catalogue()
    bare = shelf.inverters["marram-s8"].model_copy(update={"precharge_ohm": None})
    pack = shelf.packs["tidewell-14"].model_copy(update={"precharge_ohm": 25.0})
    own = Catalogue(
        [
            *(bare, pack, *shelf.modules.values(), *shelf.gateways.values()),
            *shelf.devices,
            *shelf.conductors,
        ]
    )
    two = {f.key: f.says for f in design(off_wall(tern), own).findings}
    assert "first inverter only" in two["bank.inrush"]
    one = altered(off_wall(tern), "/kit/inverters", 1)
    assert "bank.inrush" not in {f.key for f in design(one, own).findings}
    assert "bank.inrush" not in {f.key for f in design(off_wall(tern), shelf).findings}


def test_packs_in_a_chain_come_to_a_bus_where_their_breakers_break_too_little():
    """Jumpers have nowhere for a fuse: the click lays the bus too, and no stop is left of it."""
    book, shape = catalogue(), SHAPES["packs in a chain to the unit"]
    own = book.packs[shape["kit"]["pack"]].model_copy(update={"breaker_interrupt_a": 8_000})
    book = Catalogue([own if e.id == own.id else e for e in book.entries.values()])
    plan = Plan.model_validate(shape)
    stopped = next(f for f in design(plan, book).findings if f.key == "bank.fault.pack")
    cure = next(c for c in stopped.cures if c.changes)
    after = Plan.model_validate(apply(plan.model_dump(), cure.changes))
    assert (after.kit.hookup, after.kit.pack_fuses) == ("bus", True)
    keys = {f.key for f in design(after, book).findings}
    assert "bank.fault.series" in keys and not keys & {"bank.fault.pack", "bank.fault.fuse"}


def test_like_strings_that_drop_alike_are_one_check_with_one_cure(saltings):
    """Two strings of one length on the roof: one finding, whose click makes both larger."""
    plan = saltings
    for n in (0, 1):
        plan = altered(plan, f"/strings/{n}/run/length_m", 60)
        plan = altered(plan, f"/strings/{n}/modules", 12)
    rows = [f for f in design(plan, catalogue()).findings if f.key.endswith(".drop")]
    together = next(f for f in rows if f.place == "pv-A")
    assert together.says.startswith("Strings A and B each drop")
    assert not [f for f in rows if f.place == "pv-B"]
    changes = together.cures[0].changes
    assert [c.path for c in changes] == ["/fitted/pv-A/size", "/fitted/pv-B/size"]
    cured = design(Plan.model_validate(apply(plan.model_dump(), changes)), catalogue())
    assert not [f for f in cured.findings if f.key.startswith("pv-") and f.key.endswith(".drop")]


@pytest.mark.parametrize("most", [60, 63])
def test_what_the_makers_largest_breaker_lets_pass_is_the_ports_current(heron, most):
    """A unit that passes 50 A behind 60 A at most: 60 / 1.25 = 48 A for long (NEC 210.20(A)), not a
    70 A breaker that its maker forbids; it is said, and the permitted current goes into Set. A
    maximum of 63 A, which 240.6(A) does not have, is 60 A too.
    """
    book = catalogue()
    unit = book.inverters[heron.kit.inverter]
    grid = unit.grid.model_copy(update={"protection_max_a": most, "protection_named_a": None})
    own = unit.model_copy(update={"grid": grid, "pass_through_a": 50})
    d = design(
        off_wall(heron), Catalogue([own if e.id == own.id else e for e in book.entries.values()])
    )
    row = next(s for s in d.circuits if s.id == "grid-1")
    assert row.circuit.current.n == 48 and row.protection.n == 60 and row.permitted.n == 48
    keys = {f.key: f for f in d.findings}
    assert (
        "grid-1.maker" not in keys and "60 A, carries 48 A for long" in keys["through.breaker"].says
    )
    assert keys["through.breaker"].figures[0].n == 48
    through = next(s for s in d.settings if s.rule == "pass_through")
    assert through.value == 48


def test_a_battery_port_whose_largest_breaker_is_small_is_held_by_a_setting(heron):
    """Where 1.25 times the port's current wants more than its maker allows, a click keys what the
    largest allowed carries for long: 125 A, 100 A (NEC 706.30, 240.6).
    """
    book = catalogue()
    unit = book.inverters[heron.kit.inverter]
    port = unit.battery.model_copy(update={"protection_max_a": 125, "protection_named_a": None})
    own = unit.model_copy(update={"battery": port})
    book = Catalogue([own if e.id == own.id else e for e in book.entries.values()])
    plan = altered(off_wall(heron), "/fitted", {})
    stopped = [f for f in design(plan, book).findings if f.key.endswith(".maker")]
    assert [f.key for f in stopped] == ["battery-1.maker"]
    keyed = stopped[0].cures[0]
    assert "100 A" in keyed.text and keyed.changes
    after = design(Plan.model_validate(apply(plan.model_dump(), keyed.changes)), book)
    assert not [f for f in after.findings if f.key.endswith(".maker")]
    assert next(s for s in after.circuits if s.id == "battery-1").protection.n == 125


def test_loops_that_a_residual_device_disconnects_are_one_note():
    """On TT every breaker is too slow, which is no news of each circuit."""
    d = design(Plan.model_validate(SHAPES["TT"]), catalogue())
    slow = [x for x in d.loops if x.grid and x.grid.n > x.limit.n]
    notes = [f for f in d.findings if f.key == "loop.residual"]
    assert len(slow) > 1 and len(notes) == 1
    assert f"and {len(slow) - 1} more circuit" in notes[0].says
    assert not any(f.key.endswith(".loop") for f in d.findings)
