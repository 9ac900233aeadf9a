"""The one-line drawing: every conductor of the job on one sheet, whatever kind of system it is.

`sheet` says where things stand; here they are drawn. Slashes across a wire are its conductors, in
the colours of the
job's code book.
"""

from __future__ import annotations

from collections.abc import Iterator
from functools import lru_cache

from gumboot.core.basis.sizes import spoken
from gumboot.core.basis.units import show_length
from gumboot.core.design import Design
from gumboot.core.kit import LINES
from gumboot.core.network import Body
from gumboot.core.size.conductors import SizedCircuit
from gumboot.drawings.sheet import Box, Point, Sheet, Wire, lay_sheet
from gumboot.drawings.svg import box, line, picture, tag, text

TITLE_H = 74
GUARD_H = 20
TINY_BOLD = 5.2  # and a letter of its small bold type, on the average
MONO_BOLD = 7.0
MONO = 6.6  # how wide a figure is in the drawing's mono type
BROWSE = "from memory: check your edition"


@lru_cache(maxsize=64)
def one_line(
    design: Design,
    standalone: bool = False,
    progress: tuple[tuple[str, int, int], ...] = (),
    built: tuple[tuple[str, str], ...] = (),
) -> str:
    """The drawing as SVG text. progress: (circuit, ends made off, ends in all), shown in place of
    protection and length. built: what was built otherwise than planned, (circuit or box,
    words): it stands beside what was planned.
    """
    if design.inverter is None or not design.bodies:
        words = (
            "Choose the kit in Brief: nothing can be drawn yet."
            if design.inverter is None
            else "Kit and supply do not go together: see the stops."
        )
        return picture(
            820, 80, "One-line drawing", words, text(20, 44, words), standalone=standalone
        )
    sheet = lay_sheet(design)
    by_id = {s.id: s for s in design.circuits}
    parts = [link for i, way in sheet.links for link in _link(design, i, way)]
    made = {k: (n, of) for k, n, of in progress}
    parts += [_wire(design, by_id.get(w.id), w, made.get(w.id)) for w in sheet.wires]
    other = dict(built)
    parts += [_otherwise(w.label[0], w.label[1], other[w.id]) for w in sheet.wires if w.id in other]
    parts += [_bar(design, i, a, b) for i, (a, b) in sheet.bars.items()]
    parts += [_body(design, b, sheet.boxes[b.id]) for b in design.bodies if b.id in sheet.boxes]
    boxes = [(sheet.boxes[k], words) for k, words in built if k in sheet.boxes]
    parts += [_otherwise(b.x, b.bottom - 8, words) for b, words in boxes]
    parts += [text(x, y, words, "tiny soft") for x, y, words in sheet.ports]
    parts += _service(design, sheet)
    parts += _bonds(design, sheet)
    parts += _title_block(design, sheet)
    parts += _safeguards(design, sheet)
    title = f"One-line drawing of {design.plan.site.name}"
    return picture(
        sheet.width,
        sheet.height + TITLE_H + 10 + (GUARD_H if _guards(design) else 0),
        title,
        describe(design),
        *parts,
        standalone=standalone,
    )


def _otherwise(x: float, y: float, words: str) -> str:
    """What was built otherwise, beside what was planned."""
    said = f"≠ {words if len(words) < 29 else words[:27] + '…'}"
    return tag(
        "g",
        box(x - 2, y + 19, MONO_BOLD * len(said) + 4, 13, "ground"),
        text(x, y + 29, said, "mono strong otherwise"),
    )


def describe(design: Design) -> str:
    """The drawing in words, for those who cannot see it."""
    return (
        ". ".join(
            f"{s.circuit.name}: {s.conductor_text}, protection {s.protection_text}"
            for s in design.circuits
        )
        + "."
    )


