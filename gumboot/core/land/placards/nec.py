"""What the NEC has hung. Wordings from memory: check your edition."""

from __future__ import annotations

import math
from collections.abc import Iterator
from datetime import date
from typing import TYPE_CHECKING

from gumboot.core.basis.figure import fmt
from gumboot.core.codes.busbar import SUMMED, WHOLE
from gumboot.core.land.placards.placard import (
    Placard,
    label_of,
    placard,
    service_of,
    sources_of,
    storage_of,
    strings_land,
    units_of,
)
from gumboot.core.size.supply import single_supply

if TYPE_CHECKING:
    from gumboot.core.design import Design


@placard("pv disconnect")
def pv_disconnect(d: Design, day: date) -> Iterator[Placard]:
    """At each unit that strings land on, or the box ahead of it."""
    for unit, highest in strings_land(d).items():
        yield Placard(
            f"pv-disconnect.{unit}",
            unit,
            "WARNING",
            (
                "PV SYSTEM DISCONNECT",
                "ELECTRIC SHOCK HAZARD",
                "TERMINALS ON THE LINE AND LOAD SIDES MAY BE ENERGIZED IN THE OPEN POSITION",
                f"MAXIMUM DC VOLTAGE {math.ceil(highest.n)} V",
            ),
            "NEC 2023 690.13(B), 690.7(D)",
            (highest,),
        )


@placard("pv raceways")
def pv_raceways(d: Design, day: date) -> Iterator[Placard]:
    """Along the raceways of strings."""
    if not d.strings:
        return
    yield Placard(
        "pv-conduit",
        "PV raceways, each 10 ft and at each turn and wall",
        "",
        ("SOLAR PV DC CIRCUIT",),
        "NEC 2023 690.31(D)(2)",
        count=max(4, 4 * len(d.strings)),
        letters_mm=9.5,
        reflective=True,
    )


@placard("rapid shutdown")
def rapid_shutdown(d: Design, day: date) -> Iterator[Placard]:
    """At the service, and at the switch."""
    if not d.strings or not any(s.kind == "rapid shutdown" for s in d.plan.safeguards):
        return  # a label for what is not there endangers those who trust it
    yield Placard(
        "rapid-shutdown",
        f"{service_of(d)}, at the service",
        "",
        (
            "SOLAR PV SYSTEM IS EQUIPPED WITH RAPID SHUTDOWN",
            (
                "TURN RAPID SHUTDOWN SWITCH TO THE “OFF” POSITION TO SHUT DOWN PV SYSTEM AND"
                " REDUCE SHOCK HAZARD IN ARRAY"
            ),
        ),
        "NEC 2023 690.12(D)(1)",
        letters_mm=9.5,
        reflective=True,
    )
    yield Placard(
        "rapid-switch",
        "Rapid shutdown switch",
        "",
        ("RAPID SHUTDOWN SWITCH FOR SOLAR PV SYSTEM",),
        "NEC 2023 690.12(D)(2)",
        letters_mm=9.5,
        reflective=True,
    )


@placard("emergency shutdown")
def emergency_shutdown(d: Design, day: date) -> Iterator[Placard]:
    """At the button outside, and at a disconnect outside."""
    kinds = {s.kind for s in d.plan.safeguards}
    if "emergency shutdown" in kinds:
        yield Placard(
            "emergency-shutdown",
            "Emergency shutdown, outside",
            "WARNING",
            ("EMERGENCY SHUTDOWN", "ENERGY STORAGE SYSTEM", "ON   OFF"),
            "NEC 2023 706.15(A)",
            letters_mm=9.5,
        )
    if "outside disconnect" in kinds:
        yield Placard(
            "outside-disconnect",
            "Disconnect, outside",
            "NOTICE",
            ("EMERGENCY DISCONNECT",),
            "NEC 2023 230.85(E)",
            letters_mm=12.7,
        )


@placard("residual current")
def residual_current(d: Design, day: date) -> Iterator[Placard]:
    """At every residual-current device."""
    rows = [s for s in d.plan.safeguards if s.kind == "residual-current device"]
    if rows:
        yield Placard(
            "rcd-test",
            "Residual-current devices",
            "NOTICE",
            ("PRESS “T” TWICE A YEAR: THE DEVICE MUST TRIP",),
            "maker's instructions; common practice",
            count=len(rows),
        )


