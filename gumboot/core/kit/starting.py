"""How a device is woken, as its manual says: its button, what it shows and sounds, what comes
before what.
"""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from gumboot.core.kit.entry import Entry, Positive

Waking = Literal["pack", "pack button", "battery", "unit", "backup", "grid", "pv", "loads"]


class Starting(Entry):
    """order: what its maker wants moved, first to last, of the kinds above; what is left out comes
    where it is safe. button: what is pressed ("the power button"), empty where it wakes by itself;
    hold_s, off_hold_s: for how long, on and off. lamp, sound: what shows that it has woken, in the
    sheet's words; wait_s: how long that may take. first_app: its first start waits for the maker's
    app; restart: it asks a restart once the battery type is set; alone: units that work together
    are first started one by one.
    """

    order: Annotated[tuple[Waking, ...], Field(max_length=8)] = ()
    button: str = ""
    hold_s: Positive | None = None
    off_hold_s: Positive | None = None
    lamp: str = ""
    sound: str = ""
    wait_s: Positive | None = None
    first_app: bool = False
    restart: bool = False
    alone: bool = False
