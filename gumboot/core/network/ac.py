"""The alternating side: service, inverters, changeover, loads, generator, PV inverters that were
there before; wiring that is there already too.

utility ─ service ─[main]─ main panel ─[breaker]─ (grid combiner) ─ GRID │inverter│ BACKUP ─┐
                               │ [feeder breaker]                                           │
                               └─ [throw] changeover [throw] ─ (backup combiner) ───────────┘
                                             └─ [main] loads panel ─ loads
"""

from __future__ import annotations

from dataclasses import replace
from typing import Literal

from gumboot.core.basis.figure import Figure, given, solve
from gumboot.core.basis.words import inside
from gumboot.core.kit import Family, Port
from gumboot.core.kit.terminal import Conductor, Terminal
from gumboot.core.network.builder import Builder, on_line
from gumboot.core.network.circuit import End, end
from gumboot.core.network.currents import (
    board_current,
    line_voltage,
    on_each_line,
    port_current,
    source_current,
)
from gumboot.core.network.element import Bond, Load, Source, SwitchKind, Work
from gumboot.core.plan import ExistingPv

Line = Literal["L1", "L2", "L3", ""]
CHANGED_OVER = ("whole house", "transfer-switched circuits")
INTERLOCK = "changeover"
THEIRS = "only the utility can cut it off"


def on_grid(b: Builder) -> bool:
    """Whether there is a service at all."""
    return b.plan.supply.kind != "off-grid"


def has_changeover(b: Builder) -> bool:
    """Whether something separates house and grid: a gateway, or a transfer switch where loads have
    two sources.
    """
    changed = b.inverter.backup is not None and b.plan.backup.loads in CHANGED_OVER
    return on_grid(b) and (b.gateway is not None or changed)


def grid_on_gateway(b: Builder) -> bool:
    """Whether the inverters' only AC port lands on the gateway."""
    return b.gateway is not None and b.inverter.backup is None


def tapped(b: Builder) -> bool:
    """Whether the connection is ahead of the main."""
    return b.plan.supply.connection == "supply-side tap"


def spread(b: Builder) -> bool:
    """Whether single-phase units stand on the lines of a three-phase house."""
    return b.inverter.supply.startswith("single") and b.supply.startswith("three")


def line_of(b: Builder, i: int) -> Line:
    """The line that inverter i stands on, where single-phase units share a three-phase house."""
    if not spread(b):
        return ""
    planned = b.plan.kit.lines.split()
    lines: tuple[Line, ...] = ("L1", "L2", "L3")
    at = planned[i - 1] if i <= len(planned) else lines[(i - 1) % 3]
    return next(x for x in lines if x == at)


def conductors_of(b: Builder, i: int) -> tuple[Conductor, ...]:
    """The conductors of one unit's AC circuit."""
    line = line_of(b, i)
    return (line, "N", "PE") if line else (*b.inverter.lines, "N", "PE")


def lay_ac(b: Builder) -> None:
    """All of it but the units, which stand first."""
    if on_grid(b):
        _service(b)
    if has_changeover(b):
        _changeover(b)
    _loads(b)
    current = port_current(b.inverter)
    if b.inverter.grid and on_grid(b):
        _side(b, "grid", "grid-feeder", b.inverter.grid, current)
    if b.inverter.backup and "loads-panel" in b.bodies:
        _side(b, "backup", "backup-feeder", b.inverter.backup, current)
    _house(b, current)
    for n, pv in enumerate(b.plan.kit.pv_inverters, 1):
        _existing_pv(b, n, pv)
    _generator(b)
    _port_use(b)
    _bonds(b)


