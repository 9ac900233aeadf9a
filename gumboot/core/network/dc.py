"""The direct-current side: packs, stacks, cabinets or a lead bank to the inverters.

bus      packs ─[own]─ posts ══ bus ─[breaker]─ BAT      all packs on one bus, a breaker an inverter
chain    pack 3 ══ pack 2 ══ pack 1 ══ BAT               posts to posts, the last to the unit
inputs   pack 1 ══ BAT 1, pack 2 ══ BAT 2                each pack to an input of its own
alone    pack ══ BAT                                     a pack, a stack, right at its unit
"""

from __future__ import annotations

from gumboot.core.basis.figure import COMMON_PRACTICE, Figure, given, solve
from gumboot.core.basis.finding import Change, Cure, check
from gumboot.core.kit.terminal import FactoryTermination
from gumboot.core.network.builder import Builder
from gumboot.core.network.circuit import DC, End, end
from gumboot.core.network.element import Capacitor, Source
from gumboot.core.size.bank import cabinets

CELLS = "cells cannot be switched off at their posts"


def lay_battery(b: Builder) -> None:
    """What feeds the battery ports. A pack inside its inverter is a source there and no circuit."""
    _ports(b)
    pack, bank, kit = b.pack, b.bank, b.plan.kit
    if pack is None or bank is None or b.inverter.battery is None or kit.packs == 0:
        return
    if pack.form == "stack":
        for i in range(1, min(kit.packs, kit.inverters) + 1):
            name = "Stack to inverter" if kit.inverters == 1 else f"Stack {i} to inverter {i}"
            _to_inverter(b, i, _stack(b, i), name, own=True)
        return
    each = packs_each(b)
    for i in range(1, len(each) + 1):
        _bank(b, i, sum(each[: i - 1]) + 1, each[i - 1], len(each))


def packs_each(b: Builder) -> tuple[int, ...]:
    """How many packs every bank has: one bank for all, or one for each inverter, filled in turn."""
    kit = b.plan.kit
    if kit.banks == "one for all" or kit.inverters == 1:
        return (kit.packs,)
    share, more = divmod(kit.packs, kit.inverters)
    return tuple(share + (i < more) for i in range(kit.inverters))


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
    if alone or (kit.hookup == "inputs" and len(units) == 1 and pack.breaker_a):
        for k in range(packs):
            _pack_to_unit(b, units[0], first + k, k + 1, packs)
    elif kit.hookup == "chain" and len(units) == 1 and pack.breaker_a and not pack.cabinet:
        _chain(b, units[0], first, packs)
    else:
        _to_bus(b, n, first, packs, banks)
        bus, name = bus_of(n, banks)
        for i in units:
            source = b.box(
                bus, name, "dc-bus", f"inverter {i}", 1.25 * _each(b).n, "dc-breaker", "battery"
            )
            many = kit.inverters > 1
            _to_inverter(
                b,
                i,
                source,
                f"{name} to inverter {i}" if many else f"{name} to inverter",
                own=False,
            )


def bus_of(n: int, banks: int) -> tuple[str, str]:
    """The key and the name of a bank's bus."""
    return ("dc-bus", "Battery bus") if banks == 1 else (f"dc-bus-{n}", f"Battery bus {n}")


def _each(b: Builder) -> Figure:
    assert b.bank is not None  # noqa: S101 - the caller looked
    return b.bank.i_inverter


def _cells(b: Builder, i: int, label: str) -> str:
    """The cells of a pack, behind its own breaker where it has one; gives the node of its posts."""
    pack, id = b.pack, f"pack-{i}"
    assert pack is not None  # noqa: S101 - the caller looked
    cells = b.node(id, id, "dc")
    b.sources.append(Source(id, "pack", label, id, (cells,), never_dead=CELLS))
    posts = b.node(f"{id}/posts", id, "dc")
    if pack.breaker_a:
        b.open_by(
            f"{id}/own",
            "own breaker",
            "own breaker",
            id,
            cells,
            posts,
            "battery",
            ("+", "−"),
            rated_a=pack.breaker_a,
            interrupt_a=pack.breaker_interrupt_a,
        )
    return posts


