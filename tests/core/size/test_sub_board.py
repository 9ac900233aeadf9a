"""Units that connect at a board behind the main one. Sums by hand after NEC 705.12(B) and 705.30,
and IEC 60364-4-41 411.4.4; resistances from IEC 60228, from memory.
"""

import pytest

from gumboot.catalogue import catalogue
from gumboot.core.basis.finding import Change
from gumboot.core.basis.patch import apply
from gumboot.core.design import design as anew
from gumboot.core.network.ask import isolate
from gumboot.core.plan import Plan
from gumboot.core.size.safeguards import ahead_of, lives
from gumboot.core.wake.steps import steps_of
from gumboot.demo.plans import MOSSBANK_TERRACE, TERN_HOLLOW
from gumboot.exports.materials import materials
from tests.designs import design
from tests.shapes import SHAPES, SHORT, US, other, runs

BOARD = {"breaker_a": 60, "bus_a": 100}
GARAGE = other(
    TERN_HOLLOW,
    kit__inverters=1,
    kit__generator=None,
    supply__connection="sub-board breaker",
    supply__sub_board=BOARD,
    strings=[s for s in TERN_HOLLOW["strings"] if s["inverter"] == 1],
    fitted={},
    backup={"loads": "essential board", "board_a": 50},
    runs=runs(TERN_HOLLOW, sub_feeder={**US, "length_m": 25}),
)


def of(document, **changes):
    return design(Plan.model_validate(other(document, **changes)), catalogue())


def found(d, key):
    return [f for f in d.findings if f.key == key]


def cured(d, cure):
    plan = apply(d.plan.model_dump(mode="json"), cure.changes)
    return design(Plan.model_validate(plan), catalogue())


def test_both_boards_are_judged_by_what_feeds_them():
    """8 kW at 240 V are 33.3 A: 1.25 · 33.3 + 200 = 241.7 A at the main's 200 A bus, of 240
    allowed; 1.25 · 33.3 + 60 = 101.7 A at the subpanel's 100 A bus, of 120 from opposite ends.
    """
    d = of(GARAGE)
    used = {b.body: b.used_120.n for b in d.buses}
    assert used["main-panel"] == pytest.approx(241.67, abs=0.01)
    assert used["sub-board"] == pytest.approx(101.67, abs=0.01)
    assert found(d, "bus.overfed") and not found(d, "bus.overfed.sub-board")
    near = of(GARAGE, supply__sub_board={**BOARD, "backfeed": "elsewhere"})
    (stop,) = found(near, "bus.overfed.sub-board")
    for cure in stop.cures[:2]:  # the other end; the main panel
        assert not found(cured(near, cure), "bus.overfed.sub-board")
    for loads, stands in ((40, True), (30, False)):  # with the unit's 70 A: the bus takes 100
        board = {**BOARD, "backfeed": "elsewhere", "load_breakers_a": loads}
        assert bool(found(of(GARAGE, supply__sub_board=board), "bus.overfed.sub-board")) is stands


def test_a_feeder_too_small_for_what_is_pushed_back_is_a_stop():
    """1.25 · 33.3 = 41.7 A: a breaker of 45 A carries it (705.30), one of 40 A does not."""
    (stop,) = found(of(GARAGE, supply__sub_board={"breaker_a": 40}), "sub-board.pushed")
    assert "41.7 A" in stop.says and "40 A" in stop.says
    assert not found(of(GARAGE, supply__sub_board={"breaker_a": 45}), "sub-board.pushed")
    d = cured(of(GARAGE, supply__sub_board={"breaker_a": 40}), stop.cures[0])
    assert "sub-board" not in d.network.body and not found(d, "sub-board.pushed")


def test_what_is_drawn_through_the_unit_trips_its_feeder_unless_it_is_limited():
    """A pass-through of 50 A asks 62.5 A of a breaker of 60: 48 A keyed holds it."""
    d = of(GARAGE)
    (check,) = found(d, "sub-board.drawn")
    assert "62.5 A" in check.says and "to 48 A" in check.cures[0].text
    assert not found(cured(d, check.cures[0]), "sub-board.drawn")
    gateway = of(SHAPES["a gateway behind a sub-board"])
    (check,) = found(gateway, "sub-board.drawn")  # 63 A of loads on 50
    assert not found(cured(gateway, check.cures[0]), "sub-board.drawn")


