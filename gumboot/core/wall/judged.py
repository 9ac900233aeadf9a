"""The chapter of Wall that comes after sizing: what is wrong with where things hang."""

from __future__ import annotations

from gumboot.core.basis.finding import Finding
from gumboot.core.chapter import Chapter, Draft
from gumboot.core.size.chapters import RACEWAYS
from gumboot.core.wall.chapters import BOXES, HUNG
from gumboot.core.wall.hang import wall_findings


def _judged(d: Draft) -> tuple[Finding, ...]:
    walls, every, (raceways, _) = d[HUNG], d[BOXES], d[RACEWAYS]
    return tuple(wall_findings(walls, every, raceways, d.catalogue))


WALL: Chapter[tuple[Finding, ...]] = Chapter(
    "wall",
    _judged,
    reads=("walls", "spacing", "site", "units", "code"),
    requires=(BOXES, HUNG, RACEWAYS),
    findings=lambda found, d: found,
    station="wall",
)