@placard("busbar")
def busbar(d: Design, day: date) -> Iterator[Placard]:
    """Beside the breaker that feeds a board's bus: the main panel's, a subpanel's. None where the
    rule that it passes by asks for none.
    """
    if d.plan.supply.connection == "supply-side tap":
        return
    for bus in d.buses:
        if bus.body not in ("main-panel", "sub-board") or bus.passes == WHOLE:
            continue
        mark = "" if bus.body == "main-panel" else f".{bus.body}"
        if bus.used_sum and bus.passes == SUMMED:
            yield Placard(
                f"bus-sum{mark}",
                bus.label,
                "WARNING",
                (
                    "THIS EQUIPMENT FED BY MULTIPLE SOURCES",
                    (
                        "TOTAL RATING OF ALL OVERCURRENT DEVICES, EXCLUDING MAIN SUPPLY OVERCURRENT"
                        " DEVICE, SHALL NOT EXCEED AMPACITY OF BUSBAR"
                    ),
                    f"BUSBAR {fmt(bus.bus.n)} A",
                ),
                "NEC 2023 705.12(B)(3)",
                (bus.bus, bus.used_sum),
            )
        else:
            yield Placard(
                f"bus-120{mark}",
                f"{bus.label}, beside the back-fed breaker",
                "WARNING",
                ("POWER SOURCE OUTPUT CONNECTION", "DO NOT RELOCATE THIS OVERCURRENT DEVICE"),
                "NEC 2023 705.12(B)(2)",
                (bus.used_120, bus.allowed_120),
            )


@placard("directory")
def directory(d: Design, day: date) -> Iterator[Placard]:
    """Every source of the building, at the service or outside."""
    sources = sources_of(d)
    if d.plan.supply.kind == "off-grid":
        yield Placard(
            "stand-alone",
            "Outside, at the building",
            "CAUTION",
            ("STAND-ALONE ELECTRIC POWER SYSTEM", *sources),
            "NEC 2023 710.10",
        )
    else:
        yield Placard(
            "directory",
            f"{service_of(d)}, and at each power source disconnect",
            "CAUTION",
            ("POWER TO THIS BUILDING IS ALSO SUPPLIED FROM", *sources),
            "NEC 2023 705.10",
            count=1 + len(units_of(d)),
        )


@placard("storage disconnect")
def storage_disconnect(d: Design, day: date) -> Iterator[Placard]:
    """At the disconnect of each bank."""
    plan, unit = d.plan, d.inverter
    if d.bank is None or unit is None:
        return
    fault = (
        (f"AVAILABLE FAULT CURRENT {math.ceil(d.fault.n):,} A", f"CALCULATED {day.isoformat()}")
        if d.fault
        else ()
    )
    kind = unit.supply if plan.supply.kind == "off-grid" else plan.supply.kind
    volts = f"NOMINAL AC VOLTAGE {kind.partition(' ')[2]}"
    for n, at in enumerate(storage_of(d), 1):
        yield Placard(
            "ess-disconnect" if n == 1 else f"ess-disconnect.{n}",
            at,
            "NOTICE",
            (
                "ENERGY STORAGE SYSTEM DISCONNECT",
                volts,
                f"MAXIMUM DC VOLTAGE {fmt(d.bank.v_max.n)} V",
                *fault,
            ),
            "NEC 2023 706.15(C)",
            tuple(f for f in (d.bank.v_max, d.fault) if f),
        )


@placard("standby")
def standby(d: Design, day: date) -> Iterator[Placard]:
    """At the service, of a job that goes on in an outage."""
    plan, unit = d.plan, d.inverter
    if unit is None:
        return
    if plan.backup.loads != "nothing" and plan.supply.kind != "off-grid":
        yield Placard(
            "standby",
            service_of(d),
            "NOTICE",
            (
                "OPTIONAL STANDBY POWER SOURCE",
                (
                    f"{', '.join(units_of(d)).upper()}: {plan.kit.inverters} ×"
                    f" {unit.power_w / 1000:g} kW INVERTER AND BATTERY"
                ),
            ),
            "NEC 2023 702.7(A)",
        )


@placard("single supply")
def single(d: Design, day: date) -> Iterator[Placard]:
    """At a panel that one line of 120 V feeds."""
    if d.inverter is None or not single_supply(d.plan, d.inverter):
        return
    yield Placard(
        "single-supply",
        label_of(d, "loads-panel"),
        "WARNING",
        ("SINGLE 120-VOLT SUPPLY", "DO NOT CONNECT MULTIWIRE BRANCH CIRCUITS"),
        "NEC 2023 710.15(C)",
    )


@placard("inlet")
def inlet(d: Design, day: date) -> Iterator[Placard]:
    """At the generator's inlet."""
    generator = d.plan.kit.generator
    if generator:
        kind = (
            "SEPARATELY DERIVED (BONDED NEUTRAL)"
            if generator.bonded
            else "NONSEPARATELY DERIVED (FLOATING NEUTRAL)"
        )
        yield Placard(
            "inlet",
            "Generator inlet",
            "WARNING",
            (f"FOR CONNECTION OF A {kind} SYSTEM ONLY",),
            "NEC 2023 702.7(C)",
        )
