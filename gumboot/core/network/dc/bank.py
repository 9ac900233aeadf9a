"""The battery side: banks to their units."""

from __future__ import annotations

from gumboot.core.basis.finding import Change, Cure, Finding, check
from gumboot.core.network.builder import Builder
from gumboot.core.network.circuit import end
from gumboot.core.network.controllers import on_bank, to_bus
from gumboot.core.network.dc.bus import lay_bus
from gumboot.core.network.dc.chain import lay_chain
from gumboot.core.network.dc.packs import (
    CELLS,
    bus_of,
    cells,
    current_of_each,
    lay_stack,
    packs_each,
    stacks_of,
    to_inverter,
)
from gumboot.core.network.element import Capacitor, Source


def lay_battery(b: Builder) -> None:
    """What feeds the battery ports. A pack inside its inverter is a source there and no circuit."""
    _ports(b)
    pack, bank, kit = b.pack, b.bank, b.plan.kit
    if pack is None or bank is None or b.inverter.battery is None or kit.packs == 0:
        return
    bare = not pack.breaker_a  # then what opens it stands ahead of the unit
    if pack.form == "stack":
        for i, stacks in enumerate(stacks_of(b), 1):
            if bare and len(stacks) > 1 and kit.hookup == "inputs":
                b.found.setdefault("bank.bare", _bare(b))
            if stacks and (bare or (len(stacks) > 1 and kit.hookup != "inputs")):
                _over_bus(b, i, [i], stacks[0], len(stacks), kit.inverters)
                continue
            to = "inverter" if kit.inverters == 1 else f"inverter {i}"
            for k, n in enumerate(stacks, 1):
                source = lay_stack(b, n)
                name, input = f"{source.label} to {to}", k if len(stacks) > 1 else 0
                to_inverter(b, i, source, name, own=True, input=input)
        return
    each = packs_each(b)
    for i in range(1, len(each) + 1):
        _bank(b, i, sum(each[: i - 1]) + 1, each[i - 1], len(each))


def _bare(b: Builder) -> Finding:
    """Say that stacks which were to have inputs of their own meet, since nothing of theirs opens
    them.
    """
    assert b.pack is not None  # noqa: S101 - the caller looked
    says = (
        f"The sheet of {b.pack.model} names no breaker of its own, and nothing else would open or"
        " protect a lead to an input: the stacks meet in a combiner, each behind a fuse."
    )
    enter = Cure("Enter its breaker on the shelf, if it has one")
    bus = Cure("Bring them together in a combiner", (Change("/kit/hookup", "bus"),))
    return check("bank.bare", "bank", says, b.plan.book.clauses["opens pack"], enter, bus)


def _ports(b: Builder) -> None:
    """The battery ports, their capacitors, and the packs that are inside the units."""
    unit, pack = b.inverter, b.pack
    for i in range(1, b.plan.kit.inverters + 1):
        hub = f"inverter-{i}"
        if unit.battery:
            b.join(hub, b.node(f"{hub}/BAT", hub, "dc"))
        b.capacitors.append(Capacitor(hub, hub, unit.capacitance_f, unit.capacitor_wait_min))
        if unit.pack_inside and pack:
            cells = b.node(f"{hub}/pack inside", hub, "dc")
            b.open_by(
                f"{hub}/own",
                "own breaker",
                "own switch",
                hub,
                cells,
                hub,
                "battery",
                ("+", "−"),
            )
            b.sources.append(
                Source(
                    f"{hub}/pack",
                    "pack",
                    f"Pack inside {b.unit_name(i)}",
                    hub,
                    (cells,),
                    never_dead=CELLS,
                )
            )


def _bank(b: Builder, n: int, first: int, packs: int, banks: int) -> None:
    """One bank: its packs, how they come together, and the inverters it feeds."""
    pack, kit = b.pack, b.plan.kit
    assert pack is not None  # noqa: S101 - the caller looked
    units = [n] if banks > 1 else list(range(1, kit.inverters + 1))
    if packs == 0:
        return
    alone = packs == 1 and len(units) == 1 and pack.breaker_a and not pack.cabinet
    if on_bank(b, n, banks):  # they land on a bus, whatever brings the packs together
        _over_bus(b, n, units, first, packs, banks)
    elif alone or (kit.hookup == "inputs" and len(units) == 1 and pack.breaker_a):
        for k in range(packs):
            pack_to_unit(b, units[0], first + k, k + 1, packs)
    elif kit.hookup == "chain" and len(units) == 1 and pack.breaker_a and not pack.cabinet:
        lay_chain(b, units[0], first, packs)
    else:
        _over_bus(b, n, units, first, packs, banks)


def _over_bus(b: Builder, n: int, units: list[int], first: int, packs: int, banks: int) -> None:
    """Packs or stacks that meet on a bus, and its breaker for each unit."""
    lay_bus(b, n, first, packs, banks)
    bus, name = bus_of(b, n, banks)
    amps, many = 1.25 * current_of_each(b).n, b.plan.kit.inverters > 1
    for i in units:
        source = b.box(bus, name, "dc-bus", f"inverter {i}", amps, "dc-breaker", "battery")
        to = f"{name} to inverter {i}" if many else f"{name} to inverter"
        to_inverter(b, i, source, to, own=False)
    to_bus(b, bus, name, n, banks)


def pack_to_unit(b: Builder, unit: int, i: int, input: int, packs: int) -> None:
    """A pack right at its unit, or at an input of its own."""
    pack = b.pack
    assert pack is not None  # noqa: S101 - the caller looked
    label = "Pack" if b.plan.kit.packs == 1 else f"Pack {i}"
    b.body(f"pack-{i}", "pack", label, f"{pack.v_nom:g} V", terminations=pack.factory_terminations)
    posts = cells(b, i, label)
    source = end(f"pack-{i}", label, "posts", pack.terminals, pack.earth, node=posts)
    to = "inverter" if b.plan.kit.inverters == 1 else f"inverter {unit}"
    to_inverter(b, unit, source, f"{label} to {to}", own=True, input=input if packs > 1 else 0)
