"""Where everything of a one-line drawing stands: boxes, bars, wires and thin lines, in px of the
view box, origin top left.

    packs | battery bar | arrays, generator | inverters | backup bar | changeover, loads below it |
    main panel | grid bar

The left of an inverter is direct current, the right alternating. Upper inverters send grid above
backup, lower ones the
other way round; main panel, changeover and loads stand one above the other in the widest gap
between their grid lines:
so the bars nest. With three inverters or more a middle one's grid line has to pass the backup bar;
nothing else crosses.
"""

from __future__ import annotations

import itertools
from dataclasses import dataclass, field
from functools import lru_cache

from gumboot.core.design import Design

Point = tuple[float, float]
ROW, GAP, TOP = 52, 44, 58
CHAIN_ROW = 84
ABOVE, BELOW = 172, 126  # what stands above and below the changeover of several inverters
GENERATOR_BELOW = 112
W_PACK, W_ARRAY, W_UNIT, W_BOX, H_BOX = 74, 78, 96, 104, 48
WIDTH_LEAST = 960
RUN = 122  # room for the words on a wire


@dataclass(frozen=True)
class Box:
    """A body on the sheet."""

    id: str
    x: float
    y: float
    w: float
    h: float

    @property
    def right(self) -> float:
        """Its right edge."""
        return self.x + self.w

    @property
    def bottom(self) -> float:
        """Its lower edge."""
        return self.y + self.h

    @property
    def middle(self) -> Point:
        """Its centre."""
        return self.x + self.w / 2, self.y + self.h / 2


@dataclass(frozen=True)
class Wire:
    """A conductor: its circuit's key, the way it goes, where its words stand and where its
    protection is drawn.
    """

    id: str
    points: tuple[Point, ...]
    label: Point
    breaker: Point | None = None
    existing: bool = False


@dataclass
class Sheet:
    """A laid-out drawing."""

    boxes: dict[str, Box] = field(default_factory=dict)
    bars: dict[str, tuple[Point, Point]] = field(default_factory=dict)
    wires: list[Wire] = field(default_factory=list)
    links: list[tuple[str, tuple[Point, ...]]] = field(default_factory=list)
    ports: list[tuple[float, float, str]] = field(default_factory=list)
    service: tuple[Point, Point] | None = None
    width: float = 0
    height: float = 0

    def add(self, id: str, x: float, y: float, w: float, h: float) -> Box:
        """Stand a box on the sheet."""
        box = self.boxes[id] = Box(id, x, y, w, h)
        return box


@dataclass(frozen=True)
class _Has:
    """What a design has, as far as the sheet cares."""

    count: int
    bodies: frozenset[str]
    grid: bool
    backup: bool
    changeover: str
    on_gateway: bool
    direct: bool
    packs: int
    generator_row: bool
    bypass: bool
    below: float  # what hangs below the changeover

    @property
    def right_rows(self) -> int:
        """Ports on an inverter's right."""
        return int(self.grid) + int(self.backup)


def _what(design: Design) -> _Has:
    ids = frozenset(b.id for b in design.bodies)
    inverter = design.inverter
    assert inverter is not None  # noqa: S101 - the caller looked
    on_grid = "main-panel" in ids
    generator = design.plan.kit.generator
    changeover = next((i for i in ("gateway", "transfer-switch") if i in ids), "")
    backup = inverter.backup is not None and "loads-panel" in ids
    port = inverter.generator or (inverter.grid if not on_grid else None)
    lands = generator is not None and generator.lands != "loads panel" and port is not None
    hangs = GENERATOR_BELOW if generator is not None and not lands and "loads-panel" in ids else 0
    return _Has(
        count=design.plan.kit.inverters,
        bodies=ids,
        grid=inverter.grid is not None and on_grid,
        backup=backup,
        changeover=changeover,
        on_gateway=changeover == "gateway" and not backup,
        direct=not any(b.role == "dc-bus" for b in design.bodies),
        packs=sum(b.role == "pack" for b in design.bodies),
        generator_row=lands,
        bypass=lands and generator is not None and generator.lands == "inverter with bypass",
        below=BELOW + hangs,
    )


