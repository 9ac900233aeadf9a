"""A simulated meter in a simulated house, over Modbus TCP and RTU frames over TCP.

python -m gumboot.devices.meter [--port 7502] [--rtu-port 7503] [--supply "split-phase 120/240 V"]
    [--wrong "1 turned; 2 at inverter; exchange 1 2; taps L1 L2; ratio 2; 3 nowhere"]

Input registers, two each, float32, high word first, from 0: what each channel shows in W, of power
drawn from the grid; from 20: volts of each line. They are late by the meter's lag, and the house
changes by itself. What a hand does in a real house is asked here by holding registers:

    100       where: 0 house, 1 sub-panel, 2 inverter, 3 PV inverter, 4 backed up, 5 backed-up PV
    101-103   share of each line, thousandths
    104       W drawn there in all, in tens, signed; then it is switched
    105       any value: all is switched off
"""

from __future__ import annotations

import argparse
import random
import re
import struct
import threading
import time
from collections import deque
from dataclasses import replace

from pymodbus import FramerType
from pymodbus.constants import ExcCodes
from pymodbus.server import ModbusTcpServer

from gumboot.core.kit import ANGLES, LINES, MAINS
from gumboot.core.link.wiring import NOWHERE, OPEN, SEES, STEPS_AT, Setup, Wiring, right
from gumboot.devices.standing import Standing, acting, device

POWER, LINE_VOLTS, DRIVE, OFF = 0, 20, 100, 105
COUNT = 200


class House:
    """A house: its own load on each line, what is switched on in it, and a meter's channels wired
    as they are. noise_w: how much it changes by itself; lag_s: how late the meter is.
    """

    def __init__(
        self,
        supply: str = "split-phase 120/240 V",
        channels: tuple[tuple[str, int], ...] = (),
        wiring: Wiring | None = None,
        noise_w: float = 20.0,
        lag_s: float = 1.0,
        seed: int = 1,
    ) -> None:
        lines = len(ANGLES[supply])
        every = channels or tuple(("service", i) for i in range(lines))
        self.setup = Setup(supply, every, (("house", (1.0,) * lines),))
        self.wiring = wiring or right(self.setup)
        self.base = [380.0 + 90.0 * i for i in range(lines)]
        self.noise_w, self.lag_s = noise_w, lag_s
        self.chance, self.lock = random.Random(seed), threading.Lock()
        self.drawn: dict[str, list[float]] = {}
        self.shown: deque[tuple[float, list[float]]] = deque(maxlen=400)
        self.lines = tuple(LINES[supply])

    def switch(self, at: str, row: list[float], watts: float) -> None:
        """Draw so many W at a place, by their share of each line; what was drawn there ends."""
        with self.lock:
            self.drawn[at] = [share * watts for share in row[: len(self.base)]]

    def off(self) -> None:
        """Everything that was switched on goes off."""
        with self.lock:
            self.drawn.clear()

    def at(self, place: str) -> list[float]:
        """W through a place on each line now."""
        n = len(self.base)
        own = [b + self.chance.gauss(0, self.noise_w) if SEES[place][0] else 0.0 for b in self.base]
        for where, rows in self.drawn.items():
            if SEES[place][STEPS_AT.index(where)]:
                own = [own[i] + rows[i] for i in range(n)]
        return own

    def now(self) -> list[float]:
        """What each channel measures now, W."""
        with self.lock:
            flows = {p: self.at(p) for p in SEES}
        return [
            0.0
            if c.place == NOWHERE
            else c.gain(self.setup.supply) * flows[c.place][c.line] + self.chance.gauss(0, 2.0)
            for c in self.wiring
        ]

    def power(self) -> list[float]:
        """What the meter shows: what was measured a lag ago."""
        at = time.monotonic()
        with self.lock:
            last = self.shown[-1][0] if self.shown else 0.0
        if at - last > 0.05:
            measured = self.now()
            with self.lock:
                self.shown.append((at, measured))
        with self.lock:
            late = [x for t, x in self.shown if t <= at - self.lag_s]
            return late[-1] if late else self.shown[0][1]


def words_of(value: float) -> list[int]:
    """A float32 as two registers, high word first."""
    return list(struct.unpack(">HH", struct.pack(">f", value)))