def lay_units(b: Builder) -> None:
    """Inverters: their ports, the relays between them, and what they can push out."""
    inverter, plan = b.inverter, b.plan
    for i in range(1, plan.kit.inverters + 1):
        hub = f"inverter-{i}"
        packed = ("pack inside",) if inverter.pack_inside else ()
        b.body(
            hub,
            "inverter",
            b.unit_name(i),
            f"{inverter.power_w / 1000:g} kW",
            *packed,
            terminations=inverter.factory_terminations,
        )
        b.node(hub, hub, "ac", bar=True)
        ports: list[str] = []
        neutral = inverter.neutral or (b.gateway.neutral if b.gateway else plan.backup.neutral)
        poles = tuple(
            c for c in conductors_of(b, i) if c != "PE" and (c != "N" or neutral == "switched")
        )
        if inverter.grid:
            grid = b.node(f"{hub}/GRID", hub, "ac")
            if grid_on_gateway(b):
                b.join(hub, grid)
            else:
                b.open_by(f"{hub}/relay", "contactor", "own relay", hub, hub, grid, "grid", poles)
            ports.append(grid)
        if inverter.backup:
            b.join(hub, b.node(f"{hub}/BACKUP", hub, "ac"))
            ports.append(f"{hub}/BACKUP")
        if inverter.generator:
            b.node(f"{hub}/GEN", hub, "ac")
            b.open_by(
                f"{hub}/generator relay",
                "contactor",
                "generator relay",
                hub,
                hub,
                f"{hub}/GEN",
                "generator",
                poles,
            )
        forms = (hub,) if inverter.backup is not None or grid_on_gateway(b) else ()
        feeding = grid_on_gateway(b) or feeds(b)
        pushes = tuple(p for p in ports if feeding or not p.endswith("/GRID"))
        b.sources.append(Source(hub, "inverter", b.unit_name(i), hub, pushes, forms))


def feeds(b: Builder) -> bool:
    """Whether the units can feed a grid: they have a grid port, and their maker lets them."""
    return b.inverter.grid is not None and b.inverter.feeds_grid and on_grid(b)


def _service(b: Builder) -> None:
    """The utility's conductors, the main, and the board behind it; on a tap the disconnect of the
    job beside the board that was there.
    """
    supply = b.plan.supply
    name = main_name(b)
    main = f"{supply.main_breaker_a:g} A main" if supply.main_breaker_a else "main not known"
    b.body("main-panel", "main-panel", name, "supply side" if tapped(b) else main)
    hub = b.node("main-panel", "main-panel", "ac", bar=True)
    b.sources.append(
        Source("utility", "utility", "Utility", "", ("service",), ("service",), THEIRS)
    )
    if not tapped(b):
        b.node("service", "main-panel", "ac")
        b.open_by(
            "main-panel/main",
            "breaker",
            "main breaker",
            "main-panel",
            hub,
            "service",
            "grid",
            b.poles(),
            rated_a=supply.main_breaker_a,
        )
    else:
        _tap(b, hub)
    if b.plan.backup.loads != "whole house" or not has_changeover(b):
        at = "house-panel" if "house-panel" in b.bodies else "main-panel"
        b.loads.append(Load("house", "the house's own circuits", at))


