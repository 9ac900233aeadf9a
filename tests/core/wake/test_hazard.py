"""Each hazard by a small network made by hand, where it is and where it is not."""

from dataclasses import replace

from gumboot.catalogue import catalogue
from gumboot.core.plan import Plan
from gumboot.core.wake.facts import does, rule_of
from gumboot.core.wake.hazard import EVERY, InTurn, rules_of
from gumboot.core.wake.order import Moves
from gumboot.core.wake.plant import STRINGS
from gumboot.core.wake.states import (
    BACK_FED,
    GENERATOR_ON_GRID,
    GENERATOR_ON_UNIT,
    INRUSH,
    JOINED,
    NO_BOND,
    NOT_IN_TURN,
    PACKS,
    REVERSED,
    TOO_MUCH_SUN,
    TWO_BONDS,
    TWO_UNITS,
    UNDER_LOAD,
    UNEQUAL,
)
from tests.core.wake.plants import Bench, faults, wrong
from tests.designs import design
from tests.shapes import SHAPES


def house(linked=True, count=1, button=False, **more):
    """A main, units with their packs and own breakers, a backup breaker to a panel, and a breaker
    by which panel and house could meet.
    """
    b = Bench()
    b.switch("main", "house", "street", "grid")
    for i in range(1, count + 1):
        u = f"unit{i}"
        b.switch(f"grid{i}", "house", f"{u}.grid", "grid")
        b.relay(u, f"{u}.grid", 1, i - 1)
        b.unit(u, grid=f"{u}.grid", button=button)
        b.pack(f"pack{i}")
        b.switch(f"own{i}", f"pack{i}", f"{u}.dc", "pack")
        b.switch(f"out{i}", u, "panel", "backup")
    b.switch("tie", "panel", "house", "bypass", serves=False)
    b.loads = ["panel"]
    b.bonds = [("street", 0, -1)]
    return b.made(linked, **more)


def test_an_output_and_the_grid_on_one_bus():
    p = house()
    assert faults(p, "own1", "out1", "main", "tie") & BACK_FED
    assert faults(p, "own1", "out1", "main", "tie", grid=False) & BACK_FED, "a dead line is fed too"
    assert not faults(p, "own1", "out1", "main") & BACK_FED
    assert not faults(p, "out1", "main", "tie") & BACK_FED, "no pack: it makes no voltage"
    assert wrong(p, "tie", "own1", "out1", "main") & BACK_FED
    assert not wrong(p, "tie", "main")


def test_a_relay_joins_in_step_and_a_hand_does_not():
    p = house()
    assert not wrong(p, "grid1", "own1", "out1", "main"), "its relay waits until it is in step"
    assert wrong(p, "tie", "own1", "out1", "main") & JOINED


def test_a_second_inverter_onto_a_live_bus():
    apart, linked = house(linked=False, count=2), house(count=2)
    together = ("own1", "own2", "out1", "out2")
    assert faults(apart, *together) & TWO_UNITS and not faults(linked, *together) & TWO_UNITS
    assert not faults(apart, "own1", "own2", "out1") & TWO_UNITS
    assert wrong(linked, "out2", "own1", "own2", "out1") & JOINED, "both run apart, then are joined"
    assert not wrong(linked, "own2", "own1", "out1", "out2") & JOINED


def test_a_generator_meets_nobody():
    b = Bench()
    b.switch("main", "house", "street", "grid")
    b.unit("unit")
    b.pack("pack")
    b.switch("own", "pack", "unit.dc", "pack")
    b.switch("out", "unit", "house", "backup")
    b.switch("gen", "generator", "house", "generator", serves=False)
    b.loads, b.bonds = ["house"], [("house", 0, -1)]
    p = b.made()
    assert faults(p, "main", "gen") & GENERATOR_ON_GRID
    assert faults(p, "own", "out", "gen") & GENERATOR_ON_UNIT
    assert not faults(p, "gen") and not faults(p, "out", "gen")


def test_one_bond_and_no_more():
    for solid, where, expected in (
        (True, [("street", 0, -1)], 0),
        (False, [("street", 0, -1)], NO_BOND),
        (False, [("street", 0, -1), ("unit1", 1, 0)], 0),
        (True, [("street", 0, -1), ("panel", 0, -1)], TWO_BONDS),
    ):
        b = Bench()
        b.switch("main", "house", "street", "grid")
        b.switch("grid1", "house", "unit1.grid", "grid")
        b.relay("unit1", "unit1.grid", 1, 0, solid=solid)
        b.unit("unit1", grid="unit1.grid")
        b.pack("pack1")
        b.switch("own1", "pack1", "unit1.dc", "pack")
        b.switch("out1", "unit1", "panel", "backup")
        b.loads, b.bonds = ["panel"], where
        p = b.made()
        every = ("main", "grid1", "own1", "out1")
        assert faults(p, *every, grid=False) & (NO_BOND | TWO_BONDS) == expected
        assert not faults(p, *every) & NO_BOND, "on the grid the service's bond is joined"


def test_what_is_not_made_for_load():
    b = Bench()
    b.unit("unit")
    b.string("string")
    b.switch("switch", "unit.pv", "inside", "pv")
    b.switch("plugs", "inside", "string", "connectors", breaks=False, after=("switch",))
    p = b.made()
    assert wrong(p, "plugs", "switch", "plugs") & UNDER_LOAD
    assert wrong(p, "plugs", "switch") & UNDER_LOAD
    assert not wrong(p, "plugs") and not wrong(p, "switch", "plugs") & UNDER_LOAD


