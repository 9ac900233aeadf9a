"""The sheet of a protective device or a box."""

from __future__ import annotations

from typing import get_args

from gumboot.core.codes.books import BOOKS
from gumboot.core.kit import Supplied
from gumboot.core.network.builder import ROLE_NAMES
from gumboot.web.pages.form import Field, words
from gumboot.web.shelf.sheets.parts import (
    SIGNALS_SECTION,
    Section,
    case,
    given,
    maybe,
    optional,
    terminals,
)

CASE, AIR = case()
ROLES = tuple(ROLE_NAMES.items())
DEVICE = (
    Section(
        "electrical",
        "Its plate",
        (
            Field("label", "What it is called", "text", "four-pole breaker, 63 A frame"),
            Field("role", "What it is", "choice", "", ROLES),
            Field("supply", "Supply", "choice", "", words("any", *get_args(Supplied))),
            Field(
                "book",
                "Listed under",
                "choice",
                "",
                (("any", "any book"), *((b.code, b.name) for b in BOOKS.values())),
            ),
            Field("up_to_a", "Carries", "current", "of a frame the largest it takes"),
            given("interrupt_a", "Breaks", "current", "kA as 10 kA"),
            given("volts_ac", "Up to, AC", "voltage"),
            given("volts_dc", "Up to, DC", "voltage"),
            given("poles", "Poles", "count"),
            Field("curve", "Curve", "choice", "", optional("B", "C", "D"), True),
            given("trip_ma", "Trips at, mA", "number", "of a residual-current device"),
            Field("residual", "Sees", "choice", "", optional("AC", "A", "F", "B"), True),
            maybe(
                "both_ways", "Power may pass it both ways", "a device that sees residual current"
            ),
            maybe("load_break", "May be opened under load"),
        ),
        folds=False,
        why="Enough to begin with: every other section can wait.",
    ),
    Section(
        "terminals",
        "Terminals",
        rows=(terminals("terminals"), terminals("splices", "connector of a tap")),
    ),
    SIGNALS_SECTION,
    CASE,
    AIR,
)