def _tap(b: Builder, hub: str) -> None:
    """The tap's own conductors to the disconnect of the job; the house's panel goes on
    beside it.
    """
    b.node("service", "", "ac")
    line = b.node("main-panel/line", "main-panel", "ac")
    b.open_by(
        "main-panel/main", "breaker", "fused disconnect", "main-panel", hub, line, "grid", b.poles()
    )
    behind = b.plan.backup.loads == "whole house" and has_changeover(b)
    label = "Main panel" if b.plan.code == "nec-2023" else "Main board"
    if not behind:
        supply = b.plan.supply
        main = f"{supply.main_breaker_a:g} A main" if supply.main_breaker_a else "main not known"
        b.body("house-panel", "house-panel", label, main, "existing")
        b.node("house-panel", "house-panel", "ac", bar=True)
        b.node("house-panel/line", "house-panel", "ac")
        b.open_by(
            "house-panel/main",
            "breaker",
            "main breaker",
            "house-panel",
            "house-panel",
            "house-panel/line",
            "grid",
            b.poles(),
            rated_a=supply.main_breaker_a,
        )
        b.existing("house-line", "service", "house-panel/line")
    run = b.run("tap", "tap")
    if run is None:
        b.existing("tap", "service", line)
        return
    shared = on_each_line(b.plan.kit.inverters, spread(b))
    units = given("n_inv", shared, "", "Inverters", "plan")
    one = port_current(b.inverter)
    name = "Continuous current, all inverters"
    total = solve("I_all", "A", name, "n_inv * I", units, one, source="sum")
    total, named = _through_tap(b, total)
    device = b.device("tap", named or 1.25 * total.n)
    terminals = device.terminals if device else ()
    if behind:  # nothing but the meter stands before it
        label = "Meter"
        b.body("house-panel", "house-panel", label, "", "existing")
    splice = b.node("house-panel/tap", "house-panel", "ac")
    b.existing("service-tap", "service", splice)
    at_tap = end(
        "house-panel",
        label,
        "tap",
        device.splices if device else (),
        node=splice,
        missing=device is None,
    )
    at_box = end(
        "main-panel", main_name(b), "line side", terminals, node=line, missing=device is None
    )
    b.add(
        "tap",
        "tap",
        f"Tap to {inside(main_name(b))}",
        at_tap,
        at_box,
        b.ac,
        total,
        line_voltage(b.supply, b.inverter),
        "the utility's fuse",
        4000.0,
        named_a=named,
    )


def _through_tap(b: Builder, units: Figure) -> tuple[Figure, float | None]:
    """(continuous current, rating of its device in A) of a tap: what the units carry, or what is
    backed up and draws through it while the grid is there, whichever is more.
    """
    board, rating = board_current(b.plan, units)
    more = has_changeover(b) and rating is not None and board.n > units.n
    return (board, rating.n) if more and rating else (units, None)


def main_name(b: Builder) -> str:
    """What the box is called where the job meets the service."""
    if tapped(b):
        return "Service disconnect"
    return "Main panel" if b.plan.code == "nec-2023" else "Main board"


def changeover_body(b: Builder) -> str:
    """The key of the changeover."""
    return "gateway" if b.gateway else "transfer-switch"


def changeover_name(b: Builder) -> str:
    """What the changeover is called."""
    if b.gateway:
        return "Gateway" if b.gateway.form == "gateway" else "Islanding box"
    names = {
        "transfer switch": "Transfer switch",
        "interlocked breakers": "Interlocked breakers",
        "loose breakers": "Breakers",
    }
    return names[b.plan.backup.changeover]


def loads_name(b: Builder) -> str:
    """What the board of the backed-up loads is called."""
    if not on_grid(b):
        return "Loads panel"
    names = {"essential board": "Essential board", "whole house": "House panel"}
    return names.get(b.plan.backup.loads, "Backed-up panel")


def _changeover(b: Builder) -> None:
    """A gateway with its contactor and breakers, or a changeover with its two throws."""
    id, name = changeover_body(b), changeover_name(b)
    terminations = b.gateway.factory_terminations if b.gateway else ()
    b.body(
        id,
        "changeover",
        name,
        *((b.gateway.model.split()[0],) if b.gateway else ()),
        terminations=terminations,
    )
    hub = b.node(id, id, "ac", bar=True)
    lines = tuple(c for c in b.ac if c not in ("N", "PE"))
    if b.gateway is None:
        switched = b.plan.backup.neutral == "switched"
        poles = (*lines, "N") if switched else lines
        loose = b.plan.backup.changeover == "loose breakers"
        throws = b.plan.backup.changeover == "transfer switch"
        kind: SwitchKind = "throw" if throws else "breaker"
        sides: tuple[tuple[str, Work], ...] = (("grid", "grid"), ("inverter", "backup"))
        for side, works in sides:
            at = b.node(f"{id}/{side} side", id, "ac")
            b.open_by(
                f"{id}/{side}",
                kind,
                f"{side} {'position' if throws else 'breaker'}",
                id,
                hub,
                at,
                works,
                poles,
                interlock="" if loose else INTERLOCK,
            )
        return
    poles = (*lines, "N") if b.gateway.neutral == "switched" else lines
    grid = b.node(f"{id}/GRID", id, "ac")
    b.open_by(f"{id}/contactor", "contactor", "contactor", id, hub, grid, "grid", poles)


