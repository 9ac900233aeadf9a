"""The chapter of Land: everything that is made off."""

from __future__ import annotations

from collections.abc import Iterable

from gumboot.core.basis.finding import Finding
from gumboot.core.brief.chapters import KIT, chosen
from gumboot.core.chapter import Chapter, Draft
from gumboot.core.land.findings import termination_findings
from gumboot.core.land.listing import list_terminations
from gumboot.core.land.termination import Termination
from gumboot.core.network.chapters import NETWORK
from gumboot.core.size.chapters import CONDUCTORS, EARTHS


def _terminations(d: Draft) -> tuple[Termination, ...]:
    earths = d[EARTHS]
    return list_terminations(
        d[CONDUCTORS].circuits,
        d[NETWORK],
        d.catalogue,
        d.plan,
        chosen(d).inverter,
        earths.gec or earths.bonding,
    )


def _found(rows: tuple[Termination, ...], d: Draft) -> Iterable[Finding]:
    kit = chosen(d)
    circuits = d[CONDUCTORS].circuits
    return termination_findings(rows, circuits, d.plan, kit.inverter, d.catalogue, kit.controller)


TERMINATIONS: Chapter[tuple[Termination, ...]] = Chapter(
    "terminations",
    _terminations,
    reads=("landing", "recheck", "code", "supply", "units", "kit"),
    requires=(KIT, NETWORK, CONDUCTORS, EARTHS),
    findings=_found,
    figures=lambda rows: ((f"{t.key}.torque", t.torque) for t in rows if t.torque),
    station="land",
)
