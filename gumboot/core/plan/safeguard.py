"""What protects people and plant beside breakers and fuses."""

from __future__ import annotations

from typing import Literal, get_args

from gumboot.core.plan.fields import Key, Name, Part

SafeguardKind = Literal[
    "residual-current device",
    "surge protection",
    "emergency shutdown",
    "rapid shutdown",
    "outside disconnect",
]
ResidualType = Literal["AC", "A", "F", "B"]
SAFEGUARDS: tuple[SafeguardKind, ...] = get_args(SafeguardKind)
RESIDUAL_TYPES: tuple[ResidualType, ...] = get_args(ResidualType)  # each sees what those before do
TRIPS_MA = (10, 30, 100, 300, 500)


class Safeguard(Part):
    """One safeguard: what it is, where, and its device from the shelf where one is chosen.

    at: a circuit, a body such as "main-panel", or "backed-up circuits" of a residual-current device
    for all of them. trip_ma, type, delayed: of a residual-current device.
    method: of rapid shutdown, what brings the array down. type_no: of surge protection.
    """

    kind: SafeguardKind
    at: Key = "main-panel"
    device: Name | None = None
    trip_ma: Literal[10, 30, 100, 300, 500] = 300
    type: ResidualType = "A"
    delayed: bool = False
    method: Literal["at each module", "at each string", "listed array"] = "at each module"
    type_no: Literal["1", "2", "1+2"] = "2"
