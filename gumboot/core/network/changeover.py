"""What separates house and grid, and what is backed up behind it; wiring that was there too."""

from __future__ import annotations

from gumboot.core.basis.figure import Figure, given, solve
from gumboot.core.basis.words import inside
from gumboot.core.network.builder import Builder
from gumboot.core.network.circuit import End, end
from gumboot.core.network.currents import board_current, line_voltage
from gumboot.core.network.element import Load, SwitchKind, Work
from gumboot.core.network.house import most_on_a_line
from gumboot.core.network.service import behind, main_end, main_switch
from gumboot.core.network.shape import (
    changeover_body,
    changeover_name,
    has_changeover,
    loads_name,
    on_grid,
)

INTERLOCK = "changeover"


def lay_changeover(b: Builder) -> None:
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


def gateway_end(b: Builder, port: str) -> End:
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


def lay_loads(b: Builder) -> None:
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


def loads_end(b: Builder, amps: float, takes: str = "") -> End:
    name = loads_name(b)
    return b.box("loads-panel", name, "panel", "main", amps, "ac-breaker", "loads", takes=takes)


def lay_house(b: Builder, current: Figure) -> None:
    """Main panel to changeover, changeover to loads: sized where their run is planned, existing
    wiring otherwise; the loads panel's own main stands in either case.
    """
    loads = "loads-panel" in b.bodies
    if not has_changeover(b):
        if loads and "loads-panel/main" not in b.switches:
            _loads_main(b)
        return
    shared = most_on_a_line(b.plan, b.inverter)
    units = given("n_inv", shared, "", "Inverters", "plan")
    together = solve(
        "I_all", "A", "Continuous current, all inverters", "n_inv * I", units, current, source="sum"
    )
    amps, rating = board_current(b.plan, together)
    name, volts, id = changeover_name(b), line_voltage(b.supply, b.inverter), changeover_body(b)
    port_a = b.good_for(amps.n)
    most = b.gateway.grid.protection_max_a if b.gateway else 800.0
    named = rating.n if rating else None
    grid_side = "gateway/GRID" if b.gateway else f"{id}/grid side"
    if b.run("changeover", "changeover"):
        house = main_end(b, "feeder breaker", port_a, "grid")
        grid = (
            gateway_end(b, "GRID")
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
            upstream=behind(b),
        )
    else:
        b.existing("changeover", main_switch(b, "feeder breaker", "grid"), grid_side)
    if not loads:
        return
    load_side = gateway_end(b, "BACKUP").node if b.gateway else id
    if b.run("loads", "loads"):
        source = (
            gateway_end(b, "BACKUP")
            if b.gateway
            else b.box(id, name, "transfer-switch", "load side", port_a)
        )
        b.add(
            "loads",
            "loads",
            f"{name} to {inside(loads_name(b))}",
            source,
            loads_end(b, port_a, least_of(source)),
            b.ac,
            amps,
            volts,
            "breaker",
            most,
            named_a=named,
            upstream=("changeover", *behind(b)),
        )
    else:
        b.existing("loads", load_side, _loads_main(b))


def least_of(at: End) -> str:
    """The smallest conductor that a port's first line takes."""
    return next((t.least for t in at.terminals if t.conductor == "L1"), "")


def _loads_main(b: Builder) -> str:
    """The main of a loads panel that was there before; gives the node it is fed at."""
    at = b.node("loads-panel/main", "loads-panel", "ac")
    b.open_by(
        "loads-panel/main", "breaker", "main", "loads-panel", "loads-panel", at, "loads", b.poles()
    )
    return at
