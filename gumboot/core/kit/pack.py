"""Packs, stacks, cells, and the cabinets they stand in."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import Field, model_validator

from gumboot.core.kit import presumed
from gumboot.core.kit.care import Care
from gumboot.core.kit.dbc import BadDbc, read_dbc
from gumboot.core.kit.enclosure import Enclosure, Rack, Stack
from gumboot.core.kit.entry import Entry, Positive, WrongTogether
from gumboot.core.kit.register import PackRegister
from gumboot.core.kit.signal import SignalPort, Switches, upgraded
from gumboot.core.kit.starting import Starting
from gumboot.core.kit.terminal import (
    Block,
    FactoryTermination,
    Terminal,
)
from gumboot.core.kit.words import CHEMISTRIES, LITHIUM, Chemistry, chemistry_of


class Cabinet(Entry):
    """What packs slide into: how many it holds, how many cabinets may stand in a row, and the
    terminations of its inner bus.
    """

    name: str
    holds: Annotated[int, Field(ge=1)]
    row_max: Annotated[int, Field(ge=1)]
    bus_a: Positive
    terminations: tuple[FactoryTermination, ...]
    enclosure: Enclosure | None = None


NOMINAL_V: dict[Chemistry, float] = {"LFP": 3.2, "NMC": 3.65}  # a cell; lead has 2 V


LEAD_CELLS, STACK_MOST = 32, 16  # in series where a sheet is silent: common practice


def _depth(d: dict[str, Any]) -> float:
    """Depth of discharge where the sheet is silent: 90 % of lithium, half of lead (common
    practice).
    """
    return 0.9 if d.get("chemistry") in LITHIUM else 0.5


def _resistance(d: dict[str, Any]) -> float:
    """Internal resistance where the sheet is silent: 0.05 Ω·Ah a cell over its capacity, 0.5 mΩ of
    one of 100 Ah: low, since a fault current follows from it (common practice).
    """
    return 0.05 * float(d.get("cells", 16)) / float(d.get("capacity_ah", 100))


PLAIN_EARTH = Terminal.model_validate(presumed.terminal("PE", "earth", metric=True))


class Pack(Entry):
    """A battery unit of cells in series: a pack, a module of a stack, or one lead-acid cell or
    block. Currents in A, at its posts.

    breaker_a None: it has none of its own, and each string of units wants a fuse.
    bridge: the bolts of the copper bars between two towers of a stack; interlink: a bolt of the bar
    between two cells.
    link: the bus of its BMS in words; "none" where it has none. addressing: how a pack comes to its
    address. dbc: what its messages on CAN mean, as the text of a DBC file; registers:
    where it keeps what it shows over Modbus on RS-485, at its own address.
    starting: how its electronics are woken; None where it wakes with its breaker.
    """

    kind: Literal["pack"]
    id: str
    maker: str
    model: str
    form: Literal["pack", "stack", "block"] = "pack"
    chemistry: Chemistry
    cells: Annotated[int, Field(ge=1)]
    capacity_ah: Positive
    discharge_max_a: Positive
    charge_max_a: Positive
    peak_a: Positive | None = None
    peak_s: Positive | None = None
    bms_v_max: Positive
    bms_v_min: Positive
    depth: Annotated[float, Field(gt=0, le=1, default_factory=_depth)]
    resistance_ohm: Annotated[float, Field(gt=0, default_factory=_resistance)]
    breaker_a: Positive | None = None
    breaker_interrupt_a: Positive | None = None
    precharge_ohm: Positive | None = None
    series_max: Annotated[int, Field(ge=1)] = 1
    parallel_max: Annotated[int, Field(ge=1)] = 1
    cabinet: Cabinet | None = None
    interlink: FactoryTermination | None = None
    bridge: tuple[FactoryTermination, ...] = ()
    link: str = ""
    terminals: tuple[Terminal, ...] = ()
    earth: Terminal = PLAIN_EARTH
    factory_terminations: tuple[FactoryTermination, ...] = ()
    signals: tuple[SignalPort, ...] = ()
    switches: tuple[Switches, ...] = ()
    addressing: Literal["switches", "itself", "tool", ""] = ""
    dbc: str = ""
    registers: tuple[PackRegister, ...] = ()
    starting: Starting | None = None
    care: tuple[Care, ...] = ()
    block: Block | None = None
    enclosure: Enclosure | None = None
    stack: Stack | None = None
    rack: Rack | None = None

    @model_validator(mode="before")
    @classmethod
    def _presumed(cls, document: Any) -> Any:
        if not isinstance(document, dict):
            return document
        d = dict(upgraded(document))
        if "chemistry" in d:
            d["chemistry"] = chemistry_of(d["chemistry"])
        if d.get("chemistry") in CHEMISTRIES and d["chemistry"] not in LITHIUM:
            d["link"] = d.get("link") or "none"  # lead cells have no BMS
        if not d.get("terminals"):
            d["terminals"] = presumed.terminals(("+", "−"), "post", metric=True)
        if d.get("earth") is None:
            d["earth"] = presumed.terminal("PE", "earth", metric=True)
        return d

    @model_validator(mode="after")
    def _messages_read(self) -> Pack:
        if self.dbc:
            try:
                read_dbc(self.dbc)
            except BadDbc as exc:
                raise WrongTogether("dbc", str(exc)) from exc
        return self

    @property
    def v_nom(self) -> float:
        """Nominal voltage in V: 3.2 V a cell of lithium iron phosphate, 3.65 V of nickel manganese
        cobalt, 2 V of lead.
        """
        return round(self.cells * NOMINAL_V.get(self.chemistry, 2.0), 3)

    @property
    def series_most(self) -> int:
        """How many may stand in series. Where the sheet is silent: of blocks what makes 64 V of
        lead, of a stack sixteen, which is named as missing.
        """
        if self.form == "pack":
            return 1
        if "series_max" in self.model_fields_set:
            return self.series_max
        return max(1, LEAD_CELLS // self.cells) if self.form == "block" else STACK_MOST

    @property
    def lithium(self) -> bool:
        """Whether its cells are lithium, which a BMS keeps and frost forbids to charge."""
        return self.chemistry in LITHIUM
