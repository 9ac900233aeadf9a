"""A body's terminals as its sheet has them, to scale; the page lights the next one and fills in
what is done.

Every place carries its termination in `data-termination`: the page sets its class (`pad-part`,
`pad-made`,
`pad-under`, `pad-over`, `pad-here`).
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache
from xml.sax.saxutils import escape

from gumboot.core.design import Design
from gumboot.core.kit.terminal import Block, Row, Terminal
from gumboot.core.land import Termination
from gumboot.core.network import Body
from gumboot.drawings.svg import box, line, picture, tag, text

WIDTH = 640.0
LETTER, LETTERS = 6.0, 8  # how wide a letter under a place is drawn, and the most of them
LOOSE_ROW = 34.0  # mm of the block's scale for terminations that lie behind it


@dataclass(frozen=True, slots=True)
class Pad:
    """One place on a block: where, what shape, what it is called, and the terminations that land
    there.
    low: its name stands a line lower.
    """

    x: float
    y: float
    method: str
    name: str
    terminations: tuple[Termination, ...]
    low: bool = False


def ports(design: Design, b: Body) -> dict[str, tuple[Terminal, ...]]:
    """The terminals that the catalogue gives each port of a body, used or not."""
    if b.role == "inverter" and (u := design.inverter):
        named = {
            "BAT": u.battery,
            "GRID": u.grid,
            "BACKUP": u.backup,
            "GEN": u.generator,
            "AC IN": u.generator or u.grid,
            "AC": u.backup or u.grid,
        }
        return {f"PV {t.id}": t.terminals for t in u.trackers} | {
            k: p.terminals for k, p in named.items() if p
        }
    if b.role == "controller" and (c := design.controller) and c.battery and c.pv:
        return {"PV": c.pv.terminals, "BAT": c.battery.terminals}
    if b.id == "gateway" and (g := design.gateway):
        return {
            "GRID": g.grid.terminals,
            "INVERTER": g.inverter.terminals,
            "BACKUP": g.backup.terminals,
        }
    if b.role == "pack" and design.pack:
        return {"posts": design.pack.terminals, "fuse": design.pack.terminals}
    return {}


def block_of(own: Sequence[Termination], b: Body) -> Block:
    """The body's block; where its sheet is silent, its ports in rows."""
    if b.block:
        return b.block
    by_port: dict[str, int] = {}
    for t in own:
        by_port[port_of(t)] = by_port.get(port_of(t), 0) + 1
    rows, x, y, high = [], 20.0, 40.0, 0
    for port, n in by_port.items():
        if x > 20 and x + n * 26 > 400:
            x, y = 20.0, y + 58
        rows.append((port, x, y))
        x += max(n, 3) * 26 + 16
        high = max(high, int(y))
    height = high + 44.0
    rows = rows or [("", 20.0, 40.0)]  # nothing lands in its ports: a cover, or what is to prove
    return Block(
        width=420,
        height=height,
        rows=tuple(Row(port=p, x=a, y=max(height - c, 1.0), pitch=26) for p, a, c in rows),
    )


def port_of(t: Termination) -> str:
    """The row of a block that a termination lies in."""
    return "PE" if t.conductor == "PE" else t.port


def pads(design: Design, b: Body, own: Sequence[Termination], block: Block) -> list[Pad]:
    """Every place of a block, the free ones too."""
    here: dict[str, list[Termination]] = {}
    for t in own:
        here.setdefault(t.pad, []).append(t)
    known = ports(design, b)
    out: list[Pad] = []
    for row in block.rows:
        mine = [p for p, ts in here.items() if port_of(ts[0]) == row.port]
        names = {f"{row.port}/{t.id}": (t.end, t.conductor) for t in known.get(row.port, ())}
        unit = {"inverter": design.inverter, "controller": design.controller}.get(b.role)
        if row.port == "PE" and unit:
            names = {f"PE/{i}": (unit.earth.end, "PE") for i in range(1, unit.earth_screws + 1)}
        places = list(names) + [p for p in mine if p not in names]
        called = [
            name_of(here.get(p, []), names.get(p, ("", "PE" if row.port == "PE" else ""))[1])
            for p in places
        ]
        pitch = row.pitch
        if row.port == "COM":  # one row for all signals: as close as they fit
            pitch = min(pitch, room(block, row) / max(len(places), 1))
        crowded = max((len(n) for n in called), default=0) * LETTER > pitch * WIDTH / (
            block.width + 16
        )
        for i, (p, name) in enumerate(zip(places, called, strict=True)):
            terminations = tuple(here.get(p, ()))
            method = terminations[0].method if terminations else names.get(p, ("",))[0]
            out.append(
                Pad(row.x + i * pitch, row.y, method, name, terminations, crowded and i % 2 == 1)
            )
    return out


def room(block: Block, row: Row) -> float:
    """How wide a row may become before the next one beside it, or the block's edge."""
    right = [r.x for r in block.rows if r.y == row.y and r.x > row.x]
    return min([*right, block.width]) - row.x


def name_of(terminations: Sequence[Termination], conductor: str) -> str:
    """What stands under a place: the pole of a signal, else the conductor."""
    if terminations and terminations[0].kind == "signal":
        return terminations[0].terminal.rsplit(", ", 1)[-1][:LETTERS]
    return terminations[0].conductor if terminations else conductor


