"""Charge controllers on a bank's bus. Sums by hand: the power that an array gives over the bank's
volts; NEC 690.8(B), 240.6(A), 310.16 and IEC 62548 from memory.
"""

import itertools

import pytest

from gumboot.catalogue import catalogue
from gumboot.core.basis.patch import apply
from gumboot.core.brief.suits import charges_pack
from gumboot.core.codes.books import NEC
from gumboot.core.energy.year import gather, live
from gumboot.core.kit import Catalogue, Controller, Inverter, entry
from gumboot.core.kit.missing import missing
from gumboot.core.link.steps import steps_of as link_steps
from gumboot.core.network.ask import isolate
from gumboot.core.new_job import KIND, First, NoStrings, controllers_for, first_plan, units_for
from gumboot.core.plan import Plan
from gumboot.core.plan.kit import CONTROLLERS
from gumboot.core.prove.listing import dues_of
from gumboot.core.size.finder import Face, find
from gumboot.core.size.strings import takers
from gumboot.core.wake.steps import steps_of
from gumboot.exports.materials import materials
from tests.designs import design
from tests.shapes import SHAPES, on_controllers, other

SHELF = catalogue()
CABIN = SHAPES["charge controllers"]
BESIDE = SHAPES["a charge controller beside trackers"]
EACH = SHAPES["charge controllers on a bank for each"]


def of(document, shelf=SHELF, **changes):
    return design(Plan.model_validate(other(document, **changes)), shelf)


def found(d, key):
    return [f for f in d.findings if f.key == key]


def cured(d, cure, shelf=SHELF):
    return design(Plan.model_validate(apply(d.plan.model_dump(mode="json"), cure.changes)), shelf)


def circuit(d, id):
    return next(s for s in d.circuits if s.id == id)


def shelf_with(*documents):
    return Catalogue([*SHELF.entries.values(), *(entry.validate_python(x) for x in documents)])


OWN = {
    "kind": "controller",
    "id": "own-60",
    "maker": "Kettlewright",
    "model": "S60",
    "book": "nec-2023",
    "charge_max_a": 60,
    "battery_v_min": 20,
    "battery_v_max": 64,
    "pv_v_max": 150,
}


def test_the_first_section_of_a_sheet_is_enough_and_the_rest_is_named():
    """Its ports by what it charges with, its tracker by its PV terminals; a terminal nobody entered
    is a screw of the book's sizes.
    """
    own = entry.validate_python(OWN)
    assert isinstance(own, Controller) and own.battery and own.pv
    assert own.battery.i_max_a == own.pv.i_max_a == 60
    (tracker,) = own.trackers
    assert (tracker.v_min, tracker.v_max, tracker.i_sc_max_a) == (20, 150, 60)
    assert {t.most for t in own.battery.terminals} == {"500"}
    lacks = {m.station for m in missing(own)}
    assert lacks == {"size", "land", "wall", "set"}  # no signal port is missed of one
    bare = SHELF.inverters["marram-h6"].model_dump(mode="json") | {"trackers": []}
    says = [m.what for m in missing(Inverter.model_validate(bare))]
    assert "its PV trackers" in says  # a hybrid without any is not entered to the end


def test_conductors_carry_what_a_controller_charges_with_and_what_its_strings_push():
    """60 A: 1.25 · 60 = 75, the next standard 80 A; its terminals are silent, so 60 °C, where 4 AWG
    carries 70 A and 3 AWG 85. Two strings of 14 A short-circuit: 1.25 · 28 = 35 A, and 1.25 times
    that is what the lead must carry: 43.75 A.
    """
    d = of(
        CABIN,
        shelf_with(OWN),
        kit__controller="own-60",
        strings=on_controllers("raceway", (1, 3), (1, 3), (2, 3), (2, 3)),
    )
    bus = circuit(d, "controller-1")
    assert bus.circuit.current.n == 60 and bus.protection.n == 80 and bus.size == "3"
    lead = circuit(d, "controller-pv-1")
    assert lead.circuit.current.n == pytest.approx(35) and lead.i_req.n == pytest.approx(43.75)
    assert lead.protection is None and lead.circuit.system == "pv"
    assert lead.circuit.voltage.n == pytest.approx(3 * 32.6, rel=0.05)


def test_a_controller_works_above_its_bank_alone():
    """24 lead cells come to 62.4 V: two modules of some 32 V fall below that in the heat."""
    d = of(CABIN, strings=on_controllers("raceway", (1, 2), (2, 4)))
    (stop,) = found(d, "pv-P.hot")
    assert "62.4" in stop.says
    better = cured(d, stop.cures[0])
    assert not found(better, "pv-P.hot") and better.plan.strings[0].modules == 3


