"""The sheet of settings as JSON, and as a SunSpec device file."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from gumboot.core.kit import MenuItem
from gumboot.core.set.settings import Setting
from gumboot.core.set.wire import codes_of


def sheet_document(unit: str, menus: Sequence[Sequence[Setting]]) -> dict[str, Any]:
    """Every line of every unit that shows, in the menu's order: the shape that Set takes back."""
    return {
        "kind": "settings sheet",
        "unit": unit,
        "lines": [
            {
                **{"unit_no": s.unit_no, "key": s.id, "number": s.number, "label": s.label},
                **{"value": s.value, "in": s.unit, "display": s.display, "reason": s.reason},
            }
            for menu in menus
            for s in menu
            if s.shown
        ],
    }


def sunspec_document(
    name: str, items: Sequence[MenuItem], settings: Sequence[Setting]
) -> dict[str, Any]:
    """The lines of one unit that stand in SunSpec models, as a device file: points as integers,
    with scale factors where the model's definition has them.
    """
    from sunspec2.device import get_model_def

    of = {s.id: s for s in settings}
    models: dict[int, dict[str, Any]] = {}
    for item in items:
        number, _, point = item.sunspec.partition(".")
        own = of.get(item.id)
        if not point or own is None or not own.shown:
            continue
        model = models.setdefault(int(number), {"ID": int(number)})
        if isinstance(own.value, str):
            if own.value in item.options:
                model[point] = codes_of(item)[item.options.index(own.value)]
            continue
        points = get_model_def(int(number))["group"]["points"]
        sf = next((p.get("sf") for p in points if p["name"] == point), None)
        places = 0 if isinstance(sf, int) or sf is None else -item.places
        if isinstance(sf, str):
            places = min(places, model.get(sf, 0))
            for other, value in list(model.items()):
                if other != point and _shares(points, other, sf):
                    model[other] = round(value * 10 ** (model.get(sf, 0) - places))
            model[sf] = places
        model[point] = round(own.value * 10**-places)
    return {"name": name, "models": [models[k] for k in sorted(models)]}


def _shares(points: Sequence[dict[str, Any]], name: str, sf: str) -> bool:
    return any(p["name"] == name and p.get("sf") == sf for p in points)