@lru_cache(maxsize=64)
def lay_sheet(design: Design) -> Sheet:
    """The sheet of a design whose kit is known."""
    has, sheet = _what(design), Sheet()
    x = 14.0
    x_pack = x
    if has.packs:
        x += W_PACK + (RUN - 6 if not has.direct else 0)
    x_dc = x
    x_array = x + (14 if has.packs and not has.direct else RUN - 40 if has.packs else 0)
    arrays = any(b.role in ("array", "generator", "port-use") for b in design.bodies)
    x_unit = x_array + (W_ARRAY + RUN if arrays else RUN if has.packs else 0)
    _units(sheet, design, has, x_array, x_unit)
    units = [sheet.boxes[f"inverter-{i}"] for i in range(1, has.count + 1)]
    _packs(sheet, design, x_pack, x_dc)
    _right(sheet, design, has, units)
    _existing(sheet, design, has, x_array)
    _generator_elsewhere(sheet, design, has)
    _links(sheet, design, has, units)
    _close(sheet)
    return sheet


def _upper(i: int, count: int) -> bool:
    return i <= (count + 1) // 2


@dataclass(frozen=True)
class _Bank:
    """One bank as it is drawn: its bus (empty without one), its packs as they hang together, and
    the units it feeds.
    """

    bus: str
    rows: tuple[tuple[str, ...], ...]  # each from the one at the bus or unit outward
    wires: tuple[str, ...]
    units: tuple[str, ...]

    @property
    def tall(self) -> float:
        """The height its packs want."""
        return sum(ROW + CHAIN_ROW * (len(r) - 1) for r in self.rows)


def _banks(design: Design) -> tuple[_Bank, ...]:
    """The banks of a design, read off its network."""
    network = design.network
    if network is None:
        return ()
    battery = [c for c in network.circuits if c.family == "battery"]
    packs = [c for c in network.circuits if c.family == "pack"]
    behind = {c.load.body: c.source.body for c in packs if c.load.body.startswith("pack-")}

    def outward(first: str) -> tuple[str, ...]:
        row = [first]
        while row[-1] in behind:
            row.append(behind[row[-1]])
        return tuple(row)

    out: dict[str, _Bank] = {}
    for c in battery:
        at = c.source.body
        bus = at if at.startswith("dc-bus") else ""
        ends = [p.source.body for p in packs if p.load.body == bus] if bus else [at]
        key = bus or c.load.body
        old = out.get(key, _Bank(bus, (), (), ()))
        rows = tuple(outward(x) for x in ends)
        new = old.rows if bus and old.rows else (*old.rows, *rows)
        out[key] = _Bank(bus, new, (*old.wires, c.id), (*old.units, c.load.body))
    return tuple(out.values())


def _units(sheet: Sheet, design: Design, has: _Has, x_array: float, x_unit: float) -> None:
    """Inverters, and what stands left of each: generator, arrays; with a free row for every battery
    conductor.
    """
    y = float(TOP)
    banks = _banks(design)
    for i in range(1, has.count + 1):
        me = f"inverter-{i}"
        strings = [
            s.letter
            for s in design.plan.strings
            if s.inverter == i and f"array-{s.letter}" in has.bodies
        ]
        gen = has.generator_row and i == (has.count if has.bypass else 1)
        port = ["port-use"] if "port-use" in has.bodies and i == 1 else []
        battery = [w for b in banks for w, u in zip(b.wires, b.units, strict=True) if u == me]
        mine = [b for b in banks if set(b.units) == {me}]
        left = port + (["generator"] if gen and not has.bypass else [])
        rows = left + strings + battery + (["generator"] if gen and has.bypass else [])
        if not _upper(i, has.count):
            rows = battery + strings + port + (["generator"] if gen else [])
        h = max(len(rows) * ROW + 8, 50 * max(has.right_rows, 1) + 44, 100)
        unit = sheet.add(me, x_unit, y, W_UNIT, h)
        start = y + (h - len(rows) * ROW) / 2 + ROW / 2
        for k, row in enumerate(rows):
            _left_row(sheet, design, row, start + k * ROW, x_array, x_unit)
        deep = sum(b.tall for b in mine) + 20
        y = unit.bottom + GAP
        if i == (has.count + 1) // 2 and has.count > 1:
            nest = ABOVE + has.below + 12 - (h - 28 + GAP + 116) if has.grid and has.backup else 0.0
            shared = sum(b.tall for b in banks if len(set(b.units)) > 1)
            y += max(0.0, shared - ROW - GAP - 16, nest)
        y = max(y, unit.y + deep)