def test_three_in_parallel_have_breakers_that_protect_them_and_no_fuse():
    d = of(CABIN, strings=on_controllers("raceway", *[(1, 4)] * 3, (2, 4)))
    (duty,) = [f for f in d.duties if f.key == "controller-1.tracker-1.fuses"]
    assert "two-pole breaker" in duty.says and "fuse" not in duty.says
    fused = [s for s in d.strings if s.fuse]
    assert len(fused) == 3 and fused[0].fuse.n <= 25  # of the module
    bought = [i.what for i in materials(d) if "PV breaker" in i.what or "fuse" in i.what.lower()]
    assert not any("string fuse" in x for x in bought)
    assert any(x.endswith(f"{fused[0].fuse.n:g} A") for x in bought)


def test_full_sun_beyond_what_the_packs_take_is_a_stop_that_clicks_cure():
    """A 51.2 V pack of 90 A and 48 V at its lowest: 12 modules of 430 W give 104 A at 97 %."""
    own = [x for x in BESIDE["strings"] if not x.get("controller")]
    strings = [*own, *on_controllers("B1", *[(1, 4)] * 3)]
    own = {**OWN, "id": "own-120", "charge_max_a": 120, "pv_v_max": 250, "book": "iec-60364"}
    shelf = shelf_with(own)
    d = of(BESIDE, shelf, kit__packs=1, kit__controller="own-120", strings=strings)
    (stop,) = found(d, "controller.charge")
    assert stop.figures[0].n == pytest.approx(12 * 430 * 0.97 / 48, abs=0.1)
    (more,) = [c for c in stop.cures if c.changes]
    assert not found(cured(d, more, shelf), "controller.charge")
    menu = SHELF.controllers["marram-p70"].model_dump(mode="json")["menu"]
    line = next(m for m in menu if m["rule"] == "charge") | {"most": 120}
    held = shelf_with({**own, "menu": [line]})
    d = of(BESIDE, held, kit__packs=1, kit__controller="own-120", strings=strings)
    limit = found(d, "controller.charge")[0].cures[0]
    assert limit.changes[0].path == "/settings/ctl_charge.unit-11"
    limited = cured(d, limit, held)
    assert not found(limited, "controller.charge") and limited.menu(11)[0].value == 90


def test_a_bank_that_a_controller_does_not_charge_is_a_stop():
    high = shelf_with({**OWN, "battery_v_max": 30})
    assert found(of(CABIN, high, kit__controller="own-60"), "controller.class")
    gel = shelf_with({**OWN, "chemistries": ["gel"]})
    assert found(of(CABIN, gel, kit__controller="own-60"), "controller.class")
    inside = other(
        SHAPES["packs inside the units"], kit__controller="marram-p100", kit__controllers=1
    )
    d = design(Plan.model_validate(inside), SHELF)
    (stop,) = found(d, "controller.bus")
    assert not found(cured(d, stop.cures[0]), "controller.bus")


def test_packs_come_to_a_bus_where_a_controller_charges_them():
    """However they were said to come together: else it had nothing to land on."""
    for hookup in ("chain", "inputs", "bus"):
        d = of(BESIDE, kit__packs=1, kit__hookup=hookup)
        bodies = {b.id for b in d.bodies}
        assert {"dc-bus", "controller-1", "pv-combiner-1"} <= bodies
    assert {
        c.circuit.source.body for c in of(EACH).circuits if c.circuit.family == "controller"
    } == {
        "dc-bus-1",
        "dc-bus-2",
    }


@pytest.mark.parametrize("document", [CABIN, BESIDE, EACH])
def test_its_battery_before_its_array_and_its_array_off_before_its_battery(document):
    way = of(document).wake.way
    for acts, closing in ((way.up.acts, True), (way.down.acts, False)):
        order = [way.plant.levers[a.k] for a in acts]
        for x, y in itertools.product(order, order):
            if x.controls and y.unit == x.unit and (x.kind, y.kind) == ("battery", "pv"):
                assert (order.index(x) < order.index(y)) is closing


def test_a_fuse_at_the_post_is_drawn_once_the_controllers_are_off_too():
    network = of(CABIN).network
    fuse = network.switch["pack-1/fuse"]
    assert {"dc-bus/controller 1", "dc-bus/controller 2"} <= set(fuse.after)
    opened = {s.id for s in isolate(network, "controller-1").opened}
    assert opened == {"dc-bus/controller 1", "pv-combiner-1/string P", "pv-combiner-1/string Q"}


