"""Reads a meter over Modbus: TCP, or RTU frames over TCP as field converters speak them. It reaches
own networks only, and no wire keeps it longer than its limit.
"""

from __future__ import annotations

import logging
import math
import struct
import time
from collections.abc import Sequence

from pymodbus import FramerType
from pymodbus.client import ModbusTcpClient
from pymodbus.exceptions import ModbusException

from gumboot.core.kit import Meter
from gumboot.core.kit.register import MeterRegister, Register
from gumboot.core.link.wiring import STEPS_AT
from gumboot.core.plan.linking import Linking
from gumboot.devices.networks import DeviceFault, reach

logging.getLogger("pymodbus.logging").setLevel(logging.CRITICAL)  # what is wrong is said here
WAIT_S, RETRIES, DEADLINE_S = 2.0, 1, 12.0
BETWEEN_S = 1.5  # of two looks: the house's own changes show between them
WORDS = {"float32": 2, "int32": 2, "uint32": 2, "int16": 1, "uint16": 1}
PACKED = {"float32": ">f", "int32": ">i", "uint32": ">I", "int16": ">h", "uint16": ">H"}
PLAIN = tuple(MeterRegister(shows=f"power {k + 1}", number=2 * k) for k in range(3))
MOST_W = 200_000.0
Look = list[float | None]


def value_of(registers: Sequence[int], r: Register) -> float | None:
    """A value as its registers hold it; None where that is no number, or none of this world."""
    packed = b"".join(struct.pack(">H", w & 0xFFFF) for w in registers)
    value = float(struct.unpack(PACKED[r.type], packed)[0]) * r.scale
    return value if math.isfinite(value) and abs(value) <= MOST_W else None


def looks(
    linking: Linking, meter: Meter | None, channels: int, networks: Sequence[str]
) -> tuple[Look, Look]:
    """What each channel shows, in W, at two looks a moment apart. Raises DeviceFault."""
    with Connected(linking, networks) as client:
        first = look(client, meter, channels)
        time.sleep(BETWEEN_S)
        return first, look(client, meter, channels)


class Connected:
    """A meter that answers at the plan's address, while it is used. Raises DeviceFault."""

    def __init__(self, linking: Linking, networks: Sequence[str]) -> None:
        self.address = linking.meter_at
        ip, port = reach(self.address, networks, "meter", "Network")
        framer = FramerType.RTU if linking.meter_framing == "rtu" else FramerType.SOCKET
        self.client = ModbusTcpClient(
            ip, port=port, framer=framer, timeout=WAIT_S, retries=RETRIES, reconnect_delay=0
        )

    def __enter__(self) -> ModbusTcpClient:
        try:
            there = bool(self.client.connect())  # type: ignore[no-untyped-call]
        except OSError:
            there = False
        if not there:
            raise DeviceFault(
                f"the meter at {self.address} does not answer: is it on, and on this network?"
            )
        return self.client

    def __exit__(self, *_: object) -> None:
        self.client.close()  # type: ignore[no-untyped-call]


def volts(linking: Linking, meter: Meter | None, line: int, networks: Sequence[str]) -> float:
    """What the meter shows of a line, from 1, to neutral, in V. Raises DeviceFault."""
    rows = meter.registers if meter else ()
    r = next((r for r in rows if r.shows == f"volts {line}"), None)
    if r is None:
        raise DeviceFault(f"the meter's sheet names no register for volts of line {line}")
    unit = meter.address if meter and meter.address else 1
    with Connected(linking, networks) as client:
        ask = client.read_holding_registers if r.holding else client.read_input_registers
        try:
            answer = ask(r.number, count=WORDS[r.type], device_id=unit)
        except (ModbusException, OSError) as exc:
            raise DeviceFault("the meter stopped answering: is its address right?") from exc
    value = None if answer.isError() else value_of(answer.registers, r)
    if value is None:
        raise DeviceFault(f"the meter has no volts at register {r.number}: look at its sheet")
    return value


def look(client: ModbusTcpClient, meter: Meter | None, channels: int) -> Look:
    """One look at every channel. Raises DeviceFault."""
    known = [r for r in (meter.registers if meter else ()) if r.shows.startswith("power ")]
    rows: dict[int, Register] = {int(r.shows.split()[1]): r for r in known or PLAIN}
    unit = meter.address if meter and meter.address else 1
    until = time.monotonic() + DEADLINE_S
    out: Look = []
    for k in range(1, channels + 1):
        r = rows.get(k)
        if r is None:
            out.append(None)
            continue
        if time.monotonic() > until:
            raise DeviceFault("the meter is too slow: ask again nearer to it")
        ask = client.read_holding_registers if r.holding else client.read_input_registers
        try:
            answer = ask(r.number, count=WORDS[r.type], device_id=unit)
        except (ModbusException, OSError) as exc:
            raise DeviceFault(
                "the meter stopped answering: its address, bit rate and parity as its sheet says?"
            ) from exc
        if answer.isError() or len(answer.registers) != WORDS[r.type]:
            raise DeviceFault(
                f"the meter has no register {r.number}: look at its registers on the shelf"
            )
        out.append(value_of(answer.registers, r))
    return out


def switch_house(
    linking: Linking, networks: Sequence[str], at: str, row: Sequence[float], watts: float
) -> None:
    """Switch something in the simulated house; 0 W switches all off. Raises DeviceFault."""
    with Connected(linking, networks) as client:
        try:
            if not watts:
                answer = client.write_registers(105, [1], device_id=1)
            else:
                shares = [round(1000 * s) for s in (*row, 0.0, 0.0)[:3]]
                tens = round(watts / 10) & 0xFFFF
                values = [STEPS_AT.index(at), *shares, tens]
                answer = client.write_registers(100, values, device_id=1)
        except (ModbusException, OSError) as exc:
            raise DeviceFault("the simulated house does not answer") from exc
        if answer.isError():
            raise DeviceFault("this meter takes no such orders: it is not the simulated one")
