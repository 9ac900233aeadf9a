"""The wall to scale, seen from the front: what it is made of, what it has, what stands on it, and
the ways between.

Drawn in layers, so that while something is dragged only what changes is drawn anew: ground, zones,
ways, boxes.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from xml.sax.saxutils import escape

from gumboot.core.basis.finding import Finding, Level
from gumboot.core.basis.units import show_place
from gumboot.core.size.raceways import Raceway
from gumboot.core.wall import Placed, WallDesign
from gumboot.core.wall.drill import LEVEL_MM
from gumboot.core.wall.fixing import studs
from gumboot.core.wall.gaps import HIDDEN, rect_of_neighbour, zone
from gumboot.core.wall.hang import sweeps
from gumboot.core.wall.rect import Rect
from gumboot.core.wall.routes import Route
from gumboot.core.wall.rules import growth, rect_of_backing, working_box
from gumboot.drawings.svg import box, line, picture, tag, text

MARGIN, RIGHT, TOP, BOTTOM = 46.0, 14.0, 14.0, 34.0
WIDE, HIGH = 1000.0, 640.0
LANE_PX = 5.0


@dataclass(frozen=True)
class Scale:
    """Pixels a mm, and where the wall's left lower corner is."""

    k: float
    floor: float
    width: float
    height: float

    def x(self, mm: float) -> float:
        """Across."""
        return round(MARGIN + mm * self.k, 2)

    def y(self, mm: float) -> float:
        """Up."""
        return round(self.floor - mm * self.k, 2)

    def rect(self, r: Rect, class_: str, **more: object) -> str:
        """A rectangle of the wall."""
        return tag(
            "rect",
            x=self.x(r.left),
            y=self.y(r.top),
            width=round((r.right - r.left) * self.k, 2),
            height=round((r.top - r.bottom) * self.k, 2),
            class_=class_,
            **more,
        )


def scale_of(w: WallDesign) -> Scale:
    """What fits the sheet."""
    wall = w.scene.wall
    k = min((WIDE - MARGIN - RIGHT) / wall.width_mm, (HIGH - TOP - BOTTOM) / wall.height_mm)
    high = wall.height_mm * k + TOP + BOTTOM
    return Scale(k, high - BOTTOM, wall.width_mm * k + MARGIN + RIGHT, high)


def draw_wall(
    w: WallDesign,
    findings: Sequence[Finding] = (),
    at: str = "",
    standalone: bool = False,
    raceways: Sequence[Raceway] = (),
    movable: bool = False,
    plain: bool = False,
    drilled: Sequence[tuple[float, float]] = (),
) -> str:
    """One wall with all its layers; movable: its boxes can be picked up on the page; plain: without
    what it keeps clear; drilled: holes that came elsewhere, mm from the left and the floor.
    """
    s = scale_of(w)
    said = [
        f"{p.box.label} at {w.scene.mm(p.x)} across, {w.scene.mm(p.y)} up" for p in w.scene.placed
    ]
    layers = (
        tag("g", ground(w, s), id="layer-ground"),
        tag("g", "" if plain else zones(w, s, findings, raceways), id="layer-zones"),
        tag("g", *(boxed(w, p, s, at, movable) for p in w.scene.placed), id="layer-boxes"),
        tag("g", ways(w, s), id="layer-ways"),
        tag("g", holes(w, s), *(elsewhere(s, x, y) for x, y in drilled), id="layer-holes"),
        tag("g", "", id="layer-guides"),
    )
    return picture(
        round(s.width, 1),
        round(s.height, 1),
        f"Wall {w.scene.wall.id}, {w.scene.wall.name}",
        ". ".join(said) or "Nothing stands on it yet",
        *layers,
        standalone=standalone,
    )


