"""The service, a generator, a PV inverter that is there already."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import (
    Field,
)

from gumboot.core.kit.words import Supplied
from gumboot.core.plan.fields import (
    Amps,
    Part,
    Size,
)


class SubBoard(Part):
    """A board behind the main one, where the inverters connect: the breaker in the main board that
    feeds it, and its busbar, in A; where on it the back-fed breaker sits; the sum of its load
    breakers in A if known.
    """

    breaker_a: Amps | None = None
    bus_a: Amps | None = None
    backfeed: Literal["opposite end", "elsewhere"] = "opposite end"
    load_breakers_a: Annotated[float, Field(ge=0, le=10000)] | None = None


class Supply(Part):
    """The service: main breaker and busbar in A; where the back-fed breaker sits; the sum of all
    load breakers if known; size and metal of its service conductors. sub_board: of a board behind
    it, where the inverters connect there.

    Under the IEC: earthing of the supply, the external loop impedance or the earth electrode in Ω;
    whether the installation has an earth electrode of its own. fault_a: the most that the utility
    can push into a short at the service, in A.
    """

    kind: Supplied | Literal["off-grid"] = "split-phase 120/240 V"
    main_breaker_a: Amps | None = None
    bus_a: Amps | None = None
    connection: Literal["main-panel breaker", "sub-board breaker", "supply-side tap"] = (
        "main-panel breaker"
    )
    sub_board: SubBoard = SubBoard()
    backfeed: Literal["opposite end", "elsewhere"] = "opposite end"
    load_breakers_a: Annotated[float, Field(ge=0, le=10000)] | None = None
    service_size: Size | None = None
    service_metal: Literal["unknown", "Cu", "Al"] = "unknown"
    earthing: Literal["TN-C-S", "TN-S", "TT"] | None = None
    loop_ohm: Annotated[float, Field(gt=0, le=200)] | None = None
    electrode: Literal["unknown", "none", "own"] = "unknown"
    fault_a: Annotated[float, Field(gt=0, le=200_000)] | None = None


class Generator(Part):
    """A generator and its inlet: power in W, where it lands, whether its neutral is bonded to its
    own frame.
    """

    power_w: Annotated[float, Field(gt=0, le=200_000)]
    lands: Literal["inverter", "loads panel", "inverter with bypass", "every inverter"] = "inverter"
    interlock: bool = True
    bonded: bool = False


class ExistingPv(Part):
    """A PV inverter that is there already: its AC power in W, on which side of the changeover it
    feeds, whether it obeys a rising frequency.

    current_a: the greatest a line by its plate; None takes what its power comes to, with the book's
    margin.
    array_w: its modules at standard conditions; None takes them as its AC power. Tilt and azimuth
    as of a string.
    line: the one it stands on in a three-phase house, or all of them.
    """

    power_w: Annotated[float, Field(gt=0, le=200_000)]
    current_a: Annotated[float, Field(gt=0, le=1000)] | None = None
    array_w: Annotated[float, Field(gt=0, le=400_000)] | None = None
    tilt_deg: Annotated[float, Field(ge=0, le=90)] = 30
    azimuth_deg: Annotated[float, Field(ge=0, lt=360)] = 180
    side: Literal["backup side", "grid side"] = "backup side"
    line: Literal["all", "L1", "L2", "L3"] = "all"
    obeys_frequency: Literal["yes", "no", "unknown"] = "unknown"


class PortUse(Part):
    """What a unit's generator port serves instead of a generator, and its power in W. current_a: of
    a PV inverter, the greatest a line by its plate.
    """

    use: Literal["managed load", "PV inverter"] = "managed load"
    power_w: Annotated[float, Field(gt=0, le=200_000)]
    current_a: Annotated[float, Field(gt=0, le=1000)] | None = None
