"""Days that vary, a meter that nets, one conversion on the DC side, no charge in the frost."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from gumboot.catalogue import catalogue
from gumboot.core.energy.account import YEARS, account
from gumboot.core.energy.battery import Bank, Rules, run
from gumboot.core.energy.best import solve
from gumboot.core.energy.calendar import calendar
from gumboot.core.energy.clearness import CORRELATION, K_MIN, daily, greatest, quantile
from gumboot.core.energy.year import gather, other_years, warm_enough
from gumboot.core.plan import Plan
from gumboot.demo.plans import TERN_HOLLOW
from tests.conftest import altered
from tests.designs import design


@pytest.mark.parametrize("mean", [0.3, 0.4, 0.5, 0.6, 0.7])
def test_the_distribution_has_the_mean_it_is_asked_for(mean):
    """Bendt's distribution with Herzog's exponent: its mean is the mean clearness within 0.01, the
    integral taken by the trapezoid rule.
    """
    share = np.linspace(0, 1, 20_001)
    k = quantile(share, mean)
    assert np.trapezoid(k, share) == pytest.approx(mean, abs=0.01)
    assert k[0] == pytest.approx(K_MIN) and k[-1] == pytest.approx(greatest(mean))
    assert (np.diff(k) > 0).all()


@given(st.floats(0.35, 0.9))
def test_the_year_keeps_its_mean_and_remembers_yesterday(factor):
    days = daily(factor, "a job", 20 * 365)
    assert days.mean() == pytest.approx(factor, abs=0.02)
    assert days.min() >= 0.02 and days.max() <= 1
    lag = np.corrcoef(days[1:], days[:-1])[0, 1]
    assert lag == pytest.approx(CORRELATION, abs=0.06)


def test_a_job_has_its_own_year_each_time():
    assert (daily(0.7, "a") == daily(0.7, "a")).all()
    assert (daily(0.7, "a") != daily(0.7, "b")).any()


def steps(n, **series):
    return tuple(np.full(n, float(series.get(k, 0))) for k in ("sun", "load", "buy", "sell"))


def test_no_step_buys_and_sells():
    """Spare sun is sold first while a window fills the battery from the grid: the meter sees the
    difference alone.
    """
    n = 8
    bank = Bank(20_000, 3000, 3000, 0.95, 0.95, 9000, True)
    rules = Rules(np.zeros(n), np.ones(n), sell_first=True)
    trace = run(*steps(n, sun=4000, load=500, buy=0.3, sell=0.1), rules, bank, 0.2).trace
    assert (np.minimum(trace["bought"], trace["sold"]) == 0).all()
    assert (trace["charged"] == 3000).all() and trace["sold"] == pytest.approx(500)


def test_the_program_does_not_trade_with_itself():
    """Selling at 50 c what is bought at 10 c in one step would earn without end: it earns
    nothing.
    """
    from dataclasses import dataclass

    @dataclass
    class Small:
        sun: np.ndarray
        load: np.ndarray
        buy: np.ndarray
        sell: np.ndarray
        rules: Rules

    n = 4
    bank = Bank(4000, 1000, 1000, 1, 1, 5000, False)
    i = Small(*steps(n, sun=1000, load=1000, buy=0.1, sell=0.5), Rules(np.zeros(n), np.zeros(n)))
    money, charge, give, level = solve(i, bank, 0, n, 0.0, None)
    # an hour: the most is to sell the sun of one step and buy back in another, at a loss of nothing
    assert money.sum() >= -(0.5 - 0.1) * 1.0 * 4 * 0.25 - 1e-9
    assert ((charge > 1e-6) & (give > 1e-6)).sum() == 0 or level.max() <= 4000


def test_the_suns_way_and_the_grids_differ():
    """1 kW of sun for an hour at 1.0 stores 1 kWh; 1 kW from the grid at 0.9 stores 0.9."""
    bank = Bank(10_000, 1000, 1000, 1.0, 0.9, 9000, True, 0.9)
    n = 4
    sun = run(*steps(n, sun=1000), Rules(np.zeros(n), np.zeros(n)), bank, 0.0)
    grid = run(*steps(n), Rules(np.zeros(n), np.ones(n)), bank, 0.0)
    assert sun.trace["stored"][-1] == pytest.approx(1000)
    assert grid.trace["stored"][-1] == pytest.approx(900)
    assert grid.totals["lost"] == pytest.approx(0.1)


def test_lithium_in_the_frost_takes_no_charge():
    plan = Plan.model_validate(TERN_HOLLOW)
    pack = catalogue().packs[plan.kit.pack]
    cal = calendar(2025, "America/Chicago", -93.0)
    assert warm_enough(plan, pack, cal, None) is None  # it hangs in a garage
    outside = altered(plan, "/walls/0/place", "outdoors")
    warm = warm_enough(outside, pack, cal, None)
    assert 0 < warm.sum() < len(warm) and set(warm) == {0.0, 1.0}
    nmc = pack.model_copy(update={"chemistry": "NMC"})
    assert (warm_enough(outside, nmc, cal, None) == warm).all()
    lead = pack.model_copy(update={"chemistry": "flooded"})
    assert warm_enough(outside, lead, cal, None) is None
    n = 4
    bank = Bank(10_000, 1000, 1000, 1, 1, 9000, True)
    cold = Rules(np.zeros(n), np.ones(n), may_charge=np.zeros(n))
    frozen = run(*steps(n, sun=3000, load=500), cold, bank, 0.5)
    assert frozen.totals["charged"] == 0 and frozen.totals["sold"] == pytest.approx(2.5)


def test_other_synthetic_years_differ_in_their_days_and_not_in_their_climate():
    """The mean clearness is the climate's in each; which day is dull is not."""
    book = catalogue()
    plan = Plan.model_validate(TERN_HOLLOW)
    own = gather(plan, design(plan, book), book)
    years = list(other_years(plan, book, own, 3))
    again = list(other_years(plan, book, own, 3))
    for one, same in zip(years, again, strict=True):
        assert np.array_equal(one.sun, same.sun) and not np.array_equal(one.sun, own.sun)
        assert one.sun.sum() == pytest.approx(own.sun.sum(), rel=0.08)
    days = np.array([y.sun.reshape(-1, 96).sum(1) for y in years])
    assert abs(np.corrcoef(days[0] / days.mean(0), days[1] / days.mean(0))[0, 1]) < 0.9


def test_an_outage_tells_its_share_of_years():
    """The longer, the fewer years; over years the worst is no better than this year's."""
    book = catalogue()
    plan = Plan.model_validate(TERN_HOLLOW)
    made = design(plan, book)
    told = account(plan, made, book, gather(plan, made, book)).body["outages"]
    shares = [share for _, share in told["years_lasting"]]
    assert told["years"] == 1 + YEARS and shares == sorted(shares, reverse=True)
    for (_, low, high), (_, hours) in zip(told["range"], told["lasting"], strict=True):
        assert 0 <= low <= hours <= high <= 1
    for (h, share), (_, hours) in zip(told["years_lasting"], told["lasting"], strict=True):
        assert share in np.arange(told["years"] + 1) / told["years"]
        assert (told["worst_h"] >= h) <= (share > 0) and (share < 1 or hours == 1)
