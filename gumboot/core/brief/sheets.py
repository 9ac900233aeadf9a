"""Which sheets of the kit in use are not entered to the end, said at the station that wants it."""

from __future__ import annotations

from collections.abc import Iterator

from gumboot.core.basis.finding import Cure, Finding, check, note, stop
from gumboot.core.brief.chapters import KIT
from gumboot.core.chapter import Chapter, Draft
from gumboot.core.kit.missing import Missing, Unit, missing, name_of
from gumboot.core.network.chapters import NETWORK

Lacks = tuple[tuple[str, str, Missing], ...]


def in_use(d: Draft) -> Iterator[Unit]:
    """The entries of the shelf whose sheets the job works by, each once."""
    kit, network = d[KIT], d[NETWORK]
    seen: dict[str, Unit] = {}
    units = (kit.inverter, kit.controller, kit.pack, kit.gateway, *kit.modules) if kit else ()
    for entry in units:
        if entry is not None:
            seen[entry.id] = entry
    for place in network.places if network else ():
        if place.device is not None:
            seen[place.device.id] = place.device
    yield from seen.values()


_known: dict[int, tuple[Unit, tuple[Missing, ...]]] = {}  # an entry never changes
KNOWN = 4000


def lacking(entry: Unit) -> tuple[Missing, ...]:
    """What an entry still lacks, remembered for that very entry."""
    found = _known.get(id(entry))
    if found is None or found[0] is not entry:
        if len(_known) > KNOWN:
            _known.clear()
        found = _known[id(entry)] = (entry, missing(entry))
    return found[1]


def _sheets(d: Draft) -> Lacks:
    """What the sheets in use lack. Of a pack inside its unit nobody lands, hangs or links a thing:
    nothing of it is missed unless more of its kind stand outside.
    """
    inside = d[KIT].inverter.pack_inside if d[KIT] else ""  # type: ignore[union-attr]
    if d.plan.kit.packs and d.plan.kit.pack == inside:
        inside = ""
    return tuple(
        (entry.id, name_of(entry), m)
        for entry in in_use(d)
        if entry.id != inside
        for m in lacking(entry)
    )


SHEETS: Chapter[Lacks] = Chapter(
    "sheets", _sheets, needs=(KIT, NETWORK), reads=("kit",), settles=True
)


def _found(station: str) -> Chapter[Lacks]:
    def build(d: Draft) -> Lacks:
        return tuple(x for x in d[SHEETS] if x[2].station == station)

    return Chapter(
        f"sheets of {station}",
        build,
        needs=(SHEETS,),
        findings=lambda lacks, d: [said(*x) for x in lacks],
        station=station,
    )


def said(id: str, name: str, m: Missing) -> Finding:
    """One thing missing, as a finding: work done by what stands for it could hurt, or a person must
    know it.
    """
    says = f"The sheet of {name} is not entered to the end: {m.what}. Until then {m.meanwhile}."
    level = stop if m.grave else check if m.station in ("size", "set") else note
    return level(
        f"sheet.{id}.{m.section}.{m.station}.{m.what[:24]}",
        f"shelf/{id}#{m.section}",
        says,
        "maker's sheet",
        Cure("Enter it on the shelf"),
    )


MISSING_SHEETS = tuple(_found(s) for s in ("size", "wall", "land", "link", "set"))
