"""The wiring of current transformers, found from what a meter shows: every single fault and every
pair of faults, simulated with noise, against the space the engine searches.
"""

import itertools
import math
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from gumboot.core.link import ct
from gumboot.core.link.wiring import (
    ANGLES,
    NOWHERE,
    OPEN,
    Clip,
    Setup,
    exchanges,
    prior,
    right,
    space,
    structures,
)
from tests.conftest import HUNTING

SUPPLIES = tuple(ANGLES)
PLACES = ("service", "inverter", "house without inverter")


def drives(lines):
    """A load on each line, loads on two at once, and the inverter on all."""
    one = [("house", tuple(float(j == i) for j in range(lines))) for i in range(lines)]
    two = [("house", tuple(float(j != i) for j in range(lines))) for i in range(lines)]
    return (*one, *(two if lines > 2 else ()), ("inverter", (1.0,) * lines))


def setup_of(supply, **more):
    lines = len(ANGLES[supply])
    channels = tuple(("service", i) for i in range(lines))
    return Setup(supply, channels, drives(lines), **more)


def steps_of(setup, watts):
    last = len(setup.drives) - 1
    every = [ct.Step(f"drive {i}", i, watts) for i in range(len(setup.drives))]
    return [*every, ct.Step("the inverter gives", last, -watts)]


# Every single fault, as a change of a wiring.


def turned(k):
    return lambda w: [_if(c, turned=not c.turned) if i == k else c for i, c in enumerate(w)]


def nowhere(k):
    return lambda w: [OPEN if i == k else c for i, c in enumerate(w)]


def placed(k, place):
    return lambda w: [_if(c, place=place) if i == k else c for i, c in enumerate(w)]


def swapped(a, b):
    def change(w):
        if NOWHERE in (w[a].place, w[b].place):
            return w
        out = list(w)
        for i, j in ((a, b), (b, a)):
            out[i] = replace(w[i], place=w[j].place, line=w[j].line, turned=w[j].turned)
        return out

    return change


def tapped(a, b):
    return lambda w: [_if(c, volts={a: b, b: a}.get(c.volts, c.volts)) for c in w]


def rated(q):
    return lambda w: [_if(c, ratio=q) for c in w]


def _if(clip, **change):
    return clip if clip.place == NOWHERE else replace(clip, **change)


def faults(setup):
    n = len(setup.channels)
    out = {}
    for k in range(n):
        out |= {f"{k} turned": turned(k), f"{k} nowhere": nowhere(k)}
        out |= {f"{k} at {p}": placed(k, p) for p in PLACES[1:]}
    for a, b in itertools.combinations(range(n), 2):
        out |= {f"{a} and {b} swapped": swapped(a, b), f"taps {a} and {b}": tapped(a, b)}
    return out | {f"ratio {q}": rated(q) for q in setup.ratios}


def cases(setup):
    """{name: wiring}: right, every fault, every pair of faults."""
    whole, every = list(right(setup)), faults(setup)
    out = {"right": right(setup)} | {name: tuple(f(whole)) for name, f in every.items()}
    for (a, f), (b, g) in itertools.combinations(every.items(), 2):
        out[f"{a}, {b}"] = tuple(g(f(whole)))
    return out


def shown_by(setup, wiring, step, noise, dice):
    """What a meter shows of a step: the step off by some per cent, the house at its own."""
    lines = setup.lines
    house, off = dice.normal(0, noise, lines), 1 + dice.normal(0, 0.03)
    more = []
    for clip, w in zip(
        wiring, ct.shows(setup, wiring, replace(step, watts=step.watts * off)), strict=True
    ):
        own = (
            clip.gain(setup.supply) * house[clip.line]
            if clip.place in (PLACES[0], PLACES[2])
            else 0
        )
        more.append(w + own + dice.normal(0, ct.SIGMA_METER_W))
    return ct.Shown(step, tuple(more), noise)


def classes_of(setup):
    return {clip: n for n, some in enumerate(space(setup).members) for clip in some}


