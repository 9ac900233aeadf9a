"""The one-line drawing: every conductor of the job on one sheet.

    arrays | inverters | battery bar, packs | backup bar, transfer switch | grid bar, main panel

The upper inverters send grid, backup, battery from top to bottom, the lower ones the other way round, so that with two
inverters the bars nest and nothing crosses. Coordinates are px of the view box, origin top left.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from functools import lru_cache

from gumboot.core.codes import nec
from gumboot.core.conductors import Sized
from gumboot.core.design import Design
from gumboot.core.units import show_length
from gumboot.drawings.svg import box, line, picture, tag, text

WIDTH = 976
X_ARRAY, W_ARRAY, X_UNIT, W_UNIT = 10, 74, 192, 92
X_DC, X_PACK, W_PACK, X_BACKUP, X_SWITCH, X_GRID, X_PANEL = 392, 502, 56, 580, 690, 784, 890
ROW, GAP, TOP = 50, 40, 34
W_BOX = 78


@dataclass(frozen=True)
class _Unit:
    """Where one inverter stands, and the heights its conductors leave at."""

    number: int
    y: float
    h: float
    grid: float
    backup: float
    battery: float


@lru_cache(maxsize=64)
def one_line(design: Design, standalone: bool = False) -> str:
    """The drawing as SVG text."""
    if design.inverter is None:
        return picture(
            WIDTH,
            80,
            "One-line drawing",
            "Nothing to draw until the kit is chosen from the catalogue.",
            text(20, 44, "Choose the kit in Brief: nothing can be drawn yet."),
            standalone=standalone,
        )
    units = _place_units(design)
    by_id = {s.id: s for s in design.circuits}
    bottom = units[-1].y + units[-1].h
    parts = [*_arrays(design, by_id, units), *_units(design, units)]
    parts += _battery(design, by_id, units)
    parts += _side(design, by_id, units, "backup", X_BACKUP, X_SWITCH, "Transfer", "switch", "to the house")
    parts += _side(
        design, by_id, units, "grid", X_GRID, X_PANEL, "Main panel", f"{design.plan.supply.main_breaker_a:g} A main", "to the grid"
    )
    parts += _title_block(design, bottom + 46)
    title = f"One-line drawing of {design.plan.site.name}"
    return picture(WIDTH, bottom + 104, title, describe(design), *parts, standalone=standalone)


def describe(design: Design) -> str:
    """The drawing in words, for those who cannot see it."""
    return ". ".join(f"{s.circuit.name}: {s.conductor_text}, protection {s.protection_text}" for s in design.circuits) + "."


def _place_units(design: Design) -> list[_Unit]:
    out: list[_Unit] = []
    count, packs = design.plan.kit.inverters, design.plan.kit.packs
    y = float(TOP)
    for n in range(1, count + 1):
        strings = sum(s.inverter == n for s in design.plan.strings)
        h = max(strings * ROW + 8, 142, packs * ROW + 60 if count == 1 else 0)
        up = n <= (count + 1) // 2
        ports = (y + 18, y + 67, y + 116) if up else (y + h - 18, y + h - 67, y + h - 116)
        out.append(_Unit(n, y, h, *ports))
        y += h + GAP
        if n == (count + 1) // 2 and count > 1:
            y += max(0, packs * ROW - 2 * 26 - GAP + 12)
    return out


def _marks(design: Design, key: str) -> str:
    levels = {f.level.value for f in design.findings if f.place == key}
    return "stop" if "stop" in levels else "check" if "check" in levels else ""


def _badge(design: Design, key: str, x: float, y: float) -> str:
    mark = _marks(design, key)
    if not mark:
        return ""
    width = 30 if mark == "stop" else 38
    return box(x, y - 11, width, 14, "badge" if mark == "stop" else "badge-check") + text(
        x + width / 2, y - 0.5, mark, "badge-text", "middle"
    )


def _wire(
    design: Design,
    s: Sized | None,
    key: str,
    system: str,
    points: list[tuple[float, float]],
    label: tuple[float, float],
    breaker: tuple[float, float] | None = None,
) -> str:
    """One circuit: line, conductor above it, protection and length below it, all one link."""
    words = f"{key}: not sized"
    (x0, y0), (x1, y1) = points[0], points[-1]
    clear = line((x0 + 4, y0), (x1 - 8, y1), class_="clear")  # where it passes a bar it does not end on, the bar stands back
    inner = [line(*points, class_="hit"), clear, line(*points, class_="run")]
    if breaker and s and s.protection:
        inner.append(box(breaker[0] - 4, breaker[1] - 4.5, 12, 9, "device"))
    if s:
        units = design.plan.units
        words = f"{s.circuit.name}: {s.conductor_text}, protection {s.protection_text}, {show_length(s.circuit.run.length_m, units) if s.circuit.run else ''}"
        long = show_length(s.circuit.run.length_m, units) if s.circuit.run else ""
        inner.append(text(label[0], label[1] - 7, f"C{s.circuit.number} · {nec.spoken(s.size)}", "mono strong"))
        inner.append(text(label[0], label[1] + 15, f"{s.protection.text} · {long}" if s.protection else long, "mono"))
        beside = (label[0] + 48, label[1] + 15) if system == "pv" else (label[0], label[1] - 20)
        inner.append(_badge(design, s.id, *beside))
    else:
        inner.append(text(label[0], label[1] - 6, "not sized", "mono strong"))
    return tag("a", tag("title", words), *inner, href=f"?at={key}#working", class_=f"wire {system}", data_at=key, aria_label=words)


def _body(x: float, y: float, w: float, h: float, *lines: str, class_: str = "body") -> str:
    start = y + h / 2 - (len(lines) - 1) * 7 + 4
    return box(x, y, w, h, class_) + "".join(
        text(x + w / 2, start + 14 * i, words, "strong" if i == 0 else "small", "middle") for i, words in enumerate(lines)
    )


def _arrays(design: Design, by_id: dict[str, Sized], units: list[_Unit]) -> Iterable[str]:
    for unit in units:
        own = [s for s in design.plan.strings if s.inverter == unit.number]
        for i, s in enumerate(own):
            y = unit.y + (unit.h - len(own) * ROW) / 2 + i * ROW + ROW / 2
            key = f"pv-{s.letter}"
            yield _wire(design, by_id.get(key), key, "pv", [(X_ARRAY + W_ARRAY, y), (X_UNIT, y)], (X_ARRAY + W_ARRAY + 8, y))
            yield _body(X_ARRAY, y - 17, W_ARRAY, 34, f"Array {s.letter}", f"{s.modules} modules")
            yield text(X_UNIT + 5, y + 4, f"T{s.tracker}", "small soft")


def _units(design: Design, units: list[_Unit]) -> Iterable[str]:
    assert design.inverter is not None  # noqa: S101 - the caller looked
    for unit in units:
        middle = unit.y + unit.h / 2
        yield box(X_UNIT, unit.y, W_UNIT, unit.h, "body")
        yield text(X_UNIT + 22, middle - 4, f"Inverter {unit.number}", "strong small")
        yield text(X_UNIT + 22, middle + 10, f"{design.inverter.power_w / 1000:g} kW", "small")
        for y, name in ((unit.grid, "G"), (unit.backup, "B"), (unit.battery, "D")):
            yield text(X_UNIT + W_UNIT - 14, y + 4, name, "small soft")


def _battery(design: Design, by_id: dict[str, Sized], units: list[_Unit]) -> Iterable[str]:
    out = X_UNIT + W_UNIT
    packs = design.plan.kit.packs
    top, bottom = min(u.battery for u in units), max(u.battery for u in units)
    half = (len(units) + 1) // 2
    middle = (units[half - 1].battery + units[half].battery) / 2 if len(units) > 1 else units[0].battery + 26
    ys = [middle + (i - (packs - 1) / 2) * ROW for i in range(packs)]
    shift = max(0.0, (units[0].battery - 4 if len(units) == 1 else -1e9) - ys[0])
    ys = [y + shift for y in ys]
    yield line((X_DC, min(top, ys[0]) - 8), (X_DC, max(bottom, ys[-1]) + 8), class_="bar")
    for unit in units:
        key = f"battery-{unit.number}"
        yield _wire(
            design,
            by_id.get(key),
            key,
            "dc",
            [(out, unit.battery), (X_DC, unit.battery)],
            (out + 6, unit.battery),
            (X_DC - 16, unit.battery),
        )
    for i, y in enumerate(ys, 1):
        key = f"pack-{i}"
        yield _wire(design, by_id.get(key), key, "dc", [(X_DC, y), (X_PACK, y)], (X_DC + 8, y), (X_PACK - 14, y))
        yield _body(X_PACK, y - 17, W_PACK, 34, f"Pack {i}", f"{design.pack.v_nom:g} V" if design.pack else "")


def _side(
    design: Design,
    by_id: dict[str, Sized],
    units: list[_Unit],
    family: str,
    x_bar: float,
    x_far: float,
    name: str,
    detail: str,
    beyond: str,
) -> Iterable[str]:
    """Grid or backup: the units' lines to a bar and one feeder on, or one line straight there when there is one unit."""
    out = X_UNIT + W_UNIT
    ys = [getattr(u, family) for u in units]
    if len(units) == 1:
        y = ys[0]
        yield _wire(design, by_id.get(f"{family}-1"), f"{family}-1", "ac", [(out, y), (x_far, y)], (out + 6, y), (x_far - 16, y))
    else:
        yield line((x_bar, min(ys) - 8), (x_bar, max(ys) + 8), class_="bar")
        for unit, y in zip(units, ys, strict=True):
            key = f"{family}-{unit.number}"
            yield _wire(design, by_id.get(key), key, "ac", [(out, y), (x_bar, y)], (out + 6, y), (x_bar - 16, y))
        y = (ys[0] + ys[-1]) / 2
        feeder = f"{family}-feeder"
        yield _wire(design, by_id.get(feeder), feeder, "ac", [(x_bar, y), (x_far, y)], (x_bar + 6, y), (x_far - 12, y))
    yield _body(x_far, y - 24, W_BOX, 48, name, detail)
    yield line((x_far + W_BOX / 2, y + 24), (x_far + W_BOX / 2, y + 44), class_="feed")
    yield text(x_far + W_BOX / 2, y + 56, beyond, "small soft", "middle")


def _title_block(design: Design, y: float) -> Iterable[str]:
    plan = design.plan
    yield box(8, y, WIDTH - 16, 50, "frame")
    yield text(20, y + 20, plan.site.name, "strong")
    yield text(20, y + 38, f"{plan.supply.kind} · NEC 2023 · every tabled value from memory: check your edition", "small soft")
    for x, class_, words in ((590, "pv run", "PV, DC"), (680, "dc run", "battery, DC"), (800, "ac run", "AC")):
        yield line((x, y + 16), (x + 26, y + 16), class_=class_)
        yield text(x + 32, y + 20, words, "small")
    yield line((590, y + 34), (616, y + 34), class_="earth-a") + line((590, y + 34), (616, y + 34), class_="earth-b")
    yield text(622, y + 38, "earth runs with every circuit", "small")
    yield box(800, y + 29, 14, 10, "device") + text(832, y + 38, "breaker or fuse", "small")
