"""One line of the menu filled, and the job it is filled for."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING

from gumboot.core.basis.figure import Figure
from gumboot.core.basis.finding import Change
from gumboot.core.kit import LITHIUM, Chemistry, Controller, Converter, Inverter, Pack
from gumboot.core.plan import Plan
from gumboot.core.plan.kit import CONTROLLERS
from gumboot.core.size.bank import Bank
from gumboot.core.size.conductors import SizedCircuit
from gumboot.core.size.limits import key_of

if TYPE_CHECKING:
    from gumboot.core.set.settings.windows import Of


@dataclass(frozen=True, slots=True)
class Setting:
    """One line of one unit's menu. `proposed` is what Gumboot would key; `value` what will be
    keyed.

    rule: what the line means; meant: the rule's own word for what it proposes; why: its reason.
    lacking: what the menu has no choice or no room for. chosen: whether the crew keyed it. windows:
    of a work mode, the choice that uses windows. unit_no: from 1. given: what stands where this
    unit has nothing of its own: what is keyed for the first, else what is proposed. number: as the
    display counts it; default: what the works put there; display, works: value and default as the
    display shows them; shown: whether the line shows under what the others hold; means_now: what
    the value means, in the vocabulary's words; window: what it is of a window.
    """

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
    rule: str = ""
    meant: float | str = ""
    why: str = ""
    lacking: str = ""
    chosen: bool = False
    windows: str = ""
    unit_no: int = 1
    given: float | str = ""
    number: str = ""
    default: float | str | None = None
    display: str = ""
    works: str = ""
    shown: bool = True
    restart: bool = False
    profile: bool = False
    means_now: str = ""
    window: Of | None = None

    @property
    def key(self) -> str:
        """Where the plan keeps what is keyed: by the line, and by the unit from the second on."""
        return key_of(self.id, self.unit_no)

    def keyed_as(self, value: float | str | None) -> Change:
        """The change that keys it so."""
        return Change(f"/settings/{self.key}", value)

    @property
    def own(self) -> bool:
        """Whether the crew keyed its own value."""
        return self.value != self.proposed


@dataclass(frozen=True, slots=True)
class Job:
    """What the rules look at. unit_no: the unit whose menu it is, inverters from 1, charge
    controllers from 11, whose sheet is `controller`.
    """

    plan: Plan
    inverter: Inverter
    pack: Pack | None
    bank: Bank | None
    circuits: Sequence[SizedCircuit]
    unit_no: int = 1
    controller: Controller | None = None

    @property
    def controls(self) -> bool:
        """Whether the menu is a charge controller's."""
        return self.unit_no > CONTROLLERS

    @property
    def unit(self) -> Converter:
        """The sheet whose menu it is."""
        return self.controller if self.controls and self.controller else self.inverter

    @property
    def first(self) -> int:
        """The number of the first of its like: what is keyed there holds for the others."""
        return CONTROLLERS + 1 if self.controls else 1

    @property
    def like(self) -> int:
        """How many of its like there are."""
        kit = self.plan.kit
        return kit.controllers_fitted if self.controls else kit.inverters

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

    @property
    def lithium(self) -> bool:
        """Whether the cells are lithium."""
        return self.chemistry in LITHIUM

    @property
    def unlinked(self) -> bool:
        """Whether no BMS speaks to the unit."""
        heard = not self.controls or any("BMS" in p.serves for p in self.unit.signals)
        return self.pack is not None and (self.pack.link == "none" or not heard)


Filled = tuple[float | str, str, Figure | None]
