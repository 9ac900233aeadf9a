"""The way from dark to serving and back: what a job's switches come to, the order, and what a slip
does there.
"""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Literal

import numpy as np

from gumboot.core.kit import Inverter, Pack
from gumboot.core.network import Network
from gumboot.core.plan import Plan
from gumboot.core.plan.waking import School
from gumboot.core.wake.hazard import Rules, rules_of
from gumboot.core.wake.order import Act, Moves, Order, order, soon, soonest
from gumboot.core.wake.plant import MOST_LEVERS, Plant, in_words, plant_of
from gumboot.core.wake.school import down_ranks, in_turn, ranks_of, school_of
from gumboot.core.wake.settle import settle
from gumboot.core.wake.slip import Slip, slips
from gumboot.core.wake.why import Reason, reasons


@dataclass(frozen=True, eq=False)
class Way:
    """The switches of a job, the order found for them, and its slips. school: what ranks them where
    no maker does, as ranks going up and downs going down; alone: whether units are first started
    one by one.
    """

    plant: Plant
    rules: Rules
    school: School
    ranks: tuple[int, ...]
    downs: tuple[int, ...]
    up: Order
    slips: tuple[Slip, ...]
    alone: bool

    @cached_property
    def moves(self) -> Moves:
        """Acts from any state."""
        return Moves(self.plant, self.rules)

    def moves_where(self, grid: bool = True, reversed: Collection[str] = ()) -> Moves:
        """Acts where the grid is there or not, and with strings and packs known to be reversed."""
        rules = replace(self.rules, reversed=self.plant.bits_of(reversed))
        return Moves(self.plant, rules, grid)

    @cached_property
    def down(self) -> Order:
        """From serving to everything open."""
        return self.back_out(self.plant.serving)

    @cached_property
    def emergency(self) -> tuple[Act, ...]:
        """The fewest switches to open until no load is fed and no unit makes or joins a voltage;
        where switches alone do not do, the way down as far as that.
        """
        levers = [k for k, x in enumerate(self.plant.levers) if not x.button]
        if found := soonest(self.moves, self.plant.serving, levers):
            return found
        states = np.array([a.after for a in self.down.acts], dtype=np.int64)
        rows = settle(self.plant, states)
        quiet = np.flatnonzero((rows.loads | rows.forms | rows.follows) == 0)
        return self.down.acts[: int(quiet[0]) + 1] if len(quiet) else self.down.acts

    @cached_property
    def reasons(self) -> tuple[Reason, ...]:
        """Why each act of the way up stands where it stands."""
        return reasons(self.moves, self.up.acts, self.ranks)

    def says(self, a: Act) -> str:
        """An act in words."""
        return in_words(self.plant, a.k, a.closing)

    def back_out(self, state: int) -> Order:
        """The safe way from a state to everything open."""
        return order(self.moves, state, 0, self.downs)

    def onward(self, state: int) -> Order:
        """The way from a state to serving."""
        return order(self.moves, state, self.plant.serving, self.ranks)


def way_of(network: Network, plan: Plan, unit: Inverter, pack: Pack | None) -> Way | None:
    """The way of a job; None where it has more switches than a state can hold."""
    plant = plant_of(network, plan, unit, pack)
    if len(plant.levers) > MOST_LEVERS:
        return None
    rules = rules_of(
        plant, in_turn(unit, pack, plan.kit.controllers_fitted), _precharges(unit, pack)
    )
    school = school_of(plan.waking.school, unit, plan.supply.kind == "off-grid")
    downs = down_ranks(plant, school, unit.shutdown)
    ranks, moves = ranks_of(plant, school), Moves(plant, rules)
    wants, count = plan.waking.alone, len(plant.units)
    alone = (bool(unit.starting and unit.starting.alone) if wants is None else wants) and count > 1
    up = through(moves, [_alone(plant, i) for i in range(count)] if alone else [], ranks)
    slipped = slips(moves, up.acts, plant.serving, plan.waking.guards) if up.acts else ()
    return Way(plant, rules, school, ranks, downs, up, slipped, alone)


def _precharges(unit: Inverter, pack: Pack | None) -> Literal["inverter", "pack", "nobody"]:
    if unit.precharge_ohm:
        return "inverter"
    return "pack" if pack is not None and pack.precharge_ohm else "nobody"


def through(moves: Moves, goals: Sequence[int], ranks: Sequence[int]) -> Order:
    """An order from dark to serving by way of some states; one that cannot be come to is passed
    over: a unit that cannot be started alone is started with the others.
    """
    at, cost, looked, acts = 0, 0.0, 0, list[Act]()
    for goal in goals:
        part = soon(moves, at, goal, ranks)
        if part.against is None:
            acts += part.acts
            cost, looked, at = cost + part.cost, looked + part.looked_at, goal
    last = order(moves, at, moves.plant.serving, ranks)
    if last.against is not None:
        return last
    return Order((*acts, *last.acts), cost + last.cost, looked + last.looked_at, least=last.least)


def _alone(plant: Plant, unit: int) -> int:
    """The state in which one unit runs by itself, into its own panel."""
    own = ("battery", "unit", "backup")
    return sum(
        1 << k
        for k, x in enumerate(plant.levers)
        if x.kind in ("pack", "pack button", "connectors") or (x.kind in own and x.unit == unit)
    )
