"""Handles, displays, and room to stand before what is worked at."""

from __future__ import annotations

from collections.abc import Iterator

from gumboot.core.basis.figure import COMMON_PRACTICE
from gumboot.core.basis.finding import Change, Cure, Finding, check, stop
from gumboot.core.basis.words import inside
from gumboot.core.wall.bodies import Placed
from gumboot.core.wall.rect import Rect
from gumboot.core.wall.rules.scene import Scene, bounds

HANDLE_MM = 2007.0  # 6 ft 7 in: NEC 240.24(A), 404.8(A), from memory
HANDLE_BELOW_TOP_MM = 100.0  # common practice
WORKING_WIDTH_MM, WORKING_PROUD_MM = 762.0, 152.4  # NEC 110.26(A), from memory
EYE_OFF_MM = 200.0  # common practice


def heights(s: Scene) -> Iterator[Finding]:
    """Handles within reach, displays at eye level."""
    for p in s.placed:
        if p.box.there:
            continue
        handle = p.top - HANDLE_BELOW_TOP_MM
        if p.box.worked and p.box.role != "inverter" and handle > HANDLE_MM:
            says = (
                f"The highest handle of {p.box.label} may be at {s.mm(handle)}; {s.mm(HANDLE_MM)}"
                " is the most."
            )
            rule = s.plan.book.clauses["handle"]
            down = p.y - (handle - HANDLE_MM)
            yield check(
                s.key("handle", p.box.id),
                s.place,
                says,
                rule,
                s.to(p, p.x, down, f"Lower it to {s.mm(down)}"),
            )
        if p.box.enclosure.display is None or p.box.role != "inverter":
            continue
        off = p.y + p.box.enclosure.display - s.wall.eye_mm
        if abs(off) > EYE_OFF_MM:
            b = bounds(s.wall, p)
            y = min(max(p.y - off, b.bottom), b.top)
            high = s.mm(p.y + p.box.enclosure.display)
            says = (
                f"The display of {p.box.label} is {s.mm(abs(off))}"
                f" {'above' if off > 0 else 'below'} the eye, at {high}."
            )
            cures = (
                (s.to(p, p.x, y, f"Put its lower edge at {s.mm(y)}"),)
                if abs(y + p.box.enclosure.display - s.wall.eye_mm) <= EYE_OFF_MM
                else ()
            )
            yield check(
                s.key("eye", p.box.id),
                s.place,
                says,
                COMMON_PRACTICE,
                *cures or (Cure("Show that it can be read from where people stand"),),
            )


def working_box(s: Scene, p: Placed) -> Rect:
    """The working space before a box, as it stands on the floor: 30 in or the box's width, where
    the wall has room for it.
    """
    width = max(WORKING_WIDTH_MM, p.box.enclosure.width)
    left = min(max(p.middle - width / 2, 0.0), max(0.0, s.wall.width_mm - width))
    if p.x < left or p.right > left + width:
        left = p.middle - width / 2
    return Rect(left, 0.0, left + width, 1981.2)


def working_space(s: Scene) -> Iterator[Finding]:
    """Room to stand before what is worked at while live: nothing deeper below it, and free floor
    before it.
    """
    book, rule = s.plan.book, s.plan.book.clauses["working space"]
    asks = [
        (book.working_depth(p.box.volts, s.wall.opposite), p)
        for p in s.placed
        if p.box.worked or not book.working_space
    ]
    need, who = max(asks, key=lambda x: x[0] + x[1].box.enclosure.depth, default=(0.0, None))
    if who is not None and s.wall.front_mm is None:
        yield check(
            s.key("front"),
            s.place,
            f"The free floor before wall {s.wall.id} is not known; {s.mm(need)} is needed before"
            f" {inside(who.box.label)}.",
            rule,
            Cure("Measure it, and type it with the wall"),
        )
    elif who is not None and s.wall.front_mm is not None:
        left = s.wall.front_mm - who.box.enclosure.depth
        if left < need - 0.5:
            volts = f", up to {who.box.volts:.0f} V to earth" if book.working_space else ""
            says = (
                f"{s.mm(max(0.0, left))} are left before {inside(who.box.label)} on wall"
                f" {s.wall.id}{volts}; {s.mm(need)} are needed."
            )
            cures = [Cure("Clear the floor, or choose another wall")]
            easier = book.working_depth(who.box.volts, "insulating")
            if s.wall.opposite == "unknown" and left >= easier - 0.5:
                change = Change(f"/walls/{s.index}/opposite", "insulating")
                cures.insert(0, Cure("Nothing live and nothing earthed is opposite", (change,)))
            yield stop(s.key("front"), s.place, says, rule, *cures)
    if not s.plan.book.working_space:
        return
    for p in s.placed:
        if not p.box.worked:
            continue
        room = working_box(s, p)
        if (s.wall.corner_left and room.left < -0.5) or (
            s.wall.corner_right and room.right > s.wall.width_mm + 0.5
        ):
            says = (
                f"The working space of {p.box.label}, {s.mm(room.right - room.left)} wide, runs"
                " into the corner."
            )
            yield stop(
                s.key("work", p.box.id), s.place, says, rule, Cure("Move it away from the corner")
            )
        for o in s.placed:
            proud = o.box.enclosure.depth - p.box.enclosure.depth
            r = o.rect
            if (
                o is not p
                and proud > WORKING_PROUD_MM
                and r.left < min(room.right, p.right)
                and r.right > max(room.left, p.x)
                and r.bottom < room.top
            ):
                says = (
                    f"{o.box.label} stands {s.mm(proud)} prouder than {p.box.label},"
                    f" {'below' if o.y < p.y else 'above'} it: no more than"
                    f" {s.mm(WORKING_PROUD_MM)} may be in the working space."
                )
                yield check(
                    s.key("work", p.box.id, o.box.id),
                    s.place,
                    says,
                    f"{rule}(3)",
                    Cure(
                        f"Move {p.box.label} beside it, or show that it is not worked on while live"
                    ),
                )
