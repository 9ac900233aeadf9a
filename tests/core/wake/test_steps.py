"""The walk of Wake: what is read and by which limits, what holds what, on every shape."""

import pytest
from scipy.integrate import solve_ivp

from gumboot.catalogue import catalogue
from gumboot.core.kit import Catalogue
from gumboot.core.plan import Plan
from gumboot.core.wake.chapters import steps_said
from gumboot.core.wake.steps import ON, island_pairs, pairs_of, steps_of
from gumboot.core.wake.work import work_at
from gumboot.demo import plans
from tests.core.wake.test_settle import JOBS
from tests.designs import design
from tests.shapes import SHAPES


def made(name):
    return design(Plan.model_validate(JOBS[name]), catalogue())


@pytest.mark.parametrize("name", list(JOBS))
def test_every_act_of_the_order_is_a_step_once_and_in_its_place(name):
    d = made(name)
    steps = steps_of(d)
    assert len({s.key for s in steps}) == len(steps)
    acts = [s for s in steps if s.does == "act"]
    assert [s.title for s in acts] == [d.wake.way.says(a) for a in d.wake.way.up.acts]
    assert [s.shows for s in acts] == [f"state-{n}" for n in range(len(acts))]
    for s in steps:
        if s.does in ("volt", "ohm", "megohm"):
            assert s.expects and (s.least is not None or s.most is not None), s.key


@pytest.mark.parametrize("name", list(JOBS))
def test_what_an_act_wants_is_read_before_it(name):
    """Packs meet only after the volts across the open breaker; nobody's capacitors without a
    precharge; no load before its volts.
    """
    d = made(name)
    steps = steps_of(d)
    keys = [s.key for s in steps]
    for act, step in zip(d.wake.way.up.acts, (s for s in steps if s.does == "act"), strict=True):
        lever = step.key.removeprefix("act.")
        for bit, gate in ((1 << 10, "equal"), (1 << 9, "precharge")):
            if act.readied & bit:
                assert keys.index(f"gate.{lever}.{gate}") < keys.index(step.key)
    first_load = next(s for s in steps if "come alive" in s.says)
    asked = [s for s in steps if s.key.startswith(first_load.key.replace("act.", "gate."))]
    assert asked or first_load.key == "act.main-panel.main"


def test_volts_of_a_supply_are_its_own():
    assert pairs_of("split-phase 120/240 V") == [
        *(("L1 to N", 120.0), ("L2 to N", 120.0), ("L1 to L2", 240.0))
    ]
    assert pairs_of("single-phase 230 V") == [("L1 to N", 230.0)]
    three = dict(pairs_of("three-phase 400/230 V"))
    assert three["L1 to L2"] == pytest.approx(3**0.5 * three["L1 to N"], rel=0.005)


def test_insulation_by_the_systems_volts():
    """IEC 62446-1, from memory: 500 V and 1 MΩ up to 500 V, 1000 V and 1 MΩ up to 1000 V."""
    for name in JOBS:
        for s in steps_of(made(name)):
            if s.key.startswith("cold.insulation."):
                letter = s.key[-1]
                volts = next(x for x in made(name).strings if x.letter == letter).v_oc_cold.n
                tester = 250 if volts <= 120 else 500 if volts <= 500 else 1000
                assert f"Tester at {tester} V" in s.says
                assert s.least == (0.5 if volts <= 120 else 1.0)
        if name == "HERON_SLIP":
            break


def test_what_flows_between_unequal_packs_and_into_capacitors():
    """Against scipy's integration: two packs as volts behind their resistance, one full and one
    empty, at the first moment; and a capacitor charged through the loop.
    """
    d = made("TERN_HOLLOW")
    f, bank = d.wake.facts, d.bank
    full, empty, r = bank.v_max.n, bank.v_min.n, bank.resistance.n
    ah = d.pack.capacity_ah * 3600

    def flows(_, q):  # open-circuit volts fall and rise with charge, between full and empty
        amps = (full - empty) * (1 - 2 * q[0] / ah) / (2 * r)
        return [amps]

    at = solve_ivp(flows, (0, 1e-3), [0.0], rtol=1e-9)
    assert f.between.n == pytest.approx(at.y[0][-1] / 1e-3, rel=1e-3)
    d = made("JUNIPER_CUT")
    farad = next(x for x in d.inrush.by_hand.inputs if x.symbol == "C_dc").n
    volts = next(x for x in d.inrush.bare.inputs if x.symbol == "V_max").n
    ohm = volts / d.inrush.bare.n
    rush = solve_ivp(lambda _, u: (volts - u) / (ohm * farad), (0, ohm * farad / 1000), [0.0])
    amps = (volts - rush.y[0][-1]) / ohm
    assert d.wake.facts.inrush.n == pytest.approx(amps, rel=2e-3)


@pytest.mark.parametrize("name", list(JOBS))
def test_a_box_is_dead_when_its_order_is_done(name):
    """Nothing of a body is fed but what is said to stay live; a load said to be alive is."""
    d = made(name)
    way, network = d.wake.way, d.network
    from gumboot.core.wake.settle import settle

    for b in network.bodies:
        for keep in ("", *way.plant.load_names):
            w = work_at(way, network, b.id, keep)
            end = w.acts[-1].after if w.acts else way.plant.serving
            rows = settle(way.plant, [end])
            spared = {s.node for s in w.stays}
            for n in network.of_body.get(b.id, ()):
                if n.id not in spared and "No order" not in w.why:
                    assert int(rows.feeds[0, way.plant.point_of[n.id]]) == 0, (b.id, n.id)
            for i, load in enumerate(way.plant.load_names):
                assert (load in w.alive) == bool(int(rows.loads[0]) >> i & 1)
            if keep and not w.why:
                assert keep in w.alive


