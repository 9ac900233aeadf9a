"""Talks to a recording wrench: line-based JSON over TCP, as `gumboot.devices.wrench` describes it.
It reaches own networks only.
"""

from __future__ import annotations

import ipaddress
import json
import socket
from collections.abc import Sequence
from typing import Any

from gumboot.core.basis.units import NotAQuantity, parse
from gumboot.core.land.matching import Recorded

WAIT_S = 4.0
MOST_LINES, MOST_BYTES = 2000, 1_000_000


class WrenchFault(RuntimeError):
    """The wrench could not be asked, or said what no wrench says; the message says what to
    look at.
    """


def reach(address: str, networks: Sequence[str]) -> tuple[str, int]:
    """(IP address, port) of a "host:port" that lies in one of the networks. Raises WrenchFault."""
    host, _, port = address.rpartition(":")
    try:
        found = socket.getaddrinfo(host, int(port), type=socket.SOCK_STREAM)[0][4]
        ip = ipaddress.ip_address(found[0])
    except (OSError, ValueError, UnicodeError) as exc:
        raise WrenchFault(f"“{address}” is no address of a wrench: look under Wrenches") from exc
    if not any(ip in ipaddress.ip_network(n) for n in networks):
        raise WrenchFault(
            f"{address} is not on a network of the crew's own: the administrator of Gumboot lists"
            " those in GUMBOOT_WRENCH_NETWORKS"
        )
    return str(ip), int(port)


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
            taken = 0
            with s.makefile("rb") as lines:
                for line in lines:
                    taken += len(line)
                    told = json.loads(line)
                    if not isinstance(told, dict) or len(out) > MOST_LINES or taken > MOST_BYTES:
                        raise WrenchFault(f"{address} does not answer in the wrench's protocol")
                    if "error" in told:
                        raise WrenchFault(f"the wrench says: {str(told['error'])[:200]}")
                    out.append(told)
                    if not until or until in told:
                        return out
    except (OSError, json.JSONDecodeError, UnicodeDecodeError) as exc:
        raise WrenchFault(
            f"the wrench at {address} does not answer: is it on, and on this network?"
        ) from exc
    raise WrenchFault(f"the wrench at {address} stopped in the middle: ask again")


def recorded(address: str, networks: Sequence[str], after: int = 0) -> list[Recorded]:
    """Every reading after number `after`, oldest first. Raises WrenchFault."""
    who = ask(address, networks, {"ask": "who"})[0]
    out = []
    for r in ask(address, networks, {"ask": "readings", "after": after}, until="end")[:-1]:
        try:
            typed = f"{r['torque']} {r['unit']}"
            out.append(
                Recorded(
                    int(r["n"]),
                    round(parse(typed, "torque"), 4),
                    typed,
                    str(r.get("at", ""))[:40],
                    str(who.get("serial", ""))[:60],
                    str(r.get("label", ""))[:300],
                )
            )
        except (KeyError, TypeError, ValueError, NotAQuantity) as exc:
            raise WrenchFault(
                f"the wrench at {address} sent something that is not a reading"
            ) from exc
    return out


def set_target(address: str, networks: Sequence[str], torque_nm: float, label: str) -> None:
    """Set the wrench to a torque, for the termination of a label. Raises WrenchFault."""
    ask(address, networks, {"ask": "set", "torque": torque_nm, "unit": "N·m", "label": label})
