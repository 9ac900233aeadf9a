"""What is due on a job, and that nothing is due which it does not need."""

import pytest

from gumboot.catalogue import catalogue
from gumboot.core.codes import iec
from gumboot.core.design import design
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


@pytest.mark.parametrize("document", [SALTINGS_BARN, MOSSBANK_TERRACE, TERN_HOLLOW])
def test_the_sag_is_a_load_flows(document):
    """Volts under the named load against pandapower: the way there as a line, the load at its end;
    out and back as one line of twice the resistance.
    """
    import pandapower as pp

    from gumboot.core.prove.island import WAY, one_way

    d, rows = listed(document)
    band = rows["sag.load"].band
    figures = {f.symbol: f.n for f in band.expected.inputs}
    ways = {s.circuit.family for s in d.circuits} & set(WAY)
    ohm = sum(max(one_way(s) for s in d.circuits if s.circuit.family == w) for w in ways)
    assert figures["R"] == pytest.approx(ohm)
    net = pp.create_empty_network()
    a, b = (pp.create_bus(net, vn_kv=figures["U"] * 3**0.5 / 1000) for _ in range(2))
    pp.create_ext_grid(net, a)
    pp.create_line_from_parameters(
        net, a, b, 1.0, figures["n_c"] * ohm, 1e-5, 0.0, max_i_ka=1.0
    )  # one line of a balanced three: a phase loses R · I
    pp.create_load(net, b, p_mw=3 * figures["P"] / 1e6)
    pp.runpp(net)
    assert net.res_bus.vm_pu[b] * figures["U"] == pytest.approx(band.expected.n, rel=2e-3)
