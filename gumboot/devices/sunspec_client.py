"""Reads and writes points of SunSpec models by pysunspec2, over the unit's own Modbus connection:
TCP, or RTU frames over TCP.
"""

from __future__ import annotations

import struct
from collections.abc import Sequence
from typing import Any, Protocol

from sunspec2.modbus.client import (
    SunSpecModbusClientDevice,
    SunSpecModbusClientError,
    SunSpecModbusClientException,
)

from gumboot.core.kit import MenuItem
from gumboot.core.set.wire import NotHeld, codes_of
from gumboot.devices.networks import DeviceFault

MOST_AT_ONCE = 120  # registers of one question
GONE = (SunSpecModbusClientError, SunSpecModbusClientException, NotHeld, OSError)


class Words(Protocol):
    """Who reads and writes registers. Raises NotHeld, DeviceFault."""

    def words(self, holding: bool, start: int, count: int) -> list[int]:
        """Registers as they stand."""

    def put(self, start: int, words: Sequence[int]) -> None:
        """Registers as they shall stand."""


class _Device(SunSpecModbusClientDevice):  # type: ignore[misc]
    """The models behind somebody's registers."""

    def __init__(self, on: Words) -> None:
        super().__init__()
        self.on = on

    def read(self, addr: int, count: int) -> bytes:
        """Registers as bytes, high byte first."""
        out = b""
        while count > 0:
            some = min(count, MOST_AT_ONCE)
            out += struct.pack(f">{some}H", *self.on.words(True, addr, some))
            addr, count = addr + some, count - some
        return out

    def write(self, addr: int, data: bytes) -> None:
        """Bytes into registers."""
        self.on.put(addr, struct.unpack(f">{len(data) // 2}H", data))


class Models:
    """The models of a unit that is connected. Raises DeviceFault where it shows none."""

    def __init__(self, on: Words) -> None:
        self.device = _Device(on)
        try:
            self.device.scan()
        except GONE as exc:
            raise DeviceFault("the inverter shows no SunSpec models at its address") from exc

    def point(self, item: MenuItem) -> Any:
        """The point of a line. Raises NotHeld."""
        model, _, name = item.sunspec.partition(".")
        found = self.device.models.get(int(model)) if model.isdigit() else None
        point = found[0].points.get(name) if found else None
        if point is None:
            raise NotHeld(f"it has no SunSpec point {item.sunspec}")
        return point

    def line(self, item: MenuItem) -> float | str:
        """What stands there. Raises NotHeld, DeviceFault."""
        point = self.point(item)
        point.read()
        value = point.cvalue
        if value is None:
            raise NotHeld(f"SunSpec point {item.sunspec} is not implemented in it")
        if item.options:
            of = dict(zip(codes_of(item), item.options, strict=True))
            if int(value) not in of:
                raise NotHeld(f"SunSpec point {item.sunspec} holds {value}, which is no choice")
            return of[int(value)]
        return round(float(value), 6)

    def write(self, item: MenuItem, value: float | str) -> None:
        """Write a point. Raises NotHeld, DeviceFault."""
        point = self.point(item)
        try:
            if item.options:
                point.cvalue = codes_of(item)[item.options.index(str(value))]
            else:
                point.cvalue = float(value)
            point.write()
        except (*GONE, ValueError, struct.error) as exc:
            raise NotHeld(f"it does not take SunSpec point {item.sunspec}") from exc
