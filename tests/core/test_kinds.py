"""Every kind of system: what is laid out, under which book it is sized, where neutral is bonded,
and what may never meet.
"""

import pytest

from gumboot.catalogue import catalogue
from gumboot.core.basis.patch import apply
from gumboot.core.basis.sizes import area_mm2
from gumboot.core.brief.loads.findings import load_rule
from gumboot.core.codes import books
from gumboot.core.network.bonds import by_state
from gumboot.core.network.currents import output_current
from gumboot.core.plan import Plan
from gumboot.core.size.conductors import IEC
from gumboot.core.size.strings import string_fuse
from gumboot.demo.plans import HERON_SLIP, JUNIPER_CUT, MOSSBANK_TERRACE, SALTINGS_BARN, TERN_HOLLOW
from tests.conftest import altered, off_wall
from tests.designs import design

BOOK = catalogue()


def plan(document, **changes):
    made = Plan.model_validate(document)
    for path, value in changes.items():
        made = altered(made, "/" + path.replace("__", "/"), value)
    return made


def made(p):
    d = design(p, BOOK)
    return d, {s.id: s for s in d.circuits}, {f.key: f for f in (*d.findings, *d.duties)}


def test_the_demo_jobs_have_the_faults_they_are_meant_to_have_and_no_other():
    stops = {
        n: [f.key for f in design(Plan.model_validate(p), BOOK).findings if f.level == "stop"]
        for n, p in (
            ("tern", TERN_HOLLOW),
            ("heron", HERON_SLIP),
            ("saltings", SALTINGS_BARN),
            ("mossbank", MOSSBANK_TERRACE),
            ("juniper", JUNIPER_CUT),
        )
    }
    assert stops == {
        "tern": [
            "pv-C.cold",
            "battery-2.conductor",
            "bus.overfed",
            "board.L1.running",
            "wall-A.near.pack-1.pack-2",
            "wall-A.wood.inverter-2",
        ],
        "heron": [],
        "saltings": [],
        "mossbank": [],
        "juniper": [],
    }


def test_three_phase_ten_kilowatts():
    """10 kW at 400 V is 14.4 A a line; makers name a 25 A breaker (common practice, checks of the
    trade).
    """
    _, s, _ = made(plan(SALTINGS_BARN))
    grid = s["grid-1"]
    rated = [f for f in grid.circuit.current.walk() if f.symbol == "I_inv"]
    assert not rated or rated[0].n == pytest.approx(14.43, abs=0.01)
    assert output_current(BOOK.inverters["marram-t10"]).n == pytest.approx(14.43, abs=0.01)
    assert grid.protection.n == 25 and grid.circuit.conductors == ("L1", "L2", "L3", "N", "PE")
    assert (
        grid.size == "4 mm²" and grid.trial.at_terminal.n == 32
    )  # B.52.4, PVC method C, three loaded: 24 A at 2.5 mm² · 0.94 is under 25


def test_iec_drop_of_three_phases_is_to_neutral():
    """Annex G: b = 1 on three phases, of 230.9 V; 22 A through 14 m of 4 mm²: 0.0225·14/4·22 =
    1.7325 V, 0.75 %.
    """
    _, s, _ = made(off_wall(SALTINGS_BARN))
    assert s["grid-1"].trial.drop.n == pytest.approx(1.7325) and s[
        "grid-1"
    ].trial.drop_pct.n == pytest.approx(0.750, abs=0.001)


