"""Orders: the least costly by brute force on small jobs, the schools of common practice as given,
rules that contradict each other named, nothing harmful on the way of any job.
"""

import itertools
from dataclasses import replace

import networkx as nx
import numpy as np
import pytest

from gumboot.catalogue import catalogue
from gumboot.core.kit import Catalogue
from gumboot.core.kit.starting import Starting
from gumboot.core.plan import Plan
from gumboot.core.wake.hazard import READIED, InTurn, named, rules_of
from gumboot.core.wake.order import Moves, any_order, order
from gumboot.core.wake.plant import in_words
from gumboot.core.wake.proof import prove
from gumboot.core.wake.school import RANKS, ranks_of
from gumboot.core.wake.slip import slips
from gumboot.core.wake.states import NOT_IN_TURN, PASSED, WALK
from gumboot.demo import plans
from tests.core.wake.plants import Bench
from tests.core.wake.test_settle import JOBS
from tests.designs import design
from tests.shapes import other


def made(document, kit=None):
    return design(Plan.model_validate(document), kit or catalogue())


def way(name):
    return made(JOBS[name]).wake.way


def with_starting(kit_id, **starting):
    shelf = catalogue()
    old = shelf.entries[kit_id]
    new = old.model_copy(update={"starting": Starting(**starting)})
    return Catalogue([new, *(e for e in shelf.entries.values() if e.id != kit_id)])


def silent(kit_id, *shutdown):
    """The shelf, where a unit's sheet gives no order of shutdown, or another one."""
    shelf = catalogue()
    unit = shelf.inverters[kit_id].model_copy(update={"shutdown": shutdown})
    return Catalogue([unit, *(e for e in shelf.entries.values() if e.id != kit_id)])


@pytest.mark.parametrize("name", list(JOBS))
def test_no_order_given_ever_does_harm(name):
    """Every act of the way up and of the way down, from the state it is made in; and down then up
    comes back to where it was.
    """
    w = way(name)
    assert w.up.against is None and w.down.against is None
    for order_, start, end in ((w.up, 0, w.plant.serving), (w.down, w.plant.serving, 0)):
        state = start
        for a in order_.acts:
            assert a.state == state and w.plant.can_be(a.after)
            bits = int(w.moves.wrong(state, [a.k])[0])
            assert not bits & ~READIED, [h.name for h in named(bits)]
            assert bits & READIED == a.readied
            state = a.after
        assert state == end


@pytest.mark.parametrize("name", ["SALTINGS_BARN", "MOSSBANK_TERRACE", "JUNIPER_CUT", "AC-coupled"])
@pytest.mark.parametrize("school", list(RANKS))
def test_the_order_is_the_least_costly_by_brute_force(name, school):
    """Dijkstra over every state and place, by networkx, with costs written again."""
    w = way(name)
    plant, ranks = w.plant, ranks_of(w.plant, school)
    levers, goal = range(len(plant.levers)), plant.serving
    g = nx.DiGraph()
    for state in range(1 << len(levers)):
        todo = [k for k in levers if (state ^ goal) >> k & 1]
        if state & ~goal or not todo or not plant.can_be(state):
            continue
        for k, bits in zip(todo, w.moves.wrong(state, todo).tolist(), strict=True):
            if bits & ~READIED or not plant.can_be(state | 1 << k):
                continue
            cost = 1 + PASSED * sum(ranks[j] < ranks[k] for j in todo)
            for place in ("", *{x.place for x in plant.levers}):
                walk = WALK if place and place != plant.levers[k].place else 0
                to = (state | 1 << k, plant.levers[k].place)
                g.add_edge((state, place), to, weight=cost + walk)
    found = nx.single_source_dijkstra_path_length(g, (0, ""))
    least = min(v for (state, _), v in found.items() if state == goal)
    assert order(w.moves, 0, goal, ranks).cost == pytest.approx(least)


def kinds(w, acts):
    """Kinds moved, each once, in the order of its first lever."""
    return list(dict.fromkeys(w.plant.levers[a.k].kind for a in acts))


A = ("battery", "unit", "pv", "loads")
B = ("grid", "pv", "pack", "unit")
C = ("pack", "battery", "unit", "backup", "grid")
D = ("pack", "pack button", "unit")


