"""What is fitted."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import AfterValidator, BeforeValidator, Field, StringConstraints

from gumboot.core.plan.fields import (
    Name,
    Part,
)
from gumboot.core.plan.supply import ExistingPv, Generator, PortUse


def spaced_lines(text: object) -> object:
    """Lines as they are typed, "l1, L2" too, as "L1 L2"; what is none of them stays for the limit
    to refuse.
    """
    return " ".join(text.upper().replace(",", " ").split()) if isinstance(text, str) else text


def known_lines(text: str) -> str:
    """Lines of a supply. Raises ValueError, with what to type."""
    if any(x not in ("L1", "L2", "L3") for x in text.split()):
        raise ValueError("type the line of each unit in turn, such as L1 L2 L3")
    return text


UnitLines = Annotated[
    str,
    BeforeValidator(spaced_lines),
    StringConstraints(max_length=17),
    AfterValidator(known_lines),
]


ENTRIES = ("inverter", "pack", "module", "controller", "gateway", "meter", "ct")  # by catalogue id
CONTROLLERS = 10  # charge controller 1 is unit 11: there are at most six inverters


class Kit(Part):
    """What is fitted, by catalogue id. `packs` stand in parallel, each of `series` units in series;
    `towers` share one stack. banks: one for all inverters, or one for each; hookup: over a bus,
    from pack to pack, or each to an input of its own; pack_fuses: a fuse for each pack where its
    run meets the bus, beside its own breaker. lines: where single-phase units stand in a house
    of several, in turn when silent; off grid all on one when silent. port_use: what the generator
    port serves instead. controllers: charge controllers, on the bus of the bank; of several banks
    on each in turn.
    meter, ct: what measures at the house's board; the unit's own where none is chosen.
    """

    inverter: Name
    inverters: Annotated[int, Field(ge=1, le=6)]
    pack: Name | None = None
    packs: Annotated[int, Field(ge=0, le=25)] = 0
    series: Annotated[int, Field(ge=1, le=60)] = 1
    towers: Annotated[int, Field(ge=1, le=2)] = 1
    takeoff: Literal["one end", "diagonal", "star"] = "star"
    module: Name | None = None
    controller: Name | None = None
    controllers: Annotated[int, Field(ge=0, le=12)] = 0
    gateway: Name | None = None
    meter: Name | None = None
    ct: Name | None = None
    generator: Generator | None = None
    existing_pv: ExistingPv | None = None
    more_pv: Annotated[tuple[ExistingPv, ...], Field(max_length=5)] = ()
    banks: Literal["one for all", "one per inverter"] = "one for all"
    hookup: Literal["bus", "chain", "inputs"] = "bus"
    pack_fuses: bool = False
    lines: UnitLines = ""
    port_use: PortUse | None = None

    @property
    def units(self) -> tuple[int, ...]:
        """The numbers of everything that has a menu: inverters from 1, charge controllers from
        11.
        """
        own = range(1, self.controllers_fitted + 1)
        return (*range(1, self.inverters + 1), *(CONTROLLERS + n for n in own))

    def unit_name(self, unit_no: int) -> str:
        """What a unit with a menu is called, by its number: "Inverter 2", "Charge controller"."""
        controls = unit_no > CONTROLLERS
        n, many = unit_no - CONTROLLERS * controls, (self.inverters, self.controllers_fitted)
        word = "Charge controller" if controls else "Inverter"
        return f"{word} {n}" if many[controls] > 1 else word

    @property
    def controllers_fitted(self) -> int:
        """How many charge controllers are fitted."""
        return self.controllers if self.controller else 0

    @property
    def on_generator(self) -> int:
        """Inverters that a generator lands on, and charges through: one, or all; none on the loads
        panel, whose main is off while it runs.
        """
        if self.generator is None or self.generator.lands == "loads panel":
            return 0
        return self.inverters if self.generator.lands == "every inverter" else 1

    @property
    def pv_inverters(self) -> tuple[ExistingPv, ...]:
        """Every PV inverter that is there already."""
        return (*((self.existing_pv,) if self.existing_pv else ()), *self.more_pv)
