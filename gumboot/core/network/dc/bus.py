"""Packs and cabinets on a bus."""

from __future__ import annotations

from gumboot.core.basis.figure import COMMON_PRACTICE, given, solve
from gumboot.core.kit.terminal import FactoryTermination
from gumboot.core.network.builder import Builder
from gumboot.core.network.circuit import DC, End, end
from gumboot.core.network.dc.packs import (
    CELLS,
    bus_of,
    cells,
    lay_stack,
    links_of,
    numbered,
    own_or_bare,
)
from gumboot.core.network.element import Source
from gumboot.core.size.bank import cabinets


def lay_bus(b: Builder, n: int, first: int, packs: int, banks: int) -> None:
    pack, bank = b.pack, b.bank
    assert pack is not None and bank is not None  # noqa: S101 - the caller looked
    id, name = bus_of(b, n, banks)
    bus = b.device("dc-bus", bank.at_bus.n, place=id, label=name)
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
    kind, one = _body_on_bus(b, i, packs)
    posts = f"pack-{i}/posts"
    chained = pack.form != "stack" and kit.takeoff != "star" and packs > 1
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
    if kit.pack_fuses and breaker and not chained:
        load = _fuse_at_bus(b, i, one, breaker.n, at_bus)
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


def _body_on_bus(b: Builder, i: int, packs: int) -> tuple[str, str]:
    """A pack, a string of cells or a stack as a body; what its kind and itself are called."""
    pack, kit = b.pack, b.plan.kit
    assert pack is not None  # noqa: S101 - the caller looked
    if pack.form == "stack":
        return "Stack", lay_stack(b, i).label
    kind = "Bank string" if pack.form == "block" else "Pack"
    one = "Bank" if packs == 1 and pack.form == "block" else f"{kind} {i}"
    volts = f"{kit.series} × {pack.v_nom:g} V" if pack.form == "block" else f"{pack.v_nom:g} V"
    b.body(
        f"pack-{i}", "pack", one, volts, terminations=pack.factory_terminations, bars=links_of(b)
    )
    own_or_bare(b, i, cells(b, i, one))
    return kind, one


def _fuse_at_bus(b: Builder, i: int, label: str, amps: float, bus: End) -> End:
    """A fuse of the rating of a pack's own breaker where its run meets the bus: what the other
    packs push back is broken there. It is drawn when the pack's own breaker is open.
    """
    name = f"fuse of {label[:1].lower()}{label[1:]}"
    place = f"{bus.body}/pack {i}"
    fuse = b.device("dc-fuse", amps, place=place, label=f"{bus.label}, {name}")
    plus = tuple(t for t in (fuse.terminals if fuse else ()) if t.conductor == "+")
    rest = tuple(t for t in bus.terminals if t.conductor != "+")
    at = b.node(place, bus.body, "dc")
    b.open_by(
        place,
        "fuse",
        name,
        bus.body,
        bus.node,
        at,
        "battery",
        ("+",),
        rated_a=amps,
        interrupt_a=fuse.interrupt_a if fuse else None,
        after=(f"pack-{i}/own",),
    )
    missing = bus.missing or fuse is None
    return end(bus.body, bus.label, f"pack {i}", plus + rest, node=at, missing=missing)


def _fused(b: Builder, i: int, label: str, amps: float, posts: str, bus: str) -> End:
    """The fuse at the post, on a holder of its own: it is drawn when the bus's breakers are
    open.
    """
    assert b.pack is not None  # noqa: S101 - the caller looked
    fuse = b.device("dc-fuse", amps, place=f"pack-{i}/fuse", label=f"{label}, fuse at the post")
    plus = tuple(t for t in (fuse.terminals if fuse else ()) if t.conductor == "+")
    minus = tuple(t for t in b.pack.terminals if t.conductor == "−")
    at = b.node(f"pack-{i}/fuse", f"pack-{i}", "dc")
    fed = [f"{bus}/inverter {k}" for k in range(1, b.plan.kit.inverters + 1)]
    fed += [f"{bus}/controller {k}" for k in range(1, b.plan.kit.controllers_fitted + 1)]
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
        after=tuple(fed),
    )
    return end(
        f"pack-{i}", label, "fuse", plus + minus, b.pack.earth, node=at, missing=fuse is None
    )
