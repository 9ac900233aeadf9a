"""Sources beside the units: PV inverters that were there before, and what a generator port serves
instead of a generator.
"""

from __future__ import annotations

from gumboot.core.basis.figure import Figure
from gumboot.core.basis.finding import Change, Cure, stop
from gumboot.core.basis.words import inside
from gumboot.core.kit.terminal import Conductor, Terminal
from gumboot.core.network.builder import Builder, on_line
from gumboot.core.network.circuit import end
from gumboot.core.network.currents import (
    line_voltage,
    pv_greatest,
    source_current,
)
from gumboot.core.network.element import Load, Source, Work
from gumboot.core.network.service import behind, grid_board, main_end
from gumboot.core.network.shape import conductors_of, line_of, on_grid
from gumboot.core.plan import ExistingPv, PortUse

LIGHT = "modules are live in light"
LEAST_OF_RATED = 0.9  # a plate is read at the highest volts: common practice


def existing_pv(b: Builder, n: int, pv: ExistingPv) -> None:
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
    each = len(poles) - 1 if len(poles) > 2 or b.supply.startswith("three") else 1
    on = (each, b.supply, b.inverter)
    current = pv_greatest(pv, "Power of the PV inverter", *on, b.plan.book)
    _plate(b, pv, id, b.plan.pv_path(n - 1), source_current(pv.power_w, label, "P_pv", *on))
    backed = "loads-panel" in b.bodies and (pv.side == "backup side" or not on_grid(b))
    amps, port = b.good_for(current.n), f"PV breaker{mark}"
    line = pv.line if pv.line != "all" and b.supply.startswith("three") else ""
    works: Work = "pv inverter"
    if not backed and not on_grid(b):
        return  # off grid without an output there is nothing it could land on
    board = "loads-panel" if backed else grid_board(b)
    if not board:
        _no_board(b, n)
    if b.run(circuit, "existing-pv"):
        box = (
            b.box(board, b.bodies[board].label, "panel", port, amps, "ac-breaker", works, line)
            if board
            else main_end(b, port, amps, works, line)
        )
        inlet = b.device("inlet", amps, place=f"{id}/AC", label=f"{label}, AC")
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
            upstream=("loads", "changeover", *behind(b)) if backed else (),
        )
        return
    at = f"{board}/{port}" if board else "main-panel"
    if board:
        b.node(at, board, "ac")
        b.open_by(at, "breaker", port, board, board, at, works, b.poles(lines))
    b.existing(circuit, at, f"{id}/AC")


def _plate(b: Builder, pv: ExistingPv | PortUse, id: str, path: str, rated: Figure) -> None:
    """A greatest current that is less than the power comes to: one of the two was misread."""
    if pv.current_a is None or pv.current_a >= LEAST_OF_RATED * rated.n:
        return
    says = (
        f"{pv.power_w / 1000:g} kW comes to {rated.text} a line; a plate of {pv.current_a:g} A"
        " cannot be."
    )
    cure = Cure("Take what its power comes to", (Change(f"{path}/current_a", None),))
    found = stop(f"{id}.plate", id, says, "P = U · I", cure, figures=(rated,))
    b.found[found.key] = found


def _no_board(b: Builder, n: int) -> None:
    """A PV inverter said to feed the grid's side where nothing but a disconnect is."""
    says = (
        "The PV inverter is said to feed the grid side, and before the changeover there is only"
        " the disconnect of the tap: no breaker of its own."
    )
    path = b.plan.pv_path(n - 1)
    cure = Cure("Land it on the loads' board", (Change(f"{path}/side", "backup side"),))
    place = "pv-inverter" if n == 1 else f"pv-inverter-{n}"
    mark = "" if n == 1 else f".{n}"
    b.found[f"pv.board{mark}"] = stop(f"pv.board{mark}", place, says, "plan", cure)


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


def lay_port_use(b: Builder) -> None:
    """A generator port that serves a load the unit manages, or a PV inverter."""
    use = b.plan.kit.port_use
    if use is None or b.inverter.generator is None:
        return
    name = "Managed load" if use.use == "managed load" else "PV inverter on the port"
    node = b.node("port-use", "port-use", "ac", bar=True)
    b.body("port-use", "port-use", name, f"{use.power_w / 1000:g} kW")
    lines = 3 if len(b.inverter.lines) == 3 else 1
    on = (lines, b.inverter.supply, b.inverter)
    current = (
        source_current(use.power_w, name, "P_use", *on)
        if use.use == "managed load"
        else pv_greatest(use, name, *on, b.plan.book)
    )
    _plate(b, use, "port-use", "/kit/port_use", source_current(use.power_w, name, "P_use", *on))
    if use.use == "managed load":
        b.loads.append(Load("managed", "the managed load", node))
    else:
        b.sources.append(Source("port-use", "pv inverter", name, "port-use", (node,)))
    port = b.inverter.generator
    unit = b.unit(1, "GEN", port.terminals, "inverter-1/GEN", line_of(b, 1))
    device = b.device("inlet", b.good_for(current.n), place="port-use/AC", label=name)
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