@pytest.mark.parametrize(
    ("document", "school", "asked"),
    [
        (plans.JUNIPER_CUT, "battery first", A),  # 48 V inverter-charger
        (plans.HERON_SLIP, "grid first", B),  # grid-tied hybrid
        (plans.HERON_SLIP, "island first", C),  # its output measured, then the grid
        (plans.SALTINGS_BARN, "island first", D),  # a stack with a button of its own
    ],
)
def test_the_orders_of_common_practice_come_out_as_given(document, school, asked):
    """Common practice: A to D; loads last in each; down in reverse where the sheet says nothing."""
    kit = silent(document["kit"]["inverter"])
    w = made(other(document, waking__school=school), kit).wake.way
    seen = kinds(w, w.up.acts)
    assert [k for k in seen if k in asked] == list(asked)
    assert seen[-1] in ("loads", "pv inverter")
    down = kinds(w, w.down.acts)
    assert down[0] in ("loads", "pv inverter")
    assert [k for k in down if k in asked] == list(reversed(asked))


def test_each_inverter_alone_first():
    """Common practice: each alone into its own panel, then together; no other runs meanwhile."""
    w = made(other(plans.TERN_HOLLOW, waking__alone=True)).wake.way
    plant, state, alone = w.plant, 0, set()
    for a in w.up.acts:
        state = a.after
        on = int(w.moves.row(state).on[0])
        if on.bit_count() == 1:
            alone.add(on)
        if on.bit_count() == 2:
            break
    assert alone == {1, 2} and w.alone
    assert w.up.acts[-1].after == plant.serving


def test_down_is_the_reverse_of_a_packs_own_order():
    """Common practice D: unit, pack's button, breaker."""
    w = way("SALTINGS_BARN")
    order_ = [w.plant.levers[a.k].kind for a in w.down.acts]
    assert order_.index("unit") < order_.index("pack button") < order_.index("pack")


def test_two_makers_who_contradict_each_other_are_named():
    shelf = with_starting("marram-t10", button="the button", order=("unit", "pack button"))
    d = made(plans.SALTINGS_BARN, shelf)
    (found,) = [f for f in d.findings if f.key == "wake.order"]
    assert found.level.value == "stop" and "contradict" in found.says
    assert "the inverter's manual" in found.says and "the pack's manual" in found.says
    assert d.wake.way.up.acts == () and d.wake.way.slips == ()


def test_a_maker_whose_order_does_harm_is_named_with_the_harm():
    """Two units running apart would have to be joined: the rule that asks for it is named."""
    b = Bench()
    for i in (1, 2):
        b.pack(f"pack{i}")
        b.unit(f"unit{i}")
        b.switch(f"own{i}", f"pack{i}", f"unit{i}.dc", "pack")
        b.switch(f"out{i}", f"unit{i}", "panel", "backup")
    b.loads, b.bonds = ["panel"], [("panel", 0, -1)]
    p = b.made(linked=True)
    rule = (InTurn("pack", "backup", "the inverter's manual"),)
    ranks = ranks_of(p, "island first")
    held = order(Moves(p, rules_of(p, rule, "inverter")), 0, p.serving, ranks)
    assert held.against.rules == rule
    assert "two live sources joined out of step" in {h.name for h in held.against.hazards}
    free = order(Moves(p, rules_of(p, (), "inverter")), 0, p.serving, ranks)
    assert free.against is None


def test_kit_without_an_order_gets_gumboots_own_and_says_so():
    w = way("HERON_SLIP")
    assert w.rules.in_turn == () and w.up.acts


KINDS = {"battery": ("battery", "pack button", "pack")}


@pytest.mark.parametrize("name", list(JOBS))
def test_the_way_down_is_the_units_own_where_its_sheet_gives_one(name):
    """Each kind of its sheet's order is open before the next is touched."""
    d = made(JOBS[name])
    w, told = d.wake.way, d.inverter.shutdown
    kinds = [w.plant.levers[a.k].kind for a in w.down.acts]
    at = [[n for n, k in enumerate(kinds) if k in KINDS.get(t, (t,))] for t in told]
    some = [rows for rows in at if rows]
    assert all(max(a) < min(b) for a, b in itertools.pairwise(some))
    assert told == () or len(some) > 1


