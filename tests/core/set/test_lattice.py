"""The order of meaning, against a topological sort by networkx; ladders."""

import itertools

import networkx as nx
import pytest

from gumboot.catalogue import catalogue
from gumboot.core.kit import MenuItem
from gumboot.core.plan import Plan
from gumboot.core.set.ladder import ladders
from gumboot.core.set.settings import fill_menu
from gumboot.core.set.settings.agreement import order_findings
from gumboot.core.set.settings.lattice import CHAINS, PAIRS
from gumboot.demo.plans import JUNIPER_CUT
from gumboot.drawings.ladder import draw_ladder, height
from tests.conftest import altered
from tests.core.set.test_menu import job
from tests.designs import design
from tests.shapes import other


def graph():
    g = nx.DiGraph()
    for _, chain in CHAINS:
        for (a, _), (b, even) in itertools.pairwise(chain):
            g.add_edge(a, b, even=even)
    return g


def test_every_pair_near_or_far_is_related_and_equal_only_by_equal_steps():
    g = graph()
    assert {(a, b) for a, b, _ in PAIRS} == set(nx.transitive_closure(g).edges)
    for a, b, even in PAIRS:
        ways = nx.all_simple_edge_paths(g, a, b)
        assert even == all(g.edges[e]["even"] for way in ways for e in way), (a, b)


@pytest.mark.parametrize(
    "rules",
    [
        ("hard_stop", "cut", "warn", "recover", "float"),
        ("recharge", "float", "absorb", "gen_start_v", "gen_stop_v"),
        ("floor_off_grid", "floor_on_grid", "reserve_soc", "gen_start_soc", "gen_stop_soc"),
    ],
)
def test_every_order_of_five_lines_is_judged_as_a_topological_sort_judges_it(rules):
    """All 120 orders of five values: right exactly where the lines by value are a sort of it."""
    sub = nx.transitive_closure(graph()).subgraph(rules)
    right = {tuple(x) for x in nx.all_topological_sorts(sub)}
    menu = [MenuItem(id=r, group="g", label=r, rule=r, least=0, most=100) for r in rules]
    for order in itertools.permutations(rules):
        of = job(menu)
        keyed = {r: 10.0 + n for n, r in enumerate(order)}
        of = type(of)(altered(of.plan, "/settings", keyed), of.inverter, of.pack, None, ())
        assert (not list(order_findings(fill_menu(of)))) == (order in right), order


def test_a_ladder_has_every_rung_at_its_height_and_names_what_is_out_of_order():
    plan = altered(Plan.model_validate(JUNIPER_CUT), "/settings", {"cut_v": 47.5})
    d = design(plan, catalogue())
    volts, charge = d.ladders(1)
    rungs = {r.id: r for r in volts.rungs}
    assert "Low warning" in " ".join(rungs["cut_v"].broken) and rungs["warn_v"].broken
    assert rungs["absorb_v"].broken == () and charge.unit == "%"
    assert volts.cells == 24 and volts.bears == (24 * 1.75, 24 * 2.60)
    drawn = draw_ladder(volts)
    assert drawn.count("step-of wrong") == sum(bool(r.broken) for r in volts.rungs)
    heights = [height(volts, r.value) for r in sorted(volts.rungs, key=lambda r: r.value)]
    assert heights == sorted(heights, reverse=True)
    middle = (volts.low + volts.high) / 2
    assert height(volts, middle) == pytest.approx(280)
    assert ladders([], job([])) == ()


def test_a_voltage_that_nothing_uses_is_no_rung():
    """Lithium cells are never equalised: its line stands at 0 V, and would squash the ladder."""
    lithium = other(JUNIPER_CUT, kit__pack="tidewell-14", kit__packs=2)
    d = design(Plan.model_validate(lithium), catalogue())
    (volts, _) = d.ladders(1)
    assert "equalise_v" not in {r.id for r in volts.rungs} and volts.low > 35


def test_currents_out_of_order_are_a_check_since_the_smaller_holds():
    plan = altered(
        Plan.model_validate(JUNIPER_CUT), "/settings", {"charge_a": 40, "gen_charge_a": 90}
    )
    found = {f.key: f.level.value for f in design(plan, catalogue()).findings}
    assert found["set.gen_charge_a.charge_a"] == "check"
