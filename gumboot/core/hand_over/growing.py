"""A job that is signed grows: one more pack, a second inverter, a car charger. What must change,
and what stays.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any, Literal

from gumboot.core.basis.finding import Level
from gumboot.core.design import Design
from gumboot.core.land.termination import Termination
from gumboot.core.plan import Plan

More = Literal["pack", "inverter", "charger"]
NAMES: dict[str, str] = {
    "pack": "One more pack",
    "inverter": "One more inverter",
    "charger": "A car charger",
}
CHARGER_W = {"us": 9600.0, "si": 7400.0}  # of one at home, 40 A and 32 A: common practice


@dataclass(frozen=True, slots=True)
class Change:
    """One thing that changes: before or after is empty where it is new, or goes."""

    part: str
    label: str
    before: str
    after: str


@dataclass(frozen=True, slots=True)
class Grown:
    """changes: what must change; stays: how many of each part stay as they are; stops: what would
    be wrong with it and was not before.
    """

    changes: tuple[Change, ...]
    stays: tuple[tuple[str, int], ...]
    stops: tuple[str, ...]


def grown(plan: Plan, what: More) -> Plan:
    """The plan with one more of something."""
    document = plan.model_dump(mode="json")
    kit: dict[str, Any] = document["kit"]
    if what == "pack":
        kit["packs"] += 1
    elif what == "inverter":
        kit["inverters"] += 1
    else:
        ids = {x["id"] for x in document["loads"]}
        key = next(k for k in (f"car-charger-{n}" for n in range(1, 99)) if k not in ids)
        three = plan.supply.kind.startswith("three")
        legs = "L1+L2" if plan.units == "us" and plan.supply.kind.startswith("split") else "L1"
        watts = CHARGER_W[plan.units]
        load = {"id": key, "name": "Car charger", "kind": "resistive", "running_w": watts}
        where = {"legs": "L1+L2+L3" if three else legs, "backed": False}
        document["loads"].append({**load, **where})
    return Plan.model_validate(document)


def compared(before: Design, after: Design) -> Grown:
    """What must change from one design to another, in words, and what stays."""
    changes: list[Change] = []
    stays: list[tuple[str, int]] = []
    for part, of in PARTS.items():
        then, now = of(before), of(after)
        rows = [
            Change(part, label, then.get(label, ""), now.get(label, ""))
            for label in {**then, **now}
            if then.get(label) != now.get(label)
        ]
        changes += rows
        stays.append((part, sum(then[k] == now.get(k) for k in then)))
    known = {f.key for f in before.findings if f.level is Level.STOP}
    stops = (f for f in after.findings if f.level is Level.STOP and f.key not in known)
    return Grown(tuple(changes), tuple(stays), tuple(f.says for f in stops))


def _circuits(d: Design) -> dict[str, str]:
    return {s.circuit.name: f"{s.conductor_text}, {s.protection_text}" for s in d.circuits}


def _boxes(d: Design) -> dict[str, str]:
    return {b.label: ", ".join(b.lines) or b.label for b in d.bodies}


def _wall(d: Design) -> dict[str, str]:
    return dict(_places(d))


def _places(d: Design) -> Iterator[tuple[str, str]]:
    for w in d.walls:
        for p in w.scene.placed:
            at = f"{w.scene.mm(p.x)} across, {w.scene.mm(p.y)} up"
            yield p.box.label, f"wall {w.scene.wall.id}, {at}"


def _settings(d: Design) -> dict[str, str]:
    return {s.label: f"{s.value} {s.unit}".strip() for s in d.settings}


def _busbars(d: Design) -> dict[str, str]:
    found = {k: f for k, f in d.figures.items() if "bus" in k}
    return {f.name: f.text for f in found.values()}


def _labels(d: Design) -> dict[str, str]:
    return {s.circuit.name: f"C{s.circuit.number}" for s in d.circuits}


def _terminations(d: Design) -> dict[str, str]:
    names = {s.id: s.circuit.name for s in d.circuits}
    rows = (t for t in d.terminations if t.kind not in ("dead", "cover"))
    return {
        f"{t.place}, {_end(t)}{f', {names[t.circuit]}' if t.circuit in names else ''}": (
            t.torque.text if t.torque else t.method
        )
        for t in rows
    }


def _end(t: Termination) -> str:
    """An end by name; which screw of a bar it takes is nobody's change."""
    return re.sub(r", screw \d+$", "", t.terminal)


PARTS = {
    "Boxes": _boxes,
    "Circuits": _circuits,
    "Busbars": _busbars,
    "Wall": _wall,
    "Settings": _settings,
    "Labels": _labels,
    "Terminations": _terminations,
}
