"""The transformers of a job: every channel and step follows from plan and kit; what is wrong is
said in words, and what mends it is told apart.
"""

import copy
from dataclasses import replace

import pytest

from gumboot.catalogue import catalogue
from gumboot.core.link import ct
from gumboot.core.link.measuring import faults, in_words, measuring
from gumboot.core.link.testing import by_heart
from gumboot.core.link.wiring import OPEN, SEES, STEPS_AT, right
from gumboot.core.plan import Plan
from gumboot.demo import plans
from tests.designs import design


def changed(document, change):
    """A plan's document with something changed."""
    out = copy.deepcopy(document)
    change(out)
    return out


def of(document, meter=None):
    d = design(Plan.model_validate(document), catalogue())
    found = catalogue().meters.get(meter or "")
    return measuring(d.plan, d.inverter, found, d.harness.leads, "house")


def test_channels_follow_from_the_supply_and_its_pv_inverters():
    assert of(plans.TERN_HOLLOW).channels == ("CT 1, L1", "CT 2, L2")
    assert of(plans.SALTINGS_BARN).channels == ("CT 1, L1", "CT 2, L2", "CT 3, L3")
    assert of(plans.MOSSBANK_TERRACE).channels == ("CT 1, L1", "CT 2, PV L1")
    assert of(plans.JUNIPER_CUT) is None


@pytest.mark.parametrize("name", ["TERN_HOLLOW", "SALTINGS_BARN", "MOSSBANK_TERRACE"])
def test_every_step_is_one_a_crew_can_make(name):
    m = of(getattr(plans, name))
    assert all(d.at in STEPS_AT and max(d.row) > 0 for d in m.drives)
    assert all(len(d.row) == len(m.lines) for d in m.drives)
    assert all(abs(s.watts) >= 300 for s in m.steps(60.0))
    assert max(abs(s.watts) for s in m.steps(300.0)) >= 1500


@pytest.mark.parametrize("name", ["TERN_HOLLOW", "SALTINGS_BARN", "MOSSBANK_TERRACE"])
@pytest.mark.parametrize("noise", [60.0, 150.0])
def test_watts_are_in_all_and_each_line_sees_five_times_the_noise(name, noise):
    """A unit that charges on three lines is asked for three times what one line wants; two loads
    together are so many W in all, half on each.
    """
    m = of(getattr(plans, name))
    for step, drive in zip(m.steps(noise), m.drives, strict=True):
        shown = ct.shows(m.setup, right(m.setup), step)
        on_service = [
            abs(w) for w, c in zip(shown, right(m.setup), strict=True) if c.place == "service"
        ]
        assert sum(on_service) == pytest.approx(abs(step.watts), rel=1e-4), drive.says
        if abs(step.watts) < drive.most_w:
            assert max(on_service) >= 5 * noise, drive.says


def test_a_sub_panel_that_transformers_miss_is_found_by_a_step_in_it():
    """Clips behind the branch of a sub-panel see every load but its own."""
    assert not any(d.at == "sub-panel" for d in of(plans.SALTINGS_BARN).drives)
    named = changed(plans.SALTINGS_BARN, lambda d: d.update(linking={"sub_panel": "barn panel"}))
    m = of(named)
    assert sum(d.at == "sub-panel" for d in m.drives) == 3
    wiring = tuple(replace(c, place="without the sub-panel") for c in right(m.setup))
    shown = []
    for _ in range(9):
        belief = ct.believe(m.setup, shown)
        if belief.sure:
            break
        step, _ = ct.next_step(belief, m.steps(60.0), 60.0)
        shown.append(ct.Shown(step, ct.shows(m.setup, wiring, step), 60.0))
    assert belief.sure and ct.explanations(belief)[0].wiring == wiring
    assert any(m.drives[x.step.drive].at == "sub-panel" for x in shown)
    assert "misses the sub-panel" in in_words(m, wiring)


@pytest.mark.parametrize("name", ["TERN_HOLLOW", "SALTINGS_BARN", "MOSSBANK_TERRACE"])
def test_steps_by_heart_would_be_sure_of_what_is_right(name):
    """Made without a signal, one after the other, they are enough where all stands as it should."""
    m = of(getattr(plans, name))
    steps = by_heart(m, 60.0)
    shown = [ct.Shown(x, ct.shows(m.setup, right(m.setup), x), 60.0) for x in steps]
    assert 1 < len(steps) <= 6 and ct.believe(m.setup, shown).sure


