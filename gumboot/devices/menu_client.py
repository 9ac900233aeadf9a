"""Reads and writes the lines of an inverter's menu over Modbus, TCP or RTU frames over TCP; on the
crew's own networks only, and within a limit of time.
"""

from __future__ import annotations

import time
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field

from pymodbus import FramerType
from pymodbus.client import ModbusTcpClient
from pymodbus.exceptions import ModbusException

from gumboot.core.kit import Inverter, MenuItem
from gumboot.core.plan.linking import Linking
from gumboot.core.set.wire import Block, NotHeld, blocks, decoded, encoded, words_of
from gumboot.devices.meter_client import WORDS, value_of
from gumboot.devices.networks import DeviceFault, reach
from gumboot.devices.sunspec_client import Models

WAIT_S, RETRIES, DEADLINE_S = 2.0, 1, 25.0
REFUSED = {
    1: "it takes no such question",
    2: "it has no such register",
    3: "it takes no such value",
    6: "it is busy: ask again in a minute",
}


@dataclass
class Read:
    """What a unit holds, by the line; what could not be read, with why; whether it makes its own
    voltage meanwhile.
    """

    values: dict[str, float | str] = field(default_factory=dict)
    lacking: dict[str, str] = field(default_factory=dict)
    island: bool = False


class Unit:
    """A unit of a job that answers at the plan's address, while it is used. Raises DeviceFault."""

    def __init__(self, linking: Linking, unit_no: int, networks: Sequence[str]) -> None:
        self.at, self.no = linking.unit_at, unit_no
        ip, port = reach(self.at, networks, "inverter", "Link, Network")
        framer = FramerType.RTU if linking.unit_framing == "rtu" else FramerType.SOCKET
        self.client = ModbusTcpClient(
            ip, port=port, framer=framer, timeout=WAIT_S, retries=RETRIES, reconnect_delay=0
        )
        self.until = time.monotonic() + DEADLINE_S

    def __enter__(self) -> Unit:
        try:
            there = bool(self.client.connect())  # type: ignore[no-untyped-call]
        except OSError:
            there = False
        if not there:
            raise DeviceFault(f"the inverter at {self.at} does not answer: is it awake?")
        return self

    def __exit__(self, *_: object) -> None:
        self.client.close()  # type: ignore[no-untyped-call]

    def words(self, holding: bool, start: int, count: int) -> list[int]:
        """Registers as they stand. Raises NotHeld where the unit refuses, DeviceFault where it is
        gone or too slow.
        """
        if time.monotonic() > self.until:
            raise DeviceFault("the inverter is too slow: ask again nearer to it")
        ask = self.client.read_holding_registers if holding else self.client.read_input_registers
        try:
            answer = ask(start, count=count, device_id=self.no)
        except (ModbusException, OSError) as exc:
            raise DeviceFault(
                f"inverter {self.no} stopped answering: is it awake, and its address right?"
            ) from exc
        if answer.isError():
            code = int(getattr(answer, "exception_code", 0))
            raise NotHeld(REFUSED.get(code, f"it answers with exception {code}"))
        if len(answer.registers) != count:
            raise NotHeld(f"it answers with {len(answer.registers)} registers, not {count}")
        return list(answer.registers)

    def write(self, item: MenuItem, value: float | str) -> None:
        """Write one line. Raises NotHeld where it does not take it, DeviceFault if it is gone."""
        assert item.read_at is not None  # noqa: S101 - who calls has looked
        self.put(item.read_at.number, encoded(item, value))

    def put(self, start: int, words: Sequence[int]) -> None:
        """Registers as they shall stand. Raises NotHeld where the unit refuses, DeviceFault."""
        try:
            answer = self.client.write_registers(start, list(words), device_id=self.no)
        except (ModbusException, OSError) as exc:
            raise DeviceFault(f"inverter {self.no} stopped answering while it was written") from exc
        if answer.isError():
            code = int(getattr(answer, "exception_code", 0))
            raise NotHeld(REFUSED.get(code, f"it answers with exception {code}"))

    def line(self, item: MenuItem) -> float | str:
        """One line as it stands. Raises NotHeld, DeviceFault."""
        r = item.read_at
        if r is None:
            raise NotHeld(f"the sheet names no register for {item.label}")
        return decoded(item, self.words(r.holding, r.number, words_of(r)))


