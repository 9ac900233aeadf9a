"""Terminators by ohms: the ladder against a whole two-wire network solved otherwise, the readings
every crew knows, and every fault found by measuring on.
"""

import itertools
import math

import networkx as nx
import numpy as np
import pytest

from gumboot.core.link.terminators import (
    OPEN_OHM,
    SHORT_OHM,
    TERMINATOR,
    Bus,
    Place,
    State,
    meanings,
    measure_next,
    ohms,
    places,
    right,
    spoken,
    states,
    table,
)

NAMES = ("Inverter", "Pack 1", "Pack 2", "Pack 3")
BUS = Bus(NAMES, (4.0, 0.6, 0.6), (0, 3))


def two_wires(bus, state, place):
    """The same by networkx: both wires as they are, each with its own resistance; the resistance
    between the two ends of the pair (resistance distance, Klein and Randić 1993).
    """
    g = nx.Graph()

    def add(a, b, r):
        if g.has_edge(a, b):  # in parallel
            r = 1 / (1 / r + 1 / g[a][b]["r"])
        g.add_edge(a, b, r=r)

    n = len(bus.stations)
    side = place.side
    seen = [
        i
        for i in range(n)
        if side == "whole"
        or i == place.station
        or (i < place.station) == (side == "toward the first")
    ]
    for i in seen:
        add(("H", i), ("L", i), bus.inputs_ohm)
        if i in state.ended:
            add(("H", i), ("L", i), TERMINATOR)
        if state.short == i:
            add(("H", i), ("L", i), SHORT_OHM)
        if i + 1 in seen:
            for wire in "HL":
                each = bus.core_ohm_m * bus.lengths_m[i]
                add((wire, i), (wire, i + 1), OPEN_OHM / 2 if i in state.parted else each)
    at = place.station
    return nx.resistance_distance(g, ("H", at), ("L", at), weight="r", invert_weight=True)


@pytest.mark.parametrize("n", [2, 3, 4])
def test_the_ladder_is_the_whole_network(n):
    bus = Bus(NAMES[:n], (4.0, 0.6, 12.0)[: n - 1], (0, n - 1))
    for (state, _, says), place in itertools.product(states(bus), places(bus)):
        whole = two_wires(bus, state, place)
        assert ohms(bus, state, place) == pytest.approx(whole, rel=1e-5), (says, place)


def test_the_readings_every_crew_knows():
    """60 Ω whole, 120 with one missing, 40 with one too many, near 0 shorted: Ohm's law (trade
    practice); wires of a few metres add their own.
    """
    short = Bus(NAMES, (0.1, 0.1, 0.1), (0, 3), inputs_ohm=1e9)
    for ended, said in (((0, 3), 60.0), ((0,), 120.0), ((0, 2, 3), 40.0), ((), math.inf)):
        for i in range(4):
            seen = ohms(short, State(ended), Place(i))
            assert seen > 1e6 if said == math.inf else seen == pytest.approx(said, abs=0.2)
    assert ohms(short, State((0, 3), short=2), Place(0)) < 0.5
    assert spoken(60.2) == "60 Ω" and spoken(0.21) == "0.2 Ω" and spoken(1e6) == "open"
    assert ohms(short, right(short), Place(1, "toward the first")) == pytest.approx(120, abs=0.3)
    assert len(table(BUS)) == 4 + 2 * 2


@pytest.mark.parametrize(
    ("read", "says"),
    [
        (60.0, "as it should be"),
        (120.0, "is missing"),
        (40.0, "a terminator too many"),
        (0.3, "the two wires touch"),
    ],
)
def test_one_reading_at_the_inverter(read, says):
    assert says in meanings(BUS, {Place(0): read})[0].says


def test_every_fault_is_found_by_measuring_on():
    """With a meter of 1 % and terminators of 3 %: after at most five readings what is named shows
    the same as the truth at every place.
    """
    dice = np.random.default_rng(3)
    wrong = 0
    for state, p, says in states(BUS):
        readings = {}
        place = Place(0)
        for _ in range(5):
            seen = ohms(BUS, state, place)
            readings[place] = seen * (1 + dice.normal(0, 0.015)) if seen < 1e4 else math.inf
            place = measure_next(BUS, readings)
            if place is None:
                break
        best = meanings(BUS, readings)[0].state
        alike = all(
            abs(math.log(min(ohms(BUS, best, x), 5e3) / min(ohms(BUS, state, x), 5e3))) < 0.15
            for x in places(BUS)
        )
        wrong += not alike
        assert alike or p < 0.02, says
    assert wrong <= 0.06 * len(states(BUS)), wrong


def test_where_to_measure_next_parts_what_is_left():
    """120 Ω at the inverter of a bus of four: one is missing, or the pair is open; the next place
    tells which, and a whole bus asks for no more.
    """
    first = {Place(0): 120.5}
    left = meanings(BUS, first)
    assert len(left) > 1 and left[0].likely < 0.9
    place = measure_next(BUS, first)
    assert place is not None and place != Place(0)
    truth = State((0, 3), parted=(1,))
    second = meanings(BUS, {**first, place: ohms(BUS, truth, place)})
    assert second[0].likely > left[0].likely


def test_a_bus_is_a_line_with_a_length_for_each_step():
    with pytest.raises(ValueError, match="one length less"):
        Bus(("a", "b"), (), (0, 1))
