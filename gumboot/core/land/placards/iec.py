"""What the IEC has hung. Wordings from memory: check your edition."""

from __future__ import annotations

import math
from collections.abc import Iterator
from datetime import date
from typing import TYPE_CHECKING

from gumboot.core.basis.figure import fmt
from gumboot.core.basis.words import inside
from gumboot.core.land.placards.placard import (
    Placard,
    board_of,
    highest_string,
    placard,
    sources_of,
    storage_of,
    units_of,
)

if TYPE_CHECKING:
    from gumboot.core.design import Design


@placard("pv here")
def pv_here(d: Design, day: date) -> Iterator[Placard]:
    """That there is an array, where somebody would look."""
    board = inside(board_of(d))
    off_grid = d.plan.supply.kind == "off-grid"
    field = not d.plan.kit.pv_inverters and all(s.mounting == "rack" for s in d.plan.strings)
    if d.strings or d.plan.kit.pv_inverters:
        yield Placard(
            "pv-here",
            board if off_grid else f"origin of the supply, meter, and {board}",
            "NOTICE",
            ("PV", f"SOLAR ARRAY {'FEEDS' if field else 'ON'} THIS BUILDING"),
            "IEC 60364-7-712 712.514.101",
            count=1 if off_grid else 3,
        )


@placard("pv dc")
def pv_dc(d: Design, day: date) -> Iterator[Placard]:
    """At every access to live DC parts of the array."""
    highest = highest_string(d)
    own = any(s.body.startswith("controller-") for s in d.strings)
    trackers = any(s.body.startswith("inverter-") for s in d.strings)
    words = (*(("inverter",) if trackers else ()), *(("charge controller",) if own else ()))
    converter = ", ".join(words)
    if highest:
        yield Placard(
            "pv-dc",
            f"every access to live DC parts: boxes, PV switch, {converter}",
            "WARNING",
            (
                "PV DC",
                "LIVE PARTS CAN REMAIN ENERGIZED AFTER ISOLATION",
                f"HIGHEST VOLTAGE {math.ceil(highest.n)} V DC",
            ),
            "IEC 60364-7-712 712.514.102; IEC 62446-1",
            (highest,),
            count=1 + len(d.strings),
        )


@placard("dual supply")
def dual_supply(d: Design, day: date) -> Iterator[Placard]:
    """At the board, the meter and every point of isolation."""
    if d.plan.supply.kind != "off-grid":
        yield Placard(
            "dual-supply",
            f"{board_of(d)}, meter, and every point of isolation",
            "WARNING",
            (
                "DUAL SUPPLY",
                (
                    "DO NOT WORK ON THIS EQUIPMENT UNTIL IT IS ISOLATED FROM BOTH MAINS AND ON-SITE"
                    " SUPPLIES"
                ),
                *sources_of(d),
            ),
            "IEC 60364-5-55 551.7; common practice",
            count=2 + len(units_of(d)),
        )


@placard("inverter")
def inverter(d: Design, day: date) -> Iterator[Placard]:
    """At each unit."""
    if d.inverter is None:
        return
    for unit in units_of(d):
        yield Placard(
            f"inverter.{unit}",
            unit,
            "WARNING",
            (
                "INVERTER",
                "ISOLATE AC AND DC BEFORE WORK",
                f"CAPACITORS: WAIT {d.inverter.capacitor_wait_min:g} MIN, THEN PROVE DEAD",
            ),
            "IEC 62109-1; common practice",
        )


@placard("battery")
def battery(d: Design, day: date) -> Iterator[Placard]:
    """At the disconnect of each bank."""
    if d.bank is None:
        return
    fault = (
        (
            f"PROSPECTIVE FAULT CURRENT {math.ceil(d.fault.n):,} A",
            f"CALCULATED {day.isoformat()}",
        )
        if d.fault
        else ()
    )
    for n, at in enumerate(storage_of(d), 1):
        yield Placard(
            "battery" if n == 1 else f"battery.{n}",
            at,
            "WARNING",
            (
                "BATTERY",
                f"{fmt(d.bank.v_nom.n)} V NOMINAL, UP TO {fmt(d.bank.v_max.n)} V DC",
                "CANNOT BE SWITCHED OFF AT ITS POSTS",
                *fault,
            ),
            "IEC 62485-5; common practice",
            tuple(f for f in (d.bank.v_nom, d.bank.v_max, d.fault) if f),
        )


@placard("island")
def island(d: Design, day: date) -> Iterator[Placard]:
    """That it goes on in an outage, and what earths neutral then."""
    off_grid = d.plan.supply.kind == "off-grid"
    if off_grid or d.plan.backup.loads != "nothing":
        goes_on = "THIS INSTALLATION GOES ON IN AN OUTAGE"
        then = "" if off_grid else "THEN "
        yield Placard(
            "island",
            board_of(d),
            "NOTICE",
            (
                "THIS INSTALLATION IS FED BY INVERTER AND BATTERY ALONE" if off_grid else goes_on,
                f"NEUTRAL IS {then}EARTHED BY THE {d.plan.backup.bond.upper()}",
            ),
            "IEC 60364-8-82; common practice",
        )


@placard("documents")
def documents(d: Design, day: date) -> Iterator[Placard]:
    """Where the papers are kept."""
    yield Placard(
        "documents",
        board_of(d),
        "NOTICE",
        ("SINGLE-LINE DIAGRAM AND SHUTDOWN PROCEDURE ARE KEPT HERE",),
        "IEC 62446-1 clause 4",
    )
