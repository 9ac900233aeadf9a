"""The rules of a wall: each function one rule, from a scene to findings. What is too near, too
high, on wood, in the rain, in the way.
"""

from __future__ import annotations

import itertools
from collections.abc import Iterator
from dataclasses import dataclass

from gumboot.core.basis.figure import COMMON_PRACTICE
from gumboot.core.basis.finding import Change, Cure, Finding, check, note, stop
from gumboot.core.basis.units import show_place, show_temperature
from gumboot.core.kit.enclosure import Side
from gumboot.core.plan import Backing, Neighbour, Plan, Wall
from gumboot.core.wall.bodies import Box, Placed
from gumboot.core.wall.gaps import (
    HIDDEN,
    Wanted,
    alike,
    between,
    covered,
    from_neighbour,
    gaps,
    rect_of_neighbour,
    short,
)
from gumboot.core.wall.rect import Rect

HANDLE_MM = 2007.0  # 6 ft 7 in: NEC 240.24(A), 404.8(A), from memory
HANDLE_BELOW_TOP_MM = 100.0  # common practice
WORKING_WIDTH_MM, WORKING_PROUD_MM = 762.0, 152.4  # NEC 110.26(A), from memory
EYE_OFF_MM = 200.0  # common practice
MOST_BACKING = 20
BOARD_MARGIN_MM = 100.0  # common practice
QUIET_DB = 30.0  # dB(A) at night by a bedroom: WHO guidelines for community noise, from memory
WORKED_AT = (
    "main-panel",
    "loads",
    "changeover",
    "grid-combiner",
    "backup-combiner",
    "disconnect",
    "inverter",
)
WEATHER = {"indoors": 0, "rain": 1, "rain and sun": 2}
SIDE_WORDS: dict[Side, str] = {"left": "left", "right": "right", "top": "above", "bottom": "below"}


@dataclass(frozen=True, slots=True)
class Scene:
    """One wall of a plan with what stands on it. index: its place in the plan's list."""

    plan: Plan
    index: int
    wall: Wall
    placed: tuple[Placed, ...]

    @property
    def place(self) -> str:
        """What findings name as their place."""
        return f"wall-{self.wall.id}"

    def key(self, *words: str) -> str:
        """A finding's key."""
        return ".".join((self.place, *words))

    def mm(self, value: float) -> str:
        """A length as the crew's tape has it."""
        return show_place(value, self.plan.units)

    def path(self, box: str) -> str:
        """Where the plan keeps a box's place."""
        return f"/walls/{self.index}/placed/{box}"

    def to(self, p: Placed, x: float, y: float, words: str) -> Cure:
        """A cure that moves a box."""
        return Cure(
            words,
            (
                Change(f"{self.path(p.box.id)}/x_mm", round(x, 1)),
                Change(f"{self.path(p.box.id)}/y_mm", round(y, 1)),
            ),
        )


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


def bounds(wall: Wall, p: Placed) -> Rect:
    """The least and greatest that a box's left and lower edge may be on its wall: left, bottom,
    right, top of that corner's own room.
    """
    c, k = p.box.enclosure, p.box.enclosure.clear
    left = k.left if wall.corner_left else 0.0
    right = wall.width_mm - c.width - (k.right if wall.corner_right else 0.0)
    if c.mount == "floor":
        return Rect(left, 0.0, right, 0.0)
    low = max(k.below, c.bottom_least)
    high = wall.height_mm - c.height - k.above
    if c.bottom_most is not None:
        high = min(high, c.bottom_most)
    return Rect(left, low, right, high)


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
        says = f"Wall {s.wall.id} has not been swept for pipes and cables."
        cure = Cure("Sweep it, mark what lies behind, type it as hidden pipe or cable")
        yield check(s.key("swept"), s.place, says, COMMON_PRACTICE, cure)


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


