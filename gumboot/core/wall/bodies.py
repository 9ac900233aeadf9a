"""What stands on a wall: every box of the job with the case it has, as it is hung or put down.
Millimetres and kg.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property

from gumboot.core.kit import Controller, Gateway, Inverter, Pack
from gumboot.core.kit.enclosure import CableEntry, Enclosure, Hole
from gumboot.core.network import Body, Role
from gumboot.core.network.house import neutral_v
from gumboot.core.plan import Extra, Kit, Plan, Spot
from gumboot.core.size.bank import cabinets
from gumboot.core.wall.rect import Rect

NOT_ON_A_WALL = ("array", "generator")
WORKED_AT = (
    "main-panel",
    "sub-board",
    "loads",
    "changeover",
    "grid-combiner",
    "backup-combiner",
    "generator-combiner",
    "dc-bus",
    "pv-combiner",
    "controller",
    "inverter",
)
NO_AC = ("pack", "dc-bus", "pv-combiner", "controller")
STOOD_BEFORE = ("main-panel", "sub-board", "pv-inverter")
PV_INVERTER = Enclosure(
    width=400,
    height=500,
    depth=180,
    mass_kg=20,
    entries=(CableEntry(side="bottom", at=200),),
    weather="rain and sun",
)
EXTRA_HOLE_IN = (
    30.0  # a plain box has a hole in each corner, this far from its edges: common practice
)


@dataclass(frozen=True, slots=True)
class Box:
    """One box of the job. lifts: what is lifted one by one: in words, kg, and how high in the case
    its lower edge comes to lie. storage_kwh: what it holds. there: it hung before the job. volts:
    the most to earth inside it. worked: whether it is looked into while live.
    """

    id: str
    label: str
    role: Role | str
    enclosure: Enclosure
    lifts: tuple[tuple[str, float, float], ...]
    storage_kwh: float = 0.0
    there: bool = False
    assumed: bool = False
    volts: float = 0.0
    worked: bool = False


@dataclass(frozen=True)
class Placed:
    """A box at its place: x of its left edge from the wall's left edge, y of its lower edge from
    the floor.
    """

    box: Box
    x: float
    y: float

    @cached_property
    def right(self) -> float:
        """x of its right edge."""
        return self.x + self.box.enclosure.width

    @cached_property
    def top(self) -> float:
        """y of its upper edge."""
        return self.y + self.box.enclosure.height

    @cached_property
    def middle(self) -> float:
        """x of its middle."""
        return self.x + self.box.enclosure.width / 2

    @cached_property
    def rect(self) -> Rect:
        """Its case on the wall."""
        return Rect(self.x, self.y, self.right, self.top)

    def hole(self, hole: Hole) -> tuple[float, float]:
        """A hole of its bracket on the wall."""
        return self.x + hole.x, self.y + hole.y


def boxes(
    plan: Plan,
    bodies: Sequence[Body],
    inverter: Inverter,
    pack: Pack | None,
    gateway: Gateway | None,
    dc_v: dict[str, float],
    controller: Controller | None = None,
) -> tuple[Box, ...]:
    """Every box of a job that has its place on a wall, and whose case is known; extras of all walls
    come last. dc_v: the most DC volts in a body.
    """
    out, line_v = [], neutral_v(plan, inverter).n
    for b in bodies:
        if b.role in NOT_ON_A_WALL or (
            b.role == "loads" and b.label == "House panel" and b.enclosure is None
        ):
            continue
        held, kwh = b.enclosure, 0.0
        lifts: tuple[tuple[str, float, float], ...] = ()
        if b.role == "inverter":
            held = inverter.enclosure
            kwh = pack.v_nom * pack.capacity_ah / 1000 if inverter.pack_inside and pack else 0.0
        elif b.role == "controller" and controller:
            held = controller.enclosure
        elif b.role == "pack" and pack:
            held, lifts = bank_case(pack, plan.kit)
            kwh = stored_kwh(pack, plan.kit)
        elif b.id == "gateway" and gateway:
            held = gateway.enclosure
        assumed = b.role == "pv-inverter"
        if assumed:
            held = PV_INVERTER
        if held is None:
            continue
        there = b.role in STOOD_BEFORE or (b.role == "loads" and b.label == "House panel")
        out.append(
            Box(
                b.id,
                b.label,
                b.role,
                held,
                lifts or ((b.label, held.mass_kg, 0.0),),
                kwh,
                there,
                assumed,
                max(
                    dc_v.get(b.id, 0.0),
                    0.0 if b.role in NO_AC else line_v,
                ),
                b.role in WORKED_AT or (b.role == "pack" and bool(pack and pack.breaker_a)),
            )
        )
    return (*out, *(extra_box(x) for w in plan.walls for x in w.extras))


def extra_box(x: Extra) -> Box:
    """Something that the crew hangs besides: a plain box with a hole in each corner."""
    i = min(EXTRA_HOLE_IN, x.width_mm / 3, x.height_mm / 3)
    holes = tuple(Hole(x=a, y=b) for b in (i, x.height_mm - i) for a in (i, x.width_mm - i))
    enclosure = Enclosure(
        width=x.width_mm, height=x.height_mm, depth=x.depth_mm, mass_kg=x.mass_kg, holes=holes
    )
    worked = x.kind == "disconnect"
    return Box(x.id, x.label, x.kind, enclosure, ((x.label, x.mass_kg, 0.0),), worked=worked)


def stored_kwh(pack: Pack, kit: Kit) -> float:
    """kWh of one body of the bank: a pack, a stack or string of units, or all packs of a row of
    cabinets.
    """
    units = kit.packs if pack.cabinet else kit.series if pack.form in ("stack", "block") else 1
    return units * pack.v_nom * pack.capacity_ah / 1000


def bank_case(
    pack: Pack, kit: Kit
) -> tuple[Enclosure | None, tuple[tuple[str, float, float], ...]]:
    """(the case of one body of the bank, what is lifted). Stacks grow from their foot, cabinets
    stand in a row, cells in their rack.
    """
    own = pack.enclosure
    if pack.cabinet and pack.cabinet.enclosure:
        cab, row = pack.cabinet.enclosure, cabinets(pack, kit.packs)
        packs = ((f"{pack.model}, each", own.mass_kg, cab.height - own.height),) if own else ()
        mass = row * cab.mass_kg + (kit.packs * own.mass_kg if own else 0)
        holes = tuple(
            h.model_copy(update={"x": h.x + k * cab.width}) for k in range(row) for h in cab.holes
        )
        return cab.model_copy(update={"width": row * cab.width, "mass_kg": mass, "holes": holes}), (
            (f"empty {pack.cabinet.name}", cab.mass_kg, 0.0),
            *packs,
        )
    if own is None:
        return None, ()
    if pack.form == "stack" and pack.stack:
        s, towers = pack.stack, kit.towers
        high = math.ceil(kit.series / towers)
        height = s.foot + high * own.height + s.head
        width = towers * own.width + (towers - 1) * s.between
        mass = kit.series * own.mass_kg + s.head_kg + towers * s.foot_kg
        anti_tip = tuple(
            Hole(x=h.x + k * (own.width + s.between), y=height - s.head - (own.height - h.y))
            for k in range(towers)
            for h in own.holes
        )
        ways = tuple(
            w.model_copy(update={"at": height - s.head / 2} if w.side in ("left", "right") else {})
            for w in own.entries
        )
        whole = own.model_copy(
            update={
                "height": height,
                "width": width,
                "mass_kg": mass,
                "mount": "floor",
                "holes": anti_tip,
                "entries": ways,
                "display": height - s.head / 2,
            }
        )
        return whole, (
            ("module, each", own.mass_kg, height - s.head - own.height),
            ("control unit", s.head_kg, height - s.head),
            ("foot", s.foot_kg, 0.0),
        )
    if pack.form == "block" and pack.rack:
        r = pack.rack
        tiers = math.ceil(kit.series / (r.across * r.rows))
        size = {
            "width": r.across * own.width + 2 * r.around,
            "depth": r.rows * own.depth + 2 * r.around,
            "height": tiers * own.height + (tiers + 1) * r.around,
        }
        return own.model_copy(
            update={**size, "mass_kg": kit.series * own.mass_kg + r.own_kg, "mount": "floor"}
        ), (
            ("cell, each", own.mass_kg, (tiers - 1) * (own.height + r.around) + r.around),
            ("rack", r.own_kg, 0.0),
        )
    return own, ()


def spots(placed: dict[str, Spot], every: Sequence[Box]) -> tuple[Placed, ...]:
    """The boxes that have a place, at it."""
    return tuple(Placed(b, placed[b.id].x_mm, placed[b.id].y_mm) for b in every if b.id in placed)
