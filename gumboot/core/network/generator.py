"""A generator and where it lands.

                    ┌─ GEN or AC IN │inverter│            one unit, first or nearest the loads
generator ─[own]────┼─ combiner ─[breaker]─ GEN │each│    every unit
                    └─ [back-feed breaker] loads panel    interlocked with its main
"""

from __future__ import annotations

from dataclasses import replace

from gumboot.core.basis.figure import Figure, given, solve
from gumboot.core.basis.words import inside
from gumboot.core.kit import Family, Port
from gumboot.core.network.builder import Builder
from gumboot.core.network.circuit import End, Role
from gumboot.core.network.currents import line_voltage, source_current
from gumboot.core.network.element import Source
from gumboot.core.network.shape import conductors_of, line_of, loads_name, on_grid, spread

COMBINER: Role = "generator-combiner"
NAME = "Generator combiner"


def lay_generator(b: Builder) -> None:
    """Generator inlet to one inverter or to all, to the loads panel, or to inverter and panel."""
    generator = b.plan.kit.generator
    if generator is None:
        return
    port = b.inverter.generator or (b.inverter.grid if not on_grid(b) else None)
    if b.plan.kit.port_use and b.inverter.generator:
        port = None  # the port serves something else
    lands = generator.lands
    to_panel = lands in ("loads panel", "inverter with bypass") and "loads-panel" in b.bodies
    to_unit = lands != "loads panel" and port is not None
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
    alone = lands == "inverter" and spread(b)  # it has the one line of the unit it lands on
    lines, supply = (1, b.inverter.supply) if alone else (3 if "L3" in b.ac else 1, b.supply)
    whole = source_current(
        generator.power_w, "Generator power", "P_gen", lines, supply, b.inverter
    ).called("Generator's full current")
    if to_unit and port is not None:
        if lands == "every inverter" and b.plan.kit.inverters > 1:
            _to_every_unit(b, port, whole)
        else:
            _to_one_unit(b, port, whole)
    if to_panel:
        _to_panel(b, whole, generator.interlock)


def _fed(b: Builder) -> int:
    """The one inverter a generator lands on: the first; with a bypass the last, which stands
    nearest the loads.
    """
    generator = b.plan.kit.generator
    bypass = generator is not None and generator.lands == "inverter with bypass"
    return b.plan.kit.inverters if bypass else 1


def _at_unit(b: Builder, i: int, port: Port, whole: Figure) -> tuple[Figure, str, str]:
    """(the current that a unit's input takes, the input's name, its node)."""
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
    name, node = ("GEN", "GEN") if b.inverter.generator else ("AC IN", "GRID")
    return current, name, f"inverter-{i}/{node}"


def _to_one_unit(b: Builder, port: Port, whole: Figure) -> None:
    i = _fed(b)
    current, name, at = _at_unit(b, i, port, whole)
    inlet = _inlet(b, "to inverter", whole)
    unit = b.unit(i, name, port.terminals, at, line_of(b, i))
    _run(b, i, ("generator", "generator"), (inlet, unit), current, port)


def _run(
    b: Builder,
    i: int,
    key: tuple[str, Family],
    ends: tuple[End, End],
    current: Figure,
    port: Port,
    upstream: tuple[str, ...] = (),
) -> None:
    """The conductors to the input of inverter i. key: of the circuit, and its family."""
    b.add(
        *key,
        f"{ends[0].label} to {inside(ends[1].label)}",
        *ends,
        conductors_of(b, i),
        current,
        line_voltage(b.supply, b.inverter, alone=spread(b)),
        port.protection,
        port.protection_max_a,
        named_a=port.protection_named_a,
        upstream=upstream,
    )


def _to_every_unit(b: Builder, port: Port, whole: Figure) -> None:
    """Each unit behind a breaker of its own in a combiner."""
    count = b.plan.kit.inverters
    current, name, _ = _at_unit(b, 1, port, whole)
    rated = [b.rating(f"generator-{i}", current, port) for i in range(1, count + 1)]
    lines = [line_of(b, i) for i in range(1, count + 1)]
    busy = (sum(a for x, a in zip(lines, rated, strict=True) if x == line) for line in lines)
    panel = max(b.good_for(whole.n), *busy)
    b.body(COMBINER, COMBINER, NAME)
    b.node(COMBINER, COMBINER, "ac", bar=True)
    hub = b.box(COMBINER, NAME, "panel", "main lugs", b.good_for(whole.n), panel_a=panel)
    b.add(
        "generator",
        "generator",
        "Generator inlet to generator combiner",
        _inlet(b, "to combiner", whole),
        hub,
        b.ac,
        whole,
        line_voltage(b.supply, b.inverter),
        "breaker",
        800,
    )
    for i in range(1, count + 1):
        line, at = line_of(b, i), _at_unit(b, i, port, whole)[2]
        unit = b.unit(i, name, port.terminals, at, line)
        breaker = b.box(
            COMBINER,
            NAME,
            "panel",
            f"breaker {i}",
            b.good_for(current.n),
            "ac-breaker",
            "generator",
            line,
            panel_a=panel,
        )
        key: tuple[str, Family] = (f"generator-{i}", "generator-unit")
        _run(b, i, key, (breaker, unit), current, port, ("generator",))


def _to_panel(b: Builder, whole: Figure, interlock: bool) -> None:
    board = b.box(
        "loads-panel",
        loads_name(b),
        "panel",
        "back-feed breaker",
        b.good_for(whole.n),
        "ac-breaker",
        "generator",
    )
    b.add(
        "generator-bypass",
        "generator",
        f"Generator inlet to {inside(loads_name(b))}",
        _inlet(b, "to panel", whole),
        board,
        b.ac,
        whole,
        line_voltage(b.supply, b.inverter),
        "breaker",
        800,
    )
    if interlock:
        for s in ("loads-panel/main", "loads-panel/back-feed breaker"):
            b.switches[s] = replace(b.switches[s], interlock="loads panel")


def _inlet(b: Builder, port: str, whole: Figure) -> End:
    return b.box(
        "generator", "Generator inlet", "inlet", port, b.good_for(whole.n), hub="generator/out"
    )