def _badge(design: Design, key: str, x: float, y: float) -> str:
    levels = {f.level.value for f in design.findings if f.place == key}
    mark = "stop" if "stop" in levels else "check" if "check" in levels else ""
    if not mark:
        return ""
    width = 30 if mark == "stop" else 38
    return box(x, y - 11, width, 14, "badge" if mark == "stop" else "badge-check") + text(
        x + width / 2, y - 0.5, mark, "badge-text", "middle"
    )


def _wire(
    design: Design, s: SizedCircuit | None, w: Wire, made: tuple[int, int] | None = None
) -> str:
    """One circuit: line, its conductors as slashes, conductor text above, protection and length
    below, all one link.
    """
    if w.existing and s is None:
        words = "existing wiring"
        upright = w.points[0][0] == w.points[1][0]
        at = (w.label[0], w.label[1] + 4) if upright else (w.label[0], w.label[1] - 6)
        return tag("g", line(*w.points, class_="feed"), text(*at, words, "tiny soft"))
    key = w.id
    upright = len(w.points) == 2 and w.points[0][0] == w.points[1][0]
    system = design.system_of(key)
    (x0, y0), (x1, y1) = w.points[0], w.points[-1]
    clear = (
        "" if upright or len(w.points) > 2 else line((x0 + 4, y0), (x1 - 8, y1), class_="clear")
    )  # a bar it does not end on stands back
    inner = [line(*w.points, class_="hit"), clear, line(*w.points, class_="run")]
    x, y = w.label
    if s is None:
        inner.append(text(x, y - 6, "not sized", "mono strong"))
        inner.append(_badge(design, key, x, y + 15))
        return tag(
            "a",
            tag("title", f"{key}: not sized"),
            *inner,
            href=f"?at={key}#working",
            class_=f"wire {system}",
            data_at=key,
            aria_label=f"{key}: not sized",
        )
    inner += _slashes(design, s, w) if made is None else ()
    for (bx, by), stands in w.devices:
        wide, high = (9.0, 12.0) if stands else (12.0, 9.0)
        inner.append(box(bx - wide / 2, by - high / 2, wide, high, "device"))
    long = show_length(s.conditions.run.length_m, design.plan.units)
    words = f"{s.circuit.name}: {s.conductor_text}, protection {s.protection_text}, {long}"
    sets = f"{s.sets}×" if s.sets > 1 else ""
    metal = " Al" if s.cable.material == "Al" else ""
    first = f"C{s.circuit.number} {'' if sets else '· '}{sets}{spoken(s.size)}{metal}"
    second = f"{s.protection.text} · {long}" if s.protection else long
    state = ""
    if made:
        second = "✓ made off" if made[0] == made[1] else f"{made[0]} of {made[1]} ends"
        state = " made-all" if made[0] == made[1] else " made-part" if made[0] else " made-none"
        words = f"{s.circuit.name}: {second}"
    if upright:
        inner += [
            box(x - 2, y - 10, MONO_BOLD * len(first) + 4, 13, "ground"),
            text(x, y, first, "mono strong"),
            text(x, y + 14, second, "mono"),
            "" if made else _badge(design, s.id, x + 8 + MONO * len(second), y + 14),
        ]
    else:
        ground = box(x - 2, y - 18, MONO_BOLD * len(first) + 4, 13, "ground")  # a link stands back
        inner += [ground, text(x, y - 8, first, "mono strong"), text(x, y + 15, second, "mono")]
    if not upright and not made:
        low = system == "pv" and len(second) < 9  # beside its length, where there is room
        at = (x + max(48, MONO * len(second) + 4), y + 15) if low else (x, y - 20)
        inner.append(_badge(design, s.id, *at))
    return tag(
        "a",
        tag("title", words),
        *inner,
        href=f"?at={key}#working",
        class_=f"wire {system}{state}",
        data_at=key,
        aria_label=words,
    )


def colour_class(design: Design, conductor: str) -> str:
    """The drawing's class for a conductor under the job's code book: "nec-L1", "iec-N",
    "dc-plus".
    """
    if conductor in "+−":
        return "dc-plus" if conductor == "+" else "dc-minus"
    return f"{design.plan.book.swatch}-{conductor}"


