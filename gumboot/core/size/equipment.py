"""The first chapters of Size: strings, unit and bank, and whether they go together."""

from __future__ import annotations

from collections.abc import Iterable, Iterator

from gumboot.core.basis.figure import Figure
from gumboot.core.basis.finding import Asked, Finding, duty, note
from gumboot.core.brief.chapters import KIT, chosen, named
from gumboot.core.chapter import Chapter, Draft
from gumboot.core.network.currents import for_long
from gumboot.core.size.bank import Bank, design_bank
from gumboot.core.size.bank_findings import bank_findings, class_findings
from gumboot.core.size.controllers import controller_findings, controllers_unsuited
from gumboot.core.size.limits import keyed_limit
from gumboot.core.size.strings import StringDesign, Taker, design_string, design_trackers, takers
from gumboot.core.size.supply import suits, supply_findings, unit_findings

Found = tuple[Finding, ...]


def takers_of(d: Draft) -> tuple[Taker, ...]:
    """What strings land on in a job."""
    kit = chosen(d)
    return tuple(takers(d.plan, kit.inverter, kit.controller, kit.pack))


def _strings(d: Draft) -> tuple[tuple[StringDesign, ...], Found]:
    units = takers_of(d)
    rows: list[StringDesign] = []
    found: list[Finding] = []
    modules = {s.letter: d.catalogue.modules[d.plan.module_of(s) or ""] for s in d.plan.strings}
    for s in d.plan.strings:
        one, faults = design_string(s, d.plan, units, modules[s.letter])
        rows += [one] if one else []
        found += faults
    found += design_trackers(d.plan, units, modules)
    return tuple(rows), tuple(found)


def _string_figures(made: tuple[tuple[StringDesign, ...], Found]) -> Iterator[tuple[str, Figure]]:
    kinds = ("v_oc_cold", "v_mp_hot", "v_oc_hot", "i_max", "power", "fuse")
    return (f for s in made[0] for f in named(s.key, s, *kinds))


STRINGS: Chapter[tuple[tuple[StringDesign, ...], Found]] = Chapter(
    "strings",
    _strings,
    reads=("strings but runs", "site", "code", "kit"),
    settles=True,
    requires=(KIT,),
    findings=lambda made, d: made[1],
    figures=_string_figures,
)


def _unit(d: Draft) -> Found:
    kit = chosen(d)
    return (
        *unit_findings(d.plan, kit.inverter),
        *supply_findings(d.plan, kit.inverter, kit.gateway),
    )


UNIT: Chapter[Found] = Chapter(
    "unit",
    _unit,
    reads=("kit", "strings", "supply", "backup", "code"),
    requires=(KIT,),
    findings=lambda found, d: found,
)


def _bank(d: Draft) -> Bank | None:
    kit = chosen(d)
    wanted = kit.pack and (d.plan.kit.packs or kit.inverter.pack_inside)
    if not (kit.pack and wanted):
        return None
    return design_bank(d.plan, kit.inverter, kit.pack, kit.controller)


def _bank_found(bank: Bank | None, d: Draft) -> Iterable[Finding]:
    kit = chosen(d)
    if bank is None or kit.pack is None:
        return ()
    mismatch = class_findings(d.plan, bank, kit.inverter, kit.pack)
    if mismatch:
        return mismatch
    found = bank_findings(d.plan, bank, kit.inverter, kit.pack)
    more = controller_findings(
        d.plan, bank, kit.inverter, kit.pack, kit.controller, d[STRINGS][0] if d[STRINGS] else ()
    )
    return (*found, *more)


def _bank_figures(bank: Bank | None) -> Iterable[tuple[str, Figure]]:
    kinds = (
        "v_nom",
        "v_max",
        "v_min",
        "v_low",
        "i_inverter",
        "i_all",
        "i_in",
        "i_bus",
        "i_controller",
        "i_bank",
        "i_pack",
        "c_rate",
        "energy",
    )
    return named("bank", bank, *kinds) if bank else ()


def _held(amps: float | None, d: Draft) -> Found:
    """A limit that stands in for copper is keyed before first power, where nobody turns it back;
    what the largest breaker a maker allows holds back is said.
    """
    unit, book = chosen(d).inverter, d.plan.book
    most = unit.pass_through_a
    if most is None:
        return ()
    if amps is None or amps >= most:
        lets = for_long(unit, book)
        if lets is None or lets.n >= most - 1e-9:
            return ()
        says = (
            f"The unit passes {most:g} A, and the largest breaker its maker allows,"
            f" {lets.inputs[0].text}, carries {lets.text} for long: what is behind it may draw no"
            " more."
        )
        rule = book.clauses["breaker for long"]
        return (note("through.breaker", "inverter-1", says, rule, figures=(lets,)),)
    says = (
        f"Conductors are sized for {amps:g} A through each unit because a setting limits it. It is"
        " keyed before first power, the menu is locked, and the maker lists it as a limiter."
    )
    rule = d.plan.book.clauses["limiter"]
    return (duty("through.limited", "inverter-1", says, rule, Asked("Set")),)


def _through(d: Draft) -> float | None:
    return keyed_limit(d.plan, chosen(d).inverter, "pass_through")


THROUGH: Chapter[float | None] = Chapter(  # what is keyed of the current drawn through a unit
    "through",
    _through,
    reads=("kit", "settings", "code"),
    requires=(KIT,),
    settles=True,
    findings=_held,
)

BANK: Chapter[Bank | None] = Chapter(
    "bank",
    _bank,
    reads=("kit", "settings", "supply", "strings but runs", "code"),
    needs=(STRINGS,),
    requires=(KIT,),
    settles=True,
    findings=_bank_found,
    figures=_bank_figures,
)


def _fits(d: Draft) -> bool | None:
    """Whether unit, supply, book, gateway and bank go together; None ends the design."""
    kit, bank = chosen(d), d[BANK]
    wrong: list[Finding] = []
    if bank and kit.pack:
        wrong = class_findings(d.plan, bank, kit.inverter, kit.pack)
        wrong += controllers_unsuited(d.plan, bank, kit.inverter, kit.pack, kit.controller)
    return True if not wrong and suits(d.plan, kit.inverter, kit.gateway) else None


FITS: Chapter[bool | None] = Chapter(
    "fits", _fits, reads=("kit", "supply", "code", "settings"), needs=(BANK,), requires=(KIT,)
)
