"""A simulated recording wrench: line-based JSON over TCP. python -m gumboot.devices.wrench [--port
7788] [--serial MT-3001] [--pull]

One JSON object a line, UTF-8, each way. The client asks, the wrench answers:

    {"ask": "who"}                                   {"serial": "MT-3001", "unit": "N·m", "count":
    2}
    {"ask": "set", "torque": 12, "unit": "N·m", "label": "C9 INVERTER 1 BAT +"}      {"ok": true}
    {"ask": "pull"}                                  {"n": 3, "torque": 11.93, "unit": "N·m", "at":
    "2026-11-25T10:00:00Z", "label": "…"}
    {"ask": "readings", "after": 1}                  one line a reading with n > 1, then {"end": 3}
    anything else                                    {"error": "…"}

`pull` is what a hand does on a real one; it is asked here because a simulated one has no hand.
"""

from __future__ import annotations

import argparse
import json
import random
import socket
import socketserver
import sys
import threading
from collections.abc import Iterator
from datetime import UTC, datetime
from typing import Any

from gumboot.core.basis.units import NotAQuantity, parse

MOST_LINE = 4096
SPREAD = 0.012  # standard deviation of a hand on a click wrench, as a fraction


class Memory:
    """What the wrench remembers: its setting and every pull."""

    def __init__(self, serial: str, seed: int = 1) -> None:
        self.serial, self.chance, self.lock = serial, random.Random(seed), threading.Lock()
        self.set_nm, self.label = 10.0, ""
        self.readings: list[dict[str, Any]] = []

    def answer(self, line: bytes) -> Iterator[dict[str, Any]]:
        """What it says to one line."""
        try:
            asked = json.loads(line)
        except (UnicodeDecodeError, json.JSONDecodeError):
            yield {"error": "not a line of JSON"}
            return
        match asked:
            case {"ask": "who"}:
                yield {"serial": self.serial, "unit": "N·m", "count": len(self.readings)}
            case {"ask": "set", "torque": int() | float() as torque, "unit": str() as unit}:
                yield self.set(torque, unit, str(asked.get("label", "")))
            case {"ask": "pull"}:
                yield self.pull()
            case {"ask": "readings"}:
                after = asked.get("after", 0)
                with self.lock:
                    kept = [r for r in self.readings if isinstance(after, int) and r["n"] > after]
                yield from kept
                yield {"end": len(self.readings)}
            case _:
                yield {"error": "ask who, set, pull or readings"}

    def set(self, torque: float, unit: str, label: str) -> dict[str, Any]:
        """Set it to a torque, for the termination of a label."""
        try:
            nm = parse(str(torque), "torque", bare=unit)
        except NotAQuantity as exc:
            return {"error": str(exc)}
        if not 0 < nm <= 1000:
            return {"error": "out of its scale"}
        with self.lock:
            self.set_nm, self.label = nm, label[:200]
        return {"ok": True}

    def pull(self) -> dict[str, Any]:
        """One pull: near the setting, as a hand is."""
        with self.lock:
            nm = round(self.set_nm * self.chance.gauss(1.0, SPREAD), 2)
            made = {
                "n": len(self.readings) + 1,
                "torque": nm,
                "unit": "N·m",
                "at": datetime.now(UTC).isoformat(timespec="seconds").replace("+00:00", "Z"),
                "label": self.label,
            }
            self.readings.append(made)
        return made


class Server(socketserver.ThreadingTCPServer):
    """The wrench on a port of loopback."""

    allow_reuse_address = True
    daemon_threads = True

    def __init__(self, port: int, memory: Memory, host: str = "127.0.0.1") -> None:
        self.memory = memory
        super().__init__((host, port), Line)


class Line(socketserver.StreamRequestHandler):
    """One client, line by line."""

    timeout = 60

    def handle(self) -> None:
        """Answer until the client is gone."""
        server = self.server
        assert isinstance(server, Server)  # noqa: S101 - it is made there
        try:
            while line := self.rfile.readline(MOST_LINE):
                for told in server.memory.answer(line):
                    self.wfile.write(json.dumps(told, ensure_ascii=False).encode() + b"\n")
        except (TimeoutError, ConnectionError):
            return


if __name__ == "__main__":
    parser = argparse.ArgumentParser(prog="gumboot.devices.wrench")
    parser.add_argument("--port", type=int, default=7788)
    parser.add_argument("--serial", default="MT-3001")
    parser.add_argument(
        "--pull", action="store_true", help="pull the wrench that runs on this port, once"
    )
    arguments = parser.parse_args()
    if arguments.pull:
        with socket.create_connection(("127.0.0.1", arguments.port), timeout=4) as hand:
            hand.sendall(b'{"ask": "pull"}\n')
            print(hand.makefile().readline().strip())
        sys.exit()
    with Server(arguments.port, Memory(arguments.serial)) as made:
        made.serve_forever()
