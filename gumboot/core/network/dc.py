"""The direct-current side: strings to trackers; packs, stacks, cabinets or a lead bank to the
inverters.
"""

from __future__ import annotations

from gumboot.core.basis.figure import COMMON_PRACTICE, given, solve
from gumboot.core.kit.terminal import FactoryJoint, Terminal
from gumboot.core.network.circuit import DC, End, end
from gumboot.core.network.layout import Layout
from gumboot.core.size.bank import cabinets
from gumboot.core.size.strings import tracker_of


def lay_pv(lay: Layout) -> None:
    """Each string from its array to a pair of connectors of its tracker."""
    if lay.plan.kit.module is None:
        return
    taken: dict[tuple[int, str], int] = {}
    module = lay.catalogue.modules[lay.plan.kit.module]
    for s in lay.strings:
        tracker = tracker_of(lay.inverter, s.tracker)
        if tracker is None or s.inverter > lay.plan.kit.inverters:
            continue
        pair = taken.get((s.inverter, s.tracker), 0)
        taken[s.inverter, s.tracker] = pair + (2 if s.jumper else 1)
        if pair >= tracker.pairs:
            continue
        planned = next(p for p in lay.plan.strings if p.letter == s.letter)
        array = lay.catalogue.device("array", module.i_sc_a, book=lay.plan.code)
        i_mp = given("I", module.i_mp_a, "A", "Current at maximum power", "module sheet")
        v_mp = given(
            "V_run",
            s.modules * module.v_mp_v,
            "V",
            "String voltage at maximum power",
            "module sheet",
        )
        lay.body(f"array-{s.letter}", "array", f"Array {s.letter}", f"{s.modules} modules")
        lay.add(
            s.key,
            "pv",
            f"String {s.letter}",
            end(f"array-{s.letter}", f"Array {s.letter}", "leads", array.terminals),
            lay.unit(s.inverter, f"PV {s.tracker}", tracker.terminals[2 * pair : 2 * pair + 2]),
            DC,
            s.i_max,
            v_mp,
            "string fuse" if s.fuse else "none: two strings or fewer in parallel",
            module.fuse_max_a,
            run=planned.run,
            ambient_c=lay.plan.site.t_roof_c,
            own=s.fuse,
            drop=i_mp,
        )


def lay_battery(lay: Layout) -> None:
    """What feeds the battery ports. Nothing is laid for a pack that is inside its inverter."""
    pack, bank, kit = lay.pack, lay.bank, lay.plan.kit
    if pack is None or bank is None or lay.inverter.battery is None or kit.packs == 0:
        return
    if pack.form == "stack":
        for i in range(1, min(kit.packs, kit.inverters) + 1):
            source = _stack(lay, i)
            _to_inverter(
                lay,
                i,
                source,
                "Stack to inverter" if kit.inverters == 1 else f"Stack {i} to inverter {i}",
                own=True,
            )
    elif kit.packs == 1 and kit.inverters == 1 and pack.breaker_a and not pack.cabinet:
        lay.body("pack-1", "pack", "Pack", f"{pack.v_nom:g} V", joints=pack.factory_joints)
        _to_inverter(
            lay,
            1,
            end("pack-1", "Pack", "posts", pack.terminals, pack.earth),
            "Pack to inverter",
            own=True,
        )
    else:
        _to_bus(lay)
        for i in range(1, kit.inverters + 1):
            source = lay.box(
                "dc-bus",
                "Battery bus",
                "dc-bus",
                f"inverter {i}",
                1.25 * bank.i_inverter.n,
                "dc-breaker",
            )
            _to_inverter(
                lay,
                i,
                source,
                "Battery bus to inverter" if kit.inverters == 1 else f"Battery bus to inverter {i}",
                own=False,
            )


def _stack(lay: Layout, i: int) -> End:
    assert lay.pack is not None and lay.bank is not None  # noqa: S101 - the caller looked
    label = "Stack" if lay.plan.kit.inverters == 1 else f"Stack {i}"
    towers = ("in two towers",) if lay.plan.kit.towers == 2 else ()
    bars = lay.pack.bridge if lay.plan.kit.towers == 2 else ()
    lay.body(
        f"pack-{i}",
        "pack",
        label,
        f"{lay.plan.kit.series} modules",
        *towers,
        lay.bank.v_nom.text,
        joints=lay.pack.factory_joints,
        bars=bars,
    )
    return end(f"pack-{i}", label, "posts", lay.pack.terminals, lay.pack.earth)


def _to_inverter(lay: Layout, i: int, source: End, name: str, own: bool) -> None:
    assert lay.pack is not None and lay.bank is not None and lay.inverter.battery is not None  # noqa: S101 - the caller looked
    port, pack = lay.inverter.battery, lay.pack
    breaker = (
        given("I_n", pack.breaker_a, "A", "The pack's own breaker", "pack sheet")
        if own and pack.breaker_a
        else None
    )
    lay.add(
        f"battery-{i}",
        "battery",
        name,
        source,
        lay.unit(i, "BAT", port.terminals),
        DC,
        lay.bank.i_inverter,
        lay.bank.v_nom,
        "pack's own breaker" if breaker else port.protection,
        port.protection_max_a,
        own=breaker,
        named_a=None if breaker else port.protection_named_a,
    )


