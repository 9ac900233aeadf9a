"""What must hold for any plan at all."""

import contextlib
import itertools
import os

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from gumboot.catalogue import catalogue
from gumboot.core.basis.finding import Level
from gumboot.core.codes import OutsideTable, iec, nec
from gumboot.core.design import design
from gumboot.core.network import isolate, live
from gumboot.core.plan import FAMILIES, Plan
from gumboot.demo.plans import HERON_SLIP, JUNIPER_CUT, MOSSBANK_TERRACE, SALTINGS_BARN, TERN_HOLLOW
from tests.conftest import altered

pytestmark = pytest.mark.long

BOOK = catalogue()
slow = settings(max_examples=60, deadline=None, suppress_health_check=[HealthCheck.too_slow])
runs = st.fixed_dictionaries(
    {
        "length_m": st.floats(0.1, 500),
        "method": st.sampled_from(["raceway", "free-air", "B1", "C", "D1", "E", "F"]),
    },
    optional={
        "ambient_c": st.floats(-60, 90),
        "in_raceway": st.integers(1, 60),
        "parallel": st.integers(1, 6),
        "material": st.sampled_from(["Cu", "Al"]),
        "raceway": st.sampled_from(["", "a", "b"]),
    },
)
sizes = st.sampled_from([*nec.SIZES, *iec.SIZES, "5", "900", "1"])
KEYS = ["battery-1", "grid-1", "grid-feeder", "pv-A", "pack-2", "loads", "changeover", "other"]
METHODS = ["raceway", "free-air", "A1", "B1", "B2", "C", "D1", "E", "F"]
maybe = lambda s: st.none() | s  # noqa: E731
pv_inverters = st.fixed_dictionaries(
    {
        "power_w": st.floats(500, 20000),
        "side": st.sampled_from(["backup side", "grid side"]),
        "line": st.sampled_from(["all", "L1", "L2"]),
        "obeys_frequency": st.sampled_from(["yes", "no", "unknown"]),
    }
)
plans = st.fixed_dictionaries(
    {
        "code": st.sampled_from(["nec-2023", "nec-2023", "iec-60364"]),
        "site": st.fixed_dictionaries(
            {
                "name": st.just("x"),
                "t_min_c": st.floats(-60, 20),
                "t_roof_c": st.floats(21, 90),
                "t_wall_c": st.floats(-60, 90),
            }
        ),
        "supply": st.fixed_dictionaries(
            {
                "kind": st.sampled_from(
                    [
                        "split-phase 120/240 V",
                        "split-phase 120/240 V",
                        "single-phase 230 V",
                        "three-phase 400/230 V",
                        "off-grid",
                    ]
                ),
                "main_breaker_a": maybe(st.floats(1, 4000)),
                "bus_a": maybe(st.floats(1, 4000)),
                "backfeed": st.sampled_from(["opposite end", "elsewhere"]),
                "load_breakers_a": maybe(st.floats(0, 9000)),
                "connection": st.sampled_from(
                    ["main-panel breaker", "sub-board breaker", "supply-side tap"]
                ),
                "service_size": maybe(sizes),
                "earthing": maybe(st.sampled_from(["TN-C-S", "TN-S", "TT"])),
                "loop_ohm": maybe(st.floats(0.01, 200)),
                "electrode": st.sampled_from(["unknown", "none", "own"]),
            }
        ),
        "kit": st.fixed_dictionaries(
            {
                "inverter": st.sampled_from([*BOOK.inverters, "marram-s8", "gone"]),
                "inverters": st.integers(1, 6),
                "pack": maybe(st.sampled_from(list(BOOK.packs))),
                "packs": st.integers(0, 25),
                "series": st.sampled_from([1, 1, 7, 24, 40]),
                "towers": st.integers(1, 2),
                "module": maybe(st.sampled_from(list(BOOK.modules))),
                "gateway": maybe(st.sampled_from(list(BOOK.gateways))),
                "generator": maybe(
                    st.fixed_dictionaries(
                        {
                            "power_w": st.floats(500, 50000),
                            "lands": st.sampled_from(
                                ["inverter", "loads panel", "inverter with bypass"]
                            ),
                            "interlock": st.booleans(),
                            "bonded": st.booleans(),
                        }
                    )
                ),
                "existing_pv": maybe(pv_inverters),
                "more_pv": st.lists(pv_inverters, max_size=2),
                "banks": st.sampled_from(["one for all", "one per inverter"]),
                "hookup": st.sampled_from(["bus", "chain", "inputs"]),
                "takeoff": st.sampled_from(["star", "one end", "diagonal"]),
                "lines": st.sampled_from(["", "L1", "L3 L2", "L1 L1 L1"]),
                "port_use": maybe(
                    st.fixed_dictionaries(
                        {
                            "use": st.sampled_from(["managed load", "PV inverter"]),
                            "power_w": st.floats(500, 20000),
                        }
                    )
                ),
            }
        ),
        "backup": st.fixed_dictionaries(
            {
                "loads": st.sampled_from(
                    ["nothing", "whole house", "essential board", "transfer-switched circuits"]
                ),
                "changeover": st.sampled_from(
                    ["transfer switch", "interlocked breakers", "loose breakers"]
                ),
                "neutral": st.sampled_from(["solid", "switched"]),
                "bond": st.sampled_from(["service", "inverter", "gateway", "loads panel"]),
                "board_a": maybe(st.floats(1, 800)),
                "bus_a": maybe(st.floats(1, 800)),
            }
        ),
        "strings": st.lists(
            st.fixed_dictionaries(
                {
                    "letter": st.sampled_from("ABCDEFGH"),
                    "inverter": st.integers(1, 6),
                    "tracker": st.sampled_from(["1", "2", "3", "1+2", "7"]),
                    "modules": st.integers(1, 999),
                    "run": runs,
                }
            ),
            max_size=6,
            unique_by=lambda s: s["letter"],
        ),
        "runs": st.dictionaries(st.sampled_from([*FAMILIES, "battery-1", "grid-1"]), runs),
        "fitted": st.dictionaries(
            st.sampled_from(KEYS),
            st.fixed_dictionaries(
                {}, optional={"size": sizes, "protection_a": st.floats(0.1, 4000)}
            ),
            max_size=4,
        ),
        "settings": st.dictionaries(
            st.sampled_from(
                ["charge_a", "discharge_a", "absorb_v", "cut_v", "mode", "reserve_soc", "nonsense"]
            ),
            st.floats(-1000, 1000)
            | st.text(st.characters(exclude_categories=["Cc", "Cs"]), max_size=5),
            max_size=4,
        ),
    }
).map(Plan.model_validate)