def _stack(b: Builder, i: int) -> End:
    assert b.pack is not None and b.bank is not None  # noqa: S101 - the caller looked
    label = "Stack" if b.plan.kit.inverters == 1 else f"Stack {i}"
    towers = ("in two towers",) if b.plan.kit.towers == 2 else ()
    bars = b.pack.bridge if b.plan.kit.towers == 2 else ()
    b.body(
        f"pack-{i}",
        "pack",
        label,
        f"{b.plan.kit.series} modules",
        *towers,
        b.bank.v_nom.text,
        terminations=b.pack.factory_terminations,
        bars=bars,
    )
    posts = _cells(b, i, label)
    _own_or_bare(b, i, posts)
    return end(f"pack-{i}", label, "posts", b.pack.terminals, b.pack.earth, node=posts)


def _own_or_bare(b: Builder, i: int, posts: str) -> None:
    """A pack without a breaker of its own: its cells are at its posts."""
    assert b.pack is not None  # noqa: S101 - the caller looked
    if not b.pack.breaker_a:
        b.join(f"pack-{i}", posts)


def _pack_to_unit(b: Builder, unit: int, i: int, input: int, packs: int) -> None:
    """A pack right at its unit, or at an input of its own."""
    pack = b.pack
    assert pack is not None  # noqa: S101 - the caller looked
    label = "Pack" if b.plan.kit.packs == 1 else f"Pack {i}"
    b.body(f"pack-{i}", "pack", label, f"{pack.v_nom:g} V", terminations=pack.factory_terminations)
    posts = _cells(b, i, label)
    source = end(f"pack-{i}", label, "posts", pack.terminals, pack.earth, node=posts)
    to = "inverter" if b.plan.kit.inverters == 1 else f"inverter {unit}"
    _to_inverter(b, unit, source, f"{label} to {to}", own=True, input=input if packs > 1 else 0)


def _to_inverter(b: Builder, i: int, source: End, name: str, own: bool, input: int = 0) -> None:
    """The conductors to a battery port, or to one of its inputs."""
    assert b.pack is not None and b.bank is not None  # noqa: S101 - the caller looked
    assert b.inverter.battery is not None  # noqa: S101 - the caller looked
    port, pack = b.inverter.battery, b.pack
    sheet = "pack sheet"
    breaker = (
        given("I_n", pack.breaker_a, "A", "The pack's own breaker", sheet)
        if own and pack.breaker_a
        else None
    )
    current = b.bank.i_inverter
    if input:
        rated = given("I_pack", pack.discharge_max_a, "A", "Continuous current of one", sheet)
        current = solve(
            "I_input",
            "A",
            "Current of one input",
            "min(I_pack, I_bat)",
            rated,
            current.renamed("I_bat"),
            source=COMMON_PRACTICE,
        )
    id = f"battery-{i}" + (f"-{input}" if input > 1 else "")
    says = f"BAT {input}" if input else "BAT"
    at = f"inverter-{i}/BAT"
    if input:
        at = b.node(f"inverter-{i}/BAT {input}", f"inverter-{i}", "dc")
        b.join(f"inverter-{i}/BAT", at)
    b.add(
        id,
        "battery",
        name,
        source,
        b.unit(i, says, port.terminals, at),
        DC,
        current,
        b.bank.v_nom,
        "pack's own breaker" if breaker else port.protection,
        port.protection_max_a,
        own=breaker,
        named_a=None if breaker else port.protection_named_a,
    )


