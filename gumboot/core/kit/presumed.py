"""What stands for a part of a sheet that nobody has entered yet, so that an entry serves from its
first figures on. Each of it is named as missing by the station that wants it (`missing.py`).

A terminal not entered is a screw whose maker is silent: its torque is the book's, its sizes wide.
"""

from __future__ import annotations

import math
from collections.abc import Iterable
from typing import Any

from gumboot.core.codes import OutsideTable
from gumboot.core.codes.books import BOOKS
from gumboot.core.kit.words import LINE_VOLTS, LINES, MAINS

NOT_ENTERED = "not entered yet"
AWG, METRIC = ("14", "500"), ("1.5 mm²", "240 mm²")
ON_AC = (
    *("ac-breaker", "panel", "transfer-switch", "inlet", "tap", "residual-current", "surge"),
    "disconnect",
)


def terminal(conductor: str, label: str, metric: bool) -> dict[str, Any]:
    """A screw that takes any size, torque by the book."""
    least, most = METRIC if metric else AWG
    return {
        "id": f"{label} {conductor}".lower().replace(" ", "-").replace("−", "-"),
        "label": f"{label} {conductor}".strip(),
        "conductor": conductor,
        "end": "bare",
        "least": least,
        "most": most,
        "bit": "slot 6 mm",
        "thread": "M5" if metric else "",
        "source": NOT_ENTERED,
    }


def terminals(conductors: Iterable[str], label: str, metric: bool) -> list[dict[str, Any]]:
    """One for each conductor."""
    return [terminal(c, label, metric) for c in conductors]


def connectors(tracker: str, pairs: int, metric: bool) -> list[dict[str, Any]]:
    """PV connectors of a tracker, a pair for each string it takes."""
    least, most = ("2.5 mm²", "10 mm²") if metric else ("14", "8")
    names = [f"PV{tracker}{'abcdefgh'[i] if pairs > 1 else ''}" for i in range(min(pairs, 8))]
    return [
        {
            "id": f"{n.lower()}{'+' if c == '+' else '-'}",
            "label": f"{n} {c}",
            "conductor": c,
            "end": "pv-connector",
            "least": least,
            "most": most,
            "bit": "PV connector spanner",
            "source": NOT_ENTERED,
        }
        for n in names
        for c in ("+", "−")
    ]


def lines_of(supply: object) -> tuple[str, ...]:
    """The line conductors of a supply; one where it is none that we know."""
    return tuple(LINES.get(str(supply), ("L1",)))


def on_mm2(document: dict[str, Any]) -> bool:
    """Whether an entry speaks of mm²: by its book, else by its supply."""
    book = BOOKS.get(document.get("book"))  # type: ignore[arg-type]
    if book is not None:
        return not book.american
    mains = MAINS.get(str(document.get("supply")))
    return mains is None or not mains.american


def port(document: dict[str, Any], name: str, conductors: Iterable[str], label: str) -> None:
    """Give a port of a document terminals, where it has none."""
    found = document.get(name)
    if isinstance(found, dict) and not found.get("terminals"):
        document[name] = {**found, "terminals": terminals(conductors, label, on_mm2(document))}


PORTS = ("battery", "grid", "backup", "generator")
OVER = 1.25  # the largest protection of a port nobody entered, over its current: common practice


def ports(d: dict[str, Any]) -> None:
    """Give an inverter the ports that nobody entered, by its power: the battery's, the most that it
    draws or charges with, unless a pack is inside; where no line is entered those that its kind
    has, what it gives or passes through. A kind that is backed up through a gateway has one line.
    """
    typed = {n for n in PORTS if d.get(n)}
    try:
        wanted = _ports(d)
    except (KeyError, TypeError, ValueError, ZeroDivisionError):
        return  # what is wrong with it is said at its field
    for name, amps in wanted.items():
        if not typed - {"battery"} if name != "battery" else name not in typed:
            most = _rating(OVER * amps)
            d[name] = {"i_max_a": round(amps, 1), "protection_max_a": most, "source": NOT_ENTERED}


def _ports(d: dict[str, Any]) -> dict[str, float]:
    lines = lines_of(d.get("supply"))
    volts = LINE_VOLTS.get(str(d.get("supply")), 230.0) * (3**0.5 if len(lines) == 3 else 1)
    power, low, charge = (float(d[k]) for k in ("power_w", "battery_v_min", "charge_max_a"))
    dc = max(power / float(d.get("battery_efficiency") or 0.94) / low, charge)
    ac = max(float(d.get(k) or power / volts) for k in ("ac_max_a", "pass_through_a"))
    battery = {} if d.get("pack_inside") else {"battery": dc}
    alone = d.get("topology", "hybrid") in ("ac-coupled", "all-in-one")
    return {**battery, "grid": ac} | ({} if alone else {"backup": ac})


def of_controller(d: dict[str, Any]) -> None:
    """Give a charge controller the ports that nobody entered: what it charges with, and what its PV
    terminals bear.
    """
    try:
        charge = float(d["charge_max_a"])
        shorted = float(d.get("pv_i_sc_max_a") or charge)
    except (KeyError, TypeError, ValueError):
        return  # what is wrong with it is said at its field
    for name, amps in (("battery", charge), ("pv", shorted)):
        if not d.get(name):
            most = _rating(OVER * amps)
            d[name] = {"i_max_a": amps, "protection_max_a": most, "source": NOT_ENTERED}


def _rating(amps: float) -> float:
    """The rating at or above a current that devices of either book have."""
    try:
        return max(b.next_standard(amps) for b in BOOKS.values())
    except OutsideTable:
        return float(math.ceil(amps / 100) * 100)


def of_device(document: dict[str, Any]) -> list[dict[str, Any]]:
    """The terminals of a device by its role."""
    role, metric = document.get("role"), on_mm2(document)
    lines, label = lines_of(document.get("supply")), ""
    if role == "button":
        return [{**terminal("L1", "", metric), "id": n, "label": n} for n in ("11", "12")]
    if role in ("ac-breaker", "disconnect"):
        conductors: tuple[str, ...] = (*lines, *(("N",) if metric else ()))
    elif role == "residual-current":
        conductors = (*lines, "N")
    elif role in ON_AC:
        conductors = (*lines, "N", "PE")
    else:
        conductors = {
            "dc-fuse": ("+",),
            "dc-bus": ("+", "−", "PE"),
            "pv-combiner": ("+", "−", "PE"),
            "array": ("+", "−", "PE"),
            "electrode": ("PE",),
        }.get(str(role), ("+", "−"))
    return terminals(conductors, label, metric)
