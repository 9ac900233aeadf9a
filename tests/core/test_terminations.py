"""Terminations: what is listed, in which order, and how a reading is judged. ISO 6789-1 deviations from memory; 20–100 % of scale is common practice."""

from datetime import date

import pytest
from hypothesis import given as forall
from hypothesis import strategies as st

from gumboot.catalogue import catalogue
from gumboot.core.design import design
from gumboot.core.terminations import Reading, Wrench, best_wrench, judge, standing, tolerance
from gumboot.core.working import given

TODAY = date(2026, 11, 23)
DRIVER = Wrench("1", "driver", "s1", 1, 6, date(2027, 1, 1))
MIDDLE = Wrench("2", "middle", "s2", 5, 25, date(2027, 1, 1))
STALE = Wrench("3", "stale", "s3", 5, 25, date(2026, 11, 22))


def m(nm):
    return given("M", nm, "N·m", "", "plate")


@pytest.mark.parametrize(
    ("rated", "reading", "verdict"),
    [
        (10, 9.4, "good"),
        (10, 9.39, "under"),
        (10, 10.6, "good"),
        (10, 10.61, "over"),
        (12, 11.52, "good"),
        (12, 11.51, "under"),
        (12, 12.48, "good"),
        (12, 12.49, "over"),
        (12, 12, "good"),
    ],
)
def test_six_per_cent_to_ten_newton_metres_four_above(rated, reading, verdict):
    assert judge(m(rated), reading, MIDDLE, TODAY)[0] == verdict
    assert tolerance(10) == 0.06 and tolerance(10.01) == 0.04


def test_a_tool_that_cannot_vouch():
    assert judge(m(12), 12, STALE, TODAY) == ("withheld", "stale's calibration ran out on 2026-11-22: use a tool in date")
    verdict, why = judge(m(0.8), 0.8, MIDDLE, TODAY)
    assert verdict == "withheld" and "5 to 25 N·m" in why
    assert judge(m(12), None, None, TODAY)[0] == "withheld"
    assert judge(None, None, None, TODAY)[0] == "done"


def test_the_best_wrench_reaches_and_is_in_date():
    assert best_wrench(5.5, [DRIVER, MIDDLE, STALE], TODAY) is DRIVER
    assert best_wrench(12, [DRIVER, STALE], TODAY) is None
    assert best_wrench(12, [DRIVER, MIDDLE, STALE], TODAY) is MIDDLE
    assert best_wrench(30, [DRIVER, MIDDLE], TODAY) is None
    assert not Wrench("4", "long", "s", 1, 100, TODAY).reaches(19)  # under 20 % of scale


def r(n, verdict, replaced=False, corrects=None):
    return Reading(str(n), 1.0, verdict, replaced, corrects)


def test_what_stands_after_readings():
    assert standing([]) is None
    assert standing([r(1, "under"), r(2, "good")]) == "good"
    assert standing([r(1, "good"), r(2, "under")]) == "under"
    assert standing([r(1, "over"), r(2, "good")]) == "over"  # soft copper and a stretched bolt do not get better
    assert standing([r(1, "over"), r(2, "good", replaced=True)]) == "good"
    assert standing([r(1, "over"), r(2, "good", corrects="1")]) == "good"  # the over was typed wrong
    assert standing([r(1, "good"), r(2, "withheld", corrects="1")]) == "withheld"


@forall(st.lists(st.tuples(st.sampled_from(["good", "under", "over", "withheld"]), st.booleans()), max_size=8))
def test_over_never_heals_by_itself(rows):
    readings = [r(i, v, rep) for i, (v, rep) in enumerate(rows)]
    last_over = max((i for i, (v, _) in enumerate(rows) if v == "over"), default=None)
    if last_over is not None:
        healed = any(rep for _, rep in rows[last_over + 1 :])
        assert (standing(readings) == "over") == (not healed)


@pytest.fixture
def listed(tern):
    return design(tern, catalogue()).terminations


def test_every_conductor_end_is_there_once(tern, listed):
    d = design(tern, catalogue())
    want = sum(2 * len(s.circuit.conductors) for s in d.circuits) + 2 * 2 + 3  # two factory joints an inverter, one a pack
    assert len(listed) == want == len({t.key for t in listed})
    assert [t.number for t in listed] == list(range(1, want + 1))


def test_order_factory_then_earth_then_battery_pv_grid_backup(listed):
    stages = list(dict.fromkeys(t.stage for t in listed))
    assert stages == ["Factory joints", "Protective earth", "Battery", "PV", "Grid", "Backup", "Generator"]
    assert all((t.conductor == "PE") == (t.stage == "Protective earth") for t in listed)


def test_the_live_end_is_landed_last(listed):
    number = {t.key: t.number for t in listed}
    assert number["pack-1.+@pack-1"] > number["pack-1.+@dc-bus"]
    assert number["pv-A.+@array-A"] > number["pv-A.+@inverter-1"]
    assert number["grid-feeder.L1@main-panel"] > number["grid-feeder.L1@grid-combiner"]
    assert max(number[f"battery-{i}.+@inverter-{i}"] for i in (1, 2)) < min(number[f"pack-{i}.+@pack-{i}"] for i in (1, 2, 3))


def test_what_each_carries(listed):
    by = {t.key: t for t in listed}
    lug = by["battery-1.+@inverter-1"]
    assert (lug.size, lug.end, lug.die, lug.strip_mm, lug.torque.n, lug.bit) == ("2/0", "lug", "hex 16.5 mm", 24, 12, "socket 13 mm")
    assert lug.label == "C9 INVERTER 1 BAT +"
    assert by["pv-A.+@inverter-1"].torque is None
    bar = by["grid-feeder.N@main-panel"]  # the panel's maker is silent: Annex I, 50 in·lb on 1 AWG
    assert bar.torque.n == pytest.approx(50 / 8.850746) and "Annex I" in bar.torque.source and bar.torque.doubt


def test_fine_strand_never_goes_bare_under_a_screw(listed):
    """Fine strand wants ferrules or lugs (common practice); earth under a bar's screw is ordinary strand."""
    assert all("fine-strand" not in t.cable or t.end in ("lug", "ferrule") for t in listed)
    assert {t.cable for t in listed if t.conductor == "PE"} == {"building wire, stranded copper, 90 °C"}


def test_screws_of_an_earth_bar_are_one_each(listed):
    screws = [(t.body, t.terminal) for t in listed if t.conductor == "PE"]
    assert len(set(screws)) == len(screws)


def test_too_many_earths_for_the_bar(tern):
    """Three strings, battery, grid, backup and generator bring seven earths to inverter 1; a bar of three screws is too short."""
    small = catalogue().inverters["marram-s8"].model_copy(update={"earth_screws": 3})
    book = catalogue()
    other = type(book)([small, *book.packs.values(), *book.modules.values(), *book.devices, *book.conductors])
    found = {f.key: f for f in design(tern, other).findings}
    assert "7 earth conductors come to inverter 1" in found["inverter-1.earth-screws"].says
    assert "lug.2/0" in found  # that catalogue has no lug chart
    assert "inverter-1.earth-screws" not in {f.key for f in design(tern, book).findings}
