"""Sharing among packs against a nodal solve of its own and the closed form; inrush, peak, fault."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from gumboot.catalogue import catalogue
from gumboot.core.plan import Plan
from gumboot.core.size.sharing import SCHEMES, shares
from gumboot.demo.plans import HERON_SLIP, JUNIPER_CUT, TERN_HOLLOW
from tests.conftest import altered, off_wall
from tests.designs import design

ohms = st.floats(1e-5, 0.05)


def found(plan):
    d = design(plan, catalogue())
    return d, {f.key: f for f in (*d.findings, *d.duties)}


@given(ohms, ohms, st.floats(1, 500))
def test_two_packs_have_a_closed_form(r, jumper, total):
    """Take-off at one end: the far pack's loop has both jumpers more, I_1/I_2 = (R + 2j)/R.
    Diagonal: each path has one jumper, so halves.
    """
    near, far = shares("one end", r, [jumper, jumper], total)
    assert near / far == pytest.approx(
        (r + 2 * jumper) / r, rel=1e-6
    ) and near + far == pytest.approx(total)
    assert shares("diagonal", r, [jumper, jumper], total) == pytest.approx((total / 2, total / 2))


@given(ohms, st.lists(ohms, min_size=2, max_size=8), st.floats(1, 800))
@settings(max_examples=60, deadline=None)
def test_shares_equal_a_mesh_solve_with_the_voltages_in(r, leads, total):
    """Kirchhoff by meshes, with 51.2 V behind each pack and a load that draws `total`: another road
    than nodes without voltages.
    """
    n = len(leads)
    for scheme in SCHEMES:
        m, b = np.zeros((n, n)), np.zeros(n)
        m[0], b[0] = 1, total
        for k in range(1, n):  # around packs k − 1 and k and the two rails between them
            if scheme == "star":
                m[k, k - 1], m[k, k] = r + 2 * leads[k - 1], -(r + 2 * leads[k])
                continue
            m[k, k - 1] += -r
            m[k, k] += r
            beyond = np.zeros(n)
            beyond[k:] = 1  # taken off at the near end, the plus rail here carries all packs beyond
            before = np.zeros(n)
            before[:k] = 1
            m[k] += leads[k] * beyond
            m[k] += leads[k] * (beyond if scheme == "one end" else -before)
        assert shares(scheme, r, leads, total) == pytest.approx(
            np.linalg.solve(m, b), rel=1e-6, abs=1e-6 * total
        )


def test_one_end_is_the_worst_and_a_click_mends_it():
    """Three packs of 10 mΩ with 20 ft jumpers: the first pack works far over the mean; star shares
    alike.
    """
    plan = altered(
        altered(off_wall(TERN_HOLLOW), "/kit/takeoff", "one end"), "/runs/pack/length_m", 6.0
    )
    d, f = found(plan)
    assert d.sharing.over_mean > 0.10 and f["bank.share"].level in ("check", "stop")
    change = f["bank.share"].cures[0].changes[0]
    assert (change.path, change.value) == ("/kit/takeoff", "star")
    star = found(altered(plan, "/kit/takeoff", "star"))
    assert "bank.share" not in star[1] and star[0].sharing.over_mean < 1e-9


def test_unequal_leads_of_a_star_show_up():
    plan = altered(off_wall(TERN_HOLLOW), "/runs/pack-3", {"length_m": 20.0, "method": "free-air"})
    d, f = found(plan)
    assert d.sharing.amps["star"][2] < d.sharing.amps["star"][0] and "bank.share" in f


def test_jumpers_of_a_chain_carry_what_lies_beyond_them():
    """Three packs, opposite ends: the far jumper carries one pack's 200 A behind its own breaker,
    the next two packs', the lead the whole bank behind a main fuse.
    """
    plan = altered(Plan.model_validate(TERN_HOLLOW), "/kit/takeoff", "diagonal")
    s = {x.id: x for x in design(plan, catalogue()).circuits}
    assert [s[f"pack-{i}"].circuit.current.n for i in (3, 2, 1)] == [200, 380, 380]
    assert [s[f"pack-{i}"].circuit.load.body for i in (3, 2, 1)] == ["pack-2", "pack-1", "dc-bus"]
    assert (s["pack-3"].protection.n, s["pack-2"].protection.n) == (250, 500) and s[
        "pack-1"
    ].circuit.own_protection is None


def test_inrush_and_precharge_by_hand():
    """57.6 V over 10 mΩ/2 packs and cable of 250 kcmil; 5 · 22 Ω · 20 mF = 2.2 s."""
    d, f = found(off_wall(HERON_SLIP))
    cable = 2 * (6 + 5) * 0.0515 / 1000
    assert d.inrush.bare.n == pytest.approx(
        57.6 / (0.005 + cable), rel=1e-3
    ) and d.inrush.wait.n == pytest.approx(2.2)
    assert "bank.inrush" not in f
    d, f = found(Plan.model_validate(JUNIPER_CUT))
    assert (
        f["bank.inrush"].level == "check"
        and d.inrush.whose == "nobody"
        and d.inrush.wait.n == pytest.approx(9.0)
    )


def test_a_surge_the_packs_do_not_give():
    """16 kW / (0.94 · 51.2 V) = 332 A; one pack gives 300 A for 10 s."""
    assert (
        "332 A"
        in found(altered(Plan.model_validate(HERON_SLIP), "/kit/packs", 1))[1]["bank.peak"].says
    )
    assert "bank.peak" not in found(Plan.model_validate(HERON_SLIP))[1]


def test_a_bank_that_is_too_small_can_be_limited_at_a_click():
    from gumboot.core.basis.patch import apply

    plan = altered(Plan.model_validate(HERON_SLIP), "/kit/pack", "tidewell-9")
    plan = altered(plan, "/kit/packs", 1)
    stop = found(plan)[1]["bank.current"]
    assert stop.level == "stop" and "190 A" in stop.says and "130 A" in stop.says
    after = Plan.model_validate(apply(plan.model_dump(mode="json"), stop.cures[0].changes))
    assert "bank.current" not in found(after)[1]


def test_the_three_schools_side_by_side():
    """210 A and over on 1/0: the raceway table says no, free air says yes; both are shown (schools
    differ).
    """
    from gumboot.core.size.conductors import cable_schools

    rows = {
        s.name.split(",")[0]: s for s in cable_schools(found(Plan.model_validate(HERON_SLIP))[0])
    }
    assert (
        rows["Enclosed raceway"].size == "250 kcmil"
        and rows["Free air"].size == "2/0 AWG"
        and rows["Free air"].used
    )
    assert rows["Maker's named size"].enough
