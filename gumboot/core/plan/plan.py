"""Everything decided about one job."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import (
    Field,
    model_validator,
)

from gumboot.core.codes.book import Book, Code
from gumboot.core.codes.books import BOOKS
from gumboot.core.plan.backup import Backup
from gumboot.core.plan.energy import Energy
from gumboot.core.plan.fields import (
    Key,
    Landing,
    Name,
    Part,
    Text,
)
from gumboot.core.plan.kit import ENTRIES, Kit
from gumboot.core.plan.linking import Linking
from gumboot.core.plan.loads import Load
from gumboot.core.plan.run import Fitted, Reel, Run
from gumboot.core.plan.safeguard import Safeguard
from gumboot.core.plan.site import Site
from gumboot.core.plan.strings import PvString
from gumboot.core.plan.supply import ExistingPv, Supply
from gumboot.core.plan.survey import Survey
from gumboot.core.plan.waking import Waking
from gumboot.core.plan.wall import Spacing, Wall


class Plan(Part):
    """Everything decided about one job.

    landing: the order of landing, by the maker's sheet where it gives one, or a school of the
    crew's. recheck: what is done a day later where the maker is silent. devices: what the crew
    chose from the shelf for a place, by the place's key.
    """

    format: Literal["gumboot-plan/1"] = "gumboot-plan/1"
    code: Code = "nec-2023"
    units: Literal["us", "si"] = "us"
    site: Site
    supply: Supply
    kit: Kit
    backup: Backup = Backup()
    safeguards: Annotated[tuple[Safeguard, ...], Field(max_length=40)] = ()
    devices: dict[Key, Name] = Field(default_factory=dict)
    strings: Annotated[tuple[PvString, ...], Field(max_length=26)] = ()
    loads: Annotated[tuple[Load, ...], Field(max_length=120)] = ()
    energy: Energy = Energy()
    linking: Linking = Linking()
    waking: Waking = Waking()
    survey: Survey | None = None
    walls: Annotated[tuple[Wall, ...], Field(max_length=6)] = ()
    spacing: Spacing = Spacing()
    runs: dict[Key, Run] = Field(default_factory=dict)
    fitted: dict[Key, Fitted] = Field(default_factory=dict)
    settings: dict[Key, float | Text] = Field(default_factory=dict)
    landing: Landing = "maker"
    recheck: Literal["by kind", "torque", "look"] = "by kind"
    reels: Annotated[tuple[Reel, ...], Field(max_length=60)] = ()

    @property
    def book(self) -> Book:
        """The code book of the job: all that differs between books."""
        return BOOKS[self.code]

    @property
    def island_pv(self) -> dict[int, ExistingPv]:
        """The PV inverters beside the units that stay with the house in an outage, by their number
        from 0; off grid all of them, and none where nothing is backed up.
        """
        alone = self.supply.kind == "off-grid"
        if not alone and self.backup.loads == "nothing":
            return {}
        some = enumerate(self.kit.pv_inverters)
        return {n: pv for n, pv in some if alone or pv.side == "backup side"}

    def pv_path(self, n: int) -> str:
        """Where a PV inverter, from 0, stands in the plan, as a JSON Pointer."""
        first = self.kit.existing_pv is not None
        return "/kit/existing_pv" if n == 0 and first else f"/kit/more_pv/{n - first}"

    @property
    def chosen(self) -> tuple[str, ...]:
        """The entries of the shelf that it names."""
        kit = (getattr(self.kit, name) for name in ENTRIES)
        guards, own = (g.device for g in self.safeguards), (s.module for s in self.strings)
        return tuple(x for x in (*kit, *own, *self.devices.values(), *guards) if x)

    def module_of(self, s: PvString) -> str | None:
        """The module of a string, by catalogue id: its own, else the job's."""
        return s.module or self.kit.module

    @model_validator(mode="after")
    def _letters_differ(self) -> Plan:
        letters = [s.letter for s in self.strings]
        if len(set(letters)) != len(letters):
            raise ValueError("two strings have the same letter")
        return self

    @model_validator(mode="after")
    def _walls_differ(self) -> Plan:
        letters = [w.id for w in self.walls]
        if len(set(letters)) != len(letters):
            raise ValueError("two walls have the same letter")
        hung = [b for w in self.walls for b in (*w.placed, *(x.id for x in w.extras))]
        twice = next(
            (
                b
                for b in hung
                if hung.count(b)
                > (2 if any(x.id == b for w in self.walls for x in w.extras) else 1)
            ),
            None,
        )
        if twice:
            raise ValueError(f"{twice} stands on two walls")
        return self

    @model_validator(mode="after")
    def _loads_differ(self) -> Plan:
        ids = [x.id for x in self.loads]
        if len(set(ids)) != len(ids):
            raise ValueError("two loads have the same id")
        return self
