"""What must hold for any plan at all."""

from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from gumboot.catalogue import catalogue
from gumboot.core.codes import nec
from gumboot.core.design import design
from gumboot.core.findings import Level
from gumboot.core.plan import FAMILIES, Plan
from gumboot.demo import scenario
from tests.conftest import altered

BOOK = catalogue()
slow = settings(max_examples=60, deadline=None, suppress_health_check=[HealthCheck.too_slow])
runs = st.fixed_dictionaries(
    {"length_m": st.floats(0.1, 500), "method": st.sampled_from(["raceway", "free-air"])},
    optional={"ambient_c": st.floats(-60, 90), "in_raceway": st.integers(2, 60)},
)
sizes = st.sampled_from([*nec.SIZES, "5", "900", "1"])
plans = st.fixed_dictionaries(
    {
        "site": st.fixed_dictionaries({"name": st.just("x"), "t_min_c": st.floats(-60, 20), "t_roof_c": st.floats(21, 90), "t_wall_c": st.floats(-60, 90)}),
        "supply": st.fixed_dictionaries({"main_breaker_a": st.floats(1, 4000), "bus_a": st.floats(1, 4000), "backfeed": st.sampled_from(["opposite end", "elsewhere"]), "load_breakers_a": st.none() | st.floats(0, 9000)}),
        "kit": st.fixed_dictionaries({"inverter": st.sampled_from(["marram-s8", "marram-s8", "gone"]), "inverters": st.integers(1, 6), "pack": st.sampled_from(["tidewell-14", "saltmarsh-h10"]), "packs": st.integers(1, 16), "module": st.just("reedbed-430")}),
        "strings": st.lists(st.fixed_dictionaries({"letter": st.sampled_from("ABCDEFGH"), "inverter": st.integers(1, 6), "tracker": st.sampled_from(["1", "2", "3", "7"]), "modules": st.integers(1, 999), "run": runs}), max_size=6, unique_by=lambda s: s["letter"]),
        "runs": st.dictionaries(st.sampled_from(FAMILIES), runs),
        "fitted": st.dictionaries(st.sampled_from(["battery-1", "grid-1", "grid-feeder", "pv-A", "pack-2", "other"]), st.fixed_dictionaries({}, optional={"size": sizes, "protection_a": st.floats(0.1, 4000)}), max_size=4),
        "settings": st.dictionaries(st.sampled_from(["charge_a", "discharge_a", "absorb_v", "cut_v", "mode", "reserve_soc", "nonsense"]), st.floats(-1000, 1000) | st.text(st.characters(exclude_categories=["Cc", "Cs"]), max_size=5), max_size=4),
    }
).map(Plan.model_validate)  # fmt: skip


@given(plans)
@settings(max_examples=150, deadline=None, suppress_health_check=[HealthCheck.too_slow])
def test_design_never_raises_and_is_the_same_twice(plan):
    once, again = design(plan, BOOK), design(plan, BOOK)
    assert once.findings == again.findings and once.figures == again.figures
    assert len({t.key for t in once.terminations}) == len(once.terminations)
    assert len({f.key for f in once.findings}) == len(once.findings)


@given(plans)
@slow
def test_what_is_proposed_serves(plan):
    """Without a crew's own choice, a sized circuit is either judged good or stopped."""
    d = design(plan.model_copy(update={"fitted": {}}), BOOK)
    stopped = {f.place for f in d.findings if f.level is Level.STOP}
    for s in d.circuits:
        assert not s.judged.fails or s.id in stopped
        assert s.judged.fails or (s.judged.at_terminal.n >= s.i_req.n and s.permitted.n >= s.circuit.current.n - 1e-6)


def ranks(plan: Plan) -> dict[str, int]:
    """Rank of the proposed conductor of each circuit; none serves ranks above all."""
    return {s.id: nec.rank(str(s.proposed.value)) if s.proposed else 99 for s in design(plan, BOOK).circuits}


@given(st.sampled_from(FAMILIES), st.floats(0.5, 200), st.floats(0.5, 200), st.sampled_from(["raceway", "free-air"]))
@slow
def test_a_longer_run_never_shrinks_a_conductor(family, a, b, method):
    plan = altered(altered(Plan.model_validate(scenario.TERN_HOLLOW), "/fitted", {}), f"/runs/{family}/method", method)
    short, long = sorted((a, b))
    before, after = ranks(altered(plan, f"/runs/{family}/length_m", short)), ranks(altered(plan, f"/runs/{family}/length_m", long))
    assert all(after[k] >= before[k] for k in before)


@given(st.floats(-20, 75), st.floats(-20, 75))
@slow
def test_a_hotter_wall_never_shrinks_a_conductor(a, b):
    plan = altered(Plan.model_validate(scenario.TERN_HOLLOW), "/fitted", {})
    cool, hot = sorted((a, b))
    before, after = ranks(altered(plan, "/site/t_wall_c", cool)), ranks(altered(plan, "/site/t_wall_c", hot))
    assert all(after.get(k, 99) >= before[k] for k in before)


@given(st.integers(2, 40), st.integers(2, 40))
@slow
def test_more_company_in_a_raceway_never_shrinks_a_conductor(a, b):
    plan = Plan.model_validate(scenario.TERN_HOLLOW)
    few, many = sorted((a, b))
    before, after = ranks(altered(plan, "/runs/grid/in_raceway", few)), ranks(altered(plan, "/runs/grid/in_raceway", many))
    assert all(after[k] >= before[k] for k in before)
