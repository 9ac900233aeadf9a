"""A layout as it is proposed: places, boards, rails and figures."""

from __future__ import annotations

import itertools
from collections.abc import Sequence
from dataclasses import dataclass

from gumboot.core.plan import Backing, Spot
from gumboot.core.size.raceways import ENCLOSED
from gumboot.core.wall.arrange.job import GRID_MM, Job, replace_placed
from gumboot.core.wall.bodies import Placed
from gumboot.core.wall.fixing import hold, rails_behind
from gumboot.core.wall.gaps import (
    HIDDEN,
    Wanted,
    between,
    from_neighbour,
    gaps,
    rect_of_neighbour,
    short,
)
from gumboot.core.wall.rect import Rect
from gumboot.core.wall.routes import route, wants
from gumboot.core.wall.rules import (
    MOST_BACKING,
    Scene,
    board_behind,
    combustible,
    growing,
    rect_of_backing,
)


@dataclass(frozen=True, slots=True)
class Arrangement:
    """One layout: places, boards and rails it wants, and its figures. battery_m: all battery
    cables; margin_mm: the least that any gap has to spare; bends: the most turns of any conduit.
    """

    placed: dict[str, Spot]
    backing: tuple[Backing, ...]
    battery_m: float
    cables_m: float
    holes: int
    on_studs: int
    margin_mm: float
    eye_off_mm: float
    grows: bool
    bends: int


def on_backing(b: Backing, x: float, y: float) -> bool:
    r = rect_of_backing(b)
    return r.left <= x <= r.right and r.bottom <= y <= r.top


def merged(boards: list[Backing]) -> list[Backing]:
    """Boards that lie over each other as one that covers both."""
    out: list[Backing] = []
    for b in boards:
        r = rect_of_backing(b)
        while over := next(
            (o for o in out if short(rect_of_backing(o), r, Wanted(0, 0, 0, 0, "")) > 0), None
        ):
            out.remove(over)
            o = rect_of_backing(over)
            r = Rect(
                min(r.left, o.left),
                min(r.bottom, o.bottom),
                max(r.right, o.right),
                max(r.top, o.top),
            )
        out.append(
            b.model_copy(
                update={
                    "x_mm": r.left,
                    "y_mm": r.bottom,
                    "width_mm": r.right - r.left,
                    "height_mm": r.top - r.bottom,
                }
            )
        )
    return out


def described(job: Job, at: dict[str, tuple[int, int]]) -> Arrangement:
    """A layout with its boards, rails and figures."""
    placed = [
        Placed(b, float(at[b.id][0] * GRID_MM), float(at[b.id][1] * GRID_MM)) for b in job.free
    ]
    boards = [b for b in job.wall.backing if b.material != "rail"]
    if combustible(job.wall):
        boards = merged(
            [b for p in placed if not p.box.enclosure.on_wood and (b := board_behind(job.wall, p))]
        )
    drilled = [p.hole(h) for p in placed for h in p.box.enclosure.holes]
    serve = [
        b
        for b in job.wall.backing
        if b.material == "rail" and any(on_backing(b, x, y) for x, y in drilled)
    ]
    backing = boards + merged(
        serve + [r for p in placed if job.held_at(p.box) == [] for r in rails_behind(job.wall, p)]
    )
    wall = job.wall.model_copy(update={"backing": tuple(backing[:MOST_BACKING])})
    everything = [*placed, *job.fixed]
    ways = route(wall, everything, wants(everything, job.circuits, ()))
    battery = {c.id for c in job.circuits if c.system == "dc"}
    conduit = {c.id for c in job.circuits if c.run and c.run.method in ENCLOSED}
    held = [hold(p, wall, job.catalogue) for p in placed]
    eyes = [
        abs(p.y + p.box.enclosure.display - wall.eye_mm)
        for p in placed
        if p.box.enclosure.display is not None and p.box.role == "inverter"
    ]
    return Arrangement(
        {p.box.id: Spot(x_mm=p.x, y_mm=p.y) for p in placed},
        wall.backing,
        sum(r.length.n for r in ways if r.want.id in battery),
        sum(r.length.n for r in ways),
        sum(len(h.holes) for h in held),
        sum(x.meets in ("stud", "rail") for h in held for x in h.holes),
        _margin(job, placed),
        max(eyes, default=0.0),
        _grows(job, placed),
        max((r.bends for r in ways if r.want.id in conduit), default=0),
    )


def _margin(job: Job, placed: Sequence[Placed]) -> float:
    """The least that any gap has beyond what is needed."""
    slack = []
    for a, b in itertools.combinations([*placed, *job.fixed], 2):
        if not (a.box.there and b.box.there):
            want, g = between(a.box, b.box, job.plan), gaps(a.rect, b.rect)
            slack.append(max(g[s] - getattr(want, s) for s in g))
    for p in placed:
        for n in job.wall.neighbours:
            if n.kind not in HIDDEN:
                want, g = (
                    from_neighbour(p.box, n, job.plan),
                    gaps(p.rect, rect_of_neighbour(n)),
                )
                slack.append(max(g[s] - getattr(want, s) for s in g))
    return round(min(slack, default=0.0), 1)


def _grows(job: Job, placed: Sequence[Placed]) -> bool:
    here = Scene(job.plan, 0, replace_placed(job.wall, placed, job.fixed), (*placed, *job.fixed))
    return not any(growing(here))