def numbered(joint: FactoryJoint, k: int) -> FactoryJoint:
    """The same joint at the k-th place."""
    return joint.model_copy(update={"id": f"{joint.id}.{k}", "label": f"{joint.label}, {k}"})


def _links(lay: Layout) -> tuple[FactoryJoint, ...]:
    """Both bolts of every bar between the cells of one string."""
    assert lay.pack is not None  # noqa: S101 - the caller looked
    if lay.pack.interlink is None or lay.pack.form != "block":
        return ()
    ends = [
        lay.pack.interlink.model_copy(
            update={"id": f"link.{s}", "label": f"{lay.pack.interlink.label}, {s}"}
        )
        for s in ("+", "−")
    ]
    return tuple(numbered(e, k) for k in range(1, lay.plan.kit.series) for e in ends)


def _to_bus(lay: Layout) -> None:
    pack, bank, kit = lay.pack, lay.bank, lay.plan.kit
    assert pack is not None and bank is not None  # noqa: S101 - the caller looked
    bus = lay.catalogue.device("dc-bus", bank.i_all.n, book=lay.plan.code)
    lay.body("dc-bus", "dc-bus", "Battery bus")
    if bus.case:
        lay.cases["dc-bus"] = bus.case
    if pack.cabinet:
        row, name = cabinets(pack, kit.packs), pack.cabinet.name
        words = f"{row} {name}s" if row > 1 else name
        bars = tuple(numbered(j, k) for k in range(1, row) for j in pack.cabinet.joints)
        lay.body(
            "pack-1",
            "pack",
            words[0].upper() + words[1:],
            f"{kit.packs} packs",
            joints=pack.factory_joints,
            bars=bars,
        )
        own = given("I_n", pack.cabinet.bus_a, "A", "The cabinet's own breaker", "pack sheet")
        source = end("pack-1", "Cabinet 1", "posts", pack.terminals, pack.earth)
        lay.add(
            "pack-1",
            "pack",
            "Cabinets to battery bus",
            source,
            end("dc-bus", "Battery bus", "cabinets", bus.terminals),
            DC,
            bank.i_all,
            bank.v_nom,
            "cabinet's own breaker",
            pack.cabinet.bus_a,
            own=own,
        )
        return
    for i in range(1, kit.packs + 1):
        _pack_to_bus(lay, i, bus.terminals)


def _pack_to_bus(lay: Layout, i: int, bus: tuple[Terminal, ...]) -> None:
    """One pack or string of cells to the bus; in a chain to the pack before it.

    A jumper of a chain carries all packs beyond it and is protected by their breakers; the lead
    from the first pack to the bus
    carries the whole bank and has a main fuse at its post (common practice).
    """
    pack, bank, kit = lay.pack, lay.bank, lay.plan.kit
    assert pack is not None and bank is not None  # noqa: S101 - the caller looked
    kind = "Bank string" if pack.form == "block" else "Pack"
    one = "Bank" if kit.packs == 1 and pack.form == "block" else f"{kind} {i}"
    volts = f"{kit.series} × {pack.v_nom:g} V" if pack.form == "block" else f"{pack.v_nom:g} V"
    lay.body(f"pack-{i}", "pack", one, volts, joints=pack.factory_joints, bars=_links(lay))
    chained = kit.takeoff != "star" and kit.packs > 1
    beyond = kit.packs - i + 1 if chained else 1
    breaker = None
    if pack.breaker_a and not (chained and i == 1):
        whose = (
            "The pack's own breaker"
            if beyond == 1
            else f"The own breakers of {beyond} packs together"
        )
        breaker = given("I_n", beyond * pack.breaker_a, "A", whose, "pack sheet")
    source = end(f"pack-{i}", one, "posts", pack.terminals, pack.earth)
    current = bank.i_pack
    if chained:
        far, each = (
            given("n_far", beyond, "", "Packs beyond", "plan"),
            given("I_pack", pack.discharge_max_a, "A", "Continuous current of one", "pack sheet"),
        )
        current = solve(
            "I_jump",
            "A",
            "Current of the jumper",
            "min(I_all, n_far * I_pack)",
            bank.i_all,
            far,
            each,
            source=COMMON_PRACTICE,
        )
    if breaker is None:  # the fuse stands at the post, on a holder of its own
        fuse = lay.catalogue.device("dc-fuse", 1.25 * current.n, book=lay.plan.code).terminals
        plus, minus = (
            tuple(t for t in ts if t.conductor == c)
            for ts, c in ((fuse, "+"), (pack.terminals, "−"))
        )
        source = end(f"pack-{i}", one, "fuse", plus + minus, pack.earth)
    load, name = end("dc-bus", "Battery bus", f"pack {i}", bus), f"{one} to battery bus"
    if chained and i > 1:
        load, name = (
            end(f"pack-{i - 1}", f"{kind} {i - 1}", "posts", pack.terminals, pack.earth),
            f"{one} to {kind.lower()} {i - 1}",
        )
    lay.add(
        f"pack-{i}",
        "pack",
        name,
        source,
        load,
        DC,
        current,
        bank.v_nom,
        "pack's own breaker" if breaker else "fuse at the post",
        breaker.n if breaker else 800,
        own=breaker,
    )