def _slashes(design: Design, s: SizedCircuit, w: Wire) -> Iterator[str]:
    """A short stroke for each live conductor, in its colour; the earth last, green and yellow."""
    live = [c for c in s.circuit.conductors if c != "PE"]
    (x0, y0), (x1, y1) = max(
        zip(w.points, w.points[1:], strict=False), key=lambda e: abs(e[0][0] - e[1][0])
    )
    upright = x0 == x1
    right = max(x0, x1)
    at_right = [x for (x, _), _ in w.devices if right - 30 < x < right]
    if at_right and not upright:
        right = at_right[0] - 4
    elif len(w.points) > 2:
        right -= 50
    for k, c in enumerate([*live, "PE"]):
        step = 4.5 * (len(live) - k)
        if upright:
            y = (y0 + y1) / 2 + 10 - step
            ends = ((x0 - 4, y + 3), (x0 + 4, y - 3))
        else:
            x = right - 10 - step
            ends = ((x - 3, y1 + 4), (x + 3, y1 - 4))
        yield line(*ends, class_="under") + line(*ends, class_=f"slash {colour_class(design, c)}")
        if c == "PE":
            yield line(*ends, class_="slash earth-dash")


def _bar(design: Design, id: str, a: Point, b: Point) -> str:
    body = next(x for x in design.bodies if x.id == id)
    at = leads_to(design, body)
    return tag(
        "a",
        tag("title", body.label),
        line(a, b, class_="bar"),
        href=f"?at={at}#working",
        class_="stands",
        data_at=at,
        aria_label=body.label,
    )


def _body(design: Design, body: Body, b: Box) -> str:
    """A body with its name and a line or two."""
    most = 3 if b.h >= 45 else 2
    lines = (*_wrapped(body.label, b.w - 8), *body.lines)[:most]
    x, y = b.middle
    there = body.role in ("pv-inverter", "house-panel") or body.id.startswith("array-existing")
    shown = "house" if there else "body"
    start = b.y + 15 if body.role == "inverter" else y - (len(lines) - 1) * 6.5 + 4
    inner = [box(b.x, b.y, b.w, b.h, shown)]
    for i, words in enumerate(lines):
        down = (
            start + 13 * i
            if body.role != "inverter" or i == 0
            else b.bottom - 8 - 12 * (len(lines) - 1 - i)
        )
        bold = "strong small" if len(words) < 17 else "strong tiny"
        inner.append(text(x, down, words, bold if i == 0 else "tiny", "middle"))
    if body.safeguards:
        marks = " ".join(f"S{n}" for n, _ in body.safeguards)
        inner.append(text(b.x, b.bottom + 9, marks, "tiny soft"))
    if body.role == "sub-board":  # its feeder comes in above
        inner.append(_badge(design, body.id, b.x + 26, b.bottom + 16))
    inner.append(
        _badge(design, body.id, b.x, b.y - 3)
        if body.role
        in (
            "main-panel",
            "changeover",
            "loads",
            "generator",
            "pv-inverter",
            "inverter",
            "controller",
        )
        else ""
    )
    if body.role == "array":
        s = next(
            (s for s in design.strings if s.key == f"pv-{body.id.removeprefix('array-')}"), None
        )
        if s and s.jumper:
            inner.append(_jumper(b))
    words = " · ".join((body.label, *body.lines, *(w for _, w in body.safeguards)))
    at = leads_to(design, body)
    if not at:
        return tag("g", tag("title", words), *inner)
    return tag(
        "a",
        tag("title", words),
        *inner,
        href=f"?at={at}#working",
        class_="stands",
        data_at=at,
        aria_label=words,
    )


