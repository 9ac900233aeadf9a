"""A job that is signed grows: one more pack, a second inverter, a car charger. What must change,
and what stays.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, Literal

from gumboot.core.basis.finding import Level
from gumboot.core.design import Design
from gumboot.core.hand_over.charger import lines_of, protection_a, watts
from gumboot.core.plan import Plan
from gumboot.core.plan.kit import CONTROLLERS

More = Literal["module", "pack", "inverter", "controller", "charger"]


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


def kinds_of(d: Design) -> dict[str, str]:
    """What a job may get more of, in words: a stack grows by a module in it, or another stack."""
    stacked = d.pack is not None and d.pack.form == "stack"
    one = (
        "One more module in each stack" if d.plan.kit.packs > 1 else "One more module in the stack"
    )
    batteries = {"module": one, "pack": "One more stack"} if stacked else {"pack": "One more pack"}
    more = {"controller": "One more charge controller"} if d.controller else {}
    return {**batteries, "inverter": "One more inverter", **more, "charger": "A car charger"}


Rows = dict[str, tuple[str, str]]  # by key: what it is called, how it stands
LEGS = {1: "L1", 2: "L1+L2", 3: "L1+L2+L3"}


def grown(d: Design, what: More) -> Plan:
    """The plan of a job with one more of something. Raises pydantic's ValidationError where the
    plan cannot hold it.
    """
    document = d.plan.model_dump(mode="json")
    kit: dict[str, Any] = document["kit"]
    if what == "module":
        kit["series"] += 1
    elif what == "pack":
        kit["packs"] += 1
        stacked = d.pack is not None and d.pack.form == "stack"
        if stacked and d.inverter and d.inverter.battery_inputs > 1:
            kit["hookup"] = "inputs" if kit["packs"] > kit["inverters"] else "bus"
    elif what in ("inverter", "controller"):
        kit[f"{what}s"] += 1
    else:
        ids = {x["id"] for x in document["loads"]}
        key = next(k for k in (f"car-charger-{n}" for n in range(1, 99)) if k not in ids)
        draws = {"kind": "resistive", "running_w": watts(d), "legs": LEGS[lines_of(d)]}
        alone = d.plan.supply.kind == "off-grid"  # there the units feed the whole house
        load = {"id": key, "name": "Car charger", **draws, "backed": alone}
        document["loads"].append(load)
        known = d.plan.supply.load_breakers_a
        if known is not None:
            document["supply"]["load_breakers_a"] = known + protection_a(d)
    return Plan.model_validate(document)


def compared(before: Design, after: Design) -> Grown:
    """What must change from one design to another, in words, and what stays."""
    changes: list[Change] = []
    stays: list[tuple[str, int]] = []
    for part, of in PARTS.items():
        then, now = of(before), of(after)
        for key, (label, _) in {**then, **now}.items():
            was, value = (x.get(key, ("", ""))[1] for x in (then, now))
            if was != value:
                changes.append(Change(part, label, was, value))
        stays.append((part, sum(then[k][1] == now[k][1] for k in then if k in now)))
    known = {f.key for f in before.findings if f.level is Level.STOP}
    stops = (f for f in after.findings if f.level is Level.STOP and f.key not in known)
    return Grown(tuple(changes), tuple(stays), tuple(f.says for f in stops))


def _circuits(d: Design) -> Rows:
    names = {b.id: b.label for b in d.bodies}
    return {
        s.id: (
            f"{names.get(s.circuit.source.body, '')} to {names.get(s.circuit.load.body, '')}"
            f" ({s.circuit.name})",
            f"{s.conductor_text}, {s.protection_text}",
        )
        for s in d.circuits
    }


def _boxes(d: Design) -> Rows:
    return {b.id: (b.label, ", ".join(b.lines) or "as it is") for b in d.bodies}


def _wall(d: Design) -> Rows:
    return {
        p.box.id: (
            p.box.label,
            f"wall {w.scene.wall.id}, {w.scene.mm(p.x)} across, {w.scene.mm(p.y)} up",
        )
        for w in d.walls
        for p in w.scene.placed
    }


def _settings(d: Design) -> Rows:
    rows = (*d.settings, *(d.menu(CONTROLLERS + 1) if d.controller else ()))
    return {s.key: (s.label, f"{s.value} {s.unit}".strip()) for s in rows}


def _busbars(d: Design) -> Rows:
    keys = (k for k in d.figures if k.startswith(("bus.", "bus-")))
    return {k: (d.figures[k].name, d.figures[k].text) for k in keys}


def _labels(d: Design) -> Rows:
    circuits = {s.id: (s.circuit.name, f"C{s.circuit.number}") for s in d.circuits}
    return circuits | {b.id: (b.label, b.label) for b in d.bodies}


def _terminations(d: Design) -> Rows:
    """Ends by their keys: which screw of a bar one takes, and what its label says, is no change of
    the end.
    """
    return {
        t.key: (f"{t.place}, {t.terminal}", t.torque.text if t.torque else t.method)
        for t in d.terminations
        if t.kind not in ("dead", "cover")
    }


PARTS = {
    "Boxes": _boxes,
    "Circuits": _circuits,
    "Busbars": _busbars,
    "Wall": _wall,
    "Settings": _settings,
    "Labels": _labels,
    "Terminations": _terminations,
}
