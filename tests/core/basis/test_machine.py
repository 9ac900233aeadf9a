"""A loop says the same compiled, and where nothing can be kept on disk."""

import numba
import numpy as np

from gumboot.core.basis import machine as room
from gumboot.core.basis.machine import machine


def running(values, out):
    total = 0.0
    for i in range(len(values)):
        total += values[i]
        out[i] = total


def test_it_says_what_numpy_says():
    values, out = np.arange(5.0), np.empty(5)
    machine(running)(values, out)
    assert np.array_equal(out, np.cumsum(values)) and machine(running) is machine(running)


def test_without_a_place_to_keep_it_it_still_runs(monkeypatch):
    """numba raises RuntimeError where neither cache directory may be written."""
    plain = numba.njit

    def njit(**how):
        if how.get("cache"):
            raise RuntimeError("cannot cache function: no locator available")
        return plain(**how)

    monkeypatch.setattr(numba, "njit", njit)
    room.machine.cache_clear()
    values, out = np.arange(4.0), np.empty(4)
    machine(running)(values, out)
    assert out[-1] == 6
    room.machine.cache_clear()
