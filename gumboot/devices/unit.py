"""A simulated inverter's menu over Modbus TCP: it keeps what is keyed, takes a while to restart,
and misbehaves as it is told to.

python -m gumboot.devices.unit [--port 7508] [--rtu-port 7509] [--inverter marram-c6]
    [--units 1] [--restart 5]
    [--wrong "refuse absorb_v; clip charge_a 100; round float_v 0.5; forget cut_v; gap 20 25; stop"]

Each unit is a Modbus device from 1; its lines stand where its sheet says. Register 9000: writing 1
switches it off and on; what is read meanwhile is refused as busy.
"""

from __future__ import annotations

import argparse
import re
import struct
import threading
import time
from collections.abc import Mapping, Sequence

from pymodbus import FramerType
from pymodbus.constants import ExcCodes
from pymodbus.server import ModbusTcpServer
from sunspec2.device import Model as SunSpecModel

from gumboot.catalogue import catalogue
from gumboot.core.kit import Inverter, MenuItem
from gumboot.core.set.wire import NotHeld, codes_of, decoded, encoded, words_of
from gumboot.devices.standing import Standing, acting, device

POWER, SUNS, COUNT = 9000, 40000, 41000
ANSWERS_S = 0.05
WRONGS = re.compile(
    r"refuse (?P<refuse>\w+)|clip (?P<clip>\w+) (?P<most>[\d.]+)"
    r"|round (?P<round>\w+) (?P<step>[\d.]+)|forget (?P<forget>\w+)"
    r"|gap (?P<gap>\d+) (?P<end>\d+)|(?P<stop>stop)"
)


class Models:
    """The SunSpec map of a unit, made by pysunspec2: the common model, then one of each that its
    lines name.
    """

    def __init__(self, items: Sequence[MenuItem]) -> None:
        self.items = items
        numbers = sorted({int(m.sunspec.partition(".")[0]) for m in items})
        self.models = {n: SunSpecModel(model_id=n) for n in (1, *numbers)} if items else {}
        for model in self.models.values():
            for name, point in model.points.items():
                if name.endswith("_SF"):
                    point.value = -1
        if items:
            self.models[1].points["Mn"].value = "Marram"

    def words(self, values: Mapping[str, float | str]) -> list[int]:
        """The whole map, from its mark to its end; nothing where no line stands in it."""
        if not self.models:
            return []
        for m in self.items:
            self._put(m, values[m.id])
        data = b"SunS" + b"".join(bytes(x.get_mb()) for x in self.models.values()) + b"\xff\xff\0\0"
        return list(struct.unpack(f">{len(data) // 2}H", data))

    def _put(self, m: MenuItem, value: float | str) -> None:
        number, _, name = m.sunspec.partition(".")
        plain = codes_of(m)[m.options.index(str(value))] if m.options else float(value)
        self.models[int(number)].points[name].cvalue = plain

    def taken(self, at: int, words: Sequence[int]) -> tuple[MenuItem, float | str] | None:
        """The line that a write to the map is about, and its value."""
        start = 2
        for number, model in self.models.items():
            size = len(bytes(model.get_mb())) // 2
            if start <= at < start + size:
                point = next((p for p in model.points.values() if p.offset == at - start), None)
                name = f"{number}.{point.pdef['name']}" if point else ""
                m = next((m for m in self.items if m.sunspec == name), None)
                if m is None or point is None:
                    return None
                point.set_mb(struct.pack(f">{len(words)}H", *words))
                value = point.cvalue
                return m, m.options[codes_of(m).index(int(value))] if m.options else float(value)
            start += size
        return None


