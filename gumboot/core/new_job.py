"""A new job from its first answers: enough for a one-line drawing. What nobody said is proposed
from
the shelf or stays open.
"""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import dataclass
from typing import Any

from gumboot.core.basis.finding import Finding, Level
from gumboot.core.basis.patch import apply
from gumboot.core.brief.suits import (
    charges_pack,
    gateways,
    series_that_fits,
    suits_book,
    suits_supply,
    suits_unit,
)
from gumboot.core.codes.book import Book
from gumboot.core.codes.books import BOOKS
from gumboot.core.design import design
from gumboot.core.kit import Catalogue, Inverter, Module, Pack, Terminal
from gumboot.core.kit.presumed import NOT_ENTERED
from gumboot.core.plan import Plan
from gumboot.core.size.controllers import OVERSIZE
from gumboot.core.size.finder import Face, Found, find
from gumboot.core.size.strings import takers

TILT_DEG = 30.0  # of a roof nobody measured yet: common practice
STRINGS_MOST = 26
PACKS_MOST = 8  # beyond it a person says how many
CONTROLLERS_MOST = 6  # the same
ANSWERED = ("/backup/loads", "/site/building", "/supply/kind")  # no proposal changes these
ASKED_BY_THE_BOOK = ("pv.rapid-shutdown", "storage.emergency", "bond.")  # planned from the start


@dataclass(frozen=True, slots=True)
class Kind:
    """A kind of system: with an array of its own, with the grid, beside a PV inverter that is
    there, with a generator.
    """

    id: str
    name: str
    pv: bool = False
    grid: bool = True
    beside: bool = False
    generator: bool = False


KINDS = (
    Kind("pv", "PV and battery", pv=True),
    Kind("beside", "Battery beside a PV inverter", beside=True),
    Kind("battery", "Battery alone"),
    Kind("off-grid", "Off grid", pv=True, grid=False),
    Kind("off-grid-generator", "Off grid with a generator", pv=True, grid=False, generator=True),
)
KIND = {k.id: k for k in KINDS}


@dataclass(frozen=True, slots=True)
class First:
    """The first answers, as typed and read: place in degrees, packs (0: as many as the inverters
    ask for), modules in all, run of the array in m, powers in W.
    """

    name: str
    code: str
    units: str
    kind: Kind
    supply: str
    latitude_deg: float
    longitude_deg: float
    zone: str
    outage: str
    inverter: str
    inverters: int
    pack: str
    packs: int
    module: str = ""
    modules: int = 0
    array_m: float = 0.0
    existing_w: float = 0.0
    generator_w: float = 0.0
    controller: str = ""


class NoStrings(ValueError):
    """No string of the modules fits the unit; its text says why."""


def units_for(shelf: Catalogue, kind: Kind, book: Book, supply: str) -> list[str]:
    """Inverters that serve, by id, the likeliest first and of like ones a crew's own: with trackers
    for an array and without where there is none; one that makes a house of its own off grid.
    """
    fits = [
        u
        for u in shelf.inverters.values()
        if suits_book(u, book)
        and suits_supply(u, supply if kind.grid else "off-grid")
        and (takes_pv(u) or not (kind.pv and kind.grid))  # off grid may have a generator only
        and (kind.grid or u.backup is not None)
    ]
    fits.sort(
        key=lambda u: (
            bool(u.trackers) != kind.pv,
            u.supply != supply,
            kind.generator and u.generator is None,
            (u.topology == "inverter-charger") == kind.grid,  # made for a house of its own
            u.id not in shelf.own,
            u.id,
        )
    )
    return [u.id for u in fits]


def takes_pv(unit: Inverter) -> bool:
    """Whether an array may come to a unit: to its trackers, entered or not, or beside it on the bus
    of its bank, over charge controllers.
    """
    return bool(unit.trackers) or unit.topology in ("hybrid", "inverter-charger")


def controllers_for(shelf: Catalogue, unit: Inverter | None, pack: str, book: Book) -> list[str]:
    """Charge controllers that charge a pack in a unit's bank, by id, of those whose sheet speaks of
    a book's sizes: of the unit's maker first, then a crew's own, then by what they charge with.
    """
    own = shelf.packs.get(pack)
    if unit is None or unit.battery is None or own is None:
        return []
    series = series_that_fits(own, unit)
    rows = [c for c in shelf.controllers.values() if c.book in (book.code, "any")]
    fits = [c for c in rows if charges_pack(c, own, series)]
    fits.sort(key=lambda c: (c.maker != unit.maker, c.id not in shelf.own, c.charge_max_a, c.id))
    return [c.id for c in fits]