@pytest.mark.parametrize(
    ("amps", "method", "ambient", "company", "size"),
    [
        (16, "C", 30, 1, "1.5 mm²"),
        (20, "C", 30, 1, "2.5 mm²"),
        (25, "B2", 30, 1, "4 mm²"),
        (32, "C", 30, 1, "4 mm²"),
        (32, "B2", 35, 1, "6 mm²"),
        (40, "C", 40, 1, "6 mm²"),
        (50, "C", 30, 3, "16 mm²"),
        (63, "C", 30, 1, "10 mm²"),
        (63, "B2", 30, 2, "25 mm²"),
        (63, "E", 30, 1, "10 mm²"),
        (16, "A2", 30, 1, "2.5 mm²"),
        (32, "A2", 30, 1, "6 mm²"),
        (20, "B1", 50, 2, "6 mm²"),
        (50, "D1", 30, 1, "10 mm²"),
        (63, "D1", 35, 1, "16 mm²"),
    ],
)
def test_iec_sizes_by_hand(amps, method, ambient, company, size):
    """Single phase, PVC, I_n ≤ I_t·k_t·k_g. Worked by hand from B.52.2, B.52.10, B.52.14/15,
    B.52.17 (from memory): for instance
    63 A, B2, two circuits together: 63/0.8 = 78.75 ≤ 90 (25 mm²); 50 A in a duct at 30 °C: 60·0.89
    = 53.4 (10 mm²).
    """
    p = plan(
        MOSSBANK_TERRACE,
        backup__board_a=amps,
        runs__loads__method=method,
        runs__loads__ambient_c=ambient,
        runs__loads__in_raceway=company,
        runs__loads__length_m=1,
    )
    s = made(p)[1]["loads"]
    assert s.protection.n == amps
    tried = (
        IEC.judge(s.circuit, s.conditions, s.cable, x, 1, s.i_req, s.protection)
        for x in s.cable.sizes
    )  # whatever the terminals take
    assert next(j.size for j in tried if j.enough) == size


def test_nec_aluminium_where_it_is_allowed():
    """200 A feeder, 160 A continuous: 250 kcmil aluminium carries 205 A at 75 °C (310.16, from
    memory), 3/0 copper 200 A; earth 6 AWG copper.
    """
    s = made(off_wall(TERN_HOLLOW))[1]["loads"]
    assert (s.size, s.cable.material, str(s.protective.value)) == ("250", "Al", "6")
    assert (
        s.trial.drop.inputs[3].source.endswith("Table 9")
        and "aluminium" in s.trial.drop.inputs[3].lookup
    )
    copper = made(off_wall(plan(TERN_HOLLOW, runs__loads__material="Cu")))[1]["loads"]
    assert (copper.size, copper.cable.material) == ("3/0", "Cu")
    assert len(s.choices) == 2 and s.choices[0].cost.n < s.choices[1].cost.n


def test_a_terminal_for_copper_only_takes_no_aluminium():
    """Heron's inverter ports are copper only; its service panel takes both (the maker's plate)."""
    p = plan(MOSSBANK_TERRACE, runs__loads__material="Al", runs__loads__length_m=20)
    s = made(p)[1]["loads"]
    assert s.cable.material == "Cu"  # the gateway takes copper only
    box = next(t for t in s.circuit.source.terminals if t.conductor == "L1")
    assert box.metals == ("Cu",)
    assert made(off_wall(TERN_HOLLOW))[1]["loads"].cable.material == "Al"


def test_parallel_conductors_start_at_one_ought():
    """NEC 310.10(G): two sets of 1/0 or more; terminals must hold both. 2 · 230 A at 75 °C serve
    what 12 packs of 40 A push in free air.
    """
    p = plan(HERON_SLIP, kit__pack="tidewell-5r", kit__packs=12, runs__pack__parallel=2)
    s = made(p)[1]["pack-1"]
    assert (s.sets, s.size) == (2, "4/0") and s.trial.in_place.formula.startswith("n_set")
    assert "pack-1.parallel" in made(p)[2]
    assert (
        len([t for t in made(p)[0].terminations if t.circuit == "pack-1" and t.conductor == "+"])
        == 4
    )
    lone = made(plan(HERON_SLIP, runs__grid__parallel=2))[2]["grid-1.conductor"]
    assert lone.level == "stop"


