"""The switch row: every lever of a job in the order of its boxes, and what is live at its ends."""

from __future__ import annotations

from functools import lru_cache
from typing import Any

from gumboot.core.design import Design
from gumboot.core.wake.plant import STRINGS, UNITS, Plant
from gumboot.core.wake.states import PACKS, Settled

WORDS = {"unit": "power button", "pack button": "button"}


@lru_cache(maxsize=64)
def row_of(design: Design) -> list[dict[str, Any]]:
    """The levers by their boxes: (place, levers), for the page."""
    wake = design.wake
    if wake is None:
        return []
    groups: dict[str, dict[str, Any]] = {}
    for x in wake.way.plant.levers:
        group = groups.setdefault(x.place, {"place": x.place, "levers": []})
        name = x.says.removesuffix(f", {x.place}")
        group["levers"].append(
            {
                "key": x.key,
                "says": name,
                "whole": x.says,
                "button": x.button,
                "direct": x.direct,
                "on": x.on,
                "off": x.off,
            }
        )
    return list(groups.values())


def shown(design: Design, rows: Settled, n: int) -> dict[str, Any]:
    """One state: which levers are closed, what is live at their ends, which circuits are live, and
    what each unit does.
    """
    wake = design.wake
    if wake is None:
        return {}
    plant = wake.way.plant
    state = int(rows.states[n])
    keys = [x.key for x in plant.levers]
    at = plant.point_of
    live = [
        c.circuit.id
        for c in design.circuits
        if any(_alive(plant, rows, n, e.node, at) for e in (c.circuit.source, c.circuit.load))
    ]
    return {
        "state": state,
        "closed": [k for i, k in enumerate(keys) if state >> i & 1],
        "a": [k for i, k in enumerate(keys) if int(rows.a[n, i])],
        "b": [k for i, k in enumerate(keys) if int(rows.b[n, i])],
        "live": live,
        "units": [unit_says(plant, rows, n, i) for i in range(len(plant.units))],
        "loads": [
            {"name": name, "live": bool(int(rows.loads[n]) >> i & 1)}
            for i, name in enumerate(plant.load_names)
        ],
    }


def _alive(plant: Plant, rows: Settled, n: int, node: str, at: Any) -> bool:
    return node in at and bool(int(rows.feeds[n, at[node]]))


def unit_says(plant: Plant, rows: Settled, n: int, i: int) -> dict[str, str]:
    """What one unit does in a state, in words."""
    bits = {k: int(getattr(rows, k)[n]) >> i & 1 for k in ("on", "packed", "sunny", "follows")}
    forms = int(rows.forms[n]) >> i & 1
    name = plant.unit_names[i]
    if not bits["on"]:
        return {"name": name, "says": "dark", "how": "off"}
    if forms:
        return {"name": name, "says": "awake, makes its own voltage", "how": "forms"}
    if bits["follows"]:
        return {"name": name, "says": "awake, with the grid", "how": "follows"}
    why = "no battery" if not bits["packed"] else "no grid"
    return {"name": name, "says": f"awake, waits: {why}", "how": "waits"}


def feeds_said(plant: Plant, feeds: int) -> str:
    """What feeds a point, in words."""
    out = []
    if feeds & 1:
        out.append("the grid")
    if feeds & 2:
        out.append("the generator")
    out += [x for i, x in enumerate(plant.unit_names) if feeds >> (UNITS + i) & 1]
    out += [x for i, x in enumerate(plant.pack_names) if feeds >> (PACKS + i) & 1]
    if feeds >> STRINGS:
        out.append("the sun")
    return ", ".join(out)