def ground(w: WallDesign, s: Scale, rulers: bool = True) -> str:
    """The wall itself: face, studs, boards, what it has already, and both rulers."""
    wall, mm = w.scene.wall, w.scene.mm
    face = s.rect(Rect(0, 0, wall.width_mm, wall.height_mm), "wall-face")
    parts = [face]
    parts += [
        line((s.x(x), s.y(0)), (s.x(x), s.y(wall.height_mm)), class_="stud") for x in studs(wall)
    ]
    for b in wall.backing:
        parts.append(s.rect(rect_of_backing(b), "rail" if b.material == "rail" else "backing"))
        if b.material != "rail":
            parts.append(
                text(s.x(b.x_mm) + 3, s.y(b.y_mm + b.height_mm) + 10, b.material, "tiny soft")
            )
    for n in wall.neighbours:
        r = rect_of_neighbour(n)
        parts.append(s.rect(r, "hidden-strip" if n.kind in HIDDEN else "neighbour"))
        parts.append(
            text(
                (s.x(r.left) + s.x(r.right)) / 2,
                (s.y(r.bottom) + s.y(r.top)) / 2 + 4,
                n.kind,
                "small soft",
                "middle",
            )
        )
    for side, there in (("left", wall.corner_left), ("right", wall.corner_right)):
        if there:
            x = s.x(0 if side == "left" else wall.width_mm)
            parts.append(line((x, s.y(0)), (x, s.y(wall.height_mm)), class_="corner"))
    parts.append(line((s.x(0) - 10, s.y(0)), (s.x(wall.width_mm) + 10, s.y(0)), class_="floor"))
    parts.append(
        line((s.x(0), s.y(wall.eye_mm)), (s.x(wall.width_mm), s.y(wall.eye_mm)), class_="eye")
    )
    parts.append(
        text(
            s.x(wall.width_mm) - 3,
            s.y(wall.eye_mm) - 3,
            f"eye {mm(wall.eye_mm)}",
            "tiny soft",
            "end",
        )
    )
    parts.append(line((s.x(0), s.y(LEVEL_MM)), (s.x(wall.width_mm), s.y(LEVEL_MM)), class_="level"))
    return "".join([*parts, *(_rulers(w, s) if rulers else ())])


def _rulers(w: WallDesign, s: Scale) -> Iterable[str]:
    """Ticks in feet or half metres from the datums: left edge and floor."""
    wall, us = w.scene.wall, w.scene.plan.units == "us"
    pitch = 304.8 if us else 500.0
    for k in range(int(wall.width_mm / pitch) + 1):
        yield line((s.x(k * pitch), s.y(0) + 4), (s.x(k * pitch), s.y(0) + 10), class_="feed")
        yield text(
            s.x(k * pitch),
            s.y(0) + 22,
            f"{k} ft" if us else f"{k * pitch:g}",
            "tiny soft",
            "middle",
        )
    for k in range(int(wall.height_mm / pitch) + 1):
        yield line((s.x(0) - 10, s.y(k * pitch)), (s.x(0) - 4, s.y(k * pitch)), class_="feed")
        yield text(
            s.x(0) - 13,
            s.y(k * pitch) + 3,
            f"{k} ft" if us else f"{k * pitch:g}",
            "tiny soft",
            "end",
        )


def zones(
    w: WallDesign, s: Scale, findings: Sequence[Finding], raceways: Sequence[Raceway] = ()
) -> str:
    """The room that each sheet asks, working spaces, bends of conduit; where one more would stand;
    what is broken, ringed.
    """
    stops = broken(w, findings)
    out = [s.rect(x.rect, "bend-room") for x in sweeps(w, raceways)]
    out += [
        s.rect(working_box(w.scene, p), "work-space")
        for p in w.scene.placed
        if w.scene.plan.book.working_space and p.box.worked and p.box.role != "inverter"
    ]
    for p in w.scene.placed:
        if not p.box.there:
            out.append(s.rect(zone(p), "zone-broken" if p.box.id in stops else "zone"))
        room = growth(p)
        if room and p is next(reversed([q for q in w.scene.placed if q.box.role == p.box.role])):
            out.append(s.rect(room, "one-more"))
            out.append(
                text(
                    (s.x(room.left) + s.x(room.right)) / 2,
                    (s.y(room.bottom) + s.y(room.top)) / 2,
                    "one more",
                    "tiny soft",
                    "middle",
                )
            )
    return "".join(out)


def broken(w: WallDesign, findings: Sequence[Finding]) -> set[str]:
    """The boxes that a stop of this wall names."""
    keys = [
        f.key.split(".") for f in findings if f.place == w.scene.place and f.level is Level.STOP
    ]
    return {p.box.id for p in w.scene.placed for k in keys if p.box.id in k}


def boxed(w: WallDesign, p: Placed, s: Scale, at: str = "", movable: bool = False) -> str:
    """One box: its case, its name, its display."""
    c = p.box.enclosure
    wide, high = c.width * s.k, c.height * s.k
    parts = [
        tag(
            "rect",
            x=0,
            y=0,
            width=round(wide, 2),
            height=round(high, 2),
            class_="body-there" if p.box.there else "body",
        )
    ]
    lines = _words(p.box.label, wide)
    top = max(13.0, round(high * 0.55 - 5 * len(lines), 1))
    parts += [
        text(
            wide / 2,
            top + 12 * i,
            words,
            "small strong" if not p.box.there else "small soft",
            "middle",
        )
        for i, words in enumerate(lines)
    ]
    under = top + 12 * len(lines)
    if high > under + 12 and wide > 44:
        parts.append(text(wide / 2, under + 2, f"{c.mass_kg:g} kg", "tiny soft", "middle"))
    if c.display is not None and high > 60:
        parts.append(
            box(round(wide / 2 - 8, 1), round(high - c.display * s.k - 4, 1), 16, 8, "display")
        )
    if at == p.box.id:
        parts.append(box(-3, -3, round(wide + 6, 2), round(high + 6, 2), "ring"))
    where = (
        f"{p.box.label},"
        f" {'hung before, ' if p.box.there else ''}{show_place(p.x, w.scene.plan.units)} across,"
        f" {show_place(p.y, w.scene.plan.units)} up"
    )
    hands = (
        {
            "tabindex": "0",
            "role": "button",
            "aria_label": where,
            "aria_roledescription": "box to move",
        }
        if movable
        else {}
    )
    return tag(
        "g",
        tag("title", escape(where)),
        *parts,
        class_="thing",
        transform=f"translate({s.x(p.x)} {s.y(p.top)})",
        data_box=p.box.id,
        data_at=p.box.id,
        **hands,
    )