def test_conductors_that_share_a_raceway_are_counted_together():
    """Two split-phase circuits in one way: four current-carrying conductors, 80 % (310.15(C)(1));
    one conduit for both, one earth.
    """
    p = plan(TERN_HOLLOW, runs__grid__raceway="trunk", runs__grid__in_raceway=None)
    d, s, _ = made(p)
    assert s["grid-1"].conditions.together == 4 and s["grid-1"].trial.in_place.inputs[2].n == 0.8
    way = next(r for r in d.raceways if r.name == "trunk")
    assert (
        way.circuits == ("grid-1", "grid-2")
        and way.area.n == pytest.approx(6 * 0.0824 + 0.0366)
        and way.conduit.value == "1-1/4"
    )


def test_what_does_not_go_into_the_breaker_is_named():
    """Eight conductors together want 3 AWG; the breaker takes 4 AWG at most: the finding names the
    terminal.
    """
    p = plan(TERN_HOLLOW, runs__grid__in_raceway=8)
    assert (
        "does not fit" in made(p)[2]["grid-1.conductor"].says
        or "may be protected" in made(p)[2]["grid-1.conductor"].says
    )


def test_the_bank_of_an_off_grid_cabin():
    """24 cells of 2 V: 48 V; 6 kW / (0.92 · 24 · 1.85 V) = 146.9 A, the port's 150 A is more; fuse
    200 A at the post.
    """
    d, s, _ = made(plan(JUNIPER_CUT))
    assert d.bank.v_nom.n == 48 and d.bank.i_inverter.n == 150 and s["pack-1"].protection.n == 200
    assert (
        sum(t.stage == "Bars and links" for t in d.terminations) == 46
    )  # two bolts for each of 23 bars
    settings = {x.id: x.value for x in d.settings}
    assert (
        settings["battery_type"] == "lead, flooded"
        and settings["equalise"] == "on"
        and settings["link"] == "none"
    )
    assert settings["absorb_v"] == pytest.approx(24 * 2.43, abs=0.05) and settings[
        "cut_v"
    ] == pytest.approx(24 * 1.85)


@pytest.mark.parametrize(
    ("series", "key"), [(7, None), (10, None), (3, "bank.class"), (11, "bank.class")]
)
def test_a_stack_stays_inside_the_inverters_window(series, key):
    """V5: 44.8 to 57.6 V a module; the T10's window is 180 to 600 V: four to ten modules."""
    found = made(plan(SALTINGS_BARN, kit__series=series))[2]
    assert ("bank.class" in found) == (key is not None)
    if key:
        assert found[key].level == "stop" and found[key].cures[0].changes[0].value in range(4, 11)


def test_a_stack_on_a_low_voltage_inverter_is_a_stop():
    found = made(plan(MOSSBANK_TERRACE, kit__pack="saltmarsh-v5", kit__series=7))[2]["bank.class"]
    assert found.level == "stop" and "403 V" in found.says


def test_lead_cells_on_an_inverter_that_charges_lithium_only():
    assert (
        "is flooded"
        in made(plan(HERON_SLIP, kit__pack="saltmarsh-l800", kit__series=24, kit__packs=1))[2][
            "bank.class"
        ].says
    )


def test_three_phases_on_a_single_phase_supply():
    found = made(plan(MOSSBANK_TERRACE, kit__inverter="marram-t10"))[2]
    assert found["supply.kind"].level == "stop" and found["supply.kind"].cures[1].changes


def test_the_other_code_book_is_a_stop_with_a_cure():
    found = made(plan(SALTINGS_BARN, code="nec-2023"))[2]["code.supply"]
    assert found.level == "stop" and found.cures[0].changes[0].value == "iec-60364"