@st.composite
def whole(draw):
    """A demo plan of any kind, with some of it changed: most of these can be sized."""
    document = draw(
        st.sampled_from([TERN_HOLLOW, HERON_SLIP, SALTINGS_BARN, MOSSBANK_TERRACE, JUNIPER_CUT])
    )
    plan = altered(Plan.model_validate(document), "/fitted", {})
    method = draw(st.sampled_from(METHODS))
    for family in plan.runs:
        plan = altered(plan, f"/runs/{family}/length_m", draw(st.floats(0.5, 60)))
        if draw(st.booleans()):
            plan = altered(plan, f"/runs/{family}/method", method)
    plan = altered(plan, "/kit/inverters", draw(st.integers(1, 3)))
    return altered(plan, "/site/t_wall_c", draw(st.floats(10, 60)))


MANY = int(os.environ.get("GUMBOOT_PLANS", "150"))  # 10,000 by hand, before a release


@given(plans)
@settings(max_examples=MANY, deadline=None, suppress_health_check=[HealthCheck.too_slow])
def test_design_never_raises_and_is_the_same_twice(plan):
    once, again = design(plan, BOOK), design(plan, BOOK)
    assert once.findings == again.findings and once.figures == again.figures
    assert len({t.key for t in once.terminations}) == len(once.terminations)
    assert len({f.key for f in once.findings}) == len(once.findings)
    network = once.network
    if network is None:
        return
    named = [k for row in once.disconnects for k in row.sources]
    assert sorted(named) == sorted(s.id for s in network.sources)
    for t in once.terminations:
        assert set(t.isolate) <= {s.says for s in network.switches}
    for body in network.bodies:
        found = isolate(network, body.id)
        opened = frozenset(s.id for s in found.opened)
        reaching = live(network, opened)
        named_live = {s.id for x in found.stays for s in x.sources}
        for node in network.of_body.get(body.id, ()):
            assert reaching.get(node.id, frozenset()) <= named_live