def test_the_bus_is_worked_at_while_the_house_lives_on_the_bypass():
    d = made("TERN_HOLLOW")
    w = work_at(d.wake.way, d.network, "dc-bus", "the backed-up circuits")
    said = [d.wake.way.says(a) for a in w.acts]
    assert not w.why and w.alive == ("the backed-up circuits",)
    assert "Throw to this side: grid position, Transfer switch" in said
    assert {f"Open: own breaker, Pack {n}" for n in (1, 2, 3)} <= set(said)


def test_steps_in_words():
    assert steps_said((4,)) == "step 4"
    assert steps_said((4, 5, 6)) == "steps 4 to 6"
    assert steps_said((1, 3, 9)) == "steps 1, 3 and 9"


def test_the_cold_list_comes_before_the_first_act():
    for name in ("TERN_HOLLOW", "SALTINGS_BARN"):
        stages = [s.stage for s in steps_of(made(name))]
        assert stages.index(ON) == stages.count("Cold first")
    assert plans.TERN_HOLLOW["kit"]["packs"] == 3
    keys = [s.key for s in steps_of(made("TERN_HOLLOW"))]
    assert sum(k.startswith("cold.pack.") for k in keys) == 3


def test_a_precharge_by_hand_is_for_the_resistor_a_hand_has():
    """Five time constants of 100 Ω, whatever the pack's own resistor is; above 120 V, and where
    there is only a button, nobody lays one: the maker's word is asked.
    """
    shelf = catalogue()
    low, high = shelf.entries["marram-s8"], shelf.entries["marram-t10"]
    key = shelf.entries["saltmarsh-v5"]
    mine = [
        low.model_copy(update={"precharge_ohm": None, "capacitance_f": 0.02}),
        high.model_copy(update={"precharge_ohm": None}),
        key.model_copy(update={"precharge_ohm": None}),
    ]
    ids = {x.id for x in mine}
    kit = Catalogue([*mine, *(e for e in shelf.entries.values() if e.id not in ids)])
    d = design(Plan.model_validate(JOBS["TERN_HOLLOW"]), kit)
    assert d.pack.precharge_ohm == 22 and d.inrush.wait.n == pytest.approx(5 * 22 * 0.02)
    gates = [s for s in steps_of(d) if s.key.endswith(".precharge")]
    assert len(gates) == 2  # a breaker for each unit, behind packs that are on
    for s in gates:
        assert s.does == "volt" and s.wait_s == pytest.approx(5 * 100 * 0.02)
        assert "100 Ω" in s.says and d.inrush.by_hand.text in s.says
    d = design(Plan.model_validate(JOBS["SALTINGS_BARN"]), kit)
    (word,) = [s for s in steps_of(d) if s.key.endswith(".precharge")]
    assert word.does == "tick" and "maker's word" in word.says and "Ω" not in word.says


def test_a_board_that_one_line_feeds_is_read_on_that_line():
    """A single-phase unit on L2 of a three-phase house: in the island nothing is on L1 and L3."""
    d = made("one single-phase unit on L2")
    gates = [s for s in steps_of(d) if s.key.startswith("gate.loads-panel.main.")]
    fed = d.wake.way
    k = fed.plant.keys.index("loads-panel.main")
    state = fed.moves.row(next(a.state for a in fed.up.acts if a.k == k))
    of_grid = int(state.a[0, k] | state.b[0, k]) & 1
    lines = {s.title.split(" ")[0] for s in gates}
    assert lines == ({"L1", "L2", "L3"} if of_grid else {"L2"})
    assert island_pairs(d) == [("L2 to N", 230.0)]


@pytest.mark.parametrize(
    ("shape", "starts"),
    [
        ("AC-coupled", {"act.loads-panel.PV-breaker": "PV inverter starts by itself"}),
        (
            "a PV inverter on the house's panel beside a tap",
            {"act.house-panel.PV-breaker": "PV inverter starts by itself"},
        ),
        ("nothing backed up", {}),
    ],
)
def test_a_pv_inverter_is_told_where_it_gets_sun_and_a_voltage_to_follow(shape, starts):
    steps = steps_of(design(Plan.model_validate(SHAPES[shape]), catalogue()))
    said = {s.key: s.says for s in steps if "starts by itself" in s.says}
    assert {k: v.partition(",")[0] for k, v in said.items()} == starts


def test_a_pack_inside_its_unit_is_not_precharged_by_hand():
    """Its own switch closes inside the unit, where no hand has a resistor."""
    d = design(Plan.model_validate(SHAPES["packs inside the units"]), catalogue())
    assert not [x for x in steps_of(d) if "precharge" in x.title.lower()]


def test_an_output_behind_a_closed_breaker_is_not_said_to_be_alone():
    d = design(Plan.model_validate(SHAPES["one bank for all"]), catalogue())
    says = {x.title: x.says for x in steps_of(d)}
    first, second = (says[f"Inverter {n}: L1 to N"] for n in (1, 2))
    assert "nothing connected behind it" in first and "breaker closed" in second
