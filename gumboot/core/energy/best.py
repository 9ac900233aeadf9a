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
from typing import Any

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
    eta_grid = bank.eta_grid or bank.eta_charge
    apart = eta_grid != bank.eta_charge  # what is charged from the grid is a column of its own then
    # bought, sold, charge, give, stored; charged from the grid; unserved
    columns = 5 + apart + short
    enough = sp.hstack(
        [-one, one, one, -one, zero, *([one] if apart else []), *([-one] if short else [])]
    )
    state = sp.hstack(
        [
            zero,
            zero,
            -h * bank.eta_charge * one,
            h / bank.eta_discharge * one,
            change,
            *([-h * eta_grid * one] if apart else []),
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
            [
                buy,
                -sell,
                np.full(n, 1e-6),
                np.zeros(2 * n),
                *([np.full(n, 1e-6)] if apart else []),
                *([np.full(n, dear)] if short else []),
            ]
        )
    )
    dearer = np.flatnonzero(sell > buy + 1e-12)  # there a meter could be bought and sold through
    inverter = bank.ac_w if bank.shared else NO_LIMIT
    high = np.concatenate(
        [
            np.minimum(i.rules.import_w, load + bank.charge_w),
            np.minimum(sun, min(i.rules.export_w, inverter)),
            np.minimum(sun, bank.charge_w) if apart else np.full(n, bank.charge_w),
            np.minimum(load, min(bank.discharge_w, bank.ac_w)),
            np.full(n, bank.capacity_wh),
            *([np.full(n, min(bank.charge_w, bank.ac_w))] if apart else []),
            *([load] if short else []),
        ]
    )
    low = np.zeros(columns * n)
    low[4 * n : 5 * n] = min(floor * bank.capacity_wh, stored)
    if end is not None:
        low[5 * n - 1] = max(low[5 * n - 1], end)
    rows, right, whole = enough.tocsr(), sun - load, None
    if apart:
        both_in = sp.hstack([zero, zero, one, zero, zero, one, *([zero] if short else [])])
        rows = sp.vstack([rows, both_in]).tocsr()
        right = np.r_[right, np.full(n, bank.charge_w)]
    if len(dearer):
        rows, state, right, cost, low, high = _one_way(
            dearer, n, columns, rows, state, right, cost, low, high
        )
        whole = np.r_[np.zeros(columns * n), np.ones(len(dearer))]
    result = linprog(
        cost,
        A_ub=rows,
        b_ub=right,
        A_eq=state.tocsr(),
        b_eq=held,
        bounds=np.c_[low, high],
        method="highs" if whole is not None else "highs-ds",
        integrality=whole,
    )
    if result.x is None:
        raise ValueError(f"the program of this year has no solution: {result.message}")
    bought, sold, charge, give, level = (result.x[k * n : (k + 1) * n] for k in range(5))
    if apart:
        charge = charge + result.x[5 * n : 6 * n]
    both = np.minimum(bought, sold)  # one meter nets what goes in and out at once
    return ((bought - both) * buy - (sold - both) * sell) * h / 1000, charge, give, level


def _one_way(
    steps: Any,
    n: int,
    columns: int,
    rows: Any,
    state: Any,
    right: Any,
    cost: Any,
    low: Any,
    high: Any,
) -> tuple[Any, ...]:
    """The program with a choice at each of some steps: buy or sell, not both. Where selling pays
    more than buying costs, it would do both else.
    """
    import scipy.sparse as sp

    m = len(steps)
    pick = sp.csr_matrix((np.ones(m), (np.arange(m), steps)), shape=(m, n))
    none = sp.csr_matrix((m, (columns - 2) * n))
    most_in, most_out = high[:n][steps], high[n : 2 * n][steps]
    buys = sp.hstack([pick, sp.csr_matrix((m, n)), none, -sp.diags(most_in)])
    sells = sp.hstack([sp.csr_matrix((m, n)), pick, none, sp.diags(most_out)])
    wide = sp.hstack([rows, sp.csr_matrix((rows.shape[0], m))])
    return (
        sp.vstack([wide, buys, sells]).tocsr(),
        sp.hstack([state, sp.csr_matrix((state.shape[0], m))]),
        np.r_[right, np.zeros(m), most_out],
        np.r_[cost, np.zeros(m)],
        np.r_[low, np.zeros(m)],
        np.r_[high, np.ones(m)],
    )