def _gateway_end(b: Builder, port: str) -> End:
    """A port of the gateway; with a breaker of its own where its sheet has one there."""
    assert b.gateway is not None  # noqa: S101 - the caller looked
    terminals = {
        "GRID": b.gateway.grid,
        "INVERTER": b.gateway.inverter,
        "BACKUP": b.gateway.backup,
    }[port].terminals
    name = changeover_name(b)
    at = b.node(f"gateway/{port}", "gateway", "ac")
    if (
        port != "GRID"
        and at not in {s.b for s in b.switches.values()}
        and f"gateway={at}" not in b.wires
    ):
        if port.lower() in b.gateway.breakers:
            works: Work = "grid" if port == "INVERTER" else "loads"
            if port == "INVERTER" and b.inverter.backup is not None:
                works = "backup"
            b.open_by(
                f"gateway/{port} breaker",
                "breaker",
                f"{port} breaker",
                "gateway",
                "gateway",
                at,
                works,
                b.poles(),
            )
        else:
            b.join("gateway", at)
    return end("gateway", name, port, terminals, node=at)


def _loads(b: Builder) -> None:
    """The board of the backed-up loads."""
    plan = b.plan
    fed = b.inverter.backup is not None or (b.gateway is not None and on_grid(b))
    wanted = b.inverter.backup is not None if not on_grid(b) else plan.backup.loads != "nothing"
    if not (wanted and fed):
        return
    words = f"{plan.backup.board_a:g} A feeder" if plan.backup.board_a else ""
    b.body("loads-panel", "loads", loads_name(b), words or ("off grid" if not on_grid(b) else ""))
    b.node("loads-panel", "loads-panel", "ac", bar=True)
    b.loads.append(Load("backed-up", "the backed-up circuits", "loads-panel"))


def _loads_end(b: Builder, amps: float) -> End:
    return b.box("loads-panel", loads_name(b), "panel", "main", amps, "ac-breaker", "loads")


def _main_end(b: Builder, port: str, amps: float, works: Work, line: Line = "") -> End:
    if tapped(b):
        return b.box("main-panel", main_name(b), "tap", port, amps, None, works)
    return b.box("main-panel", main_name(b), "panel", port, amps, "ac-breaker", works, line)


def _far(b: Builder, family: str, port: str, amps: float) -> End:
    """Where the inverters' grid or backup conductors end in the house."""
    if family == "grid" and not grid_on_gateway(b):
        return _main_end(b, port, amps, "grid", _only_line(b))
    if b.gateway and has_changeover(b):
        return _gateway_end(b, "INVERTER")
    if has_changeover(b):
        return b.box(
            "transfer-switch",
            changeover_name(b),
            "transfer-switch",
            "inverter side",
            amps,
            hub="transfer-switch/inverter side",
        )
    return _loads_end(b, amps)


def _only_line(b: Builder) -> Line:
    """The line of the one single-phase unit of a three-phase house; empty for more."""
    return line_of(b, 1) if b.plan.kit.inverters == 1 else ""


