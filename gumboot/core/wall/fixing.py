"""What holds a box: where its holes land, what each meets, which anchor, and how far each is from
failing.

Statics of one hanging box, its weight W at half its depth from the wall, turning about its lower
edge:

    wall ║ ·── hole, h above the lower edge     V = W / n              sheared, each hole that holds
         ║ ·                                    T = W·e·h / Σh²        pulled, e: half the depth
         ║ └──┐                                 k = 1 / (T/T_u + V/V_u)
    pivot║    ▼ W                               at least 4 (common practice)
"""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from typing import Literal

from gumboot.core.basis.figure import COMMON_PRACTICE, Figure, given, solve
from gumboot.core.basis.finding import Cure, Finding, note, stop
from gumboot.core.kit import Anchor, Catalogue, Ground
from gumboot.core.plan import Backing, Neighbour, Wall
from gumboot.core.wall.bodies import Placed
from gumboot.core.wall.gaps import HIDDEN, rect_of_neighbour
from gumboot.core.wall.rules import MOST_BACKING, Scene, backing_change, bounds

G_MS2 = 9.81
FACTOR = 4.0  # common practice
EDGE_MM = 12.0  # a screw this far from the edge of a stud: common practice
SAFE_MM = 50.0  # a bit this far from what is hidden: common practice
# a bracket against tipping holds a quarter of the weight, pushed at the middle of its height:
# common practice
TIP_SHARE = 0.25
RAIL_MM = 41.0  # a common strut profile
LIGHT_KG = 15.0  # what a wooden lining may hold: common practice
BOARD_LEAST_MM = 12.0  # of wood that holds a screw: common practice
Meets = Literal["stud", "masonry", "rail", "wood", "lining"]


@dataclass(frozen=True, slots=True)
class Hole:
    """One hole to drill: where, what it meets, which anchor and how deep, and the termination it
    holds.
    Millimetres from the left edge and the floor.
    """

    id: str
    box: str
    x: float
    y: float
    meets: Meets
    ground: Ground | None
    anchor: Anchor | None
    holds: bool


@dataclass(frozen=True, slots=True)
class Fixing:
    """A box and its holes; the worst hole's pull, shear and factor, where any holds."""

    box: str
    holes: tuple[Hole, ...]
    pull: Figure | None
    shear: Figure | None
    factor: Figure | None


