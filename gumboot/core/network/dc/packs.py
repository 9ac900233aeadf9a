"""Packs: how many a unit, their cells, own breakers and links, and their lead to a unit."""

from __future__ import annotations

from gumboot.core.basis.figure import COMMON_PRACTICE, Figure, given, solve
from gumboot.core.kit.terminal import FactoryTermination
from gumboot.core.network.builder import Builder
from gumboot.core.network.circuit import DC, End, end
from gumboot.core.network.element import Source
from gumboot.core.size.bank import stacks_each

CELLS = "cells cannot be switched off at their posts"


def packs_each(b: Builder) -> tuple[int, ...]:
    """How many packs every bank has: one bank for all, or one for each inverter, filled in turn."""
    kit = b.plan.kit
    if kit.banks == "one for all" or kit.inverters == 1:
        return (kit.packs,)
    share, more = divmod(kit.packs, kit.inverters)
    return tuple(share + (i < more) for i in range(kit.inverters))


def stacks_of(b: Builder) -> list[list[int]]:
    """The numbers of every unit's stacks: one of its own, one for each of its battery inputs, or
    those that meet ahead of its port.
    """
    kit = b.plan.kit
    each = stacks_each(kit, b.inverter, b.pack) if b.pack else 1
    out = [list(range(each * i + 1, each * (i + 1) + 1)) for i in range(kit.inverters)]
    return [[n for n in row if n <= kit.packs] for row in out]


def bus_of(b: Builder, n: int, banks: int) -> tuple[str, str]:
    """The key and the name of what a bank's packs meet on: stacks meet in a combiner; one that has
    no breaker of its own gets one in a box.
    """
    name = "Battery bus"
    if b.pack and b.pack.form == "stack":
        name = "Battery combiner" if len(stacks_of(b)[n - 1]) > 1 else "Battery breaker box"
    return ("dc-bus", name) if banks == 1 else (f"dc-bus-{n}", f"{name} {n}")


def current_of_each(b: Builder) -> Figure:
    assert b.bank is not None  # noqa: S101 - the caller looked
    return b.bank.i_inverter


def cells(b: Builder, i: int, label: str) -> str:
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


def own_or_bare(b: Builder, i: int, posts: str) -> None:
    """A pack without a breaker of its own: its cells are at its posts."""
    assert b.pack is not None  # noqa: S101 - the caller looked
    if not b.pack.breaker_a:
        b.join(f"pack-{i}", posts)


def lay_stack(b: Builder, i: int) -> End:
    """A stack, in one tower or two bridged; gives its posts."""
    assert b.pack is not None and b.bank is not None  # noqa: S101 - the caller looked
    label = "Stack" if sum(map(len, stacks_of(b))) == 1 else f"Stack {i}"
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
    posts = cells(b, i, label)
    own_or_bare(b, i, posts)
    return end(f"pack-{i}", label, "posts", b.pack.terminals, b.pack.earth, node=posts)


def to_inverter(b: Builder, i: int, source: End, name: str, own: bool, input: int = 0) -> None:
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


def numbered(termination: FactoryTermination, k: int) -> FactoryTermination:
    """The same termination at the k-th place."""
    return termination.model_copy(
        update={"id": f"{termination.id}.{k}", "label": f"{termination.label}, {k}"}
    )


def links_of(b: Builder) -> tuple[FactoryTermination, ...]:
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