def _side(b: Builder, family: Family, feeder: Family, port: Port, current: Figure) -> None:
    """One port of every inverter to where it ends, through a combiner when there are several."""
    count = b.plan.kit.inverters
    units = given(
        "n_inv",
        on_each_line(count, spread(b)),
        "",
        "Inverters on a line" if spread(b) else "Inverters",
        "plan",
    )
    together = solve(
        "I_all", "A", "Continuous current, all inverters", "n_inv * I", units, current, source="sum"
    )
    amps, total = 1.25 * current.n, 1.25 * together.n
    direct, volts = count == 1, line_voltage(b.supply, b.inverter)
    combiner, name = f"{family}-combiner", f"{family.capitalize()} combiner"
    works: Work = "grid" if family == "grid" else "backup"
    grid_path = ("grid-1",) if b.inverter.grid and on_grid(b) else ()
    grid_upstream = (*grid_path, *(() if direct else ("grid-feeder",)))
    before = ("changeover",) if grid_on_gateway(b) else ()  # the gateway stands between
    if not direct:
        b.body(combiner, "grid-combiner" if family == "grid" else "backup-combiner", name)
        b.node(combiner, combiner, "ac", bar=True)
    rated = [b.rating(f"{family}-{i}", current, port) for i in range(1, count + 1)]
    panel = max(total, sum(rated) / (3 if spread(b) else 1))
    both = b.inverter.backup is not None and b.inverter.grid is not None
    for i in range(1, count + 1):
        node = f"inverter-{i}/{family.upper()}"
        unit = b.unit(i, family.upper() if both else "AC", port.terminals, node, line_of(b, i))
        if not direct:
            box = b.box(
                combiner,
                name,
                "panel",
                f"breaker {i}",
                amps,
                "ac-breaker",
                works,
                line_of(b, i),
                panel_a=panel,
            )
        elif family == "backup" and has_changeover(b) and not b.gateway:
            # the switch has lugs only: the breaker stands before it
            box = b.box(
                "transfer-switch",
                changeover_name(b),
                "transfer-switch",
                "breaker 1",
                amps,
                "ac-breaker",
                works,
                line_of(b, i),
                hub="transfer-switch/inverter side",
            )
        else:
            box = _far(b, family, "breaker 1", amps)
        ends = (box, unit) if family == "grid" else (unit, box)
        here = unit.label if count > 1 else "inverter"
        if family == "grid":
            says = f"{box.label} to {inside(here)}"
            up = (() if direct else ("grid-feeder",)) + before
        else:
            says, up = f"{unit.label} to {inside(box.label)}", grid_upstream
        b.add(
            f"{family}-{i}",
            family,
            says,
            *ends,
            conductors_of(b, i),
            current,
            volts,
            port.protection,
            port.protection_max_a,
            named_a=port.protection_named_a,
            upstream=up,
        )
    if not direct:
        _feeder(b, family, feeder, port, together, panel, before, grid_upstream)


def _feeder(
    b: Builder,
    family: Family,
    feeder: Family,
    port: Port,
    together: Figure,
    panel: float,
    before: tuple[str, ...],
    grid_upstream: tuple[str, ...],
) -> None:
    """From the combiner of several units to where their conductors end in the house."""
    combiner, name = f"{family}-combiner", f"{family.capitalize()} combiner"
    grid, total = family == "grid", 1.25 * together.n
    house = _far(b, family, "back-fed breaker" if grid else "main", total)
    hub = b.box(
        combiner,
        name,
        "panel",
        "main lugs" if grid else "main",
        total,
        None if grid else "ac-breaker",
        "backup",
        panel_a=panel,
    )
    ends = (house, hub) if grid else (hub, house)
    says = (
        f"{house.label} to grid combiner" if grid else f"Backup combiner to {inside(house.label)}"
    )
    up = before if grid else ("backup-1", *grid_upstream)
    b.add(
        feeder,
        feeder,
        says,
        *ends,
        b.ac,
        together,
        line_voltage(b.supply, b.inverter),
        port.protection,
        800,
        upstream=up,
    )


