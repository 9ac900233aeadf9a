"""The chapters of the network: the network itself, bonds and meeting sources, disconnects, going
down.
"""

from __future__ import annotations

from collections.abc import Iterable

from gumboot.core.basis.finding import Finding
from gumboot.core.brief.chapters import KIT, chosen
from gumboot.core.chapter import Chapter, Draft
from gumboot.core.network import Network, build
from gumboot.core.network.bonds import Bonded, states
from gumboot.core.size.disconnects import (
    Disconnect,
    disconnect_findings,
    list_disconnects,
)
from gumboot.core.size.earthing import bond_findings
from gumboot.core.size.equipment import BANK, FITS, STRINGS, THROUGH
from gumboot.core.size.meeting import meeting_findings
from gumboot.core.size.safeguards import shutdown_findings, surge_findings
from gumboot.core.size.supply import service_limit


def _network(d: Draft) -> Network:
    kit = chosen(d)
    strings = list(d[STRINGS][0])
    return build(
        d.plan,
        d.catalogue,
        kit.inverter,
        kit.pack,
        kit.gateway,
        d[BANK],
        strings,
        d[THROUGH],
        kit.controller,
    )


NETWORK: Chapter[Network] = Chapter(
    "network",
    _network,
    reads=(
        "kit",
        "supply",
        "backup",
        "run names",
        "runs there",
        "site",
        "code",
        "fitted breakers",
        "devices",
        "safeguards",
        "linking",
    ),
    needs=(BANK, THROUGH),
    requires=(KIT, FITS, STRINGS),
    findings=lambda network, d: network.found,
)


def _bonds(d: Draft) -> tuple[Bonded, ...]:
    return states(d[NETWORK])


def _bonds_found(made: tuple[Bonded, ...], d: Draft) -> Iterable[Finding]:
    kit, network = chosen(d), d[NETWORK]
    yield from bond_findings(d.plan, kit.inverter, kit.gateway, made)
    yield from meeting_findings(d.plan, kit.inverter, kit.gateway, network)
    yield from shutdown_findings(d.plan, d[BANK] is not None)
    yield from surge_findings(d.plan)
    yield from service_limit(d.plan, kit.inverter, network)[1]


BONDS: Chapter[tuple[Bonded, ...]] = Chapter(
    "bonds",
    _bonds,
    reads=("kit", "supply", "backup", "code", "strings", "safeguards", "site", "tariff"),
    needs=(BANK,),
    requires=(KIT, NETWORK),
    findings=_bonds_found,
)


def _disconnects(d: Draft) -> tuple[Disconnect, ...]:
    return list_disconnects(d[NETWORK], d.plan)


DISCONNECTS: Chapter[tuple[Disconnect, ...]] = Chapter(
    "disconnects",
    _disconnects,
    reads=("code", "supply"),
    requires=(NETWORK,),
    findings=lambda rows, d: disconnect_findings(rows, d.plan),
)
