"""What suits what on the shelf: a unit the supply, a pack the unit, a gateway both."""

from __future__ import annotations

from gumboot.core.codes.book import Book
from gumboot.core.kit import MAINS, Catalogue, Controller, Inverter, Pack, spreads

SUPPLIES = {
    american: (*(kind for kind, m in MAINS.items() if m.american == american), "off-grid")
    for american in (True, False)
}


def suits_supply(unit: Inverter, kind: str) -> bool:
    """Whether a unit may stand on a supply: its own, three phases for a single-phase one,
    or none.
    """
    if kind in ("", "off-grid", unit.supply):
        return True
    return spreads(unit.supply, kind)


def suits_book(unit: Inverter, book: Book) -> bool:
    """Whether a unit makes what a book's houses use."""
    return unit.supply in SUPPLIES[book.american]


def suits_unit(pack: Pack, unit: Inverter | None) -> bool:
    """Whether some number of a pack in series lies within a unit's window, of a kind it charges."""
    return unit is None or (pack.chemistry in unit.chemistries and bool(_numbers(pack, unit)))


def why_not(pack: Pack, unit: Inverter) -> str:
    """Why a unit does not take a pack, in words; empty where it does."""
    if suits_unit(pack, unit):
        return ""
    if pack.chemistry not in unit.chemistries:
        return pack.chemistry
    most = f", up to {pack.series_most} in series" if pack.series_most > 1 else ""
    return f"{pack.bms_v_min:g} to {pack.bms_v_max:g} V{most}"


def series_that_fits(pack: Pack | None, unit: Inverter | None) -> int:
    """The most units in series that a unit's window takes; 1 where it does not matter."""
    if pack is None or unit is None or pack.form == "pack":
        return 1
    return max(_numbers(pack, unit), default=1)


def charges_pack(controller: Controller, pack: Pack | None, series: int) -> bool:
    """Whether a charge controller charges a bank of so many of a pack in series: one on a bus."""
    if pack is None or pack.form == "stack":
        return False
    low, high = series * pack.bms_v_min, series * pack.bms_v_max
    inside = controller.battery_v_min <= low + 1e-9 and high <= controller.battery_v_max + 1e-9
    return inside and pack.chemistry in controller.chemistries


def gateways(shelf: Catalogue, unit: Inverter | None, kind: str) -> list[str]:
    """Gateways by id for a supply, else for that of the unit: those of its maker first, then a
    crew's own.
    """
    of = kind if kind in MAINS else unit.supply if unit else ""
    suited = [g for g in shelf.gateways.values() if not of or g.supply == of]
    maker = unit.maker if unit else ""
    return [
        g.id for g in sorted(suited, key=lambda g: (g.maker != maker, g.id not in shelf.own, g.id))
    ]


def _numbers(pack: Pack, unit: Inverter) -> list[int]:
    """How many in series stay inside a unit's window, full and empty."""
    return [
        n
        for n in range(1, pack.series_most + 1)
        if n * pack.bms_v_max <= unit.battery_v_max + 1e-9
        and n * pack.bms_v_min >= unit.battery_v_min - 1e-9
    ]
