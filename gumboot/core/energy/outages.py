"""An outage at every hour of the year: how long the house lasts, starting with what the battery
holds then.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from gumboot.core.basis.machine import machine
from gumboot.core.energy.battery import NO_LIMIT, Bank, Rules, Series, many
from gumboot.core.energy.calendar import STEP_H

LONGEST_H = 168  # a week: longer outages are not told apart


@dataclass(frozen=True)
class Outages:
    """Hours that the house lasts, by the hour it starts in: shape (8760,); the least of them and
    the hour it starts in.
    """

    hours: Series
    worst_h: float
    worst_at: int

    def share_lasting(self, hours: float) -> float:
        """The share of all starts that last at least so long."""
        return float((self.hours >= hours).mean())


def _loop(  # type: ignore[no-untyped-def]
    sun,
    load,
    stored,
    out,
    cap,
    p_in,
    p_out,
    eta_in,
    eta_out,
    ac,
    shared,
    floor,
):
    n = len(sun)
    for h in range(len(out)):
        e = stored[h * 4 - 1]
        lasted = 0
        for k in range(LONGEST_H * 4):
            t = (h * 4 + k) % n
            pv, want = sun[t], load[t]
            room = ac if shared > 0 else NO_LIMIT
            direct = min(pv, want, room)
            space = max(0.0, cap - e) / (eta_in * STEP_H)
            charge = min(pv - direct, p_in, space)
            need = want - direct
            give = 0.0
            if need > 0:
                give = min(
                    need,
                    p_out,
                    max(0.0, e - floor * cap) * eta_out / STEP_H,
                    room - direct if shared > 0 else ac,
                )
                if need - give > 1e-6:
                    break
            e += (charge * eta_in - give / eta_out) * STEP_H
            lasted += 1
        out[h] = lasted * STEP_H


def outages(
    sun: Series,
    load: Series,
    stored: Series,
    bank: Bank,
    floor: float,
) -> Outages:
    """For every hour as the start. sun and load in W each step on the backup side; stored Wh at the
    end of each step of the year on grid.

    floor: share of the capacity that islanding may go down to.
    """
    out = np.zeros(len(sun) // 4)
    machine(_loop)(
        sun,
        load,
        stored,
        out,
        bank.capacity_wh,
        bank.charge_w,
        bank.discharge_w,
        bank.eta_charge,
        bank.eta_discharge,
        bank.ac_w,
        float(bank.shared),
        floor,
    )
    at = int(out.argmin())
    return Outages(out, float(out[at]), at)


def compile_loops() -> None:
    """Have both loops of a year made into machine code and kept on disk: ten seconds once, instead
    of in each process that meets them first.
    """
    none, some = np.zeros(4), Bank(0.0, 0.0, 0.0, 1.0, 1.0, 0.0, False)
    many(none, none, none, none, Rules(none, none), [some], [1.0])
    outages(none, none, none, some, 0.0)
