"""The network's answers against networkx on the same graph, and over plans of every shape."""

import itertools
import random

import networkx as nx
import pytest

from gumboot.catalogue import catalogue
from gumboot.core.network import frontier, isolate, live, meeting
from gumboot.core.network.ask import INSIDE, OUTSIDE
from gumboot.core.plan import Plan
from tests.designs import design
from tests.shapes import SHAPES

BOOK = catalogue()


def network_of(document):
    d = design(Plan.model_validate(document), BOOK)
    assert d.network is not None, [f.says for f in d.findings if f.level == "stop"]
    return d.network


NETWORKS = {name: network_of(document) for name, document in SHAPES.items()}
every = pytest.mark.parametrize("network", NETWORKS.values(), ids=NETWORKS.keys())


def graph(network, opened=()):
    """The same network as networkx knows it."""
    g = nx.Graph()
    g.add_nodes_from(network.nodes)
    g.add_edges_from((w.a, w.b) for w in network.wires)
    g.add_edges_from((s.a, s.b) for s in network.switches if s.id not in opened)
    return g


@every
def test_the_network_is_sound(network):
    """Every wire and switch ends on a node, every node is in a body or on a lead, names differ."""
    for x in (*network.wires, *network.switches):
        assert x.a in network.nodes and x.b in network.nodes, x.id
    names = [s.says for s in network.switches if s.by_hand]
    assert len(set(names)) == len(names)
    bodies = {b.id for b in network.bodies} | {""}
    assert {n.body for n in network.nodes.values()} <= bodies
    assert all(s.body in bodies for s in network.switches)
    # one piece: nothing of the job hangs in the air
    assert nx.number_connected_components(graph(network)) == 1


@every
def test_what_is_live_is_what_networkx_reaches(network):
    """Any state of the switches: the chance is seeded, so the states are the same each time."""
    chance = random.Random(7)
    ids = [s.id for s in network.switches]
    for _ in range(12):
        opened = frozenset(x for x in ids if chance.random() < 0.4)
        g, said = graph(network, opened), live(network, opened)
        for node in network.nodes:
            want = {
                s.id
                for s in network.sources
                if s.stores and any(nx.has_path(g, n, node) for n in s.nodes)
            }
            assert said.get(node, frozenset()) == want, node


def test_every_state_of_a_small_network():
    network = NETWORKS["AC-coupled"]
    ids = [s.id for s in network.switches]
    assert len(ids) <= 10
    for k in range(len(ids) + 1):
        for opened in itertools.combinations(ids, k):
            g, said = graph(network, opened), live(network, frozenset(opened))
            for s in network.sources:
                if s.stores:
                    reach = set().union(*(nx.node_connected_component(g, n) for n in s.nodes))
                    assert {n for n, ids_ in said.items() if s.id in ids_} == reach


@every
def test_an_isolation_cuts_every_source_but_those_it_names(network):
    """Nothing in a list that the job lacks; after opening it no source but those named reaches the
    place; and each that is named does.
    """
    for body in network.bodies:
        found = isolate(network, body.id)
        assert {s.id for s in found.opened} <= set(network.switch)
        assert all(s.by_hand for s in found.opened)
        g = graph(network, {s.id for s in found.opened})
        named = {s.id for x in found.stays for s in x.sources}
        reaching = {
            s.id
            for s in network.sources
            if s.stores
            for n in network.of_body.get(body.id, ())
            if any(nx.has_path(g, m, n.id) for m in s.nodes)
        }
        assert reaching == named, body.label


@every
def test_an_isolation_is_the_least_that_networkx_finds(network):
    """The weight of the set equals networkx' minimum cut, switches of the place itself dear."""
    for body in network.bodies:
        mine = {n.id for n in network.of_body.get(body.id, ())}
        g = nx.Graph()
        for w in network.wires:
            g.add_edge(w.a, w.b)
        for s in network.switches:
            if not s.by_hand:
                g.add_edge(s.a, s.b)
            else:
                cost = INSIDE if s.body == body.id else OUTSIDE
                old = g.get_edge_data(s.a, s.b, {}).get("capacity", 0)
                g.add_edge(s.a, s.b, capacity=old + cost)
        fixed = set()
        for s in network.sources:
            if s.stores:
                metal = graph(network, {x.id for x in network.switches if x.by_hand})
                fixed |= set().union(*(nx.node_connected_component(metal, n) for n in s.nodes))
                for n in s.nodes:
                    g.add_edge("source", n)
        wanted = mine - fixed
        if not wanted or mine & fixed:
            continue  # there the set is a second cut's too, of what stays live from others
        for n in wanted:
            g.add_edge(n, "place")
        value, _ = nx.minimum_cut(g, "source", "place")
        cut = isolate(network, body.id).opened
        needed = {x for s in cut for x in s.after}
        weight = sum(INSIDE if s.body == body.id else OUTSIDE for s in cut if s.id not in needed)
        assert weight == value, body.label


