"""How clear the days of a year are where no weather is given: a synthetic series, and marked as
one.

Graham, Hollands and Brunger 1988, Solar Energy 40: a day's clearness follows from a Gaussian
variate that remembers the day before (lag-one correlation 0.29), mapped to the distribution of
daily clearness about its mean by Bendt, Collares-Pereira and Rabl 1981, Solar Energy 27, with
Herzog's fit of its steepness (1985). From memory.

    chi_d = 0.29 chi_(d-1) + w_d          w ~ N(0, 1 - 0.29²)
    K_d   = F^-1(Phi(chi_d))              F: Bendt's distribution with the mean K
"""

from __future__ import annotations

import math
import zlib

import numpy as np
from numpy.typing import NDArray

CORRELATION = 0.29
K_MIN = 0.05
CLEAR_K = 0.75  # clearness of a day without a cloud: common practice
MODEL = "Graham and Hollands 1988"


def steepness(mean: float, k_max: float) -> float:
    """Herzog's fit of Bendt's exponent for a mean clearness."""
    xi = (k_max - K_MIN) / (k_max - mean)
    return -1.498 + (1.184 * xi - 27.182 * math.exp(-1.5 * xi)) / (k_max - K_MIN)


def greatest(mean: float) -> float:
    """The clearest day that a mean goes with, by Hollands and Huget 1983."""
    return 0.6313 + 0.267 * mean - 11.9 * (mean - 0.75) ** 8


def quantile(share: NDArray[np.float64], mean: float) -> NDArray[np.float64]:
    """The clearness that a share of days stays under. Bendt and others 1981."""
    k_max = greatest(mean)
    gamma = steepness(mean, k_max)
    if abs(gamma) < 1e-6:
        return np.asarray(K_MIN + share * (k_max - K_MIN))
    low, high = math.exp(gamma * K_MIN), math.exp(gamma * k_max)
    return np.asarray(np.log(low + share * (high - low)) / gamma)


def daily(climate_factor: float, seed_text: str, days: int = 365) -> NDArray[np.float64]:
    """For each day of a year what it has of a clear sky, 0 to 1; the mean is the climate factor.

    seed_text: the same job has the same year.
    """
    from scipy.special import ndtr

    mean = min(max(climate_factor * CLEAR_K, 0.12), 0.70)
    rng = np.random.default_rng(zlib.crc32(seed_text.encode()))
    noise = rng.standard_normal(days) * math.sqrt(1 - CORRELATION**2)
    chi = np.empty(days)
    last = rng.standard_normal()
    for d in range(days):
        last = CORRELATION * last + noise[d]
        chi[d] = last
    clear = np.minimum(quantile(ndtr(chi), mean) / CLEAR_K, 1.0)
    return np.asarray(np.clip(clear * (climate_factor / clear.mean()), 0.02, 1.0))
