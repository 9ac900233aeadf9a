"""A simulated battery bus: packs that speak CAN through an slcan adapter over TCP.

python -m gumboot.devices.bms [--port 7504] [--packs 3] [--wrong "twice 2; silent 3; rate 250000;
    protocol; alarm 1"]

slcan is the line protocol of serial CAN adapters: "S6" sets 500 kbit/s, "O" opens, "C" closes, each
answered by a carriage return; a frame comes as "t", three figures of its id, its length, its bytes.
"""

from __future__ import annotations

import argparse
import contextlib
import random
import re
import socketserver
import threading
import time
from collections.abc import Iterator
from dataclasses import dataclass, field

from pymodbus import FramerType
from pymodbus.server import ModbusTcpServer
from pymodbus.simulator import DataType, SimData, SimDevice

from gumboot.core.kit.dbc import read_dbc
from gumboot.devices.standing import Standing

RATES = {
    "S0": 10_000,
    "S1": 20_000,
    "S2": 50_000,
    "S3": 100_000,
    "S4": 125_000,
    "S5": 250_000,
    "S6": 500_000,
    "S7": 750_000,
    "S8": 1_000_000,
}
EVERY_S = 0.1


@dataclass
class SimPack:
    """One simulated pack."""

    address: int
    serial: int
    soc: float = 61.5
    volts: float = 52.9
    amps: float = 0.0
    temperature: float = 21.0
    silent: bool = False
    alarm: bool = False


@dataclass
class Chain:
    """A chain of packs on one bus, its DBC and the bit rate it really has. foreign: it speaks
    another protocol.
    """

    dbc: str
    packs: list[SimPack] = field(default_factory=list)
    bit_rate: int = 500_000
    foreign: bool = False
    seed: int = 1

    def __post_init__(self) -> None:
        self.base = read_dbc(self.dbc)
        self.chance = random.Random(self.seed)

    def frames(self) -> Iterator[tuple[int, bytes]]:
        """Every frame of one turn."""
        if self.foreign:
            for n, _ in enumerate(self.packs):
                yield 0x111 + n, bytes(self.chance.randrange(256) for _ in range(8))
            return
        limits = {
            "charge_volts": 56.8,
            "charge_limit": 100.0 * len(self.packs),
            "discharge_limit": 150.0 * len(self.packs),
            "discharge_volts": 46.0,
        }
        yield self._made("BankLimits", limits)
        for p in self.packs:
            if p.silent:
                continue
            who = {"address": p.address, "serial": p.serial}
            volts = round(p.volts + self.chance.gauss(0, 0.01), 2)
            yield self._made(
                "PackState",
                {
                    **who,
                    "soc": p.soc,
                    "temperature": p.temperature,
                    "volts": volts,
                    "amps": p.amps,
                },
            )
            names = ("cell_high", "cell_low", "hot", "cold", "current", "link")
            alarms = {f"alarm_{n}": int(p.alarm and n == "cell_high") for n in names}
            yield self._made("PackAlarms", {**who, **alarms})

    def _made(self, name: str, values: dict[str, float]) -> tuple[int, bytes]:
        message = self.base.get_message_by_name(name)
        return message.frame_id, bytes(message.encode(values))


class Adapter(socketserver.ThreadingTCPServer):
    """The adapter on a port of loopback."""

    allow_reuse_address = True
    daemon_threads = True

    def __init__(self, port: int, chain: Chain, host: str = "127.0.0.1") -> None:
        self.chain = chain
        super().__init__((host, port), Line)


class Line(socketserver.BaseRequestHandler):
    """One client."""

    def handle(self) -> None:
        """Answer commands; while it is open and at the bus's own rate, pass its frames on."""
        server = self.server
        assert isinstance(server, Adapter)  # noqa: S101 - it is made there
        rate, opened, held = 0, False, b""
        self.request.settimeout(EVERY_S)
        until = time.monotonic() + 300
        with contextlib.suppress(ConnectionError, OSError):
            while time.monotonic() < until:
                try:
                    piece = self.request.recv(256)
                    if not piece:
                        return
                    held = (held + piece)[-512:]
                except TimeoutError:
                    pass
                while b"\r" in held:
                    raw, _, held = held.partition(b"\r")
                    command = raw.decode("ascii", "replace")
                    rate = RATES.get(command, rate)
                    opened = command == "O" or (opened and command != "C")
                    self.request.sendall(b"\r")
                if opened and rate == server.chain.bit_rate:
                    for id, data in server.chain.frames():
                        text = f"t{id:03X}{len(data)}{data.hex().upper()}\r"
                        self.request.sendall(text.encode())