def _left_row(
    sheet: Sheet, design: Design, row: str, at: float, x_array: float, x_unit: float
) -> None:
    """One row left of an inverter: a battery conductor (its left end is set by _packs), a
    generator, what the generator port serves, or an array.
    """
    if row.startswith("battery-"):
        sheet.ports.append((x_unit + 5, at + 4, "BAT"))
        sheet.wires.append(Wire(row, ((0, at), (x_unit, at)), (0, at)))
        return
    known = row in ("generator", "port-use")
    box = sheet.add(row if known else f"array-{row}", x_array, at - 18, W_ARRAY, 36)
    tracker = next((s.tracker for s in design.plan.strings if s.letter == row), "")
    sheet.wires.append(
        Wire(
            row if known else f"pv-{row}",
            ((box.right, at), (x_unit, at)),
            (box.right + 10, at),
            (x_unit - 18, at),
        )
    )
    sheet.ports.append((x_unit + 5, at + 4, "GEN" if known else f"T{tracker}"))


def _packs(sheet: Sheet, design: Design, x_pack: float, x_dc: float) -> None:
    """Packs left of what they feed: on their bus, or right at the unit; those behind in a chain
    below the one before.
    """
    low = float(TOP) + 10
    for bank in _banks(design):
        wires = [w for w in sheet.wires if w.id in bank.wires]
        left = x_dc if bank.bus else x_pack + W_PACK
        for w in wires:
            y, right = w.points[0][1], w.points[1][0]
            sheet.wires[sheet.wires.index(w)] = Wire(
                w.id,
                ((left, y), (right, y)),
                (left + 12 if bank.bus else right - RUN + 10, y),
                (right - 18, y) if bank.bus else (left + 10, y),
            )
        ys = [w.points[0][1] for w in wires]
        if bank.bus:
            middle = (min(ys) + max(ys)) / 2
            top = max(low, middle - (bank.tall - ROW) / 2)
        else:
            top = ys[0]
        firsts: list[float] = []
        for k, row in enumerate(bank.rows):
            at = top if bank.bus else max(ys[k], low if k else ys[k])
            firsts.append(at)
            _pack_row(sheet, row, at, x_pack, x_dc if bank.bus else None)
            top = at + ROW + CHAIN_ROW * (len(row) - 1)
            low = max(low, top)
        if bank.bus:
            ends = (min(*ys, *firsts) - 9, max(*ys, *firsts) + 9)
            sheet.bars[bank.bus] = ((x_dc, ends[0]), (x_dc, ends[1]))


def _pack_row(
    sheet: Sheet, row: tuple[str, ...], y: float, x_pack: float, x_bus: float | None
) -> None:
    """Packs of one row, the first at the bus or unit, each further one below."""
    for k, id in enumerate(row):
        box = sheet.add(id, x_pack, y + k * CHAIN_ROW - 20, W_PACK, 40)
        if k:
            x = box.x + W_PACK - 20
            up = box.y - CHAIN_ROW + 40
            sheet.wires.append(Wire(id, ((x, box.y), (x, up)), (x + 8, box.y - CHAIN_ROW / 2 + 19)))
        elif x_bus is not None:
            right = x_pack + W_PACK
            sheet.wires.append(Wire(id, ((right, y), (x_bus, y)), (right + 8, y), (right + 10, y)))