def modules_for(shelf: Catalogue) -> list[str]:
    """Modules by id: a crew's own first, then those whose sheet has its coefficients, then the most
    powerful.
    """

    def likely(m: Module) -> tuple[bool, bool, float, str]:
        silent = m.beta_voc_per_c is None or m.gamma_vmp_per_c is None
        return m.id not in shelf.own, silent, -m.p_max_w, m.id

    return [m.id for m in sorted(shelf.modules.values(), key=likely)]


def packs_for(shelf: Catalogue, unit: Inverter | None) -> list[str]:
    """Packs that a unit's window and chemistry take, by id: those of its maker first, then a crew's
    own, then those of which the fewest give what it draws; none for one with its own inside, or
    for no unit.
    """
    if unit is None or (unit.pack_inside and unit.battery is None):
        return []
    inside = {u.pack_inside for u in shelf.inverters.values()}
    draws = unit.power_w / max(unit.battery_v_min, 1.0)
    port = unit.battery.protection_max_a if unit.battery else None

    def metric(terminals: Iterable[Terminal]) -> set[bool]:
        return {t.most.endswith("mm²") for t in terminals if t.source != NOT_ENTERED}

    own = metric(unit.battery.terminals) if unit.battery else set()

    def likely(p: Pack) -> tuple[bool | float | str, ...]:
        most = p.parallel_max
        wanted = math.ceil(draws / p.discharge_max_a)
        over = bool(port and p.breaker_a and p.breaker_a > port)  # its own breaker is too large
        other = p.chemistry != unit.chemistries[0]  # the sheet names first what it is made for
        sizes = metric(p.terminals)
        foreign = bool(own and sizes) and sizes != own  # for the other book's cable
        strange = (p.maker != unit.maker, p.id not in shelf.own)
        return (over, foreign, wanted > most, other, *strange, wanted, p.id)

    fits = [p for p in shelf.packs.values() if suits_unit(p, unit) and p.id not in inside]
    return [p.id for p in sorted(fits, key=likely)]


def first_plan(first: First, shelf: Catalogue) -> Plan:
    """The plan that the answers make: with the gateway, if any, and the number of packs, where none
    is said, that leave the fewest stops. Raises ValidationError on what no plan may hold, NoStrings
    where the modules fit no tracker.
    """
    unit = shelf.inverters.get(first.inverter)
    takes = first.kind.pv and unit is not None and (bool(unit.trackers) or bool(first.controller))
    rows, controllers = _strings(first, shelf) if takes and first.modules else ([], 1)
    offers = [
        _as_asked(
            Plan.model_validate(
                {**_document(first, unit, gate, shelf, controllers), "strings": rows}
            ),
            shelf,
        )
        for gate in _gateways(first, unit, shelf)
    ]
    plan = min(offers, key=lambda p: len(_stops(p, shelf)))
    return plan if first.packs or not first.pack else _enough(plan, shelf)


def _document(
    first: First,
    unit: Inverter | None,
    gateway: str | None,
    shelf: Catalogue,
    controllers: int = 1,
) -> dict[str, Any]:
    takes = unit is None or bool(unit.trackers) or bool(first.controller)
    kit: dict[str, Any] = {
        "inverter": first.inverter,
        "inverters": first.inverters,
        "pack": first.pack or None,
        "packs": (first.packs or 1) if first.pack else 0,
        "series": series_that_fits(shelf.packs.get(first.pack), unit),
        "module": first.module if first.kind.pv and takes else None,
        "controller": first.controller or None,
        "controllers": controllers if first.controller else 0,
        "gateway": gateway,
    }
    pack = shelf.packs.get(first.pack)
    if pack and pack.form == "stack" and unit and unit.battery_inputs > 1:
        apart = kit["packs"] > first.inverters and pack.breaker_a
        kit["hookup"] = "inputs" if apart else "bus"
    if first.kind.beside:
        kit["existing_pv"] = {"power_w": first.existing_w}
    if first.kind.generator:
        lands = "inverter" if unit and (unit.generator or unit.grid) else "loads panel"
        many = unit is not None and unit.generator is None and first.inverters > 1
        if unit and many and lands == "inverter":  # an AC input that all of them follow
            large = (first.generator_w or 0) > first.inverters * unit.power_w
            lands = "every inverter" if large else lands
        kit["generator"] = {"power_w": first.generator_w, "lands": lands}
    return {
        "code": first.code,
        "units": first.units,
        "site": {
            "name": first.name,
            "latitude_deg": first.latitude_deg,
            "longitude_deg": first.longitude_deg,
            "zone": first.zone or None,
        },
        "supply": {"kind": first.supply if first.kind.grid else "off-grid"},
        "kit": kit,
        "backup": {"loads": first.outage if first.kind.grid else "whole house"},
    }