def read_menu(linking: Linking, unit: Inverter, unit_no: int, networks: Sequence[str]) -> Read:
    """Every line that a unit, from 1, can be asked for: in blocks, and line by line where a block
    is refused. Raises DeviceFault, also where nothing of it could be read.
    """
    if not any(m.readable for m in unit.menu):
        raise DeviceFault("the unit's sheet names no registers of its menu: see the shelf")
    out = Read()
    with Unit(linking, unit_no, networks) as on:
        out.island = islanded(on, unit)
        for block in blocks(unit.menu):
            _block(on, block, out)
        points = [m for m in unit.menu if m.sunspec and m.read_at is None]
        if points:
            _points(on, points, out)
    if not out.values:
        why = next(iter(out.lacking.values()))
        raise DeviceFault(f"nothing of the menu of inverter {unit_no} could be read: {why}")
    return out


def islanded(on: Unit, unit: Inverter) -> bool:
    """Whether a unit says that it makes its own voltage; one that cannot be asked does not say."""
    r = next((x for x in unit.registers if x.shows == "island"), None)
    if r is None:
        return False
    try:
        words = on.words(r.holding, r.number, WORDS[r.type])
    except NotHeld:
        return False
    return bool(value_of(words, r))


def _points(on: Unit, items: Sequence[MenuItem], out: Read) -> None:
    """Lines that stand in SunSpec models; what has none there takes nothing else with it."""
    try:
        models = Models(on)
        for m in items:
            _keep(m, lambda m=m: models.line(m), out)  # type: ignore[misc]
    except DeviceFault as exc:
        out.lacking.update({m.id: str(exc) for m in items if m.id not in out.values})


def _block(on: Unit, block: Block, out: Read) -> None:
    try:
        words = on.words(block.holding, block.start, block.count)
    except NotHeld:
        if len(block.items) > 1:
            for m in block.items:
                _keep(m, lambda m=m: on.line(m), out)  # type: ignore[misc]
            return
        _keep(block.items[0], lambda: on.line(block.items[0]), out)
        return
    for m in block.items:
        assert m.read_at is not None  # noqa: S101 - of a block
        first = m.read_at.number - block.start
        own = words[first : first + words_of(m.read_at)]
        _keep(m, lambda m=m, own=own: decoded(m, own), out)  # type: ignore[misc]


def _keep(item: MenuItem, read: Callable[[], float | str], out: Read) -> None:
    try:
        out.values[item.id] = read()
    except NotHeld as exc:
        out.lacking[item.id] = str(exc)


def write_lines(
    linking: Linking,
    unit: Inverter,
    unit_no: int,
    wanted: Sequence[tuple[MenuItem, float | str]],
    networks: Sequence[str],
) -> tuple[list[tuple[str, float | str]], tuple[str, str] | None]:
    """Lines written one by one, each read back; it stops at the first that does not take. Returns
    what took, with what stands there now, and (line, why) of the one that did not. Raises
    DeviceFault where the unit cannot be reached at all.
    """
    took: list[tuple[str, float | str]] = []
    with Unit(linking, unit_no, networks) as on:
        for item, value in wanted:
            try:
                if item.read_at is None:
                    models = Models(on)
                    models.write(item, value)
                    now = models.line(item)
                else:
                    on.write(item, value)
                    now = on.line(item)
            except (NotHeld, DeviceFault) as exc:
                return took, (item.id, str(exc))
            if item.display(now) != item.display(value):
                says = f"{item.display(value)} was written, and {item.display(now)} stands there"
                return took, (item.id, says)
            took.append((item.id, now))
    return took, None