def _words(label: str, wide: float) -> list[str]:
    """A label in lines that fit."""
    room = max(4, int(wide / 6.2))
    out: list[str] = []
    for word in label.split():
        if out and len(out[-1]) + 1 + len(word) <= room:
            out[-1] += f" {word}"
        else:
            out.append(word)
    return out


def holes(w: WallDesign, s: Scale) -> str:
    """Every hole: a dot where it holds, a cross where it meets lining alone."""
    out = []
    for h in (*(h for x in w.fixings for h in x.holes), *w.rails):
        x, y = s.x(h.x), s.y(h.y)
        if h.holds:
            out.append(tag("circle", cx=x, cy=y, r=2.6, class_="hole"))
        else:
            out.append(
                tag(
                    "path",
                    d=f"M{x - 3:g} {y - 3:g}l6 6M{x - 3:g} {y + 3:g}l6 -6",
                    class_="hole-idle",
                )
            )
    return "".join(out)


def elsewhere(s: Scale, x_mm: float, y_mm: float) -> str:
    """A hole that came elsewhere than planned: a ring, beside what was planned."""
    x, y = s.x(x_mm), s.y(y_mm)
    return tag("circle", cx=x, cy=y, r=5, class_="moved") + text(x + 7, y + 4, "≠", "otherwise")


def ways(w: WallDesign, s: Scale) -> str:
    """Every way, beside each other where they share a line."""
    lanes = lanes_of(w.routes)
    out = []
    for r in w.routes:
        points = [(s.x(x), s.y(y)) for x, y in r.points]
        n = lanes.get(r.want.id, 0)
        shifted = shift(points, LANE_PX * ((n + 1) // 2) * (-1 if n % 2 else 1))
        class_ = "link" if r.want.system == "signal" else "run thin-run"
        title = tag("title", escape(f"{r.want.name}: {r.length.text}"))
        out.append(
            tag(
                "g",
                title,
                line(*shifted, class_=class_ + ("" if r.clear else " no-way")),
                class_=r.want.system,
            )
        )
    return "".join(out)


def lanes_of(routes: Sequence[Route]) -> dict[str, int]:
    """A lane for each way, so that no two lie on one line where they overlap; the lowest that is
    free.
    """
    taken: list[tuple[int, tuple[float, float, float, float]]] = []
    out: dict[str, int] = {}
    for r in routes:
        mine = [
            (min(a[0], b[0]), min(a[1], b[1]), max(a[0], b[0]), max(a[1], b[1]))
            for a, b in zip(r.points, r.points[1:], strict=False)
        ][1:-1]
        n = 0
        while any(lane == n and _over(a, b) for lane, a in taken for b in mine):
            n += 1
        out[r.want.id] = n
        taken += [(n, b) for b in mine]
    return out


def _over(a: tuple[float, float, float, float], b: tuple[float, float, float, float]) -> bool:
    upright_a, upright_b = a[2] - a[0] < 1, b[2] - b[0] < 1
    if upright_a != upright_b:
        return False
    along, across = (1, 0) if upright_a else (0, 1)
    return (
        abs(a[across] - b[across]) < 25
        and min(a[along + 2], b[along + 2]) - max(a[along], b[along]) > 5
    )


def shift(points: Sequence[tuple[float, float]], by: float) -> list[tuple[float, float]]:
    """An orthogonal path moved aside between its ends, which stay."""
    if not by or len(points) < 4:
        return list(points)
    out = [points[0]]
    for i in range(1, len(points) - 1):
        (x0, y0), (x, y), (x1, y1) = points[i - 1], points[i], points[i + 1]
        first, last = i == 1, i == len(points) - 2
        dx = by if (abs(x - x0) < 0.1 and not first) or (abs(x - x1) < 0.1 and not last) else 0.0
        dy = by if (abs(y - y0) < 0.1 and not first) or (abs(y - y1) < 0.1 and not last) else 0.0
        out.append((round(x + dx, 1), round(y + dy, 1)))
    return [*out, points[-1]]
