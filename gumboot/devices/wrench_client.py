"""Talks to a recording wrench: line-based JSON over TCP, as `gumboot.devices.wrench` describes it.
It reaches own networks only.
"""

from __future__ import annotations

import json
import socket
import time
from collections.abc import Iterator, Sequence
from typing import Any

from gumboot.core.basis.units import NotAQuantity, parse
from gumboot.core.land.matching import Recorded
from gumboot.devices.networks import DeviceFault
from gumboot.devices.networks import reach as own_network

WAIT_S = 4.0  # for each sign of life
DEADLINE_S = 20.0  # for the whole answer, however it drips
MOST_LINES, MOST_BYTES, MOST_LINE = 2000, 1_000_000, 20_000


class WrenchFault(DeviceFault):
    """The wrench could not be asked, or said what no wrench says."""


def reach(address: str, networks: Sequence[str]) -> tuple[str, int]:
    """(IP address, port) of a wrench on one of the networks. Raises WrenchFault."""
    try:
        return own_network(address, networks, "wrench", "Wrenches")
    except DeviceFault as exc:
        raise WrenchFault(str(exc)) from exc


def ask(
    address: str, networks: Sequence[str], asked: dict[str, Any], until: str = ""
) -> list[dict[str, Any]]:
    """Send one line and read the answer: one line, or lines up to the one that has the key `until`.
    Raises WrenchFault.
    """
    try:
        with socket.create_connection(reach(address, networks), timeout=WAIT_S) as s:
            s.sendall(json.dumps(asked, ensure_ascii=False).encode() + b"\n")
            out: list[dict[str, Any]] = []
            for line in _lines(s, address):
                told = json.loads(line, parse_constant=_no_constant)
                if not isinstance(told, dict) or len(out) > MOST_LINES:
                    raise WrenchFault(f"{address} does not answer in the wrench's protocol")
                if "error" in told:
                    raise WrenchFault(f"the wrench says: {plain(told['error'], 200)}")
                out.append(told)
                if not until or until in told:
                    return out
    except (OSError, ValueError, RecursionError) as exc:
        raise WrenchFault(
            f"the wrench at {address} does not answer: is it on, and on this network?"
        ) from exc
    raise WrenchFault(f"the wrench at {address} stopped in the middle: ask again")


def _lines(s: socket.socket, address: str) -> Iterator[bytes]:
    """Lines as they come, each and all of them bounded, within one deadline. Raises WrenchFault."""
    until, held, taken = time.monotonic() + DEADLINE_S, b"", 0
    while True:
        left = until - time.monotonic()
        if left <= 0:
            raise WrenchFault(f"the wrench at {address} is too slow: ask again nearer to it")
        s.settimeout(min(WAIT_S, left))
        piece = s.recv(65_536)
        taken += len(piece)
        *whole, held = (held + piece).split(b"\n")
        if taken > MOST_BYTES or len(held) > MOST_LINE:
            raise WrenchFault(f"{address} does not answer in the wrench's protocol")
        yield from whole
        if not piece:
            if held:
                yield held
            return


def _no_constant(name: str) -> float:
    raise ValueError(f"{name} is not a number that JSON has")


def plain(value: object, most: int) -> str:
    """A text that every record can keep."""
    text = str(value).encode("utf-8", "replace").decode()
    return "".join(c for c in text if c.isprintable())[:most]


def recorded(address: str, networks: Sequence[str], after: int = 0) -> list[Recorded]:
    """Every reading after number `after`, oldest first. Raises WrenchFault."""
    who = ask(address, networks, {"ask": "who"})[0]
    out = []
    for r in ask(address, networks, {"ask": "readings", "after": after}, until="end")[:-1]:
        try:
            typed = plain(f"{r['torque']} {r['unit']}", 60)
            out.append(
                Recorded(
                    int(r["n"]),
                    round(parse(typed, "torque"), 4),
                    typed,
                    plain(r.get("at", ""), 40),
                    plain(who.get("serial", ""), 60),
                    plain(r.get("label", ""), 300),
                )
            )
        except (KeyError, TypeError, ValueError, OverflowError, NotAQuantity) as exc:
            raise WrenchFault(
                f"the wrench at {address} sent something that is not a reading"
            ) from exc
    return out


def set_target(address: str, networks: Sequence[str], torque_nm: float, label: str) -> None:
    """Set the wrench to a torque, for the termination of a label. Raises WrenchFault."""
    ask(address, networks, {"ask": "set", "torque": torque_nm, "unit": "N·m", "label": label})
