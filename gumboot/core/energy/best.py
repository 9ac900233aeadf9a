"""The best that was possible: the same year as a linear program with all of it foreseen.

    bought - sold - charge + give >= load - sun                 (every step; more is sun let go)
    stored[t] = stored[t-1] + h (eta_in charge - give / eta_out)
    least:  sum of bought x buy - sold x sell

The battery may do nothing here that a run may not: it gives no more than the house draws, and only
the sun is sold. What a program may do and
a run may not (give while selling sun, choose every step) only makes it better: so no run beats it.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from gumboot.core.energy.battery import NO_LIMIT, Bank, Series
from gumboot.core.energy.calendar import STEP_H
from gumboot.core.energy.year import Inputs

BLOCK_DAYS, AHEAD_DAYS = 7, 2  # a block is solved with some days ahead, and its own days kept


@dataclass(frozen=True)
class Best:
    """Money a year (standing charge included), and the state of the best plan: W charged and given
    each step, stored Wh at its end.
    """

    bill: float
    charged: Series
    given: Series
    stored: Series


def best_possible(
    i: Inputs, bank: Bank, start: float, said: Callable[[float], None] = lambda share: None
) -> Best:
    """Block by block through the year; `said` hears the share that is done. start: share of the
    capacity at first; at least as much at the end.
    """
    steps, block, ahead = len(i.sun), BLOCK_DAYS * 96, AHEAD_DAYS * 96
    stored = start * bank.capacity_wh
    parts: list[tuple[Series, Series, Series]] = []
    bill = 0.0
    for first in range(0, steps, block):
        keep, last = min(first + block, steps), min(first + block + ahead, steps)
        end = start * bank.capacity_wh if last == steps else None
        solved = solve(i, bank, first, last, stored, end)
        money, charge, give, level = solved
        n = keep - first
        bill += float(money[:n].sum())
        parts.append((charge[:n], give[:n], level[:n]))
        stored = float(level[n - 1])
        said(keep / steps)
    charged, given, levels = (np.concatenate(p) for p in zip(*parts, strict=True))
    return Best(bill + i.standing_year, charged, given, levels)


def solve(
    i: Inputs, bank: Bank, first: int, last: int, stored: float, end: float | None
) -> tuple[Series, Series, Series, Series]:
    """(money, W charged, W given, Wh stored) each step of first..last, by HiGHS. stored and end: Wh
    at the start, and at least at the end.

    Raises ValueError when the load cannot be met at all (an import limit below it).
    """
    import scipy.sparse as sp
    from scipy.optimize import linprog

    n, h = last - first, STEP_H
    at = slice(first, last)
    sun, load, buy, sell = i.sun[at], i.load[at], i.buy[at], i.sell[at]
    floor = np.minimum(float(i.rules.floor.min()), 1.0)
    one, zero = sp.identity(n, format="csr"), sp.csr_matrix((n, n))
    change = sp.diags([np.ones(n), -np.ones(n - 1)], [0, -1], format="csr")
    short = (
        i.rules.import_w < NO_LIMIT
    )  # then some load may go unserved, at a price that keeps it the last resort
    columns = 6 if short else 5  # bought, sold, charge, give, stored; unserved
    enough = sp.hstack([-one, one, one, -one, zero, *([-one] if short else [])])
    state = sp.hstack(
        [
            zero,
            zero,
            -h * bank.eta_charge * one,
            h / bank.eta_discharge * one,
            change,
            *([zero] if short else []),
        ]
    )
    held = np.zeros(n)
    held[0] = stored
    dear = 10 * max(1.0, float(np.abs(buy).max()))
    cost = (
        h
        / 1000
        * np.concatenate(
            [buy, -sell, np.full(n, 1e-6), np.zeros(2 * n), *([np.full(n, dear)] if short else [])]
        )
    )
    inverter = bank.ac_w if bank.shared else NO_LIMIT
    high = np.concatenate(
        [
            np.minimum(i.rules.import_w, load + bank.charge_w),
            np.minimum(sun, min(i.rules.export_w, inverter)),
            np.full(n, bank.charge_w),
            np.minimum(load, min(bank.discharge_w, bank.ac_w)),
            np.full(n, bank.capacity_wh),
            *([load] if short else []),
        ]
    )
    low = np.zeros(columns * n)
    low[4 * n : 5 * n] = min(floor * bank.capacity_wh, stored)
    if end is not None:
        low[5 * n - 1] = max(low[5 * n - 1], end)
    result = linprog(
        cost,
        A_ub=enough.tocsr(),
        b_ub=sun - load,
        A_eq=state.tocsr(),
        b_eq=held,
        bounds=np.c_[low, high],
        method="highs-ds",
    )
    if result.x is None:
        raise ValueError(f"the program of this year has no solution: {result.message}")
    bought, sold, charge, give, level = (result.x[k * n : (k + 1) * n] for k in range(5))
    return (bought * buy - sold * sell) * h / 1000, charge, give, level
