"""What holds a bracket."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from gumboot.core.kit.entry import Entry, Positive
from gumboot.core.kit.words import Ground


class Anchor(Entry):
    """What holds a bracket: in which ground, its hole in mm, the bit, and what it fails at in N
    (pulled, and sheared).

    Its maker's sheet goes first; most common practice wants a factor of four below that.
    """

    kind: Literal["anchor"]
    id: str
    label: str
    grounds: Annotated[tuple[Ground, ...], Field(min_length=1)]
    hole_mm: Positive
    depth_mm: Positive
    bit: str
    tension_n: Positive
    shear_n: Positive
    source: str
