"""Loops over arrays as machine code, by numba."""

from __future__ import annotations

from collections.abc import Callable
from functools import lru_cache
from typing import Any


@lru_cache(maxsize=16)
def machine(loop: Callable[..., Any]) -> Callable[..., Any]:
    """A plain function over arrays and numbers, compiled at its first call and kept on disk; where
    there is no place to keep it, for as long as the process lives.
    """
    import numba

    try:
        made: Callable[..., Any] = numba.njit(cache=True, nogil=True)(loop)
    except RuntimeError:  # neither beside the source nor in the user's own cache may be written
        made = numba.njit(nogil=True)(loop)
    return made
