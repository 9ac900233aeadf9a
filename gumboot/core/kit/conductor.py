"""Cables, lugs and ferrules."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from gumboot.core.codes.book import Code
from gumboot.core.kit.entry import Entry, Positive
from gumboot.core.kit.terminal import (
    Ferrule,
    Lug,
    Strands,
)
from gumboot.core.kit.words import Family


class ConductorType(Entry):
    """A kind of cable: insulation temperature in °C, conductor class, which runs it serves; cost a
    mm² and metre, and of making off one end.

    outer_mm: its diameter by size, where it is thicker than building wire. reels_m: the lengths it
    is sold in. Costs are in the crew's own coin: only their ratio matters,
    when the least-cost legal set is picked.
    """

    kind: Literal["conductor"]
    id: str
    label: str
    book: Code
    material: Literal["Cu", "Al"] = "Cu"
    temp_c: Literal[70, 75, 90]
    strands: Strands
    cores: Literal["single", "multi"] = "single"
    cost_mm2_m: Positive
    cost_end: Positive
    reels_m: Annotated[tuple[Positive, ...], Field(min_length=1)] = (100.0,)
    outer_mm: dict[str, Positive] = Field(default_factory=dict)
    families: tuple[Family, ...]
    sizes: tuple[str, ...]


class Lugs(Entry):
    """The crew's lug chart."""

    kind: Literal["lugs"]
    id: str
    rows: tuple[Lug, ...]


class Ferrules(Entry):
    """The crew's ferrule chart."""

    kind: Literal["ferrules"]
    id: str
    rows: tuple[Ferrule, ...]
