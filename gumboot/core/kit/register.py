"""Where a device keeps what it shows over Modbus."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from gumboot.core.kit.entry import Entry


class Register(Entry):
    """What a register shows, its number from 0, how it is written there (high word first), and what
    one is worth in W, V, A, %, °C.
    """

    shows: str
    number: Annotated[int, Field(ge=0, le=65535)]
    type: Literal["float32", "int16", "int32", "uint16", "uint32"] = "float32"
    scale: Annotated[float, Field(gt=0)] = 1.0
    holding: bool = False


class MeterRegister(Register):
    """Of a meter: what of which channel."""

    shows: Annotated[str, Field(pattern=r"^(power|volts|current) [1-9]$")]


class UnitRegister(Register):
    """Of an inverter: what it does, as a number of its own, or what it measures. island: 1 while it
    makes its own voltage; W: out of the array and the battery, in from the grid, into the
    loads.
    """

    shows: Literal[
        "status",
        "battery V",
        "output L1 V",
        "output L2 V",
        "output L3 V",
        "grid L1 V",
        "grid L2 V",
        "grid L3 V",
        "N to PE V",
        "PV V",
        "frequency Hz",
        "state of charge",
        "island",
        "PV W",
        "battery W",
        "grid W",
        "load W",
    ]


class PackRegister(Register):
    """Of a pack: a value of its own, or a limit of the bank."""

    shows: Literal[
        "serial",
        "soc",
        "temperature",
        "volts",
        "amps",
        "alarm",
        "charge_volts",
        "charge_limit",
        "discharge_limit",
        "discharge_volts",
    ]
