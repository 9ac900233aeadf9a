"""Changes to a plan, as JSON Patch makes them."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

from gumboot.core.basis.finding import (
    Change,
)


def lookup(document: object, path: str) -> object:
    """What stands at a JSON Pointer (RFC 6901) of a plain document. Raises KeyError when nothing
    does.
    """
    for step in path.strip("/").split("/"):
        try:
            at: Any = document
            document = at[int(step)] if isinstance(at, list) else at[step]
        except (LookupError, ValueError, TypeError) as exc:
            raise KeyError(path) from exc
    return document


def apply(plan: dict[str, Any], changes: Iterable[Change]) -> dict[str, Any]:
    """A copy of a plan document with the changes made; missing objects on the way are created.

    Raises KeyError when a path runs through something that is not there or not a container.
    """
    import copy

    plan = copy.deepcopy(plan)
    for change in changes:
        *steps, last = change.path.strip("/").split("/")
        at: object = plan
        for step in steps:
            at = at.setdefault(step, {}) if isinstance(at, dict) else lookup(at, step)
        if isinstance(at, list) and last.isdigit() and int(last) < len(at):
            at[int(last)] = change.value
        elif isinstance(at, dict) and change.value is None:
            at.pop(last, None)
        elif isinstance(at, dict):
            at[last] = change.value
        else:
            raise KeyError(change.path)
    return plan