def test_a_way_of_running_cable_the_book_does_not_know():
    found = made(plan(SALTINGS_BARN, runs__grid__method="raceway"))[2]["grid-1.method"]
    assert found.level == "stop" and found.cures[0].changes[0].value == "C"
    string = made(altered(plan(SALTINGS_BARN), "/strings/0/run/method", "free-air"))[2][
        "pv-A.method"
    ]
    assert string.cures[0].changes[0].path == "/strings/0/run/method"


def test_packs_in_cabinets_up_to_five_of_five():
    d, s, _ = made(plan(HERON_SLIP, kit__pack="tidewell-5r", kit__packs=25))
    assert (
        next(b for b in d.bodies if b.id == "pack-1").label == "5 cabinets"
        and "bank.cabinets" not in made(d.plan)[2]
    )
    bars = [t.key for t in d.terminations if t.stage == "Bars and links"]
    assert sum("row-bar" in k for k in bars) == 8  # two bars between each pair of five
    # both posts and the earth of every pack inside
    assert (
        sum("inside.post" in k for k in bars) == 50 and sum("inside.earth" in k for k in bars) == 25
    )
    assert s["pack-1"].circuit.name == "Cabinets to battery bus"


def test_a_stack_in_two_towers_is_bridged():
    d, _, found = made(plan(SALTINGS_BARN, kit__towers=2))
    assert [t.terminal for t in d.terminations if t.stage == "Bars and links"] == [
        "Copper bar between the towers, upper bolt",
        "Copper bar between the towers, lower bolt",
    ]
    assert made(plan(HERON_SLIP, kit__towers=2))[2]["bank.towers"].level == "stop"
    assert "bank.towers" not in found


def test_an_all_in_one_unit_has_no_battery_circuit():
    d, s, _ = made(
        plan(
            HERON_SLIP,
            kit__inverter="fenwright-w7",
            kit__pack=None,
            kit__packs=0,
            kit__gateway="fenwright-g200",
            kit__inverters=2,
        )
    )
    assert (d.bank.count, d.bank.banks, d.bank.total) == (1, 2, 2) and not any(
        x.circuit.system == "dc" for x in s.values()
    )
    assert {b.id for b in d.bodies} >= {"gateway", "loads-panel", "grid-combiner"}


def test_an_islanding_box_has_its_sense_and_control_pairs():
    d, _, _ = made(plan(HERON_SLIP, kit__gateway="fenwright-i100"))
    assert {x.name for x in d.links} >= {"sense", "control"}


# neutral at the changeover, who bonds when islanded, generator bonded: how many bonds islanded, on
# the generator
BONDS = [
    ("solid", "service", False, 1, 1),
    ("solid", "inverter", False, 2, 2),
    ("switched", "service", False, 0, 0),
    ("switched", "inverter", False, 1, 1),
    ("solid", "service", True, 1, 2),
    ("switched", "inverter", True, 1, 2),
    ("switched", "service", True, 0, 1),
]


@pytest.mark.parametrize(("neutral", "bond", "generator", "islanded", "running"), BONDS)
def test_one_bond_in_every_state(neutral, bond, generator, islanded, running):
    """The service's bond reaches the house only through a solid neutral; a relay or a bonded
    generator adds its own (NEC 250.30, 250.34).
    """
    p = plan(
        TERN_HOLLOW, backup__neutral=neutral, backup__bond=bond, kit__generator__bonded=generator
    )
    d, _, found = made(p)
    bonds = by_state(d.bonds)
    assert (len(bonds["islanded"]), len(bonds["on the generator"])) == (islanded, running)
    assert ("bond.island" in found) == (islanded != 1) and ("bond.generator" in found) == (
        running != 1
    )
    assert ("bond.one.islanded" in found) == (islanded == running == 1)


