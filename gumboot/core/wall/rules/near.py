"""What is off the wall, too near, or too far."""

from __future__ import annotations

import itertools
from collections.abc import Iterator

from gumboot.core.basis.figure import COMMON_PRACTICE
from gumboot.core.basis.finding import Asked, Cure, Finding, check, duty, stop
from gumboot.core.kit.enclosure import Side
from gumboot.core.wall.bodies import Placed
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
from gumboot.core.wall.rules.scene import Scene, bounds

SIDE_WORDS: dict[Side, str] = {
    "left": "to the left",
    "right": "to the right",
    "top": "above",
    "bottom": "below",
}


def wall_findings(s: Scene) -> Iterator[Finding]:
    """What is wrong with the wall as it was described."""
    for (i, a), (j, b) in itertools.combinations(enumerate(s.wall.neighbours), 2):
        if a.kind in HIDDEN or b.kind in HIDDEN:
            continue
        if short(rect_of_neighbour(a), rect_of_neighbour(b), Wanted(0, 0, 0, 0, "")) > 0.5:
            says = (
                f"The {a.kind} and the {b.kind} of wall {s.wall.id} lie over each other: one of"
                " them is described wrongly."
            )
            yield check(
                s.key("described", str(i), str(j)),
                s.place,
                says,
                "plan",
                Cure("Measure them again, and type what the tape says"),
            )
    for i, n in enumerate(s.wall.neighbours):
        r = rect_of_neighbour(n)
        if (
            r.left < -0.5
            or r.bottom < -0.5
            or r.right > s.wall.width_mm + 0.5
            or r.top > s.wall.height_mm + 0.5
        ):
            says = (
                f"The {n.kind} reaches beyond wall {s.wall.id}, which is {s.mm(s.wall.width_mm)} by"
                f" {s.mm(s.wall.height_mm)}."
            )
            yield check(
                s.key("described", str(i)),
                s.place,
                says,
                "plan",
                Cure("Measure it again, and type what the tape says"),
            )
    if s.placed and not s.wall.swept:
        says = (
            f"Wall {s.wall.id} is swept for pipes and cables before the first hole, and what lies"
            " behind is marked and typed."
        )
        yield duty(s.key("swept"), s.place, says, COMMON_PRACTICE, Asked("Wall"))


def on_the_wall(s: Scene) -> Iterator[Finding]:
    """Every box on the wall, with what its sheet asks of corner, floor and ceiling."""
    for p in s.placed:
        b = bounds(s.wall, p)
        if b.right < b.left - 0.5:
            says = (
                f"{p.box.label} with its room is wider than wall {s.wall.id}:"
                f" {s.mm(s.wall.width_mm - b.right + b.left)} of {s.mm(s.wall.width_mm)}."
            )
            yield stop(
                s.key("wide", p.box.id),
                s.place,
                says,
                "inverter or pack sheet",
                Cure("Choose a wider wall, or another place"),
            )
            continue
        if b.top < b.bottom - 0.5:
            says = f"{p.box.label} with its room is higher than wall {s.wall.id} allows."
            yield stop(
                s.key("high", p.box.id),
                s.place,
                says,
                "inverter or pack sheet",
                Cure("Choose a higher wall, or another place"),
            )
            continue
        x, y = min(max(p.x, b.left), b.right), min(max(p.y, b.bottom), b.top)
        if abs(x - p.x) <= 0.5 and abs(y - p.y) <= 0.5:
            continue
        what = [
            *(
                [f"{s.mm(abs(x - p.x))} too far {'left' if x > p.x else 'right'}"]
                if abs(x - p.x) > 0.5
                else []
            ),
            *(
                [f"{s.mm(abs(y - p.y))} too {'low' if y > p.y else 'high'}"]
                if abs(y - p.y) > 0.5
                else []
            ),
        ]
        says = (
            f"{p.box.label} stands {' and '.join(what)}: edge of the wall, and the room its sheet"
            " asks of floor, ceiling and corner."
        )
        cures = (
            ()
            if p.box.there
            else (s.to(p, x, y, f"Put it at {s.mm(x)} from the left, {s.mm(y)} up"),)
        )
        yield stop(
            s.key("edge", p.box.id),
            s.place,
            says,
            "inverter or pack sheet",
            *cures or (Cure("Measure where it hangs"),),
        )


