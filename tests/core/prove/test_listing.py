"""What is due on a job, and that nothing is due which it does not need."""

import pytest

from gumboot.catalogue import catalogue
from gumboot.core.codes import iec
from gumboot.core.plan import Plan
from gumboot.core.prove.dead import continuity
from gumboot.core.prove.due import STAGES
from gumboot.core.prove.listing import dues_of, gathers
from gumboot.core.prove.strings import Sky
from gumboot.demo.plans import (
    HERON_SLIP,
    JUNIPER_CUT,
    MOSSBANK_TERRACE,
    SALTINGS_BARN,
    TERN_HOLLOW,
)
from tests.designs import design
from tests.shapes import SHAPES, other

DEMO = (HERON_SLIP, JUNIPER_CUT, MOSSBANK_TERRACE, SALTINGS_BARN, TERN_HOLLOW)
BRIGHT = Sky(850, 48)


def listed(document, sky=BRIGHT):
    d = design(Plan.model_validate(document), catalogue())
    return d, {x.key: x for x in dues_of(d, sky)}


@pytest.mark.parametrize("document", [*DEMO, *SHAPES.values()], ids=lambda x: "")
def test_every_job_has_its_tests_each_once_in_order_with_limits(document):
    d, rows = listed(document)
    if d.inverter is None:
        assert not rows
        return
    order = [STAGES.index(x.stage) for x in rows.values()]
    assert order == sorted(order)
    for x in rows.values():
        assert x.title and x.instrument and x.clause and x.stands and x.method
        if x.does not in ("tick", "page"):
            assert x.least is not None or x.most is not None, x.key
            assert x.expects, x.key
            assert x.band is not None or x.limit is not None, x.key
        if x.least is not None and x.most is not None:
            assert x.least < x.most, x.key
    closes = [x.duty for x in rows.values() if x.duty]
    wanted = {f.key for f in d.duties if f.asked and gathers(f.asked)}
    assert set(closes) == wanted and len(closes) == len(set(closes))
    here = {b.id for b in d.bodies} | {"array", "generator", ""}
    assert {x.place for x in rows.values()} <= here | {f.place for f in d.duties}


def test_none_that_a_job_does_not_need():
    cabin = listed(JUNIPER_CUT)[1]
    assert not [k for k in cabin if k.startswith(("fault", "volts.grid", "export", "grid.", "rcd"))]
    assert {"generator.runs", "volts.island.L1-to-L2", "neutral.on-the-generator"} <= set(cabin)
    us = listed(HERON_SLIP)[1]
    assert not [k for k in us if k.startswith(("insulation.", "loop.", "rcd.", "rotation"))]
    assert us["shutdown.array"].most == 30
    terrace = listed(MOSSBANK_TERRACE)[1]
    assert not [k for k in terrace if k.startswith(("string.", "sky."))]
    nothing = listed(other(MOSSBANK_TERRACE, backup={"loads": "nothing"}))[1]
    assert not [k for k in nothing if "island" in k or k == "transfer.gap"]


def test_on_tt_residual_current_devices_are_tried_and_no_loop_is_asked():
    barn = listed(SALTINGS_BARN)[1]
    assert not [k for k in barn if k.startswith("loop.")]
    assert (barn["rcd.0.grid.time"].least, barn["rcd.0.grid.time"].most) == (130, 500)
    assert barn["rcd.1.island.time"].duty == "rcd.1.trips"
    assert barn["rcd.1.grid.ramp"].least == 15 and barn["rcd.1.grid.ramp"].most == 30


def test_loops_read_cold_are_two_thirds_of_what_trips():
    """IEC 60364-6 Annex D, from memory: Z ≤ 2/3 · 230 / I_a; C25 trips at 250 A: 0.613 Ω."""
    d, rows = listed(MOSSBANK_TERRACE)
    by = {x.circuit: x for x in d.loops}
    for key, x in rows.items():
        if key.startswith("loop."):
            assert x.most == pytest.approx(2 / 3 * 230 / by[x.circuit].trip.n)
            assert x.band.expected.n == by[x.circuit].grid.n


