"""Packs in a chain, the first of them to its unit."""

from __future__ import annotations

from gumboot.core.basis.figure import COMMON_PRACTICE, Figure, given, solve
from gumboot.core.basis.finding import Change, Cure, check
from gumboot.core.network.builder import Builder
from gumboot.core.network.circuit import DC, end
from gumboot.core.network.dc.packs import cells


def lay_chain(b: Builder, unit: int, first: int, packs: int) -> None:
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
        posts = cells(b, i, label)
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