def registers_of(p: SimPack, count: int) -> list[int]:
    """What one pack keeps: serial, charge in half per cent, °C, hundredths of a volt, tenths of an
    ampere, alarm; then the limits of the bank in tenths.
    """
    limits = (568, 1000 * count, 1500 * count, 460)
    own = (p.serial, p.soc * 2, p.temperature, p.volts * 100, p.amps * 10, p.alarm)
    return [round(v) & 0xFFFF for v in (*own, *limits)]


class OnRs485(Standing):
    """The same packs as Modbus devices, RTU frames over TCP. Two of one address drown each other
    out: neither is there.
    """

    def __init__(self, chain: Chain, port: int) -> None:
        self.chain, self.port = chain, port
        super().__init__("pack", lambda: [self._made()])

    def _made(self) -> ModbusTcpServer:
        told = [p for p in self.chain.packs if not p.silent]
        alone = [p for p in told if sum(q.address == p.address for q in told) == 1]
        words = {p.address: registers_of(p, len(told)) for p in alone}
        return ModbusTcpServer(
            [
                SimDevice(a, simdata=[SimData(0, values=w, datatype=DataType.REGISTERS)])
                for a, w in words.items()
            ],
            framer=FramerType.RTU,
            address=("127.0.0.1", self.port),
            ignore_missing_devices=True,
        )


def wrong(chain: Chain, text: str) -> None:
    """Make a chain wrong. Raises ValueError for what is not understood."""
    for part in (p.strip() for p in text.split(";") if p.strip()):
        if m := re.fullmatch(r"twice (\d+)", part):
            at = int(m[1])
            last = next(p for p in reversed(chain.packs) if p.address != at)
            last.address = at
        elif m := re.fullmatch(r"silent (\d+)", part):
            next(p for p in chain.packs if p.address == int(m[1])).silent = True
        elif m := re.fullmatch(r"alarm (\d+)", part):
            next(p for p in chain.packs if p.address == int(m[1])).alarm = True
        elif m := re.fullmatch(r"rate (\d+)", part):
            chain.bit_rate = int(m[1])
        elif part == "protocol":
            chain.foreign = True
        else:
            raise ValueError(f"“{part}” is nothing that can be wrong")


def chain_of(dbc: str, packs: int, first: int = 1) -> Chain:
    """So many packs, addressed in turn."""
    return Chain(dbc, [SimPack(first + n, 417 + 31 * n) for n in range(packs)])


class Running:
    """A simulated bus in a thread of its own."""

    def __init__(self, chain: Chain, port: int) -> None:
        self.server = Adapter(port, chain)
        self.thread = threading.Thread(target=self.server.serve_forever, daemon=True)

    def __enter__(self) -> Running:
        self.thread.start()
        return self

    def __exit__(self, *_: object) -> None:
        self.server.shutdown()
        self.server.server_close()


if __name__ == "__main__":
    from gumboot.catalogue import catalogue

    parser = argparse.ArgumentParser(prog="gumboot.devices.bms")
    parser.add_argument("--port", type=int, default=7504)
    parser.add_argument("--rs485-port", type=int, default=7505)
    parser.add_argument("--packs", type=int, default=3)
    parser.add_argument("--pack", default="tidewell-14", help="the entry whose DBC it speaks")
    parser.add_argument("--wrong", default="")
    arguments = parser.parse_args()
    made = chain_of(catalogue().packs[arguments.pack].dbc, arguments.packs)
    try:
        wrong(made, arguments.wrong)
    except (ValueError, StopIteration) as exc:
        parser.error(str(exc))
    with OnRs485(made, arguments.rs485_port), Adapter(arguments.port, made) as adapter:
        adapter.serve_forever()