def _right(sheet: Sheet, design: Design, has: _Has, units: list[Box]) -> None:
    """Everything on the alternating side."""
    x = units[0].right
    grid_y, backup_y = _right_ports(sheet, has, units)
    planned = {s.id for s in design.circuits} | {i for i, _ in design.unsized}
    if has.count == 1:
        chain_y = backup_y[0] if backup_y else grid_y[0] if grid_y else units[0].middle[1]
        x_change = x + RUN
        x_panel = x_change + (W_BOX + RUN if has.changeover or has.backup else 0)
        family = "backup" if has.backup else "grid"
        first = has.changeover or (
            "loads-panel" if has.backup else "main-panel" if has.grid else ""
        )
        if first:
            _straight(sheet, f"{family}-1", (x, chain_y), (x_change, chain_y), family)
        if has.grid and not has.on_gateway and has.backup:
            _straight(sheet, "grid-1", (x, grid_y[0]), (x_panel, grid_y[0]), "grid")
        _chain(
            sheet,
            has,
            planned,
            x_change,
            x_panel,
            chain_y,
            min([chain_y, *(grid_y if has.backup else [])]),
        )
        return
    gap = _widest(grid_y if has.backup and has.grid else backup_y or grid_y, units)
    chain_y = gap[0] + ABOVE + (gap[1] - gap[0] - ABOVE - has.below) / 2
    family = "backup" if has.backup else "grid"
    ys = backup_y or grid_y
    if not ys:
        return
    x_bar = x + RUN
    if ys:
        sheet.bars[f"{family}-combiner"] = (
            (x_bar, min(*ys, chain_y) - 9),
            (x_bar, max(*ys, chain_y) + 9),
        )
        for i, y in enumerate(ys, 1):
            _straight(sheet, f"{family}-{i}", (x, y), (x_bar, y), family, bar=True)
    x_change = x_bar + RUN - 10
    _straight(sheet, f"{family}-feeder", (x_bar, chain_y), (x_change, chain_y), family)
    _chain(sheet, has, planned, x_change, x_change, chain_y, chain_y, upright=True)
    panel = sheet.boxes.get("main-panel")
    if has.grid and has.backup and panel:
        x_grid, y = x_change + W_BOX + RUN + 4, panel.middle[1]
        sheet.bars["grid-combiner"] = ((x_grid, min(*grid_y, y) - 9), (x_grid, max(*grid_y, y) + 9))
        for i, line_y in enumerate(grid_y, 1):
            sheet.wires.append(
                Wire(
                    f"grid-{i}",
                    ((x, line_y), (x_grid, line_y)),
                    (x + 8, line_y),
                    (x_bar - 18, line_y),
                )
            )
        sheet.wires.append(
            Wire(
                "grid-feeder",
                ((panel.right, y), (x_grid, y)),
                (panel.right + 26, y),
                (panel.right + 10, y),
            )
        )


def _right_ports(sheet: Sheet, has: _Has, units: list[Box]) -> tuple[list[float], list[float]]:
    grid: list[float] = []
    backup: list[float] = []
    for i, u in enumerate(units, 1):
        near, far = (u.y + 28, u.y + 78) if _upper(i, has.count) else (u.bottom - 28, u.bottom - 78)
        if has.count == 1 and has.right_rows < 2:
            near = far = u.y + u.h / 2
        if has.grid:
            grid.append(near)
            sheet.ports.append(
                (
                    u.right - 30 if not has.on_gateway else u.right - 24,
                    near + 4,
                    "AC" if has.on_gateway else "GRID",
                )
            )
        if has.backup:
            backup.append(far if has.grid else near)
            sheet.ports.append(
                (
                    u.right - 38 if has.grid else u.right - 46,
                    backup[-1] + 4,
                    "BACK" if has.grid else "AC OUT",
                )
            )
    return grid, backup


def _widest(ys: list[float], units: list[Box]) -> tuple[float, float]:
    """The widest gap between consecutive lines: there is room for the chain."""
    if len(ys) < 2:
        return units[0].y, units[-1].bottom
    rows = sorted(ys)
    return max(itertools.pairwise(rows), key=lambda g: g[1] - g[0])