def test_a_sound_loop_over_two_thirds_is_judged_the_precise_way():
    """0.75 Ω at the service: two thirds of 230 / 250 are 0.61 Ω, and C25 trips up to 0.95 · 230 /
    250 = 0.874 Ω, less what the conductors grow by when hot; with 2 Ω only a residual-current
    device of 300 mA trips, at 230 / (5 · 0.3 A).
    """
    sound = {**MOSSBANK_TERRACE, "supply": {**MOSSBANK_TERRACE["supply"], "loop_ohm": 0.75}}
    d, rows = listed(sound)
    by = {x.circuit: x for x in d.loops}
    for key, x in rows.items():
        if key.startswith("loop.") and by[x.circuit].trip.n == 250:
            grown = by[x.circuit].grid.n - 0.75
            assert 0.874 - grown / 5 <= x.most <= 0.874 and x.band.high > 0.613
            assert x.band.expected.n < x.most
    device = {"kind": "residual-current device", "at": "main-panel", "trip_ma": 300, "type": "B"}
    high = other(MOSSBANK_TERRACE, supply__loop_ohm=2, safeguards=[device])
    _, rows = listed(high)
    loops = [x.most for k, x in rows.items() if k.startswith("loop.")]
    assert loops and loops == pytest.approx([230 / (5 * 0.3)] * len(loops))


def test_a_motor_is_started_however_large_a_heater_is():
    """The hardest start is of what draws more as it starts, not of the largest load."""
    oven = {"id": "oven", "name": "Oven", "kind": "resistive", "running_w": 30_000, "legs": "L1+L2"}
    document = other(TERN_HOLLOW, loads=[*TERN_HOLLOW["loads"], {**oven, "backed": True}])
    before, after = (listed(x)[1]["start.hardest"].title for x in (TERN_HOLLOW, document))
    assert before == after and "Oven" not in after


def test_an_earth_reads_as_its_table_and_length_say():
    """6 mm² class 2 over 10 m: 3.08 Ω/km (IEC 60228, from memory) is 0.031 Ω, and the joints."""
    d, rows = listed(SALTINGS_BARN)
    for s in d.circuits:
        band, size = continuity(s), str(s.protective.value)
        plain = iec.resistance(size).n * s.conditions.run.length_m / 1000
        assert band.expected.n == pytest.approx(plain + 0.025)
        assert rows[f"earth.{s.id}"].most == pytest.approx(band.high, abs=0.006)


def test_awg_earths_are_brought_to_the_cold():
    """4 AWG: 0.308 Ω/kft at 75 °C is 0.2615 at 20 °C (Chapter 9 Table 8, note 2, from memory)."""
    d, _ = listed(TERN_HOLLOW)
    from gumboot.core.codes import nec

    for s in d.circuits:
        size = str(s.protective.value)
        cold = nec.dc_resistance(size).n / (1 + 0.00323 * 55) / 304.8
        want = cold * s.conditions.run.length_m + 0.025
        assert continuity(s).expected.n == pytest.approx(want, rel=1e-6)


def test_strings_are_expected_closer_once_the_light_is_read():
    blind, seen = listed(SALTINGS_BARN, Sky())[1], listed(SALTINGS_BARN)[1]
    wide, close = blind["string.A.open"], seen["string.A.open"]
    assert wide.most - wide.least > 2 * (close.most - close.least)
    assert "closer once the light is read" in wide.expects
    assert wide.band is None and close.band.off.n / close.band.expected.n < 0.05


def test_the_grid_profile_says_how_long_it_watches():
    """IEEE 1547-2018 300 s; EN 50549-1 60 s; from memory."""
    assert listed(HERON_SLIP)[1]["grid.rejoins"].limit.n == 300
    assert listed(MOSSBANK_TERRACE)[1]["grid.rejoins"].limit.n == 60


def test_an_existing_pv_that_obeys_frequency_may_lift_it():
    obeys = listed(MOSSBANK_TERRACE)[1]["hertz.island"].most
    assert obeys == 52.5 and listed(SALTINGS_BARN)[1]["hertz.island"].most == 50.5


def test_an_export_limit_of_each_phase_is_held_on_each():
    tariff = {**SALTINGS_BARN["energy"]["tariff"], "export_limit_w": 2000}
    each = other(SALTINGS_BARN, energy__tariff={**tariff, "export_limit_of": "each phase"})
    assert "on each phase" in listed(each)[1]["export.held"].expects


