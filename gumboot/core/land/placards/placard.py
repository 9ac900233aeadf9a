"""What a placard is, the kinds there are, and the bodies they name."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from datetime import date
from typing import TYPE_CHECKING, Literal

from gumboot.core.basis.figure import Figure

if TYPE_CHECKING:
    from gumboot.core.design import Design

Word = Literal["WARNING", "CAUTION", "NOTICE", ""]


@dataclass(frozen=True, slots=True)
class Placard:
    """One placard: where it goes, its signal word (ISO 3864, ANSI Z535), what it says, the clause
    that asks for it, the figures on it.

    letters_mm: the least height of its letters where the clause gives one.
    """

    id: str
    at: str
    word: Word
    lines: tuple[str, ...]
    clause: str
    figures: tuple[Figure, ...] = ()
    count: int = 1
    letters_mm: float | None = None
    reflective: bool = False


Maker = Callable[["Design", date], Iterator[Placard]]
KINDS: dict[str, Maker] = {}  # by the names that books list


def placard(kind: str) -> Callable[[Maker], Maker]:
    """Register what makes a kind of placard."""

    def keep(make: Maker) -> Maker:
        KINDS[kind] = make
        return make

    return keep


def list_placards(d: Design, day: date) -> list[Placard]:
    """Every placard of a job, of the kinds its code book has. day: on which its figures were worked
    out.
    """
    if d.inverter is None or not d.circuits:
        return []
    return [p for kind in d.plan.book.placards for p in KINDS[kind](d, day)]


def highest_string(d: Design) -> Figure | None:
    """The string whose voltage is highest on the coldest morning."""
    return max((s.v_oc_cold for s in d.strings), key=lambda f: f.n, default=None)


def label_of(d: Design, body: str) -> str:
    return next((b.label for b in d.bodies if b.id == body), body)


def service_of(d: Design) -> str:
    return label_of(d, "main-panel" if d.plan.supply.kind != "off-grid" else "loads-panel")


def board_of(d: Design) -> str:
    mains = (b.label for b in d.bodies if b.role == "main-panel")
    return next(mains, label_of(d, "loads-panel"))


def units_of(d: Design) -> list[str]:
    return [b.label for b in d.bodies if b.role == "inverter"]


def strings_land(d: Design) -> dict[str, Figure]:
    """Where the switches of strings stand, each with the highest volts there: at the unit itself,
    or in the box ahead of a charge controller.
    """
    out: dict[str, Figure] = {}
    for s in d.strings:
        at = label_of(d, s.body.replace("controller-", "pv-combiner-"))
        out[at] = max(out.get(at, s.v_oc_cold), s.v_oc_cold, key=lambda f: f.n)
    return out


def storage_of(d: Design) -> list[str]:
    """Where the storage disconnects stand: one place for each bank, on its bus where it has one."""
    buses = [b.label for b in d.bodies if b.role == "dc-bus"]
    if buses:
        return buses
    rows = [x.at for x in d.disconnects if any(is_pack(d, k) for k in x.sources)]
    return list(dict.fromkeys(rows))


def is_pack(d: Design, source: str) -> bool:
    network = d.network
    return network is not None and any(s.id == source and s.kind == "pack" for s in network.sources)


def sources_of(d: Design) -> tuple[str, ...]:
    """A line for every source: what it is, what opens it, where."""
    return tuple(f"{x.source}: {x.says}".upper() for x in d.disconnects)
