"""Shapes that the demo does not have: what is laid out, named, sized and judged for them."""

from copy import copy

import numpy as np
import pytest

from gumboot.catalogue import catalogue
from gumboot.core.basis.patch import apply
from gumboot.core.network.ask import isolate
from gumboot.core.plan import Plan
from gumboot.core.size.sharing import one_way_ohm, shares
from gumboot.core.wake.settle import settle
from gumboot.demo.plans import MOSSBANK_TERRACE, SALTINGS_BARN
from gumboot.drawings.take_off import take_off
from tests.designs import design
from tests.shapes import SHAPES, US, other, runs

BOOK = catalogue()
DESIGNS = {name: design(Plan.model_validate(doc), BOOK) for name, doc in SHAPES.items()}
every = pytest.mark.parametrize("d", DESIGNS.values(), ids=DESIGNS.keys())


@every
def test_every_source_is_in_exactly_one_row_of_the_directory(d):
    rows = [k for x in d.disconnects for k in x.sources]
    assert sorted(rows) == sorted(s.id for s in d.network.sources)
    assert all(x.switches for x in d.disconnects)


@every
def test_every_place_that_is_named_is_a_body_of_the_job(d):
    """No legend, disconnect or step points at a box that is not there."""
    from datetime import date

    from gumboot.core.land.placards import list_placards

    labels = {b.label for b in d.bodies}
    for x in d.disconnects:
        assert all(part in labels for part in x.at.split(", ")), x
    for p in list_placards(d, date(2026, 1, 1)):
        if p.id.startswith(("legend.", "ess-disconnect", "battery", "inverter.")):
            assert p.at in labels, p.id
    for t in d.terminations:
        assert t.place in labels or t.place in ("Generator inlet", "Cabinet 1"), t.key


@every
def test_every_termination_has_a_key_of_its_own(d):
    """A reading at a tap's splice is not one at the disconnect it leads to."""
    keys = [t.key for t in d.terminations]
    assert len(set(keys)) == len(keys)


@pytest.mark.parametrize("name", ["a tap beside the house's panel", "a tap at the meter"])
def test_a_tap_is_spliced_where_only_the_utility_makes_it_dead(name):
    """NEC 705.11: 6 AWG copper at least. Its earth by Table 250.102(C)(1): 8 AWG for lines up to 2
    AWG, 6 AWG for 1 or 1/0.
    """
    d = DESIGNS[name]
    (dead,) = [t for t in d.terminations if t.key == "dead@house-panel"]
    assert any("only the utility" in x for x in dead.live)
    assert "Fused disconnect, Service disconnect" in dead.isolate
    splices = [t for t in d.terminations if t.key.startswith("tap.") and t.body == "house-panel"]
    assert {t.conductor for t in splices} == {"L1", "L2", "N", "PE"}
    assert all(bool(t.live) == (t.conductor != "PE") for t in splices)
    line_side = [t for t in d.terminations if t.key.startswith("tap.L")]
    assert all("only the utility can cut it off" in t.live[0] for t in line_side)
    tap = circuits(name)["tap"]
    area = {"1": "6", "1/0": "6", "2/0": "4", "3/0": "4"}
    assert tap.protective.value == area[tap.size]


def test_a_tap_before_a_whole_house_carries_the_house():
    """A house behind a 150 A main, not the 50 A of its one inverter: 150 A, 1/0 AWG copper at 75 °C
    (NEC 2023 Table 310.16, from memory).
    """
    tap = circuits("a tap at the meter")["tap"]
    assert (tap.protection.value, tap.size) == (150, "1/0")


def test_a_tap_is_never_smaller_than_the_code_lets_it_be():
    """NEC 705.11: not smaller than 6 AWG copper (from memory). 3.8 kW at 240 V ask for 20 A."""
    plan = Plan.model_validate(
        other(
            SHAPES["a tap beside the house's panel"],
            kit__inverters=1,
            backup__loads="nothing",
            fitted={},
        )
    )
    big = BOOK.inverters[plan.kit.inverter]
    small = big.model_copy(update={"power_w": 3800, "pass_through_a": None})
    book = copy(BOOK)
    book.inverters = {**BOOK.inverters, big.id: small}
    assert next(s.size for s in design(plan, book).circuits if s.id == "tap") == "6"


