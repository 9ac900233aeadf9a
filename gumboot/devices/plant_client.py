"""Reads an inverter over Modbus TCP, by the registers of its entry; on the crew's own networks
only, and within a limit of time.
"""

from __future__ import annotations

from collections.abc import Sequence

from pymodbus import FramerType
from pymodbus.client import ModbusTcpClient
from pymodbus.exceptions import ModbusException

from gumboot.core.kit import Inverter
from gumboot.core.plan.linking import Linking
from gumboot.devices.meter_client import WORDS, value_of
from gumboot.devices.networks import DeviceFault, reach

WAIT_S, RETRIES = 2.0, 1


def read(
    linking: Linking, inverter: Inverter, unit: int, shows: str, networks: Sequence[str]
) -> float:
    """What a unit, from 1, shows now: volts, hertz, % or the number of what it does. Raises
    DeviceFault.
    """
    r = next((x for x in inverter.registers if x.shows == shows), None)
    if r is None:
        raise DeviceFault(f"the unit's sheet names no register for {shows}: enter it on the shelf")
    ip, port = reach(linking.unit_at, networks, "inverter", "Link, Network")
    framer = FramerType.RTU if linking.unit_framing == "rtu" else FramerType.SOCKET
    client = ModbusTcpClient(
        ip, port=port, framer=framer, timeout=WAIT_S, retries=RETRIES, reconnect_delay=0
    )
    try:
        if not client.connect():  # type: ignore[no-untyped-call]
            raise DeviceFault(f"the inverter at {linking.unit_at} does not answer: is it awake?")
        ask = client.read_holding_registers if r.holding else client.read_input_registers
        answer = ask(r.number, count=WORDS[r.type], device_id=unit)
    except (ModbusException, OSError) as exc:
        raise DeviceFault(
            "the inverter stopped answering: is it awake, and its address right?"
        ) from exc
    finally:
        client.close()  # type: ignore[no-untyped-call]
    if answer.isError() or len(answer.registers) != WORDS[r.type]:
        raise DeviceFault(f"the inverter has no register {r.number}: look at its sheet's registers")
    value = value_of(answer.registers, r)
    if value is None:
        raise DeviceFault(f"register {r.number} holds no number of this world")
    return value
