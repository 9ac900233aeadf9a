"""The battery, step by step through a year. One loop, compiled; it keeps every Wh.

    sun ──┬── house              what the sun gives beyond the house charges, then is sold, then is
    lost
          ├── battery ── house   what the house still wants comes from the battery, then the grid or
          generator
          └── grid

Shapes: every series is (steps,). W and Wh; prices a kWh.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from gumboot.core.basis.machine import machine
from gumboot.core.energy.calendar import STEP_H

Series = NDArray[np.float64]
NO_LIMIT = 1e12
TOTALS = (
    "sun",
    "load",
    "bought",
    "sold",
    "charged",
    "charged_grid",
    "discharged",
    "lost",
    "curtailed",
    "unserved",
    "generator",
    "generator_h",
    "paid",
    "earned",
    "end",
)


@dataclass(frozen=True)
class Bank:
    """A bank and its inverters: Wh usable from empty to full, W at the AC side, efficiencies one
    way.

    ac_w: what the inverters put out at most; shared: the sun's power goes through the same
    inverters (a hybrid). eta_charge: of the sun; eta_grid: of what comes from the grid or a
    generator, which on a hybrid is converted once more; None where both are the same.
    """

    capacity_wh: float
    charge_w: float
    discharge_w: float
    eta_charge: float
    eta_discharge: float
    ac_w: float
    shared: bool
    eta_grid: float | None = None

    def times(self, packs: float) -> Bank:
        """The same with so many times the packs; the inverters stay as they are."""
        return replace(
            self,
            capacity_wh=self.capacity_wh * packs,
            charge_w=self.charge_w * packs,
            discharge_w=self.discharge_w * packs,
        )


@dataclass(frozen=True)
class Rules:
    """What the battery may do at each step, as shares of its capacity: not below `floor`; from the
    grid up to `fill` (0: never).

    Limits of import and export in W; a generator's W, the shares it starts and stops at, what its
    chargers draw of it at most, and whether it carries the house alone: on the loads panel, whose
    main is off while it runs, neither sun nor battery helps, and the sun charges.
    sell_first: spare sun is sold before it charges. may_charge: 1 or 0, whether cells may be
    charged
    (lithium below 0 °C may not); None: always.
    """

    floor: Series
    fill: Series
    import_w: float = NO_LIMIT
    export_w: float = NO_LIMIT
    generator_w: float = 0.0
    generator_on: float = 0.0
    generator_off: float = 0.0
    generator_charge_w: float = NO_LIMIT
    generator_alone: bool = False
    sell_first: bool = False
    may_charge: Series | None = None


@dataclass(frozen=True)
class Run:
    """What came of a run: kWh, hours and money by name of TOTALS; the trace when it was asked for,
    W by step, and stored Wh at the end of each.
    """

    totals: dict[str, float]
    trace: dict[str, Series]


TRACES = ("bought", "sold", "charged", "discharged", "stored", "unserved", "generator")


def _loop(  # type: ignore[no-untyped-def]
    sun, load, buy, sell, floor, fill, warm, n, limits, banks, scale, start, out, trace
):
    """All candidates over all steps. limits: import, export, generator W, on, off, sell first, what
    chargers draw, alone; banks: rows of capacity, charge, discharge, eta in and out, ac, shared.
    """
    grid_in, grid_out, gen_w, gen_on, gen_off = (
        limits[0],
        limits[1],
        limits[2],
        limits[3],
        limits[4],
    )
    sell_first, gen_most, alone = limits[5], limits[6], limits[7]
    for c in range(banks.shape[0]):
        cap, p_most, p_out, eta_in, eta_out, ac, shared, eta_g = (
            banks[c, 0],
            banks[c, 1],
            banks[c, 2],
            banks[c, 3],
            banks[c, 4],
            banks[c, 5],
            banks[c, 6],
            banks[c, 7],
        )
        e = start[c] * cap
        running = False
        t_sun = t_load = t_bought = t_sold = t_charged = t_grid = t_out = t_lost = t_cut = t_un = (
            t_gen
        ) = t_gen_h = paid = earned = 0.0
        for t in range(n):
            pv, want = sun[t] * scale[c], load[t]
            p_in = p_most * warm[t]
            room = ac if shared > 0 else NO_LIMIT
            if gen_w > 0:
                if e <= gen_on * cap:
                    running = True
                elif e >= gen_off * cap:
                    running = False
            direct = 0.0 if running and alone > 0 else min(pv, want, room)
            left = pv - direct
            space = max(0.0, cap - e) / (eta_in * STEP_H)
            first = min(left, room - direct, grid_out) if sell_first > 0 else 0.0
            charge = min(left - first, p_in, space)
            sold = min(left - charge, room - direct, grid_out)
            cut = left - charge - sold
            need = want - direct
            gen = gen_charge = give = 0.0
            if running:
                gen = min(need, gen_w)
                need -= gen
                space_g = (space - charge) * eta_in / eta_g
                gen_charge = min(gen_w - gen, gen_most, p_in - charge, space_g)
            if need > 0 and not (running and alone > 0):
                have = max(0.0, e - floor[t] * cap) * eta_out / STEP_H
                give = min(need, p_out, have, room - direct if shared > 0 else ac)
                need -= give
            bought = min(need, grid_in)
            unserved = need - bought
            grid_charge = 0.0
            if fill[t] > 0 and give == 0.0:
                lack = (fill[t] * cap - e) / (eta_g * STEP_H) - charge * eta_in / eta_g - gen_charge
                if lack > 0:
                    grid_charge = min(lack, p_in - charge - gen_charge, grid_in - bought, ac)
                    bought += grid_charge
            both = min(bought, sold)  # one meter nets what goes in and out at once
            bought -= both
            sold -= both
            fed = gen_charge + grid_charge
            into = charge + fed
            e += (charge * eta_in + fed * eta_g - give / eta_out) * STEP_H
            t_sun += pv
            t_load += want
            t_bought += bought
            t_sold += sold
            t_charged += into
            t_grid += max(0.0, grid_charge - both)
            t_out += give
            t_lost += charge * (1.0 - eta_in) + fed * (1.0 - eta_g) + give * (1.0 / eta_out - 1.0)
            t_cut += cut
            t_un += unserved
            t_gen += gen + gen_charge
            if running:
                t_gen_h += STEP_H
            paid += bought * buy[t]
            earned += sold * sell[t]
            if trace.shape[0] > 0:
                (
                    trace[0, t],
                    trace[1, t],
                    trace[2, t],
                    trace[3, t],
                    trace[4, t],
                    trace[5, t],
                    trace[6, t],
                ) = (
                    bought,
                    sold,
                    into,
                    give,
                    e,
                    unserved,
                    gen + gen_charge,
                )
        k = STEP_H / 1000.0
        row = out[c]
        row[0], row[1], row[2], row[3], row[4], row[5], row[6] = (
            t_sun * k,
            t_load * k,
            t_bought * k,
            t_sold * k,
            t_charged * k,
            t_grid * k,
            t_out * k,
        )
        row[7], row[8], row[9], row[10], row[11], row[12], row[13], row[14] = (
            t_lost * k,
            t_cut * k,
            t_un * k,
            t_gen * k,
            t_gen_h,
            paid * k,
            earned * k,
            e / 1000.0,
        )


def many(
    sun: Series,
    load: Series,
    buy: Series,
    sell: Series,
    rules: Rules,
    banks: Sequence[Bank],
    scale: Sequence[float],
    start: float | Sequence[float] = 0.5,
) -> Series:
    """Totals of many banks (and arrays, each a multiple of `sun`) over the same steps: shape
    (banks, len(TOTALS)); kWh, h, money.

    start: share of its capacity that each bank begins with.
    """
    out = np.zeros((len(banks), len(TOTALS)))
    starts = np.broadcast_to(np.asarray(start, float), (len(banks),)).copy()
    machine(_loop)(
        sun,
        load,
        buy,
        sell,
        rules.floor,
        rules.fill,
        _warm(rules, len(sun)),
        len(sun),
        _limits(rules),
        _rows(banks),
        np.asarray(scale, float),
        starts,
        out,
        np.zeros((0, 0)),
    )
    return out


def run(
    sun: Series,
    load: Series,
    buy: Series,
    sell: Series,
    rules: Rules,
    bank: Bank,
    start: float = 0.5,
) -> Run:
    """One bank over the steps, with its trace."""
    out, trace = np.zeros((1, len(TOTALS))), np.zeros((len(TRACES), len(sun)))
    machine(_loop)(
        sun,
        load,
        buy,
        sell,
        rules.floor,
        rules.fill,
        _warm(rules, len(sun)),
        len(sun),
        _limits(rules),
        _rows([bank]),
        np.ones(1),
        np.array([start]),
        out,
        trace,
    )
    return Run(
        dict(zip(TOTALS, (float(x) for x in out[0]), strict=True)),
        dict(zip(TRACES, trace, strict=True)),
    )


def _warm(rules: Rules, n: int) -> Series:
    return np.ones(n) if rules.may_charge is None else rules.may_charge


def _limits(rules: Rules) -> Series:
    return np.array(
        [
            rules.import_w,
            rules.export_w,
            rules.generator_w,
            rules.generator_on,
            rules.generator_off,
            float(rules.sell_first),
            0.0 if rules.generator_alone else rules.generator_charge_w,
            float(rules.generator_alone),
        ]
    )


def _rows(banks: Sequence[Bank]) -> Series:
    return np.array(
        [
            [
                b.capacity_wh,
                b.charge_w,
                b.discharge_w,
                b.eta_charge,
                b.eta_discharge,
                b.ac_w,
                float(b.shared),
                b.eta_grid or b.eta_charge,
            ]
            for b in banks
        ]
    )


def imbalance_wh(run: Run, capacity_wh: float, start: float) -> float:
    """What went in less what came out and what is stored, Wh: nothing, but for rounding."""
    t = run.totals
    stored = t["end"] - start * capacity_wh / 1000
    return 1000 * (
        t["sun"]
        + t["bought"]
        + t["generator"]
        - (t["load"] - t["unserved"])
        - t["sold"]
        - t["curtailed"]
        - t["lost"]
        - stored
    )