def _house(b: Builder, current: Figure) -> None:
    """Main panel to changeover, changeover to loads: sized where their run is planned, existing
    wiring otherwise; the loads panel's own main stands in either case.
    """
    loads = "loads-panel" in b.bodies
    if not has_changeover(b):
        if loads and "loads-panel/main" not in b.switches:
            _loads_main(b)
        return
    shared = on_each_line(b.plan.kit.inverters, spread(b))
    units = given("n_inv", shared, "", "Inverters", "plan")
    together = solve(
        "I_all", "A", "Continuous current, all inverters", "n_inv * I", units, current, source="sum"
    )
    amps, rating = board_current(b.plan, together)
    name, volts, id = changeover_name(b), line_voltage(b.supply, b.inverter), changeover_body(b)
    port_a = 1.25 * amps.n
    most = b.gateway.grid.protection_max_a if b.gateway else 800.0
    named = rating.n if rating else None
    grid_side = "gateway/GRID" if b.gateway else f"{id}/grid side"
    if b.run("changeover", "changeover"):
        house = _main_end(b, "feeder breaker", port_a, "grid")
        grid = (
            _gateway_end(b, "GRID")
            if b.gateway
            else b.box(id, name, "transfer-switch", "grid side", port_a, hub=grid_side)
        )
        b.add(
            "changeover",
            "changeover",
            f"{house.label} to {inside(name)}",
            house,
            grid,
            b.ac,
            amps,
            volts,
            "breaker",
            most,
            named_a=named,
        )
    else:
        b.existing("changeover", _main_switch(b, "feeder breaker", "grid"), grid_side)
    if not loads:
        return
    load_side = _gateway_end(b, "BACKUP").node if b.gateway else id
    if b.run("loads", "loads"):
        source = (
            _gateway_end(b, "BACKUP")
            if b.gateway
            else b.box(id, name, "transfer-switch", "load side", port_a)
        )
        b.add(
            "loads",
            "loads",
            f"{name} to {inside(loads_name(b))}",
            source,
            _loads_end(b, port_a),
            b.ac,
            amps,
            volts,
            "breaker",
            most,
            named_a=named,
            upstream=("changeover",),
        )
    else:
        b.existing("loads", load_side, _loads_main(b))


def _loads_main(b: Builder) -> str:
    """The main of a loads panel that was there before; gives the node it is fed at."""
    at = b.node("loads-panel/main", "loads-panel", "ac")
    b.open_by(
        "loads-panel/main", "breaker", "main", "loads-panel", "loads-panel", at, "loads", b.poles()
    )
    return at


def _main_switch(b: Builder, port: str, works: Work) -> str:
    """A breaker of the main panel that was there before; on a tap its lugs."""
    if tapped(b):
        return "main-panel"
    at = b.node(f"main-panel/{port}", "main-panel", "ac")
    b.open_by(
        f"main-panel/{port}", "breaker", port, "main-panel", "main-panel", at, works, b.poles()
    )
    return at


def _existing_pv(b: Builder, n: int, pv: ExistingPv) -> None:
    """A PV inverter that was there before, to the backed-up loads or to the main panel."""
    id, mark = ("pv-inverter", "") if n == 1 else (f"pv-inverter-{n}", f" {n}")
    circuit = "existing-pv" if n == 1 else f"existing-pv-{n}"
    array = "array-existing" if n == 1 else f"array-existing-{n}"
    label = f"PV inverter{mark}"
    b.body(id, "pv-inverter", label, f"{pv.power_w / 1000:g} kW", "existing")
    b.body(array, "array", f"Array{mark}", "existing")
    lines = _pv_lines(b, pv)
    poles = tuple(c for c in lines if c != "PE")
    b.node(id, id, "ac", bar=True)
    b.node(f"{id}/AC", id, "ac")
    b.open_by(f"{id}/relay", "contactor", "own relay", id, id, f"{id}/AC", "pv inverter", poles)
    b.node(f"{id}/PV", id, "pv")
    b.open_by(f"{id}/PV switch", "isolator", "PV switch", id, id, f"{id}/PV", "pv", ("+", "−"))
    b.existing(f"pv-existing{mark.strip()}", f"{id}/PV", b.node(array, array, "pv"))
    b.sources.append(Source(id, "pv inverter", label, id, (f"{id}/AC",)))
    b.sources.append(
        Source(array, "string", f"Array of {inside(label)}", array, (array,), never_dead=LIGHT)
    )
    current = source_current(
        pv.power_w,
        "Power of the PV inverter",
        "P_pv",
        len(poles) - 1 if len(poles) > 2 or b.supply.startswith("three") else 1,
        b.supply,
        b.inverter,
    )
    backed = "loads-panel" in b.bodies and (pv.side == "backup side" or not on_grid(b))
    amps, port = 1.25 * current.n, f"PV breaker{mark}"
    line = pv.line if pv.line != "all" and b.supply.startswith("three") else ""
    works: Work = "pv inverter"
    if not backed and not on_grid(b):
        return  # off grid without an output there is nothing it could land on
    if b.run(circuit, "existing-pv"):
        box = (
            b.box("loads-panel", loads_name(b), "panel", port, amps, "ac-breaker", works, line)
            if backed
            else _main_end(b, port, amps, works, line)
        )
        inlet = b.device("inlet", amps)
        terminals = on_line_of(inlet.terminals if inlet else (), line)
        b.add(
            circuit,
            "existing-pv",
            f"{box.label} to {label}",
            box,
            end(id, label, "AC", terminals, node=f"{id}/AC", missing=inlet is None),
            lines,
            current,
            line_voltage(b.supply, b.inverter),
            "breaker",
            800,
            upstream=("loads", "changeover") if backed else (),
        )
        return
    if backed:
        at = b.node(f"loads-panel/{port}", "loads-panel", "ac")
        b.open_by(
            f"loads-panel/{port}",
            "breaker",
            port,
            "loads-panel",
            "loads-panel",
            at,
            works,
            b.poles(lines),
        )
    else:
        at = _main_switch(b, port, works)
    b.existing(circuit, at, f"{id}/AC")


