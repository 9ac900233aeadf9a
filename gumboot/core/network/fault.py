"""What a short pushes through a device of the battery side, from either of its ends.

The packs are voltages behind their resistance, circuits are their loops out and back; the short
lies right at the device, so both its ends are at nought, and what arrives at one end is what would
pass the closed device. Solved node by node (Kirchhoff).
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

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


class Nodal:
    """The battery side as conductances between its nodes, and the current each is driven with.

    loop_ohm: of each battery circuit, out and back; volts, own_ohm: of every pack or string.
    """

    def __init__(
        self, network: Network, loop_ohm: Mapping[str, float], volts: float, own_ohm: float
    ) -> None:
        dc = [n.id for n in network.nodes.values() if n.system == "dc"]
        self.number = number = {n: i for i, n in enumerate(dc)}
        self.g, self.drawn = np.zeros((len(dc), len(dc))), np.zeros(len(dc))
        for source in network.sources:
            if source.kind == "pack":
                i = number[source.nodes[0]]
                self.g[i, i] += 1 / own_ohm
                self.drawn[i] += volts / own_ohm
        for w in network.wires:
            if w.a in number and w.b in number:
                _join(self.g, number[w.a], number[w.b], 1 / loop_ohm.get(w.circuit, JOINED_OHM))
        for s in network.switches:
            if s.a in number and s.b in number:
                _join(self.g, number[s.a], number[s.b], 1 / JOINED_OHM)

    def through(self, switch: Switch) -> Through:
        """The prospective currents of one switch of the battery side. Its own conductance drops
        out: both its ends are at nought.
        """
        shorted = [self.number[n] for n in (switch.a, switch.b) if n in self.number]
        g, v = self.g, np.zeros(len(self.g))
        live = [i for i in range(len(g)) if i not in shorted and g[i, i] > 0]
        if live:
            v[live] = np.linalg.lstsq(g[np.ix_(live, live)], self.drawn[live], rcond=None)[0]
        into = [float(self.drawn[i] - g[i] @ v) for i in shorted]
        return Through(switch, into[0], into[1] if len(into) > 1 else 0.0)


def _join(g: NDArray[np.float64], i: int, j: int, siemens: float) -> None:
    g[i, i] += siemens
    g[j, j] += siemens
    g[i, j] -= siemens
    g[j, i] -= siemens