@pytest.mark.parametrize(
    ("document", "changes", "key"),
    [
        (TERN_HOLLOW, {"backup__neutral": "switched"}, "bond.island"),
        (TERN_HOLLOW, {"backup__bond": "inverter"}, "bond.island"),
        (TERN_HOLLOW, {"kit__generator__bonded": True}, "bond.generator"),
        (TERN_HOLLOW, {"backup__changeover": "loose breakers"}, "source.meet"),
        (SALTINGS_BARN, {"backup__bond": "service"}, "bond.island"),
        (JUNIPER_CUT, {"backup__bond": "service"}, "bond.island"),
        (JUNIPER_CUT, {"kit__generator__interlock": False}, "source.generator"),
        (MOSSBANK_TERRACE, {"kit__existing_pv__power_w": 6000.0}, "pv.island"),
        (
            MOSSBANK_TERRACE,
            {"kit__more_pv": [{"power_w": 2000.0, "obeys_frequency": "yes"}]},
            "pv.island",
        ),
        (MOSSBANK_TERRACE, {"kit__existing_pv__obeys_frequency": "no"}, "pv.frequency"),
        (
            SALTINGS_BARN,
            {"kit__generator": {"power_w": 15000, "lands": "inverter"}},
            "generator.port",
        ),
        (MOSSBANK_TERRACE, {"kit__gateway": None}, "source.island"),
        (
            SALTINGS_BARN,
            {"kit__generator": {"power_w": 15000, "lands": "loads panel"}},
            "bond.generator",
        ),
    ],
)
def test_sources_that_meet_and_bonds_that_are_wrong_are_stops_that_a_click_cures(
    document, changes, key
):
    p = plan(document, **changes)
    found = made(p)[2][key]
    assert found.level == "stop"
    cure = next(c for c in found.cures if c.changes)
    after = Plan.model_validate(apply(p.model_dump(mode="json"), cure.changes))
    assert key not in made(after)[2] or made(after)[2][key].level != "stop"


def test_a_generator_under_the_inverter_it_feeds():
    """A 6 kW unit wants more than 6 kW (common practice)."""
    assert "generator.small" in made(plan(JUNIPER_CUT, kit__generator__power_w=6000))[2]
    assert "generator.small" not in made(plan(JUNIPER_CUT, kit__generator__power_w=6500))[2]


def test_loops_grid_fed_and_islanded():
    """0.21 Ω outside; 63 A curve C trips up to 0.95·230/630 = 0.347 Ω. Islanded 44 A never trips
    it: said, with the cure.
    """
    d, _, found = made(off_wall(MOSSBANK_TERRACE))
    loads = next(x for x in d.loops if x.circuit == "loads")
    own = 1.2 * (1.83 + 1.83) * 3 / 1000  # 10 mm² line and earth over 3 m, hot
    feeder = 1.2 * (1.83 + 1.83) * 2 / 1000
    assert loads.grid.n == pytest.approx(
        0.21 + own + feeder, abs=1e-6
    ) and loads.limit.n == pytest.approx(0.3468, abs=1e-4)
    assert found["loop.islanded"].level == "note" and "loads.loop" not in found
    bare = made(off_wall(plan(MOSSBANK_TERRACE, safeguards=[])))[2]["loop.islanded"]
    assert bare.level == "check" and bare.cures[0].changes[0].value[0]["trip_ma"] == 30
    unit = next(
        x for x in d.loops if x.circuit == "grid-1"
    )  # behind the gateway: the feeder to it is part of its loop
    assert unit.grid.n == pytest.approx(0.21 + feeder + 1.2 * (4.61 + 4.61) * 4 / 1000, abs=1e-6)
    weak = made(plan(MOSSBANK_TERRACE, supply__loop_ohm=0.6))[2]
    assert weak["loads.loop"].level == "check"


def test_the_residual_current_device_follows_the_declaration():
    none = made(plan(SALTINGS_BARN, safeguards=[]))[2]
    assert "type A" in none["rcd.type"].says
    assert "type B" in made(plan(MOSSBANK_TERRACE))[2]["rcd.type"].says


