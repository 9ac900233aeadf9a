"""What lives on in an outage."""

from __future__ import annotations

from typing import Literal

from gumboot.core.plan.fields import (
    Amps,
    Part,
)


class Backup(Part):
    """What lives on in an outage, what changes over, and where neutral then meets earth.

    board_a: rating of the feeder to the board of the backed-up loads; bus_a: of that board's
    busbar, in A, where it is known.
    """

    loads: Literal["nothing", "whole house", "essential board", "transfer-switched circuits"] = (
        "whole house"
    )
    changeover: Literal["transfer switch", "interlocked breakers", "loose breakers"] = (
        "transfer switch"
    )
    neutral: Literal["solid", "switched"] = "solid"
    bond: Literal["service", "inverter", "gateway", "loads panel"] = "service"
    board_a: Amps | None = None
    bus_a: Amps | None = None
