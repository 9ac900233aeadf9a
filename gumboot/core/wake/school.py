"""The schools of switching on, as ranks of kinds of levers (common practice): a maker's word rules
where there is one, and a school says the rest.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from gumboot.core.basis.words import inside
from gumboot.core.codes.books import BOOKS
from gumboot.core.kit import Inverter, Pack
from gumboot.core.kit.words import Opening
from gumboot.core.plan.waking import School
from gumboot.core.wake.hazard import InTurn
from gumboot.core.wake.plant import Kind, Lever, Plant

# What is plugged and closed cold comes first; loads come last, breaker by breaker.
RANKS: dict[School, tuple[Kind, ...]] = {
    "battery first": (
        *("connectors", "pack", "pack button", "battery", "unit", "pv"),
        *("grid", "backup", "changeover", "loads", "pv inverter"),
    ),
    "grid first": (
        *("connectors", "grid", "pv", "pack", "pack button", "battery", "unit"),
        *("backup", "changeover", "loads", "pv inverter"),
    ),
    "island first": (
        *("connectors", "pack", "pack button", "battery", "unit", "backup"),
        *("grid", "pv", "changeover", "loads", "pv inverter"),
    ),
}
# What feeds the house itself, ahead of the units.
HOUSE = ("main-panel/main", *(f"main-panel/{inside(b.sub_board)} breaker" for b in BOOKS.values()))
SAYS: dict[School, str] = {
    "maker": "as the makers say, else by the kind of system",
    "battery first": "battery, unit, PV, grid, loads",
    "grid first": "grid, PV, battery, loads",
    "island first": "battery, unit, its output measured, then grid and PV",
}


def school_of(plan_school: School, inverter: Inverter, off_grid: bool) -> School:
    """The school that ranks what no maker orders: the crew's, or what the kind of system asks."""
    if plan_school != "maker":
        return plan_school
    told = inverter.starting.order if inverter.starting else ()
    if told[:1] == ("grid",):
        return "grid first"
    if off_grid or inverter.topology == "inverter-charger" or inverter.trackers == ():
        return "battery first"
    return "island first" if inverter.backup is not None else "grid first"


def ranks_of(plant: Plant, school: School) -> tuple[int, ...]:
    """The rank of each lever; what does not serve comes after all. Within a kind the house's own
    main and the feeder of its sub-board come first, then what is of one unit, then what joins
    several.
    """
    order = RANKS[school]

    def rank(x: Lever) -> int:
        within = 0 if x.id in HOUSE else 1 if x.unit >= 0 else 2
        return 3 * order.index(x.kind) + within if x.kind in order else 3 * len(order)

    return tuple(map(rank, plant.levers))


# What opens the battery's side: a pack's own breaker and button too.
BATTERY: tuple[Kind, ...] = ("battery", "pack button", "pack")


def down_ranks(plant: Plant, school: School, told: Sequence[Opening]) -> tuple[int, ...]:
    """The rank of each lever on the way down, the highest first: by the order of shutdown on its
    unit's sheet; what the sheet leaves out comes before what it goes before at school. By the way
    up where the sheet gives none.
    """
    up = ranks_of(plant, school)
    if not told:
        return up
    order = [k for kind in told for k in (BATTERY if kind == "battery" else (kind,))]
    down = RANKS[school][::-1]
    for n, kind in enumerate(down):
        if kind not in order:
            later = [i for i, k in enumerate(order) if k in down[n + 1 :]]
            order.insert(min(later, default=len(order)), kind)
    place = {kind: len(order) - n for n, kind in enumerate(order)}
    return tuple(place.get(x.kind, 0) * 3 + r % 3 for x, r in zip(plant.levers, up, strict=True))


def in_turn(inverter: Inverter, pack: Pack | None, controllers: int = 0) -> tuple[InTurn, ...]:
    """The makers' rules: each kind of their order before the next ones; and that charge controllers
    get their battery before their array.
    """
    first: tuple[Kind, ...] = ("pack", "pack button", "battery") if controllers else ()
    return (
        *(InTurn(x, "pv", "any charge controller's manual", controls=True) for x in first),
        *_pairs(inverter.starting.order if inverter.starting else (), "the inverter's manual"),
        *_pairs(pack.starting.order if pack and pack.starting else (), "the pack's manual"),
    )


def _pairs(order: Sequence[Kind], source: str) -> Iterator[InTurn]:
    for n, first in enumerate(order):
        for then in order[n + 1 :]:
            yield InTurn(first, then, source)
