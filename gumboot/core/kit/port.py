"""A port of a unit: its current, its protection, its terminals."""

from __future__ import annotations

from gumboot.core.kit.entry import Entry, Positive
from gumboot.core.kit.terminal import (
    Terminal,
)


class Port(Entry):
    """A battery, grid or backup port: its continuous current and the largest protection its maker
    allows.
    """

    i_max_a: Positive
    protection_max_a: Positive
    protection: str
    terminals: tuple[Terminal, ...]
    named_size: str = ""
    protection_named_a: Positive | None = None
    length_max_m: Positive | None = None
