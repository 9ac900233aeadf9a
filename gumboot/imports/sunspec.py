"""A SunSpec model definition (JSON, as the alliance publishes them) as lines of a menu: its points
that can be written.
"""

from __future__ import annotations

import json
import re
from collections.abc import Iterator
from typing import Any

from gumboot.imports.interval import Unreadable

MEANT = {  # points whose meaning the models themselves define, by name
    "WMaxLimPct": "own",
    "WChaMax": "own",
    "MinRsvPct": "reserve_soc",
    "ChaGriSet": "grid_charge",
}
MOST = 120


def menu_of_model(data: bytes) -> list[dict[str, Any]]:
    """Menu lines of a model's writable points: label, unit, choices from its symbols. Raises
    Unreadable with the path at fault.
    """
    try:
        model = json.loads(data.decode("utf-8-sig"))
    except (UnicodeDecodeError, ValueError, RecursionError) as exc:
        raise Unreadable(f"Not a model definition as JSON: {str(exc)[:100]}.") from exc
    group = model.get("group") if isinstance(model, dict) else None
    if not isinstance(group, dict):
        raise Unreadable("Not a model definition: it has no “group”.")
    title = str(group.get("label") or group.get("name") or "Model")[:40]
    lines = list(_lines(group, title, f"m{model.get('id', '')}"))[:MOST]
    if not lines:
        raise Unreadable("None of the model's points can be written (access RW).")
    return lines


def _lines(group: dict[str, Any], title: str, at: str) -> Iterator[dict[str, Any]]:
    for point in group.get("points") or []:
        if not isinstance(point, dict) or point.get("access") != "RW":
            continue
        name = str(point.get("name", ""))[:40]
        symbols = [s for s in point.get("symbols") or [] if isinstance(s, dict)]
        line: dict[str, Any] = {
            "id": re.sub(r"[^a-z0-9]+", "-", f"{at}-{name}".lower()).strip("-")[:40],
            "group": title,
            "label": str(point.get("label") or name)[:80],
            "rule": MEANT.get(name, "own"),
        }
        if point.get("units"):
            line["unit"] = str(point["units"])[:12]
        if symbols:
            line["options"] = [str(s.get("label") or s.get("name"))[:60] for s in symbols]
            line.pop("unit", None)
        yield line
    for inner in group.get("groups") or []:
        if isinstance(inner, dict):
            name = str(inner.get("name", ""))[:20]
            yield from _lines(inner, f"{title}, {inner.get('label') or name}"[:60], f"{at}-{name}")
