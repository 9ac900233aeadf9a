"""Which devices Gumboot may speak to: those on networks of the crew's own."""

from __future__ import annotations

import ipaddress
import socket
from collections.abc import Sequence


class DeviceFault(RuntimeError):
    """A device could not be asked, or said what none of its kind says; the message says what to
    look at.
    """


def reach(
    address: str, networks: Sequence[str], what: str = "device", look: str = "Network"
) -> tuple[str, int]:
    """(IP address, port) of a "host:port" that lies in one of the networks. Raises DeviceFault."""
    host, _, port = address.rpartition(":")
    try:
        found = socket.getaddrinfo(host, int(port), type=socket.SOCK_STREAM)[0][4]
        ip = ipaddress.ip_address(found[0])
    except (OSError, ValueError, UnicodeError) as exc:
        raise DeviceFault(f"“{address}” is no address of a {what}: look under {look}") from exc
    if not any(ip in ipaddress.ip_network(n) for n in networks):
        raise DeviceFault(
            f"{address} is not on a network of the crew's own: the administrator of Gumboot lists"
            " those in GUMBOOT_DEVICE_NETWORKS"
        )
    return str(ip), int(port)