def test_the_walks_speak_of_it():
    d = of(CABIN)
    wake = [s.says for s in steps_of(d)]
    assert any("Charge controller 1 wakes" in s for s in wake)
    assert any("Charge controller 2 charges in light" in s for s in wake)
    assert all("PV switch" not in s for s in wake)
    assert (
        sum("battery temperature" in s.title for s in link_steps(d.harness)) == 3
    )  # and the inverter's
    most = {x.key: x.limit.n for x in dues_of(d) if x.key.startswith("charge.controller")}
    assert set(most) == {"charge.controller.1", "charge.controller.2"}
    assert most["charge.controller.1"] == pytest.approx(8 * 430 * 0.97 / 44.4, abs=0.1)


def test_each_menu_is_filled_for_the_same_bank():
    """Lead: 24 cells at 2.43 V are 58.3 V; 160 A that the bank takes, shared by two, are 80 A."""
    d = of(CABIN)
    assert d.plan.kit.units == (1, 11, 12)
    own = {s.rule: s.value for s in d.menu(CONTROLLERS + 1)}
    assert own["absorb"] == 58.3 and own["charge"] == 80 and own["lithium"] == "flooded"
    assert own["absorb"] == next(s.value for s in d.settings if s.rule == "absorb")
    apart = of(CABIN, settings={"ctl_absorb.unit-11": 57.0})
    (check,) = found(apart, "set.ctl_absorb.apart")
    assert not found(cured(apart, check.cures[0]), "set.ctl_absorb.apart")
    wrong = of(CABIN, settings={"ctl_type.unit-11": "gel", "ctl_float.unit-12": 63.0})
    assert found(wrong, "set.ctl_type.cells.controller")
    assert any("ontroller 2" in f.says for f in wrong.findings if f.key.startswith("set.ctl_float"))
    lost = of(CABIN, settings={"ctl_absorb.unit-13": 57.0})
    assert found(lost, "set.ctl_absorb.unit-13.unknown")


def test_a_keyed_limit_is_what_its_conductors_carry_and_a_cure_where_one_is_too_small():
    """marram-p70 charges with 70 A. Held at 40 A its bus circuit carries 40; 10 mm² for 70 A under
    a breaker of 80 A is too small, and a limit that it carries is offered.
    """
    free = of(BESIDE)
    assert circuit(free, "controller-1").circuit.current.n == free.bank.i_controller.n == 70
    assert not found(free, "controller.limited")
    held = of(BESIDE, settings={"ctl_charge.unit-11": 40})
    assert circuit(held, "controller-1").circuit.current.n == 40
    (duty,) = [f for f in held.duties if f.key == "controller.limited"]
    assert "40 A" in duty.says
    assert of(BESIDE, settings={"ctl_charge.unit-11": 70}).bank.i_controller.symbol == "I_ctl"
    small = of(BESIDE, fitted={"controller-1": {"size": "16 mm²"}})
    (keep,) = limits_offered(small, "controller-1")
    assert keep.changes[0].value == 64  # 80 A, the largest rating under 85 A; 1.25 · 64 = 80
    better = cured(small, keep)
    assert not found(better, "controller-1.conductor")
    assert circuit(better, "controller-1").circuit.current.n == 64
    thin = of(BESIDE, fitted={"controller-1": {"size": "10 mm²"}})  # its bus takes 16 mm² up
    assert found(thin, "controller-1.conductor") and not limits_offered(thin, "controller-1")


def limits_offered(d, id):
    return [c for f in found(d, f"{id}.conductor") for c in f.cures if "limit " in c.text]


@pytest.mark.parametrize(
    ("shape", "id", "size"),
    [("one bank for all", "battery-1", "1/0"), ("a single-phase hybrid", "battery-1", "35 mm²")],
)
def test_a_limit_offered_for_a_thin_battery_lead_cures_it(shape, id, size):
    d = of(SHAPES[shape], fitted={id: {"size": size}})
    (keep,) = limits_offered(d, id)
    assert not found(cured(d, keep), f"{id}.conductor")


def test_an_inverters_limit_is_no_cure_of_a_lead_that_controllers_fill_too():
    d = of(CABIN, fitted={"pack-1": {"size": "2"}})
    assert found(d, "pack-1.conductor") and not limits_offered(d, "pack-1")