def _straight(sheet: Sheet, id: str, a: Point, b: Point, family: str, bar: bool = False) -> None:
    breaker = (b[0] - 18, b[1])
    sheet.wires.append(Wire(id, (a, b), (a[0] + 8, a[1]), breaker))


def _chain(
    sheet: Sheet,
    has: _Has,
    planned: set[str],
    x_change: float,
    x_panel: float,
    y: float,
    y_top: float,
    upright: bool = False,
) -> None:
    """Changeover, loads below it, main panel right of it or above, the service going up
    from there.
    """
    loads = "loads-panel" in has.bodies
    if has.changeover:
        box = sheet.add(has.changeover, x_change, y - H_BOX / 2, W_BOX, H_BOX)
        if loads:
            below = sheet.add("loads-panel", x_change, box.bottom + 44, W_BOX, H_BOX)
            middle = box.middle[0]
            sheet.wires.append(
                Wire(
                    "loads",
                    ((middle, box.bottom), (middle, below.y)),
                    (middle + 8, (box.bottom + below.y) / 2 - 1),
                    None,
                    "loads" not in planned,
                )
            )
    elif loads and has.backup:
        sheet.add("loads-panel", x_change, y - H_BOX / 2, W_BOX, H_BOX)
    if "main-panel" not in has.bodies:
        return
    above = upright and (has.changeover or has.backup)
    if above:
        y_top = y - 2 * H_BOX + 4
    panel = sheet.add(
        "main-panel", x_panel, y_top - H_BOX / 2, W_BOX, H_BOX if above else y - y_top + H_BOX
    )
    if has.changeover and above:
        x, low = panel.middle[0], y - H_BOX / 2
        sheet.wires.append(
            Wire(
                "changeover",
                ((x, panel.bottom), (x, low)),
                (x + 8, (panel.bottom + low) / 2 - 1),
                None,
                "changeover" not in planned,
            )
        )
    elif has.changeover:
        edge = x_change + W_BOX
        sheet.wires.append(
            Wire(
                "changeover",
                ((edge, y), (x_panel, y)),
                (edge + 8, y),
                (x_panel - 18, y),
                "changeover" not in planned,
            )
        )
    top = panel.y
    sheet.service = ((panel.middle[0], top), (panel.middle[0], top - 46))
    if "house-panel" in has.bodies:
        _house_panel(sheet, panel)
    if "tap" in planned:
        (x, foot), (_, up) = sheet.service
        head = max(up, foot - 62)
        sheet.wires.append(Wire("tap", ((x, foot), (x, head)), (x + 8, (foot + head) / 2)))


def _house_panel(sheet: Sheet, panel: Box) -> None:
    """The panel that was there beside a tap: above all else, right of the service, which goes up
    past it.
    """
    x = panel.middle[0]
    highest = min([panel.y - 40, *(p[1] for w in sheet.wires for p in w.points)])
    y = min(highest, *(b.y for b in sheet.boxes.values())) - 62
    box = sheet.add("house-panel", x + RUN, y - H_BOX / 2, W_BOX, H_BOX)
    sheet.wires.append(Wire("house-line", ((x, y), (box.x, y)), (x + 8, y), (box.x - 12, y), True))
    sheet.service = ((x, panel.y), (x, y - 40))


