"""Fields of a device's sheet about how it runs: how it is woken, and which alarms it shows."""

from __future__ import annotations

from typing import get_args

from gumboot.core.diagnose.problems import PROBLEMS
from gumboot.core.kit.care import CareOf
from gumboot.web.pages.form import Field, words
from gumboot.web.shelf.sheets.parts import Rows, Section, given, maybe

ALARMS = Rows(
    "alarms",
    "alarm",
    (
        Field("code", "Code", "text", "F02"),
        Field("means", "Means", "text", "overload in an outage"),
        given("look", "Look first at", "text", "what runs, and on which leg"),
        Field(
            "problem",
            "Search for its cause",
            "choice",
            "",
            (("", "none"), *((k, p.title) for k, p in PROBLEMS.items())),
            True,
        ),
    ),
)

CARE = Rows(
    "care",
    "thing due over the years",
    (
        Field("what", "What", "text", "air filter cleaned"),
        Field("every_months", "Every, months", "number", "12"),
        Field("does", "Part of a visit", "choice", "", words(*get_args(CareOf)), True),
        Field("by", "By", "choice", "", words("crew", "owner"), True),
    ),
)

ALARMS_SECTION = Section(
    "alarms",
    "Alarms and faults",
    rows=(ALARMS,),
    why="By the codes on its display: what they mean, and what is looked at first.",
)

CARE_SECTION = Section(
    "care",
    "What is due over the years",
    rows=(CARE,),
    why="It stands in the owner's book and calls the crew back; where the sheet is silent, once a"
    " year by common practice.",
)

STARTING = (
    given(
        "starting/button", "Woken by", "text", "the power button; empty where it wakes by itself"
    ),
    given("starting/hold_s", "Held for, s, to switch it on", "number"),
    given("starting/off_hold_s", "Held for, s, to switch it off", "number"),
    given("starting/lamp", "What it shows once it is awake", "text", "RUN lamp green"),
    given("starting/sound", "What is heard", "text", "a chime"),
    given("starting/wait_s", "Awake after, s, at most", "number"),
    maybe("starting/first_app", "Its first start waits for the maker's app"),
    maybe("starting/restart", "It asks a restart once the battery type is set"),
    maybe("starting/alone", "Several are first started one by one"),
    given(
        "starting/order",
        "Maker's order of switching on",
        "list",
        "pack, pack button, battery, unit, backup, grid, pv, loads",
    ),
)
