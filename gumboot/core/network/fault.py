"""What a short pushes through a device of the battery side, from either of its ends.

The packs are voltages behind their resistance, circuits are their loops out and back; the short
lies right at the device, so both its ends are at nought, and what arrives at one end is what would
pass the closed device. Solved node by node (Kirchhoff).
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from gumboot.core.network.element import Switch
from gumboot.core.network.network import Network

JOINED_OHM = 1e-7  # a bar, a closed switch


@dataclass(frozen=True, slots=True)
class Through:
    """A in through a device when the short lies beyond it: fed from its one end, and its other."""

    switch: Switch
    from_a: float
    from_b: float

    @property
    def worst(self) -> float:
        """The most it may have to break."""
        return max(self.from_a, self.from_b)


def through(
    network: Network, switch: Switch, loop_ohm: Mapping[str, float], volts: float, own_ohm: float
) -> Through:
    """The prospective currents of one switch of the battery side.

    loop_ohm: of each battery circuit, out and back; volts, own_ohm: of every pack or string.
    """
    dc = [n for n in network.nodes.values() if n.system == "dc"]
    number = {n.id: i for i, n in enumerate(dc)}
    size = len(dc)
    g, drawn = np.zeros((size, size)), np.zeros(size)
    for source in network.sources:
        if source.kind == "pack":
            i = number[source.nodes[0]]
            g[i, i] += 1 / own_ohm
            drawn[i] += volts / own_ohm
    ways = [
        (number[w.a], number[w.b], loop_ohm.get(w.circuit, JOINED_OHM))
        for w in network.wires
        if w.a in number and w.b in number
    ]
    ways += [
        (number[s.a], number[s.b], JOINED_OHM)
        for s in network.switches
        if s.id != switch.id and s.a in number and s.b in number
    ]
    for i, j, ohm in ways:
        g[i, i] += 1 / ohm
        g[j, j] += 1 / ohm
        g[i, j] -= 1 / ohm
        g[j, i] -= 1 / ohm
    shorted = [number[n] for n in (switch.a, switch.b) if n in number]
    v = np.zeros(size)
    live = [i for i in range(size) if i not in shorted and g[i, i] > 0]
    if live:
        v[live] = np.linalg.lstsq(g[np.ix_(live, live)], drawn[live], rcond=None)[0]
    into = [float(drawn[i] - g[i] @ v) for i in shorted]
    return Through(switch, into[0], into[1] if len(into) > 1 else 0.0)
