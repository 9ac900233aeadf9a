"""Combiners, changeover, panels: the right of the sheet."""

from __future__ import annotations

from gumboot.core.design import Design
from gumboot.drawings.sheet.paper import (
    ABOVE,
    H_BOX,
    RUN,
    W_ARRAY,
    W_BOX,
    W_UNIT,
    Box,
    Parts,
    Point,
    Sheet,
    Wire,
    straight,
    upper,
    widest,
)


def lay_right(sheet: Sheet, design: Design, has: Parts, units: list[Box]) -> None:
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
            straight(sheet, f"{family}-1", (x, chain_y), (x_change, chain_y))
        if has.grid and not has.on_gateway and has.backup:
            straight(sheet, "grid-1", (x, grid_y[0]), (x_panel, grid_y[0]))
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
    gap = widest(grid_y if has.backup and has.grid else backup_y or grid_y, units)
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
            straight(sheet, f"{family}-{i}", (x, y), (x_bar, y))
    x_change = x_bar + RUN - 10
    straight(sheet, f"{family}-feeder", (x_bar, chain_y), (x_change, chain_y))
    _chain(sheet, has, planned, x_change, x_change, chain_y, chain_y, upright=True)
    panel = sheet.boxes.get("sub-board") or sheet.boxes.get("main-panel")
    if has.grid and has.backup and panel:
        passing = 8 + 16 * _past_sub_board(sheet, design)
        aside = passing if passing > 8 else 0
        x_grid, y = x_change + W_BOX + RUN + 4 + aside, panel.middle[1]
        sheet.bars["grid-combiner"] = ((x_grid, min(*grid_y, y) - 9), (x_grid, max(*grid_y, y) + 9))
        for i, line_y in enumerate(grid_y, 1):
            sheet.wires.append(
                Wire(
                    f"grid-{i}",
                    ((x, line_y), (x_grid, line_y)),
                    (x + 8, line_y),
                )
            )
        sheet.wires.append(
            Wire(
                "grid-feeder",
                ((panel.right, y), (x_grid, y)),
                (panel.right + 26 + aside, y),
            )
        )


def _right_ports(sheet: Sheet, has: Parts, units: list[Box]) -> tuple[list[float], list[float]]:
    grid: list[float] = []
    backup: list[float] = []
    for i, u in enumerate(units, 1):
        near, far = (u.y + 28, u.y + 78) if upper(i, has.count) else (u.bottom - 28, u.bottom - 78)
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


def _chain(
    sheet: Sheet,
    has: Parts,
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
    near = "sub-board" if "sub-board" in has.bodies else "main-panel"
    panel = sheet.add(
        near, x_panel, y_top - H_BOX / 2, W_BOX, H_BOX if above else y - y_top + H_BOX
    )
    if has.changeover and above:
        x, low = panel.middle[0], y - H_BOX / 2
        sheet.wires.append(
            Wire(
                "changeover",
                ((x, panel.bottom), (x, low)),
                (x + 8, (panel.bottom + low) / 2 - 1),
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
                "changeover" not in planned,
            )
        )
    if near == "sub-board":
        panel = _main_above(sheet, panel, "sub-feeder" not in planned)
    top = panel.y
    sheet.service = ((panel.middle[0], top), (panel.middle[0], top - 46))
    if "house-panel" in has.bodies:
        _house_panel(sheet, panel)
    if "tap" in planned:
        (x, foot), (_, up) = sheet.service
        head = max(up, foot - 62)
        sheet.wires.append(Wire("tap", ((x, foot), (x, head)), (x + 8, (foot + head) / 2)))


def _past_sub_board(sheet: Sheet, design: Design) -> int:
    """How many PV inverters' lines go up past a sub-board to the main panel."""
    grid = (pv for pv in design.plan.kit.pv_inverters if pv.side == "grid side")
    return sum(1 for _ in grid) if "sub-board" in sheet.boxes else 0


def _main_above(sheet: Sheet, sub: Box, existing: bool) -> Box:
    """The main panel over the board behind it, and the feeder between."""
    main = sheet.add("main-panel", sub.x, sub.y - 44 - H_BOX, W_BOX, H_BOX)
    x, low, high = sub.x + 30, sub.y, main.bottom
    way = ((x, high), (x, low))
    sheet.wires.append(Wire("sub-feeder", way, (x + 8, (high + low) / 2 - 1), existing))
    return main


def _house_panel(sheet: Sheet, panel: Box) -> None:
    """The panel that was there beside a tap: above all else, right of the service, which goes up
    past it.
    """
    x = panel.middle[0]
    highest = min([panel.y - 40, *(p[1] for w in sheet.wires for p in w.points)])
    y = min(highest, *(b.y for b in sheet.boxes.values())) - 62
    box = sheet.add("house-panel", x + RUN, y - H_BOX / 2, W_BOX, H_BOX)
    sheet.wires.append(Wire("house-line", ((x, y), (box.x, y)), (x + 8, y), True))
    sheet.service = ((x, panel.y), (x, y - 54))


def lay_existing(sheet: Sheet, design: Design, has: Parts, x_array: float) -> None:
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
        sheet.wires.append(Wire(f"pv-existing{mark}", ends, (array.right + 8, y), True))
        beside_tap = design.network is not None and "house-panel" in design.network.nodes
        board = sheet.boxes.get("house-panel" if beside_tap else "main-panel")
        way = _way_of_pv(sheet, box, y, backed, board, 16.0 * (n - 1))
        key = f"existing-pv{mark}"
        if way:
            sheet.wires.append(Wire(key, way, (box.right + 8, y), key not in planned))


def _way_of_pv(
    sheet: Sheet, box: Box, y: float, loads: Box | None, panel: Box | None, aside: float
) -> tuple[Point, ...]:
    """From a PV inverter to the loads it feeds, else to the board on the grid's side; each further
    one farther right.
    """
    if loads:
        if loads.y + 8 <= y <= loads.bottom - 8:
            return ((box.right, y), (loads.x, y))
        x = loads.middle[0] + 22 + aside
        return ((box.right, y), (x, y), (x, loads.bottom))
    below = sheet.boxes.get("loads-panel")
    if panel is None:
        return ()
    if panel.id == "house-panel":  # right of all bars
        x = panel.right - 12 - aside
        return ((box.right, y), (x, y), (x, panel.bottom))
    x = panel.middle[0] + aside
    if "sub-board" in sheet.boxes:  # past the breaker at its right
        x, into = panel.right + 30 + aside, panel.bottom - 8 - aside
        return ((box.right, y), (x, y), (x, into), (panel.right, into))
    if below and below.x < x < below.right:  # the panel stands above the loads: from its right
        x, into = panel.right + 16 + aside, panel.bottom - 8 - aside
        return ((box.right, y), (x, y), (x, into), (panel.right, into))
    return ((box.right, y), (x, y), (x, panel.bottom))


def lay_generator(sheet: Sheet, design: Design, has: Parts) -> None:
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
            )
        )
