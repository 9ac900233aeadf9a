"""One line of the menu filled, and the job it is filled for."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from gumboot.core.basis.figure import Figure
from gumboot.core.kit import Chemistry, Inverter, Pack
from gumboot.core.plan import Plan
from gumboot.core.size.bank import Bank
from gumboot.core.size.conductors import SizedCircuit


@dataclass(frozen=True, slots=True)
class Setting:
    """One line of the menu. `proposed` is what Gumboot would key; `value` what will be keyed."""

    id: str
    group: str
    label: str
    unit: str
    value: float | str
    proposed: float | str
    reason: str
    options: tuple[str, ...]
    least: float | None
    most: float | None
    step: float | None
    figure: Figure | None = None

    @property
    def own(self) -> bool:
        """Whether the crew keyed its own value."""
        return self.value != self.proposed


@dataclass(frozen=True, slots=True)
class Job:
    """What the rules look at."""

    plan: Plan
    inverter: Inverter
    pack: Pack | None
    bank: Bank | None
    circuits: Sequence[SizedCircuit]

    @property
    def count(self) -> int:
        """Strings of units in parallel."""
        return self.bank.count if self.bank else 0

    @property
    def in_series(self) -> int:
        """Cells in series in the whole bank."""
        if self.pack is None:
            return 0
        return self.pack.cells * (self.plan.kit.series if self.pack.form != "pack" else 1)

    @property
    def chemistry(self) -> Chemistry:
        """What the cells are."""
        return self.pack.chemistry if self.pack else "LFP"


Filled = tuple[float | str, str, Figure | None]