def combustible(wall: Wall) -> bool:
    """Whether the wall's face burns: bare timber, or wood on anything."""
    return wall.lining == "wood" or (wall.lining == "none" and wall.made == "timber studs")


def on_wood(s: Scene) -> Iterator[Finding]:
    """Inverters and storage want nothing that burns behind them."""
    if not combustible(s.wall):
        return
    boards = [rect_of_backing(b) for b in s.wall.backing if b.material != "rail"]
    for p in s.placed:
        if p.box.enclosure.on_wood or p.box.there or covered(p.rect, boards):
            continue
        board = board_behind(s.wall, p)
        cure = (
            Cure("Put it on the wall first")
            if board is None or len(s.wall.backing) >= MOST_BACKING
            else Cure(
                f"Plan a cement board of {s.mm(board.width_mm)} by {s.mm(board.height_mm)}"
                " behind it",
                backing_change(s, board),
            )
        )
        says = (
            f"{p.box.label} hangs on wood: wall {s.wall.id} burns, and no board of cement or steel"
            " is planned over all of its back."
        )
        yield stop(
            s.key("wood", p.box.id),
            s.place,
            says,
            f"inverter or pack sheet; {COMMON_PRACTICE}",
            cure,
        )


def board_behind(wall: Wall, p: Placed) -> Backing | None:
    """A board behind a box with a margin all round, within the wall; None for a box that is not on
    it.
    """
    r = p.rect
    if r.left < 0 or r.bottom < 0 or r.right > wall.width_mm or r.top > wall.height_mm:
        return None
    x, y = max(0.0, r.left - BOARD_MARGIN_MM), max(0.0, r.bottom - BOARD_MARGIN_MM)
    w, h = (
        min(wall.width_mm, r.right + BOARD_MARGIN_MM) - x,
        min(wall.height_mm, r.top + BOARD_MARGIN_MM) - y,
    )
    return Backing(x_mm=round(x, 1), y_mm=round(y, 1), width_mm=round(w, 1), height_mm=round(h, 1))


def rect_of_backing(b: Backing) -> Rect:
    """The board on the wall."""
    return Rect(b.x_mm, b.y_mm, b.x_mm + b.width_mm, b.y_mm + b.height_mm)


def backing_change(s: Scene, *more: Backing) -> tuple[Change, ...]:
    """The change that puts boards or rails behind what is there already."""
    return (
        Change(
            f"/walls/{s.index}/backing",
            [b.model_dump(mode="json") for b in (*s.wall.backing, *more)],
        ),
    )


def heights(s: Scene) -> Iterator[Finding]:
    """Handles within reach, displays at eye level."""
    for p in s.placed:
        if p.box.there:
            continue
        handle = p.top - HANDLE_BELOW_TOP_MM
        if p.box.role in WORKED_AT and p.box.role != "inverter" and handle > HANDLE_MM:
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
    deep = max((p.box.enclosure.depth for p in s.placed), default=0.0)
    need, rule = s.plan.book.working_mm, s.plan.book.clauses["working space"]
    if s.placed and s.wall.front_mm is None:
        yield check(
            s.key("front"),
            s.place,
            f"The free floor before wall {s.wall.id} is not known; {s.mm(need)} is needed before"
            " the deepest box.",
            rule,
            Cure("Measure it, and type it with the wall"),
        )
    elif s.placed and s.wall.front_mm is not None and s.wall.front_mm - deep < need - 0.5:
        says = (
            f"{s.mm(max(0.0, s.wall.front_mm - deep))} are left before the deepest box of wall"
            f" {s.wall.id}; {s.mm(need)} are needed."
        )
        yield stop(
            s.key("front"), s.place, says, rule, Cure("Clear the floor, or choose another wall")
        )
    if not s.plan.book.working_space:
        return
    for p in s.placed:
        if p.box.role not in WORKED_AT:
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


