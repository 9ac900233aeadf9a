"""Every rule of one wall."""

from __future__ import annotations

from gumboot.core.basis.finding import Finding
from gumboot.core.wall.rules.backing import on_wood
from gumboot.core.wall.rules.growing import growing
from gumboot.core.wall.rules.near import (
    neighbours_near,
    on_the_wall,
    too_far,
    too_near,
    wall_findings,
)
from gumboot.core.wall.rules.scene import Scene
from gumboot.core.wall.rules.weather import noise, weather
from gumboot.core.wall.rules.working import heights, working_space


def judge(scene: Scene) -> list[Finding]:
    """Every rule of one wall."""
    rules = (
        wall_findings,
        on_the_wall,
        too_near,
        neighbours_near,
        too_far,
        on_wood,
        heights,
        working_space,
        weather,
        growing,
        noise,
    )
    return [f for rule in rules for f in rule(scene)]