def terminal_block(design: Design, body: Body) -> str:
    """One body's block."""
    own = [t for t in design.terminations if t.body == body.id and t.pad]
    behind = [t for t in design.terminations if t.body == body.id and t.kind in ("factory", "bar")]
    block = block_of(own, body)
    k = WIDTH / (block.width + 16)
    extra = 0.0 if not behind else 8 + LOOSE_ROW * (1 + (len(behind) - 1) // 12)
    height = (block.height + 26 + extra) * k
    top = 22.0

    def place(x: float, y: float) -> tuple[float, float]:
        return (x + 8) * k, (top + block.height - y) * k

    parts = [
        box(4 * k, (top - 4) * k, (block.width + 8) * k, (block.height + 4) * k, "body"),
        text(8 * k, 14 * k, body.label, "strong"),
    ]
    every = pads(design, body, own, block)
    for row in block.rows:
        x, y = place(row.x, row.y)
        parts.append(
            text(x - 9 * k, y - 20 * k, row.port if row.port != "COM" else "signals", "small soft")
        )
    for p in every:
        x, y = place(p.x, p.y)
        parts += shape(p, x, y, k)
    for i, t in enumerate(behind):
        x = (20 + (i % 12) * 33) * k
        y = (top + block.height + 28 + LOOSE_ROW * (i // 12)) * k
        if i % 12 == 0:
            parts.append(
                text(
                    8 * k,
                    y - 19 * k,
                    "made at the works" if t.kind == "factory" else "bars the crew bolts",
                    "small soft",
                )
            )
        parts += shape(Pad(0, 0, "lug", str(t.number), (t,)), x, y, k)
    words = ". ".join(f"{t.number} {t.terminal}" for t in (*own, *behind))
    return picture(WIDTH, height, f"Terminals of {body.label}", words, *parts)


def shape(p: Pad, x: float, y: float, k: float) -> list[str]:
    """One place: a stud is round, a screw clamp square with its slot, a spring clamp a slit, a plug
    has its latch, a clip is open.
    """
    r = 6.5 * k
    match p.method:
        case "lug" | "ring" | "as made" | "bar":
            body = tag("circle", cx=x, cy=y, r=r, class_="pad") + tag(
                "path", d=hexagon(x, y, 0.55 * r), class_="pad-mark"
            )
        case "pv-connector":
            body = tag("circle", cx=x, cy=y, r=0.8 * r, class_="pad") + tag(
                "circle", cx=x, cy=y, r=0.3 * r, class_="pad-mark"
            )
        case "spring":
            body = box(x - 0.8 * r, y - r, 1.6 * r, 2 * r, "pad") + line(
                (x - 0.4 * r, y + 0.4 * r), (x + 0.4 * r, y + 0.4 * r), class_="pad-mark"
            )
        case "plug":
            body = box(x - r, y - 0.8 * r, 2 * r, 1.6 * r, "pad") + box(
                x - 0.35 * r, y + 0.4 * r, 0.7 * r, 0.4 * r, "pad-mark"
            )
        case "clip":
            body = tag("circle", cx=x, cy=y, r=r, class_="pad") + line(
                (x, y - r), (x, y - 0.3 * r), class_="pad-mark"
            )
        case _:
            body = box(x - 0.8 * r, y - 0.8 * r, 1.6 * r, 1.6 * r, "pad") + line(
                (x - 0.45 * r, y + 0.45 * r), (x + 0.45 * r, y - 0.45 * r), class_="pad-mark"
            )
    name = text(x, y + 1.45 * r + (15 if p.low else 8) * k, p.name, "small", "middle")
    if not p.terminations:
        return [tag("g", body, name, class_="pad-free")]
    out = []
    for n, t in enumerate(p.terminations):
        ring = tag("circle", cx=x, cy=y, r=1.45 * r, class_="pad-ring")
        number = text(x, y - 1.75 * r, "", "pad-state", "middle")
        moved = tag(
            "g",
            ring,
            body,
            name if n == 0 else "",
            number,
            transform=f"translate({n * 0.7 * r:.1f} {-n * 0.7 * r:.1f})" if n else None,
        )
        words = f"{t.number} {t.place}, {t.terminal}"
        out.append(
            tag(
                "a",
                tag("title", escape(words)),
                moved,
                href=f"#{t.key}",
                class_="termination",
                aria_label=words,
                data_termination=t.key,
            )
        )
    return out


def hexagon(x: float, y: float, r: float) -> str:
    """A bolt's head."""
    points = [(1.0, 0.0), (0.5, 0.866), (-0.5, 0.866), (-1.0, 0.0), (-0.5, -0.866), (0.5, -0.866)]
    return "M" + "L".join(f"{x + r * a:.1f} {y + r * b:.1f}" for a, b in points) + "Z"


@lru_cache(maxsize=64)
def block_plates(design: Design) -> str:
    """Every body's block, each in an element that the page shows when its turn comes; remembered
    for the design.
    """
    touched = {t.body for t in design.terminations}
    return "".join(
        tag("div", terminal_block(design, b), class_="plate", data_body=b.id, hidden="hidden")
        for b in design.bodies
        if b.id in touched
    )