class Menu:
    """The menu of one unit as it stands. Raises ValueError for what cannot be wrong with it."""

    def __init__(self, unit: Inverter, restart_s: float = 5.0, wrong: str = "") -> None:
        self.unit, self.restart_s = unit, restart_s
        self.items = [m for m in unit.menu if m.readable]
        self.models = Models([m for m in self.items if m.read_at is None])
        self.values: dict[str, float | str] = {m.id: first_of(m) for m in self.items}
        self.kept = dict(self.values)  # over a power-cycle
        self.refuse, self.forget = set[str](), set[str]()
        self.clip, self.round = dict[str, float](), dict[str, float]()
        self.gaps: list[tuple[int, int]] = []
        self.stopped, self.back_at, self.lock = False, 0.0, threading.Lock()
        for part in (p.strip() for p in wrong.split(";") if p.strip()):
            self._misbehave(part)

    def _misbehave(self, part: str) -> None:
        found = WRONGS.fullmatch(part)
        names = {m.id for m in self.items}
        line = found and (found["refuse"] or found["clip"] or found["round"] or found["forget"])
        if found is None or (line and line not in names):
            raise ValueError(f"“{part}” is nothing that can be wrong")
        if found["refuse"]:
            self.refuse.add(found["refuse"])
        elif found["clip"]:
            self.clip[found["clip"]] = float(found["most"])
        elif found["round"]:
            self.round[found["round"]] = float(found["step"])
        elif found["forget"]:
            self.forget.add(found["forget"])
        elif found["gap"]:
            self.gaps.append((int(found["gap"]), int(found["end"])))
        else:
            self.stopped = True

    @property
    def away(self) -> bool:
        """Whether it is restarting."""
        return self.back_at - self.restart_s < time.monotonic() < self.back_at

    def cycle(self) -> None:
        """Off and on: what it forgets stands again as it was kept."""
        with self.lock:
            for m in self.items:
                if m.id in self.forget:
                    self.values[m.id] = self.kept[m.id]
            self.kept = dict(self.values)
            self.back_at = time.monotonic() + ANSWERS_S + self.restart_s  # it answers, then goes

    def read(self, registers: list[int]) -> ExcCodes | None:
        """Every line at its register."""
        if self.away or self.stopped:
            return ExcCodes.DEVICE_BUSY
        for m in self.items:
            if m.read_at is not None:
                words = encoded(m, self.values[m.id])
                registers[m.read_at.number : m.read_at.number + len(words)] = words
        words = self.models.words(self.values)
        registers[SUNS : SUNS + len(words)] = words
        return None

    def lacks(self, address: int, count: int) -> bool:
        """Whether a question touches a gap."""
        return any(address < end and start < address + count for start, end in self.gaps)

    def written(self, address: int, values: list[int]) -> ExcCodes | None:
        """Lines keyed over the wire."""
        if address == POWER:
            self.cycle()
            return None
        if self.away or self.stopped:
            return ExcCodes.DEVICE_BUSY
        if address >= SUNS:
            found = self.models.taken(address - SUNS, values)
            return self.keyed(*found) if found else ExcCodes.ILLEGAL_ADDRESS
        m = next((m for m in self.items if m.read_at and m.read_at.number == address), None)
        if m is None or m.read_at is None or len(values) != words_of(m.read_at):
            return ExcCodes.ILLEGAL_ADDRESS
        if m.id in self.refuse or not m.writes:
            return ExcCodes.ILLEGAL_VALUE
        try:
            value = decoded(m, values)
        except NotHeld:
            return ExcCodes.ILLEGAL_VALUE
        return self.keyed(m, value)

    def keyed(self, m: MenuItem, value: float | str) -> ExcCodes | None:
        """A line keyed, by wire or by hand."""
        if not isinstance(value, str):
            if (m.least is not None and value < m.least) or (m.most is not None and value > m.most):
                return ExcCodes.ILLEGAL_VALUE
            if m.id in self.clip:
                value = min(value, self.clip[m.id])
            if step := self.round.get(m.id):
                value = round(round(value / step) * step, 6)
        with self.lock:
            self.values[m.id] = value
        return None


def first_of(m: MenuItem) -> float | str:
    """What stands in a line from the works."""
    if m.default is not None:
        return m.default
    if m.options:
        return m.options[0]
    return "00:00" if m.unit == "time" else (m.least or 0.0)


class Running(Standing):
    """Simulated units on a port of loopback; rtu: a port where they speak RTU frames over TCP."""

    def __init__(self, menus: Sequence[Menu], port: int, rtu: int | None = None) -> None:
        self.menus = menus
        ways = [(port, FramerType.SOCKET), *([(rtu, FramerType.RTU)] if rtu is not None else [])]
        super().__init__("inverter", lambda: [_server(menus, at, how) for at, how in ways])


def _server(menus: Sequence[Menu], port: int, framer: FramerType) -> ModbusTcpServer:
    rows = [device(n, COUNT, acting(m.read, m.written, m.lacks)) for n, m in enumerate(menus, 1)]
    return ModbusTcpServer(rows, framer=framer, address=("127.0.0.1", port))


def main(arguments: Sequence[str] | None = None) -> None:
    """Run it until it is stopped."""
    parser = argparse.ArgumentParser(prog="gumboot.devices.unit")
    parser.add_argument("--port", type=int, default=7508)
    parser.add_argument("--rtu-port", type=int, help="RTU frames over TCP there, none without it")
    parser.add_argument("--inverter", default="marram-c6", help="the entry whose menu it has")
    parser.add_argument("--units", type=int, default=1)
    parser.add_argument("--restart", type=float, default=5.0, help="s it is away at a restart")
    parser.add_argument("--wrong", default="", help="what is wrong with it, as above")
    asked = parser.parse_args(arguments)
    unit = catalogue().inverters.get(asked.inverter)
    if unit is None:
        parser.error(f"no inverter is called {asked.inverter}")
    try:
        menus = [Menu(unit, asked.restart, asked.wrong) for _ in range(asked.units)]
    except ValueError as exc:
        parser.error(str(exc))
    with Running(menus, asked.port, asked.rtu_port):
        threading.Event().wait()


if __name__ == "__main__":
    main()