def _wrapped(words: str, wide: float) -> tuple[str, ...]:
    """A label in one line, or in two where one is too long for its box."""
    if len(words) * TINY_BOLD <= wide or " " not in words:
        return (words,)
    parts = words.split(" ")
    cut = min(range(1, len(parts)), key=lambda i: abs(len(" ".join(parts[:i])) - len(words) / 2))
    return " ".join(parts[:cut]), " ".join(parts[cut:])


def _guards(design: Design) -> list[tuple[int, str]]:
    """The safeguards of the job, numbered as the plan has them."""
    return sorted(x for b in design.bodies for x in b.safeguards)


def _safeguards(design: Design, sheet: Sheet) -> Iterator[str]:
    """A line below the title block that says what S1, S2 … at the boxes are."""
    rows = _guards(design)
    if rows:
        words = " · ".join(f"S{n} {what}" for n, what in rows)
        yield text(20, sheet.height + TITLE_H + 18, words, "tiny")


def leads_to(design: Design, body: Body) -> str:
    """The key of the figures that a body is about: its string, the bank, the bus, or the first
    circuit that ends on it; empty when there is none.
    """
    if body.role in ("pack", "dc-bus"):
        return "bank"
    if body.role == "array":
        return (
            f"pv-{body.id.removeprefix('array-')}"
            if not body.id.startswith("array-existing")
            else ""
        )
    if body.role == "main-panel" and design.bus:
        return "bus"
    return next(
        (s.id for s in design.circuits if body.id in (s.circuit.source.body, s.circuit.load.body)),
        "",
    )


def _jumper(b: Box) -> str:
    """Two pairs of connectors bridged: the maker's jumper, drawn at the inverter's end of the
    string.
    """
    x, y = b.right + 78, b.y + b.h / 2
    return line((x, y - 6), (x + 8, y - 6), (x + 8, y + 6), (x, y + 6), class_="jumper") + text(
        x - 34, y + 27, "jumper", "tiny"
    )


def _link(design: Design, id: str, way: tuple[Point, ...]) -> Iterator[str]:
    link = next(x for x in design.links if x.id == id)
    words = f"{link.name}: {link.conductors}"
    inner = (tag("title", words), line(*way, class_="hit thin"), line(*way, class_="link"))
    yield tag(
        "a",
        *inner,
        href="?at=links#links",
        class_="signal",
        data_at=f"links.{link.id}",
        aria_label=words,
    )


def _service(design: Design, sheet: Sheet) -> Iterator[str]:
    """The line to the grid, and the ring of its current transformers."""
    if sheet.service is None:
        return
    (x, y), (_, up) = sheet.service
    yield line((x, y), (x, up), class_="feed thick") + line(
        (x - 5, up + 7), (x, up), (x + 5, up + 7), class_="feed thick"
    )
    yield text(x + 8, up + 8, "grid", "small soft")
    yield text(x + 8, up + 20, design.plan.supply.earthing or "", "tiny soft")
    m = design.metering
    if m and m.wanted:
        count = len(LINES.get(design.plan.supply.kind, ("L1",)))
        words = f"{count} CT" + (f" {m.ct.primary_a:g} A" if m.ct else "")
        if m.meter and m.meter.through == "itself":
            words = "meter"
        yield tag("ellipse", cx=x, cy=sheet.ring, rx=6, ry=4, class_="ct")
        yield text(x + 10, sheet.ring + (3 if "house-panel" in sheet.boxes else 8), words, "tiny")
        for w in sheet.wires:
            if not w.id.startswith("existing-pv"):
                continue
            x, y = w.points[0][0] + 3, w.points[0][1]  # its own current is measured too
            yield tag("ellipse", cx=x, cy=y, rx=4, ry=6, class_="ct")