def test_a_tap_ahead_of_the_main_needs_no_bus_rule_but_a_service_that_carries_it():
    """705.11(A): two 8 kW units put out 66.7 A, their rated sum; 4 AWG service copper carries 85 A
    at
    75 °C, 6 AWG 65 A, 4 AWG aluminium 65 A. The electrode by 250.66.
    """
    p = plan(TERN_HOLLOW, supply__connection="supply-side tap", supply__service_size="4")
    unknown = made(p)[2]["supply.service.over"]
    assert "taken as aluminium" in unknown.says and unknown.cures[0].changes[0].value == "Cu"
    p = altered(p, "/supply/service_metal", "Cu")
    d, _, found = made(p)
    assert (
        d.bus is None
        and "bus.overfed" not in found
        and "supply.tap" in found
        and "supply.service.over" not in found
    )
    assert d.gec.value == "8"
    assert (
        made(plan(TERN_HOLLOW, supply__connection="supply-side tap", supply__service_size="6"))[2][
            "supply.service.over"
        ].level
        == "stop"
    )


def test_string_fuses_by_both_books():
    """14 A modules, 25 A at most: NEC 1.5625·14 = 21.9 so 25 A; IEC 21 < I_n < 33.6 so 25 A. An
    older 9.8 A sheet with 15 A: NEC 15.3, none.
    """
    new, old = BOOK.modules["reedbed-430"], BOOK.modules["reedbed-300"]
    assert string_fuse(new, books.NEC).n == 25 and string_fuse(new, books.IEC).n == 25
    assert string_fuse(old, books.NEC) is None and string_fuse(old, books.IEC).n == 15


def test_one_string_set_over_two_bridged_trackers():
    """The other school: where the maker allows it, identical strings land on trackers bridged,
    whose currents add.
    """
    p = altered(
        altered(plan(JUNIPER_CUT), "/strings/0/tracker", "1+2"), "/strings/1/tracker", "1+2"
    )
    found = made(p)[2]
    assert not any(k.startswith("pv-") and f.level == "stop" for k, f in found.items())
    alone = made(altered(plan(JUNIPER_CUT), "/strings/0/tracker", "1+2"))[2]
    assert "inverter-1.tracker-2.bridged" in alone
    assert (
        "pv-A.tracker" in made(altered(plan(HERON_SLIP), "/strings/0/tracker", "1+2"))[2]
    )  # this maker does not allow it


def test_a_sheet_without_coefficients_says_what_was_taken():
    found = made(plan(HERON_SLIP, kit__module="reedbed-300"))
    assert "Voc and Vmp" in found[2]["strings.coefficients"].says
    assert found[0].strings[0].v_oc_cold.formula == "n * V_oc * F_cold"


def test_what_a_smaller_conductor_permits_is_on_the_label_and_in_the_menu():
    """50 A port on 8 AWG: 50/1.25 = 40 A at 75 °C terminals; the label says so and the unit's menu
    is keyed to it.
    """
    p = plan(HERON_SLIP, fitted={"grid-1": {"size": "8"}})
    d, s, _ = made(p)
    assert s["grid-1"].label_text.endswith("8 AWG · 70 A · LIMIT 40 A continuous")
    assert next(x for x in d.settings if x.id == "grid_a").value == 40


def test_a_lug_that_has_no_such_hole():
    rows = {k: v.model_copy(update={"studs": ("M6",)}) for k, v in BOOK.lugs.items()}
    other = type(BOOK)(
        [
            *BOOK.inverters.values(),
            *BOOK.packs.values(),
            *BOOK.modules.values(),
            *BOOK.devices,
            *BOOK.conductors,
        ]
    )
    other.lugs = rows
    assert (
        "has an M8 hole"
        in {f.key: f for f in design(plan(HERON_SLIP), other).findings}["lug.250.M8"].says
    )


