"""Air for lead cells, and drops that add up."""

import pytest

from gumboot.catalogue import catalogue
from gumboot.core.plan import Plan
from gumboot.demo.plans import HERON_SLIP, JUNIPER_CUT
from tests.conftest import altered, off_wall
from tests.designs import design


def test_air_by_hand():
    """24 flooded cells of 800 Ah: 0.05 · 24 · 20 · 800 / 1000 = 19.2 m³/h, openings of 28 · 19.2 =
    537.6 cm². IEC 62485-2 7.2.
    """
    plan = Plan.model_validate(JUNIPER_CUT)
    d = design(plan, catalogue())
    pack = d.pack
    assert (pack.chemistry, plan.kit.series, pack.v_nom) == ("flooded", 24, 2.0)
    flow = 0.05 * 24 * 20 * pack.capacity_ah * d.bank.total / 1000
    assert d.figures["bank.air"].n == pytest.approx(flow)
    assert d.figures["bank.opening"].n == pytest.approx(28 * flow)
    # 28.8 · ∛(1 · 20 · 800) = 725.7 mm for one cell of 800 Ah
    want = 28.8 * (20 * pack.capacity_ah) ** (1 / 3)
    assert d.figures["bank.spark"].n == pytest.approx(want)
    told = next(f for f in d.duties if f.key == "bank.air")
    assert "11.3 cfm" in told.says and "83.3 in²" in told.says  # 19.2 / 1.699, 537.6 / 6.4516
    assert told.asked.station == "Wall"


def test_lithium_asks_for_no_air():
    d = design(Plan.model_validate(HERON_SLIP), catalogue())
    assert "bank.air" not in d.figures and "bank.air" not in {f.key for f in d.duties}


def test_drops_add_up_from_the_supply():
    """Three runs of 2 % or less each are 5.3 % together by plain addition."""
    plan = off_wall(Plan.model_validate(HERON_SLIP))
    short = design(plan, catalogue())
    assert not [f for f in short.findings if f.key.endswith(".drop.all")]
    runs = {k: {**r.model_dump(mode="json"), "length_m": 75.0} for k, r in plan.runs.items()}
    far = altered(plan, "/runs", runs)
    fixed = {
        s.id: {"size": "4", "protection_a": s.protection.n}
        for s in short.circuits
        if s.id in ("grid-1", "backup-1")
    }
    d = design(altered(far, "/fitted", fixed), catalogue())
    by_id = {s.id: s for s in d.circuits}
    for f in d.findings:
        if f.key.endswith(".drop.all"):
            s = by_id[f.place]
            way = [by_id[k] for k in s.circuit.upstream if k in by_id]
            total = s.trial.drop_pct.n + sum(x.trial.drop_pct.n for x in way)
            assert f.figures[0].n == pytest.approx(total) and total > 5
    assert any(f.key.endswith(".drop.all") for f in d.findings)