LIGHT = "modules are live in light"


def _pv_lines(b: Builder, pv: ExistingPv) -> tuple[Conductor, ...]:
    """The conductors of a PV inverter: its one line on a three-phase house, else the supply's."""
    if pv.line != "all" and b.supply.startswith("three"):
        return (pv.line, "N", "PE")
    return b.ac


def on_line_of(terminals: tuple[Terminal, ...], line: str) -> tuple[Terminal, ...]:
    """Terminals of a three-phase box, on one line only where the device has one."""
    return (
        on_line(terminals, line) if not any(t.conductor == line for t in terminals) else terminals
    )


def fed_unit(b: Builder) -> int:
    """The inverter a generator lands on: the first; with a bypass the last, which stands nearest
    the loads.
    """
    generator = b.plan.kit.generator
    bypass = generator is not None and generator.lands == "inverter with bypass"
    return b.plan.kit.inverters if bypass else 1


def _generator(b: Builder) -> None:
    """Generator inlet to the inverter, to the loads panel, or to both."""
    generator = b.plan.kit.generator
    if generator is None:
        return
    lines = 3 if "L3" in b.ac else 1
    whole = source_current(
        generator.power_w, "Generator power", "P_gen", lines, b.supply, b.inverter
    )
    whole = whole.called("Generator's full current")
    port = b.inverter.generator or (b.inverter.grid if not on_grid(b) else None)
    if b.plan.kit.port_use and b.inverter.generator:
        port = None  # the port serves something else
    to_panel = generator.lands != "inverter" and "loads-panel" in b.bodies
    to_unit = generator.lands != "loads panel" and port is not None
    if not (to_panel or to_unit):
        return
    b.body("generator", "generator", "Generator", f"{generator.power_w / 1000:g} kW")
    source, out = b.node("generator", "generator", "ac"), b.node("generator/out", "generator", "ac")
    b.open_by(
        "generator/own",
        "own breaker",
        "own breaker",
        "generator",
        source,
        out,
        "generator",
        b.poles(),
    )
    b.sources.append(
        Source("generator", "generator", "Generator", "generator", (source,), (source,))
    )
    if to_unit and port is not None:
        inlet = b.box(
            "generator",
            "Generator inlet",
            "inlet",
            "to inverter",
            1.25 * whole.n,
            hub="generator/out",
        )
        name = "GEN" if b.inverter.generator else "AC IN"
        at = f"inverter-{fed_unit(b)}/{'GEN' if b.inverter.generator else 'GRID'}"
        unit = b.unit(fed_unit(b), name, port.terminals, at, line_of(b, fed_unit(b)))
        most = given("I_in", port.i_max_a, "A", "What the port takes", "inverter sheet")
        current = solve(
            "I_gen",
            "A",
            "Current from the generator",
            "min(I, I_in)",
            whole,
            most,
            source="inverter sheet",
        )
        b.add(
            "generator",
            "generator",
            f"Generator inlet to {inside(unit.label)}",
            inlet,
            unit,
            conductors_of(b, fed_unit(b)),
            current,
            line_voltage(b.supply, b.inverter),
            port.protection,
            port.protection_max_a,
            named_a=port.protection_named_a,
        )
    if to_panel:
        inlet = b.box(
            "generator", "Generator inlet", "inlet", "to panel", 1.25 * whole.n, hub="generator/out"
        )
        board = b.box(
            "loads-panel",
            loads_name(b),
            "panel",
            "back-feed breaker",
            1.25 * whole.n,
            "ac-breaker",
            "generator",
        )
        b.add(
            "generator-bypass",
            "generator",
            f"Generator inlet to {inside(loads_name(b))}",
            inlet,
            board,
            b.ac,
            whole,
            line_voltage(b.supply, b.inverter),
            "breaker",
            800,
        )
        if generator.interlock:
            for s in ("loads-panel/main", "loads-panel/back-feed breaker"):
                b.switches[s] = replace(b.switches[s], interlock="loads panel")