def tried(setup, wiring, noise, dice, most=3):
    """The belief after at most so many steps that the engine chose, of five times the noise."""
    steps = steps_of(setup, ct.wanted_w(noise))
    shown, belief = [], ct.believe(setup, [])
    for _ in range(most):
        chosen = ct.next_step(belief, steps, noise)
        if chosen is None or belief.sure:
            break
        shown.append(shown_by(setup, wiring, chosen[0], noise, dice))
        belief = ct.believe(setup, shown)
    return belief


@pytest.mark.long
@pytest.mark.parametrize(
    ("supply", "trials"),
    [
        ("single-phase 230 V", 6000),
        ("split-phase 120/240 V", 10_000),
        ("three-phase 400/230 V", 4000),
    ],
)
def test_every_fault_and_pair_of_faults_is_found_within_three_steps(supply, trials):
    """Seeded trials, 20,000 in all when hunting, else each case with each noise some times: noise
    of 30, 100 and 300 W and steps of five times that. The truth is what is named in 99 %, and what
    is named as sure is wrong in at most 0.5 %.
    """
    setup, dice = setup_of(supply), np.random.default_rng(20_261_126)
    every, known = list(cases(setup).values()), classes_of(setup_of(supply))
    every = [w for w in every for _ in range(3)]  # each with each noise
    trials = trials if HUNTING else len(every) * max(1, round(600 / len(every)))
    found = sure_wrong = 0
    for n in range(trials):
        wiring, noise = every[n % len(every)], float((30, 100, 300)[n % 3])
        belief = tried(setup, wiring, noise, dice)
        truth = tuple(known[c] for c in wiring)
        hit = tuple(belief.classes[0]) == truth
        found += hit
        sure_wrong += belief.sure and not hit
    assert found / trials >= 0.99, found / trials
    assert sure_wrong / trials <= 0.005, sure_wrong / trials


@pytest.mark.parametrize("supply", SUPPLIES)
def test_without_noise_every_case_is_named(supply):
    """After every step of the job, what is named shows exactly what was shown."""
    setup = setup_of(supply)
    steps = steps_of(setup, 2000.0)
    for name, wiring in cases(setup).items():
        shown = [ct.Shown(s, ct.shows(setup, wiring, s), 20.0) for s in steps]
        best = ct.explanations(ct.believe(setup, shown))[0]
        assert best.likely > 0.99, (name, best.likely)
        for other in (best.wiring, *best.alike):
            assert all(
                ct.shows(setup, other, s) == pytest.approx(ct.shows(setup, wiring, s), abs=0.01)
                for s in steps
            ), name


def test_what_a_channel_shows_is_real_power():
    """P = q · d · P_c · cos φ: minus a half on another phase's voltage (120°), minus one on the
    other leg of split phase (180°); against complex arithmetic.
    """
    for supply, angles in ANGLES.items():
        lines = range(len(angles))
        for c, v, t, q in itertools.product(lines, lines, (False, True), (1.0, 2.0)):
            current = 10 * np.exp(1j * math.radians(angles[c])) * (-1 if t else 1)
            volts = 230 * np.exp(1j * math.radians(angles[v]))
            power = q * (volts * current.conjugate()).real
            assert Clip("service", c, t, v, q).gain(supply) * 2300 == pytest.approx(power, abs=1e-3)


def test_a_reversed_clip_and_the_other_legs_voltage_are_told_as_alike():
    """No step tells them apart on split phase; on three phases it does."""
    setup = setup_of("split-phase 120/240 V")
    wiring = tuple(turned(0)(list(right(setup))))
    shown = [ct.Shown(s, ct.shows(setup, wiring, s), 20.0) for s in steps_of(setup, 2000.0)]
    best = ct.explanations(ct.believe(setup, shown))[0]
    assert best.wiring == wiring
    assert any(w[0].volts == 1 and not w[0].turned for w in best.alike)
    three = setup_of("three-phase 400/230 V")
    wiring = tuple(turned(0)(list(right(three))))
    shown = [ct.Shown(s, ct.shows(three, wiring, s), 20.0) for s in steps_of(three, 2000.0)]
    assert ct.explanations(ct.believe(three, shown))[0].alike == ()


