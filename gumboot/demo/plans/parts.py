"""Loads and rates of the demo's plans, a line each."""

from __future__ import annotations

from typing import Any

from gumboot.core.basis.clock import parse_spans


def hours(text: str) -> list[dict[str, int]]:
    return [{"start_min": a, "end_min": b} for a, b in parse_spans(text)]


def load(
    id: str,
    name: str,
    kind: str,
    watts: float,
    legs: str = "L1",
    at: str = "",
    duty: float = 1.0,
    **more: Any,
) -> dict[str, Any]:
    return {
        "id": id,
        "name": name,
        "kind": kind,
        "running_w": watts,
        "legs": legs,
        "hours": hours(at),
        "duty": duty,
        **more,
    }


def rate(name: str, buy: float, sell: float, at: str = "", **more: Any) -> dict[str, Any]:
    return {"name": name, "buy": buy, "sell": sell, "hours": hours(at), **more}
