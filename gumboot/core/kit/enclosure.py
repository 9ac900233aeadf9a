"""The case of a piece of equipment: how large and heavy it is, what air and room it wants, where
its holes and entries are. Millimetres and kg.

         top
     ┌──────────┐  · bracket holes, from the left lower corner
left │  ·    ·  │ right
     │ display  │
     └──┬───┬───┘
      bottom entries
"""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from gumboot.core.kit.entry import Entry, Positive

NotNegative = Annotated[float, Field(ge=0)]
Side = Literal["left", "right", "top", "bottom"]
People = Literal["one", "two", "lift table"]


class Clear(Entry):
    """Free room that the maker asks beside, above, below and in front of a case."""

    left: NotNegative = 0
    right: NotNegative = 0
    above: NotNegative = 0
    below: NotNegative = 0
    front: NotNegative = 0


class Hole(Entry):
    """One hole of the bracket, from the case's left lower corner."""

    x: float
    y: float


class CableEntry(Entry):
    """Where conductors enter: on which side, how far along it from the left or the bottom, and
    which families of circuits (or "link").
    """

    side: Side
    at: NotNegative
    takes: tuple[str, ...] = ()


class Enclosure(Entry):
    """One case. A "wall" case hangs on its bracket; a "floor" case stands, and its holes are those
    of the bracket against tipping.

    like_least, like_most: gap to a neighbour of the same kind, for air and for the maker's jumper.
    hook: height of the hook in the case.
    display: its height in the case. bottom_least, bottom_most: how high its lower edge may be.
    expands: the side kept free for more.
    on_wood: whether its maker lets it hang on something that burns. t_derate_c: from here up it
    gives `derate_per_c` of its power less a °C, and above altitude_full_m `derate_per_100m` less
    each 100 m. noise_db: dB(A) at 1 m. grip: height of the hand holds in the case.
    """

    width: Positive
    height: Positive
    depth: Positive
    mass_kg: Positive
    mount: Literal["wall", "floor"] = "wall"
    clear: Clear = Clear()
    like_least: NotNegative | None = None
    like_most: Positive | None = None
    holes: tuple[Hole, ...] = ()
    hook: NotNegative = 0
    display: NotNegative | None = None
    bottom_least: NotNegative = 0
    bottom_most: Positive | None = None
    expands: Side | None = None
    entries: tuple[CableEntry, ...] = ()
    on_wood: bool = False
    weather: Literal["indoors", "rain", "rain and sun"] = "indoors"
    t_least_c: float = -40
    t_most_c: float = 60
    t_derate_c: float | None = None
    derate_per_c: Annotated[float, Field(ge=0, le=0.1)] = 0
    altitude_full_m: Positive = 2000
    derate_per_100m: Annotated[float, Field(ge=0, le=0.1)] = 0
    altitude_most_m: Positive = 2000
    noise_db: Positive | None = None
    people: People = "one"
    grip: NotNegative = 0


class Stack(Entry):
    """What a stack has besides its modules: a foot below, a control unit on top."""

    foot: NotNegative
    foot_kg: NotNegative
    head: NotNegative
    head_kg: NotNegative
    between: NotNegative = 0  # between two towers


class Rack(Entry):
    """A rack or box that single cells stand in: cells beside each other, rows behind each other,
    tiers above each other, and its own mass.
    """

    across: Annotated[int, Field(ge=1)]
    rows: Annotated[int, Field(ge=1)]
    own_kg: NotNegative
    around: NotNegative