def reached(wall: Wall, by: str, p: Placed) -> bool:
    """Whether sun or rain that reaches all of a wall, or half of it, reaches a box."""
    half = wall.width_mm / 2
    return (
        by == "yes" or (by == "left half" and p.x < half) or (by == "right half" and p.right > half)
    )


def weather(s: Scene) -> Iterator[Finding]:
    """Sun and rain on the wall against what the enclosure is made for; the hottest and coldest air
    against the sheet.
    """
    w, site = s.wall, s.plan.site
    outdoors = w.place == "outdoors"
    unknown = [
        word
        for word, state in (("sun", w.sun), ("rain", w.rain))
        if outdoors and state == "unknown"
    ]
    if unknown and s.placed:
        yield check(
            s.key("weather"),
            s.place,
            f"It is not known whether {' and '.join(unknown)} reach wall {w.id}.",
            COMMON_PRACTICE,
            Cure("Look, and type it with the wall"),
        )
    cold: list[str] = []
    for p in s.placed:
        c = p.box.enclosure
        if p.box.there:
            continue
        asked = 2 if reached(w, w.sun, p) else 1 if reached(w, w.rain, p) else 0
        if WEATHER[c.weather] < asked:
            says = (
                f"{'Sun' if asked == 2 else 'Rain'} reaches {p.box.label}; its enclosure is made"
                f" for {c.weather}."
            )
            yield stop(
                s.key("weather", p.box.id),
                s.place,
                says,
                "sheet",
                Cure("Shade or roof it, or choose another wall"),
            )
        if site.t_wall_c > c.t_most_c:
            yield stop(
                s.key("hot", p.box.id),
                s.place,
                f"The air at the wall reaches {show_temperature(site.t_wall_c, s.plan.units)};"
                f" {p.box.label} takes {show_temperature(c.t_most_c, s.plan.units)}.",
                "sheet",
                Cure("Choose a cooler place"),
            )
        if w.place != "indoors" and site.t_min_c < c.t_least_c:
            says = (
                f"The air outside falls to {show_temperature(site.t_min_c, s.plan.units)};"
                f" {p.box.label} takes {show_temperature(c.t_least_c, s.plan.units)}."
            )
            if outdoors:
                yield stop(
                    s.key("cold", p.box.id), s.place, says, "sheet", Cure("Choose a warmer place")
                )
            else:
                cold.append(f"{p.box.label} {show_temperature(c.t_least_c, s.plan.units)}")
        if site.altitude_m is not None and site.altitude_m > c.altitude_most_m:
            yield check(
                s.key("thin-air", p.box.id),
                s.place,
                f"{p.box.label} is made for {c.altitude_most_m:g} m; the site lies at"
                f" {site.altitude_m:g} m.",
                "sheet",
                Cure("Ask its maker for the derating"),
            )
    if cold:
        says = (
            f"The air outside falls to {show_temperature(site.t_min_c, s.plan.units)}, and a garage"
            f" may follow; the sheets take {', '.join(cold)}."
        )
        yield check(
            s.key("cold"),
            s.place,
            says,
            "sheets",
            Cure("Show how cold the garage gets, or warm it"),
        )


def growing(s: Scene) -> Iterator[Finding]:
    """The side that a bank grows on is kept free, where the sheet names one."""
    for p in s.placed:
        room = growth(p)
        if room is None:
            continue
        within = (
            room.left >= -0.5
            and room.right <= s.wall.width_mm + 0.5
            and room.top <= s.wall.height_mm + 0.5
        )
        flat = Wanted(0, 0, 0, 0, "")
        inside = next((o for o in s.placed if o is not p and short(room, o.rect, flat) > 0.5), None)
        if inside is not None and alike(p.box, inside.box):
            continue  # that is the next one already
        taken = (
            inside.box.label
            if inside
            else next(
                (
                    n.kind
                    for n in s.wall.neighbours
                    if n.kind not in HIDDEN and short(room, rect_of_neighbour(n), flat) > 0.5
                ),
                "",
            )
        )
        if taken or not within:
            what = f"{taken} is there" if taken else "the wall ends"
            way = SIDE_WORDS[p.box.enclosure.expands or "right"]
            yield note(
                s.key("grow", p.box.id),
                s.place,
                f"{p.box.label} grows {way}, and {what}: no room for one more.",
                "pack sheet",
                Cure("Keep that side free if more may come"),
            )