def test_no_channel_is_tested_that_the_unit_cannot_read():
    """Two transformers' inputs, and a PV inverter beside: its own are on no input of this unit."""
    pv = {"power_w": 4000, "side": "grid side"}
    m = of(changed(plans.TERN_HOLLOW, lambda d: d["kit"].update(existing_pv=pv)))
    assert m.channels == ("CT 1, L1", "CT 2, L2")


def test_a_backed_up_load_passes_the_inverters_own_line():
    """Whole-house backup: all loads hang on the unit, so its own line carries them (common
    practice); nothing of it is drawn beside it.
    """
    assert {d.at for d in of(plans.TERN_HOLLOW).drives} == {"backed up", "inverter"}
    at = STEPS_AT.index("backed up")
    assert SEES["inverter"][at] and not SEES["house without inverter"][at]


def test_what_a_menu_and_what_a_hand_mends_are_told_apart():
    m = of(plans.TERN_HOLLOW)
    whole = right(m.setup)
    assert in_words(m, whole) == "Everything stands as it should." and faults(m, whole) == ()
    turned = (replace(whole[0], turned=True), whole[1])
    (one,) = faults(m, turned)
    assert "turned round" in one.says and one.menu and "toward the house" in one.hand
    swapped = (replace(whole[0], line=1), replace(whole[1], line=0))
    assert "exchanged" in in_words(m, swapped) and faults(m, swapped)[0].menu
    missing = (OPEN, whole[1])
    assert "shows nothing" in in_words(m, missing) and not faults(m, missing)[0].menu
    moved = (replace(whole[0], place="inverter"), whole[1])
    assert "at the service" in faults(m, moved)[0].hand and not faults(m, moved)[0].menu
    ratio = tuple(replace(c, ratio=2.0) for c in whole)
    assert "2 times" in in_words(m, ratio)


@pytest.mark.parametrize("name", ["TERN_HOLLOW", "SALTINGS_BARN", "MOSSBANK_TERRACE"])
@pytest.mark.parametrize("fault", ["none", "turned", "nowhere"])
def test_a_fault_of_a_demo_job_is_found_within_four_steps(name, fault):
    m = of(getattr(plans, name))
    wiring = list(right(m.setup))
    if fault == "turned":
        wiring[-1] = replace(wiring[-1], turned=True)
    if fault == "nowhere":
        wiring[-1] = OPEN
    shown = []
    for _ in range(4):
        belief = ct.believe(m.setup, shown)
        if shown and belief.sure:
            break
        step, _ = ct.next_step(belief, m.steps(40.0), 40.0)
        shown.append(ct.Shown(step, ct.shows(m.setup, tuple(wiring), step), 40.0))
    found = ct.explanations(ct.believe(m.setup, shown))[0]
    assert tuple(wiring) in (found.wiring, *found.alike)
    assert found.likely > 0.99


def test_a_meter_that_the_current_passes_has_no_transformer_to_test():
    document = changed(plans.MOSSBANK_TERRACE, lambda d: d["kit"].update(gateway=None))
    assert of(document, "fenwright-m1d") is None


def test_readings_that_no_wiring_shows_are_never_sure():
    """A step of 1.8 kW that shows as 5 kW on one channel and 700 W on the other."""
    m = of(plans.TERN_HOLLOW)
    step = ct.Step("backed up.L1", 0, 1800.0)
    other = ct.Step("backed up.L2", 1, 1800.0)
    shown = [ct.Shown(step, (5000.0, 700.0), 30.0), ct.Shown(other, (-5000.0, 700.0), 30.0)]
    belief = ct.believe(m.setup, shown)
    assert not ct.fits(belief, shown)
    assert belief.likely.sum() > 0.999 and not any(belief.likely != belief.likely)


def test_six_transformers_are_weighed_too():
    """A PV inverter on all three lines: three transformers at the service and three at it."""
    document = changed(
        plans.SALTINGS_BARN,
        lambda d: d["kit"].update(
            existing_pv={"power_w": 8000, "side": "grid side", "line": "all"}
        ),
    )
    m = of(document)
    assert len(m.channels) == 6
    wiring = list(right(m.setup))
    wiring[1] = replace(wiring[1], turned=True)
    shown = []
    for _ in range(6):
        belief = ct.believe(m.setup, shown)
        if shown and belief.sure:
            break
        found = ct.next_step(belief, m.steps(40.0), 40.0)
        if found is None:
            break
        shown.append(ct.Shown(found[0], ct.shows(m.setup, tuple(wiring), found[0]), 40.0))
    best = ct.explanations(ct.believe(m.setup, shown))[0]
    assert tuple(wiring) in (best.wiring, *best.alike) and best.likely > 0.9
