"""States of a termination: which moves are legal, what corrections do, and two hands that did not
know of
each other. Common practice of a torque book.
"""

import itertools
from datetime import UTC, date, datetime

import pytest
from hypothesis import given as forall
from hypothesis import strategies as st

from gumboot.catalogue import catalogue
from gumboot.core.land import Event, TerminationState, Wrench, illegal, state_of
from gumboot.core.land.entering import Entered, Refused, day_of, entry_body
from gumboot.core.land.events import ACTS
from gumboot.core.land.termination import chain_of
from tests.designs import design

DAY = date(2026, 11, 25)
WRENCH = Wrench("1", "middle", "s", 5, 25, date(2027, 1, 1))
LUG = chain_of("conductor", "lug", True)
CHAINS = {
    ("conductor", "lug", True): "prepared landed torqued tugged marked",
    ("conductor", "ferrule", True): "prepared landed torqued tugged marked",
    ("conductor", "spring", False): "prepared landed tugged",
    ("conductor", "pv-connector", False): "prepared landed tugged",
    ("factory", "as made", True): "torqued marked",
    ("bar", "bar", True): "landed torqued marked",
    ("signal", "plug", False): "landed tugged",
    ("signal", "clip", False): "landed tugged",
    ("signal", "spring", False): "prepared landed tugged",
    ("signal", "screw", True): "prepared landed torqued tugged marked",
    ("dead", "dead", False): "proven",
    ("cover", "cover", True): "torqued",
    ("cover", "cover", False): "closed",
}


@pytest.mark.parametrize(("what", "states"), CHAINS.items())
def test_which_states_a_termination_goes_through(what, states):
    """A spring clamp has no torque: pushed home, tugged. A factory termination is there already."""
    assert chain_of(*what) == tuple(states.split())


def events(*acts, device="a", seen=None, start=1):
    return [
        Event(
            f"{device}{i}",
            a,
            i,
            device=device,
            seen=seen,
            verdict="good" if a == "torqued" else None,
            torque_nm=12.0 if a == "torqued" else None,
        )
        for i, a in enumerate(acts, start)
    ]


@pytest.mark.parametrize("chain", sorted({chain_of(*k) for k in CHAINS}))
def test_only_the_next_state_may_come(chain):
    """From every state: the next one, and no other forward step."""
    for at in range(len(chain) + 1):
        state = state_of(events(*chain[:at]), chain)
        assert state.at == at
        forward = [
            a
            for a in ("proven", "prepared", "landed", "tugged", "marked", "closed")
            if not illegal(state, a)
        ]
        assert forward == [a for a in chain[at : at + 1] if a != "torqued"]
        may_turn = "torqued" in chain and at >= chain.index("torqued")
        assert (illegal(state, "torqued") == "") == may_turn
        assert (illegal(state, "re-checked") == "") == (at == len(chain) and "torqued" in chain)
        assert (illegal(state, "undone") == "") == (at > 0)


def test_under_again_over_replaced():
    under = Event("u", "torqued", 3, verdict="under", torque_nm=9.0)
    s = state_of([*events("prepared", "landed"), under], LUG)
    assert (
        (s.state, s.next) == ("under", "torqued")
        and not illegal(s, "torqued")
        and illegal(s, "tugged") == "torque it first"
    )
    s = state_of(
        [
            *events("prepared", "landed"),
            under,
            Event("g", "torqued", 4, verdict="good", torque_nm=12.0),
        ],
        LUG,
    )
    assert (s.state, s.next) == ("torqued", "tugged")
    over = Event("o", "torqued", 5, verdict="over", torque_nm=15.0)
    s = state_of([*events("prepared", "landed"), over], LUG)
    assert (
        s.state == "over"
        and illegal(s, "torqued") == "the last reading was over: replace the hardware first"
        and not illegal(s, "replaced")
    )
    s = state_of([*events("prepared", "landed"), over, Event("r", "replaced", 6)], LUG)
    assert (s.state, s.next) == ("landed", "torqued") and illegal(s, "replaced")
    s = state_of([*events("prepared", "landed", "torqued", "tugged", "marked"), over], LUG)
    assert (
        not s.complete and s.next == "torqued"
    )  # a finished termination turned over is no longer finished