def _port_use(b: Builder) -> None:
    """A generator port that serves a load the unit manages, or a PV inverter."""
    use = b.plan.kit.port_use
    if use is None or b.inverter.generator is None:
        return
    name = "Managed load" if use.use == "managed load" else "PV inverter on the port"
    node = b.node("port-use", "port-use", "ac", bar=True)
    b.body("port-use", "port-use", name, f"{use.power_w / 1000:g} kW")
    lines = 3 if len(b.inverter.lines) == 3 else 1
    current = source_current(use.power_w, name, "P_use", lines, b.inverter.supply, b.inverter)
    if use.use == "managed load":
        b.loads.append(Load("managed", "the managed load", node))
    else:
        b.sources.append(Source("port-use", "pv inverter", name, "port-use", (node,)))
    port = b.inverter.generator
    unit = b.unit(1, "GEN", port.terminals, "inverter-1/GEN", line_of(b, 1))
    device = b.device("inlet", 1.25 * current.n)
    terminals = on_line_of(device.terminals if device else (), line_of(b, 1))
    far = end("port-use", name, "AC", terminals, node="port-use/AC", missing=device is None)
    b.node("port-use/AC", "port-use", "ac")
    b.open_by(
        "port-use/isolator",
        "isolator",
        "isolator",
        "port-use",
        node,
        "port-use/AC",
        "loads" if use.use == "managed load" else "pv inverter",
        b.poles(conductors_of(b, 1)),
    )
    b.add(
        "port-use",
        "port-use",
        f"Inverter to {inside(name)}",
        unit,
        far,
        conductors_of(b, 1),
        current,
        line_voltage(b.inverter.supply, b.inverter),
        port.protection,
        port.protection_max_a,
        named_a=port.protection_named_a,
    )


def _bonds(b: Builder) -> None:
    """Every place where neutral meets earth, or can."""
    supply, bond = b.plan.supply, b.plan.backup.bond
    if on_grid(b):
        network = b.plan.code == "iec-60364" and supply.earthing == "TT"
        b.bonds.append(
            Bond("service", "the network" if network else "the service", "service", "always")
        )
    if bond == "loads panel" and "loads-panel" in b.bodies:
        b.bonds.append(Bond("loads panel", f"the {inside(loads_name(b))}", "loads-panel", "always"))
    if bond == "inverter":
        b.bonds.append(Bond("inverter", "the inverter's relay", "inverter-1", "island"))
    if bond == "gateway" and "gateway" in b.bodies:
        b.bonds.append(Bond("gateway", "the gateway's relay", "gateway", "island"))
    if "generator" in b.bodies and b.plan.kit.generator and b.plan.kit.generator.bonded:
        b.bonds.append(Bond("generator", "the generator's frame", "generator", "generator"))