def _chain(b: Builder, unit: int, first: int, packs: int) -> None:
    """Packs posts to posts, the first of them to the unit: every lead carries all packs beyond it.

    The packs' own breakers protect it, each its own share; the lead to the unit carries the whole.
    """
    pack, bank = b.pack, b.bank
    assert pack is not None and bank is not None  # noqa: S101 - the caller looked
    for i in range(first, first + packs):
        label = f"Pack {i}"
        b.body(
            f"pack-{i}", "pack", label, f"{pack.v_nom:g} V", terminations=pack.factory_terminations
        )
        posts = _cells(b, i, label)
        if i == first:
            continue
        beyond = first + packs - i
        far = given("n_far", beyond, "", "Packs beyond", "plan")
        rated = given(
            "I_pack", pack.discharge_max_a, "A", "Continuous current of one", "pack sheet"
        )
        current = solve(
            "I_jump",
            "A",
            "Current of the jumper",
            "min(I_bat, n_far * I_pack)",
            bank.i_inverter.renamed("I_bat"),
            far,
            rated,
            source=COMMON_PRACTICE,
        )
        source = end(f"pack-{i}", label, "posts", pack.terminals, pack.earth, node=posts)
        before = f"pack-{i - 1}"
        load = end(
            before, f"Pack {i - 1}", "posts", pack.terminals, pack.earth, node=f"{before}/posts"
        )
        whose = "The pack's own breaker" if beyond == 1 else f"The own breakers of {beyond} packs"
        own = given("I_n", _together(b, beyond), "A", whose, "pack sheet")
        b.add(
            f"pack-{i}",
            "pack",
            f"{label} to pack {i - 1}",
            source,
            load,
            DC,
            current,
            bank.v_nom,
            "packs' own breakers",
            own.n,
            own=own,
        )
    port = b.inverter.battery
    assert port is not None  # noqa: S101 - the caller looked
    source = end(
        f"pack-{first}",
        f"Pack {first}",
        "posts",
        pack.terminals,
        pack.earth,
        node=f"pack-{first}/posts",
    )
    own = given("I_n", _together(b, packs), "A", f"The own breakers of {packs} packs", "pack sheet")
    _unfused(b, first, packs, own)
    to = "inverter" if b.plan.kit.inverters == 1 else f"inverter {unit}"
    b.add(
        f"battery-{unit}",
        "battery",
        f"Pack {first} to {to}",
        source,
        b.unit(unit, "BAT", port.terminals, f"inverter-{unit}/BAT"),
        DC,
        bank.i_inverter,
        bank.v_nom,
        "packs' own breakers",
        max(own.n, port.protection_max_a),
        own=own,
    )


def _unfused(b: Builder, first: int, packs: int, lead: Figure) -> None:
    """Say that breakers side by side let through more than the lead they protect is sized for."""
    pack = b.pack
    assert pack is not None and pack.breaker_a  # noqa: S101 - the caller looked
    n = given("n", packs, "", "Packs in the chain", "plan")
    one = given("I_own", pack.breaker_a, "A", "The own breaker of one", "pack sheet")
    passed = solve("I_let", "A", "What they let through", "n * I_own", n, one, source="sum")
    if passed.n <= lead.n:
        return
    key = f"chain.{first}"
    says = (
        f"The own breakers of {packs} packs let {passed.text} into the lead of pack {first}, which"
        f" is sized to be protected at {lead.text}."
    )
    fuse = Cure(f"Fuse it at pack {first}, or have the maker's word that the lead may go so")
    bus = Cure("Bring the packs to a bus", (Change("/kit/hookup", "bus"),))
    found = check(
        key, f"pack-{first}", says, b.plan.book.clauses["chain"], fuse, bus, figures=(passed, lead)
    )
    b.found.setdefault(key, found)


def _together(b: Builder, packs: int) -> float:
    """What so many packs' own breakers let through together, at most what the unit draws and a
    quarter: in a chain no more can flow for long. Common practice.
    """
    assert b.pack is not None and b.bank is not None and b.pack.breaker_a  # noqa: S101
    return min(packs * b.pack.breaker_a, max(b.pack.breaker_a, 1.25 * b.bank.i_inverter.n))


def numbered(termination: FactoryTermination, k: int) -> FactoryTermination:
    """The same termination at the k-th place."""
    return termination.model_copy(
        update={"id": f"{termination.id}.{k}", "label": f"{termination.label}, {k}"}
    )