def _gateways(first: First, unit: Inverter | None, shelf: Catalogue) -> list[str | None]:
    """What may part house and grid: nothing but the unit where it has a port for that, then each
    gateway that suits.
    """
    if not first.kind.grid or first.outage == "nothing":
        return [None]
    suited = gateways(shelf, unit, first.supply)
    alone = unit is None or unit.backup is not None or not suited
    return [*([None] if alone else []), *suited]


def _stops(plan: Plan, shelf: Catalogue) -> list[Finding]:
    """Stops of a plan but for lengths that nobody typed yet, and sheets not entered to the end."""
    found = design(plan, shelf).findings
    return [
        f
        for f in found
        if f.level is Level.STOP and not f.key.endswith(".run") and not f.key.startswith("sheet.")
    ]


def _enough(plan: Plan, shelf: Catalogue) -> Plan:
    """With as many packs as leave the fewest stops, and no more."""
    tried = (
        plan.model_copy(update={"kit": plan.kit.model_copy(update={"packs": n})})
        for n in range(1, PACKS_MOST + 1)
    )
    best, fewest = plan, 1_000
    for more in tried:
        left = len(_stops(more, shelf))
        if left < fewest:
            best, fewest = more, left
        if not left:
            break
    return best


def _found(first: First, shelf: Catalogue, azimuth: float) -> tuple[Found, int]:
    """What the string finder finds for one roof; with the fewest charge controllers that take all
    its modules without losing much of them, where there are any.
    """
    unit, module = shelf.inverters[first.inverter], shelf.modules[first.module]
    controller, pack = shelf.controllers.get(first.controller), shelf.packs.get(first.pack)
    face = [Face(first.modules, TILT_DEG, azimuth)]
    most = CONTROLLERS_MOST if controller else 1
    for n in range(1, most + 1):
        plan = Plan.model_validate(_document(first, unit, None, shelf, n))
        units = list(takers(plan, unit, controller, pack))
        found = find(plan, units, module, face)
        if controller is None or pack is None:
            break
        passes = n * OVERSIZE * controller.charge_max_a * pack.v_nom * plan.kit.series
        enough = first.modules * module.p_max_w <= passes / controller.battery_efficiency
        if found.best and found.best[0].used == first.modules and (enough or unit.trackers):
            break
    return found, n


def _strings(first: First, shelf: Catalogue) -> tuple[list[dict[str, Any]], int]:
    """The modules on one roof toward the equator, as the string finder likes them best; and how
    many charge controllers that takes.
    """
    plan = Plan.model_validate(_document(first, shelf.inverters[first.inverter], None, shelf))
    azimuth = 180.0 if first.latitude_deg >= 0 else 0.0
    found, controllers = _found(first, shelf, azimuth)
    best = next(iter(found.best), None)
    if best is None:
        raise NoStrings(found.reason)
    if best.used < first.modules:
        raise NoStrings(
            f"of {first.modules} modules {best.used} find a place on the trackers: type"
            f" {best.used}, or take more {'controllers' if first.controller else 'inverters'}"
        )
    method = BOOKS[plan.code].method_first
    strings = [
        {
            "inverter": lot.inverter,
            "controller": lot.controller,
            "tracker": lot.tracker,
            "modules": lot.modules,
            "tilt_deg": TILT_DEG,
            "azimuth_deg": azimuth,
            "run": {"length_m": first.array_m, "method": method},
        }
        for lot in best.lots
        for _ in range(lot.strings)
    ]
    if len(strings) > STRINGS_MOST:
        raise NoStrings(
            f"that makes {len(strings)} strings; {STRINGS_MOST} have letters: type fewer"
        )
    return [{**s, "letter": chr(ord("A") + n)} for n, s in enumerate(strings)], controllers


def _as_asked(plan: Plan, shelf: Catalogue) -> Plan:
    """With what the book asks of every such job planned, and neutral bonded once in an island; what
    was answered stays as it was.
    """
    for _ in range(2 * len(ASKED_BY_THE_BOOK)):
        cure = next(
            (
                c
                for f in _stops(plan, shelf)
                if f.key.startswith(ASKED_BY_THE_BOOK)
                for c in f.cures
                if c.changes and not any(x.path in ANSWERED for x in c.changes)
            ),
            None,
        )
        if cure is None:
            return plan
        plan = Plan.model_validate(apply(plan.model_dump(mode="json"), cure.changes))
    return plan