def test_a_word_for_the_way_down_does_not_turn_the_way_up():
    """Cells before the unit on the way down; up the cells come first all the same."""
    d = made(plans.TERN_HOLLOW, silent("marram-s8", "battery", "unit"))
    w = d.wake.way
    up, down = kinds(w, w.up.acts), kinds(w, w.down.acts)
    assert up.index("battery") < up.index("unit") and down.index("battery") < down.index("unit")


@pytest.mark.parametrize("name", list(JOBS))
def test_from_any_state_on_the_way_there_is_a_way_back(name):
    w = way(name)
    for a in w.up.acts[:: max(len(w.up.acts) // 4, 1)]:
        back = w.back_out(a.after)
        assert back.against is None and len(back.acts) == a.after.bit_count()


@pytest.mark.parametrize("name", list(JOBS))
def test_in_an_emergency_few_switches_make_it_quiet(name):
    """No load fed, nobody forms or follows; and on small jobs no smaller set of switches does."""
    w = way(name)
    acts = w.emergency
    rows = w.moves.row(acts[-1].after)
    assert not int(rows.loads[0] | rows.forms[0] | rows.follows[0]), name
    assert len(acts) <= len(w.down.acts)
    own = [k for k, x in enumerate(w.plant.levers) if not x.button]
    if len(own) > 9 or any(w.plant.levers[a.k].button for a in acts):
        return
    for few in range(1, len(acts)):
        for some in itertools.combinations(own, few):
            state = w.plant.serving & ~sum(1 << k for k in some)
            rows = w.moves.row(state)
            if not int(rows.loads[0] | rows.forms[0] | rows.follows[0]):
                assert any(int(w.moves.wrong(w.plant.serving, [k])[0]) for k in some), (
                    "only by an act that does harm"
                )


def test_taking_a_guard_away_shows_the_slip_it_guarded():
    """Interlocked breakers: none unguarded. Loose ones: the one that destroyed an inverter; a
    padlock or a person guards it again, and the check goes.
    """
    locked = made(other(plans.HERON_SLIP, backup__changeover="interlocked breakers"))
    assert not any(s.unguarded for s in locked.wake.way.slips)
    assert any(s.guard == "its interlock" for s in locked.wake.way.slips)
    loose = made(other(plans.HERON_SLIP, backup__changeover="loose breakers"))
    (slip,) = [s for s in loose.wake.way.slips if s.unguarded]
    assert slip.hazards[0].name == "the inverter's output and the grid on one bus"
    says = in_words(loose.wake.way.plant, slip.k, slip.closing)
    assert says == "Close: grid breaker, Breakers"
    (found,) = [f for f in loose.findings if f.key == "wake.slip"]
    assert found.level.value == "check" and "679 V" in found.says  # 2 · √2 · 240 V
    for cure in found.cures:
        document = other(plans.HERON_SLIP, backup__changeover="loose breakers")
        for change in cure.changes:
            document = other(document, **{change.path[1:].replace("/", "__"): change.value})
        assert not [f for f in made(document).findings if f.key == "wake.slip"], cure.text


def test_a_slip_is_a_wrong_act_and_each_wrong_act_is_a_slip():
    """Against asking every act at every step by itself."""
    for name in ("HERON_SLIP", "loose breakers", "off grid, two units"):
        w = way(name)
        states = [*(a.state for a in w.up.acts), w.plant.serving]
        found = {(s.k, s.closing) for s in slips(w.moves, w.up.acts, w.plant.serving, {})}
        asked = set()
        for n, state in enumerate(states):
            for k in range(len(w.plant.levers)):
                planned = n < len(w.up.acts) and w.up.acts[n].k == k
                if not planned and int(w.moves.wrong(state, [k])[0]):
                    asked.add((k, not state >> k & 1))
        assert found == asked


def test_the_proof_counts_every_state_and_act():
    """On a small job, against plain loops."""
    w = way("off grid, lead")
    p, n = prove(w), len(w.plant.levers)
    states = [s for s in range(1 << n) if w.plant.can_be(s)]
    acts = [(s, k) for s in states for k in range(n) if w.plant.can_be(s ^ 1 << k)]
    assert (p.states, p.acts, p.whole) == (len(states), len(acts), True)
    harm = {}
    for s, k in acts:
        for h in named(int(w.moves.wrong(s, [k])[0])):
            harm[h.name] = harm.get(h.name, 0) + 1
    assert {name: count for name, count in p.harmful if count} == {
        k: v for k, v in harm.items() if k != "out of its maker's order"
    }
    assert p.wrong == 0 and f"{len(acts):,}" in p.says


def test_a_job_of_many_switches_says_what_was_sampled():
    p = prove(way("a bank per inverter, on buses"))
    assert not p.whole and p.states > 1 << 16 and "a sample of the rest" in p.says
    assert p.wrong == 0


def test_an_order_is_found_whatever_is_asked_of_several_units_and_packs():
    """Counts, hookups, schools and alone in every mixture: an order, or a stop that says why."""
    dice = np.random.default_rng(5)
    shapes = list(itertools.product((1, 2), (1, 2, 4), ("bus", "chain"), list(RANKS), (None, True)))
    for i in dice.permutation(len(shapes))[:12]:
        units, packs, hookup, school, alone = shapes[i]
        document = other(
            plans.TERN_HOLLOW,
            kit__inverters=units,
            kit__packs=packs,
            kit__hookup=hookup,
            waking__school=school,
            waking__alone=alone,
        )
        document["strings"] = [s for s in document["strings"] if s["inverter"] <= units]
        d = made(document)
        if d.wake is None:
            assert d.count(d.findings[0].level.__class__.STOP)
            continue
        up = d.wake.way.up
        assert (up.against is None) == bool(up.acts)
        for a in up.acts:
            assert not int(d.wake.way.moves.wrong(a.state, [a.k])[0]) & ~READIED
        rules = replace(d.wake.way.rules, in_turn=())
        assert rules.before.shape == (len(d.wake.way.plant.levers),)
        assert not NOT_IN_TURN & READIED


def test_where_no_order_is_near_all_states_are_looked_at():
    """Layer after layer, against a search by networkx over the same acts; and the proof that there
    is none.
    """
    w = way("HERON_SLIP")
    found = any_order(w.moves, 0, w.plant.serving)
    state = 0
    for a in found.acts:
        assert a.state == state and not int(w.moves.wrong(state, [a.k])[0]) & ~READIED
        state = a.after
    assert state == w.plant.serving and not found.least
    b = Bench()
    for i in (1, 2):
        b.pack(f"pack{i}")
        b.unit(f"unit{i}")
        b.switch(f"own{i}", f"pack{i}", f"unit{i}.dc", "pack")
        b.switch(f"out{i}", f"unit{i}", "panel", "backup")
    b.loads, b.bonds = ["panel"], [("panel", 0, -1)]
    p = b.made(linked=True)
    rules = rules_of(p, (InTurn("pack", "backup", "the inverter's manual"),), "inverter")
    none = any_order(Moves(p, rules), 0, p.serving)
    assert none.acts == () and none.against is not None and not none.against.given_up
    g = nx.DiGraph()
    moves = Moves(p, rules)
    for s in range(1 << len(p.levers)):
        todo = [k for k in range(len(p.levers)) if not s >> k & 1]
        for k, bits in zip(todo, moves.wrong(s, todo).tolist() if todo else [], strict=True):
            if not bits & ~READIED:
                g.add_edge(s, s | 1 << k)
    g.add_nodes_from((0, p.serving))
    assert not nx.has_path(g, 0, p.serving)
    assert any_order(w.moves, 0, w.plant.serving, most=1).against.given_up


def test_a_unit_that_wants_the_grid_first_gets_it_first():
    d = made(plans.HERON_SLIP, with_starting("marram-s8", order=("grid", "battery")))
    seen = kinds(d.wake.way, d.wake.way.up.acts)
    assert d.wake.way.school == "grid first"
    assert seen.index("grid") < seen.index("battery")
