"""What a sheet still lacks: named with the station that wants it and the section of the entry
where it is typed.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any

from gumboot.core.kit.controller import Controller
from gumboot.core.kit.converter import Converter
from gumboot.core.kit.device import Device
from gumboot.core.kit.entry import Entry
from gumboot.core.kit.gateway import Gateway
from gumboot.core.kit.inverter import Inverter
from gumboot.core.kit.module import Module
from gumboot.core.kit.pack import Pack
from gumboot.core.kit.port import Port
from gumboot.core.kit.presumed import NOT_ENTERED, PORTS
from gumboot.core.kit.terminal import Terminal

Unit = Inverter | Controller | Gateway | Pack | Device | Module


@dataclass(frozen=True)
class Missing:
    """One thing of a sheet nobody has entered: what it is, the section of the entry it stands in,
    the station that wants it, and what stands for it meanwhile. grave: work done by what stands for
    it could hurt.
    """

    what: str
    section: str
    station: str
    meanwhile: str
    grave: bool = False


def name_of(entry: Any) -> str:
    """An entry as lists name it: "Marram S8 hybrid", "two-pole breaker, 70 A frame"."""
    made = f"{getattr(entry, 'maker', '')} {getattr(entry, 'model', '')}".strip()
    return made or getattr(entry, "label", "") or str(entry.id)


def places(entry: Unit) -> Iterator[tuple[str, tuple[Terminal, ...]]]:
    """(name, terminals) of each port of an entry."""
    if isinstance(entry, Inverter):
        for name in PORTS:
            if (port := getattr(entry, name)) is not None:
                yield f"the {name} port", port.terminals
        for t in entry.trackers:
            yield f"tracker {t.id}", t.terminals
        yield "the earth terminal", (entry.earth,)
    elif isinstance(entry, Controller):
        for name in ("battery", "pv"):
            yield f"the {name} port", getattr(entry, name).terminals
        yield "the earth terminal", (entry.earth,)
    elif isinstance(entry, Gateway):
        for name in ("grid", "inverter", "backup"):
            yield f"the {name} port", getattr(entry, name).terminals
    elif isinstance(entry, Pack):
        yield "the posts", entry.terminals
        yield "the earth terminal", (entry.earth,)
    elif isinstance(entry, Device):
        yield "its terminals", entry.terminals


def _stands(entry: Converter, name: str, port: Port) -> str:
    if name == "battery" and isinstance(entry, Inverter):
        return "what it asks of the bank at battery"
    return f"{port.i_max_a:g} A at {name}"


def missing(entry: Unit) -> tuple[Missing, ...]:
    """What an entry still lacks, the gravest first."""
    return tuple(sorted(_missing(entry), key=lambda m: not m.grave))


def _missing(entry: Unit) -> Iterator[Missing]:
    bare = [n for n, terminals in places(entry) if any(t.source == NOT_ENTERED for t in terminals)]
    if bare:
        yield Missing(
            f"torque, strip length and sizes of {', '.join(bare)}",
            "terminals",
            "land",
            "the book's torque for a maker that is silent stands there",
            grave=True,
        )
    if isinstance(entry, Converter | Pack | Gateway) and entry.enclosure is None:
        yield Missing(
            "its size, mass and the room it wants", "case", "wall", "it has no place on a wall"
        )
    if isinstance(entry, Inverter) and entry.topology == "hybrid" and not entry.trackers:
        yield Missing("its PV trackers", "pv", "size", "no string of it can be planned")
    if isinstance(entry, Converter):
        ports = PORTS if isinstance(entry, Inverter) else ("battery", "pv")
        own = {n: p for n in ports if (p := getattr(entry, n)) and p.source == NOT_ENTERED}
        if own:
            stands = ", ".join(_stands(entry, n, p) for n, p in own.items())
            yield Missing(
                "its ports, what each carries and the largest protection it may have",
                "terminals",
                "size",
                f"they follow from its power: {stands}",
                grave=True,
            )
        if not entry.menu:
            yield Missing("its menu", "menu", "set", "no setting can be filled in")
        if not _typed(entry, "capacitor_wait_min"):
            yield Missing(
                "how long its capacitors hold charge",
                "switching",
                "land",
                f"{entry.capacitor_wait_min:g} min stands there",
                grave=True,
            )
        if isinstance(entry, Inverter) and not entry.signals:
            yield Missing("its signal ports", "signals", "link", "no lead is listed")
    if isinstance(entry, Module):
        for field, what, stands in (
            ("fuse_max_a", "its largest series fuse", f"{entry.fuse_max_a:g} A stands there"),
            ("system_v_max", "its system voltage", f"{entry.system_v_max:g} V stands there"),
        ):
            if not _typed(entry, field):
                yield Missing(what, "electrical", "size", stands)
    if isinstance(entry, Pack):
        if not _typed(entry, "resistance_ohm"):
            yield Missing(
                "its internal resistance",
                "electrical",
                "size",
                "fault currents are reckoned with 0.05 Ω·Ah a cell (0.5 mΩ of one of 100 Ah)",
            )
        if entry.form == "stack" and not _typed(entry, "series_max"):
            yield Missing(
                "how many may stand in series",
                "more",
                "size",
                f"{entry.series_most} are taken to be allowed",
                grave=True,
            )
        if entry.form == "stack" and entry.breaker_a is None:
            yield Missing(
                "the breaker of its own",
                "electrical",
                "size",
                "a fuse and a breaker are planned ahead of its unit",
            )
        if entry.lithium and not entry.link:
            yield Missing("the bus of its BMS", "electrical", "set", "no link is proposed")


def _typed(entry: Entry, field: str) -> bool:
    return field in entry.model_fields_set
