"""Whether a busbar may take what is fed into it, by each book: NEC 705.12(B), IEC 60364-5-55
551.7.2 with IEC 61439-3.
"""

from __future__ import annotations

from dataclasses import dataclass

from gumboot.core.basis.figure import MEMORY, Figure
from gumboot.core.basis.formula import Formula
from gumboot.core.codes import iec, nec

NEC_RULE = f"{nec.BOOK} 705.12(B)"
WHOLE = "100 % rule, 705.12(B)(1)"
SUMMED = "sum of breakers, 705.12(B)(3)"
IEC_RULE = f"{iec.BOOK}-5-55 551.7.2, IEC 61439-3"
USED_120 = Formula(
    "I_used",
    "1.25 * I_out + I_main",
    "A",
    "Main breaker and 125 % of output",
    f"{NEC_RULE}(2)",
    doubt=MEMORY,
)
ALLOWED_120 = Formula(
    "I_allow", "1.2 * I_bus", "A", "120 % of the bus", f"{NEC_RULE}(2)", doubt=MEMORY
)
USED = Formula(
    "I_used",
    "I_out + I_main",
    "A",
    "Main breaker and all inverters",
    IEC_RULE,
    doubt=MEMORY,
)
ALLOWED = Formula("I_allow", "1 * I_bus", "A", "The board's rating", IEC_RULE, doubt=MEMORY)


@dataclass(frozen=True, slots=True)
class Fed:
    """What is fed into a busbar and what may be, in A; by which rule it passes, "" where by
    none.
    """

    used: Figure
    allowed: Figure
    passes: str


def nec_fed(output: Figure, main: Figure, bus: Figure, breakers: Figure | None, far: bool) -> Fed:
    """NEC 705.12(B)(1) to (3). breakers: the sum of every breaker but the main, where known; far:
    whether the inverters feed the end opposite the main.
    """
    used, allowed = USED_120.figure(output, main), ALLOWED_120.figure(bus)
    if used.n <= bus.n:
        return Fed(used, allowed, WHOLE)
    if far and used.n <= allowed.n:
        return Fed(used, allowed, "120 % rule, 705.12(B)(2)")
    if breakers is not None and breakers.n <= bus.n:
        return Fed(used, allowed, SUMMED)
    return Fed(used, allowed, "")


def iec_fed(output: Figure, main: Figure, bus: Figure, breakers: Figure | None, far: bool) -> Fed:
    """IEC 60364-5-55 551.7.2: all that may feed a board together, against its rating."""
    used, allowed = USED.figure(output, main), ALLOWED.figure(bus)
    return Fed(used, allowed, "the board's rating, IEC 61439-3" if used.n <= bus.n else "")