@pytest.mark.parametrize(
    ("document", "ways"),
    [
        (SALTINGS_BARN, ["backup", "loads"]),
        (MOSSBANK_TERRACE, ["grid", "loads"]),
        (TERN_HOLLOW, ["backup", "backup-feeder", "loads"]),
        (SHAPES["a stack per inverter"], ["backup", "backup-feeder", "loads"]),
        (SHAPES["single-phase units on three lines"], ["grid", "grid-feeder", "loads"]),
    ],
)
def test_the_sag_is_a_load_flows(document, ways):
    """Volts under the named load against pandapower: every circuit on the way a line of its own,
    those of one line side by side, the load at their end; out and back as twice the resistance.
    """
    import pandapower as pp

    from gumboot.core.prove.island import one_way

    d, rows = listed(document)
    band = rows["sag.load"].band
    figures = {f.symbol: f.n for f in band.expected.inputs}
    net = pp.create_empty_network()
    volts = figures["U"] * 3**0.5 / 1000
    a = at = pp.create_bus(net, vn_kv=volts)
    pp.create_ext_grid(net, a)
    for family in ways:
        own = [s for s in d.circuits if s.circuit.family == family]
        own = [s for s in own if "L1" in s.circuit.conductors]
        assert own
        to = pp.create_bus(net, vn_kv=volts)
        for s in own:
            ohm = figures["n_c"] * one_way(s).n
            pp.create_line_from_parameters(net, at, to, 1.0, ohm, 1e-5, 0.0, max_i_ka=1.0)
        at = to
    pp.create_load(net, at, p_mw=3 * figures["P"] / 1e6)  # one line of a balanced three
    pp.runpp(net)
    lost = (1 - net.res_bus.vm_pu[at]) * figures["U"]
    assert lost > 0.01
    assert figures["U"] - band.expected.n == pytest.approx(lost, rel=0.05)


def test_one_conductor_has_the_resistance_of_its_metal():
    """R = rho · L / A, copper 0.01724 Ω·mm²/m (IEC 60028): a table's row is a little more, by its
    lay and its stranding.
    """
    from gumboot.core.prove.island import one_way

    d, _ = listed(MOSSBANK_TERRACE)
    for s in (s for s in d.circuits if s.circuit.system == "ac"):
        bare = 0.01724 * s.conditions.run.length_m / float(s.size.split()[0]) / s.sets
        assert 0.97 * bare < one_way(s).n < 1.12 * bare


def test_an_off_grid_job_is_tried_in_its_island():
    for document in (JUNIPER_CUT, SHAPES["off grid, two units"]):
        _, rows = listed(document)
        assert "On the grid" not in {x.stage for x in rows.values()}
        said = " ".join(f"{x.title} {x.stands} {' '.join(x.method)}" for x in rows.values())
        assert "the grid there" not in said and "grid charging" not in said
        assert rows["sum.closes"].title == "Array, battery and generator against the loads"


def test_where_nothing_is_backed_up_the_main_board_is_read():
    _, rows = listed(SHAPES["nothing backed up"])
    own = [x for k, x in rows.items() if k.startswith("volts.")]
    assert own and all(x.place == "main-panel" and "main panel" in x.title for x in own)
    assert not [x for x in rows.values() if "backed-up" in x.title]


def test_a_line_is_asked_of_the_unit_that_feeds_it():
    three = listed(SHAPES["single-phase units on three lines"])[1]
    for n in (1, 2, 3):
        assert three[f"volts.island.L{n}-to-N"].reads == f"{n}:output L1 V"
    one = listed(SHAPES["one single-phase unit on L2"])[1]
    assert one["volts.grid.L2-to-N"].reads == "1:output L1 V"
    assert one["volts.grid.L1-to-N"].reads == "" and "volts.island.L1-to-N" not in one