@every
def test_a_changeover_is_never_open_on_both_sides(d):
    """A throw of two positions stands on one of them (common practice)."""
    for b in d.network.bodies:
        throws = [s for s in isolate(d.network, b.id).opened if s.kind == "throw"]
        assert len(throws) < 2, b.label


def test_breakers_side_by_side_are_said_where_their_lead_is_thinner():
    """Three packs of 250 A let 750 A through (arithmetic); NEC 240.8 knows no breakers in parallel.
    On a bus the lead has a fuse, and nothing is said.
    """
    says = {
        name: [f.says for f in DESIGNS[name].findings if f.key.startswith("chain.")]
        for name in ("packs in a chain to the unit", "a chain onto a bus")
    }
    assert len(says["packs in a chain to the unit"]) == 1
    assert "750 A" in says["packs in a chain to the unit"][0]
    assert says["a chain onto a bus"] == []


def circuits(name):
    return {s.id: s for s in DESIGNS[name].circuits}


def test_a_single_phase_inverter_on_three_phases_draws_its_power_over_one_line():
    """4.6 kW at 230 V is 20.0 A on one line, not 6.6 A on three (arithmetic); 1.1 times that where
    its plate is not known.
    """
    pv = circuits("a single-phase PV inverter on three lines")["existing-pv"].circuit
    assert pv.current.n == pytest.approx(1.1 * 20.0) and pv.conductors == ("L2", "N", "PE")
    units = circuits("single-phase units on three lines")
    lines = [units[f"grid-{i}"].circuit.conductors[0] for i in (1, 2, 3)]
    assert lines == ["L1", "L2", "L3"]
    assert units["grid-feeder"].circuit.conductors == ("L1", "L2", "L3", "N", "PE")
    # three of 5 kW, one a line: by the sheet 22 A each, and no more on the feeder
    assert units["grid-feeder"].circuit.current.n == pytest.approx(22)
    one = circuits("one single-phase unit on L2")
    assert one["grid-1"].circuit.conductors == ("L2", "N", "PE")


def test_a_chain_has_no_phantom_bus_and_no_breaker_that_nobody_fits():
    d = DESIGNS["packs in a chain to the unit"]
    assert not any(b.role == "dc-bus" for b in d.bodies)
    s = circuits("packs in a chain to the unit")
    assert s["pack-3"].circuit.load.body == "pack-2" and s["pack-2"].circuit.load.body == "pack-1"
    assert s["battery-1"].circuit.source.body == "pack-1"
    names = {x.says for x in d.network.switches}
    assert not any("Battery bus" in n for n in names)
    assert s["battery-1"].circuit.current.n >= s["pack-3"].circuit.current.n


def test_each_input_carries_its_own_pack():
    s = circuits("each pack to an input")
    assert {x.circuit.source.body for k, x in s.items() if k.startswith("battery")} == {
        "pack-1",
        "pack-2",
    }
    assert all(s[k].circuit.current.n <= 200 for k in ("battery-1", "battery-1-2"))


def test_a_bank_per_inverter_stands_apart():
    d = DESIGNS["a bank per inverter, on buses"]
    assert {b.id for b in d.bodies if b.role == "dc-bus"} == {"dc-bus-1", "dc-bus-2"}
    s = circuits("a bank per inverter, on buses")
    assert s["battery-1"].circuit.source.body == "dc-bus-1"
    assert s["battery-2"].circuit.source.body == "dc-bus-2"
    assert (d.bank.count, d.bank.banks, d.bank.total) == (2, 2, 4)
    whole = design(Plan.model_validate(other(SHAPES["one bank for all"], kit__packs=4)), BOOK)
    assert d.fault.n == pytest.approx(whole.fault.n / 2, rel=0.15)


def test_packs_in_cabinets_have_posts_links_earths_and_breakers_of_their_own():
    d = DESIGNS["cabinets"]
    keys = [t.key for t in d.terminations if t.body == "pack-1"]
    assert sum("inside.post" in k for k in keys) == 20
    assert sum("inside.earth" in k for k in keys) == 10
    assert sum(s.body == "pack-1" and s.kind == "own breaker" for s in d.network.switches) == 10