def _links(b: Builder) -> tuple[FactoryTermination, ...]:
    """Both bolts of every bar between the cells of one string."""
    assert b.pack is not None  # noqa: S101 - the caller looked
    if b.pack.interlink is None or b.pack.form != "block":
        return ()
    link = b.pack.interlink
    ends = [
        link.model_copy(update={"id": f"link.{s}", "label": f"{link.label}, {s}"})
        for s in ("+", "−")
    ]
    return tuple(numbered(e, k) for k in range(1, b.plan.kit.series) for e in ends)


def _to_bus(b: Builder, n: int, first: int, packs: int, banks: int) -> None:
    pack, bank = b.pack, b.bank
    assert pack is not None and bank is not None  # noqa: S101 - the caller looked
    id, name = bus_of(n, banks)
    bus = b.device("dc-bus", bank.i_all.n)
    b.body(id, "dc-bus", name)
    b.node(id, id, "dc", bar=True)
    if bus:
        b.devices[id] = bus
        if bus.enclosure:
            b.cases[id] = bus.enclosure
    at_bus = end(id, name, "", bus.terminals if bus else (), node=id, missing=bus is None)
    if pack.cabinet:
        _cabinets(b, at_bus, packs)
        return
    for i in range(first, first + packs):
        _pack_to_bus(b, i, i - first + 1, first, packs, at_bus)


def _cabinets(b: Builder, at_bus: End, packs: int) -> None:
    """Cabinets in a row, their inner bars joined, one lead to the bus; every pack inside a source
    with its own breaker onto the cabinet's bar.
    """
    pack, bank = b.pack, b.bank
    assert pack is not None and bank is not None and pack.cabinet is not None  # noqa: S101
    row, name = cabinets(pack, packs), pack.cabinet.name
    words = f"{row} {name}s" if row > 1 else name
    bars = tuple(numbered(j, k) for k in range(1, row) for j in pack.cabinet.terminations)
    terminations = (
        [numbered(j, k) for k in range(1, packs + 1) for j in pack.factory_terminations]
        if packs > 1
        else list(pack.factory_terminations)
    )
    b.body(
        "pack-1",
        "pack",
        words[0].upper() + words[1:],
        f"{packs} packs",
        terminations=tuple(terminations),
        bars=(*bars, *_inside(b, packs)),
    )
    bar = b.node("pack-1/bar", "pack-1", "dc", bar=True)
    for k in range(1, packs + 1):
        cells = b.node(f"pack-1/pack {k}", "pack-1", "dc")
        b.sources.append(
            Source(
                f"pack-1/pack {k}",
                "pack",
                f"Pack {k} in its cabinet",
                "pack-1",
                (cells,),
                never_dead=CELLS,
            )
        )
        if pack.breaker_a:
            b.open_by(
                f"pack-1/pack {k} own",
                "own breaker",
                f"breaker of pack {k}",
                "pack-1",
                cells,
                bar,
                "battery",
                ("+", "−"),
                rated_a=pack.breaker_a,
                interrupt_a=pack.breaker_interrupt_a,
            )
        else:
            b.join(cells, bar)
    posts = b.node("pack-1/posts", "pack-1", "dc")
    b.open_by(
        "pack-1/cabinet",
        "breaker",
        "cabinet's own breaker",
        "pack-1",
        bar,
        posts,
        "battery",
        ("+", "−"),
        rated_a=pack.cabinet.bus_a,
    )
    own = given("I_n", pack.cabinet.bus_a, "A", "The cabinet's own breaker", "pack sheet")
    source = end("pack-1", "Cabinet 1", "posts", pack.terminals, pack.earth, node=posts)
    load = end(
        at_bus.body,
        at_bus.label,
        "cabinets",
        at_bus.terminals,
        node=at_bus.node,
        missing=at_bus.missing,
    )
    b.add(
        "pack-1",
        "pack",
        "Cabinets to battery bus",
        source,
        load,
        DC,
        bank.i_all,
        bank.v_nom,
        "cabinet's own breaker",
        pack.cabinet.bus_a,
        own=own,
    )


