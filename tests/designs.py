"""Designs that several tests look at, each made once in a process."""

from __future__ import annotations

from collections import OrderedDict

from gumboot.core.design import Design
from gumboot.core.design import design as make
from gumboot.core.kit import Catalogue
from gumboot.core.plan import Plan

KEPT = 96
_made: OrderedDict[tuple[str, Catalogue], Design] = OrderedDict()


def design(plan: Plan, catalogue: Catalogue) -> Design:
    """The design of a plan with a kit: what is looked at, never how it is made, which is for
    `gumboot.core.design.design` itself.
    """
    key = (plan.model_dump_json(), catalogue)
    found = _made.get(key)
    if found is None:
        found = _made[key] = make(plan, catalogue)
        while len(_made) > KEPT:
            _made.popitem(last=False)
    else:
        _made.move_to_end(key)
    return found
