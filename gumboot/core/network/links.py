"""Thin lines: battery link, meter and current transformers, gateway control, the link between
parallel inverters.
"""

from __future__ import annotations

import itertools

from gumboot.core.network.circuit import Thin
from gumboot.core.network.layout import Layout


def lay_links(lay: Layout) -> None:
    """Every link the sheets of inverter and gateway name, where both its ends are in the job."""
    count = lay.plan.kit.inverters
    packs = [b for b in lay.bodies if b.startswith("pack-")]
    for link in lay.inverter.links:
        if link.to == "bank" and packs:
            if link.name == "BMS link":
                if lay.pack is None or lay.pack.link == "none":
                    continue  # lead cells say nothing
                _chain(lay, packs)
            lay.links.append(
                Thin(
                    f"link-{link.name}",
                    link.name,
                    link.conductors,
                    packs[0],
                    "inverter-1",
                    link.there,
                    link.here,
                )
            )
        elif (
            link.to == "meter"
            and "main-panel" in lay.bodies
            and not (lay.gateway and lay.gateway.meter_inside)
        ):
            lay.links.append(
                Thin(
                    f"link-{link.name}",
                    link.name,
                    link.conductors,
                    "inverter-1",
                    "main-panel",
                    link.here,
                    link.there,
                )
            )
        elif link.to == "inverter":
            lay.links += [
                Thin(
                    f"link-{link.name}-{i}",
                    link.name,
                    link.conductors,
                    f"inverter-{i}",
                    f"inverter-{i + 1}",
                    link.here,
                    link.there,
                )
                for i in range(1, count)
            ]
    if lay.gateway and "gateway" in lay.bodies:
        lay.links += [
            Thin(
                f"link-{link.name}",
                link.name,
                link.conductors,
                "inverter-1",
                "gateway",
                link.there,
                link.here,
            )
            for link in lay.gateway.links
        ]


def _chain(lay: Layout, packs: list[str]) -> None:
    assert lay.pack is not None  # noqa: S101 - a pack on the sheet came from one
    if lay.pack.chain is None:
        return
    leaves, enters = lay.pack.chain
    lay.links += [
        Thin(f"link-{a}-{b}", "pack to pack", lay.pack.link, a, b, leaves, enters)
        for a, b in itertools.pairwise(packs)
    ]
