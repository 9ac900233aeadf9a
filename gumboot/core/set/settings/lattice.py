"""The order of meaning: which line must lie below which, whatever a menu calls them.

    volts      hard stop < cut < warn < recover < charge again ≤ float ≤ absorb ≤ equalise
               cut < generator starts < generator stops ≤ absorb
    charge, %  off-grid floor ≤ on-grid floor ≤ reserve; back to grid < back to battery;
               off-grid floor < generator starts < generator stops
    amperes    tail < charge; from grid ≤ charge; from generator ≤ charge

Common practice; the pack's own limits come beside it (`agreement`).
"""

from __future__ import annotations

from itertools import pairwise

VOLTS, CHARGE, AMPERES = "V", "%", "A"
Rung = tuple[str, bool]  # meaning; whether it may be equal to the one before it
CHAINS: tuple[tuple[str, tuple[Rung, ...]], ...] = (
    (
        VOLTS,
        (
            ("hard_stop", False),
            ("cut", False),
            ("warn", False),
            ("recover", False),
            ("recharge", False),
            ("float", True),
            ("absorb", True),
            ("equalise_v", True),
        ),
    ),
    (VOLTS, (("cut", False), ("gen_start_v", False), ("gen_stop_v", False), ("absorb", True))),
    (
        VOLTS,
        (
            ("cut", False),
            ("back_to_grid_v", False),
            ("back_to_battery_v", False),
            ("absorb", True),
        ),
    ),
    (CHARGE, (("floor_off_grid", False), ("floor_on_grid", True), ("reserve_soc", True))),
    (CHARGE, (("back_to_grid", False), ("back_to_battery", False))),
    (CHARGE, (("floor_off_grid", False), ("gen_start_soc", False), ("gen_stop_soc", False))),
    (AMPERES, (("tail", False), ("charge", False))),
    (AMPERES, (("grid_charge_a", False), ("charge", True))),
    (AMPERES, (("gen_charge_a", False), ("charge", True))),
)


def closure() -> tuple[tuple[str, str, bool], ...]:
    """(lower, upper, whether they may be equal) of every pair that the chains relate, near or far,
    across chains too: equal only where every step on every way between them is.
    """
    even: dict[tuple[str, str], bool] = {}
    for _, chain in CHAINS:
        for (a, _), (b, equal) in pairwise(chain):
            even[a, b] = equal
    names = sorted({x for pair in even for x in pair})
    for middle in names:  # Warshall 1962
        for a in names:
            for b in names:
                if (a, middle) in even and (middle, b) in even:
                    by = even[a, middle] and even[middle, b]
                    even[a, b] = even.get((a, b), True) and by
    return tuple((a, b, e) for (a, b), e in even.items())


PAIRS = closure()
CURRENTS = {rule for unit, chain in CHAINS if unit == AMPERES for rule, _ in chain}
RUNGS: dict[str, tuple[str, ...]] = {
    unit: tuple(dict.fromkeys(r for u, chain in CHAINS if u == unit for r, _ in chain))
    for unit in (VOLTS, CHARGE)
}
