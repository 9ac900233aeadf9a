"""The sheet of a gateway or an islanding box."""

from __future__ import annotations

from typing import get_args

from gumboot.core.kit import Supplied
from gumboot.web.pages.form import Field, words
from gumboot.web.shelf.sheets.parts import (
    BLOCK,
    COVER,
    FACTORY,
    SIGNALS_SECTION,
    Section,
    case,
    given,
    port,
)

GRID, GRID_TERMINALS = port("grid", "Grid side", "grid")
INVERTER, INVERTER_TERMINALS = port("inverter", "Inverter side", "inverter")
BACKUP, BACKUP_TERMINALS = port("backup", "House side", "house")
CASE, AIR = case()
GATEWAY = (
    Section(
        "electrical",
        "Electrical",
        (
            Field("maker", "Maker", "text"),
            Field("model", "Model", "text"),
            Field("form", "Form", "choice", "", words("gateway", "islanding box")),
            Field("supply", "Supply", "choice", "", words(*get_args(Supplied))),
            Field("i_max_a", "Continuous current", "current"),
            Field(
                "neutral", "Its contactor leaves neutral", "choice", "", words("solid", "switched")
            ),
            Field("bond_relay", "Can bond neutral and earth in an island", "yesno"),
            Field("meter_inside", "Has its meter inside", "yesno"),
            given("breakers", "Breakers inside", "list", "inverter, backup"),
        ),
        folds=False,
        why="Enough to begin with: every other section can wait.",
    ),
    Section(
        "terminals",
        "Ports and terminals",
        (*GRID, *INVERTER, *BACKUP),
        (GRID_TERMINALS, INVERTER_TERMINALS, BACKUP_TERMINALS),
        why="Like terminals in one row. A port that says nothing carries what the box does.",
    ),
    BLOCK,
    CASE,
    AIR,
    SIGNALS_SECTION,
    Section("switching", "Service", COVER, (FACTORY,)),
)
