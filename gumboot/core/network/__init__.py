"""Circuits: what connects to what, and the conductor, protection and earth of each.

array ──pv──┐                       ┌──grid── (combiner ──grid-feeder──) main panel ── grid
            inverter ───────────────┤                                        │ changeover
pack ──pack── bus ──battery──┘      └──backup── (combiner ──backup-feeder──) changeover ──loads──
loads panel

Every kind of system is this picture with parts left out: off grid there is no main panel; an
inverter with one AC port
has its grid line on the gateway; an essential board needs no changeover; one pack and one inverter
need no bus.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

from gumboot.core.network.ac import lay_ac
from gumboot.core.network.circuit import Body, Circuit, End, Role, Thin, end
from gumboot.core.network.dc import lay_battery, lay_pv
from gumboot.core.network.layout import Layout
from gumboot.core.network.links import lay_links

__all__ = ["Body", "Circuit", "End", "Laid", "Role", "Thin", "end", "lay_out"]


@dataclass(frozen=True, slots=True)
class Laid:
    """A job laid out: its bodies, circuits in the order they are numbered, and thin lines."""

    bodies: tuple[Body, ...]
    circuits: tuple[Circuit, ...]
    links: tuple[Thin, ...]


def lay_out(lay: Layout) -> Laid:
    """Every body, circuit and link of a job of any kind."""
    lay_pv(lay)
    lay_battery(lay)
    lay_ac(lay)
    lay_links(lay)
    bodies = tuple(
        replace(b, case=lay.cases.get(b.id), block=lay.block(b), cover=lay.cover(b))
        for b in lay.bodies.values()
    )
    return Laid(bodies, tuple(lay.circuits), tuple(lay.links))
