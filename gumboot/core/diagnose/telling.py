"""What an answer is expected to tell: how far explanations lie apart in what would be seen."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]


def bits(likely: Array, mean: Array, sigma: Array) -> float:
    """The information, in bits, that an answer is expected to give: explanations with how likely
    each is (n,), what each would show (n, values) and by how much that may be off. By pairwise
    Bhattacharyya distances of normal distributions (Kolchinsky and Tracey 2017, doi
    10.3390/e19070361).
    """
    p = likely / likely.sum()
    apart = np.zeros((len(p), len(p)))
    for k in range(mean.shape[1]):
        v = sigma[:, k] ** 2
        both = v[:, None] + v[None, :]
        apart += 0.25 * (mean[:, None, k] - mean[None, :, k]) ** 2 / both
        apart += 0.5 * np.log(both / 2 / np.sqrt(v[:, None] * v[None, :]))
    inside = np.exp(-apart) @ p
    return float(max(0.0, -(p * np.log2(inside)).sum()))