def first_free(s: Scene, box: Box) -> tuple[float, float]:
    """A place for one more box: the first from the left, at the eye or as low as it may be, where
    nothing is too near; else the first of all.
    """
    b = bounds(s.wall, Placed(box, 0, 0))
    at_eye = (
        s.wall.eye_mm - box.enclosure.display
        if box.enclosure.display is not None and box.role == "inverter"
        else (b.bottom + b.top) / 2
    )
    heights_mm = [min(max(y, b.bottom), b.top) for y in (at_eye, b.bottom, b.top)]
    steps = max(1, int((b.right - b.left) // 25) + 1)
    tries = ((round(b.left + 25 * k, 1), round(y, 1)) for y in heights_mm for k in range(steps))
    return next(
        (t for t in tries if _free(s, Placed(box, *t))),
        (max(0.0, round(b.left, 1)), max(0.0, round(heights_mm[0], 1))),
    )


def _free(s: Scene, p: Placed) -> bool:
    boxes = all(short(p.rect, o.rect, between(p.box, o.box, s.plan)) <= 0.5 for o in s.placed)
    return boxes and all(
        n.kind in HIDDEN
        or short(p.rect, rect_of_neighbour(n), from_neighbour(p.box, n, s.plan)) <= 0.5
        for n in s.wall.neighbours
    )


def growth(p: Placed) -> Rect | None:
    """Where one more of a kind would stand."""
    c, gap = p.box.enclosure, p.box.enclosure.like_least or 0.0
    match c.expands:
        case "left":
            return Rect(p.x - gap - c.width, p.y, p.x - gap, p.top)
        case "right":
            return Rect(p.right + gap, p.y, p.right + gap + c.width, p.top)
        case "top":
            return Rect(p.x, p.top, p.right, p.top + c.height / 4)
    return None


def noise(s: Scene) -> Iterator[Finding]:
    """Fans and contactors by a bedroom: level at the window by distance, and hum through
    the wall.
    """
    for p in s.placed:
        db = p.box.enclosure.noise_db
        if db is None:
            continue
        if s.wall.behind == "bedroom":
            yield check(
                s.key("noise", p.box.id),
                s.place,
                f"{p.box.label} makes {db:g} dB(A) at 1 m, and a bedroom lies behind wall"
                f" {s.wall.id}.",
                COMMON_PRACTICE,
                Cure("Choose another wall, or hang it on dampers as its maker allows"),
            )
        for i, n in enumerate(s.wall.neighbours):
            if n.kind == "bedroom window":
                level = db - fall_off_db(distance_m(p, n))
                if level > QUIET_DB:
                    yield check(
                        s.key("noise", p.box.id, str(i)),
                        s.place,
                        f"About {level:.0f} dB(A) of {p.box.label} reach the bedroom window;"
                        f" {QUIET_DB:g} let people sleep.",
                        "WHO guidelines for community noise",
                        Cure("Move it further from the window"),
                    )


def distance_m(p: Placed, n: Neighbour) -> float:
    """Between the nearest points of a box and a neighbour, in m."""
    g = gaps(p.rect, rect_of_neighbour(n))
    dx, dy = max(0.0, g["left"], g["right"]), max(0.0, g["top"], g["bottom"])
    return float((dx * dx + dy * dy) ** 0.5) / 1000


def fall_off_db(distance: float) -> float:
    """How much quieter than at 1 m: 20·log10(d), from a point in free air; nothing nearer than 1 m.
    Physics.
    """
    import math

    return 20 * math.log10(max(1.0, distance))