def test_what_the_feed_passes_is_what_the_feeder_does_at_most():
    """A breaker of 60 A carries 48 A for long (210.20); the unit passes 50 A."""
    (passed,) = [f for k, f in of(GARAGE).figures.items() if f.symbol == "I_pass"]
    assert passed.n == 48
    at_main = of(GARAGE, supply__connection="main-panel breaker")
    (passed,) = [f for k, f in at_main.figures.items() if f.symbol == "I_pass"]
    assert passed.n == 50


def test_the_whole_house_is_not_behind_a_sub_board():
    d = of(MOSSBANK_TERRACE, supply__connection="sub-board breaker", backup__loads="whole house")
    (stop,) = found(d, "sub-board.whole-house")
    for cure in stop.cures:
        assert not found(cured(d, cure), "sub-board.whole-house")


def test_what_nobody_has_read_is_asked_at_the_board():
    document = SHAPES["on a sub-board"]
    bare = {k: r for k, r in document["runs"].items() if k != "sub-feeder"}
    d = of(document, supply__sub_board={}, runs=bare, fitted={})
    asked = {f.key for f in d.findings if f.key.startswith("sub-board.")}
    assert asked == {"sub-board.breaker_a", "sub-board.bus_a", "sub-board.feeder"}
    (wire,) = [w for w in d.network.wires if w.circuit == "sub-feeder"]
    assert wire.existing and "sub-feeder" not in {c.id for c in d.circuits}
    assert not [t for t in d.terminations if t.place == "Main board" and "feeder" in t.key]


def test_loop_and_drop_go_by_the_feeder():
    """Z_s = Z_e + 1.20 · (R1 + R2): 10 mm² is 1.83 Ω/km, 6 mm² 3.08 Ω/km (IEC 60228)."""
    d = of(SHAPES["on a sub-board"])
    loops = {x.circuit: x.grid.n for x in d.loops}
    z_e, by_id = d.plan.supply.loop_ohm, {s.id: s for s in d.circuits}
    feeder = 1.2 * 2 * 1.83 * 28 / 1000
    assert by_id["sub-feeder"].size == "10 mm²"
    assert loops["sub-feeder"] == pytest.approx(z_e + feeder, rel=0.01)
    metres = by_id["grid-1"].conditions.run.length_m
    assert by_id["grid-1"].size == "6 mm²"
    wanted = z_e + feeder + 1.2 * 2 * 3.08 * metres / 1000
    assert loops["grid-1"] == pytest.approx(wanted, rel=0.01)
    long = {**SHAPES["on a sub-board"]["runs"], "sub-feeder": {"length_m": 62, "method": "D2"}}
    (check,) = found(of(SHAPES["on a sub-board"], runs=long), "grid-1.drop.all")
    assert "over 2 runs" in check.says


def test_a_feeder_that_is_there_is_judged_but_neither_bought_nor_made_off():
    d = of(SHAPES["on a sub-board"])
    assert not [t for t in d.terminations if t.circuit == "sub-feeder"]
    new = {**SHAPES["on a sub-board"]["runs"], "sub-feeder": {"length_m": 28, "method": "D2"}}
    fresh = of(SHAPES["on a sub-board"], runs=new)
    metres, more = (
        sum(x.count for x in materials(one) if x.group == "Cable" and x.what.endswith("10 mm²"))
        for one in (d, fresh)
    )
    assert more >= metres + 28  # of each core, and its earth
    breakers, with_feeder = (
        sum(x.count for x in materials(one) if "breaker, 40 A" in x.what) for one in (d, fresh)
    )
    assert with_feeder == breakers + 1
    assert [t for t in fresh.terminations if t.circuit == "sub-feeder"]
    unread = of(SHAPES["on a sub-board"], fitted={})
    (check,) = found(unread, "sub-feeder.there")
    after = cured(unread, check.cures[0])
    own = after.plan.fitted["sub-feeder"]
    assert not found(after, "sub-feeder.there") and own.size and own.earth
    bare = of(SHAPES["on a sub-board"], fitted={"sub-feeder": {"size": "10 mm²"}})
    (check,) = found(bare, "sub-feeder.there")
    assert "its earth is not typed: taken as 10 mm²" in check.says
    known = of(SHAPES["on a sub-board"], supply__fault_a=6000)
    (duty,) = [f for f in known.duties if f.key == "supply.fault.unread"]
    assert "Sub-board breaker, Main board" in duty.says  # what it breaks nobody knows


