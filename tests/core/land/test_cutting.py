"""Cutting: against a brute-force optimum, and what a cut list must hold. Lengths in cm."""

import itertools

import pytest
from hypothesis import given as forall
from hypothesis import settings
from hypothesis import strategies as st

from gumboot.catalogue import catalogue
from gumboot.core.codes.books import BOOKS
from gumboot.core.land.cutting import cut_list, first_fit, list_pieces, pack
from gumboot.core.plan import Reel
from tests.designs import design


def brute(lengths, reels, remnants):
    """The least that has to be bought, by trying every way of putting pieces together."""
    best = [float("inf")]

    def fits(groups, stock):
        """Whether groups can each be given a remnant of its own; the least cost of the others
        bought new.
        """
        cheapest = float("inf")
        for used in itertools.product(range(len(remnants) + 1), repeat=len(groups)):
            taken = [u for u in used if u]
            if len(set(taken)) != len(taken):
                continue
            total = 0
            for g, u in zip(groups, used, strict=True):
                if u and remnants[u - 1] < g:
                    break
                if not u:
                    ok = [r for r in reels if r >= g]
                    if not ok:
                        break
                    total += min(ok)
            else:
                cheapest = min(cheapest, total)
        return cheapest

    def place(i, groups):
        if i == len(lengths):
            best[0] = min(best[0], fits(groups, None))
            return
        for k in range(len(groups)):
            if groups[k] + lengths[i] <= max((*reels, *remnants)):
                place(i + 1, [*groups[:k], groups[k] + lengths[i], *groups[k + 1 :]])
        place(i + 1, [*groups, lengths[i]])

    place(0, [])
    return best[0]


@settings(max_examples=40)
@forall(
    st.lists(st.integers(50, 900), min_size=1, max_size=5),
    st.sets(st.sampled_from([500, 900, 1000, 1500, 2500]), min_size=1, max_size=2),
    st.lists(st.integers(100, 800), max_size=2),
)
def test_nothing_less_could_be_bought(lengths, reels, remnants):
    reels = {*reels, 900}
    packed = pack(tuple(lengths), tuple(sorted(reels)), tuple(sorted(remnants)))
    assert packed.proven and packed.bought == packed.bound == brute(
        lengths, sorted(reels), sorted(remnants)
    )
    cut = sorted(i for c in packed.cuts for i in c.pieces)
    assert cut == list(range(len(lengths)))  # every piece once
    for c in packed.cuts:
        assert c.rest == c.length - sum(lengths[i] for i in c.pieces) >= 0
        assert [lengths[i] for i in c.pieces] == sorted(
            (lengths[i] for i in c.pieces), reverse=True
        )
    used = [c.length for c in packed.cuts if not c.bought]
    assert all(used.count(x) <= remnants.count(x) for x in used)


def test_a_textbook_case():
    """Four of 3, three of 4, two of 5 metres from bars of 10: three bars at least by length (34 m),
    four in fact, since 3 × 10 < 34.
    """
    packed = pack((300,) * 4 + (400,) * 3 + (500,) * 2, (1000,))
    assert packed.bought == 4000 and packed.proven and len(packed.cuts) == 4


def test_a_remnant_goes_first_and_what_no_reel_holds_is_said():
    packed = pack((400, 300, 2000), (1000,), (750,))
    assert (
        packed.bought == 0 and packed.too_long == (2,) and [c.length for c in packed.cuts] == [750]
    )
    assert pack((), (1000,)).cuts == () and first_fit([6, 5, 4, 3], 10) == 2


@pytest.mark.parametrize("job", ["tern", "saltings", "mossbank", "juniper", "heron"])
def test_every_conductor_is_cut_once_with_both_its_ends(job, request):
    plan = request.getfixturevalue(job)
    d = design(plan, catalogue())
    pieces = list_pieces(d.circuits, d.terminations, set(), plan, catalogue())
    ends = [t.key for p in pieces for t in p.ends]
    assert sorted(ends) == sorted(t.key for t in d.terminations if t.kind == "conductor")
    for p in pieces:
        assert len(p.ends) == 2 * len(p.conductors.split())
        run = next(s for s in d.circuits if s.id == p.circuit).conditions.run.length_m
        assert p.length.n == pytest.approx(
            run + 0.75, abs=1e-3
        )  # 300 mm in each box and a loop of 150 mm: common practice
        if p.cable.cores == "single":
            assert p.colour == plan.book.colours[p.conductors]
    lots = cut_list(pieces, ())
    assert sum(len(lot.pieces) for lot in lots) == len(pieces)
    for lot in lots:
        assert sum(len(c.pieces) for c in lot.packed.cuts) + len(lot.packed.too_long) == len(
            lot.pieces
        )
        assert lot.packed.proven


def test_a_way_on_the_wall_has_its_make_off_in_it(tern):
    d = design(tern, catalogue())
    routed = {r.want.id for w in d.walls for r in w.routes}
    p = next(
        p
        for p in list_pieces(d.circuits, d.terminations, routed, tern, catalogue())
        if p.circuit in routed
    )
    assert p.length.n == pytest.approx(
        next(s for s in d.circuits if s.id == p.circuit).conditions.run.length_m, abs=1e-3
    )


def test_a_remnant_of_the_same_cable_and_colour_only(tern):
    d = design(tern, catalogue())
    pieces = list_pieces(d.circuits, d.terminations, set(), tern, catalogue())
    lot = next(
        x for x in cut_list(pieces, ()) if x.colour == "black" and x.cable.id == "building-wire"
    )
    mine = Reel(cable=lot.cable.id, size=lot.size, colour="black", length_m=60)
    other = Reel(cable=lot.cable.id, size=lot.size, colour="white", length_m=60)
    again = {(x.size, x.colour, x.cable.id): x for x in cut_list(pieces, (mine, other))}
    assert [c for c in again[lot.size, "black", lot.cable.id].packed.cuts if not c.bought]
    assert again[lot.size, "black", lot.cable.id].packed.bought < lot.packed.bought


@pytest.mark.parametrize(
    ("book", "conductor", "name"),
    [
        ("nec-2023", "N", "white"),
        ("nec-2023", "PE", "green"),
        ("iec-60364", "L1", "brown"),
        ("iec-60364", "L2", "black"),
        ("iec-60364", "L3", "grey"),
        ("iec-60364", "N", "blue"),
        ("iec-60364", "PE", "green-yellow"),
    ],
)
def test_colours(book, conductor, name):
    """NEC 200.6, 250.119; IEC 60445. From memory, recalled twice."""
    assert BOOKS[book].colours[conductor] == name
