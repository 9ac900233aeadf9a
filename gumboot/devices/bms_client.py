"""Listens to a battery bus through an slcan adapter over TCP, sending nothing on it; or asks packs
over RS-485. It reaches own networks only, and waits no longer than its limit.
"""

from __future__ import annotations

import logging
import time
from collections.abc import Sequence

import can
from can.interfaces.slcan import slcanBus
from pymodbus import FramerType
from pymodbus.client import ModbusTcpClient
from pymodbus.exceptions import ModbusException

from gumboot.core.kit.register import PackRegister
from gumboot.core.link.bms import Frame, PackSeen
from gumboot.devices.meter_client import WORDS, value_of
from gumboot.devices.networks import DeviceFault, reach

LISTEN_S, TRY_S, ASK_S, MOST_FRAMES = 1.5, 0.6, 0.5, 4000
OTHER_RATES = (250_000, 125_000, 1_000_000)
logging.getLogger("can").setLevel(logging.CRITICAL)


def listen(
    address: str, networks: Sequence[str], bit_rate: float | None
) -> tuple[list[Frame], float | None]:
    """(frames heard, the bit rate they were heard at); at other rates where the planned one is
    silent. Raises DeviceFault.
    """
    ip, port = reach(address, networks, "CAN adapter", "Network")
    planned = int(bit_rate or 500_000)
    for rate in (planned, *(r for r in OTHER_RATES if r != planned)):
        frames = _at(ip, port, address, rate, LISTEN_S if rate == planned else TRY_S)
        if frames:
            return frames, float(rate)
    return [], None


def ask(
    address: str,
    networks: Sequence[str],
    registers: Sequence[PackRegister],
    packs: Sequence[int],
) -> list[PackSeen]:
    """What each pack answers over Modbus: RTU frames over TCP, as field converters speak them. One
    that says nothing is left out. Raises DeviceFault.
    """
    ip, port = reach(address, networks, "RS-485 converter", "Network")
    client = ModbusTcpClient(
        ip, port=port, framer=FramerType.RTU, timeout=ASK_S, retries=0, reconnect_delay=0
    )
    if not client.connect():  # type: ignore[no-untyped-call]
        raise DeviceFault(
            f"the RS-485 converter at {address} does not answer: is it on, and on this network?"
        )
    out = []
    try:
        for unit in packs:
            values = _values(client, registers, unit)
            if values:
                serial = values.pop("serial", None)
                known = int(serial) if isinstance(serial, int | float) else None
                out.append(PackSeen(unit, known, dict(values), 1))
    finally:
        client.close()  # type: ignore[no-untyped-call]
    return out


def _values(
    client: ModbusTcpClient, registers: Sequence[PackRegister], unit: int
) -> dict[str, float]:
    """What one pack shows; nothing where it says nothing."""
    out: dict[str, float] = {}
    for r in registers:
        reads = client.read_holding_registers if r.holding else client.read_input_registers
        try:
            answer = reads(r.number, count=WORDS[r.type], device_id=unit)
        except (ModbusException, OSError):
            return out
        if answer.isError() or len(answer.registers) != WORDS[r.type]:
            continue
        if (value := value_of(answer.registers, r)) is not None:
            out[r.shows] = value
    return out


def _at(ip: str, port: int, address: str, rate: int, seconds: float) -> list[Frame]:
    out: list[Frame] = []
    try:
        bus = slcanBus(f"socket://{ip}:{port}", bitrate=rate, sleep_after_open=0.0, timeout=0.2)
    except (can.CanError, OSError, ValueError) as exc:
        raise DeviceFault(
            f"the CAN adapter at {address} does not answer: is it on, and on this network?"
        ) from exc
    until = time.monotonic() + seconds
    try:
        while (left := until - time.monotonic()) > 0 and len(out) < MOST_FRAMES:
            message = bus.recv(timeout=min(left, 0.2))
            if message is not None and not message.is_error_frame:
                out.append(
                    Frame(
                        message.arbitration_id,
                        message.is_extended_id,
                        bytes(message.data),
                        message.timestamp,
                    )
                )
    except (can.CanError, OSError, ValueError, IndexError, UnicodeError) as exc:
        if not out:
            raise DeviceFault(
                f"the CAN adapter at {address} stopped in the middle, or is none: ask again"
            ) from exc
    finally:
        _closed(bus)
    return out


def _closed(bus: slcanBus) -> None:
    try:
        bus.shutdown()
    except (can.CanError, OSError, ValueError):
        return