def test_a_device_at_the_sub_board_stands_before_what_it_feeds():
    """On TT: not before the feeder itself, and dead in the island."""
    device = {"kind": "residual-current device", "at": "sub-board", "trip_ma": 300, "type": "A"}
    loads = SHAPES["on a sub-board"]["safeguards"]
    tt = {"supply__earthing": "TT", "supply__loop_ohm": 40, "supply__electrode": "own"}
    d = of(SHAPES["on a sub-board"], **tt, safeguards=[*loads, device])
    behind = {s.id for s in d.circuits if (1, d.plan.safeguards[1]) in ahead_of(d.plan, s)}
    assert {"grid-1", "backup-1"} <= behind and "sub-feeder" not in behind
    (stop,) = found(d, "rcd.tt")
    assert stop.says.startswith("On TT no breaker clears an earth fault: Main board to sub-board")
    assert not lives(d.plan, d.circuits, d.plan.safeguards[1])
    (guard,) = [g for g in d.network.guards if g.body == "sub-board"]
    assert guard.amps == 40


def test_what_a_breaker_that_is_there_breaks_is_read_on_it():
    """Of any run: the PV inverter's too, whose breaker the shelf would know."""
    asked = {}
    for there in (False, True):
        own = {**MOSSBANK_TERRACE["runs"], "existing-pv": {**SHORT, "there": there}}
        d = of(MOSSBANK_TERRACE, runs=own, supply__fault_a=6000)
        (duty,) = [f for f in d.duties if f.key == "supply.fault.unread"]
        asked[there] = "PV breaker" in duty.says
    assert asked == {False: False, True: True}


def test_it_is_dead_by_its_own_feeder_and_named_everywhere():
    d = of(SHAPES["on a sub-board"])
    opened = [s.says for s in isolate(d.network, "sub-board").opened]
    assert opened[0] == "Sub-board breaker, Main board" and len(opened) == 3
    assert not isolate(d.network, "sub-board").stays
    at_main = [s.says for s in isolate(d.network, "main-panel").opened]
    assert at_main == ["Main breaker, Main board", "Breaker 1, Sub-board"]
    rows = {x.sources: x.at for x in d.disconnects}
    assert rows[("inverter-1",)] == "Essential board, Sub-board"
    assert any(f.key == "sub-board.neutral" for f in d.duties)


def test_it_comes_alive_before_the_unit_joins_the_grid():
    does = [s.title for s in steps_of(of(SHAPES["on a sub-board"])) if s.title.startswith("Close")]
    main, sub, unit = (
        next(i for i, t in enumerate(does) if words in t)
        for words in ("main breaker, Main", "sub-board breaker, Main", "breaker 1, Sub-board")
    )
    assert main < sub < unit


def test_leads_to_the_service_are_as_long_as_the_feeder():
    """28 m; the unit's sheet lets its transformer's lead be 15 m."""
    d = of(SHAPES["on a sub-board"])
    (lead,) = [x for x in d.harness.leads if "main-panel" in (x.cable.source, x.cable.load)]
    assert lead.length.n == 28 and lead.here.port.lead_most_m == 15
    (check,) = found(d, f"link.long.{lead.id}")
    assert "28 m" in check.says and "15 m" in check.says
    near = {**SHAPES["on a sub-board"]["runs"], "sub-feeder": {"length_m": 9, "method": "C"}}
    assert not found(of(SHAPES["on a sub-board"], runs=near), f"link.long.{lead.id}")


def test_what_changes_of_the_feeder_is_made_anew():
    """Whether it is there, how long it is, whether it is planned: as a design from nothing."""
    start, shelf = Plan.model_validate(SHAPES["a gateway behind a sub-board"]), catalogue()
    known = apply(start.model_dump(mode="json"), [Change("/supply/fault_a", 6000.0)])
    for change in (
        Change("/runs/sub-feeder", {"length_m": 20, "method": "C"}),
        Change("/runs/sub-feeder/there", True),
        Change("/runs/sub-feeder/length_m", 33.0),
        Change("/runs/sub-feeder", None),
    ):
        before = anew(Plan.model_validate(known), shelf)
        known = apply(known, [change])
        plan = Plan.model_validate(known)
        after, fresh = anew(plan, shelf, before), anew(plan, shelf)
        assert [f.says for f in after.findings] == [f.says for f in fresh.findings]
        assert [f.says for f in after.duties] == [f.says for f in fresh.duties]
        assert {k: f.value for k, f in after.figures.items()} == {
            k: f.value for k, f in fresh.figures.items()
        }