@pytest.mark.parametrize("supply", SUPPLIES)
def test_the_exact_answer_against_counting_every_wiring(supply):
    """Bayes by brute force over every wiring of the space, with a few steps shown."""
    setup = replace(setup_of(supply), ratios=(2.0,), places=("service", "inverter"))
    s, dice = space(setup), np.random.default_rng(4)
    steps = steps_of(setup, 900.0)
    wiring = tuple(turned(0)(list(right(setup))))
    shown = [shown_by(setup, wiring, x, 120.0, dice) for x in steps[:2]]
    belief = ct.believe(setup, shown)
    logs = np.zeros((len(setup.channels), s.count))
    for x in shown:
        mean, sigma = ct.expected(s, x.step), ct.spread(s, x.step, x.noise_w, x.known)
        for k, more in enumerate(x.more_w):
            logs[k] += -0.5 * ((more - mean) / sigma) ** 2 - np.log(sigma)
    logs -= logs.max(axis=1, keepdims=True)
    weights = {}
    for row in itertools.product(range(s.count), repeat=len(setup.channels)):
        seen = sum(logs[k, c] for k, c in enumerate(row))
        if seen < -14:
            continue
        members = itertools.product(*(s.members[c] for c in row))
        weights[row] = math.exp(seen) * sum(prior(setup, w) for w in members)
    total = sum(weights.values())
    for row, likely in zip(belief.classes[:40], belief.likely[:40], strict=False):
        if likely > 1e-4:
            assert weights[tuple(int(c) for c in row)] / total == pytest.approx(likely, rel=2e-3)


@pytest.mark.long
def test_six_channels_are_weighed_exactly_too():
    """Three lines and a PV inverter on three: how likely the wirings named are, against the sum of
    the prior over every structure and every clip, each wiring's readings weighed by hand.
    """
    channels = tuple((place, i) for place in ("service", "PV inverter") for i in range(3))
    rows = (*((("house", tuple(float(j == i) for j in range(3)))) for i in range(3)),)
    pv = ("PV inverter", (1 / 3,) * 3)
    setup = Setup(
        "three-phase 400/230 V",
        channels,
        (*rows, ("inverter", (1 / 3,) * 3), pv),
        ("service", "inverter", "PV inverter"),
    )
    s, dice = space(setup), np.random.default_rng(3)
    wiring = tuple(turned(1)(list(right(setup))))
    steps = [ct.Step(str(k), k, 1500.0) for k in range(len(setup.drives))]
    shown = [shown_by(setup, wiring, x, 40.0, dice) for x in steps]
    belief = ct.believe(setup, shown)
    assert wiring in [w for x in ct.explanations(belief) for w in (x.wiring, *x.alike)]

    def weigh(row):
        seen = 0.0
        for x in shown:
            mean, sigma = ct.expected(s, x.step), ct.spread(s, x.step, x.noise_w, x.known)
            for k, c in enumerate(row):
                seen += -0.5 * ((x.more_w[k] - mean[c]) / sigma[c]) ** 2 - math.log(sigma[c])
        return seen + math.log(
            sum(prior(setup, w) for w in itertools.product(*(s.members[c] for c in row)))
        )

    first = weigh(belief.classes[0])
    for row, likely in zip(belief.classes[1:4], belief.likely[1:4], strict=True):
        ratio = math.exp(weigh(row) - first)
        assert ratio == pytest.approx(likely / belief.likely[0], rel=1e-3)
    assert belief.likely.sum() <= 1 + 1e-9


def told_by_counting(belief, step, noise, dice, draws=4000):
    """What a step tells, in bits, by drawing answers and reading the posterior of each."""
    s = space(belief.setup)
    rows, p = belief.classes, belief.likely / belief.likely.sum()
    mean, sigma = ct.expected(s, step)[rows], ct.spread(s, step, noise)[rows]
    gained = 0.0
    for n in dice.choice(len(p), size=draws, p=p):
        shown = dice.normal(mean[n], sigma[n])
        logs = (-0.5 * ((shown - mean) / sigma) ** 2 - np.log(sigma)).sum(axis=1)
        after = p * np.exp(logs - logs.max())
        gained += np.log2(after[n] / after.sum() / p[n])
    return gained / draws


