"""Packs, stacks, cells, and the cabinets they stand in."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from gumboot.core.kit.enclosure import Enclosure, Rack, Stack
from gumboot.core.kit.entry import Entry, Positive
from gumboot.core.kit.terminal import (
    Block,
    FactoryTermination,
    Socket,
    Terminal,
)
from gumboot.core.kit.words import Chemistry


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


class Pack(Entry):
    """A battery unit of cells in series: a pack, a module of a stack, or one lead-acid cell or
    block. Currents in A, at its posts.

    breaker_a None: it has none of its own, and each string of units wants a fuse.
    bridge: the bolts of the copper bars between two towers of a stack; interlink: a bolt of the bar
    between two cells.
    chain: where the link from pack to pack leaves one and enters the next.
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
    depth: Annotated[float, Field(gt=0, le=1)]
    resistance_ohm: Positive
    breaker_a: Positive | None = None
    breaker_interrupt_a: Positive | None = None
    precharge_ohm: Positive | None = None
    series_max: Annotated[int, Field(ge=1)] = 1
    parallel_max: Annotated[int, Field(ge=1)]
    cabinet: Cabinet | None = None
    interlink: FactoryTermination | None = None
    bridge: tuple[FactoryTermination, ...] = ()
    link: str
    terminals: tuple[Terminal, ...]
    earth: Terminal
    factory_terminations: tuple[FactoryTermination, ...] = ()
    chain: tuple[Socket, Socket] | None = None
    block: Block | None = None
    enclosure: Enclosure | None = None
    stack: Stack | None = None
    rack: Rack | None = None

    @property
    def v_nom(self) -> float:
        """Nominal voltage in V: 3.2 V a cell of lithium iron phosphate, 2 V a cell of lead."""
        return round(self.cells * (3.2 if self.chemistry == "LFP" else 2.0), 3)
