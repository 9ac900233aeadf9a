"""The chapter of Wall that comes after sizing: what is wrong with where things hang."""

from __future__ import annotations

from gumboot.core.basis.finding import Finding
from gumboot.core.brief.chapters import KIT
from gumboot.core.chapter import Chapter, Draft
from gumboot.core.size.chapters import RACEWAYS
from gumboot.core.wall.chapters import HUNG
from gumboot.core.wall.hang import wall_findings


def _judged(d: Draft) -> tuple[Finding, ...]:
    hung = d[HUNG]
    return tuple(wall_findings(hung.walls, hung.boxes, d[RACEWAYS][0], d.catalogue))


WALL: Chapter[tuple[Finding, ...]] = Chapter(
    "wall",
    _judged,
    reads=("walls", "spacing", "site", "units", "code"),
    requires=(KIT, HUNG, RACEWAYS),
    findings=lambda found, d: found,
)
