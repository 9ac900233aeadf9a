"""Warning placards and panel legends by the job's code book, with the figures of this job. Wordings
from memory: check your edition.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from datetime import date
from typing import TYPE_CHECKING, Literal

from gumboot.core.basis.figure import Figure, fmt

if TYPE_CHECKING:
    from gumboot.core.design import Design

Word = Literal["WARNING", "CAUTION", "NOTICE", ""]


@dataclass(frozen=True, slots=True)
class Placard:
    """One placard: where it goes, its signal word (ISO 3864, ANSI Z535), what it says, the clause
    that asks for it, the figures on it.

    letters_mm: the least height of its letters where the clause gives one.
    """

    id: str
    at: str
    word: Word
    lines: tuple[str, ...]
    clause: str
    figures: tuple[Figure, ...] = ()
    count: int = 1
    letters_mm: float | None = None
    reflective: bool = False


Maker = Callable[["Design", date], Iterator[Placard]]
KINDS: dict[str, Maker] = {}  # by the names that books list


def placard(kind: str) -> Callable[[Maker], Maker]:
    """Register what makes a kind of placard."""

    def keep(make: Maker) -> Maker:
        KINDS[kind] = make
        return make

    return keep


def list_placards(d: Design, day: date) -> list[Placard]:
    """Every placard of a job, of the kinds its code book has. day: on which its figures were worked
    out.
    """
    if d.inverter is None or not d.circuits:
        return []
    return [p for kind in d.plan.book.placards for p in KINDS[kind](d, day)]


def highest_string(d: Design) -> Figure | None:
    """The string whose voltage is highest on the coldest morning."""
    return max((s.v_oc_cold for s in d.strings), key=lambda f: f.n, default=None)


def _label(d: Design, body: str) -> str:
    return next((b.label for b in d.bodies if b.id == body), body)


def _service(d: Design) -> str:
    return _label(d, "main-panel" if d.plan.supply.kind != "off-grid" else "loads-panel")


def _board(d: Design) -> str:
    mains = (b.label for b in d.bodies if b.role == "main-panel")
    return next(mains, _label(d, "loads-panel"))


def _units(d: Design) -> list[str]:
    return [b.label for b in d.bodies if b.role == "inverter"]


def _storage(d: Design) -> list[str]:
    """Where the storage disconnects stand: one place for each bank, on its bus where it has one."""
    buses = [b.label for b in d.bodies if b.role == "dc-bus"]
    if buses:
        return buses
    rows = [x.at for x in d.disconnects if any(_is_pack(d, k) for k in x.sources)]
    return list(dict.fromkeys(rows))


def _is_pack(d: Design, source: str) -> bool:
    network = d.network
    return network is not None and any(s.id == source and s.kind == "pack" for s in network.sources)


def sources_of(d: Design) -> tuple[str, ...]:
    """A line for every source: what it is, what opens it, where."""
    return tuple(f"{x.source}: {x.opened_by}, {x.at}".upper() for x in d.disconnects)


@placard("pv disconnect")
def pv_disconnect(d: Design, day: date) -> Iterator[Placard]:
    """At each unit that strings land on."""
    highest = highest_string(d)
    if highest is None:
        return
    for unit in _units(d):
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
        f"{_service(d)}, at the service",
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
    """Beside the breaker that feeds the main panel's bus."""
    plan, service = d.plan, _service(d)
    if d.bus and plan.supply.connection == "main-panel breaker":
        if d.bus.used_sum and d.bus.passes.startswith("sum"):
            yield Placard(
                "bus-sum",
                service,
                "WARNING",
                (
                    "THIS EQUIPMENT FED BY MULTIPLE SOURCES",
                    (
                        "TOTAL RATING OF ALL OVERCURRENT DEVICES, EXCLUDING MAIN SUPPLY OVERCURRENT"
                        " DEVICE, SHALL NOT EXCEED AMPACITY OF BUSBAR"
                    ),
                    f"BUSBAR {fmt(d.bus.bus.n)} A",
                ),
                "NEC 2023 705.12(B)(3)",
                (d.bus.bus, d.bus.used_sum),
            )
        else:
            yield Placard(
                "bus-120",
                f"{service}, beside the back-fed breaker",
                "WARNING",
                ("POWER SOURCE OUTPUT CONNECTION", "DO NOT RELOCATE THIS OVERCURRENT DEVICE"),
                "NEC 2023 705.12(B)(2)",
                (d.bus.used_120, d.bus.allowed_120),
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
            f"{_service(d)}, and at each power source disconnect",
            "CAUTION",
            ("POWER TO THIS BUILDING IS ALSO SUPPLIED FROM", *sources),
            "NEC 2023 705.10",
            count=1 + len(_units(d)),
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
    split = plan.supply.kind.startswith("split") or plan.supply.kind == "off-grid"
    volts = f"NOMINAL AC VOLTAGE {'120/240' if split else fmt(unit.voltage_v)} V"
    for n, at in enumerate(_storage(d), 1):
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
            _service(d),
            "NOTICE",
            (
                "OPTIONAL STANDBY POWER SOURCE",
                (
                    f"{', '.join(_units(d)).upper()}: {plan.kit.inverters} ×"
                    f" {unit.power_w / 1000:g} kW INVERTER AND BATTERY"
                ),
            ),
            "NEC 2023 702.7(A)",
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


@placard("pv here")
def pv_here(d: Design, day: date) -> Iterator[Placard]:
    """That there is an array, where somebody would look."""
    board = _board(d)
    if d.strings or d.plan.kit.pv_inverters:
        yield Placard(
            "pv-here",
            f"origin of the supply, meter, and {board[0].lower()}{board[1:]}",
            "NOTICE",
            ("PV", "SOLAR ARRAY ON THIS BUILDING"),
            "IEC 60364-7-712 712.514.101",
            count=3,
        )


@placard("pv dc")
def pv_dc(d: Design, day: date) -> Iterator[Placard]:
    """At every access to live DC parts of the array."""
    highest = highest_string(d)
    if highest:
        yield Placard(
            "pv-dc",
            "every access to live DC parts: boxes, PV switch, inverter",
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
            f"{_board(d)}, meter, and every point of isolation",
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
            count=2 + len(_units(d)),
        )


@placard("inverter")
def inverter(d: Design, day: date) -> Iterator[Placard]:
    """At each unit."""
    if d.inverter is None:
        return
    for unit in _units(d):
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
    for n, at in enumerate(_storage(d), 1):
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
    if d.plan.backup.loads != "nothing":
        yield Placard(
            "island",
            _board(d),
            "NOTICE",
            (
                "THIS INSTALLATION GOES ON IN AN OUTAGE",
                f"NEUTRAL IS THEN EARTHED BY THE {d.plan.backup.bond.upper()}",
            ),
            "IEC 60364-8-82; common practice",
        )


@placard("documents")
def documents(d: Design, day: date) -> Iterator[Placard]:
    """Where the papers are kept."""
    yield Placard(
        "documents",
        _board(d),
        "NOTICE",
        ("SINGLE-LINE DIAGRAM AND SHUTDOWN PROCEDURE ARE KEPT HERE",),
        "IEC 62446-1 clause 4",
    )


@placard("legends")
def legends(d: Design, day: date) -> Iterator[Placard]:
    """One legend for each box that has breakers of this job: what each feeds, its rating, and what
    its
    conductor permits."""
    network = d.network
    if network is None:
        return
    sized = {s.id: s for s in d.circuits}
    boxes: dict[str, list[str]] = {}
    for switch in network.switches:
        s = sized.get(switch.protects)
        if s is None or s.circuit.system != "ac" or not s.protection:
            continue
        boxes.setdefault(switch.place, []).append(
            f"C{s.circuit.number} {switch.name}: {s.circuit.name}, {s.protection_text},"
            f" conductor permits {math.floor(s.permitted.n)} A"
        )
    for label, rows in boxes.items():
        name = (f"{label.upper()}: LEGEND", *rows)
        yield Placard(f"legend.{label}", label, "", name, d.plan.book.clauses["legend"])
