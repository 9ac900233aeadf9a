"""What was drilled against what was planned: how far each box hangs from its place, and the change
that takes it into the plan.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from gumboot.core.journal.log import Entry
from gumboot.core.wall.bodies import Placed
from gumboot.core.wall.drill import Drill
from gumboot.core.wall.hang import WallDesign

SLOT_MM = 3.0  # what the slots of a bracket forgive: common practice


@dataclass(frozen=True, slots=True)
class Hung:
    """A box as it came to hang: mm to the right of its place and above it, by the holes that were
    drilled; how many they are.
    """

    box: str
    right: float
    up: float
    holes: int
    crooked: float

    @property
    def off(self) -> bool:
        """Whether it hangs elsewhere than planned."""
        return max(abs(self.right), abs(self.up)) >= 0.5


def drilled_off(d: Drill, entry: Entry) -> tuple[float, float]:
    """How far right of and above its place a hole was drilled, mm."""
    return round(float(entry.body["x_mm"]) - d.x, 1), round(float(entry.body["y_mm"]) - d.y, 1)


def hung(w: WallDesign, rows: tuple[Drill, ...], drilled: Mapping[str, Entry]) -> tuple[Hung, ...]:
    """Each box that has a hole drilled; crooked is how far its holes differ among themselves."""
    out = []
    for p in w.scene.placed:
        offs = [
            drilled_off(d, drilled[d.hole.id])
            for d in rows
            if d.hole.box == p.box.id and d.hole.id in drilled
        ]
        if offs:
            rights, ups = [o[0] for o in offs], [o[1] for o in offs]
            crooked = max(max(rights) - min(rights), max(ups) - min(ups))
            out.append(
                Hung(
                    p.box.id,
                    round(sum(rights) / len(offs), 1),
                    round(sum(ups) / len(offs), 1),
                    len(offs),
                    round(crooked, 1),
                )
            )
    return tuple(out)


def as_it_hangs(p: Placed, h: Hung) -> tuple[float, float]:
    """Where a box is, mm from the left edge and the floor."""
    return round(p.x + h.right, 1), round(p.y + h.up, 1)