@every
def test_what_cannot_break_load_is_opened_after_what_does(network):
    for body in network.bodies:
        ids = [s.id for s in isolate(network, body.id).opened]
        for s in isolate(network, body.id).opened:
            assert all(ids.index(x) < ids.index(s.id) for x in s.after if x in network.switch)
            assert s.breaks_load or all(x in ids for x in s.after if x in network.switch)


@every
def test_the_frontier_of_a_source_parts_it_from_every_load(network):
    for source in network.sources:
        opened = {s.id for s in frontier(network, source)}
        assert opened, source.name
        g = graph(network, opened)
        if source.stores:
            for load in network.loads:
                assert not any(nx.has_path(g, n, load.node) for n in source.nodes), source.name


def test_only_loose_breakers_and_a_generator_without_interlock_let_sources_meet():
    met = {name: meeting(n) for name, n in NETWORKS.items()}
    assert {name for name, rows in met.items() if rows} == {"loose breakers"}
    assert {(m.one.kind, m.other.kind) for m in met["loose breakers"]} == {("inverter", "utility")}
    plan = Plan.model_validate(SHAPES["generator on the board"])
    loose = plan.kit.generator.model_copy(update={"interlock": False})
    kit = plan.kit.model_copy(update={"generator": loose})
    rows = meeting(design(plan.model_copy(update={"kit": kit}), BOOK).network)
    kinds = {frozenset((m.one.kind, m.other.kind)) for m in rows}
    assert frozenset(("generator", "inverter")) in kinds
    assert all("Back-feed breaker" in " ".join(s.says for s in m.by) for m in rows)


def test_a_main_panel_names_its_main_and_that_the_utilitys_side_stays_live():
    network = NETWORKS["one bank for all"]
    found = isolate(network, "main-panel")
    assert "Main breaker, Main panel" in [s.says for s in found.opened]
    assert [(x.at, [s.name for s in x.sources]) for x in found.stays] == [
        ("the far side of the main breaker", ["Utility"])
    ]
    # the changeover's grid feed is wiring that was there: it is opened all the same
    bare = {k: v for k, v in SHAPES["one bank for all"]["runs"].items() if k != "changeover"}
    kept = network_of({**SHAPES["one bank for all"], "runs": bare})
    assert "Feeder breaker, Main panel" in [s.says for s in isolate(kept, "transfer-switch").opened]


def test_strings_part_behind_their_pv_switch():
    found = isolate(NETWORKS["one bank for all"], "inverter-1")
    names = [s.says for s in found.opened]
    assert names.index("PV switch, Inverter 1") < names.index("Connectors of string A")
    assert "Breaker of inverter 1, Battery bus" in names and not found.stays


def test_circuits_that_make_a_loop_are_cut_all_round():
    """Two units between two boards close a ring: opening one way leaves the other, so an isolation
    takes both, as the ring that networkx finds says.
    """
    network = NETWORKS["one bank for all"]
    closed = graph(network, {s.id for s in network.switches if s.interlock and s.works != "grid"})
    rings = [
        r
        for r in nx.cycle_basis(closed)
        if {"inverter-1", "inverter-2"} <= {network.nodes[n].body for n in r}
    ]
    assert rings
    for body in ("grid-combiner", "backup-combiner"):
        opened = isolate(network, body).opened
        left = graph(network, {s.id for s in opened})
        stay = {x.node for x in isolate(network, body).stays}
        for node in (n.id for n in network.of_body[body] if n.id not in stay):
            reached = nx.node_connected_component(left, node)
            assert not any(set(s.nodes) & reached for s in network.sources if s.stores), node
