"""Which wiring of the current transformers explains what a meter showed: every one is tried at
once, exactly, against every step made.

A step is a known power switched at a known place and line. What a channel shows after less before
is its gain times what it sees of the step, with the house's own changes (of the lines it sees),
the meter's noise, and the step itself known to some per cent:

    σ² = (g · σ_house)² + σ_meter² + (r · g · ΔP)²

The next step is the one of which the answer tells most: the entropy of what it would show, less
that of the noise, by pairwise distances of the explanations left (Kolchinsky and Tracey 2017).
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from scipy.special import chdtrc

from gumboot.core.diagnose.engine import SURE, best
from gumboot.core.diagnose.telling import bits
from gumboot.core.link.wiring import (
    Array,
    Setup,
    Space,
    Wiring,
    class_weights,
    likeliest,
    member_weights,
    response,
    space,
    structures,
)

DEAF = 100.0  # in log-likelihood: what is further off than this is as wrong as can be
TIMES_NOISE = 5.0  # a step should be as many times the noise seen
WEIGHED = 64  # explanations that are weighed for the next step
WIDE = 1.5  # how much wider than its noise a reading may lie and still fit
SIGMA_METER_W = 5.0
STEP_KNOWN = 0.05  # how well the power of a step is known: common practice


@dataclass(frozen=True)
class Step:
    """Something switched: which of the job's drives, and by how many W (times its row) more is
    drawn; a source that gives more draws less.
    """

    name: str
    drive: int
    watts: float


@dataclass(frozen=True)
class Shown:
    """What the channels showed more after a step than before, in W (draw from the grid counts
    positive); a channel that said nothing is NaN. noise_w: the house's own changes, standard
    deviation.
    """

    step: Step
    more_w: tuple[float, ...]
    noise_w: float
    known: float = STEP_KNOWN


@dataclass(frozen=True)
class Explanation:
    """One way the clips may stand, how likely it is, and those no step can tell from it."""

    likely: float
    wiring: Wiring
    alike: tuple[Wiring, ...]


@dataclass(frozen=True, eq=False)
class Belief:
    """What is left after some steps: classes of every channel together, and how likely each."""

    setup: Setup
    classes: np.ndarray  # (n, channels) of indices into the space
    likely: Array  # (n,), falling

    @property
    def sure(self) -> bool:
        """Whether one explanation holds 99 %."""
        return bool(self.likely[0] >= SURE)


def expected(s: Space, step: Step) -> Array:
    """What each class shows of a step, W."""
    shown: Array = s.shows[step.drive] * step.watts
    return shown


def spread(s: Space, step: Step, noise_w: float, known: float = STEP_KNOWN) -> Array:
    """By how much what each class shows may be off, W."""
    own, off = s.house * noise_w, known * expected(s, step)
    found: Array = np.sqrt(own**2 + SIGMA_METER_W**2 + off**2)
    return found


def believe(setup: Setup, shown: Sequence[Shown]) -> Belief:
    """The likeliest wirings after some steps, each with its exact probability over the whole space.

    What goes wrong for all channels at once is a structure; given one, each channel stands for
    itself. So the whole space is weighed by a product a structure, Σ_c P(c)·P(shown | c) a channel;
    the likeliest wirings are the best products of the likeliest structures, and how likely each is
    is summed over all structures that allow it.
    """
    s = space(setup)
    logs = np.zeros((len(setup.channels), s.count))
    for x in shown:
        mean, sigma = expected(s, x.step), spread(s, x.step, x.noise_w, x.known)
        for k, more in enumerate(x.more_w):
            if not math.isnan(more):
                logs[k] += -0.5 * ((more - mean) / sigma) ** 2 - np.log(sigma)
    seen = np.exp(np.maximum(logs - logs.max(axis=1, keepdims=True), -DEAF))
    how = structures(setup)
    rows, likely = likeliest(how, seen[:, None, :] * class_weights(setup)[None, :, :])
    return Belief(setup, rows, likely)


def fits(belief: Belief, shown: Sequence[Shown], least: float = 1e-5) -> bool:
    """Whether the best explanation would show what was shown, within its noise: by the chi-squared
    of what is left. Else the readings are not what the steps say, and nothing is sure.
    """
    s, best = space(belief.setup), belief.classes[0]
    apart, count = 0.0, 0
    for x in shown:
        mean, sigma = expected(s, x.step)[best], spread(s, x.step, x.noise_w, x.known)[best]
        for more, m, off in zip(x.more_w, mean, sigma, strict=True):
            if not math.isnan(more):
                # two looks a side differ by √2 more than one, and a house has its moments
                apart += ((more - m) / (WIDE * off)) ** 2
                count += 1
    return count == 0 or bool(chdtrc(count, apart) > least)


def explanations(belief: Belief, most: int = 5, least: float = 0.002) -> list[Explanation]:
    """The likeliest wirings, each with those that no step can tell from it."""
    out: list[Explanation] = []
    for row, likely in zip(belief.classes[:most], belief.likely[:most], strict=True):
        if likely < least and out:
            break
        ways = _ways(belief.setup, row)
        out.append(Explanation(float(likely), ways[0], tuple(ways[1:])))
    return out


def _ways(setup: Setup, classes: Sequence[int]) -> list[Wiring]:
    """The wirings of a class, likeliest first; those a thousand times less likely are left out."""
    members, weights = space(setup).members, member_weights(setup)
    rows, likely = likeliest(structures(setup), [weights[c] for c in classes])
    some = rows[likely > 1e-3 * likely[0]][:6]
    return [tuple(members[c][i] for c, i in zip(classes, row, strict=True)) for row in some]


def tells(belief: Belief, step: Step, noise_w: float) -> float:
    """How much the answer to a step is expected to tell, in bits: what the explanations left would
    show, by how far they lie apart against the noise.
    """
    s = space(belief.setup)
    rows, p = belief.classes[:WEIGHED], belief.likely[:WEIGHED]
    return bits(p, expected(s, step)[rows], spread(s, step, noise_w)[rows])


def next_step(belief: Belief, steps: Sequence[Step], noise_w: float) -> tuple[Step, float] | None:
    """(the step that tells most, how many bits), or None where no step tells anything."""
    return best(steps, lambda step: tells(belief, step, noise_w), lambda step: 1.0)


def wanted_w(noise_w: float) -> float:
    """How large a step should be, W: five times the noise seen, and not under 200 W."""
    return max(200.0, TIMES_NOISE * noise_w)


def noise_of(readings: Sequence[Sequence[float]]) -> float:
    """The house's own changes, W, from readings taken while nothing was switched: the scatter of
    their differences, of the worst channel. 0 with fewer than two.
    """
    rows = np.array([r for r in readings if not any(math.isnan(x) for x in r)])
    if len(rows) < 2:
        return 0.0
    apart = np.diff(rows, axis=0)
    return float(np.sqrt((apart**2).mean(axis=0)).max())


def shows(setup: Setup, wiring: Wiring, step: Step) -> tuple[float, ...]:
    """What each channel of a wiring shows of a step, W."""
    at, row = setup.drives[step.drive]
    return tuple(response(setup, clip, at, row) * step.watts for clip in wiring)
