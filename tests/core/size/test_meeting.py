"""PV inverters beside the units: the current they are sized for, and what an island takes of them.
Sums by hand; the margin is IEC 60364-7-712's, from memory.
"""

from math import sqrt

import pytest

from gumboot.catalogue import catalogue
from gumboot.core.basis.patch import apply
from gumboot.core.plan import Plan
from gumboot.core.prove.listing import dues_of
from gumboot.core.wake.steps import grid_pairs
from gumboot.demo.plans import JUNIPER_CUT, MOSSBANK_TERRACE, SALTINGS_BARN, TERN_HOLLOW
from tests.designs import design
from tests.shapes import SHAPES, SHORT, THREE, US, other, runs

YES = {"obeys_frequency": "yes"}
LINES = {
    **{"kit__inverters": 3, "kit__packs": 3, "kit__banks": "one per inverter", **THREE},
    "runs": runs(MOSSBANK_TERRACE, grid_feeder=SHORT, backup_feeder=SHORT),
}


def of(document, *pv, **changes):
    """The design of a plan with some PV inverters."""
    first, *more = [{**YES, **x} for x in pv]
    plan = other(document, **changes, kit__existing_pv=first, kit__more_pv=more)
    return design(Plan.model_validate(plan), catalogue())


def found(d, key):
    return [f for f in d.findings if f.key == key]


@pytest.mark.parametrize(
    ("document", "changes", "pv", "amps"),
    [
        (MOSSBANK_TERRACE, {}, {"power_w": 3600}, 1.1 * 3600 / 230),
        (MOSSBANK_TERRACE, {}, {"power_w": 3600, "current_a": 16}, 16),
        (MOSSBANK_TERRACE, LINES, {"power_w": 8000}, 1.1 * 8000 / (sqrt(3) * 400)),
        (MOSSBANK_TERRACE, LINES, {"power_w": 3000, "line": "L2"}, 1.1 * 3000 / 230),
        # 705.28(A): the plate's rated current, here as its power has it
        (TERN_HOLLOW, {"runs": runs(TERN_HOLLOW, existing_pv=US)}, {"power_w": 6000}, 25.0),
    ],
)
def test_a_pv_inverter_is_sized_by_its_plate_or_with_the_books_margin(document, changes, pv, amps):
    (row,) = [s for s in of(document, pv, **changes).circuits if s.id == "existing-pv"]
    assert row.circuit.current.n == pytest.approx(amps, rel=0.002)


@pytest.mark.parametrize(
    ("pv", "changes", "says"),
    [
        ([{"power_w": 3000}, {"power_w": 3000}], {}, "up to 6 kW; the battery inverter takes in 5"),
        ([{"power_w": 6000, "line": "L2"}], LINES, "6 kW on L2; the battery inverters take in 5"),
        ([{"power_w": 2000, "line": "L1"}, {"power_w": 9300}], LINES, "5.1 kW on L1"),
        ([{"power_w": 16000}], LINES, "up to 16 kW; the battery inverters take in 15 kW."),
    ],
)
def test_what_pv_inverters_push_together_on_a_line_is_too_much_for_an_island(pv, changes, says):
    d = of(MOSSBANK_TERRACE, *pv, **changes)
    (stop,) = found(d, "pv.island")
    assert says in stop.says and stop.level == "stop"
    plan = d.plan.model_dump(mode="json")
    for cure in stop.cures:
        mended = design(Plan.model_validate(apply(plan, cure.changes)), catalogue())
        assert not found(mended, "pv.island")


@pytest.mark.parametrize(
    ("pv", "changes"),
    [
        # nothing is backed up: in an outage nothing runs
        ([{"power_w": 8000}], {"kit__gateway": None, "backup": {"loads": "nothing"}}),
        # a line typed while the house had three
        ([{"power_w": 4900, "line": "L2"}], {}),
        ([{"power_w": 3000}, {"power_w": 3000, "side": "grid side"}], {}),
        ([{"power_w": 4600, "line": "L2"}, {"power_w": 4600, "line": "L3"}], LINES),
        # of three lines only L2 is fed: what stands on another, or on all, does not run
        ([{"power_w": 6000, "line": "L1"}, {"power_w": 9000}], {"kit__lines": "L2", **THREE}),
    ],
)
def test_what_an_island_takes_is_no_stop(pv, changes):
    assert not found(of(MOSSBANK_TERRACE, *pv, **changes), "pv.island")


def test_off_grid_every_pv_inverter_is_in_the_island():
    """Whatever side it was said to feed: there is one side only."""
    d = of(
        JUNIPER_CUT, {"power_w": 7000, "side": "grid side"}, runs=runs(JUNIPER_CUT, existing_pv=US)
    )
    (stop,) = found(d, "pv.island")
    assert stop.says.startswith("Off grid") and not any(c.changes for c in stop.cures)


