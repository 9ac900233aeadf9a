"""The alternating side: service, inverters, changeover, loads, generator, PV inverters that were
there before; wiring that is there already too.

utility ─ service ─[main]─ main panel ─[breaker]─ (grid combiner) ─ GRID │inverter│ BACKUP ─┐
                               │ [feeder breaker]                                           │
                               └─ [throw] changeover [throw] ─ (backup combiner) ───────────┘
                                             └─ [main] loads panel ─ loads
"""

from __future__ import annotations

from gumboot.core.basis.figure import Figure, given, solve
from gumboot.core.basis.words import inside
from gumboot.core.kit import Family, Port
from gumboot.core.network.builder import Builder
from gumboot.core.network.changeover import (
    gateway_end,
    lay_changeover,
    lay_house,
    lay_loads,
    loads_end,
)
from gumboot.core.network.circuit import End
from gumboot.core.network.currents import line_voltage, port_current
from gumboot.core.network.element import Bond, Source, Work
from gumboot.core.network.generator import lay_generator
from gumboot.core.network.house import most_on_a_line
from gumboot.core.network.others import existing_pv, lay_port_use
from gumboot.core.network.service import behind, lay_service, main_end
from gumboot.core.network.shape import (
    Line,
    changeover_name,
    conductors_of,
    feeds,
    grid_on_gateway,
    has_changeover,
    line_of,
    loads_name,
    on_grid,
    spread,
)


def lay_ac(b: Builder) -> None:
    """All of it but the units, which stand first."""
    if on_grid(b):
        lay_service(b)
    if has_changeover(b):
        lay_changeover(b)
    lay_loads(b)
    current = port_current(b.inverter, b.plan.book, b.through_a)
    if b.inverter.grid and on_grid(b):
        _side(b, "grid", "grid-feeder", b.inverter.grid, current)
    if b.inverter.backup and "loads-panel" in b.bodies:
        _side(b, "backup", "backup-feeder", b.inverter.backup, current)
    lay_house(b, current)
    for n, pv in enumerate(b.plan.kit.pv_inverters, 1):
        existing_pv(b, n, pv)
    lay_generator(b)
    lay_port_use(b)
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


def _far(b: Builder, family: str, port: str, amps: float) -> End:
    """Where the inverters' grid or backup conductors end in the house."""
    if family == "grid" and not grid_on_gateway(b):
        return main_end(b, port, amps, "grid", _only_line(b))
    if b.gateway and has_changeover(b):
        return gateway_end(b, "INVERTER")
    if has_changeover(b):
        return b.box(
            "transfer-switch",
            changeover_name(b),
            "transfer-switch",
            "inverter side",
            amps,
            hub="transfer-switch/inverter side",
        )
    return loads_end(b, amps)


def _only_line(b: Builder) -> Line:
    """The line of the one single-phase unit of a three-phase house; empty for more."""
    return line_of(b, 1) if b.plan.kit.inverters == 1 else ""


def _side(b: Builder, family: Family, feeder: Family, port: Port, current: Figure) -> None:
    """One port of every inverter to where it ends, through a combiner when there are several."""
    count = b.plan.kit.inverters
    units = given(
        "n_inv",
        most_on_a_line(b.plan, b.inverter),
        "",
        "Inverters on a line" if spread(b) else "Inverters",
        "plan",
    )
    together = solve(
        "I_all", "A", "Continuous current, all inverters", "n_inv * I", units, current, source="sum"
    )
    amps, total = b.good_for(current.n), b.good_for(together.n)
    direct, volts = count == 1, line_voltage(b.supply, b.inverter, alone=spread(b))
    combiner, name = f"{family}-combiner", f"{family.capitalize()} combiner"
    works: Work = "grid" if family == "grid" else "backup"
    grid_path = ("grid-1",) if b.inverter.grid and on_grid(b) else ()
    grid_upstream = (*grid_path, *(() if direct else ("grid-feeder",)), *behind(b))
    gateway = ("changeover",) if grid_on_gateway(b) else ()  # it stands between
    before = (*gateway, *behind(b))
    if not direct:
        b.body(combiner, "grid-combiner" if family == "grid" else "backup-combiner", name)
        b.node(combiner, combiner, "ac", bar=True)
    rated = [b.rating(f"{family}-{i}", current, port) for i in range(1, count + 1)]
    lines = [line_of(b, i) for i in range(1, count + 1)]
    busy = {line: sum(a for x, a in zip(lines, rated, strict=True) if x == line) for line in lines}
    panel = max(total, *busy.values())
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
    grid, total = family == "grid", b.good_for(together.n)
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


def _bonds(b: Builder) -> None:
    """Every place where neutral meets earth, or can."""
    supply, bond = b.plan.supply, b.plan.backup.bond
    if on_grid(b):
        network = supply.earthing in b.plan.book.bonded_by_network
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