def test_the_return_and_its_drift():
    done = events(*LUG)
    s = state_of(done, LUG)
    assert s.complete and not s.rechecked and s.drift is None
    again = state_of(
        [*done, Event("z", "torqued", 9, verdict="good", torque_nm=11.6, again=True)], LUG
    )
    assert again.complete and again.rechecked and again.state == "re-checked"
    assert again.drift.share == pytest.approx((11.6 - 12) / 12)
    loose = state_of([*done, Event("z", "moved", 9)], LUG)
    assert not loose.complete and loose.next == "torqued" and illegal(loose, "re-checked")
    looked = state_of([*done, Event("z", "re-checked", 9)], LUG)
    assert looked.rechecked and looked.complete


def test_undone_and_taken_back():
    done = events("prepared", "landed", "torqued")
    assert state_of([*done, Event("x", "undone", 9)], LUG).state == "open"
    assert state_of([*done, Event("x", "taken back", 9, corrects="a3")], LUG).state == "landed"
    wrong = Event("w", "torqued", 3, verdict="over", torque_nm=21.0)
    right = Event("r", "torqued", 4, verdict="good", torque_nm=12.0, corrects="w")
    assert (
        state_of([*events("prepared", "landed"), wrong, right], LUG).state == "torqued"
    )  # 21 was typed for 12


def hand(device, seen, *rows):
    return [
        Event(
            f"{device}{seq}",
            act,
            seq,
            device=device,
            seen=seen,
            verdict=v,
            torque_nm=1.0 if v else None,
        )
        for seq, act, v in rows
    ]


def test_two_hands_that_agree_are_in_no_doubt():
    a = hand("a", 0, (1, "prepared", None), (2, "landed", None), (3, "torqued", "good"))
    b = hand("b", 0, (4, "prepared", None), (5, "landed", None))
    s = state_of(sorted([*a, *b], key=lambda m: m.seq), LUG)
    assert s.doubt == () and s.state == "torqued"
    both = [*a, *b, *hand("b", 0, (6, "torqued", "good"))]
    assert state_of(both, LUG).doubt == ()


@pytest.mark.parametrize(
    ("first", "second"),
    [
        (("torqued", "good"), ("torqued", "over")),
        (("torqued", "under"), ("torqued", "good")),
        (("undone", None), ("torqued", "good")),
        (("torqued", "good"), ("undone", None)),
    ],
)
def test_two_hands_at_odds_are_in_doubt_until_someone_who_knows_both_says(first, second):
    start = hand("a", 0, (1, "prepared", None), (2, "landed", None))
    a, b = hand("a", 2, (3, *first)), hand("b", 2, (4, *second))
    s = state_of([*start, *a, *b], LUG)
    assert s.doubt == (("a3", "b4"),) and not s.complete and s.state == "in doubt"
    settled = Event("s", "settled", 5, seen=4, device="c", drops=("b4",))
    assert state_of([*start, *a, *b, settled], LUG).doubt == ()
    blind = Event("t", "torqued", 5, seen=3, device="c", verdict="good", torque_nm=1.0)
    assert state_of([*start, *a, *b, blind], LUG).doubt  # who knew only one of them settles nothing
    torqued_again = Event("t", "torqued", 5, seen=4, device="c", verdict="good", torque_nm=1.0)
    assert state_of([*start, *a, *b, torqued_again], LUG).doubt == ()
    assert (
        state_of([*start, *a, *hand("a", 2, (4, *second))], LUG).doubt == ()
    )  # the same device knew


ROW = st.tuples(
    st.sampled_from([a for a in ACTS if a not in ("taken back", "settled")]),
    st.sampled_from(["good", "under", "over", "withheld"]),
    st.booleans(),
    st.booleans(),
)


@forall(st.sampled_from(sorted({chain_of(*k) for k in CHAINS})), st.lists(ROW, max_size=14))
def test_whatever_is_logged_never_counts_more_than_was_done(chain, rows):
    """A termination is made off only when every state of its chain was said since it was last
    undone, and
    its last reading was good.
    """
    log = [
        Event(
            str(i),
            a,
            i,
            verdict=v if a == "torqued" else None,
            torque_nm=1.0 if a == "torqued" else None,
            replaced=r,
            again=g,
        )
        for i, (a, v, r, g) in enumerate(rows)
    ]
    s = state_of(log, chain)
    assert 0 <= s.at <= len(chain)
    if s.complete:
        since = max((i for i, m in enumerate(log) if m.act == "undone"), default=-1)
        assert chain[-1] in [m.act for m in log[since + 1 :]] or "torqued" in chain
        if "torqued" in chain:
            last = [m for m in log if m.act == "torqued"][-1:]
            assert last and last[0].verdict == "good" and not s.spoiled