def moves(s: Scene, p: Placed, other: Rect, want: Wanted) -> list[tuple[float, Placed, Side]]:
    """(how far, the box moved, which way) for each way out of a rectangle's room that keeps the box
    within its wall.
    """
    g, b = gaps(p.rect, other), bounds(s.wall, p)
    out = []
    for side, dx, dy in (("left", 1, 0), ("right", -1, 0), ("top", 0, -1), ("bottom", 0, 1)):
        by = getattr(want, side) - g[side]  # type: ignore[index]
        x, y = p.x + dx * by, p.y + dy * by
        if b.left - 0.5 <= x <= b.right + 0.5 and b.bottom - 0.5 <= y <= b.top + 0.5:
            out.append((by, Placed(p.box, x, y), side))
    return sorted(out, key=lambda m: m[0])  # type: ignore[arg-type]


def _way_out(s: Scene, p: Placed, other: Rect, want: Wanted) -> tuple[float, Cure] | None:
    found = moves(s, p, other, want)
    if not found or p.box.there:
        return None
    by, to, side = found[0]
    toward = {"left": "right", "right": "left", "top": "down", "bottom": "up"}[side]
    return by, s.to(p, to.x, to.y, f"Move {p.box.label} {toward} by {s.mm(by)}")


def too_near(s: Scene) -> Iterator[Finding]:
    """Two boxes nearer than the larger of what both sheets ask."""
    for a, b in itertools.combinations(s.placed, 2):
        want = between(a.box, b.box, s.plan)
        ra, rb = a.rect, b.rect
        by = short(ra, rb, want)
        if by <= 0.5:
            continue
        g = gaps(ra, rb)
        side = max(g, key=lambda k: g[k] - getattr(want, k))
        other = Wanted(want.right, want.left, want.bottom, want.top, want.rule)
        cures = sorted(
            (c for c in (_way_out(s, a, rb, want), _way_out(s, b, ra, other)) if c),
            key=lambda c: c[0],
        )
        if max(g.values()) < -0.5:
            says = f"{a.box.label} and {b.box.label} lie over each other."
        else:
            says = (
                f"{b.box.label} is {s.mm(max(0.0, g[side]))} from {a.box.label};"
                f" {s.mm(getattr(want, side))} is needed {SIDE_WORDS[side]}."
            )
        yield stop(
            s.key("near", a.box.id, b.box.id),
            s.place,
            says,
            want.rule,
            *([c for _, c in cures[:2]] or [Cure("Move one of them to another place")]),
        )


def neighbours_near(s: Scene) -> Iterator[Finding]:
    """A box too near to what the wall has already."""
    for p in s.placed:
        for i, n in enumerate(s.wall.neighbours):
            if n.kind in HIDDEN:
                continue
            want, r = from_neighbour(p.box, n, s.plan), rect_of_neighbour(n)
            by = short(p.rect, r, want)
            if by <= 0.5 or (p.box.there and n.kind == "panel"):
                continue
            g = gaps(p.rect, r)
            side = max(g, key=lambda k: g[k] - getattr(want, k))
            over = max(g.values()) < -0.5
            says = (
                f"{p.box.label} lies over the {n.kind}."
                if over
                else (
                    f"{p.box.label} is {s.mm(max(0.0, g[side]))} from the {n.kind};"
                    f" {s.mm(getattr(want, side))} is needed."
                )
            )
            out = _way_out(s, p, r, want)
            yield stop(
                s.key("near", p.box.id, f"{n.kind.replace(' ', '-')}-{i}"),
                s.place,
                says,
                want.rule,
                out[1] if out else Cure("Choose another place for it"),
            )


def too_far(s: Scene) -> Iterator[Finding]:
    """Units of one kind that the maker's jumper must reach."""
    kinds: dict[tuple[object, ...], list[Placed]] = {}
    for p in s.placed:
        if p.box.enclosure.like_most is not None:
            kinds.setdefault(
                (p.box.role, p.box.enclosure.width, p.box.enclosure.height), []
            ).append(p)
    for row in kinds.values():
        for a in row:
            others = [b for b in row if b is not a]
            most = a.box.enclosure.like_most or 0.0
            near = min((max(gaps(a.rect, b.rect).values()) for b in others), default=0.0)
            if others and near > most + 0.5:
                says = (
                    f"{a.box.label} is {s.mm(near)} from the nearest of its kind; the maker's"
                    f" jumper reaches {s.mm(most)}."
                )
                yield check(
                    s.key("far", a.box.id),
                    s.place,
                    says,
                    "pack sheet",
                    Cure("Move them together, or make longer jumpers as the maker allows"),
                )