def test_a_tap_has_its_own_conductors_and_the_house_goes_on_beside_it():
    d = DESIGNS["a tap beside the house's panel"]
    tap = circuits("a tap beside the house's panel")["tap"]
    assert tap.circuit.load.label == "Service disconnect"
    assert tap.circuit.current.n == pytest.approx(100)  # two units pass 50 A each
    assert d.network.label("house-panel") == "Main panel"
    assert any(x.node == "house-panel" for x in d.network.loads)


def test_combining_panels_and_backed_up_boards_are_judged():
    """Two units of 70 A breakers want a panel of 140 A or more (705.12(B)(3), arithmetic): 225 A
    is taken. A PV inverter on an essential board adds to its supply (IEC 60364-5-55 551.7.2).
    """
    d = DESIGNS["one bank for all"]
    combiner = next(b for b in d.buses if b.body == "grid-combiner")
    assert combiner.used_sum.n == 140 and combiner.bus.n == 225 and combiner.passes
    small = [x for x in BOOK.devices if x.role != "panel" or x.up_to_a <= 125]
    from gumboot.core.kit import Catalogue

    shelf = Catalogue(
        [
            *BOOK.inverters.values(),
            *BOOK.packs.values(),
            *BOOK.modules.values(),
            *small,
            *BOOK.conductors,
        ]
    )
    short = design(Plan.model_validate(SHAPES["one bank for all"]), shelf)
    assert "kit.device.panel" in {f.key for f in short.findings}
    pv = other(
        SHAPES["two PV inverters"],
        kit__existing_pv={"power_w": 33000},
        kit__more_pv=[],
        kit__inverters=1,
    )
    found = {f.key: f for f in design(Plan.model_validate(pv), BOOK).findings}
    assert found["bus.overfed.loads-panel"].level == "check"


def test_a_unit_that_never_feeds_back_is_no_source_of_the_main_bus():
    """A6: an inverter-charger without feed-in adds nothing to 705.12(B)."""
    from gumboot.core.kit import Catalogue

    units = [
        u.model_copy(update={"feeds_grid": False}) if u.id == "marram-s8" else u
        for u in BOOK.inverters.values()
    ]
    shelf = Catalogue(
        [*units, *BOOK.packs.values(), *BOOK.modules.values(), *BOOK.devices, *BOOK.conductors]
    )
    plan = Plan.model_validate(SHAPES["one bank for all"])
    assert design(plan, BOOK).bus is not None and design(plan, shelf).bus is None


def test_what_the_generator_port_serves_takes_it_from_the_generator():
    d = DESIGNS["a managed load on the generator port"]
    assert (
        circuits("a managed load on the generator port")["port-use"].circuit.load.label
        == "Managed load"
    )
    both = other(SHAPES["one bank for all"], kit__port_use={"power_w": 4000})
    found = {f.key: f for f in design(Plan.model_validate(both), BOOK).findings}
    assert found["generator.port"].level == "stop"
    assert {c for x in found["generator.port"].cures for c in x.changes}
    pv = DESIGNS["a PV inverter on the generator port"]
    assert any(s.id == "port-use" for s in pv.network.sources) and d.network


def test_two_units_of_a_supply_that_is_not_the_house_are_a_stop():
    wrong = other(SHAPES["one bank for all"], supply__kind="three-phase 400/230 V")
    d = design(Plan.model_validate(wrong), BOOK)
    assert "supply.kind" in {f.key for f in d.findings} and d.network is None


def test_beside_a_tap_a_pv_inverter_stays_on_the_houses_panel():
    """Its breaker is there, its bus is judged (705.12(B)), and the tap's disconnect does not cut it
    off.
    """
    d = DESIGNS["a PV inverter on the house's panel beside a tap"]
    (pv,) = [x for x in d.disconnects if x.source == "PV inverter"]
    assert pv.opened_by == "PV breaker" and pv.at == "Main panel"
    assert "Fused disconnect, Service disconnect" not in {
        s.says for s in isolate(d.network, "pv-inverter").opened
    }
    (row,) = [s for s in d.circuits if s.id == "existing-pv"]
    assert row.circuit.source.body == "house-panel"
    amps = 7600 / 240
    assert d.bus.output.n == pytest.approx(amps) and d.bus.used_120.n == pytest.approx(
        150 + 1.25 * amps
    )