def _existing(sheet: Sheet, design: Design, has: _Has, x_array: float) -> None:
    """PV inverters that were there before, below the inverters, one below the other."""
    unit = sheet.boxes["inverter-1"]
    planned = {s.id for s in design.circuits} | {i for i, _ in design.unsized}
    for n, pv in enumerate(design.plan.kit.pv_inverters, 1):
        mark = "" if n == 1 else f"-{n}"
        if f"pv-inverter{mark}" not in has.bodies:
            return
        lowest = max(b.bottom for b in sheet.boxes.values() if b.x <= unit.right) + (
            40 if has.bypass and n == 1 else 0
        )
        loads = sheet.boxes.get("loads-panel")
        on_loads = pv.side == "backup side" or "main-panel" not in sheet.boxes
        backed = loads if on_loads else None
        y = lowest + 46
        if backed:
            beside = y <= backed.bottom - 8 and n == 1
            y = max(y, backed.middle[1]) if beside else max(y, backed.bottom + 30)
        elif loads:
            y = max(y, loads.bottom + 34)
        box = sheet.add(f"pv-inverter{mark}", unit.x, y - H_BOX / 2, W_UNIT, H_BOX)
        room = x_array < unit.x - 60
        array = sheet.add(
            f"array-existing{mark}",
            x_array if room else unit.x - RUN + 20,
            y - 18,
            W_ARRAY if room else 60,
            36,
        )
        ends = ((array.right, y), (box.x, y))
        sheet.wires.append(Wire(f"pv-existing{mark}", ends, (array.right + 8, y), None, True))
        way = _way_of_pv(sheet, box, y, backed, 16.0 * (n - 1))
        key = f"existing-pv{mark}"
        if way:
            sheet.wires.append(
                Wire(key, way, (box.right + 8, y), (box.right + RUN - 18, y), key not in planned)
            )


def _way_of_pv(
    sheet: Sheet, box: Box, y: float, loads: Box | None, aside: float
) -> tuple[Point, ...]:
    """From a PV inverter to the loads it feeds, else to the main panel; each further one farther
    right.
    """
    if loads:
        if loads.y + 8 <= y <= loads.bottom - 8:
            return ((box.right, y), (loads.x, y))
        x = loads.middle[0] + 22 + aside
        return ((box.right, y), (x, y), (x, loads.bottom))
    panel, below = sheet.boxes.get("main-panel"), sheet.boxes.get("loads-panel")
    if panel is None:
        return ()
    x = panel.middle[0] + aside
    if below and below.x < x < below.right:  # the panel stands above the loads: from its right
        x, into = panel.right + 16 + aside, panel.bottom - 8 - aside
        return ((box.right, y), (x, y), (x, into), (panel.right, into))
    return ((box.right, y), (x, y), (x, panel.bottom))


def _generator_elsewhere(sheet: Sheet, design: Design, has: _Has) -> None:
    """A generator on the loads panel; or its bypass there, below everything on the left."""
    loads = sheet.boxes.get("loads-panel")
    if "generator" not in has.bodies or loads is None:
        return
    if not has.generator_row:
        y = loads.bottom + 62
        box = sheet.add("generator", loads.x, y, W_BOX, 40)
        middle = loads.middle[0]
        sheet.wires.append(
            Wire(
                "generator-bypass",
                ((middle, box.y), (middle, loads.bottom)),
                (middle + 8, (box.y + loads.bottom) / 2),
                (middle, loads.bottom + 14),
            )
        )
    elif has.bypass:
        gen = sheet.boxes["generator"]
        y = max(gen.bottom, sheet.boxes[f"inverter-{has.count}"].bottom) + 34
        x, up = gen.middle[0], loads.middle[0] - (22 if "pv-inverter" in has.bodies else 0)
        sheet.wires.append(
            Wire(
                "generator-bypass",
                ((x, gen.bottom), (x, y), (up, y), (up, loads.bottom)),
                (x + 10, y),
                (up - 40, y),
            )
        )


