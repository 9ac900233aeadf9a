"""Where an array touches earth: by the volts of each pole to earth, in light.

    + ──[1]──[2]──…──[n]── −      V+ is what the meter reads from plus to earth, V− from minus:
                 │                the fault divides the string's own volts between them
                PE

    modules from plus = n · V+ / (V+ + V−)

A meter of 10 MΩ takes current through the fault: both read low alike, and their ratio stands.
"""

from __future__ import annotations

from dataclasses import dataclass

from gumboot.core.basis.figure import Figure, given
from gumboot.core.basis.formula import Formula

AT = Formula(
    "m",
    "n * V_p / (V_p + V_n)",
    "",
    "Modules between plus and the fault",
    "voltage divider",
)
SUMS = 0.7  # of the open volts: less, and the fault is soft, or wet all along
CLEAN = 0.05  # of the open volts: as little on both, and there is no fault to find
NEAR = 0.25  # of a module beside a join: at the join


@dataclass(frozen=True, slots=True)
class Place:
    """Where it lies: modules from plus, and in words."""

    modules: Figure | None
    says: str


def place(plus_v: float, minus_v: float, n: int, open_v: float) -> Place:
    """Where the fault lies. plus_v, minus_v: sizes in V; open_v: the string's own."""
    plus, minus = abs(plus_v), abs(minus_v)
    total = plus + minus
    if open_v <= 0 or n < 1:
        return Place(None, "type the string's own open volts first")
    if total < CLEAN * open_v:
        return Place(None, "both die away: no fault stands now; read again when it is wet")
    if total > 1.1 * open_v:
        return Place(None, "they add up to more than the string gives: read all three again")
    m = AT.figure(
        given("n", n, "", "Modules in series", "plan"),
        given("V_p", plus, "V", "Plus to earth", "read"),
        given("V_n", minus, "V", "Minus to earth", "read"),
    )
    soft = "; the fault is soft, so it may lie a module off" if total < SUMS * open_v else ""
    at = m.n
    if at < NEAR:
        return Place(m, f"at the plus end or in its lead to the house{soft}")
    if at > n - NEAR:
        return Place(m, f"at the minus end or in its lead to the house{soft}")
    near = round(at)
    if abs(at - near) <= NEAR:
        return Place(m, f"at the join of modules {near} and {near + 1}, counted from plus{soft}")
    return Place(m, f"inside module {int(at) + 1}, counted from plus{soft}")
