"""What every state of a plant comes to, relays moved and sources started.

hand switches join points    a relay closes toward a source it sees, if its unit is on
a unit is on by its button   and something that powers it: packs, sun, or an alternating supply
it follows what it sees      and forms a voltage of its own where it sees none and has a pack
"""

from __future__ import annotations

import numpy as np

from gumboot.core.basis.machine import machine
from gumboot.core.wake.plant import Plant
from gumboot.core.wake.states import Ints, Settled, blank, come_to


def settle(plant: Plant, states: Ints, grid: bool = True) -> Settled:
    """What each of some states comes to; grid: whether the utility is there."""
    rows: Settled = blank(np.asarray(states, dtype=np.int64), plant.arrays)
    machine(come_to)(rows, plant.arrays, grid)
    return rows