def test_a_year_lives_from_what_the_controllers_pass_on():
    """The same modules on trackers give within a twentieth as much; controllers held at 10 A pass
    no more than 2 · 10 A at the bank's volts.
    """
    strings = [
        {**x, "inverter": 1, "controller": 0, "tracker": str(n % 2 + 1), "modules": 8}
        for n, x in enumerate(CABIN["strings"][:2])
    ]
    alone = of(CABIN, kit__controllers=0, strings=strings)
    both = of(CABIN)
    small = of(CABIN, settings={"ctl_charge.unit-11": 10.0})

    def inputs(d):
        return gather(d.plan, d, SHELF)

    sun = [live(inputs(d)).with_all.totals for d in (alone, both, small)]
    assert sun[1]["sun"] == pytest.approx(sun[0]["sun"], rel=1e-6)
    assert sun[1]["discharged"] == pytest.approx(sun[0]["discharged"], rel=0.05)
    assert inputs(small).sun.max() == pytest.approx(20 * 48 * 0.96, rel=1e-6)
    assert inputs(both).sun.max() > 3 * inputs(small).sun.max()


def answers(**more):
    said = {"name": "Larkspur", "code": "nec-2023", "units": "us", "zone": "", "inverters": 1}
    said |= {"kind": KIND["off-grid"], "supply": "", "latitude_deg": 46.9, "longitude_deg": -114.0}
    said |= {"outage": "whole house", "inverter": "bare", "pack": "saltmarsh-l800", "packs": 0}
    return First(**said | {"module": "reedbed-430", "array_m": 18.0, **more})


def test_a_unit_without_a_pv_input_begins_with_controllers():
    """As many as take the modules: 24 of 430 W are 10.3 kW, and 100 A at 48 V some 4.8 kW each."""
    bare = SHELF.inverters["marram-c6"].model_dump(mode="json") | {"id": "bare", "trackers": []}
    shelf = shelf_with(bare, OWN)
    offered = controllers_for(shelf, shelf.inverters["bare"], "saltmarsh-l800", NEC)
    assert offered[0] == "marram-p100" and "own-60" in offered  # of its maker first
    for count, modules in ((1, 12), (2, 24)):
        first = answers(controller="marram-p100", modules=modules)
        plan = first_plan(first, shelf)
        assert plan.kit.controllers == count and sum(s.modules for s in plan.strings) == modules
        assert {s.controller for s in plan.strings} == set(range(1, count + 1))
        d = design(plan, shelf)
        stops = [f.key for f in d.findings if f.level == "stop" and not f.key.endswith(".run")]
        assert not [k for k in stops if not k.startswith("sheet.")]
    with pytest.raises(NoStrings, match="more controllers"):
        first_plan(answers(controller="own-60", modules=200), shelf)
    grid = units_for(shelf, KIND["pv"], d.plan.book, "split-phase 120/240 V")
    assert "bare" in grid and grid.index("bare") > grid.index("marram-s8")


def test_the_finder_spreads_modules_over_trackers_and_controllers():
    """Brute force: every module placed by hand once more is no more than it places."""
    plan = Plan.model_validate(BESIDE)
    kit = (SHELF.inverters[plan.kit.inverter], SHELF.controllers["marram-p70"])
    units = list(takers(plan, *kit, SHELF.packs[plan.kit.pack]))
    assert [u.body for u in units] == ["inverter-1", "controller-1"]
    found_ = find(plan, units, SHELF.modules["reedbed-430"], [Face(14), Face(8, 30, 90)])
    best = found_.best[0]
    assert best.used == 22 and any(x.controller for x in best.lots)
    alone = find(plan, units[:1], SHELF.modules["reedbed-430"], [Face(14), Face(8, 30, 90)])
    assert alone.best[0].used <= best.used


def test_a_lead_cell_is_not_asked_for_its_bms():
    lead = SHELF.packs["saltmarsh-l800"].model_dump(mode="json") | {"id": "own", "link": ""}
    own = entry.validate_python(lead)
    assert own.link == "none" and not any("BMS" in m.what for m in missing(own))


def test_a_controller_charges_packs_on_a_bus_alone():
    own = SHELF.controllers["marram-p70"]
    assert charges_pack(own, SHELF.packs["tidewell-9"], 1)
    assert charges_pack(own, SHELF.packs["saltmarsh-l800"], 24)
    assert not charges_pack(own, SHELF.packs["saltmarsh-l800"], 30)  # 78 V
    assert not charges_pack(own, SHELF.packs["saltmarsh-v5"], 1) and not charges_pack(own, None, 1)


