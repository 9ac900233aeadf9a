"""The alternating-current side: inverters to panel, changeover and loads; generator; a PV inverter
that was there before.
"""

from __future__ import annotations

from gumboot.core.basis.figure import COMMON_PRACTICE, MEMORY, Figure, given, solve
from gumboot.core.basis.words import inside
from gumboot.core.kit import Family, Port
from gumboot.core.network.circuit import End, end
from gumboot.core.network.layout import Layout, port_current

CHANGED_OVER = ("whole house", "transfer-switched circuits")


def on_grid(lay: Layout) -> bool:
    """Whether there is a service at all."""
    return lay.plan.supply.kind != "off-grid"


def has_changeover(lay: Layout) -> bool:
    """Whether something separates house and grid: a gateway, or a transfer switch where loads have
    two sources.
    """
    return on_grid(lay) and (
        lay.gateway is not None
        or (lay.inverter.backup is not None and lay.plan.backup.loads in CHANGED_OVER)
    )


def grid_on_gateway(lay: Layout) -> bool:
    """Whether the inverters' only AC port lands on the gateway."""
    return lay.gateway is not None and lay.inverter.backup is None


def lay_ac(lay: Layout) -> None:
    """All AC bodies and circuits."""
    plan, kit = lay.plan, lay.plan.kit
    for i in range(1, kit.inverters + 1):
        label = f"Inverter {i}" if kit.inverters > 1 else "Inverter"
        inside = ("pack inside",) if lay.inverter.pack_inside else ()
        lay.body(
            f"inverter-{i}",
            "inverter",
            label,
            f"{lay.inverter.power_w / 1000:g} kW",
            *inside,
            joints=lay.inverter.factory_joints,
        )
    if on_grid(lay):
        main = (
            f"{plan.supply.main_breaker_a:g} A main"
            if plan.supply.main_breaker_a
            else "main not known"
        )
        tap = plan.supply.connection == "supply-side tap"
        lay.body(
            "main-panel", "main-panel", _main_name(lay), *(("supply side",) if tap else (main,))
        )
    if has_changeover(lay):
        joints = lay.gateway.factory_joints if lay.gateway else ()
        lay.body(
            _changeover_body(lay),
            "changeover",
            changeover_name(lay),
            *((lay.gateway.model.split()[0],) if lay.gateway else ()),
            joints=joints,
        )
    fed = lay.inverter.backup is not None or lay.gateway is not None
    if (
        lay.inverter.backup is not None
        if not on_grid(lay)
        else (plan.backup.loads != "nothing" and fed)
    ):
        lay.body(
            "loads-panel",
            "loads",
            _loads_name(lay),
            (
                f"{plan.backup.board_a:g} A feeder"
                if plan.backup.board_a
                else "off grid"
                if not on_grid(lay)
                else ""
            ),
        )
    current = port_current(lay.inverter)
    if lay.inverter.grid and on_grid(lay):
        _side(lay, "grid", "grid-feeder", lay.inverter.grid, current)
    if lay.inverter.backup and "loads-panel" in lay.bodies:
        _side(lay, "backup", "backup-feeder", lay.inverter.backup, current)
    _house(lay, current)
    _existing_pv(lay)
    _generator(lay)


def _main_name(lay: Layout) -> str:
    if lay.plan.supply.connection == "supply-side tap":
        return "Service disconnect"
    return "Main panel" if lay.plan.code == "nec-2023" else "Main board"


def changeover_name(lay: Layout) -> str:
    """What the changeover is called."""
    if lay.gateway:
        return "Gateway" if lay.gateway.form == "gateway" else "Islanding box"
    return {
        "transfer switch": "Transfer switch",
        "interlocked breakers": "Interlocked breakers",
        "loose breakers": "Breakers",
    }[lay.plan.backup.changeover]


def _changeover_body(lay: Layout) -> str:
    return "gateway" if lay.gateway else "transfer-switch"


def _loads_name(lay: Layout) -> str:
    if not on_grid(lay):
        return "Loads panel"
    if lay.plan.backup.loads == "essential board":
        return "Essential board"
    return "House panel" if lay.plan.backup.loads == "whole house" else "Backed-up panel"


def _main_end(lay: Layout, port: str, amps: float) -> End:
    tap = lay.plan.supply.connection == "supply-side tap"
    if tap:
        return lay.box("main-panel", _main_name(lay), "tap", port, amps)
    return lay.box("main-panel", _main_name(lay), "panel", port, amps, "ac-breaker")


def _far(lay: Layout, family: str, port: str, amps: float) -> End:
    """Where the inverters' grid or backup conductors end in the house."""
    if family == "grid" and not grid_on_gateway(lay):
        return _main_end(lay, port, amps)
    if lay.gateway and has_changeover(lay):
        return end("gateway", changeover_name(lay), "INVERTER", lay.gateway.inverter.terminals)
    if has_changeover(lay):
        return lay.box(
            "transfer-switch", changeover_name(lay), "transfer-switch", "inverter side", amps
        )
    return lay.box("loads-panel", _loads_name(lay), "panel", "main", amps, "ac-breaker")