def test_residual_devices_are_tried_where_they_are_fed():
    """Behind the main board and on a grid side with an output apart: on the grid alone. On a unit's
    only side, or the backed-up circuits: in the island too, where the duty is closed.
    """

    def with_at(document, at):
        return listed(other(document, safeguards=[{"kind": "residual-current device", "at": at}]))

    for document, at, island in (
        (SALTINGS_BARN, "main-panel", False),
        (SALTINGS_BARN, "grid-1", False),
        (SALTINGS_BARN, "loads-panel", True),
        (MOSSBANK_TERRACE, "grid-1", True),
        (MOSSBANK_TERRACE, "changeover", False),
    ):
        d, rows = with_at(document, at)
        duty = next(f for f in d.duties if f.key == "rcd.0.trips")
        assert ("in an island" in duty.says) is island, (at, duty.says)
        assert ("rcd.0.island.time" in rows) is island, (at, island)
        closes = rows["rcd.0.island.time" if island else "rcd.0.grid.time"]
        assert closes.duty == "rcd.0.trips", at
    assert with_at(MOSSBANK_TERRACE, "grid-1")[1]["rcd.0.grid.time"].place == "gateway"


def test_the_main_boards_devices_say_how_much_they_break():
    rows = listed(MOSSBANK_TERRACE)[1]
    assert rows["fault.main"].limit.n == rows["fault.main"].most
    assert rows["fault.main"].limit.source


def test_the_prospective_current_is_read_where_no_survey_told_the_loop():
    """IEC 60364-6 6.4.3.7.3: every device breaks what can flow where it stands, on TT too, where
    the loop of an earth fault is the electrode's and says nothing of a short to neutral."""
    known, earth = listed(MOSSBANK_TERRACE)[1], listed(SALTINGS_BARN)[1]
    silent = listed(other(MOSSBANK_TERRACE, supply__loop_ohm=None))[1]
    assert known["fault.main"].band is not None
    for rows in (earth, silent):
        assert rows["fault.main"].band is None and rows["fault.main"].most == 10_000
    assert "fault.main" not in listed(HERON_SLIP)[1]


@pytest.mark.parametrize(
    ("document", "trips", "most"),
    [
        (SALTINGS_BARN, (300, 30), 50 / 0.3),  # the least sensitive one decides: 167 Ω
        (SALTINGS_BARN, (500, 30), 100.0),
        (SALTINGS_BARN, (100,), 500.0),
        (SALTINGS_BARN, (30,), 50 / 0.03),  # 1,667 Ω: much, and enough
        (SALTINGS_BARN, (), 200.0),
        (SHAPES["TN-S with an electrode of its own"], (30,), 200.0),
        (MOSSBANK_TERRACE, (30,), None),
        (HERON_SLIP, (), None),
    ],
)
def test_an_electrode_is_measured_where_the_job_hangs_on_it(document, trips, most):
    """R_A · I_Δn ≤ 50 V (IEC 60364-4-41 411.5.3), by hand."""
    own = [
        {"kind": "residual-current device", "at": "main-panel", "trip_ma": t, "type": "B"}
        for t in trips
    ]
    rows = listed(other(document, safeguards=own))[1]
    due = rows.get("earth.electrode")
    assert (due is None) is (most is None)
    if due is not None:
        assert due.most == pytest.approx(most) and due.stage == "Dead, before Wake"
        assert "locked off" in due.stands and due.who == "a licensed person"
        assert ("changes with the weather" in due.expects) is (most > 200)


def test_off_grid_the_electrode_is_measured_at_the_board_that_is_there():
    off = {"supply__kind": "off-grid", "supply__earthing": None, "supply__electrode": "own"}
    d, rows = listed(other(SALTINGS_BARN, **off))
    assert rows["earth.electrode"].place in {b.id for b in d.bodies} - {"main-panel"}


@pytest.mark.parametrize("document", [*DEMO, *SHAPES.values()], ids=lambda x: "")
def test_no_two_walks_name_a_step_alike(document):
    """Entries of every walk stand in one log, each under its step's key."""
    from gumboot.core.link.steps import steps_of as link_steps
    from gumboot.core.wake.steps import steps_of as wake_steps

    d, rows = listed(document)
    own = {x.key for x in rows.values() if not x.known}
    assert not own & {s.key for s in wake_steps(d)}
    if d.harness is not None:
        assert not own & {s.key for s in link_steps(d.harness)}


@pytest.mark.parametrize(
    ("shape", "several"),
    [
        ("a bank per inverter, on buses", True),
        ("a stack per inverter", True),
        ("one bank for all", False),
    ],
)
def test_every_bank_is_proved_where_each_unit_has_its_own(shape, several):
    _, dues = listed(SHAPES[shape])
    for key in ("battery.volts", "battery.capacity", "soc.apart"):
        assert ("Each bank in turn" in str(dues[key])) is several, key
