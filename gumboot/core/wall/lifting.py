"""Lifting a box from the floor to its hook: the revised NIOSH lifting equation. Waters,
Putz-Anderson and Garg, NIOSH 94-110 (1994).

RWL = 23 kg · HM · VM · DM · AM · FM · CM
    HM = 25/H            H: hands before the ankles, cm (25 at least)
    VM = 1 − 0.003|V−75| V: hands above the floor, cm
    DM = 0.82 + 4.5/D    D: up or down, cm (25 at least)
    AM = 1 − 0.0032 A    A: twist, degrees
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from gumboot.core.basis.figure import COMMON_PRACTICE, MEMORY, Figure, given, solve
from gumboot.core.kit.enclosure import People
from gumboot.core.plan import Wall
from gumboot.core.wall.bodies import Placed

NIOSH = "NIOSH 94-110, revised lifting equation"
Coupling = Literal["good", "fair", "poor"]
ABOVE_HOOK_MM = 50.0  # a box is lifted this far over its hook and let down: common practice
TEAM = 1.7  # two people lift 0.85 each of what one may: ISO 11228-1, from memory
RANK: dict[People, int] = {"one": 0, "two": 1, "lift table": 2}
FORMULA = (
    "23 * (25 / max(25, H)) * (1 - 0.003 * abs(V - 75)) * min(1, 0.82 + 4.5 / max(25, D)) * (1 -"
    " 0.0032 * A) * F * C"
)


def coupling(quality: Coupling, v_cm: float) -> float:
    """Coupling multiplier. NIOSH 94-110 Table 7, from memory."""
    return {"good": 1.0, "fair": 0.95 if v_cm < 75 else 1.0, "poor": 0.9}[quality]


def recommended(
    h_cm: float,
    v_cm: float,
    d_cm: float,
    a_deg: float = 0.0,
    f: float = 1.0,
    quality: Coupling = "fair",
    where: str = "",
) -> Figure:
    """Recommended weight limit in kg: 23 where everything is at its best, 0 where hands are too far
    or too high.

    >>> round(recommended(25, 75, 25, quality="good").n, 6)
    23.0
    """
    if h_cm > 63 or not 0 <= v_cm <= 175 or d_cm > 175:
        return given(
            "RWL",
            0.0,
            "kg",
            f"Recommended weight limit{where}",
            NIOSH,
            assumption="beyond 63 cm out or 175 cm up the equation gives nothing",
        )
    parts = (
        given("H", h_cm, "cm", "Hands before the ankles", "the wall's reach"),
        given("V", v_cm, "cm", "Hands above the floor", "the wall"),
        given("D", d_cm, "cm", "Up or down", "the wall"),
        given("A", a_deg, "°", "Twist", COMMON_PRACTICE),
        given("F", f, "", "Frequency, one lift in a while", NIOSH),
        given("C", coupling(quality, v_cm), "", f"Grip, {quality}", NIOSH),
    )
    return solve(
        "RWL", "kg", f"Recommended weight limit{where}", FORMULA, *parts, source=NIOSH, doubt=MEMORY
    )


@dataclass(frozen=True, slots=True)
class Lift:
    """One lift: what, kg, the lower of both limits, the lifting index, and who does it."""

    box: str
    what: str
    mass_kg: float
    to_mm: float
    limit: Figure
    index: Figure
    people: People
    why: str


def reach_cm(p: Placed, wall: Wall, v_cm: float) -> float:
    """Hands before the ankles: as typed with the wall, else 20 cm and half the depth of the load,
    25 cm where hands are below 25 cm. NIOSH 94-110.
    """
    return (
        wall.reach_mm / 10
        if wall.reach_mm is not None
        else (20 if v_cm >= 25 else 25) + p.box.enclosure.depth / 20
    )


def lifts_of(p: Placed, wall: Wall) -> list[Lift]:
    """Every lift of one box, from the floor to where it hangs."""
    return [] if p.box.there else [lift(p, wall, what, mass, up) for what, mass, up in p.box.lifts]


def lift(p: Placed, wall: Wall, what: str, mass: float, up_mm: float) -> Lift:
    """One lift judged at both its ends; the sheet's own demand where it is stronger."""
    whole = len(p.box.lifts) == 1
    grip = p.box.enclosure.grip / 10 if whole else 0.0
    to = p.y + up_mm + (ABOVE_HOOK_MM if whole and p.box.enclosure.mount == "wall" else 0.0)
    v, d = grip + to / 10, to / 10
    start = recommended(reach_cm(p, wall, grip), grip, d, where=", from the floor")
    stop = recommended(reach_cm(p, wall, v), v, d, where=", at its place")
    limit = min((start, stop), key=lambda f: f.n)
    load = given("m", mass, "kg", what, "sheet")
    index = (
        solve("LI", "", "Lifting index", "m / RWL", load, limit, source=NIOSH)
        if limit.n > 0
        else given("LI", 99.0, "", "Lifting index", NIOSH, assumption="beyond the equation")
    )
    people: People = "one" if index.n <= 1 else "two" if index.n <= TEAM else "lift table"
    why = f"index {index.n:.2g}"
    if whole and RANK[p.box.enclosure.people] > RANK[people]:
        people, why = p.box.enclosure.people, "its sheet asks for it"
    return Lift(p.box.id, what, mass, to, limit, index, people, why)