def test_where_a_tap_goes_before_the_whole_house_no_board_is_left_on_the_grid_side():
    plan = other(
        SHAPES["a tap before the whole house"],
        kit__existing_pv={"power_w": 5000, "side": "grid side", "obeys_frequency": "yes"},
    )
    d = design(Plan.model_validate(plan), BOOK)
    (stop,) = [f for f in d.findings if f.key == "pv.board"]
    mended = apply(d.plan.model_dump(mode="json"), stop.cures[0].changes)
    d = design(Plan.model_validate(mended), BOOK)
    assert not [f for f in d.findings if f.key == "pv.board"]
    assert "loads-panel/PV breaker" in d.network.switch


def test_packs_in_a_chain_to_their_unit_share_by_one_end():
    """The solver's own answer for three packs taken off at one end: the first carries most."""
    d = DESIGNS["packs in a chain to the unit"]
    jumpers = [s for s in d.circuits if s.circuit.family == "pack"]
    leads = [1e-7, *(one_way_ohm(s) for s in jumpers)]
    assert d.sharing.chosen == "one end" and len(d.sharing.amps["one end"]) == 3
    assert d.sharing.amps["one end"] == pytest.approx(
        shares("one end", d.bank.resistance.n, leads, d.bank.i_all.n)
    )
    assert d.sharing.most.n == d.sharing.amps["one end"][0] and not d.sharing.free
    assert take_off(d) == "" and take_off(DESIGNS["one bank for all"])


def test_no_island_no_fault_in_it():
    """With nothing backed up no breaker has to trip on what an island pushes."""
    more = {"kit__gateway": None, "backup__loads": "nothing", "kit__existing_pv__side": "grid side"}
    d = design(Plan.model_validate(other(MOSSBANK_TERRACE, **more)), BOOK)
    assert d.loops and not [f for f in d.findings if f.key == "loop.islanded"]


def test_packs_of_every_bank_share_it():
    """Two banks of two packs, leads of one length: every pack carries half of what its own unit
    draws; a lead ten times as long carries less, and its fellow is named.
    """
    shape = SHAPES["a bank per inverter, on buses"]
    d = DESIGNS["a bank per inverter, on buses"]
    assert d.bank.banks == 2 and len(d.sharing.amps["star"]) == 2
    assert d.sharing.most.n == pytest.approx(d.bank.i_inverter.n / 2)
    far = other(shape, runs=runs(shape, **{"pack-4": {**US, "length_m": 10 * US["length_m"]}}))
    found = {f.key: f for f in design(Plan.model_validate(far), BOOK).findings}
    assert "Pack 3 carries" in found["bank.share.2"].says and "bank.share" not in found
    assert design(Plan.model_validate(far), BOOK).sharing.numbers == ("3", "4")


def test_a_generator_lands_on_every_unit():
    """A combiner with a breaker for each unit: each input takes what the generator gives, the
    inverters charge together and share it, a unit is cut off by its own breaker there, and all of
    them join the generator at Wake.
    """
    d = DESIGNS["off grid, a generator on both units"]
    ways = {c.id: (c.source.body, c.load.body) for c in d.network.circuits if "generator" in c.id}
    assert ways == {
        "generator": ("generator", "generator-combiner"),
        "generator-1": ("generator-combiner", "inverter-1"),
        "generator-2": ("generator-combiner", "inverter-2"),
    }
    whole = 14_000 / 240
    sized = {s.id: s for s in d.circuits}
    assert sized["generator"].circuit.current.n == pytest.approx(whole)
    assert sized["generator-1"].circuit.current.n == min(30, whole)  # what its port takes
    assert "generator-combiner/breaker 2" in {s.id for s in isolate(d.network, "inverter-2").opened}
    assert d.charging.charger.inputs[0].n == 2
    plant = d.wake.way.plant
    running = plant.serving | 1 << plant.number["generator/own"]
    rows = settle(plant, np.array([running]))
    assert rows.follows[0] == 0b11 and not rows.faults[0]
    small = other(SHAPES["off grid, a generator on both units"], kit__generator__power_w=11_000)
    stopped = design(Plan.model_validate(small), BOOK)
    small = next(f for f in stopped.findings if f.key == "generator.small")
    assert [c.text for c in small.cures] == [
        "Land it on one inverter",
        "Choose a generator above 12 kW",
    ]