def _inside(b: Builder, packs: int) -> tuple[FactoryTermination, ...]:
    """What the crew bolts inside cabinets: both posts of every pack to the bar, and its earth."""
    assert b.pack is not None  # noqa: S101 - the caller looked
    out = []
    for k in range(1, packs + 1):
        for t in (*b.pack.terminals, b.pack.earth):
            if t.torque_nm is None:
                continue
            out.append(
                FactoryTermination(
                    id=f"inside.{t.id}.{k}",
                    label=f"Pack {k}, {t.label}",
                    torque_nm=t.torque_nm,
                    bit=t.bit,
                )
            )
    return tuple(out)


def _pack_to_bus(b: Builder, i: int, place: int, first: int, packs: int, at_bus: End) -> None:
    """One pack or string of cells to the bus; in a chain to the pack before it.

    A jumper of a chain carries all packs beyond it and is protected by their breakers; the lead
    from the first pack to the bus carries the whole bank and has a main fuse at its post (common
    practice).
    """
    pack, bank, kit = b.pack, b.bank, b.plan.kit
    assert pack is not None and bank is not None  # noqa: S101 - the caller looked
    kind = "Bank string" if pack.form == "block" else "Pack"
    one = "Bank" if packs == 1 and pack.form == "block" else f"{kind} {i}"
    volts = f"{kit.series} × {pack.v_nom:g} V" if pack.form == "block" else f"{pack.v_nom:g} V"
    b.body(f"pack-{i}", "pack", one, volts, terminations=pack.factory_terminations, bars=_links(b))
    posts = _cells(b, i, one)
    _own_or_bare(b, i, posts)
    chained = kit.takeoff != "star" and packs > 1
    beyond = packs - place + 1 if chained else 1
    breaker = None
    if pack.breaker_a and not (chained and place == 1):
        whose = (
            "The pack's own breaker"
            if beyond == 1
            else f"The own breakers of {beyond} packs together"
        )
        breaker = given("I_n", beyond * pack.breaker_a, "A", whose, "pack sheet")
    source = end(f"pack-{i}", one, "posts", pack.terminals, pack.earth, node=posts)
    current = bank.i_pack
    if chained:
        far = given("n_far", beyond, "", "Packs beyond", "plan")
        each = given("I_pack", pack.discharge_max_a, "A", "Continuous current of one", "pack sheet")
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
    if breaker is None:
        source = _fused(b, i, one, 1.25 * current.n, posts, at_bus.body)
    load, name = at_bus, f"{one} to {at_bus.label[:1].lower()}{at_bus.label[1:]}"
    load = end(
        at_bus.body,
        at_bus.label,
        f"pack {i}",
        at_bus.terminals,
        node=at_bus.node,
        missing=at_bus.missing,
    )
    if chained and place > 1:
        before = f"pack-{i - 1}"
        load = end(
            before, f"{kind} {i - 1}", "posts", pack.terminals, pack.earth, node=f"{before}/posts"
        )
        name = f"{one} to {kind.lower()} {i - 1}"
    b.add(
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


def _fused(b: Builder, i: int, label: str, amps: float, posts: str, bus: str) -> End:
    """The fuse at the post, on a holder of its own: it is drawn when the bus's breakers are
    open.
    """
    assert b.pack is not None  # noqa: S101 - the caller looked
    fuse = b.device("dc-fuse", amps)
    plus = tuple(t for t in (fuse.terminals if fuse else ()) if t.conductor == "+")
    minus = tuple(t for t in b.pack.terminals if t.conductor == "−")
    at = b.node(f"pack-{i}/fuse", f"pack-{i}", "dc")
    after = tuple(f"{bus}/inverter {k}" for k in range(1, b.plan.kit.inverters + 1))
    b.open_by(
        f"pack-{i}/fuse",
        "fuse",
        "fuse at the post",
        f"pack-{i}",
        posts,
        at,
        "battery",
        ("+",),
        interrupt_a=fuse.interrupt_a if fuse else None,
        after=after,
    )
    return end(
        f"pack-{i}", label, "fuse", plus + minus, b.pack.earth, node=at, missing=fuse is None
    )