def _side(lay: Layout, family: Family, feeder: Family, port: Port, current: Figure) -> None:
    """One port of every inverter to where it ends, through a combiner when there are several."""
    count = lay.plan.kit.inverters
    units = given("n_inv", count, "", "Inverters", "plan")
    together = solve(
        "I_all", "A", "Continuous current, all inverters", "n_inv * I", units, current, source="sum"
    )
    amps, total = 1.25 * current.n, 1.25 * together.n
    direct, volts = count == 1, lay.volts
    combiner = f"{family}-combiner"
    switched = lay.bodies.get("transfer-switch") is not None
    grid_upstream = tuple(
        x
        for x in (("grid-1",) if lay.inverter.grid and on_grid(lay) else ())
        + (() if direct else ("grid-feeder",))
    )
    before = (
        ("changeover",) if grid_on_gateway(lay) else ()
    )  # the gateway stands between them and the main board
    if not direct:
        lay.body(
            combiner,
            "grid-combiner" if family == "grid" else "backup-combiner",
            f"{family.capitalize()} combiner",
        )
    for i in range(1, count + 1):
        unit = lay.unit(
            i, family.upper() if lay.inverter.backup and lay.inverter.grid else "AC", port.terminals
        )
        if direct:
            box = _far(lay, family, "breaker 1", amps)
            if (
                family == "backup" and switched
            ):  # the switch has lugs only: the breaker stands before it
                box = lay.box(
                    "transfer-switch",
                    changeover_name(lay),
                    "transfer-switch",
                    "breaker 1",
                    amps,
                    "ac-breaker",
                )
        else:
            box = lay.box(
                combiner,
                f"{family.capitalize()} combiner",
                "panel",
                f"breaker {i}",
                amps,
                "ac-breaker",
            )
        ends = (box, unit) if family == "grid" else (unit, box)
        here = unit.label if count > 1 else "inverter"
        name = (
            f"{box.label} to {inside(here)}"
            if family == "grid"
            else f"{unit.label} to {inside(box.label)}"
        )
        up = (() if direct else ("grid-feeder",)) + before if family == "grid" else grid_upstream
        lay.add(
            f"{family}-{i}",
            family,
            name,
            *ends,
            lay.ac,
            current,
            volts,
            port.protection,
            port.protection_max_a,
            named_a=port.protection_named_a,
            upstream=up,
        )
    if direct:
        return
    hub = lay.box(
        combiner,
        f"{family.capitalize()} combiner",
        "panel",
        "main lugs",
        total,
        None if family == "grid" else "ac-breaker",
    )
    house = _far(lay, family, "back-fed breaker" if family == "grid" else "main", total)
    ends = (house, hub) if family == "grid" else (hub, house)
    names = (
        f"{house.label} to grid combiner"
        if family == "grid"
        else f"Backup combiner to {inside(house.label)}"
    )
    up = before if family == "grid" else ("backup-1", *grid_upstream)
    lay.add(
        feeder, feeder, names, *ends, lay.ac, together, volts, port.protection, 800, upstream=up
    )


def board_current(lay: Layout, fallback: Figure) -> tuple[Figure, Figure | None]:
    """(continuous current, rating) in A of the feeder to the backed-up loads: the board's rating as
    planned, else what the inverters carry.
    """
    rating = lay.plan.backup.board_a
    if rating is None:
        return fallback, None
    board = given("I_board", rating, "A", "Rating of the feeder to the loads", "brief")
    if lay.plan.code == "iec-60364":
        return (
            solve(
                "I",
                "A",
                "Design current",
                "1 * I_board",
                board,
                source=COMMON_PRACTICE,
                assumption="loaded to its rating",
            ),
            board,
        )
    return (
        solve(
            "I",
            "A",
            "Continuous current",
            "I_board / 1.25",
            board,
            source="NEC 2023 215.2, 215.3",
            doubt=MEMORY,
        ),
        board,
    )