@given(plans | whole())
@slow
def test_what_is_proposed_serves(plan):
    """Without a crew's own choice, a sized circuit is either judged good or stopped."""
    d = design(plan.model_copy(update={"fitted": {}}), BOOK)
    stopped = {f.place for f in d.findings if f.level is Level.STOP}
    for s in d.circuits:
        assert not s.trial.fails or s.id in stopped
        if not s.trial.fails and not s.circuit.own_protection:
            assert s.permitted.n >= s.circuit.current.n * (1 - 1e-9)


@given(whole())
@slow
def test_no_smaller_size_of_the_cable_is_legal_and_none_cheaper(plan):
    for s in design(plan, BOOK).circuits:
        costs = [c.cost.n for c in s.choices]
        assert costs == sorted(costs)
        for size in s.cable.sizes if s.choices else ():
            if s.rules.rank(size) < s.rules.rank(s.size):
                with contextlib.suppress(OutsideTable):
                    assert s.rules.judge(
                        s.circuit, s.conditions, s.cable, size, s.sets, s.i_req, s.protection
                    ).fails


def ranks(plan: Plan) -> dict[str, int]:
    """Rank of the least copper conductor in one set that serves each circuit; none serves ranks
    above all.
    """
    out = {}
    for s in design(plan, BOOK).circuits:
        out[s.id] = min(
            (
                s.rules.rank(c.trial.size)
                for c in s.choices
                if c.trial.sets == 1 and c.trial.cable.material == "Cu"
            ),
            default=99,
        )
    return out


KINDS = st.sampled_from([TERN_HOLLOW, SALTINGS_BARN, MOSSBANK_TERRACE, JUNIPER_CUT]).map(
    Plan.model_validate
)


@pytest.mark.long
@given(KINDS, st.floats(0.5, 200), st.floats(0.5, 200))
@slow
def test_a_longer_run_never_shrinks_a_conductor(plan, a, b):
    short, long = sorted((a, b))
    plan = altered(plan, "/fitted", {})
    few, many = plan, plan
    for family in plan.runs:
        few, many = (
            altered(few, f"/runs/{family}/length_m", short),
            altered(many, f"/runs/{family}/length_m", long),
        )
    before, after = ranks(few), ranks(many)
    assert all(after[k] >= before[k] for k in before)


@given(KINDS, st.floats(-20, 75), st.floats(-20, 75))
@slow
def test_a_hotter_wall_never_shrinks_a_conductor(plan, a, b):
    plan = altered(plan, "/fitted", {})
    cool, hot = sorted((a, b))
    before, after = (
        ranks(altered(plan, "/site/t_wall_c", cool)),
        ranks(altered(plan, "/site/t_wall_c", hot)),
    )
    assert all(after.get(k, 99) >= before[k] for k in before)


@given(KINDS, st.integers(1, 20), st.integers(1, 20))
@slow
def test_more_company_in_a_raceway_never_shrinks_a_conductor(plan, a, b):
    few, many = sorted((a, b))
    family = "backup" if "backup" in plan.runs else "grid"
    before, after = (
        ranks(altered(plan, f"/runs/{family}/in_raceway", few)),
        ranks(altered(plan, f"/runs/{family}/in_raceway", many)),
    )
    assert all(after.get(k, 99) >= before[k] for k in before)


@given(KINDS, st.floats(1, 200), st.floats(1, 200))
@slow
def test_more_load_never_shrinks_a_conductor(plan, a, b):
    less, more = sorted((a, b))
    plan = altered(plan, "/backup/loads", "whole house")
    before, after = (
        ranks(altered(plan, "/backup/board_a", less)),
        ranks(altered(plan, "/backup/board_a", more)),
    )
    assert all(after.get(k, 99) >= before[k] for k in before)


@given(plans)
@slow
def test_two_numbers_set_beside_each_other_never_read_alike(plan):
    """What is rounded for reading still shows which is more, where a finding compares."""
    for f in design(plan, BOOK).findings:
        for a, b in itertools.combinations(f.figures, 2):
            if a.unit == b.unit and a.value != b.value and f.level in ("stop", "check"):
                if a.text == b.text:
                    assert f.says.count(a.text) < 2, f.says
