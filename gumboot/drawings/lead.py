"""A signal lead pin to pin: both plugs as the hand holds them, every core with its colour, the
shield and where it lands.

    plugs of 8P8C, the lead between them: with its contacts toward you and the lead hanging down pin
    1 is at the left (TIA-568, from memory); so the right one, its lead to the left, has pin 1 on
    top, and the left one has it on top when its latch is toward you and its contacts are behind
    round connectors: by their mating face, pin 1 beside the key
    clamps: in one or two columns as on the device; a key is drawn on the side where it lies
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

from gumboot.core.kit.signal import Pin, Plug
from gumboot.core.link.leads import Lead, Side
from gumboot.core.network.circuit import Core
from gumboot.drawings.svg import box, line, picture, tag, text

ROW = 30.0
WIDTH = 860.0
SWITCHES = 380.0  # as wide as a phone
LEFT, RIGHT = 250.0, 610.0  # where cores leave the plugs
COLOURS = ("orange", "green", "blue", "brown")


@dataclass(frozen=True, slots=True)
class Place:
    """Where one pin is drawn."""

    x: float
    y: float


def draw_lead(lead: Lead, standalone: bool = False) -> str:
    """One lead."""
    ends = (lead.here, lead.there)
    faces = [_face(side, side.pins, lead, k) for k, side in enumerate(ends)]
    height = max([*(h for _, _, h in faces), 120.0]) + 96
    parts = [p for shapes, _, _ in faces for p in shapes]
    shield_y = max(h for _, _, h in faces) + 74
    for n, core in enumerate(lead.cable.cores):
        if core.does == "shield":
            parts += _shield(lead, faces, core, shield_y)
            continue
        a = faces[0][1].get(core.pin) or Place(LEFT, 70 + n * ROW)
        b = faces[1][1].get(core.far_pin) or Place(RIGHT, 70 + n * ROW)
        parts += _core(core, a, b, n)
    title = f"{lead.name}: {lead.here.label} to {lead.there.label}"
    return picture(WIDTH, height, title, in_words(lead), *parts, standalone=standalone)


def in_words(lead: Lead) -> str:
    """The lead as a list, for those who do not see it."""
    rows = [
        f"{c.does} from pin {c.pin or 'unknown'} to pin {c.far_pin or 'unknown'}"
        f"{', ' + c.colour if c.colour else ''}"
        for c in lead.cable.cores
        if c.does != "shield"
    ]
    return "; ".join(rows) or "no pins on any sheet"


Face = tuple[list[str], dict[str, Place], float]


def _face(side: Side, pins: Sequence[Pin], lead: Lead, end: int) -> Face:
    """A plug: its drawing, where its pins are, how deep it goes."""
    x = 24.0 if end == 0 else RIGHT
    plug = side.plug
    parts = [
        text(x, 18, side.label, "strong"),
        text(x, 36, _marked(plug), "small soft"),
    ]
    if plug is None or not pins:
        parts += [
            box(x, 54, LEFT - 24, 2 * ROW, "house"),
            text(x + 12, 54 + ROW, "pins: by the maker's manual", "small"),
        ]
        return parts, {}, 2 * ROW
    used = {c.pin if end == 0 else c.far_pin for c in lead.cable.cores}
    if plug.connector == "8P8C":
        return _modular(parts, x, pins, used, end)
    if plug.connector == "round connector":
        return _round(parts, x, pins, used, end)
    return _clamps(parts, x, plug, pins, used, side, end)


def _marked(plug: Plug | None) -> str:
    if plug is None:
        return "no port on any sheet"
    how = {"8P8C": "8P8C plug", "clip": "current transformers", "ring": "ring"}
    return f"{plug.label}: {how.get(plug.connector, plug.connector)}"


def _modular(parts: list[str], x: float, pins: Sequence[Pin], used: set[str], end: int) -> Face:
    """An 8P8C plug with pin 1 on top: the left one by its latch side, the right one by its
    contacts.
    """
    does = {p.no: p.does for p in pins}
    w, high = LEFT - 24.0, 8 * ROW * 0.8
    lane = high / 8
    if end == 0:
        parts.append(text(x, 52, "latch toward you, contacts behind", "tiny soft"))
        parts.append(box(x, 58, w, high, "body"))
        parts.append(box(x + 10, 58 + high / 2 - 32, 58, 64, "latch-front"))
        parts.append(text(x + 39, 58 + high / 2 + 4, "latch", "tiny", "middle"))
    else:
        parts.append(text(x, 52, "contacts toward you, latch behind", "tiny soft"))
        parts.append(box(x, 58, w, high, "body"))
    places: dict[str, Place] = {}
    for n in range(1, 9):
        y = 58 + (n - 0.5) * lane
        inner = x + w - 22 if end == 0 else x + 4
        on = str(n) in used
        seen = "contact on" if on else "contact"
        parts.append(box(inner, y - 5, 18, 10, f"{seen} behind" if end == 0 else seen))
        tx, anchor = (inner - 8, "end") if end == 0 else (inner + 26, "start")
        name = f"{n}  {does.get(str(n), 'free')}"
        parts.append(text(tx, y + 4, name, "mono" if on else "mono soft", anchor))
        places[str(n)] = Place(x + w if end == 0 else x, y)
    if "S" in does:
        y = 58 + high + 10
        places["S"] = Place(x + w / 2, y)
    return parts, places, high


def _clamps(
    parts: list[str],
    x: float,
    plug: Plug,
    pins: Sequence[Pin],
    used: set[str],
    side: Side,
    end: int,
) -> Face:
    """Clamps in one column, or in two of which the one with the higher numbers is named."""
    w = LEFT - 24.0
    places: dict[str, Place] = {}
    shown = [p for p in pins if p.no in used] or list(pins)
    others = len(pins) - len(shown)
    high = len(shown) * ROW + 12
    parts.append(box(x, 54, w, high, "body"))
    if plug.rows == 2:
        numbers = [int(p.no) for p in pins if p.no.isdecimal()]
        half = (max(numbers, default=0) + 1) // 2
        key = "higher" if plug.keyed == "higher numbers" else "lower" if plug.keyed else ""
        if key:
            kx = x - 10 if end == 0 else x + w
            parts.append(box(kx, 54 + high / 2 - 16, 10, 32, "key"))
            says = f"key: on the side of the {key} numbers"
            parts.append(text(x, 54 + high + 16, says, "tiny soft"))
    else:
        half = 0
    for n, p in enumerate(shown):
        y = 54 + 6 + (n + 0.5) * ROW
        cx = x + w - 20 if end == 0 else x + 20
        if plug.torque_nm:
            parts.append(tag("circle", cx=cx, cy=y, r=9, class_="contact on"))
            parts.append(line((cx - 6, y - 4), (cx + 6, y + 4), class_="slot"))
        else:
            parts.append(box(cx - 9, y - 9, 18, 18, "contact on"))
        row = f", row {2 if half and p.no.isdecimal() and int(p.no) > half else 1}" if half else ""
        words = f"{p.no}  {p.does}{row}" if p.no != p.does else p.does
        tx, anchor = (cx - 18, "end") if end == 0 else (cx + 18, "start")
        parts.append(text(tx, y + 4, words, "mono", anchor))
        if p.no in side.twin:
            parts.append(text(tx, y + 15, "two wires: twin ferrule", "tiny", anchor))
        places[p.no] = Place(x + w if end == 0 else x, y)
    if others:
        more = f"{others} more clamp{'s' if others > 1 else ''} in this plug"
        parts.append(text(x, 54 + high + (30 if plug.rows == 2 else 16), more, "tiny soft"))
    return parts, places, high


def _round(parts: list[str], x: float, pins: Sequence[Pin], used: set[str], end: int) -> Face:
    """A round connector by its mating face: pins on a ring, pin 1 beside the key and onward as the
    hands of a clock go; each pin that is used has its name where its core leaves.
    """
    shown = [p for p in pins if p.no in used] or list(pins)
    high = max(len(shown) * ROW + 12, 124.0)
    w, r = LEFT - 24.0, 46.0
    cx, cy = (x + r + 6 if end == 0 else x + w - r - 6), 54 + high / 2
    parts.append(
        text(x, 52, "mating face; where its sheet numbers it otherwise, that rules", "tiny soft")
    )
    parts.append(tag("circle", cx=cx, cy=cy, r=r, class_="body"))
    parts.append(box(cx - 6, cy - r - 4, 12, 9, "key"))
    turn = 2 * math.pi / max(len(pins), 1)
    for n, p in enumerate(pins):
        a = -math.pi / 2 + (n + 0.5) * turn
        px, py = cx + 0.66 * r * math.cos(a), cy + 0.66 * r * math.sin(a)
        seen = "contact on" if p.no in used else "contact"
        parts.append(tag("circle", cx=round(px, 1), cy=round(py, 1), r=8, class_=seen))
        parts.append(text(px, py + 4, p.no, "tiny on-good" if p.no in used else "tiny", "middle"))
    places: dict[str, Place] = {}
    for n, p in enumerate(shown):
        y = cy + (n - (len(shown) - 1) / 2) * ROW
        edge, anchor = (x + w - 6, "end") if end == 0 else (x + 6, "start")
        parts.append(
            text(edge, y + 4, f"{p.no}  {p.does}" if p.no != p.does else p.does, "mono", anchor)
        )
        places[p.no] = Place(x + w if end == 0 else x, y)
    return parts, places, high


def _core(core: Core, a: Place, b: Place, n: int) -> list[str]:
    """A core from pin to pin, bent where it changes place, its colour and function written on
    it.
    """
    one, two = a.x + 170, b.x - 24
    way = ((a.x, a.y), (one, a.y), (two, b.y), (b.x, b.y))
    base = next((c for c in COLOURS if c in core.colour), "")
    striped = core.colour.startswith("white/")
    parts = [line(*way, class_="core-under")]
    if base and striped:
        parts += [
            line(*way, class_="core core-white"),
            line(*way, class_=f"core-stripe core-{base}"),
        ]
    elif base:
        parts.append(line(*way, class_=f"core core-{base}"))
    else:
        parts.append(line(*way, class_="core core-plain"))
    says = f"{core.does}{' · ' + core.colour if core.colour else ''}"
    if core.meets != core.does:
        says = f"{core.does} to {core.meets}{' · ' + core.colour if core.colour else ''}"
    parts.append(text(a.x + 30, a.y - 5, says, "tiny halo"))
    return parts


def _shield(lead: Lead, faces: list[Face], core: Core, y: float) -> list[str]:
    """The shield, landed at one end and cut back at the other."""
    at_here = lead.here.shield
    land = lead.here if at_here else lead.there
    free = lead.there if at_here else lead.here
    pin = core.pin if at_here else core.far_pin
    where = "the plug's metal shell" if pin == "S" else f"clamp {pin}" if pin else "its clamp"
    a, b = LEFT + 10, RIGHT - 10
    parts = [line((a, y - 14), (b, y - 14), class_="shield")]
    end = a if at_here else b
    parts.append(tag("circle", cx=end, cy=y - 14, r=4, class_="contact on"))
    parts.append(
        text(
            WIDTH / 2,
            y + 4,
            f"shield: lands at {land.label}, {where}; at {free.label} cut back and sleeved",
            "small",
            "middle",
        )
    )
    return parts


def draw_bus(
    stations: Sequence[str],
    lengths: Sequence[str],
    ended: Sequence[int],
    ways: Sequence[str],
    ohms: Sequence[str],
    title: str,
) -> str:
    """A bus as the line it is: stations, lengths between, terminators at its ends, and what an
    ohmmeter shows at each.
    """
    n = len(stations)
    step = min(200.0, (WIDTH - 160) / max(n - 1, 1))
    x0 = (WIDTH - step * (n - 1)) / 2
    parts = [
        line((x0, 60), (x0 + step * (n - 1), 60), class_="bus"),
        line((x0, 68), (x0 + step * (n - 1), 68), class_="bus"),
    ]
    for i, name in enumerate(stations):
        x = x0 + i * step
        parts.append(box(x - 44, 78, 88, 26, "body"))
        parts.append(text(x, 95, name[:14], "small", "middle"))
        parts.append(line((x, 60), (x, 78), class_="feed"))
        if i in ended:
            parts.append(box(x - 13, 50, 26, 28, "terminator"))
            parts.append(text(x, 44, "120 Ω", "small strong", "middle"))
        parts.append(text(x, 120, ways[i], "tiny soft", "middle"))
        parts.append(text(x, 136, ohms[i], "mono", "middle"))
        if i < len(lengths):
            parts.append(text(x + step / 2, 54, lengths[i], "tiny soft", "middle"))
    said = "; ".join(
        f"{name}{', 120 ohm' if i in ended else ''}, reads {ohms[i]}"
        for i, name in enumerate(stations)
    )
    return picture(WIDTH, 150, title, said, *parts)


def draw_switches(rows: Sequence[tuple[str, str, str, str, str]], title: str) -> str:
    """Rows of small switches as they must stand: (box, row's name, pattern, what it means, which
    way is on at the device).
    """
    parts: list[str] = []
    y, x = 10.0, 190.0
    for name, row, pattern, means, on_is in rows:
        on_at = f"up here is on, {on_is} at the device" if on_is else "up here is on"
        parts.append(text(14, y + 18, name, "strong"))
        parts.append(text(14, y + 36, f"{row}: {means}" if row else means, "small"))
        if pattern:
            parts.append(box(x - 6, y, 26 * len(pattern) + 8, 50, "switch-case"))
            for i, on in enumerate(pattern):
                at = x + i * 26
                up = on == "1"
                parts.append(box(at, y + 5, 18, 28, "switch-well"))
                parts.append(
                    box(at + 2, y + (6 if up else 19), 14, 13, "switch-up" if up else "switch-down")
                )
                parts.append(text(at + 9, y + 45, str(i + 1), "tiny on-good", "middle"))
            parts.append(text(x - 6, y + 61, on_at, "tiny soft"))
        y += 74
    said = "; ".join(f"{n}: {row} {p or 'no switches'}, {m}" for n, row, p, m, _ in rows)
    return picture(SWITCHES, max(y, 40), title, said, *parts)
