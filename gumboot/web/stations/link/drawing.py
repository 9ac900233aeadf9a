"""The drawings of Link, by the key that steps name them with."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from functools import lru_cache

from gumboot.core.basis.units import System, show_length
from gumboot.core.link.address import Setting
from gumboot.core.link.bus import BusPlan
from gumboot.core.link.harness import Harness
from gumboot.core.link.terminators import Place, ohms, right, spoken
from gumboot.drawings.lead import draw_bus, draw_lead, draw_switches


@lru_cache(maxsize=64)
def pictures(h: Harness, units: System) -> tuple[tuple[str, str], ...]:
    """(key, drawing) of every lead, bus, bank and row of switches, remembered for the harness."""
    return tuple(_pictures(h, units))


def _pictures(h: Harness, units: System) -> Iterator[tuple[str, str]]:
    for x in h.leads:
        yield x.id, draw_lead(x)
    for b in h.buses:
        if b.line:
            yield f"bus-{b.key}", bus_picture(b, units)
    for bank in h.banks:
        yield f"bank-{bank.key}", _rows(bank.settings, f"Switches, bank of {bank.unit}")
    if h.others:
        yield "switches", _rows(h.others, "Switches of inverters and meter")


def bus_picture(b: BusPlan, units: System) -> str:
    """One bus as a line."""
    ladder = b.ladder
    shown = [spoken(ohms(ladder, right(ladder), Place(i))) for i in range(len(b.stations))]
    lengths = [show_length(x.length.n, units) if x.length else "length not known" for x in b.leads]
    ways = [s.how if i in ladder.ended else "" for i, s in enumerate(b.stations)]
    names = [s.label for s in b.stations]
    return draw_bus(names, lengths, ladder.ended, ways, shown, b.name)


def _rows(settings: Sequence[Setting], title: str) -> str:
    return draw_switches(
        [(s.label, s.row, s.pattern, s.means if s.pattern else s.spoken, s.on) for s in settings],
        title,
    )