def test_more_sun_than_the_battery_may_be_charged_with_is_said_where_it_is_keyed():
    """40 A into 51.2 V: 2 kW of 3.6."""
    quiet = of(MOSSBANK_TERRACE, {"power_w": 3600})
    keyed = next(s.key for s in quiet.settings if s.rule == "charge")
    d = of(MOSSBANK_TERRACE, {"power_w": 3600}, settings={keyed: 40})
    (check,) = found(d, "set.charge.sun")
    volts = d.bank.v_nom.n
    assert f"40 A charge the battery with {40 * volts / 1000:.3g} kW" in check.says
    assert not found(quiet, "set.charge.sun") and check.cures[0].changes
    mended = apply(d.plan.model_dump(mode="json"), check.cures[0].changes)
    assert not found(design(Plan.model_validate(mended), catalogue()), "set.charge.sun")


@pytest.mark.parametrize(
    ("document", "pv", "cures"),
    [(JUNIPER_CUT, {"power_w": 5000}, 1), (TERN_HOLLOW, {"power_w": 5000}, 2)],
)
def test_a_generator_takes_nothing_back(document, pv, cures):
    """Common practice: the sun stays off while a generator runs."""
    (check,) = found(of(document, pv), "generator.sun")
    assert "up to 5 kW" in check.says and check.level == "check" and len(check.cures) == cures
    assert not found(of(document, {**pv, "side": "grid side"}), "generator.sun") or cures == 1
    assert not found(of(document, pv, kit__generator=None), "generator.sun")


@pytest.mark.parametrize(
    ("document", "pv"),
    [
        (MOSSBANK_TERRACE, {"power_w": 3600, "current_a": 1.6}),
        (TERN_HOLLOW, {"power_w": 6000, "current_a": 20}),
    ],
)
def test_a_plate_below_what_the_power_comes_to_was_misread(document, pv):
    """3.6 kW at 230 V is 15.7 A: 1.6 A would make its conductor a bell wire."""
    d = of(document, pv)
    (stop,) = found(d, "pv-inverter.plate")
    mended = apply(d.plan.model_dump(mode="json"), stop.cures[0].changes)
    assert not found(design(Plan.model_validate(mended), catalogue()), "pv-inverter.plate")
    watts = pv["power_w"]
    assert not found(
        of(document, {"power_w": watts, "current_a": watts / 225}), "pv-inverter.plate"
    )


def test_findings_about_the_sun_show_their_sums():
    d = of(MOSSBANK_TERRACE, {"power_w": 3000}, {"power_w": 3000}, kit__generator={"power_w": 9000})
    (stop,), (check,) = found(d, "pv.island"), found(d, "generator.sun")
    assert [f.n for f in stop.figures] == [6000, 5000] and check.figures[0].n == 6000


def test_a_tap_asks_for_the_bus_of_the_house_only_where_a_pv_inverter_feeds_it():
    """705.11: a tap ahead of the main puts nothing on the bar."""
    tap = SHAPES["a tap beside the house's panel"]
    bare = other(tap, supply={**tap["supply"], "bus_a": None})
    assert not found(design(Plan.model_validate(bare), catalogue()), "supply.bus_a")
    assert found(of(bare, {"power_w": 5000, "side": "grid side"}), "supply.bus_a")


def test_what_single_phase_sources_push_into_one_line_more_than_another():
    """5 kW on L2 of three lines: 5 kW apart, over 4.6 (VDE-AR-N 4105, from memory); one on each
    line, or an export held to 3.68 kW: nothing to say.
    """
    one = other(MOSSBANK_TERRACE, kit__lines="L2", kit__existing_pv=None, **THREE)
    free = {**one, "energy": {**one["energy"], "tariff": {}}}
    apart = found(design(Plan.model_validate(free), catalogue()), "supply.imbalance")
    assert "5 kW into L2 and 0 W into L1" in apart[0].says
    held = {**one, "energy": {**one["energy"], "tariff": {"export_limit_w": 3680}}}
    assert not found(design(Plan.model_validate(held), catalogue()), "supply.imbalance")
    spread = other(MOSSBANK_TERRACE, **{**LINES, "kit__existing_pv": None})
    assert not found(design(Plan.model_validate(spread), catalogue()), "supply.imbalance")


def test_a_board_on_one_line_is_read_on_that_line_with_the_grid_on_too():
    unit = other(SALTINGS_BARN, kit__gateway=None, backup__bond="inverter")
    d = design(Plan.model_validate(unit), catalogue())
    assert [x for x, _ in grid_pairs(d)] == ["L1 to N", "L2 to N", "L3 to N", "L1 to L2"]
    three = SHAPES["units of 120 V on three lines"]
    one = other(three, kit__inverters=1, kit__lines="L2", backup__loads="essential board")
    d = design(Plan.model_validate(one), catalogue())
    assert [x for x, _ in grid_pairs(d)] == ["L2 to N"]
    rows = {x.key for x in dues_of(d)}
    assert "volts.grid.L2-to-N" in rows and "volts.grid.L1-to-N" not in rows
    assert "rotation.grid" not in rows
