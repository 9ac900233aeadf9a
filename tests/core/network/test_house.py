"""Which mains a house has, and which units feed which of its lines: by hand."""

import pytest

from gumboot.catalogue import catalogue
from gumboot.core.basis.patch import apply
from gumboot.core.network import house
from gumboot.core.plan import Plan
from gumboot.demo.plans import JUNIPER_CUT, MOSSBANK_TERRACE
from tests.designs import design
from tests.shapes import SHAPES, other

BOOK = catalogue()
CABIN, TERRACE = SHAPES["one line of 120 V"], SHAPES["single-phase units on three lines"]


def asked(document, **changes):
    plan = Plan.model_validate(other(document, **changes))
    return plan, BOOK.inverters[plan.kit.inverter]


@pytest.mark.parametrize(
    ("lines", "made"),
    [
        ("", "single-phase 120 V"),
        ("L1 L1", "single-phase 120 V"),
        ("L1 L2", "split-phase 120/240 V"),
        ("L1 L2 L3", "three-phase 208Y/120 V"),
        ("L2 L3", "single-phase 120 V"),  # no mains has those lines alone
    ],
)
def test_off_grid_the_units_make_the_house(lines, made):
    count = max(len(lines.split()), 1)
    assert house.house_supply(*asked(CABIN, kit__inverters=count, kit__lines=lines)) == made


@pytest.mark.parametrize(
    ("document", "lines", "told"),
    [
        (CABIN, "L2 L3", "L1, L2 make split-phase 120/240 V"),
        (CABIN, "L1 L2", ""),
        (CABIN, "L2 L2", ""),
        (TERRACE, "L3 L1", ""),
        (SHAPES["AC-coupled"], "L2", "it has L1"),
    ],
)
def test_lines_that_no_house_has_are_a_stop(document, lines, told):
    plan, _ = asked(document, kit__inverters=len(lines.split()), kit__lines=lines)
    found = {f.key: f for f in design(plan, BOOK).findings}
    assert ("kit.lines" in found) is bool(told)
    if told:
        assert told in found["kit.lines"].says
        cured = apply(plan.model_dump(mode="json"), found["kit.lines"].cures[0].changes)
        again = design(Plan.model_validate(cured), BOOK).findings
        assert "kit.lines" not in {f.key for f in again}


@pytest.mark.parametrize(
    ("lines", "loads", "told"),
    [
        ("L1 L1 L2", "whole house", True),
        ("L1 L2 L3", "whole house", False),
        ("L1 L1 L2", "essential board", False),
    ],
)
def test_a_whole_house_with_a_dark_line_is_a_check(lines, loads, told):
    plan, _ = asked(TERRACE, kit__inverters=3, kit__lines=lines, backup__loads=loads)
    found = {f.key: f for f in design(plan, BOOK).findings}
    assert ("backup.lines" in found) is told
    assert not told or "stands on L3" in found["backup.lines"].says


def test_off_grid_three_units_of_230_volts_make_three_phases():
    plan, unit = asked(
        MOSSBANK_TERRACE, supply={"kind": "off-grid"}, kit__inverters=3, kit__lines="L1 L2 L3"
    )
    assert house.house_supply(plan, unit) == "three-phase 400/230 V"
    assert house.neutral_v(plan, unit).n == 230


def test_with_a_grid_the_house_has_its_mains():
    plan, unit = asked(TERRACE)
    assert house.house_supply(plan, unit) == plan.supply.kind == "three-phase 400/230 V"
    plan, _ = asked(JUNIPER_CUT)
    assert house.house_supply(plan, None) == "split-phase 120/240 V"


@pytest.mark.parametrize(
    ("lines", "on", "most", "fewest"),
    [
        ("", {"L1": 2, "L2": 1, "L3": 1}, 2, 1),  # in turn
        ("L1 L1 L1 L2", {"L1": 3, "L2": 1, "L3": 0}, 3, 1),
        ("L3", {"L1": 1, "L2": 1, "L3": 2}, 2, 1),  # those not named go on in turn
    ],
)
def test_units_on_lines(lines, on, most, fewest):
    plan, unit = asked(TERRACE, kit__inverters=4, kit__lines=lines)
    assert house.units_on(plan, unit) == on
    assert house.most_on_a_line(plan, unit) == most
    assert house.fewest_on_a_line(plan, unit) == fewest


def test_units_of_several_lines_feed_them_all():
    plan, unit = asked(SHAPES["one bank for all"])
    assert house.units_on(plan, unit) == {"L1": 2, "L2": 2}
    assert house.line_of(plan, unit, 1) == "" and not house.shared_out(plan, unit)


def test_the_feeder_carries_the_busiest_line():
    """Two of three 5 kW units on L1: 2 × 21.7 × 1.1 A on it (IEC 60364-7-712)."""

    def feeder(lines):
        plan = Plan.model_validate(other(TERRACE, kit__inverters=3, kit__lines=lines))
        return next(s for s in design(plan, BOOK).circuits if s.id == "grid-feeder")

    assert feeder("L1 L1 L2").circuit.current.n == pytest.approx(2 * feeder("").circuit.current.n)


def test_two_units_of_120_volts_make_240():
    """Each on a line of its own: 40 A there, and the drop between the lines a part of 240 V."""
    d = design(Plan.model_validate(SHAPES["two units of 120 V make 120/240 V"]), BOOK)
    at = {s.id: s.circuit for s in d.circuits}
    assert [at[f"backup-{n}"].conductors[0] for n in (1, 2)] == ["L1", "L2"]
    feeder = at["backup-feeder"]
    assert feeder.conductors == ("L1", "L2", "N", "PE") and feeder.current.n == 40
    assert (at["backup-1"].voltage.n, feeder.voltage.n) == (120, 240)
    bypass = at["generator-bypass"]
    assert bypass.current.n == pytest.approx(7500 / 240) and bypass.voltage.n == 240
    modes = [next(s.value for s in d.menu(n) if s.id == "phase_mode") for n in (1, 2)]
    assert modes == ["phase L1", "phase L2"]
    assert "supply.single" not in {f.key for f in d.duties}
