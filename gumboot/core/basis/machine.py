"""Loops over arrays as machine code, by numba."""

from __future__ import annotations

from collections.abc import Callable
from functools import lru_cache
from types import FunctionType
from typing import Any


@lru_cache(maxsize=32)
def machine(loop: Callable[..., Any], *parts: Callable[..., Any]) -> Callable[..., Any]:
    """A plain function over arrays and numbers, compiled at its first call and kept on disk; where
    there is no place to keep it, for as long as the process lives. parts: functions that it calls,
    of the same file: what is kept holds as long as that file stays as it is.
    """
    import numba

    home = loop.__code__.co_filename
    assert all(p.__code__.co_filename == home for p in parts)  # noqa: S101
    names = {p.__name__: machine(p) for p in parts}
    own = FunctionType(loop.__code__, {**loop.__globals__, **names}, loop.__name__)
    try:
        made: Callable[..., Any] = numba.njit(cache=True, nogil=True)(own)
    except RuntimeError:  # neither beside the source nor in the user's own cache may be written
        made = numba.njit(nogil=True)(own)
    return made
