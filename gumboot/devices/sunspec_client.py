"""Reads and writes points of SunSpec models over Modbus TCP, by pysunspec2; on the crew's own
networks only.
"""

from __future__ import annotations

import struct
from collections.abc import Sequence
from typing import Any

from sunspec2.modbus.client import (
    SunSpecModbusClientDeviceTCP,
    SunSpecModbusClientError,
    SunSpecModbusClientException,
)
from sunspec2.modbus.modbus import ModbusClientError, ModbusClientException

from gumboot.core.kit import MenuItem
from gumboot.core.plan.linking import Linking
from gumboot.core.set.wire import NotHeld, codes_of
from gumboot.devices.networks import DeviceFault, reach

WAIT_S = 2.0
GONE = (
    *(SunSpecModbusClientError, SunSpecModbusClientException),
    *(ModbusClientError, ModbusClientException, OSError),
)


class Models:
    """The models of a unit, from 1, while they are used. Raises DeviceFault."""

    def __init__(self, linking: Linking, unit_no: int, networks: Sequence[str]) -> None:
        ip, port = reach(linking.unit_at, networks, "inverter", "Link, Network")
        if linking.unit_framing == "rtu":
            raise DeviceFault("SunSpec models are read over Modbus TCP here, not RTU over TCP")
        self.device = SunSpecModbusClientDeviceTCP(
            slave_id=unit_no, ipaddr=ip, ipport=port, timeout=WAIT_S
        )

    def __enter__(self) -> Models:
        try:
            self.device.scan()
        except GONE as exc:
            self.device.close()
            raise DeviceFault("the inverter shows no SunSpec models at its address") from exc
        return self

    def __exit__(self, *_: object) -> None:
        self.device.close()

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
        try:
            point.read()
        except GONE as exc:
            raise DeviceFault("the inverter stopped answering") from exc
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