def test_capacitors_are_charged_by_whoever_precharges():
    b = Bench()
    b.unit("unit")
    b.pack("pack")
    b.switch("own", "pack", "bus", "pack")
    b.switch("breaker", "bus", "unit.dc", "battery")
    p = b.made()
    assert not wrong(p, "breaker", "own") & INRUSH, "the unit does it itself"
    assert wrong(p, "breaker", "own", precharge="nobody") & INRUSH
    assert wrong(p, "breaker", "own", precharge="pack") & INRUSH, "the pack is on before it"
    assert not wrong(p, "own", "breaker", precharge="pack") & INRUSH
    assert wrong(p, "own", "breaker", precharge="nobody") & INRUSH
    assert not wrong(p, "breaker", precharge="nobody"), "nothing behind it"
    assert not wrong(p, "breaker", "own", "breaker", precharge="nobody"), "opened"


def test_packs_meet_at_their_breakers_and_buttons():
    for button in (False, True):
        b = Bench()
        b.unit("unit")
        for n in (1, 2):
            b.pack(f"pack{n}", button)
            b.switch(f"own{n}", f"pack{n}", "bus", "pack")
        b.switch("breaker", "bus", "unit.dc", "battery")
        p = b.made()
        on = [f"pack{n}/button" for n in (1, 2) if button]
        assert wrong(p, "own2", "own1", *on) & UNEQUAL
        assert not wrong(p, "own1", *on) & UNEQUAL
        if button:
            assert wrong(p, "pack2/button", "own1", "own2", "pack1/button") & UNEQUAL
            assert not wrong(p, "pack2/button", "own1", "pack1/button") & UNEQUAL
            assert not wrong(p, "own2", "own1", "pack1/button") & UNEQUAL, "it sleeps"


def test_more_sun_than_an_island_takes():
    for watts, expected in ((6000, TOO_MUCH_SUN), (4000, 0)):
        b = Bench()
        b.unit("unit", watts=5000)
        b.pack("pack")
        b.switch("own", "pack", "unit.dc", "pack")
        b.switch("sun", "unit", "pv", "pv inverter")
        b.pv = [(b.at("pv hub"), b.at("pv"), watts)]
        b.loads, b.bonds = ["unit"], [("unit", 0, -1)]
        p = b.made()
        assert faults(p, "own", "sun") == expected and not faults(p, "own")


def test_what_is_known_to_be_reversed_is_never_closed_on():
    """A string and a pack, each reversed or not, before a unit: closed on it, or only plugged."""
    for turned, own, sun in ((0, 0, 0), (1 << PACKS, REVERSED, 0), (1 << STRINGS, 0, REVERSED)):
        b = Bench()
        b.unit("unit")
        b.pack("pack")
        b.switch("own", "pack", "unit.dc", "pack")
        b.string("plug")
        b.switch("plugs", "plug", "roof", "connectors")
        b.switch("sun", "roof", "unit.pv", "pv")
        b.loads, b.bonds = ["unit"], [("unit", 0, -1)]
        p = b.made()
        rules = replace(rules_of(p, (), "inverter"), reversed=turned)

        def does(lever, *before, rules=rules, p=p):
            moves = Moves(p, rules)
            state = sum(1 << p.number[x] for x in before)
            return int(moves.wrong(state, [p.number[lever]])[0]) & REVERSED

        assert does("own") == own and does("sun", "plugs") == sun
        assert does("plugs") == 0, "only plugged"
        assert does("plugs", "sun") == sun and does("own", "own") == 0


def test_a_makers_order_holds_both_ways():
    p = house(button=True)
    turn = (InTurn("pack", "unit", "the pack's manual"),)
    assert wrong(p, "unit1/button", in_turn=turn) & NOT_IN_TURN
    assert not wrong(p, "unit1/button", "own1", in_turn=turn)
    assert wrong(p, "own1", "own1", "unit1/button", in_turn=turn) & NOT_IN_TURN, "down: the reverse"
    assert not wrong(p, "own1", "own1", in_turn=turn)


def test_a_button_does_nothing_where_nothing_powers_the_unit():
    p = house(button=True)
    assert not faults(p, "unit1/button", "out1", "main", "tie") & BACK_FED


def test_every_hazard_has_a_bit_of_its_own():
    bits = [h.bit for h in EVERY]
    assert len(set(bits)) == len(bits) and all(b.bit_count() == 1 for b in bits)


def test_what_a_battery_fuse_draws_is_the_banks_arc_not_a_strings():
    """Drawn under load it parts the bank's volts and amperes; what the books say of arrays (690.15,
    62548) is not said of it, and its handle is what stands in the way.
    """
    d = design(Plan.model_validate(SHAPES["packs fused at the bus"]), catalogue())
    slip = next(
        s
        for s in d.wake.way.slips
        if d.wake.way.plant.levers[s.k].id == "dc-bus/fuses" and not s.closing
    )
    lever = d.wake.way.plant.levers[slip.k]
    (hazard,) = [h for h in slip.hazards if h.name == "moved under load"]
    says, figures = does(hazard, d.wake.facts, lever)
    assert figures == (d.bank.v_max, d.bank.i_all) and d.bank.v_max.text in says
    assert rule_of(hazard, d.wake.facts.book, lever) == "common practice"
    assert slip.guard == "drawn only with its handle"
    parted = next(s for s in d.wake.way.slips if d.wake.way.plant.levers[s.k].kind == "connectors")
    lever = d.wake.way.plant.levers[parted.k]
    assert does(hazard, d.wake.facts, lever)[1] == (d.wake.facts.string_v, d.wake.facts.string_a)
    assert "690" in rule_of(hazard, d.wake.facts.book, lever)