class Registers:
    """The house behind the registers of a Modbus device."""

    def __init__(self, house: House) -> None:
        self.house = house
        self.typed = [0] * 8

    def read(self, registers: list[int]) -> None:
        """What is read is fresh."""
        for k, watts in enumerate(self.house.power()):
            registers[POWER + 2 * k : POWER + 2 * k + 2] = words_of(watts)
        volts = MAINS[self.house.setup.supply].to_neutral
        for k in range(len(self.house.base)):
            shown = volts + self.house.chance.gauss(0, 0.3)
            at = LINE_VOLTS + 2 * k
            registers[at : at + 2] = words_of(shown)

    def written(self, address: int, values: list[int]) -> ExcCodes | None:
        """Holding registers written."""
        for n, v in enumerate(values, address):
            if DRIVE <= n < DRIVE + 5:
                self.typed[n - DRIVE] = v
            elif n != OFF:
                return ExcCodes.ILLEGAL_ADDRESS
        ends = range(address, address + len(values))
        if OFF in ends:
            self.house.off()
        if DRIVE + 4 in ends:
            where, *shares, tens = self.typed[:5]
            if where >= len(STEPS_AT):
                return ExcCodes.ILLEGAL_VALUE
            signed = tens - 65536 if tens > 32767 else tens
            row = [s / 1000 for s in shares]
            self.house.switch(STEPS_AT[where], row, 10.0 * signed)
        return None


def wired(house: House, text: str) -> Wiring:
    """A wiring by what is wrong in it. Raises ValueError for what is not understood."""
    out = list(right(house.setup))
    for part in (p.strip() for p in text.split(";") if p.strip()):
        if m := re.fullmatch(r"(\d) turned", part):
            k = int(m[1]) - 1
            out[k] = replace(out[k], turned=not out[k].turned)
        elif m := re.fullmatch(r"(\d) nowhere", part):
            out[int(m[1]) - 1] = OPEN
        elif (m := re.fullmatch(r"(\d) at (.+)", part)) and m[2] in SEES:
            out[int(m[1]) - 1] = replace(out[int(m[1]) - 1], place=m[2])
        elif m := re.fullmatch(r"exchange (\d) (\d)", part):
            a, b = int(m[1]) - 1, int(m[2]) - 1
            x, y = out[a], out[b]
            out[a] = replace(x, place=y.place, line=y.line, turned=y.turned)
            out[b] = replace(y, place=x.place, line=x.line, turned=x.turned)
        elif m := re.fullmatch(r"taps L(\d) L(\d)", part):
            a, b = int(m[1]) - 1, int(m[2]) - 1
            out = [replace(c, volts={a: b, b: a}.get(c.volts, c.volts)) for c in out]
        elif m := re.fullmatch(r"ratio ([\d.]+)", part):
            out = [replace(c, ratio=float(m[1])) for c in out]
        else:
            raise ValueError(f"“{part}” is nothing that can be wrong")
    return tuple(out)


def server(house: House, port: int, framer: FramerType, host: str = "127.0.0.1") -> ModbusTcpServer:
    """The meter on a port, as unit 1."""
    registers = Registers(house)
    made = device(1, COUNT, acting(registers.read, registers.written))
    return ModbusTcpServer(made, framer=framer, address=(host, port))


class Running(Standing):
    """A simulated meter, on ports of loopback; it measures by itself, asked or not."""

    def __init__(self, house: House, port: int, rtu_port: int | None = None) -> None:
        self.house = house
        ports = [(port, FramerType.SOCKET), *([(rtu_port, FramerType.RTU)] if rtu_port else [])]
        super().__init__("meter", lambda: [server(house, *at) for at in ports], house.power)


if __name__ == "__main__":
    parser = argparse.ArgumentParser(prog="gumboot.devices.meter")
    parser.add_argument("--port", type=int, default=7502)
    parser.add_argument("--rtu-port", type=int, default=7503)
    parser.add_argument("--supply", default="split-phase 120/240 V", choices=sorted(ANGLES))
    parser.add_argument("--wrong", default="", help="what is wired wrong, as above")
    parser.add_argument("--noise", type=float, default=20.0)
    parser.add_argument("--lag", type=float, default=1.0)
    arguments = parser.parse_args()
    made = House(arguments.supply, noise_w=arguments.noise, lag_s=arguments.lag)
    try:
        made.wiring = wired(made, arguments.wrong)
    except ValueError as exc:
        parser.error(str(exc))
    with Running(made, arguments.port, arguments.rtu_port):
        threading.Event().wait()