def _house(lay: Layout, current: Figure) -> None:
    """Main panel to changeover, changeover to loads; each only where its run is planned, since it
    is often there already.
    """
    if not has_changeover(lay):
        return
    units = given("n_inv", lay.plan.kit.inverters, "", "Inverters", "plan")
    together = solve(
        "I_all", "A", "Continuous current, all inverters", "n_inv * I", units, current, source="sum"
    )
    amps, rating = board_current(lay, together)
    name, volts = changeover_name(lay), lay.volts
    port_a = 1.25 * amps.n
    most = lay.gateway.grid.protection_max_a if lay.gateway else 800.0
    if lay.run("changeover", "changeover"):
        house = _main_end(lay, "feeder breaker", port_a)
        grid = (
            end("gateway", name, "GRID", lay.gateway.grid.terminals)
            if lay.gateway
            else lay.box("transfer-switch", name, "transfer-switch", "grid side", port_a)
        )
        lay.add(
            "changeover",
            "changeover",
            f"{house.label} to {inside(name)}",
            house,
            grid,
            lay.ac,
            amps,
            volts,
            "breaker",
            most,
            named_a=rating.n if rating else None,
        )
    if "loads-panel" in lay.bodies and lay.run("loads", "loads"):
        source = (
            end("gateway", name, "BACKUP", lay.gateway.backup.terminals)
            if lay.gateway
            else lay.box("transfer-switch", name, "transfer-switch", "load side", port_a)
        )
        board = lay.box("loads-panel", _loads_name(lay), "panel", "main", port_a, "ac-breaker")
        lay.add(
            "loads",
            "loads",
            f"{name} to {inside(_loads_name(lay))}",
            source,
            board,
            lay.ac,
            amps,
            volts,
            "breaker",
            most,
            named_a=rating.n if rating else None,
            upstream=("changeover",),
        )


def _existing_pv(lay: Layout) -> None:
    """The PV inverter that was there before, to the backed-up loads or to the main panel."""
    pv = lay.plan.kit.existing_pv
    if pv is None:
        return
    lay.body("pv-inverter", "pv-inverter", "PV inverter", f"{pv.power_w / 1000:g} kW", "existing")
    lay.body("array-existing", "array", "Array", "existing")
    power = given("P_pv", pv.power_w, "W", "Power of the PV inverter", "brief")
    volts = given("V", lay.inverter.voltage_v, "V", "AC voltage", "inverter sheet")
    formula = "P_pv / (sqrt(3) * V)" if "L3" in lay.ac else "P_pv / V"
    current = solve("I", "A", "Output current", formula, power, volts, source="definition")
    backed = "loads-panel" in lay.bodies and (pv.side == "backup side" or not on_grid(lay))
    amps = 1.25 * current.n
    box = (
        lay.box("loads-panel", _loads_name(lay), "panel", "PV breaker", amps, "ac-breaker")
        if backed
        else _main_end(lay, "PV breaker", amps)
    )
    if lay.run("existing-pv", "existing-pv"):
        inlet = lay.catalogue.device("inlet", amps, lay.inverter.supply, lay.plan.code).terminals
        lay.add(
            "existing-pv",
            "existing-pv",
            f"{box.label} to PV inverter",
            box,
            end("pv-inverter", "PV inverter", "AC", inlet),
            lay.ac,
            current,
            lay.volts,
            "breaker",
            800,
            upstream=("loads", "changeover") if backed else (),
        )


def fed_unit(lay: Layout) -> int:
    """The inverter a generator lands on: the first; with a bypass the last, which stands nearest
    the loads.
    """
    generator = lay.plan.kit.generator
    return lay.plan.kit.inverters if generator and generator.lands == "inverter with bypass" else 1


def _generator(lay: Layout) -> None:
    """Generator inlet to the inverter, to the loads panel, or to both."""
    generator = lay.plan.kit.generator
    if generator is None:
        return
    power = given("P_gen", generator.power_w, "W", "Generator power", "brief")
    volts = given("V", lay.inverter.voltage_v, "V", "AC voltage", "inverter sheet")
    formula = "P_gen / (sqrt(3) * V)" if "L3" in lay.ac else "P_gen / V"
    whole = solve("I", "A", "Generator's full current", formula, power, volts, source="definition")
    port = lay.inverter.generator or (lay.inverter.grid if not on_grid(lay) else None)
    to_panel = generator.lands != "inverter" and "loads-panel" in lay.bodies
    if to_panel or (generator.lands != "loads panel" and port is not None):
        lay.body("generator", "generator", "Generator", f"{generator.power_w / 1000:g} kW")
    if generator.lands != "loads panel" and port is not None:
        inlet = lay.box("generator", "Generator inlet", "inlet", "to inverter", 1.25 * whole.n)
        unit = lay.unit(fed_unit(lay), "GEN" if lay.inverter.generator else "AC IN", port.terminals)
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
        name = f"Generator inlet to {inside(unit.label)}"
        lay.add(
            "generator",
            "generator",
            name,
            inlet,
            unit,
            lay.ac,
            current,
            lay.volts,
            port.protection,
            port.protection_max_a,
            named_a=port.protection_named_a,
        )
    if to_panel:
        inlet = lay.box("generator", "Generator inlet", "inlet", "to panel", 1.25 * whole.n)
        board = lay.box(
            "loads-panel",
            _loads_name(lay),
            "panel",
            "back-feed breaker",
            1.25 * whole.n,
            "ac-breaker",
        )
        lay.add(
            "generator-bypass",
            "generator",
            f"Generator inlet to {inside(_loads_name(lay))}",
            inlet,
            board,
            lay.ac,
            whole,
            lay.volts,
            "breaker",
            800,
        )