def _bonds(design: Design, sheet: Sheet) -> Iterator[str]:
    """Both places where neutral can meet earth: filled where it always does, open where a relay
    makes it in an outage.
    """
    if design.bonds is None:
        return
    places: dict[str, str] = {}
    if "main-panel" in sheet.boxes:
        places["main-panel"] = "bond"
    bond = design.plan.backup.bond
    at = {"inverter": "inverter-1", "gateway": "gateway", "loads panel": "loads-panel"}.get(bond)
    if at and at in sheet.boxes:
        places[at] = "bond" if bond == "loads panel" else "bond-relay"
    if (
        design.plan.kit.generator
        and design.plan.kit.generator.bonded
        and "generator" in sheet.boxes
    ):
        places["generator"] = "bond"
    for id, kind in places.items():
        b = sheet.boxes[id]
        x, y = b.right - 13, b.bottom
        words = (
            "neutral bonded to earth"
            if kind == "bond"
            else "relay bonds neutral to earth in an outage"
        )
        glyph = line((x, y), (x, y + 5), class_="earth-line")
        glyph += "".join(
            line((x - w, y + 5 + 3 * k), (x + w, y + 5 + 3 * k), class_="earth-line")
            for k, w in enumerate((7, 4.5, 2))
        )
        yield tag("g", tag("title", words), glyph, tag("circle", cx=x, cy=y, r=3.4, class_=kind))


def _title_block(design: Design, sheet: Sheet) -> Iterator[str]:
    plan, y, w = design.plan, sheet.height, sheet.width
    yield box(8, y, w - 16, TITLE_H, "frame")
    kit = design.inverter
    yield text(20, y + 20, plan.site.name, "strong")
    yield text(20, y + 37, f"{plan.supply.kind} · {plan.book.name}", "small soft")
    yield text(
        20, y + 52, f"{plan.kit.inverters} × {kit.maker} {kit.model}" if kit else "", "small soft"
    )
    yield text(20, y + 66, f"Tables {BROWSE}. Local code comes first.", "tiny soft")
    x = w - 560
    for dx, class_, words in (
        (0, "pv run", "PV, DC"),
        (84, "dc run", "battery, DC"),
        (190, "ac run", "AC"),
    ):
        yield line((x + dx, y + 16), (x + dx + 24, y + 16), class_=class_) + text(
            x + dx + 30, y + 20, words, "small"
        )
    yield line((x + 250, y + 16), (x + 274, y + 16), class_="link") + text(
        x + 280,
        y + 20,
        ", ".join(dict.fromkeys(k.name for k in design.links if k.drawn)) or "links",
        "tiny",
    )
    names = (
        ["L1", "L2", "L3", "N"]
        if "L3" in _lines(design)
        else ["L1", "L2", "N"]
        if "L2" in _lines(design)
        else ["L1", "N"]
    )
    for k, c in enumerate([*names, "PE", "+", "−"]):
        at = x + 4 + 34 * k
        ends = ((at - 3, y + 42), (at + 3, y + 32))
        yield line(*ends, class_="under") + line(*ends, class_=f"slash {colour_class(design, c)}")
        if c == "PE":
            yield line(*ends, class_="slash earth-dash")
        yield text(at + 6, y + 41, c if c != "L1" or len(names) > 2 else "L", "tiny")
    yield box(x + 262, y + 32, 12, 9, "device") + text(x + 280, y + 41, "breaker or fuse", "tiny")
    yield tag("circle", cx=x + 4, cy=y + 60, r=3.4, class_="bond") + text(
        x + 14, y + 64, "N bonded to earth", "tiny"
    )
    yield tag("circle", cx=x + 124, cy=y + 60, r=3.4, class_="bond-relay") + text(
        x + 134, y + 64, "bonded by relay in an outage", "tiny"
    )
    yield tag("ellipse", cx=x + 300, cy=y + 60, rx=6, ry=4, class_="ct") + text(
        x + 312, y + 64, "current transformers", "tiny"
    )


def _lines(design: Design) -> tuple[str, ...]:
    """Every line that a conductor of the job is; the unit's own where nothing is laid out."""
    used = {c for s in design.circuits for c in s.circuit.conductors if c[0] == "L"}
    return tuple(sorted(used)) or (design.inverter.lines if design.inverter else ())