@pytest.mark.parametrize("supply", ["single-phase 230 V", "split-phase 120/240 V"])
def test_the_step_chosen_is_the_best_by_brute_force(supply):
    """In small spaces, of what is left after a step: no step tells a tenth of a bit more."""
    setup = replace(setup_of(supply), ratios=(), places=("service", "inverter"))
    dice = np.random.default_rng(11)
    for name in ("0 turned", "0 nowhere", "right", "0 at inverter"):
        wiring = cases(setup)[name] if name in cases(setup) else right(setup)
        noise = 150.0
        steps = steps_of(setup, 500.0)
        belief = ct.believe(setup, [shown_by(setup, wiring, steps[0], noise, dice)])
        chosen = ct.next_step(belief, steps, noise)
        counted = {s.name: told_by_counting(belief, s, noise, dice) for s in steps}
        if chosen is None:
            assert max(counted.values()) < 0.05
            continue
        assert counted[chosen[0].name] >= max(counted.values()) - 0.1, (name, counted)


def test_noise_is_the_scatter_of_readings_while_nothing_was_switched():
    assert ct.noise_of([(1.0, 2.0)]) == 0.0
    assert ct.noise_of([(0.0, 0.0), (30.0, 0.0), (0.0, 0.0)]) == pytest.approx(30.0)
    assert ct.noise_of([(0.0, math.nan), (10.0, 1.0), (20.0, 1.0)]) == pytest.approx(10.0)
    assert ct.wanted_w(100.0) == 500.0 and ct.wanted_w(1.0) == 200.0


def test_a_channel_that_says_nothing_tells_nothing():
    setup = setup_of("three-phase 400/230 V")
    step = ct.Step("L1", 0, 1500.0)
    before = ct.believe(setup, [])
    silent = ct.believe(setup, [ct.Shown(step, (math.nan,) * 3, 50.0)])
    assert silent.likely[0] == pytest.approx(before.likely[0], rel=1e-6)
    one = ct.believe(setup, [ct.Shown(step, (1500.0, math.nan, math.nan), 50.0)])
    assert ct.explanations(one)[0].wiring == right(setup) and not one.sure


@given(st.permutations(range(4)))
@settings(max_examples=30)
def test_exchanges_are_the_fewest(order):
    """Against exchanging until all is in order."""
    left, made = list(order), 0
    for i in range(4):
        while left[i] != i:
            j = left[i]
            left[i], left[j] = left[j], left[i]
            made += 1
    assert exchanges(order) == made


def test_the_prior_holds_every_wiring_once():
    setup = replace(setup_of("split-phase 120/240 V"), ratios=(2.0,), places=("service",))
    s = space(setup)
    clips = [c for some in s.members for c in some]
    assert len(clips) == len(set(clips)) == 2 * 2 * 2 * 2 + 1
    assert prior(setup, right(setup)) == max(
        prior(setup, w) for w in itertools.product(clips, repeat=2)
    )
    assert len(structures(setup).weights) == 2 * 2 * 2


@pytest.mark.parametrize("noise", [30.0, 100.0, 300.0])
def test_what_a_true_wiring_shows_fits(noise):
    """Of 600 seeded wirings with every fault, no more than one in a hundred is called a misfit."""
    dice, missed, count = np.random.default_rng(11), 0, 0
    for supply in SUPPLIES:
        setup = setup_of(supply)
        every = list(cases(setup).values())
        for k in dice.integers(len(every), size=200):
            shown = []
            for step in steps_of(setup, ct.wanted_w(noise))[:3]:
                shown.append(shown_by(setup, every[k], step, noise, dice))
            count += 1
            missed += not ct.fits(ct.believe(setup, shown), shown)
    assert missed <= count // 100