def test_every_source_is_in_exactly_one_row_and_a_person_walks_the_list():
    for document in (TERN_HOLLOW, SALTINGS_BARN, MOSSBANK_TERRACE, JUNIPER_CUT):
        d, _, found = made(plan(document))
        named = [k for x in d.disconnects for k in x.sources]
        assert sorted(named) == sorted(s.id for s in d.network.sources)
        switches = {k for x in d.disconnects for k in x.switches}
        assert switches <= set(d.network.switch)
        assert f"{len(switches)} disconnects" in found["disconnects"].says
        assert all(x.rule and x.opened_by for x in d.disconnects)


def test_bonding_conductors():
    """IEC 544.1.1: half the installation's earthing conductor, 6 mm² at least, 25 at most."""
    service = plan(SALTINGS_BARN, supply__service_size="25 mm²")
    assert (
        made(plan(SALTINGS_BARN))[0].bonding.value == "10 mm²"  # 63 A main: 16 mm² at least
        and made(service)[0].bonding.value == "10 mm²"
        and made(plan(SALTINGS_BARN, supply__service_size="95 mm²"))[0].bonding.value == "25 mm²"
        and made(plan(TERN_HOLLOW))[0].bonding is None
    )


def test_a_raceway_on_the_roof_is_hotter():
    """NEC 310.15(B)(2): 33 °C are added; 37.8 + 33 = 70.8 °C is past the row of 70, so 0.50 for 90
    °C insulation (row up to 75).
    """
    s = made(altered(plan(TERN_HOLLOW), "/strings/0/run/method", "raceway-on-roof"))[1]
    assert (
        s["pv-A"].trial.in_place.inputs[1].n == 0.50
        and "310.15(B)(2)" in s["pv-A"].trial.in_place.assumption
    )
    assert s["pv-A"].size == "10" and s["pv-B"].size == "12"  # 12 AWG: 30 · 0.5 = 15 A under 17.5 A


def test_an_earth_that_a_slow_breaker_would_burn():
    """1.2 Ω and a breaker that waits: 5 s are taken, √(I²·5)/115; an earth of 1.5 mm² is under it,
    and said as a stop.
    """
    p = altered(off_wall(plan(MOSSBANK_TERRACE, supply__loop_ohm=1.2)), "/fitted", {})
    d, _, found = made(p)
    loop = next(x for x in d.loops if x.circuit == "existing-pv")
    least = 230 / loop.grid.n * 5**0.5 / 115
    assert (
        loop.grid.n > loop.limit.n
        and least > 1.5
        and found["existing-pv.adiabatic"].level == "stop"
    )
    after = Plan.model_validate(
        apply(p.model_dump(mode="json"), found["existing-pv.adiabatic"].cures[0].changes)
    )
    assert "existing-pv.adiabatic" not in made(after)[2]


def test_off_grid_the_electrode_follows_from_what_the_units_make():
    """250.66 by the largest line of the derived system, 250.30(A)(5): 2 AWG or less asks for 8."""
    plan = Plan.model_validate(JUNIPER_CUT)
    d = design(plan, catalogue())
    assert max(area_mm2(s.size) for s in d.circuits if s.circuit.family == "backup") <= 33.7
    assert d.gec.value == "8"
    keys = {t.key for t in d.terminations}
    assert {"electrode.PE@loads-panel", "electrode.PE@electrode"} <= keys
    big = {"backup-1": {"size": "4/0"}}
    assert design(plan.model_copy(update={"fitted": {}}), catalogue()).gec.value == "8"
    grown = design(Plan.model_validate({**JUNIPER_CUT, "fitted": big}), catalogue())
    assert grown.gec.value == "2"  # over 3/0 to 350 kcmil


@pytest.mark.parametrize(
    ("document", "clause"),
    [(HERON_SLIP, "702.4(A)(2)"), (JUNIPER_CUT, "710.15(A)"), (SALTINGS_BARN, "common practice")],
)
def test_what_is_backed_up_is_carried_by_its_clause(document, clause):
    plan = Plan.model_validate(document)
    assert clause in load_rule(plan)
