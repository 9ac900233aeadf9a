"""Arrays, packs and units: the left of the sheet."""

from __future__ import annotations

import itertools
from dataclasses import dataclass

from gumboot.core.design import Design
from gumboot.drawings.sheet.paper import (
    ABOVE,
    CHAIN_ROW,
    GAP,
    H_BOX,
    ROW,
    RUN,
    TOP,
    W_ARRAY,
    W_PACK,
    W_UNIT,
    Parts,
    Sheet,
    Wire,
    upper,
)


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


def lay_units(sheet: Sheet, design: Design, has: Parts, x_array: float, x_unit: float) -> None:
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
            if s.inverter == i and not s.controller and f"array-{s.letter}" in has.bodies
        ]
        shared = [f"generator-{i}"] if has.every else []
        gen = has.generator_row and not has.every and i == (has.count if has.bypass else 1)
        port = ["port-use"] if "port-use" in has.bodies and i == 1 else []
        battery = [w for b in banks for w, u in zip(b.wires, b.units, strict=True) if u == me]
        mine = [b for b in banks if set(b.units) == {me}]
        left = port + (["generator"] if gen and not has.bypass else [])
        rows = left + strings + battery + (["generator"] if gen and has.bypass else []) + shared
        if not upper(i, has.count):
            rows = shared + battery + strings + port + (["generator"] if gen else [])
        h = max(len(rows) * ROW + 8, 50 * max(has.right_rows, 1) + 44, 100)
        unit = sheet.add(me, x_unit, y, W_UNIT, h)
        start = y + (h - len(rows) * ROW) / 2 + ROW / 2
        for k, row in enumerate(rows):
            _left_row(sheet, design, row, start + k * ROW, x_array, x_unit)
        deep = sum(b.tall for b in mine) + 20
        y = unit.bottom + GAP
        if i == (has.count + 1) // 2 and has.count > 1:
            nest = ABOVE + has.below + 12 - (h - 28 + GAP + 116) if has.grid and has.backup else 0.0
            packs = sum(b.tall for b in banks if len(set(b.units)) > 1)
            y += max(0.0, packs - ROW - GAP - 16, nest, H_BOX - GAP if has.every else 0.0)
        y = max(y, unit.y + deep)


def _left_row(
    sheet: Sheet, design: Design, row: str, at: float, x_array: float, x_unit: float
) -> None:
    """One row left of an inverter: a battery conductor (its left end is set by lay_packs), a
    generator, what the generator port serves, or an array.
    """
    if row.startswith("battery-"):
        sheet.ports.append((x_unit + 5, at + 4, "BAT"))
        sheet.wires.append(Wire(row, ((0, at), (x_unit, at)), (0, at)))
        return
    if row.startswith("generator-"):
        sheet.ports.append((x_unit + 5, at + 4, "GEN"))
        sheet.wires.append(Wire(row, ((x_array, at), (x_unit, at)), (x_array + W_ARRAY + 10, at)))
        return
    known = row in ("generator", "port-use")
    box = sheet.add(row if known else f"array-{row}", x_array, at - 18, W_ARRAY, 36)
    tracker = next((s.tracker for s in design.plan.strings if s.letter == row), "")
    sheet.wires.append(
        Wire(
            row if known else f"pv-{row}",
            ((box.right, at), (x_unit, at)),
            (box.right + 10, at),
        )
    )
    sheet.ports.append((x_unit + 5, at + 4, "GEN" if known else f"T{tracker}"))


def lay_shared_generator(sheet: Sheet, x_bar: float, x_box: float) -> None:
    """A generator whose combiner feeds every unit: between the upper units and the lower."""
    rows = [w for w in sheet.wires if w.id.startswith("generator-")]
    ys = [w.points[0][1] for w in rows]
    for w in rows:
        y = w.points[0][1]
        sheet.wires[sheet.wires.index(w)] = Wire(w.id, ((x_bar, y), w.points[1]), w.label)
    gap = max(itertools.pairwise(sorted(ys)), key=lambda g: g[1] - g[0])
    box = sheet.add("generator", x_box, sum(gap) / 2 - 18, W_ARRAY, 36)
    middle = box.middle[1]
    sheet.wires.append(Wire("generator", ((box.x, middle), (x_bar, middle)), (x_bar + 8, middle)))
    sheet.bars["generator-combiner"] = ((x_bar, min(ys) - 9), (x_bar, max(ys) + 9))


def lay_packs(sheet: Sheet, design: Design, x_pack: float, x_dc: float) -> None:
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
            sheet.wires.append(Wire(id, ((right, y), (x_bus, y)), (right + 8, y)))
