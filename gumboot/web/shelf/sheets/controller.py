"""The sheet of a charge controller."""

from __future__ import annotations

from typing import get_args

from gumboot.core.codes.books import BOOKS
from gumboot.core.kit import Chemistry
from gumboot.web.pages.form import Field
from gumboot.web.shelf.sheets.inverter import MENU_SECTION, REGISTERS_SECTION
from gumboot.web.shelf.sheets.parts import (
    BLOCK,
    COVER,
    FACTORY,
    SIGNALS_SECTION,
    Section,
    case,
    given,
    maybe,
    port,
    terminals,
)
from gumboot.web.shelf.sheets.running import ALARMS_SECTION, CARE_SECTION, STARTING

BATTERY, BATTERY_TERMINALS = port("battery", "Battery side", "battery")
PV, PV_TERMINALS = port("pv", "PV side", "PV")
CASE, AIR = case()
CONTROLLER = (
    Section(
        "electrical",
        "Electrical",
        (
            Field("maker", "Maker", "text"),
            Field("model", "Model", "text"),
            Field(
                "book",
                "Its sheet speaks of sizes under",
                "choice",
                "",
                (("any", "any book, in mm²"), *((b.code, b.name) for b in BOOKS.values())),
            ),
            Field("charge_max_a", "Charges with at most", "current"),
            Field("battery_v_min", "Battery from", "voltage", "40 V of a 48 V bank"),
            Field("battery_v_max", "Battery to", "voltage", "64 V of a 48 V bank"),
            Field("pv_v_max", "PV: absolute maximum", "voltage"),
            given("pv_i_sc_max_a", "PV: short circuit, at most", "current"),
            given("pv_v_min", "PV: works from", "voltage", "above its battery's where silent"),
            given("pv_power_max_w", "PV: most power", "power", "at the volts of your banks"),
            given("battery_efficiency", "Array to battery", "share", "97 % where silent"),
            given("chemistries", "Batteries it charges", "list", ", ".join(get_args(Chemistry))),
        ),
        folds=False,
        why="Enough to begin with: every other section can wait.",
    ),
    Section(
        "more",
        "More of the electrical sheet",
        (
            maybe("earth_fault", "Finds an earth fault of its array"),
            maybe("arc_fault", "Finds an arc in its array"),
            given("standby_w", "Draws itself", "watts"),
            given("units_max", "Side by side, at most", "count"),
        ),
    ),
    Section(
        "terminals",
        "Terminals",
        (*BATTERY, *PV, given("earth_screws", "Earth screws", "count")),
        (BATTERY_TERMINALS, PV_TERMINALS, terminals("earth", "row for the earth terminal")),
        why="Like terminals in one row.",
    ),
    BLOCK,
    CASE,
    AIR,
    SIGNALS_SECTION,
    MENU_SECTION,
    REGISTERS_SECTION,
    ALARMS_SECTION,
    CARE_SECTION,
    Section(
        "switching",
        "Switching, service",
        (
            given("capacitor_wait_min", "Capacitors hold charge for, min", "number"),
            given("switch_off", "Switched off by", "text", "it goes out with its battery"),
            *STARTING,
            *COVER,
        ),
        (FACTORY,),
    ),
)
