"""A link between boxes, as the sheet names it."""

from __future__ import annotations

from typing import Literal

from gumboot.core.kit.entry import Entry
from gumboot.core.kit.terminal import (
    Socket,
)


class Link(Entry):
    """A thin line between boxes: what it is called, its conductors, the role of the box at its
    other end, and where it ends here and there.
    """

    name: str
    conductors: str
    to: Literal["bank", "meter", "gateway", "inverter"]
    here: Socket
    there: Socket