def studs(wall: Wall) -> list[float]:
    """The middle of every stud from the left, in mm; none in masonry."""
    if not wall.made.endswith("studs"):
        return []
    first = wall.stud_first_mm % wall.stud_pitch_mm
    count = int((wall.width_mm - first) // wall.stud_pitch_mm) + 1
    return [round(first + k * wall.stud_pitch_mm, 2) for k in range(max(0, count))]


def on_stud(wall: Wall, x: float) -> bool:
    """Whether a screw at x finds a stud with enough timber or steel beside it."""
    if not wall.made.endswith("studs"):
        return False
    first = wall.stud_first_mm % wall.stud_pitch_mm
    stud = first + wall.stud_pitch_mm * round((x - first) / wall.stud_pitch_mm)
    return 0 <= stud <= wall.width_mm and abs(x - stud) <= wall.stud_width_mm / 2 - EDGE_MM + 0.01


def meets(wall: Wall, x: float, y: float) -> tuple[Meets, Ground | None]:
    """What a bit meets at a place."""
    if any(
        b.material == "rail"
        and b.x_mm - 0.1 <= x <= b.x_mm + b.width_mm + 0.1
        and b.y_mm - 0.1 <= y <= b.y_mm + b.height_mm + 0.1
        for b in wall.backing
    ):
        return "rail", "rail"
    if wall.made == "timber studs" or wall.made == "steel studs":
        if on_stud(wall, x):
            return "stud", "timber stud" if wall.made == "timber studs" else "steel stud"
        return (
            ("wood", "wood board")
            if wall.lining == "wood" and wall.lining_mm >= BOARD_LEAST_MM
            else ("lining", None)
        )
    return "masonry", wall.made


def anchor_for(ground: Ground | None, catalogue: Catalogue, wished: str | None) -> Anchor | None:
    """The crew's anchor where it suits the ground, else the first of the catalogue that does."""
    fit = [a for a in catalogue.anchors if ground in a.grounds]
    return next((a for a in fit if a.id == wished), fit[0] if fit else None)


def hold(p: Placed, wall: Wall, catalogue: Catalogue) -> Fixing:
    """The holes of one box and how they hold it."""
    rows = []
    for i, h in enumerate(p.box.enclosure.holes, 1):
        x, y = p.hole(h)
        what, ground = meets(wall, x, y)
        anchor = anchor_for(ground, catalogue, wall.anchor)
        rows.append(
            Hole(
                f"{p.box.id}.{i}",
                p.box.id,
                round(x, 1),
                round(y, 1),
                what,
                ground,
                anchor,
                anchor is not None and (what != "wood" or p.box.enclosure.mass_kg <= LIGHT_KG),
            )
        )
    return Fixing(p.box.id, tuple(rows), *load(p, [h for h in rows if h.holds]))


def load(p: Placed, holding: Sequence[Hole]) -> tuple[Figure | None, Figure | None, Figure | None]:
    """(pull, shear, factor) of the hole that is nearest to failing, N; Nones where nothing
    holds.
    """
    if not holding:
        return None, None, None
    c = p.box.enclosure
    m, g, n = (
        given("m", c.mass_kg, "kg", "Mass", "sheet"),
        given("g", G_MS2, "m/s²", "Gravity", "definition"),
        given("n", len(holding), "", "Holes that hold", "Wall"),
    )
    levers = [max(1.0, h.y - p.y) / 1000 for h in holding]
    if c.mount == "wall":
        e = given("e", c.depth / 2000, "m", "Half the depth", "sheet")
        s2 = given(
            "S",
            round(sum(x * x for x in levers), 6),
            "m²",
            "Sum of the squares of all heights of holes",
            "Wall",
        )
        shear = solve("V", "N", "Sheared, each hole", "m * g / n", m, g, n, source="statics")
    else:
        push, high = (
            given("q", TIP_SHARE, "", "Push against tipping, of the weight", COMMON_PRACTICE),
            given("z", c.height / 2000, "m", "Middle of its height", "sheet"),
        )
        s2 = given(
            "S",
            round(sum(x * x for x in levers), 6),
            "m²",
            "Sum of the squares of all heights of holes",
            "Wall",
        )
        shear = given("V", 0.0, "N", "Sheared: the floor carries it", "Wall")
    share = (
        m.n * G_MS2 * (c.depth / 2000 if c.mount == "wall" else TIP_SHARE * c.height / 2000) / s2.n
    )
    pairs = [(h.anchor, x) for h, x in zip(holding, levers, strict=True) if h.anchor]
    anchor, lever = max(pairs, key=lambda a: share * a[1] / a[0].tension_n + shear.n / a[0].shear_n)
    arm = given("h", round(lever, 4), "m", "Height of the hole above the lower edge", "Wall")
    if c.mount == "wall":
        pull = solve(
            "T",
            "N",
            "Pulled, the worst hole",
            "m * g * e * h / S",
            m,
            g,
            e,
            arm,
            s2,
            source="statics",
        )
    else:
        pull = solve(
            "T",
            "N",
            "Pulled, the worst hole",
            "q * m * g * z * h / S",
            push,
            m,
            g,
            high,
            arm,
            s2,
            source="statics",
        )
    t_u = given("T_u", anchor.tension_n, "N", f"{anchor.label}, pulled out at", anchor.source)
    v_u = given("V_u", anchor.shear_n, "N", f"{anchor.label}, sheared off at", anchor.source)
    return (
        pull,
        shear,
        solve(
            "k",
            "",
            "Factor below failing",
            "1 / (T / T_u + V / V_u)",
            pull,
            t_u,
            shear,
            v_u,
            source=COMMON_PRACTICE,
        ),
    )


def rail_screws(wall: Wall, catalogue: Catalogue) -> tuple[Hole, ...]:
    """Where rails are screwed to the studs they cross, or every 400 mm to masonry."""
    out = []
    for i, b in enumerate(wall.backing):
        if b.material != "rail":
            continue
        at = [x for x in studs(wall) if b.x_mm + 10 <= x <= b.x_mm + b.width_mm - 10]
        if not wall.made.endswith("studs"):
            count = max(2, math.ceil((b.width_mm - 60) / 400) + 1)
            at = [b.x_mm + 30 + k * (b.width_mm - 60) / (count - 1) for k in range(count)]
        ground: Ground = (
            "timber stud"
            if wall.made == "timber studs"
            else "steel stud"
            if wall.made == "steel studs"
            else wall.made
        )
        anchor = anchor_for(ground, catalogue, None)
        out += [
            Hole(
                f"rail-{wall.id}{i + 1}.{k}",
                f"rail-{wall.id}{i + 1}",
                round(x, 1),
                round(b.y_mm + b.height_mm / 2, 1),
                "stud" if at and wall.made.endswith("studs") else "masonry",
                ground,
                anchor,
                True,
            )
            for k, x in enumerate(at, 1)
        ]
    return tuple(out)


def well_held(h: Fixing, p: Placed) -> bool:
    """Four times its load at least; and where some holes meet lining alone, two others beside each
    other.
    """
    holding = [x for x in h.holes if x.holds]
    if h.factor is None or h.factor.n < FACTOR:
        return False
    wide = max(x.x for x in holding) - min(x.x for x in holding)
    return (
        p.box.enclosure.mount == "floor"
        or len(holding) == len(h.holes)
        or (len(holding) > 1 and (wide >= 1 or p.box.enclosure.width <= 300))
    )


def fixing_findings(s: Scene, held: Sequence[Fixing], catalogue: Catalogue) -> Iterator[Finding]:
    """Lining alone, too few holes that hold, a factor under four, a mass without anchors, a bit
    into something hidden.
    """
    by = {p.box.id: p for p in s.placed}
    for h in held:
        p = by[h.box]
        if p.box.there or p.box.role == "trough":
            continue
        if not h.holes:
            if p.box.enclosure.mount == "wall":
                says = (
                    f"{p.box.label}, {p.box.enclosure.mass_kg:g} kg, has no holes on its sheet:"
                    " nothing says what holds it."
                )
                yield stop(
                    s.key("no-holes", h.box),
                    s.place,
                    says,
                    "catalogue",
                    Cure("Enter its bracket on the shelf from the maker's drawing"),
                )
            continue
        holding = [x for x in h.holes if x.holds]
        k = h.factor.n if h.factor else 0.0
        if not well_held(h, p):
            yield stop(
                s.key("hold", h.box),
                s.place,
                _weak(p, h, holding, k),
                COMMON_PRACTICE,
                *_firmer(s, p, catalogue),
                figures=(h.factor,) if h.factor else (),
            )
        elif len(holding) < len(h.holes):
            spare = len(h.holes) - len(holding)
            yield note(
                s.key("spare", h.box),
                s.place,
                f"{spare} of {len(h.holes)} holes of {p.box.label} meet lining alone: leave them."
                f" The others hold it {k:.3g} times.",
                COMMON_PRACTICE,
                Cure("Screw the others only"),
            )
    yield from _rails_held(s, catalogue)
    for i, n in enumerate(s.wall.neighbours):
        if n.kind not in HIDDEN:
            continue
        hit = [x for h in held for x in h.holes if _strikes(x, n)]
        if hit:
            p = by[hit[0].box]
            says = (
                f"{len(hit)} hole{'s' if len(hit) > 1 else ''} of {p.box.label} would come within"
                f" {s.mm(SAFE_MM)} of the {n.kind}."
            )
            cures = tuple(
                c
                for x in _beside(s, p, n)
                for c in [s.to(p, x, p.y, f"Move {p.box.label} to {s.mm(x)}")]
            )
            yield stop(
                s.key("strikes", hit[0].box, str(i)),
                s.place,
                says,
                COMMON_PRACTICE,
                *cures[:1] or (Cure("Move it, and sweep again"),),
            )


def _weak(p: Placed, h: Fixing, holding: Sequence[Hole], k: float) -> str:
    if not holding:
        return (
            f"Every hole of {p.box.label}, {p.box.enclosure.mass_kg:g} kg, meets lining alone:"
            " nothing holds it."
        )
    if k < FACTOR:
        return (
            f"{p.box.label}, {p.box.enclosure.mass_kg:g} kg, on {len(holding)} of {len(h.holes)}"
            f" holes: they hold {k:.3g} times its load; {FACTOR:g} are needed."
        )
    return (
        f"{p.box.label}: only {len(holding)} of {len(h.holes)} holes hold, one above the other; the"
        " rest meet lining alone."
    )


def _firmer(s: Scene, p: Placed, catalogue: Catalogue) -> tuple[Cure, ...]:
    """Cures of a weak hold: the nearest place where more holes meet studs, and rails across the
    studs.
    """
    if not s.wall.made.endswith("studs"):
        return (Cure("Choose a stronger anchor for this wall"),)
    out = []
    b, bare = bounds(s.wall, p), s.wall.model_copy(update={"backing": ()})
    tries = {round(stud - h.x, 1) for stud in studs(s.wall) for h in p.box.enclosure.holes}
    for x in sorted(
        (x for x in tries if b.left - 0.5 <= x <= b.right + 0.5), key=lambda x: abs(x - p.x)
    ):
        there = Placed(p.box, x, p.y)
        held = hold(there, bare, catalogue)
        if well_held(held, there):
            out.append(
                s.to(
                    p,
                    x,
                    p.y,
                    f"Move it to {s.mm(x)}: {sum(h.meets == 'stud' for h in held.holes)} holes meet"
                    " studs",
                )
            )
            break
    rails = rails_behind(s.wall, p)
    if rails and rails[0].width_mm > RAIL_MM and len(s.wall.backing) + len(rails) <= MOST_BACKING:
        out.append(
            Cure(
                f"Plan {len(rails)} rail{'s' if len(rails) > 1 else ''} across the studs behind its"
                " holes",
                backing_change(s, *rails),
            )
        )
    return tuple(out) or (Cure("Choose another wall"),)


def rails_behind(wall: Wall, p: Placed) -> list[Backing]:
    """A rail for each row of a box's holes, from the stud before them to the one after."""
    left, right = rail_span(wall, p)
    rows = sorted({round(p.y + h.y, 1) for h in p.box.enclosure.holes})
    return [
        Backing(
            material="rail",
            x_mm=left,
            y_mm=round(y - RAIL_MM / 2, 1),
            width_mm=round(right - left, 1),
            height_mm=RAIL_MM,
        )
        for y in rows
    ]


def rail_span(wall: Wall, p: Placed) -> tuple[float, float]:
    """From the stud before a box's first hole to the one after its last, and 50 mm more."""
    xs = [p.x + h.x for h in p.box.enclosure.holes]
    before = [t for t in studs(wall) if t <= min(xs)]
    after = [t for t in studs(wall) if t >= max(xs)]
    left = max(0.0, (before[-1] if before else 50.0) - 50)
    right = min(wall.width_mm, (after[0] if after else wall.width_mm - 50) + 50)
    return round(left, 1), round(right, 1)


def _rails_held(s: Scene, catalogue: Catalogue) -> Iterator[Finding]:
    """Every rail crosses two studs at least."""
    screws = rail_screws(s.wall, catalogue)
    for i, b in enumerate(s.wall.backing):
        if b.material == "rail" and sum(h.box == f"rail-{s.wall.id}{i + 1}" for h in screws) < 2:
            yield stop(
                s.key("rail", str(i + 1)),
                s.place,
                f"Rail {i + 1} of wall {s.wall.id} crosses fewer than two studs.",
                COMMON_PRACTICE,
                Cure("Make it longer, or move it"),
            )


def _strikes(h: Hole, n: Neighbour) -> bool:
    r = rect_of_neighbour(n)
    return r.left - SAFE_MM < h.x < r.right + SAFE_MM and r.bottom - SAFE_MM < h.y < r.top + SAFE_MM


def _beside(s: Scene, p: Placed, n: Neighbour) -> list[float]:
    """Places to the left and right where no hole strikes, nearest first."""
    b, r = bounds(s.wall, p), rect_of_neighbour(n)
    xs = [h.x for h in p.box.enclosure.holes]
    tries = [r.right + SAFE_MM - o for o in xs] + [r.left - SAFE_MM - o for o in xs]
    clear = [
        x
        for x in tries
        if b.left <= x <= b.right
        and all(not (r.left - SAFE_MM < x + o < r.right + SAFE_MM) for o in xs)
    ]
    return sorted((round(x, 1) for x in clear), key=lambda x: abs(x - p.x))
