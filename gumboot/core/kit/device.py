"""Protective devices and boxes."""

from __future__ import annotations

from typing import Literal

from gumboot.core.codes.book import Code
from gumboot.core.kit.enclosure import Enclosure
from gumboot.core.kit.entry import Entry, Positive
from gumboot.core.kit.terminal import (
    Terminal,
)
from gumboot.core.kit.words import Supplied


class Device(Entry):
    """A protective device or a box: where conductors end that do not end on inverter or pack.

    splices: of a tap, the connectors that join its conductors to the service's own.
    """

    kind: Literal["device"]
    id: str
    role: Literal[
        "ac-breaker",
        "dc-breaker",
        "dc-fuse",
        "dc-bus",
        "panel",
        "transfer-switch",
        "array",
        "inlet",
        "tap",
        "electrode",
    ]
    label: str
    supply: Supplied | Literal["any"] = "any"
    book: Code | Literal["any"] = "any"
    up_to_a: Positive
    interrupt_a: Positive | None = None
    terminals: tuple[Terminal, ...]
    splices: tuple[Terminal, ...] = ()
    enclosure: Enclosure | None = None
