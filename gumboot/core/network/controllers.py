"""Charge controllers: strings meet ahead of one in a box, its battery side lands on the bus.

string A ──[breaker]─┐
string B ──[breaker]─┴─ combiner ══ PV │controller│ BAT ══[breaker]─ battery bus
"""

from __future__ import annotations

from gumboot.core.basis.figure import given, solve
from gumboot.core.basis.words import inside
from gumboot.core.network.builder import Builder
from gumboot.core.network.circuit import DC, End
from gumboot.core.network.element import Capacitor, Source
from gumboot.core.size.bank import controllers_on
from gumboot.core.size.strings import StringDesign


def lay_controllers(b: Builder) -> None:
    """The controllers themselves: two sides that metal joins, as far as a hand inside is
    concerned.
    """
    for n in range(1, b.plan.kit.controllers_fitted + 1 if b.controller else 0):
        id, sheet = f"controller-{n}", b.controller
        assert sheet is not None  # noqa: S101 - looked at above
        b.body(
            id,
            "controller",
            b.controller_name(n),
            f"{sheet.charge_max_a:g} A",
            terminations=sheet.factory_terminations,
        )
        b.node(id, id, "dc", bar=True)
        b.join(id, b.node(f"{id}/BAT", id, "dc"))
        b.join(id, b.node(f"{id}/PV", id, "pv"))
        b.sources.append(Source(id, "controller", b.controller_name(n), id, (f"{id}/BAT",)))
        b.capacitors.append(Capacitor(id, id, sheet.capacitance_f, sheet.capacitor_wait_min))


def on_bank(b: Builder, bank: int, banks: int) -> list[int]:
    """The controllers that charge a bank: of several banks each in turn."""
    return controllers_on(b.plan.kit, bank, banks) if b.controller else []


def combined(b: Builder, n: int, s: StringDesign) -> End:
    """Where a string ends ahead of a controller: at a breaker of its own in the box."""
    box, label = f"pv-combiner-{n}", f"PV combiner {n}"
    if b.plan.kit.controllers_fitted == 1:
        label = "PV combiner"
    b.body(box, "pv-combiner", label)
    amps = s.fuse.n if s.fuse else b.good_for(s.i_max.n)
    good_for, volts = _good_for(b, s.body)
    port = f"string {s.letter}"
    return b.box(
        box, label, "pv-combiner", port, amps, "pv-breaker", "pv", panel_a=good_for, dc_v=volts
    )


def _good_for(b: Builder, controller: str) -> tuple[float, float]:
    """(A, V) that a box of strings must be good for: of all together, of the highest."""
    mine = [s for s in b.strings if s.body == controller]
    return b.good_for(sum(s.i_max.n for s in mine)), max(s.v_oc_cold.n for s in mine)


def lay_combiners(b: Builder) -> None:
    """From each box to its controller: all its strings together."""
    for n in range(1, b.plan.kit.controllers_fitted + 1 if b.controller else 0):
        box, mine = f"pv-combiner-{n}", [s for s in b.strings if s.body == f"controller-{n}"]
        if box not in b.bodies:
            continue
        assert b.controller is not None and b.controller.pv is not None  # noqa: S101 - as above
        port = b.controller.pv
        count = given("n_str", len(mine), "", "Strings in parallel", "plan")
        each = max((s.i_max for s in mine), key=lambda f: f.n)
        current = solve(
            "I_pv",
            "A",
            "All strings together",
            f"n_str * {each.symbol}",
            count,
            each,
            source="sum",
        )
        volts = min((s.working_v for s in mine), key=lambda f: f.n)
        label = b.bodies[box].label
        good_for, most = _good_for(b, mine[0].body)
        lead = b.box(box, label, "pv-combiner", "to controller", good_for, dc_v=most)
        b.add(
            f"controller-pv-{n}",
            "controller-pv",
            f"{label} to {inside(b.controller_name(n))}",
            lead,
            b.controller_end(n, "PV", port.terminals, f"controller-{n}/PV"),
            DC,
            current,
            volts,
            "the strings' breakers",
            port.protection_max_a,
            drop=solve(
                "I_mp",
                "A",
                "All strings at maximum power",
                "n_str * I",
                count,
                mine[0].working_a,
                source="sum",
            ),
        )


def to_bus(b: Builder, bus: str, name: str, bank: int, banks: int) -> None:
    """The battery sides of a bank's controllers to its bus, a breaker for each."""
    for n in on_bank(b, bank, banks):
        sheet = b.controller
        assert sheet is not None and sheet.battery is not None and b.bank is not None  # noqa: S101
        current = b.bank.i_controller
        assert current is not None  # noqa: S101 - a bank with controllers has it
        source = b.box(
            bus, name, "dc-bus", f"controller {n}", b.good_for(current.n), "dc-breaker", "battery"
        )
        b.add(
            f"controller-{n}",
            "controller",
            f"{name} to {inside(b.controller_name(n))}",
            source,
            b.controller_end(n, "BAT", sheet.battery.terminals, f"controller-{n}/BAT"),
            DC,
            current,
            b.bank.v_nom,
            sheet.battery.protection,
            sheet.battery.protection_max_a,
            named_a=sheet.battery.protection_named_a,
        )
