"""What a typed kit is, and which runs it has."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from gumboot.core.codes.book import Book
from gumboot.core.codes.books import BOOKS, NEC
from gumboot.core.kit import Catalogue, Inverter, Pack, spreads
from gumboot.core.plan import FAMILIES


@dataclass(frozen=True)
class Shape:
    """What a typed kit is, as far as the form cares."""

    book: Book
    off_grid: bool
    inverter: Inverter | None
    pack: Pack | None
    several: bool
    typed: Mapping[str, str]
    shelf: Catalogue

    @property
    def changed_over(self) -> bool:
        """Whether the loads have two sources and something that chooses between them."""
        return not self.off_grid and self.typed.get("backup/loads") in (
            "whole house",
            "transfer-switched circuits",
        )

    @property
    def spread(self) -> bool:
        """Whether single-phase units stand on lines of their own, or may off grid."""
        kind = self.typed.get("supply/kind", "")
        if self.inverter is None:
            return kind.startswith("three")
        alone = self.off_grid and self.several and len(self.inverter.lines) == 1
        return alone or spreads(self.inverter.supply, kind)

    @property
    def series(self) -> int:
        """How many of a pack stand in series."""
        typed = self.typed.get("kit/series", "")
        blocks = self.pack is not None and self.pack.form != "pack"
        return int(typed[:3]) if blocks and typed.isdecimal() else 1

    @property
    def controllers(self) -> int:
        """How many charge controllers there are, at least one where one is chosen."""
        if self.typed.get("kit/controller", "") not in self.shelf.controllers:
            return 0
        typed = self.typed.get("kit/controllers", "")
        return min(max(int(typed[:3]) if typed.isdecimal() else 1, 1), 12)

    @property
    def gateway(self) -> bool:
        """Whether a gateway is chosen."""
        return bool(self.typed.get("kit/gateway")) and not self.off_grid


def book_of(typed: Mapping[str, Any]) -> Book:
    """The code book that is chosen; the first where none is."""
    return next((b for b in BOOKS.values() if b.code == typed.get("code")), NEC)


def shape_of(typed: Mapping[str, str], shelf: Catalogue) -> Shape:
    """Read it off the typed form."""
    inverter = shelf.inverters.get(typed.get("kit/inverter", ""))
    several = typed.get("kit/inverters", "1").strip() not in ("", "0", "1")
    pack = shelf.packs.get(typed.get("kit/pack", ""))
    return Shape(
        book_of(typed),
        typed.get("supply/kind") == "off-grid",
        inverter,
        pack,
        several,
        typed,
        shelf,
    )


def own_breakers_on_bus(s: Shape) -> bool:
    """Whether packs with breakers of their own come each to a bus, where fuses may stand."""
    kept = s.pack is not None and s.pack.form != "block" and s.pack.breaker_a and not s.pack.cabinet
    star = s.typed.get("kit/takeoff") == "star" and s.typed.get("kit/hookup") == "bus"
    return bool(kept) and star and "pack" in run_families(s)


def stacks_meet(s: Shape) -> bool:
    """Whether several stacks of one unit come together in a combiner."""
    many, each = s.typed.get("kit/packs", ""), s.typed.get("kit/inverters", "1")
    if s.pack is None or s.pack.form != "stack" or s.pack.parallel_max == 1:
        return False
    more = many.isdigit() and each.isdigit() and int(many) > int(each)
    return more and s.typed.get("kit/hookup") != "inputs"


def run_families(s: Shape) -> list[str]:
    """The runs this kit has, in the order they are asked."""
    unit = s.inverter
    if unit is None:
        return list(FAMILIES)
    alone = not s.several or s.typed.get("kit/banks") == "one per inverter"
    one = s.typed.get("kit/packs", "") in ("", "1", s.typed.get("kit/inverters", "1"))
    inputs = s.typed.get("kit/hookup") == "inputs"
    direct = s.pack is not None and (
        (s.pack.form == "stack" and s.pack.breaker_a and not stacks_meet(s))
        or (alone and (one or inputs) and s.pack.breaker_a and not s.pack.cabinet)
    )
    backed = s.typed.get("backup/loads") != "nothing" or s.off_grid
    has = {
        "pack": unit.battery is not None and (not direct or s.controllers > 0),
        "battery": unit.battery is not None,
        "controller": s.controllers > 0,
        "controller-pv": s.controllers > 0,
        "grid": unit.grid is not None and not s.off_grid,
        "grid-feeder": unit.grid is not None and not s.off_grid and s.several,
        "backup": unit.backup is not None and backed,
        "backup-feeder": unit.backup is not None and backed and s.several,
        "changeover": (
            not s.off_grid and (s.gateway or (s.changed_over and unit.backup is not None))
        ),
        "loads": not s.off_grid and (s.gateway or (s.changed_over and unit.backup is not None)),
        "generator": bool(s.typed.get("kit/generator/power_w")),
        "generator-unit": (
            s.several
            and bool(s.typed.get("kit/generator/power_w"))
            and s.typed.get("kit/generator/lands") == "every inverter"
        ),
        "existing-pv": bool(s.typed.get("kit/existing_pv/power_w")),
        "tap": not s.off_grid and s.typed.get("supply/connection") == "supply-side tap",
        "sub-feeder": not s.off_grid and s.typed.get("supply/connection") == "sub-board breaker",
        "port-use": unit.generator is not None and bool(s.typed.get("kit/port_use/power_w")),
    }
    return [f for f in FAMILIES if has[f]]