def test_a_fault_of_the_array_that_nobody_hears_of_is_a_check():
    """NEC 690.41(B), and 690.11 from 80 V on a building, from memory: a silent sheet and one that
    says no differ in what to do; an array in a field, and one under the IEC, want no arc found.
    """
    roof = [{**s, "mounting": "roof"} for s in on_controllers("raceway", (1, 4), (2, 4))]
    own = {"kit__controller": "own-60", "strings": roof}
    (check,) = found(of(CABIN, shelf_with(OWN), **own), "controller.faults.silent")
    assert "an earth fault or an arc" in check.says and "690.11" in check.rule
    assert len(check.cures) == 2
    never = of(CABIN, shelf_with({**OWN, "earth_fault": True, "arc_fault": False}), **own)
    (check,) = found(never, "controller.faults.lacks")
    assert "does not find an arc" in check.says and "690.41" not in check.rule
    field = of(CABIN, shelf_with({**OWN, "earth_fault": True}), kit__controller="own-60")
    assert not [f for f in field.findings if f.key.startswith("controller.faults")]
    other_book = of(BESIDE, shelf_with({**OWN, "book": "any"}), kit__controller="own-60")
    assert "arc" not in found(other_book, "controller.faults.silent")[0].says
    assert not [f for f in of(CABIN, strings=roof).findings if ".faults." in f.key]


def test_unlike_arrays_are_summed_as_they_are():
    """One controller with 12 modules drives 104 A at 48 V, one with 3 of them 26 A: 130 A together,
    which two packs of 90 A take. Twice the larger would be 208 A.
    """
    inner = [x for x in BESIDE["strings"] if not x.get("controller")]
    rows = [*inner, *on_controllers("B1", *[(1, 4)] * 3, (2, 3))]
    shelf = shelf_with(
        {**OWN, "id": "own-120", "charge_max_a": 120, "pv_v_max": 250, "book": "any"}
    )
    asked = {"kit__controller": "own-120", "kit__controllers": 2, "strings": rows}
    assert not found(of(BESIDE, shelf, **asked), "controller.charge")
    (stop,) = found(of(BESIDE, shelf, kit__packs=1, **asked), "controller.charge")
    assert stop.figures[0].n == pytest.approx(15 * 430 * 0.97 / 48, abs=0.1)


def test_a_limit_that_one_unit_has_alone_counts_and_gives_way_to_one_for_all():
    """Two controllers in full sun over one pack; the second is keyed more than the click allows."""
    inner = [x for x in BESIDE["strings"] if not x.get("controller")]
    strings = [*inner, *on_controllers("B1", (1, 4), (1, 4), (2, 4), (2, 4))]
    asked = {"kit__controllers": 2, "kit__packs": 1, "strings": strings}
    own = of(BESIDE, settings={"ctl_charge.unit-12": 60}, **asked)
    (stop,) = found(own, "controller.charge")
    assert stop.figures[0].n == pytest.approx(8 * 430 * 0.97 / 48 + 60, abs=0.2)
    limit = stop.cures[0]
    better = cured(own, limit)
    assert (
        not found(better, "controller.charge") and "ctl_charge.unit-12" not in better.plan.settings
    )
    less = of(BESIDE, settings={"ctl_charge.unit-12": 10}, **asked)
    assert not found(less, "controller.charge")  # 70 and 10 A; a pack takes 90
    due = {x.key: x.limit.n for x in dues_of(less) if x.key.startswith("charge.controller")}
    assert due["charge.controller.2"] == 10 < due["charge.controller.1"]


def test_one_controller_keyed_apart_from_the_inverter_is_told():
    d = of(CABIN, settings={"ctl_absorb.unit-12": 57.0})
    (check,) = found(d, "set.ctl_absorb.apart.unit-12")
    assert "Charge controller 2" in check.says and not found(d, "set.ctl_absorb.apart")
    assert not found(cured(d, check.cures[0]), "set.ctl_absorb.apart.unit-12")


def test_each_controller_passes_on_what_it_can():
    """All modules on one of two controllers of 10 A pass on half of what they do spread over both,
    as long as the sun gives more than either passes.
    """
    held = {"ctl_charge.unit-11": 10}

    def made(*rows):
        d = of(CABIN, settings=held, strings=on_controllers("raceway", *rows))
        return gather(d.plan, d, SHELF).sun.max()

    both, one = made((1, 4), (1, 4), (2, 4), (2, 4)), made(*[(1, 4)] * 4)
    assert one == pytest.approx(both / 2, rel=1e-6)
