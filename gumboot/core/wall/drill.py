"""The drill sheet: every hole in the order it is drilled, from two datums; and the order in which
things are hung.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from gumboot.core.basis.words import inside
from gumboot.core.wall.bodies import Placed
from gumboot.core.wall.fixing import Hole
from gumboot.core.wall.hang import WallDesign

LEVEL_MM = 1000.0  # the level line of the trade, above the finished floor


@dataclass(frozen=True, slots=True)
class Drill:
    """One line of the sheet. x from the left corner datum, y from the floor, up: from the level
    line; mm.
    """

    number: int
    hole: Hole
    label: str
    x: float
    y: float
    up: float


def drill_sheet(w: WallDesign) -> tuple[Drill, ...]:
    """Rails first, then each box in the order it is hung; a bracket's holes from the upper left.
    Holes that hold nothing are left out.
    """
    by = {p.box.id: p for p in w.scene.placed}
    order = [p.box.id for p in hanging_order(w.scene.placed)]
    rows = [(f"Rail {h.box.removeprefix('rail-')}", h) for h in w.rails]
    for box in order:
        held = next((h for h in w.fixings if h.box == box), None)
        if held:
            rows += [
                (by[box].box.label, h)
                for h in sorted(held.holes, key=lambda h: (-h.y, h.x))
                if h.holds
            ]
    return tuple(
        Drill(n, h, label, h.x, h.y, round(h.y - LEVEL_MM, 1))
        for n, (label, h) in enumerate(rows, 1)
    )


def hanging_order(placed: Sequence[Placed]) -> list[Placed]:
    """Troughs and conduit bodies before the boxes they enter, then what stands on the floor, then
    from low to high.
    """
    rank = {"trough": 0, "dc-bus": 2}
    new = [p for p in placed if not p.box.there]
    return sorted(
        new,
        key=lambda p: (
            rank.get(str(p.box.role), 3 if p.box.enclosure.mount == "wall" else 1),
            p.y,
            p.x,
        ),
    )


def steps(w: WallDesign) -> tuple[str, ...]:
    """The work on one wall in words, in order."""
    wall, mm = w.scene.wall, w.scene.mm
    out = [
        (
            "Sweep the wall with a detector, both ways, and mark what lies behind."
            if not wall.swept
            else "Sweep once more where you drill: pipes and cables are marked on the sheet."
        ),
        (
            f"Mark the level line {mm(LEVEL_MM)} above the floor with a laser or a water level, and"
            " a plumb line at the left edge: both are the datums."
        ),
    ]
    if wall.made.endswith("studs"):
        out.append(
            "Find the studs, check their middle with a fine bit, and move the first stud in the"
            " plan if it is elsewhere."
        )
    boards = [b for b in wall.backing if b.material != "rail"]
    if boards:
        out.append(
            f"Fix {len(boards)} board{'s' if len(boards) > 1 else ''} of {boards[0].material}."
        )
    if w.rails:
        out.append(f"Fix the rails with {len(w.rails)} screws, level.")
    for p in hanging_order(w.scene.placed):
        who = next((x.people for x in w.lifts if x.box == p.box.id and x.people != "one"), "one")
        by = {"one": "", "two": " with two people", "lift table": " with a lift table or hoist"}[
            who
        ]
        held = next((h for h in w.fixings if h.box == p.box.id), None)
        n = sum(h.holds for h in held.holes) if held else 0
        if p.box.role == "trough":
            out.append(f"Fix {inside(p.box.label)}, level, with its hubs in place.")
        elif p.box.enclosure.mount == "floor":
            grow = "build it from the foot up" if len(p.box.lifts) > 1 else "put it down"
            then = f", then fix its bracket against tipping with {n} screws" if n else ""
            out.append(f"{p.box.label}: level its feet, {grow}{by}{then}.")
        else:
            out.append(
                f"{p.box.label}: drill {n}, fix the bracket, check that it is level within 2 mm in"
                f" 1 m, fit the conduit hubs it needs from behind, hang it{by}, lock it to the"
                " bracket."
            )
    out.append("Tug every box, and look at each hook from the side.")
    return tuple(out)