def test_stacks_meet_in_a_combiner():
    """Two stacks on one input: a run and a breaker of its own each to the combiner, one onward to
    the unit, one BMS lead and a lead from stack to stack; isolating the combiner opens both; each
    pushes into the other's fault; more than the maker lets meet is a stop, with a click.
    """
    shape = SHAPES["stacks in a combiner"]
    d = design(Plan.model_validate(shape), catalogue())
    one = design(Plan.model_validate(other(shape, kit__packs=1)), catalogue())
    assert {
        c.id: (c.source.body, c.load.body)
        for c in d.network.circuits
        if c.family in ("pv", "pack", "battery")
    } == {
        "pv-A": ("array-A", "inverter-1"),
        "pv-B": ("array-B", "inverter-1"),
        "pack-1": ("pack-1", "dc-bus"),
        "pack-2": ("pack-2", "dc-bus"),
        "battery-1": ("dc-bus", "inverter-1"),
    }
    stand = {p.key: p.device.volts_dc for p in d.network.places if p.volts_dc}
    assert stand and all(v >= d.bank.v_max.n for v in stand.values())
    assert d.bank.energy.n == pytest.approx(2 * one.bank.energy.n)
    opened = {s.id for s in isolate(d.network, "dc-bus").opened}
    assert {"pack-1/own", "pack-2/own"} <= opened
    assert {x.source for x in d.links if x.serves == "BMS"} == {"pack-1"}
    assert [x.id for x in d.links if x.serves == "chain out"]
    three = design(Plan.model_validate(other(shape, kit__packs=4)), catalogue())
    stopped = next(f for f in three.findings if f.key == "bank.stacks")
    assert stopped.cures[0].changes[0].value == 3
    mended = apply(three.plan.model_dump(mode="json"), stopped.cures[0].changes)
    left = design(Plan.model_validate(mended), catalogue())
    assert not [f for f in left.findings if f.key == "bank.stacks"]


def test_each_stack_lands_on_an_input_of_its_own():
    """Two stacks on a unit of two inputs: a circuit, a breaker and a BMS lead each, to ports of
    their own; on one of a single input it is a stop, and of one that has two it is a click.
    """
    shape = SHAPES["two stacks on one unit"]
    d = design(Plan.model_validate(shape), catalogue())
    one = design(Plan.model_validate(other(shape, kit__packs=1)), catalogue())
    assert [c.id for c in d.network.circuits if c.family == "battery"] == [
        "battery-1",
        "battery-1-2",
    ]
    assert {s.id for s in d.network.switches if s.kind == "own breaker"} == {
        "pack-1/own",
        "pack-2/own",
    }
    assert d.bank.energy.n == pytest.approx(2 * one.bank.energy.n)
    links = {x.source: x.b.label for x in d.links if x.serves == "BMS"}
    assert links == {"pack-1": "BMS 1", "pack-2": "BMS 2"}
    assert len({b.key for b in d.harness.banks}) == 2
    left = design(Plan.model_validate(other(shape, kit__hookup="bus")), catalogue())
    stopped = next(f for f in left.findings if f.key == "bank.stacks")
    assert stopped.cures[0].changes[0].value == "inputs"
    single = other(SALTINGS_BARN, kit__packs=2, kit__hookup="inputs")
    stopped = next(
        f
        for f in design(Plan.model_validate(single), catalogue()).findings
        if f.key == "bank.stacks"
    )
    assert [c.changes[0].path for c in stopped.cures] == ["/kit/hookup", "/kit/packs"]
    assert stopped.cures[0].changes[0].value == "bus"