@forall(st.sampled_from(sorted({chain_of(*k) for k in CHAINS})), st.lists(ROW, max_size=10))
def test_legal_moves_alone_always_lead_somewhere_sensible(chain, rows):
    """Taking only legal events, each state is reached one at a time."""
    log: list[Event] = []
    for i, (a, v, _, g) in enumerate(rows):
        before = state_of(log, chain)
        if illegal(before, a, g and a == "torqued"):
            continue
        log.append(
            Event(
                str(i),
                a,
                i,
                verdict=v if a == "torqued" else None,
                torque_nm=1.0 if a == "torqued" else None,
                again=g and a == "torqued",
            )
        )
        after = state_of(log, chain)
        assert after.at <= before.at + 1


def test_the_order_of_entries_from_two_devices_never_hides_an_over():
    """All ways two devices' entries can come in: an over is never silently made good."""
    a = [("prepared", None), ("landed", None), ("torqued", "over")]
    b = [
        ("prepared", None),
        ("landed", None),
        ("torqued", "good"),
        ("tugged", None),
        ("marked", None),
    ]
    for where in itertools.combinations(range(8), 3):
        rest, ia, ib = iter(range(8)), iter(a), iter(b)
        log = [
            Event(
                f"{'a' if i in where else 'b'}{i}",
                *next(ia if i in where else ib)[:1],
                seq=i + 1,
                seen=0,
                device="a" if i in where else "b",
            )
            for i in rest
        ]
        ia, ib = iter(a), iter(b)
        log = [
            Event(
                m.uuid,
                m.act,
                m.seq,
                verdict=next(ia if m.device == "a" else ib)[1],
                torque_nm=1.0,
                seen=0,
                device=m.device,
            )
            for m in log
        ]
        assert not state_of(log, LUG).complete


@pytest.fixture
def lug(tern):
    return next(
        t for t in design(tern, catalogue()).terminations if t.key == "battery-1.+@inverter-1"
    )


LANDED = state_of(events("prepared", "landed"), LUG)


def enter(t, state, act="torqued", wrench=WRENCH, others=False, **more):
    return entry_body(
        Entered(t.key if t else "gone", "GONE", act, **{"typed": "12 Nm", **more}),
        t,
        state,
        wrench,
        DAY,
        others,
    )


def test_an_entry_in_any_unit(lug):
    for typed, nm in (("12", 12), ("106.2 in-lb", 12), ("8.85 ft-lb", 12), ("12,0 Nm", 12)):
        kind, body = enter(lug, LANDED, typed=typed)
        assert (
            kind == "reading"
            and body["torque_nm"] == pytest.approx(nm, rel=2e-3)
            and body["verdict"] == "good"
            and body["typed"] == typed
        )


@pytest.mark.parametrize(
    ("more", "field", "words"),
    [
        ({"typed": "abc"}, "torque", "type a number and unit"),
        ({"typed": "0"}, "torque", "more than 0"),
        ({"typed": "2000"}, "torque", "at most 1000"),
        ({"typed": ""}, "torque", "type a number"),
        ({"wrench": None}, "wrench", "choose the wrench"),
        ({"act": "tugged"}, "act", "torque it first"),
        ({"act": "flown"}, "act", "not a step"),
        ({"act": "settled"}, "act", "not a step"),
        ({"act": "undone"}, "note", "why it is undone"),
        ({"act": "taken back", "note": " ", "corrects": "a1"}, "note", "why the entry"),
    ],
)
def test_what_cannot_be_kept_says_what_to_do(lug, more, field, words):
    with pytest.raises(Refused) as refused:
        enter(lug, LANDED, **more)
    assert refused.value.field == field and words in str(refused.value)


def test_what_came_from_someone_who_could_not_know_is_kept_as_it_came(lug):
    assert enter(lug, TerminationState(LUG), act="marked", others=True)[1]["act"] == "marked"
    with pytest.raises(Refused):
        enter(lug, TerminationState(LUG), act="marked")


def test_a_termination_that_left_the_plan_keeps_its_reading_but_no_verdict():
    kind, body = enter(None, None)
    assert (
        kind == "reading"
        and body["verdict"] == "withheld"
        and "no longer in it" in body["why"]
        and body["label"] == "GONE"
    )


def test_the_day_is_the_devices_unless_its_clock_is_ahead():
    now = datetime(2026, 11, 25, 12, tzinfo=UTC)
    assert day_of("2026-11-24T23:59:00Z", now) == date(2026, 11, 24)
    for odd in ("2027-05-01T00:00:00Z", "", "yesterday", "2026-11-24T10:00:00"):
        assert day_of(odd, now) == DAY
