"""Up to three layouts of one wall, or the rule that stands in the way."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from gumboot.core.kit import Catalogue
from gumboot.core.network import Circuit
from gumboot.core.plan import Plan
from gumboot.core.wall.arrange.job import RULES, Job
from gumboot.core.wall.arrange.layout import Arrangement, described
from gumboot.core.wall.bodies import Box, Placed
from gumboot.core.wall.routes import MOST_BENDS

SECONDS = 0.75  # for each of three layouts
SPARE = 2  # tries more than layouts wanted, where some have a conduit of too many bends


@dataclass(frozen=True, slots=True)
class Arranged:
    """Up to three layouts, best first; or the rules each of which alone stands in the way, in
    words.
    """

    best: tuple[Arrangement, ...]
    blocked_by: tuple[str, ...] = ()
    why: str = ""


def arrange(
    plan: Plan,
    index: int,
    every: Sequence[Box],
    circuits: Sequence[Circuit],
    catalogue: Catalogue,
    seconds: float = SECONDS,
    most: int = 3,
) -> Arranged:
    """Layouts of one wall for all boxes that stand on no other wall; what hung before stays where
    it is.
    """
    wall = plan.walls[index]
    elsewhere = {b for i, w in enumerate(plan.walls) if i != index for b in w.placed}
    fixed = [
        Placed(b, wall.placed[b.id].x_mm, wall.placed[b.id].y_mm)
        for b in every
        if b.there and b.id in wall.placed
    ]
    free = [
        b
        for b in every
        if b.id not in elsewhere
        and not b.there
        and not (b.role == "trough" and b.id not in {x.id for x in wall.extras})
    ]
    if not free:
        return Arranged((), (), "There is nothing to arrange on this wall.")
    job = Job(plan, wall, free, fixed, circuits, catalogue)
    found: list[tuple[float, dict[str, tuple[int, int]]]] = []
    good: list[tuple[float, Arrangement]] = []
    poor: list[tuple[float, Arrangement]] = []
    while len(good) < most and len(found) < most + SPARE:
        at = job.solve([x for _, x in found], (), seconds)
        if at is None:
            break
        found.append(at)
        layout = described(job, at[1])
        (poor if layout.bends > MOST_BENDS else good).append((at[0], layout))
    if found:
        best = sorted(good or poor[:most], key=lambda f: f[0])
        return Arranged(tuple(x for _, x in best))
    if wide := next(
        (
            b
            for b in free
            if job.bound(b).right < job.bound(b).left or job.bound(b).top < job.bound(b).bottom
        ),
        None,
    ):
        return Arranged(
            (), (RULES["edge"],), f"{wide.label} with its room does not go onto this wall."
        )
    blocks = tuple(
        words
        for rule, words in RULES.items()
        if job.solve([], (rule,), seconds / 2, any_will_do=True) is not None
    )
    return Arranged(
        (),
        blocks,
        (
            ""
            if blocks
            else "More than one rule stands in the way: the wall is too small for all of it."
        ),
    )