def _links(sheet: Sheet, design: Design, has: _Has, units: list[Box]) -> None:
    """Thin lines, kept clear of the wires: along the top, between packs, between inverters, and
    inside the nest.
    """
    lanes, lane_y = 0, TOP - 20.0
    above = 76 if any(w.id == "tap" for w in sheet.wires) else 20
    for link in design.links:
        a, b = sheet.boxes.get(link.source), sheet.boxes.get(link.load)
        if a is None or b is None:
            continue
        if link.source.startswith("pack-") and link.load.startswith("pack-"):
            sheet.links.append((link.id, ((a.x + 12, a.bottom), (b.x + 12, b.y))))
        elif link.source.startswith("pack-") and link.load != "inverter-1":
            y = a.bottom - 1  # a bank of its own: straight to its unit
            sheet.links.append((link.id, ((a.right, y), (b.x, y))))
        elif link.source.startswith("pack-"):
            y = lane_y - 6 * lanes
            lanes += 1
            x_a, x_b = a.x + 36 - 8 * lanes, b.x + 14 + 8 * lanes
            sheet.links.append((link.id, ((x_a, a.y), (x_a, y), (x_b, y), (x_b, b.y))))
        elif link.load.startswith("inverter-"):
            sheet.links.append((link.id, ((a.x + a.w / 2, a.bottom), (b.x + b.w / 2, b.y))))
        elif link.load == "main-panel" and sheet.service:
            x, y = sheet.service[0][0], sheet.service[0][1] - above
            if has.count == 1 or not (has.grid and has.backup):
                lane = lane_y - 6 * lanes
                lanes += 1
                sheet.links.append(
                    (
                        link.id,
                        (
                            (a.right - 16, a.y),
                            (a.right - 16, lane),
                            (x - 16, lane),
                            (x - 16, y),
                            (x - 6, y),
                        ),
                    )
                )
            else:
                sheet.links.append(
                    (link.id, ((a.right, a.y + 52), (x - 16, a.y + 52), (x - 16, y), (x - 6, y)))
                )
        elif link.load == "gateway":
            _to_gateway(
                sheet,
                link.id,
                a,
                b,
                has,
                sum(
                    i.startswith("link-") and p[-1][0] < b.right and p[-1][0] > b.x
                    for i, p in sheet.links
                ),
            )


def _to_gateway(sheet: Sheet, id: str, unit: Box, gateway: Box, has: _Has, nth: int) -> None:
    if has.count == 1:
        y = gateway.bottom + 10 + 7 * nth
        x = gateway.x + 10 + 8 * nth
        sheet.links.append((id, ((unit.right, y), (x, y), (x, gateway.bottom))))
    else:
        y = unit.y + (5 if not has.backup else 62) + 7 * nth
        x = gateway.x - 12 - 7 * nth
        sheet.links.append(
            (
                id,
                (
                    (unit.right, y),
                    (x, y),
                    (x, gateway.y + 8 + 5 * nth),
                    (gateway.x, gateway.y + 8 + 5 * nth),
                ),
            )
        )


def _close(sheet: Sheet) -> None:
    """The size of the sheet: what stands on it, and a margin."""
    points = (
        [p for w in sheet.wires for p in w.points]
        + [p for bar in sheet.bars.values() for p in bar]
        + [p for _, way in sheet.links for p in way]
    )
    points += [(b.right, b.bottom) for b in sheet.boxes.values()]
    top = min([p[1] for p in points] + ([sheet.service[1][1]] if sheet.service else []))
    if top < 22:
        _lower(sheet, 22 - top)
    sheet.width = max(max(p[0] for p in points) + 20, WIDTH_LEAST)
    sheet.height = max(p[1] for p in points) + max(0, 22 - top) + 26


def _lower(sheet: Sheet, by: float) -> None:
    """Move everything down."""

    def move(p: Point) -> Point:
        return p[0], p[1] + by

    sheet.boxes = {i: Box(i, b.x, b.y + by, b.w, b.h) for i, b in sheet.boxes.items()}
    sheet.bars = {i: (move(a), move(b)) for i, (a, b) in sheet.bars.items()}
    sheet.wires = [
        Wire(
            w.id,
            tuple(map(move, w.points)),
            move(w.label),
            move(w.breaker) if w.breaker else None,
            w.existing,
        )
        for w in sheet.wires
    ]
    sheet.links = [(i, tuple(map(move, way))) for i, way in sheet.links]
    sheet.ports = [(x, y + by, t) for x, y, t in sheet.ports]
    if sheet.service:
        sheet.service = (move(sheet.service[0]), move(sheet.service[1]))
